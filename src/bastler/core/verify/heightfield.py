"""Stock of a milled part as a height field (see :mod:`bastler.core.verify.stock`).

``heights[iy, ix]`` is Z at the middle of a cell; a cell cut through has the block's underside.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bastler.core.gcode.motion import ARC, FEED, RAPID, Motion
from bastler.core.geometry.shapes import Box, Piece, Removal
from bastler.core.tooling.tools import Tool
from bastler.core.verify import kernels
from bastler.core.verify.grid import Floats, Grid, blank, cell_for, heights_of
from bastler.core.verify.mesh import Mesh, mesh_of
from bastler.core.verify.stock import BODY, EDGE, TOUCH_MM, Difference, Happened, Touch

WALL_MM = 1e-3
"""Non-cutting cylinders are taken this much thinner: a shank as thick as the cutter doesn't rub."""
UNCUT = -1
Heights = NDArray[np.float32]


@dataclass(frozen=True)
class Cuts:
    """What the kernels tell of a run of moves: per move mm³ removed, deepest cut in mm, metal touched by each
    non-cutting cylinder in mm, the cells where that was (x, y index pairs), Z of the metal where the cut was deepest, and mm of metal
    on the tool's axis where a falling move ends."""

    removed: Floats
    deepest: Floats
    touched: Floats
    places: NDArray[np.int32]
    tops: Floats
    cores: Floats

    @classmethod
    def none(cls, n: int, cylinders: int) -> Cuts:
        """Of ``n`` moves before they are made."""
        places = np.zeros((n, 2 + 2 * cylinders), np.int32)
        return cls(np.zeros(n), np.zeros(n), np.zeros((n, cylinders)), places, np.zeros(n), np.zeros(n))


