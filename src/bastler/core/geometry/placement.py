"""*Placement*: where a thing made about the origin stands: mirrored, turned, shifted, in this order."""

from __future__ import annotations

import math

from msgspec import Struct

from bastler.core.geometry.path import Arc, Line, Path, Point

SAME = 1e-9


class Along(Struct, frozen=True):
    """On a lathe: ``by`` mm further along Z, and ``turned`` degrees round the axis."""

    by: float
    turned: float = 0.0


class Placement(Struct, frozen=True):
    """``mirror`` turns X into -X first; then ``angle`` degrees counter-clockwise about the origin; then to ``at``."""

    at: Point = (0.0, 0.0)
    angle: float = 0.0
    mirror: bool = False

    @property
    def stays(self) -> bool:
        """Whether it leaves everything where it is."""
        return not self.mirror and math.hypot(*self.at) < SAME and abs((self.angle + 180.0) % 360.0 - 180.0) < SAME

    @property
    def upright(self) -> bool:
        """Whether it only shifts."""
        return not self.mirror and abs((self.angle + 180.0) % 360.0 - 180.0) < SAME

    def point(self, p: Point) -> Point:
        """Where a point comes to lie."""
        c, s = math.cos(math.radians(self.angle)), math.sin(math.radians(self.angle))
        x, y = (-p[0] if self.mirror else p[0]), p[1]
        return (self.at[0] + c * x - s * y, self.at[1] + s * x + c * y)

    def path(self, path: Path) -> Path:
        """Where a path comes to lie; a mirrored arc turns the other way."""
        elements = [
            Arc(self.point(e.end), self.point(e.centre), e.ccw != self.mirror)
            if isinstance(e, Arc)
            else Line(self.point(e.end))
            for e in path.elements
        ]
        return Path(self.point(path.start), tuple(elements))

    def turn(self, angle: float) -> float:
        """The angle that a direction or a rectangle at ``angle`` degrees has then (a rectangle's up to half a turn)."""
        return self.angle - angle if self.mirror else self.angle + angle

    def inverse(self) -> Placement:
        """What undoes it."""
        back = Placement((0.0, 0.0), self.angle if self.mirror else -self.angle, self.mirror)
        x, y = back.point(self.at)
        return Placement((-x, -y), back.angle, self.mirror)

    def bounds(self, b: tuple[float, float, float, float]) -> tuple[float, float, float, float]:
        """Extent of a rectangle ``x0, x1, y0, y1`` then."""
        corners = [self.point((x, y)) for x in b[:2] for y in b[2:]]
        xs, ys = [p[0] for p in corners], [p[1] for p in corners]
        return (min(xs), max(xs), min(ys), max(ys))


def about(centre: Point, to: Point, angle: float = 0.0, mirror: bool = False) -> Placement:
    """Mirrored and turned about ``centre``, which then comes to lie at ``to``."""
    turned = Placement((0.0, 0.0), angle, mirror).point(centre)
    return Placement((to[0] - turned[0], to[1] - turned[1]), angle, mirror)
