"""Finished shapes: what a step takes out of the stock.

*Removal*: a volume cut from above. It is known by two functions that work on numbers and on arrays
alike: how *deep* a point of the plane lies inside its outline (mm, negative outside), and how far its
surface *rises* above its floor at that depth.
*Prism*: upright walls on a rounded rectangle, flat floor, optional fillet at the foot of the walls.
*Bore*: a round hole with the underside of the tool that made it.
*Ring*: all that lies between a rounded rectangle, which stays, and a wide border: the outside of a part.
No NumPy here: the window draws these before NumPy is loaded.
"""

from __future__ import annotations

import math
from typing import Any, Protocol

from msgspec import Struct
from msgspec.structs import replace

from bastler.core.geometry.path import Arc, Path, Point, rounded_rectangle
from bastler.core.geometry.placement import Placement
from bastler.core.geometry.underside import Profile

Bounds = tuple[float, float, float, float]
Numbers = Any
"""A float, or an array of floats; the result is of the same kind."""


class Box(Struct, frozen=True):
    """An upright box in program coordinates, mm."""

    x0: float
    x1: float
    y0: float
    y1: float
    z0: float
    z1: float

    @property
    def bounds(self) -> Bounds:
        """``x0, x1, y0, y1``."""
        return (self.x0, self.x1, self.y0, self.y1)

    def away(self, p: Point) -> float:
        """How far a point of the plane lies from it, mm; 0 inside."""
        dx, dy = max(self.x0 - p[0], p[0] - self.x1, 0.0), max(self.y0 - p[1], p[1] - self.y1, 0.0)
        return math.hypot(dx, dy)

    def is_beyond(self, p: Point, by: float) -> bool:
        """Whether a point of the plane lies more than ``by`` outside it."""
        return p[0] < self.x0 - by or p[0] > self.x1 + by or p[1] < self.y0 - by or p[1] > self.y1 + by

    @property
    def size(self) -> tuple[float, float, float]:
        """Length along X, Y, Z."""
        return (self.x1 - self.x0, self.y1 - self.y0, self.z1 - self.z0)


class Removal(Protocol):
    """What every finished shape can tell."""

    @property
    def floor(self) -> float:
        """Lowest Z."""
        ...

    @property
    def wanted(self) -> str:
        """For metal that ought to be gone in the end although the step didn't promise to cut it: the remedy, as a sentence."""
        ...

    @property
    def flat(self) -> bool:
        """Whether the surface is its floor everywhere."""
        ...

    def depth(self, x: Numbers, y: Numbers) -> Numbers:
        """Distance from a point to the outline, positive inside."""
        ...

    def rise(self, depth: Numbers) -> Numbers:
        """Height of the surface above the floor at a depth of 0 or more."""
        ...

    def bounds(self) -> Bounds:
        """Extent in X and Y."""
        ...

    def covers(self, bounds: Bounds) -> bool:
        """Whether the whole rectangle lies over the flat floor or deeper."""
        ...

    def outlines(self) -> tuple[Path, ...]:
        """The edges as closed paths; what lies within an odd number of them is cut."""
        ...

    def placed(self, where: Placement) -> Removal:
        """The same at another place, as for a further part or a copy."""
        ...

    def lifted(self, by: float) -> Removal:
        """The same higher by some mm."""
        ...


def height_at(one: Removal, x: float, y: float) -> float:
    """Z of the cut surface over a point, ``inf`` outside."""
    depth = one.depth(x, y)
    return one.floor + float(one.rise(depth)) if depth >= 0 else math.inf


def _above_zero(a: Numbers) -> Numbers:
    """``max(a, 0)`` for numbers and arrays."""
    return (a + abs(a)) / 2


def larger(a: Numbers, b: Numbers) -> Numbers:
    """The larger of two, for numbers and arrays."""
    return (a + b + abs(a - b)) / 2


def smaller(a: Numbers, b: Numbers) -> Numbers:
    """The smaller of two, for numbers and arrays."""
    return (a + b - abs(a - b)) / 2


def fillet_rise(fillet: float, depth: Numbers) -> Numbers:
    """Height over the floor that a tool's corner of radius ``fillet`` leaves at a depth inside the outline."""
    inward = _above_zero(fillet - depth)
    return fillet - _above_zero(fillet**2 - inward * inward) ** 0.5


