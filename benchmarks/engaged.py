"""How much of a mill is in metal along a posted program, on a grid of heights. Knows nothing of plans, cycles or the check's stock.

The tool is stamped step by step as a flat disc. Before each stamp, points on its round are looked at: those over which metal stands
higher than the tip are in metal. *Engagement* is the angle they take on the front half and beside it; *chip* the thickest chip of an edge, feed per tooth
times the sine of that angle, up to 90°.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from bastler.core.gcode.motion import ARC, FEED, Motion

POINTS = 240
EDGE_MM = 0.02
"""Metal less than this above the tip counts as none."""
INSIDE_CELLS = 0.4
"""Points are looked at so little inside the tool's round: on a grid, its very edge is metal or not by chance."""
STEP_SHARE = 0.1
"""Steps are this share of the radius: they must be long beside :data:`INSIDE_CELLS`, or what the edge meets at its side is missed."""


@dataclass(frozen=True)
class Samples:
    """Along cutting moves, in order: which move, where (n, 3), angle in metal in degrees, volume cut since the last one, mm³, length since then, and how deep it cut, mm."""

    move: NDArray[np.int64]
    at: NDArray[np.float64]
    degrees: NDArray[np.float64]
    volume: NDArray[np.float64]
    way: NDArray[np.float64]
    deep: NDArray[np.float64]


@njit(cache=True)
def _run(heights, x0, y0, cell, points, between, heading, radius, rim_x, rim_y, degrees, volume, deep):  # type: ignore[no-untyped-def]  # pragma: no cover
    nx, ny = heights.shape
    count = len(rim_x)
    for i in range(len(points)):
        px, py, pz = points[i]
        wet = np.zeros(count, np.bool_)
        for k in range(count):
            a = int((px + rim_x[k] - x0) / cell)
            b = int((py + rim_y[k] - y0) / cell)
            if rim_x[k] * heading[i, 0] + rim_y[k] * heading[i, 1] < -1e-9:
                continue
            if 0 <= a < nx and 0 <= b < ny and heights[a, b] > pz + 0.02:
                wet[k] = True
        run, best = 0, 0
        for k in range(2 * count):
            run = run + 1 if wet[k % count] else 0
            best = max(best, run)
        degrees[i] = min(best, count) * 360.0 / count
        gone, cells = 0.0, 0
        for s in range(between.shape[1]):
            qx, qy, qz = between[i, s]
            low_a, high_a = max(int((qx - radius - x0) / cell), 0), min(int((qx + radius - x0) / cell) + 1, nx)
            low_b, high_b = max(int((qy - radius - y0) / cell), 0), min(int((qy + radius - y0) / cell) + 1, ny)
            for a in range(low_a, high_a):
                dx = x0 + (a + 0.5) * cell - qx
                for b in range(low_b, high_b):
                    dy = y0 + (b + 0.5) * cell - qy
                    if dx * dx + dy * dy <= radius * radius and heights[a, b] > qz:
                        gone += heights[a, b] - qz
                        cells += 1
                        heights[a, b] = qz
        volume[i] = gone * cell * cell
        deep[i] = gone / max(cells, 1)


def samples(
    motion: Motion, block: tuple[float, float, float, float, float, float], radii: dict[int, float], cell: float = 0.1, stamps: int = 1,
    cleared: Callable[[NDArray[np.float64], NDArray[np.float64]], NDArray[np.bool_]] | None = None,
) -> Samples:  # fmt: skip
    """Engagement along all cutting moves. ``block``: x0, x1, y0, y1, z0, z1; ``radii`` by tool number; ``stamps`` of the tool from one sample to the next.

    ``cleared``: tells of x and y where no metal stands from the first.
    """
    x0, x1, y0, y1, _, z1 = block
    heights = np.full((math.ceil((x1 - x0) / cell), math.ceil((y1 - y0) / cell)), z1)
    if cleared is not None:
        middles = (x0 + (np.arange(heights.shape[0]) + 0.5) * cell, y0 + (np.arange(heights.shape[1]) + 0.5) * cell)
        heights[cleared(*np.meshgrid(*middles, indexing="ij"))] = -np.inf
    cuts = np.flatnonzero((motion.kind == FEED) | (motion.kind == ARC))
    parts: list[tuple[NDArray[Any], ...]] = []
    runs = np.split(cuts, np.flatnonzero(np.diff(motion.tool[cuts]) != 0) + 1) if len(cuts) else []
    for run in runs:
        radius = radii[int(motion.tool[run[0]])]
        move, points, between, way, heading = _along(motion, run, max(2 * cell, STEP_SHARE * radius), stamps)
        rim = radius - INSIDE_CELLS * cell
        degrees, volume, deep = np.zeros(len(points)), np.zeros(len(points)), np.zeros(len(points))
        turned = np.arange(POINTS) * 2 * np.pi / POINTS
        _run(
            heights,
            x0,
            y0,
            cell,
            points,
            between,
            heading,
            radius,
            rim * np.cos(turned),
            rim * np.sin(turned),
            degrees,
            volume,
            deep,
        )
        parts.append((move, points, degrees, volume, way, deep))
    if not parts:
        none = np.zeros(0)
        return Samples(np.zeros(0, np.int64), np.zeros((0, 3)), none, none, none, none)
    return Samples(*(np.concatenate(column) for column in zip(*parts, strict=True)))


def _along(motion: Motion, moves: NDArray[np.int64], step: float, stamps: int) -> tuple[NDArray[Any], ...]:
    """Points along moves, each at most ``step`` behind the one before, those where the tool is stamped up to each, how long that is, and which way the tool goes there, (n, 2), nothing straight down."""
    which, points, between, ways, headings = [], [], [], [], []
    for m in moves:
        chords = motion.chords(int(m))
        legs = np.diff(chords, axis=0)
        far = np.linalg.norm(legs, axis=1)
        ends = np.concatenate([[0.0], np.cumsum(far)])
        count = max(math.ceil(ends[-1] / step), 1)
        at = np.linspace(0.0, ends[-1], count + 1)[1:]
        points.append(np.stack([np.interp(at, ends, chords[:, k]) for k in range(3)], axis=1))
        fine = np.linspace(0.0, ends[-1], count * stamps + 1)[1:]
        between.append(
            np.stack([np.interp(fine, ends, chords[:, k]) for k in range(3)], axis=1).reshape(count, stamps, 3)
        )
        which.append(np.full(count, m))
        ways.append(np.full(count, ends[-1] / count))
        leg = np.clip(np.searchsorted(ends, at - 1e-9) - 1, 0, len(legs) - 1)
        flat = np.linalg.norm(legs[leg, :2], axis=1, keepdims=True)
        headings.append(np.divide(legs[leg, :2], flat, out=np.zeros((count, 2)), where=flat > 1e-9))
    return tuple(np.concatenate(c) for c in (which, points, between, ways, headings))
