"""Machine-independent moves: what a plan is made of.

All coordinates are absolute program coordinates in mm (``None`` keeps an axis), feeds mm/min.
"""

from __future__ import annotations

from typing import Literal

from msgspec import Struct

from bastler.core.geometry.path import Arc, Path, Point


class Rapid(Struct, frozen=True):
    """As fast as the axes go; only through air."""

    x: float | None = None
    y: float | None = None
    z: float | None = None


class Feed(Struct, frozen=True):
    """A straight cut."""

    x: float | None
    y: float | None
    z: float | None
    feed: float


class Turn(Struct, frozen=True):
    """An arc in XY, with ``z`` a helix; start = end in XY is a full circle."""

    x: float
    y: float
    centre: Point
    ccw: bool
    feed: float
    z: float | None = None


class Compensate(Struct, frozen=True):
    """Cutter compensation by the control, taken up or dropped on the next straight feed."""

    side: Literal["left", "right"] | None


class Pecks(Struct, frozen=True):
    """How a deep hole is drilled: ``first`` depth, each one ``less`` than before, never under ``smallest``."""

    retract: bool
    first: float
    less: float = 0.0
    smallest: float = 0.0

    def depths(self, top: float, bottom: float) -> list[float]:
        """Z after each peck, the last one ``bottom``."""
        result, z, peck = [], top, self.first
        while z - peck > bottom + 1e-9:
            z -= peck
            result.append(z)
            peck = max(peck - self.less, min(self.smallest, self.first), 1e-3)
        return [*result, bottom]


class Drill(Struct, frozen=True):
    """Holes at ``points`` from ``start`` (just above the metal) to ``bottom`` (the tip), both Z."""

    points: tuple[Point, ...]
    start: float
    bottom: float
    feed: float
    pecks: Pecks | None = None
    dwell_s: float = 0.0


Move = Rapid | Feed | Turn | Compensate | Drill


def follow(path: Path, feed: float, z: float | None = None) -> list[Move]:
    """The moves along a path from its start; ``z`` is taken on the first element."""
    moves: list[Move] = []
    for e in path.elements:
        if isinstance(e, Arc):
            moves.append(Turn(*e.end, e.centre, e.ccw, feed, z))
        else:
            moves.append(Feed(*e.end, z, feed))
        z = None
    return moves
