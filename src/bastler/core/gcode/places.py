"""From programmed coordinates to where the tool is sent: mirror, rotation, local and work offsets.

*Programmed*: the numbers of the text, lengths in mm. A point is mirrored (G51.1) first, then turned
(G68), then shifted by G52 and by the offset in use. Only X and Y are mirrored and turned.
"""

from __future__ import annotations

import math

from msgspec import Struct

Place = tuple[float, float, float]


class Coordinates(Struct, frozen=True):
    """``mirror_x``/``mirror_y``: the axis is mirrored about this value; ``angle`` degrees about ``centre``; ``local``
    and ``offset``: shifts."""

    mirror_x: float | None = None
    mirror_y: float | None = None
    angle: float = 0.0
    centre: tuple[float, float] = (0.0, 0.0)
    local: Place = (0.0, 0.0, 0.0)
    offset: Place = (0.0, 0.0, 0.0)

    @property
    def plain(self) -> bool:
        """Whether programmed coordinates are the true ones."""
        return self == PLAIN

    def turns_over(self, plane: int) -> bool:
        """Whether left and right change sides in G17, G18, G19 (0, 1, 2): one of the plane's two axes is mirrored."""
        x, y = self.mirror_x is not None, self.mirror_y is not None
        return (x != y, x, y)[plane]

    def turn_in(self, plane: int, u: float, v: float) -> tuple[float, float]:
        """A direction along the first and second axis of a plane, mirrored, and in XY turned."""
        if plane == 0:
            return self.turn(u, v)
        if plane == 1:
            return (u, -v if self.mirror_x is not None else v)
        return (-u if self.mirror_y is not None else u, v)

    def turn(self, x: float, y: float) -> tuple[float, float]:
        """A direction in XY, mirrored and turned."""
        x, y = (-x if self.mirror_x is not None else x), (-y if self.mirror_y is not None else y)
        c, s = math.cos(math.radians(self.angle)), math.sin(math.radians(self.angle))
        return (c * x - s * y, s * x + c * y)

    def out(self, place: Place) -> Place:
        """Programmed → true."""
        x, y, z = place
        x = 2 * self.mirror_x - x if self.mirror_x is not None else x
        y = 2 * self.mirror_y - y if self.mirror_y is not None else y
        c, s = math.cos(math.radians(self.angle)), math.sin(math.radians(self.angle))
        dx, dy = x - self.centre[0], y - self.centre[1]
        x, y = self.centre[0] + c * dx - s * dy, self.centre[1] + s * dx + c * dy
        return (
            x + self.local[0] + self.offset[0],
            y + self.local[1] + self.offset[1],
            z + self.local[2] + self.offset[2],
        )

    def back(self, place: Place) -> Place:
        """True → programmed."""
        x, y, z = (p - a - b for p, a, b in zip(place, self.local, self.offset, strict=True))
        c, s = math.cos(math.radians(self.angle)), math.sin(math.radians(self.angle))
        dx, dy = x - self.centre[0], y - self.centre[1]
        x, y = self.centre[0] + c * dx + s * dy, self.centre[1] - s * dx + c * dy
        x = 2 * self.mirror_x - x if self.mirror_x is not None else x
        y = 2 * self.mirror_y - y if self.mirror_y is not None else y
        return (x, y, z)


PLAIN = Coordinates()
