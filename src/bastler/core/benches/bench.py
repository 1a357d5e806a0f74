"""What a bench is asked for along the road."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, Protocol

from msgspec import Struct

from bastler.core.cycles.base import Cycle
from bastler.core.fields import Answers
from bastler.core.geometry.path import Path
from bastler.core.geometry.surface import Surface
from bastler.core.job.document import Setup
from bastler.core.job.frame import Frame
from bastler.core.planning.contours import NamedContour
from bastler.core.planning.work import Work
from bastler.core.plans.plan import Plan
from bastler.core.problems import Problem, Unusable
from bastler.core.quantities import Units
from bastler.core.tooling.materials import materials

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from bastler.core.gcode.motion import Motion
    from bastler.core.post.dialect import Dialect
    from bastler.core.post.program import Program
    from bastler.core.request import Request
    from bastler.core.verify.trial import LeftStock, Trial


class Seen(Struct, frozen=True):
    """A cycle and the stock as a step sees them; ``surfaces`` of a turned part that it works on, all alike; which way its tool ``points``, nothing if it stands still, ``None`` where tools are just tools."""

    cycle: Cycle
    work: Work
    surfaces: tuple[Surface, ...] = ()
    points: str | None = None


class Bench(Protocol):
    """A kind of machine. ``kind``: as profiles, cycles and dialects name it; ``word``: as a person does."""

    kind: str
    word: str

    def set_up(
        self, setup: Setup, units: Units, earlier: Plan | None, contours: Mapping[str, NamedContour]
    ) -> tuple[Answers, Frame]:
        """A setup's answers, with all that is wrong in it, and its geometry; ``earlier``: the setup that left the stock."""

    def start(self, work: Work, f: Frame, earlier: Plan | None) -> Work:
        """What the first step finds."""

    def seen(self, cycle: Cycle, typed: Mapping[str, str], work: Work) -> Seen:
        """How a step sees its cycle and the stock: on a lathe a milling cycle asks on which surface it works, and works in its frame."""

    def most_turns(self, f: Frame) -> float:
        """The speed limit of a setup, 1/min; 0 if it has none."""

    def bar_radius(self, f: Frame) -> float:
        """Farther from the axis no metal lies, mm; 0 where nothing turns."""

    def c_zero(self, f: Frame) -> float:
        """Where C 0 of the part lies, degrees from the spindle's own mark; 0 where nothing turns."""

    def fits(self, dialect: Dialect) -> None:
        """Raises :class:`Unusable` for a dialect of another kind of machine."""

    def post(self, plan: Plan, dialect: Dialect) -> Program:
        """The text of a plan."""

    def facts(self, plan: Plan, weight: float) -> tuple[tuple[str, str], ...]:
        """What the setup sheet says of stock and holding: words and values; ``weight``: of the stock, kg."""

    def outlines(self, plan: Plan) -> Iterator[tuple[str, Path]]:
        """Stock and finished part as drawn for a file: layer (``stock``, ``part``) and outline, mm."""

    def trial(
        self, plan: Plan, motion: Motion, steps: NDArray[np.int32], request: Request, left: LeftStock | None
    ) -> Trial:
        """The stock and the judge of a check; ``steps``: of each move; ``left``: the stock of the setup before, where this one goes on with it."""


def unfinished_before(earlier: Plan) -> tuple[Problem, ...]:
    """A setup whose stock comes from one that isn't complete."""
    obstacle = earlier.first_obstacle()
    if not obstacle:
        return ()
    number = earlier.job.setups.index(earlier.setup) + 1
    return (Problem("stock_kind", f"Setup {number}, which leaves this stock, is not complete. {obstacle}"),)


def unknown_material(setup: Setup) -> tuple[Problem, ...]:
    """A material that isn't in the table."""
    if setup.material in materials():
        return ()
    return (Problem("material", f"Material “{setup.material}” is unknown. Choose one from the table."),)


def refuse(dialect: Dialect, kind: str) -> None:
    """Raises :class:`Unusable` for a dialect that isn't of a kind of machine."""
    if dialect.machine != kind:
        raise Unusable(f"{dialect.title} is for {dialect.machine}s. Choose a dialect of a {kind}.")
