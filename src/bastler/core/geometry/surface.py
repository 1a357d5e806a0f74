"""*Surface*: where a milling cycle works on a turned part, as a frame of its own.

In it X and Y lie in the surface and Z points out of the metal, as on a block. Seen from outside X points to the right and Y up; on the end face they are those of the
part, on a flat and on the round side X is the part's Z. The part's X lies at C = 0. The round side may be unrolled at its distance from the axis: Y goes round it then, and Z along
the radius.
"""

from __future__ import annotations

import math
from typing import Literal

from msgspec import Struct

from bastler.core.geometry.shapes import Numbers

Place = tuple[float, float, float]
On = Literal["end", "flat", "round", "unrolled"]


class Surface(Struct, frozen=True):
    """``on`` what it lies: the ``end`` face, a ``flat``, the ``round`` side, or that ``unrolled``; ``angle``: C of its middle, degrees; ``distance``: of its zero from the axis, mm."""

    on: On = "end"
    angle: float = 0.0
    distance: float = 0.0

    @property
    def points(self) -> str:
        """Which way a tool points that works on it: ``along`` the axis or ``across``."""
        return "along" if self.on == "end" else "across"

    def place(self, x: float, y: float, z: float) -> Place:
        """A point of it in the part."""
        if self.on == "end":
            return (x, y, z)
        if self.on == "unrolled":
            turned = self.turned_at(y)
            return ((self.distance + z) * math.cos(turned), (self.distance + z) * math.sin(turned), x)
        c, s = math.cos(math.radians(self.angle)), math.sin(math.radians(self.angle))
        out = self.distance + z
        return (out * c + y * s, out * s - y * c, x)

    def seen(self, x: Numbers, y: Numbers, z: Numbers) -> tuple[Numbers, Numbers, Numbers]:
        """Points of the part in it, for numbers and arrays alike."""
        if self.on == "end":
            return x, y, z
        if self.on == "unrolled":
            return self._unrolled(x, y, z)
        c, s = math.cos(math.radians(self.angle)), math.sin(math.radians(self.angle))
        return z, x * s - y * c, x * c + y * s - self.distance

    def turned_at(self, y: float) -> float:
        """C of a place of what is unrolled, radians."""
        return math.radians(self.angle) - y / self.distance

    def _unrolled(self, x: Numbers, y: Numbers, z: Numbers) -> tuple[Numbers, Numbers, Numbers]:
        import numpy as np

        away = np.arctan2(y, x) - math.radians(self.angle)
        return z, -self.distance * ((away + math.pi) % math.tau - math.pi), np.hypot(x, y) - self.distance

    def turned(self, by: float) -> Surface:
        """The same further round the axis, degrees."""
        return Surface(self.on, self.angle + by, self.distance)