class HeightField:
    """A block being cut, or the ``pieces`` of stock that lie in it; where none is, it is empty from the start.

    ``underside``: Z of the metal's lower face, which an earlier setup may have cut; ``start`` gives that and the
    heights to begin with.
    """

    chunk = 1500

    def __init__(
        self, block: Box, tools: dict[int, Tool], cell: float | None = None, pieces: tuple[Piece, ...] = (),
        start: Callable[[Grid], tuple[Heights, Heights]] | None = None,
    ) -> None:  # fmt: skip
        self.block = block
        self.grid = Grid.over(block, cell or cell_for(block))
        shape = (self.grid.ny, self.grid.nx)
        if start is None:
            self.blank = blank(self.grid, block, pieces)
            self.underside = np.full(shape, block.z0, np.float32)
        else:
            self.blank, self.underside = start(self.grid)
        self.heights = self.blank.copy()
        self.cut_by = np.full(shape, UNCUT, np.int32)
        every = list(tools.values())
        self._rows = {number: i for i, number in enumerate(tools)}
        self._stopped = np.arange(len(every) + 1)
        bars = [(i, t) for i, t in enumerate(every) if t.kind == "boring-bar"]
        for k, (i, _) in enumerate(bars):
            self._stopped[i] = len(every) + k
        self._shapes = np.array([*(_shape(t) for t in every), *(_bar(t) for _, t in bars)] or [(0.0,) * 6])
        self._cylinders = _cylinders([*every, *(t for _, t in bars)], self.grid.cell)

    @property
    def state_bytes(self) -> int:
        """Of heights and owners."""
        return 8 * self.heights.size

    def state(self) -> tuple[Heights, NDArray[np.int32]]:
        """Heights, and the move that cut each cell."""
        return self.heights.copy(), self.cut_by.copy()

    def shown(self) -> tuple[Heights, NDArray[np.int32]]:
        """The same."""
        return self.state()

    def restore(self, state: tuple[Heights, NDArray[np.int32]]) -> None:
        """The heights as they were."""
        self.heights, self.cut_by = state[0].copy(), state[1].copy()

    def volume(self) -> float:
        """Metal left, mm³."""
        thick = np.maximum(self.heights - self.underside, 0.0)
        return float(thick.sum(dtype=np.float64)) * self.grid.cell**2

    def target(self, finished: tuple[Removal, ...]) -> Heights:
        """A finished shape on the same cells."""
        return heights_of(self.grid, self.block, finished, self.blank)

    def compare(self, finished: tuple[Removal, ...]) -> Difference:
        """Against what removals leave of the blank."""
        off = (self.heights - self.target(finished)).astype(np.float64) * self.grid.cell**2
        return Difference(float(-off[off < 0].sum()), float(off[off > 0].sum()))

    def mesh(self, labels: NDArray[np.int32] | None = None) -> Mesh:
        """Cells as few rectangles; ``labels`` by cell."""
        return mesh_of(self.grid, self.heights, labels if labels is not None else self.cut_by, self.block.z0)

    def section(self, x: float) -> list[Floats]:
        """Cells across X at ``x`` as one outline (y, z)."""
        ix, _ = self.grid.cell_of(x, self.grid.y0)
        if not self.grid.holds(ix, 0):
            return []
        edges = self.grid.y0 + self.grid.cell * np.arange(self.grid.ny + 1)
        top, low = self.heights[:, ix], self.underside[:, ix]
        across = np.repeat(edges, 2)[1:-1]
        back = np.stack([across[::-1], np.repeat(low, 2)[::-1]], axis=1)
        return [np.concatenate([np.stack([across, np.repeat(top, 2)], axis=1), back])]

    def cut(self, motion: Motion, low: int = 0, high: int | None = None, first: int = 0) -> Happened:
        """Run moves in order; their numbers are kept in the cells."""
        part = motion.run(low, len(motion) if high is None else high)
        cuts = self._cut(part, first + low)
        return Happened(cuts.removed, cuts.deepest, cuts.cores, self._touches(part, cuts, first + low))

    def _touches(self, motion: Motion, cuts: Cuts, first: int) -> list[Touch]:
        """Rapid moves through metal, and bodies in it."""
        found = []
        for i in np.flatnonzero((motion.kind == RAPID) & (cuts.deepest > TOUCH_MM)).tolist():
            x, y = self.grid.point(int(cuts.places[i, 0]), int(cuts.places[i, 1]))
            found.append(Touch(first + i, EDGE, float(cuts.deepest[i]), (x, y, float(cuts.tops[i]))))
        for k in range(cuts.touched.shape[1]):
            for i in np.flatnonzero(cuts.touched[:, k] > TOUCH_MM).tolist():
                x, y = self.grid.point(int(cuts.places[i, 2 + 2 * k]), int(cuts.places[i, 3 + 2 * k]))
                at = (x, y, float(motion.end[i, 2]))
                found.append(Touch(first + i, BODY, float(cuts.touched[i, k]), at, k))
        return found

    def _cut(self, motion: Motion, first_move: int) -> Cuts:
        n, k = len(motion), int(self._cylinders.shape[1])
        cuts = Cuts.none(n, k)
        kind = np.full(n, -1, np.int8)
        kind[(motion.kind == RAPID) | (motion.kind == FEED)] = kernels.LINE
        kind[motion.kind == ARC] = kernels.ARC_XY
        known = sorted(self._rows)
        table = np.full(max(known, default=0) + 2, -1, np.int32)
        for number, row in self._rows.items():
            table[number] = row
        rows = table[np.clip(motion.tool, 0, len(table) - 1)]
        rows = np.where((motion.speed <= 0) & (rows >= 0), self._stopped[rows], rows).astype(np.int32)
        tilted = np.flatnonzero((motion.kind == ARC) & (motion.plane != 0))
        low = 0
        for at in [*tilted.tolist(), n]:
            self._run(motion, kind, rows, low, at, first_move, cuts)
            if at < n:
                self._chords(motion, at, int(rows[at]), first_move, cuts)
            low = at + 1
        return cuts

    def _field(self) -> kernels.Cells:
        return kernels.Cells(self.heights, self.cut_by, self.grid.x0, self.grid.y0, self.grid.cell)

    def _run(
        self, motion: Motion, kind: NDArray[np.int8], row: NDArray[np.int32], low: int, high: int, first_move: int, cuts: Cuts
    ) -> None:  # fmt: skip
        if low >= high:
            return
        part = slice(low, high)
        kernels.cut_moves(
            self._field(), self.block.z0, self.block.z1, kind[part], np.ascontiguousarray(motion.start[part]), np.ascontiguousarray(motion.end[part]),
            np.ascontiguousarray(motion.centre[part]), np.ascontiguousarray(motion.sweep[part]),
            row[part], self._shapes, self._cylinders, first_move + low,
            cuts.removed[part], cuts.deepest[part], cuts.touched[part], cuts.places[part], cuts.tops[part], cuts.cores[part],
        )  # fmt: skip

    def _chords(self, motion: Motion, at: int, row: int, first_move: int, cuts: Cuts) -> None:
        """An arc in another plane than XY, cut as chords within 0.002 mm."""
        points = motion.chords(at)
        n, k = len(points) - 1, int(self._cylinders.shape[1])
        sub = Cuts.none(n, k)
        before = self.cut_by.copy()
        kernels.cut_moves(
            self._field(), self.block.z0, self.block.z1, np.zeros(n, np.int8), points[:-1].copy(), points[1:].copy(), np.zeros((n, 3)), np.zeros(n),
            np.full(n, row, np.int32), self._shapes, self._cylinders, 0, sub.removed, sub.deepest, sub.touched, sub.places, sub.tops, sub.cores,
        )  # fmt: skip
        self.cut_by[self.cut_by != before] = first_move + at
        cuts.removed[at], cuts.deepest[at] = sub.removed.sum(), sub.deepest.max()
        cuts.touched[at] = sub.touched.max(axis=0)
        worst = int(sub.deepest.argmax())
        cuts.places[at], cuts.tops[at], cuts.cores[at] = sub.places[worst], sub.tops[worst], sub.cores[-1]


def _shape(tool: Tool) -> tuple[float, ...]:
    p = tool.profile
    return (p.radius, p.flat, p.corner, p.slope, p.tip_slope, p.step)


def _bar(tool: Tool) -> tuple[float, ...]:
    """A boring bar whose spindle is stopped: only the bar is in the way, its edge points where it was told to."""
    radius = min(tool.shank_diameter, tool.smallest_bore or tool.diameter) / 2
    return (radius, radius, 0.0, 0.0, 0.0, 0.0)


def _cylinders(tools: list[Tool], cell: float) -> Floats:
    """Radius and height over the tip of shank and holder parts, padded with zeros.

    For a drill the end of the flutes counts as a cylinder one cell wider than the hole: metal beside it
    means that chips can't get out.
    """
    stacks = []
    for tool in tools:
        stack = [(radius - WALL_MM, low) for radius, low, _ in tool.non_cutting()]
        if tool.clogs:
            stack.insert(0, (tool.radius + 1.5 * cell, tool.flute_length))
        stacks.append(stack)
    most = max((len(s) for s in stacks), default=1) or 1
    table = np.zeros((max(len(tools), 1), most, 2))
    for i, stack in enumerate(stacks):
        for j, cylinder in enumerate(stack):
            table[i, j] = cylinder
    return table
