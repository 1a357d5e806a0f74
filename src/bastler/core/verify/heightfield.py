"""Stock of a milled part as a height field, behind the small interface the check uses.

``heights[iy, ix]`` is Z at the middle of a cell; a cell cut through has the block's underside.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bastler.core.gcode.motion import ARC, FEED, RAPID, Motion
from bastler.core.geometry.shapes import Box, Floats, Removal
from bastler.core.tooling.tools import Tool
from bastler.core.verify import kernels

CELLS_WANTED = 600_000
FINEST_MM, COARSEST_MM = 0.02, 0.5
WALL_MM = 1e-3
"""Non-cutting cylinders are taken this much thinner: a shank as thick as the cutter doesn't rub."""
UNCUT = -1


def cell_for(block: Box, wanted: int = CELLS_WANTED) -> float:
    """A cell size in mm that gives about ``wanted`` cells, in steps a person can read."""
    size = math.sqrt(block.size[0] * block.size[1] / wanted)
    return min(max(round(size, 2), FINEST_MM), COARSEST_MM)


@dataclass(frozen=True)
class Grid:
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

    def window(self, bounds: tuple[float, float, float, float]) -> tuple[slice, slice]:
        """Rows and columns whose middles may lie in ``bounds`` (x0, x1, y0, y1)."""
        ia = max(math.floor((bounds[0] - self.x0) / self.cell - 0.5), 0)
        ib = min(math.ceil((bounds[1] - self.x0) / self.cell + 0.5), self.nx)
        ja = max(math.floor((bounds[2] - self.y0) / self.cell - 0.5), 0)
        jb = min(math.ceil((bounds[3] - self.y0) / self.cell + 0.5), self.ny)
        return slice(ja, max(jb, ja)), slice(ia, max(ib, ia))


def heights_of(grid: Grid, block: Box, removals: tuple[Removal, ...]) -> NDArray[np.float32]:
    """The block after ideal removals, on the grid."""
    z = np.full((grid.ny, grid.nx), block.z1)
    xs, ys = grid.xs(), grid.ys()
    for removal in removals:
        rows, columns = grid.window(removal.bounds())
        if rows.start < rows.stop and columns.start < columns.stop:
            x, y = np.meshgrid(xs[columns], ys[rows])
            np.minimum(z[rows, columns], removal.height(x, y), out=z[rows, columns])
    return np.maximum(z, block.z0).astype(np.float32)


@dataclass(frozen=True)
class Cuts:
    """What a run of moves did: per move mm³ removed, deepest cut in mm, metal touched by each
    non-cutting cylinder in mm, and the cells where that was (x, y index pairs)."""

    removed: Floats
    deepest: Floats
    touched: Floats
    places: NDArray[np.int32]


