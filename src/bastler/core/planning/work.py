"""What a step finds when its turn comes: the stock as earlier steps left it, and the means to cut it.

*Work* is the only thing a cycle knows of the job. *Block* is the raw stock, *part* the finished
outer size, *done* the removals of the steps before.
"""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct
from msgspec.structs import replace

from bastler.core.geometry.shapes import Bounds, Box, Removal
from bastler.core.quantities import Units
from bastler.core.tooling.machines import Machine
from bastler.core.tooling.materials import Material
from bastler.core.tooling.tools import Tool

ABOVE_METAL_MM = 2.0
"""Rapid moves stop this far above metal."""


class Work(Struct, frozen=True):
    """The frame a step is planned in; program coordinates, mm."""

    block: Box
    part: Box
    clearance: float
    material: Material
    machine: Machine
    tools: Mapping[int, Tool]
    done: tuple[Removal, ...] = ()
    units: Units = "mm"

    def top_over(self, bounds: Bounds) -> float:
        """Highest metal that can stand over a rectangle (x0, x1, y0, y1) by now, never too low."""
        x0, x1 = max(bounds[0], self.block.x0), min(bounds[1], self.block.x1)
        y0, y1 = max(bounds[2], self.block.y0), min(bounds[3], self.block.y1)
        if x0 >= x1 or y0 >= y1:
            return self.block.z0
        inside = (x0, x1, y0, y1)
        return min([self.block.z1, *(r.floor for r in self.done if not r.wanted_only and r.covers(inside))])

    def after(self, removals: tuple[Removal, ...]) -> Work:
        """The same frame once a step has cut its shape."""
        return replace(self, done=self.done + removals)
