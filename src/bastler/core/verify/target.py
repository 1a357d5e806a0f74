"""The finished shape on the stock's grid, and where the stock differs from it.

*Too low*: the stock lies below the finished shape (a gouge). *Too high*: metal stands that a step
promised to cut. Both allow for a tolerance in Z and sideways, so that rounding a wall to the third
decimal is no finding.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bastler.core.geometry.shapes import Box, Removal
from bastler.core.verify.grid import Floats, Grid, heights_of, surface, surface_over
from bastler.core.verify.heightfield import HeightField

GOUGE_MM = 0.01
STANDING_MM = 0.02
SIDEWAYS_MM = 0.004


@dataclass(frozen=True)
class Spot:
    """Cells that differ: how many, the worst one (index and mm), their extent, and the volume in mm³."""

    count: int
    worst: float
    ix: int
    iy: int
    bounds: tuple[float, float, float, float]
    volume: float


def _band(block: Box, removals: tuple[Removal, ...], x: Floats, y: Floats) -> tuple[Floats, Floats]:
    """Lowest and highest finished height within ``SIDEWAYS_MM`` of points."""
    low, high = np.full(x.shape, np.inf), np.full(x.shape, -np.inf)
    for dx, dy in ((0, 0), (1, 0), (-1, 0), (0, 1), (0, -1)):
        z = np.full(x.shape, float(block.z1))
        for r in removals:
            z = np.minimum(z, surface(r, x + dx * SIDEWAYS_MM, y + dy * SIDEWAYS_MM))
        z = np.maximum(z, block.z0)
        low, high = np.minimum(low, z), np.maximum(high, z)
    return low, high


def _spot(grid: Grid, iy: NDArray[np.int64], ix: NDArray[np.int64], by: Floats) -> Spot:
    worst = int(np.argmax(by))
    (xa, ya), (xb, yb) = grid.point(int(ix.min()), int(iy.min())), grid.point(int(ix.max()), int(iy.max()))
    half = grid.cell / 2
    return Spot(
        len(ix), float(by[worst]), int(ix[worst]), int(iy[worst]), (xa - half, xb + half, ya - half, yb + half),
        float(by.sum()) * grid.cell**2,
    )  # fmt: skip


def too_low(
    stock: HeightField, removals: tuple[Removal, ...], target: NDArray[np.float32] | None = None
) -> tuple[NDArray[np.int64], NDArray[np.int64], Floats]:
    """Cells (row, column, mm) cut deeper than the finished shape, whose heights on the grid may be known as ``target``."""
    if target is None:
        target = heights_of(stock.grid, stock.block, removals, stock.blank)
    iy, ix = np.nonzero(stock.heights < target - GOUGE_MM)
    if not len(ix):
        return iy, ix, np.zeros(0)
    low, _ = _band(stock.block, removals, stock.grid.xs()[ix], stock.grid.ys()[iy])
    by = low - stock.heights[iy, ix]
    bad = by > GOUGE_MM
    return iy[bad], ix[bad], by[bad]


def standing(stock: HeightField, one: Removal) -> Spot | None:
    """Metal that stands above the floor of a removal."""
    rows, columns = stock.grid.window(one.bounds())
    if rows.start >= rows.stop or columns.start >= columns.stop:
        return None
    floor = np.maximum(surface_over(one, stock.grid.xs()[columns], stock.grid.ys()[rows]), stock.block.z0)
    iy, ix = np.nonzero(stock.heights[rows, columns] > floor + STANDING_MM)
    if not len(ix):
        return None
    iy, ix = iy + rows.start, ix + columns.start
    px, py = stock.grid.xs()[ix], stock.grid.ys()[iy]
    _, high = _band(stock.block, (one,), px, py)
    by = stock.heights[iy, ix] - high
    bad = by > STANDING_MM
    return _spot(stock.grid, iy[bad], ix[bad], by[bad]) if bad.any() else None


def spot_of(grid: Grid, iy: NDArray[np.int64], ix: NDArray[np.int64], by: Floats) -> Spot:
    """A spot from cells and their differences."""
    return _spot(grid, iy, ix, by)
