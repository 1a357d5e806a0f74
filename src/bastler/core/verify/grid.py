"""The cells of a height field, and ideal shapes on them."""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from bastler.core.geometry.region import Region
from bastler.core.geometry.shapes import Box, Piece, Removal
from bastler.core.geometry.track import Track
from bastler.core.verify import raster

Floats = NDArray[np.float64]

CELLS_WANTED = 600_000
MOST_CELLS = 2_000_000
"""What a check has memory for: 300 MB with its pictures of the stock at other moments."""
FINEST_MM, COARSEST_MM = 0.02, 0.5


def cell_for(block: Box, wanted: int = CELLS_WANTED) -> float:
    """A cell size in mm that gives about ``wanted`` cells, in steps a person can read.

    No coarser than :data:`COARSEST_MM`, unless that would be more than :data:`MOST_CELLS`.
    """
    area = block.size[0] * block.size[1]
    usual = min(max(round(math.sqrt(area / wanted), 2), FINEST_MM), COARSEST_MM)
    return max(usual, math.ceil(10 * math.sqrt(area / MOST_CELLS)) / 10) if area / usual**2 > MOST_CELLS else usual


class Grid(Struct, frozen=True):
    """Where the cells are: ``ny`` rows along Y of ``nx`` cells along X."""

    x0: float
    y0: float
    cell: float
    nx: int
    ny: int

    @classmethod
    def over(cls, block: Box, cell: float) -> Grid:
        """Cells that cover a block; a last narrow strip is shared by all (the grid is centred)."""
        nx, ny = max(round(block.size[0] / cell), 1), max(round(block.size[1] / cell), 1)
        return cls(
            (block.x0 + block.x1 - nx * cell) / 2, (block.y0 + block.y1 - ny * cell) / 2, cell, nx, ny
        )  # fmt: skip

    def xs(self) -> Floats:
        """X of the cells' middles."""
        return np.asarray(self.x0 + (np.arange(self.nx) + 0.5) * self.cell)

    def ys(self) -> Floats:
        """Y of the cells' middles."""
        return np.asarray(self.y0 + (np.arange(self.ny) + 0.5) * self.cell)

    def point(self, ix: int, iy: int) -> tuple[float, float]:
        """The middle of a cell."""
        return (self.x0 + (ix + 0.5) * self.cell, self.y0 + (iy + 0.5) * self.cell)

    def cell_of(self, x: float, y: float) -> tuple[int, int]:
        """The cell (ix, iy) over a point; it may lie outside."""
        return (math.floor((x - self.x0) / self.cell), math.floor((y - self.y0) / self.cell))

    def holds(self, ix: int, iy: int) -> bool:
        """Whether there is such a cell."""
        return 0 <= ix < self.nx and 0 <= iy < self.ny

    def window(self, bounds: tuple[float, float, float, float]) -> tuple[slice, slice]:
        """Rows and columns whose middles may lie in ``bounds`` (x0, x1, y0, y1)."""
        ia = max(math.floor((bounds[0] - self.x0) / self.cell - 0.5), 0)
        ib = min(math.ceil((bounds[1] - self.x0) / self.cell + 0.5), self.nx)
        ja = max(math.floor((bounds[2] - self.y0) / self.cell - 0.5), 0)
        jb = min(math.ceil((bounds[3] - self.y0) / self.cell + 0.5), self.ny)
        return slice(ja, max(jb, ja)), slice(ia, max(ib, ia))


def surface(one: Removal, x: Floats, y: Floats) -> Floats:
    """Z of a removal's surface over points (same shape as ``x``), ``+inf`` outside."""
    depth = one.depth(x, y)
    return np.where(depth >= 0, one.floor + one.rise(np.maximum(depth, 0.0)), np.inf)


def surface_over(one: Removal, xs: Floats, ys: Floats) -> Floats:
    """:func:`surface` on the grid of ``xs`` and ``ys``, shape (len(ys), len(xs))."""
    if isinstance(one, Region):
        depth = raster.depths(one, xs, ys, one.fillet)
        return np.where(depth >= 0, one.floor + one.rise(np.maximum(depth, 0.0)), np.inf)
    if isinstance(one, Track):
        radius = one.profile.radius
        away = raster.near((one.path,), xs, ys, 2 * radius)
        return np.where(away <= radius, one.floor + one.profile.height(np.minimum(away, radius)), np.inf)
    x, y = np.meshgrid(xs, ys)
    return surface(one, x, y)


def blank(grid: Grid, block: Box, pieces: tuple[Piece, ...]) -> NDArray[np.float32]:
    """The raw stock on the grid: the whole block, or only its pieces."""
    if not pieces:
        return np.full((grid.ny, grid.nx), block.z1, np.float32)
    z = np.full((grid.ny, grid.nx), block.z0, np.float32)
    xs, ys = grid.xs(), grid.ys()
    for piece in pieces:
        rows, columns = grid.window(piece.outline.bounds())
        if rows.start < rows.stop and columns.start < columns.stop:
            x, y = np.meshgrid(xs[columns], ys[rows])
            z[rows, columns][piece.covers(x, y)] = block.z1
    return z


def heights_of(
    grid: Grid, block: Box, removals: tuple[Removal, ...], raw: NDArray[np.float32] | None = None
) -> NDArray[np.float32]:
    """The block (or the raw stock given) after ideal removals, on the grid."""
    z = np.full((grid.ny, grid.nx), float(block.z1)) if raw is None else raw.astype(np.float64)
    xs, ys = grid.xs(), grid.ys()
    for removal in removals:
        rows, columns = grid.window(removal.bounds())
        if rows.start < rows.stop and columns.start < columns.stop:
            cut = surface_over(removal, xs[columns], ys[rows])
            np.minimum(z[rows, columns], cut, out=z[rows, columns])
    return np.asarray(np.maximum(z, block.z0), np.float32)