class Prism(Struct, frozen=True):
    """A rounded rectangle cut down to ``floor``.

    ``angle`` degrees counter-clockwise; ``corner`` radius of the upright edges; ``fillet`` radius
    at the foot of the walls, as the tool's corner leaves it.
    """

    centre: Point
    length: float
    width: float
    corner: float
    angle: float
    floor: float
    fillet: float = 0.0
    wanted: str = ""

    @property
    def flat(self) -> bool:
        """See :class:`Removal`."""
        return self.fillet <= 0

    def depth(self, x: Numbers, y: Numbers) -> Numbers:
        """See :class:`Removal`."""
        c, s = math.cos(math.radians(self.angle)), math.sin(math.radians(self.angle))
        dx, dy = x - self.centre[0], y - self.centre[1]
        qx = abs(c * dx + s * dy) - (self.length / 2 - self.corner)
        qy = abs(c * dy - s * dx) - (self.width / 2 - self.corner)
        px, py = _above_zero(qx), _above_zero(qy)
        return self.corner - (px * px + py * py) ** 0.5 + _above_zero(-larger(qx, qy))

    def rise(self, depth: Numbers) -> Numbers:
        """See :class:`Removal`."""
        return fillet_rise(self.fillet, depth)

    def bounds(self) -> Bounds:
        """See :class:`Removal`; exact also when turned."""
        c, s = abs(math.cos(math.radians(self.angle))), abs(math.sin(math.radians(self.angle)))
        a, b = self.length / 2 - self.corner, self.width / 2 - self.corner
        hx, hy = c * a + s * b + self.corner, s * a + c * b + self.corner
        return (self.centre[0] - hx, self.centre[0] + hx, self.centre[1] - hy, self.centre[1] + hy)

    def covers(self, bounds: Bounds) -> bool:
        """See :class:`Removal`; the outline is convex, so the corners decide."""
        corners = [(x, y) for x in bounds[:2] for y in bounds[2:]]
        return all(self.depth(x, y) >= self.fillet - 1e-9 for x, y in corners)

    def outlines(self) -> tuple[Path, ...]:
        """See :class:`Removal`."""
        return (rounded_rectangle(self.length / 2, self.width / 2, self.corner).placed(self.centre, self.angle),)

    def placed(self, where: Placement) -> Prism:
        """See :class:`Removal`."""
        return replace(self, centre=where.point(self.centre), angle=where.turn(self.angle))

    def lifted(self, by: float) -> Prism:
        """See :class:`Removal`."""
        return replace(self, floor=self.floor + by)


class RoundHole(Struct, frozen=True):
    """A hole as a tool leaves it that goes straight down to ``tip`` (Z) at ``centre``."""

    centre: Point
    profile: Profile
    tip: float
    wanted: str = ""

    @property
    def radius(self) -> float:
        """Radius of the full hole, mm."""
        return self.profile.radius

    @property
    def floor(self) -> float:
        """Z of the point."""
        return self.tip

    @property
    def flat(self) -> bool:
        """See :class:`Removal`."""
        return self.profile.is_flat

    def depth(self, x: Numbers, y: Numbers) -> Numbers:
        """See :class:`Removal`."""
        dx, dy = x - self.centre[0], y - self.centre[1]
        return self.profile.radius - (dx * dx + dy * dy) ** 0.5

    def rise(self, depth: Numbers) -> Numbers:
        """See :class:`Removal`."""
        return self.profile.height(self.profile.radius - depth)

    def bounds(self) -> Bounds:
        """See :class:`Removal`."""
        (x, y), r = self.centre, self.radius
        return (x - r, x + r, y - r, y + r)

    def covers(self, bounds: Bounds) -> bool:
        """A bore covers nothing: a tool is never let down into one at rapid."""
        return False

    def outlines(self) -> tuple[Path, ...]:
        """See :class:`Removal`."""
        start = (self.centre[0] + self.radius, self.centre[1])
        return (Path(start, (Arc(start, self.centre, True),)),)

    def placed(self, where: Placement) -> RoundHole:
        """See :class:`Removal`."""
        return replace(self, centre=where.point(self.centre))

    def lifted(self, by: float) -> RoundHole:
        """See :class:`Removal`."""
        return replace(self, tip=self.tip + by)


class Ring(Struct, frozen=True):
    """Everything round ``boss`` (a prism that stays) within the rectangle ``border``, down to the boss's ``floor``."""

    boss: Prism
    border: Prism
    wanted: str = ""

    @property
    def floor(self) -> float:
        """Z down to which it is cut."""
        return self.boss.floor

    @property
    def flat(self) -> bool:
        """See :class:`Removal`."""
        return self.boss.flat

    def depth(self, x: Numbers, y: Numbers) -> Numbers:
        """See :class:`Removal`."""
        return smaller(self.border.depth(x, y), -self.boss.depth(x, y))

    def rise(self, depth: Numbers) -> Numbers:
        """See :class:`Removal`; the fillet runs round the foot of the boss."""
        return self.boss.rise(depth)

    def bounds(self) -> Bounds:
        """See :class:`Removal`."""
        return self.border.bounds()

    def covers(self, bounds: Bounds) -> bool:
        """Never: the boss stands in the middle."""
        return False

    def outlines(self) -> tuple[Path, ...]:
        """See :class:`Removal`."""
        return (*self.boss.outlines(), *self.border.outlines())

    def placed(self, where: Placement) -> Ring:
        """See :class:`Removal`."""
        return replace(self, boss=self.boss.placed(where), border=self.border.placed(where))

    def lifted(self, by: float) -> Ring:
        """See :class:`Removal`."""
        return replace(self, boss=self.boss.lifted(by), border=self.border.lifted(by))


def rectangle(bounds: Bounds, floor: float) -> Prism:
    """A sharp rectangle along the axes."""
    x0, x1, y0, y1 = bounds
    return Prism(((x0 + x1) / 2, (y0 + y1) / 2), x1 - x0, y1 - y0, 0.0, 0.0, floor)


def _area(p: Prism) -> float:
    return p.length * p.width - (4 - math.pi) * p.corner**2


class Piece(Struct, frozen=True):
    """A piece of raw stock seen from above: an outline, and a hole right through it for a tube."""

    outline: Prism
    hole: Prism | None = None

    @property
    def area(self) -> float:
        """Seen from above, mm²."""
        return _area(self.outline) - (_area(self.hole) if self.hole is not None else 0.0)

    def covers(self, x: Numbers, y: Numbers) -> Numbers:
        """Whether there is metal over points."""
        inside = self.outline.depth(x, y) >= 0
        return inside if self.hole is None else inside & (self.hole.depth(x, y) < 0)
