"""The underside of a turning tool: its height over the tip by distance from the axis.

*Flat*: a disc at the tip. *Corner*: a radius that rounds the edge of the flat. *Tip slope*: a cone
inside the flat radius, as a drill's point. *Step*: a jump up at the flat radius (a pilot). *Slope*: a
cone outside the flat radius, as a countersink's flank or a tap's lead. Plain arithmetic, for numbers
and arrays alike; :mod:`bastler.core.verify.kernels` has the same formula compiled.
"""

from __future__ import annotations

import math
from typing import Any

from msgspec import Struct

Numbers = Any


def slope_of(included_deg: float) -> float:
    """Rise over radius of a cone by its included angle; 0 for 180."""
    return 1.0 / math.tan(math.radians(included_deg / 2)) if included_deg < 180 else 0.0


class Profile(Struct, frozen=True):
    """Radii, heights in mm; slopes are mm of height per mm of radius."""

    radius: float
    flat: float = 0.0
    corner: float = 0.0
    tip_slope: float = 0.0
    step: float = 0.0
    slope: float = 0.0

    def height(self, d: Numbers) -> Numbers:
        """Height over the tip at distance ``d`` (0 to ``radius``) from the axis."""
        beyond = d > self.flat
        over = (d - self.flat) * beyond
        if self.corner > 0:
            rest = self.corner**2 - over * over
            return self.corner - (rest * (rest > 0)) ** 0.5
        return (1 - beyond) * self.tip_slope * d + beyond * self.step + self.slope * over

    @property
    def tip_length(self) -> float:
        """Height at the full radius."""
        return float(self.height(self.radius))

    @property
    def is_flat(self) -> bool:
        """Whether the underside is one plane."""
        return self.corner <= 0 and self.tip_slope <= 0 and self.step <= 0 and self.slope <= 0

    def radius_at(self, height: float) -> float:
        """How wide the tool is at a height over its tip, mm; the full radius above."""
        if height >= self.tip_length:
            return self.radius
        if self.corner > 0:
            return self.flat + math.sqrt(max(self.corner**2 - (self.corner - height) ** 2, 0.0))
        if self.slope > 0 and height >= self.step:
            return self.flat + (height - self.step) / self.slope
        return min(height / self.tip_slope, self.flat) if self.tip_slope > 0 else self.flat

    def outline(self) -> list[tuple[float, float]]:
        """Half outline ``(radius, height)`` from the axis at the tip to the full radius; the corner as chords."""
        if self.corner > 0:
            angles = [math.radians(90 * i / 8) for i in range(9)]
            return [
                (0.0, 0.0),
                *((self.flat + self.corner * math.sin(a), self.corner * (1 - math.cos(a))) for a in angles),
            ]
        points = [(0.0, 0.0), (self.flat, self.tip_slope * self.flat), (self.flat, self.step)]
        return [*points, (self.radius, self.tip_length)]
