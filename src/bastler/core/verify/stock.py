"""What every kind of stock does; the road and its tests know no more of it.

Kinds: the height field (:mod:`bastler.core.verify.heightfield`, everything from above) and the half section (:mod:`bastler.core.verify.section`, everything round the
axis). Places are in the part's coordinates, mm; a turned part has its radius as X.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Protocol, TypeAlias

import numpy as np
from numpy.typing import NDArray

from bastler.core.gcode.motion import Motion
from bastler.core.geometry.halfsection import Area
from bastler.core.verify.mesh import Mesh
from bastler.core.verify.pictures import State as Shown

Floats = NDArray[np.float64]
Place = tuple[float, float, float]
EDGE, BODY, FIXED = "edge", "body", "fixed"
TOUCH_MM = 1e-3
"""A touch of less is rounding."""


@dataclass(frozen=True)
class Touch:
    """Something that a tool met and shouldn't: by number of the move, with what (its *edge* at rapid, its *body*, or any of it what is *fixed*), how much
    (mm deep; in a section mm²), where. ``part``: which of the bodies, from the tip upwards."""

    move: int
    what: str
    by: float
    at: Place
    part: int = 0


@dataclass
class Happened:
    """What a run of moves did: per move mm³ removed, the deepest cut in mm, and mm of metal on the tool's axis where a falling move ends (nan where a kind of stock doesn't
    know); what was touched; by number of the move pieces that came off (an area of the section) and bars that came forward (by how many mm, and what stood before)."""

    removed: Floats
    deepest: Floats
    cores: Floats
    touches: list[Touch] = field(default_factory=list)
    parted: dict[int, Area] = field(default_factory=dict)
    fed: dict[int, tuple[float, Area]] = field(default_factory=dict)

    @classmethod
    def none(cls, n: int) -> Happened:
        """Of ``n`` moves before they are made."""
        return cls(np.zeros(n), np.zeros(n), np.zeros(n))

    def take(self, now: Happened, low: int) -> None:
        """Add what moves ``low`` onwards did."""
        part = slice(low, low + len(now.removed))
        self.removed[part], self.deepest[part], self.cores[part] = now.removed, now.deepest, now.cores
        self.touches += now.touches
        self.parted |= now.parted
        self.fed |= now.fed

    def touched(self, what: str) -> Mapping[int, Touch]:
        """The largest touch of each move with one of its parts."""
        found: dict[int, Touch] = {}
        for one in self.touches:
            if one.what == what and (one.move not in found or found[one.move].by < one.by):
                found[one.move] = one
        return found


@dataclass(frozen=True)
class Difference:
    """Stock against a finished shape, mm³: metal that is missing, metal that stands too much."""

    missing: float
    left: float


State: TypeAlias = Any
Finished: TypeAlias = Any
Labels: TypeAlias = Any
"""Each kind of stock has its own: what a state of it is, how finished shapes are said, how surfaces are labelled."""


class Stock(Protocol):
    """Metal that moves cut."""

    @property
    def chunk(self) -> int:
        """Moves that are best cut at one go."""

    @property
    def state_bytes(self) -> int:
        """What keeping one state costs."""

    def cut(self, motion: Motion, low: int, high: int, first: int = 0) -> Happened:
        """Run moves ``low`` to ``high`` of a motion whose own first one has the number ``first`` in the program."""

    def state(self) -> State:
        """The metal as it is now, which later cuts leave as it is."""

    def shown(self) -> Shown:
        """What of it travels to a window."""

    def restore(self, state: State) -> None:
        """The metal as it was."""

    def volume(self) -> float:
        """Metal left, mm³."""

    def compare(self, finished: Finished) -> Difference:
        """Against a shape of the kind that its steps declare (:class:`bastler.core.geometry.shapes.Removal`, or areas of a half section)."""

    def mesh(self, labels: Labels | None = None) -> Mesh:
        """Its surface; ``labels``: whose cut each piece is, as its kind of picture has them."""

    def section(self, x: float) -> list[Floats]:
        """Outlines (n, 2) of the metal in a plane: across X of a block, as (y, z); through the axis of a turned part, as (z, r), where ``x`` means nothing."""
