"""Finished shapes: what a step takes out of the stock.

*Removal*: a volume cut from above, known by the height of its floor over each point of the plane.
*Prism*: upright walls on an outline, flat floor, optional fillet at the foot of the walls.
*Bore*: a round hole with a conical point.
Heights are Z in mm; where a removal doesn't reach, its height is ``+inf``.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from bastler.core.geometry.path import Arc, Path, Point, rounded_rectangle

Floats = NDArray[np.float64]
Bounds = tuple[float, float, float, float]


@dataclass(frozen=True)
class Box:
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
    def wanted_only(self) -> bool:
        """True for metal that ought to be gone although the step didn't promise to cut it."""
        ...

    def height(self, x: Floats, y: Floats) -> Floats:
        """Z of the cut surface over points (same shape as ``x``), ``+inf`` outside."""
        ...

    def bounds(self) -> Bounds:
        """Extent in X and Y."""
        ...

    def covers(self, bounds: Bounds) -> bool:
        """Whether the whole rectangle lies over the flat floor or deeper."""
        ...

    def outline(self) -> Path:
        """The edge as a closed path."""
        ...


@dataclass(frozen=True)
class Prism:
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
    wanted_only: bool = False

    def _inside_depth(self, x: Floats, y: Floats) -> Floats:
        """Distance to the wall, positive inside."""
        c, s = math.cos(math.radians(self.angle)), math.sin(math.radians(self.angle))
        dx, dy = x - self.centre[0], y - self.centre[1]
        qx = np.abs(c * dx + s * dy) - (self.length / 2 - self.corner)
        qy = np.abs(c * dy - s * dx) - (self.width / 2 - self.corner)
        outside = np.hypot(np.maximum(qx, 0.0), np.maximum(qy, 0.0))
        return np.asarray(self.corner - outside - np.minimum(np.maximum(qx, qy), 0.0))

    def height(self, x: Floats, y: Floats) -> Floats:
        """See :class:`Removal`."""
        depth = self._inside_depth(x, y)
        z = np.full(depth.shape, self.floor)
        if self.fillet > 0:
            u = np.clip(depth, 0.0, self.fillet)
            z += self.fillet - np.sqrt(self.fillet**2 - (self.fillet - u) ** 2)
        z[depth < 0] = np.inf
        return z

    def bounds(self) -> Bounds:
        """See :class:`Removal`; exact also when turned."""
        c, s = abs(math.cos(math.radians(self.angle))), abs(math.sin(math.radians(self.angle)))
        a, b = self.length / 2 - self.corner, self.width / 2 - self.corner
        hx, hy = c * a + s * b + self.corner, s * a + c * b + self.corner
        return (self.centre[0] - hx, self.centre[0] + hx, self.centre[1] - hy, self.centre[1] + hy)

    def covers(self, bounds: Bounds) -> bool:
        """See :class:`Removal`; the outline is convex, so the corners decide."""
        x = np.array([bounds[0], bounds[1], bounds[1], bounds[0]])
        y = np.array([bounds[2], bounds[2], bounds[3], bounds[3]])
        return bool(np.all(self._inside_depth(x, y) >= self.fillet - 1e-9))

    def outline(self) -> Path:
        """See :class:`Removal`."""
        return rounded_rectangle(self.length / 2, self.width / 2, self.corner).placed(self.centre, self.angle)


@dataclass(frozen=True)
class Bore:
    """A hole of ``radius`` down to ``full_z``, below it a cone of ``point_angle`` degrees."""

    centre: Point
    radius: float
    full_z: float
    point_angle: float = 180.0
    wanted_only: bool = False

    @property
    def tip_length(self) -> float:
        """Height of the cone, mm."""
        return self.radius / math.tan(math.radians(self.point_angle / 2)) if self.point_angle < 180 else 0.0

    @property
    def floor(self) -> float:
        """Z of the point."""
        return self.full_z - self.tip_length

    def height(self, x: Floats, y: Floats) -> Floats:
        """See :class:`Removal`."""
        d = np.hypot(x - self.centre[0], y - self.centre[1])
        return np.where(d <= self.radius, self.floor + self.tip_length * d / self.radius, np.inf)

    def bounds(self) -> Bounds:
        """See :class:`Removal`."""
        (x, y), r = self.centre, self.radius
        return (x - r, x + r, y - r, y + r)

    def covers(self, bounds: Bounds) -> bool:
        """A bore covers nothing: a tool is never let down into one at rapid."""
        return False

    def outline(self) -> Path:
        """See :class:`Removal`."""
        start = (self.centre[0] + self.radius, self.centre[1])
        return Path(start, (Arc(start, self.centre, True),))
