"""The stock that one setup leaves, as it lies in the next."""

from __future__ import annotations

import numpy as np

from bastler.core.geometry.shapes import Box
from bastler.core.job.reclamped import Lying
from bastler.core.verify.grid import Grid
from bastler.core.verify.heightfield import HeightField, Heights


def laid(old: HeightField, lying: Lying, block: Box, grid: Grid) -> tuple[Heights, Heights]:
    """Heights and underside on ``grid`` of what ``old`` is once it lies otherwise; cells are taken from the nearest."""
    x, y = np.meshgrid(grid.xs(), grid.ys())
    back = lying.place.inverse()
    c, s = np.cos(np.radians(back.angle)), np.sin(np.radians(back.angle))
    mx = -x if back.mirror else x
    was_x, was_y = back.at[0] + c * mx - s * y, back.at[1] + s * mx + c * y
    ix = np.clip(np.floor((was_x - old.grid.x0) / old.grid.cell).astype(int), 0, old.grid.nx - 1)
    iy = np.clip(np.floor((was_y - old.grid.y0) / old.grid.cell).astype(int), 0, old.grid.ny - 1)
    top, under = old.heights[iy, ix], old.underside[iy, ix]
    empty = top <= under
    if lying.over:
        top, under = lying.lift - under, lying.lift - top
    else:
        top, under = top + lying.lift, under + lying.lift
    low = np.float32(block.z0)
    return np.where(empty, low, top).astype(np.float32), np.where(empty, low, under).astype(np.float32)