class HeightField:
    """A block being cut."""

    def __init__(self, block: Box, tools: dict[int, Tool], cell: float | None = None) -> None:
        self.block = block
        self.grid = Grid.over(block, cell or cell_for(block))
        shape = (self.grid.ny, self.grid.nx)
        self.heights = np.full(shape, block.z1, np.float32)
        self.cut_by = np.full(shape, UNCUT, np.int32)
        self._rows = {number: i for i, number in enumerate(tools)}
        self._shapes = np.array([_shape(t) for t in tools.values()] or [(0.0, 0.0, 0.0, 0.0)])
        self._cylinders = _cylinders(list(tools.values()), self.grid.cell)

    @property
    def cylinders_per_tool(self) -> int:
        """Columns of ``Cuts.touched``."""
        return int(self._cylinders.shape[1])

    def volume(self) -> float:
        """Metal left, mm³."""
        return float((self.heights - np.float32(self.block.z0)).sum(dtype=np.float64)) * self.grid.cell**2

    def cut(self, motion: Motion, first_move: int = 0) -> Cuts:
        """Run moves in order; ``first_move`` is the number of the first one, kept in the cells."""
        n, k = len(motion), self.cylinders_per_tool
        cuts = Cuts(np.zeros(n), np.zeros(n), np.zeros((n, k)), np.zeros((n, 2 + 2 * k), np.int32))
        kind = np.full(n, -1, np.int8)
        kind[(motion.kind == RAPID) | (motion.kind == FEED)] = kernels.LINE
        kind[motion.kind == ARC] = kernels.ARC_XY
        known = sorted(self._rows)
        table = np.full(max(known, default=0) + 2, -1, np.int32)
        for number, row in self._rows.items():
            table[number] = row
        row = table[np.clip(motion.tool, 0, len(table) - 1)]
        tilted = np.flatnonzero((motion.kind == ARC) & (motion.plane != 0))
        low = 0
        for at in [*tilted.tolist(), n]:
            self._run(motion, kind, row, low, at, first_move, cuts)
            if at < n:
                self._chords(motion, at, row[at], first_move, cuts)
            low = at + 1
        return cuts

    def _run(self, motion, kind, row, low, high, first_move, cuts) -> None:  # type: ignore[no-untyped-def]
        if low >= high:
            return
        part = slice(low, high)
        kernels.cut_moves(
            self.heights, self.cut_by, self.grid.x0, self.grid.y0, self.grid.cell, self.block.z0, self.block.z1,
            kind[part], np.ascontiguousarray(motion.start[part]), np.ascontiguousarray(motion.end[part]),
            np.ascontiguousarray(motion.centre[part]), np.ascontiguousarray(motion.sweep[part]),
            row[part], self._shapes, self._cylinders, first_move + low,
            cuts.removed[part], cuts.deepest[part], cuts.touched[part], cuts.places[part],
        )  # fmt: skip

    def _chords(self, motion: Motion, at: int, row: int, first_move: int, cuts: Cuts) -> None:
        """An arc in another plane than XY, cut as chords within 0.002 mm."""
        points = motion.chords(at)
        n, k = len(points) - 1, self.cylinders_per_tool
        sub = Cuts(np.zeros(n), np.zeros(n), np.zeros((n, k)), np.zeros((n, 2 + 2 * k), np.int32))
        before = self.cut_by.copy()
        kernels.cut_moves(
            self.heights, self.cut_by, self.grid.x0, self.grid.y0, self.grid.cell, self.block.z0, self.block.z1,
            np.zeros(n, np.int8), points[:-1].copy(), points[1:].copy(), np.zeros((n, 3)), np.zeros(n),
            np.full(n, row, np.int32), self._shapes, self._cylinders, 0, sub.removed, sub.deepest, sub.touched, sub.places,
        )  # fmt: skip
        self.cut_by[self.cut_by != before] = first_move + at
        cuts.removed[at], cuts.deepest[at] = sub.removed.sum(), sub.deepest.max()
        cuts.touched[at] = sub.touched.max(axis=0)
        cuts.places[at] = sub.places[int(sub.deepest.argmax())]


def _shape(tool: Tool) -> tuple[float, float, float, float]:
    cone = tool.tip_length / tool.radius if tool.point_angle < 180 else 0.0
    return (tool.radius, tool.flat_radius, tool.corner_radius, cone)


def _cylinders(tools: list[Tool], cell: float) -> Floats:
    """Radius and height over the tip of shank and holder parts, padded with zeros.

    For a drill the end of the flutes counts as a cylinder one cell wider than the hole: metal beside it
    means that chips can't get out.
    """
    stacks = []
    for tool in tools:
        stack = [(radius - WALL_MM, low) for radius, low, _ in tool.non_cutting()]
        if tool.kind == "drill":
            stack.insert(0, (tool.radius + 1.5 * cell, tool.flute_length))
        stacks.append(stack)
    most = max((len(s) for s in stacks), default=1) or 1
    table = np.zeros((max(len(tools), 1), most, 2))
    for i, stack in enumerate(stacks):
        for j, cylinder in enumerate(stack):
            table[i, j] = cylinder
    return table
