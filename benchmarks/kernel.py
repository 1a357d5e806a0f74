"""Stock kernel against the same loop in C, and how its cost grows with the number of moves."""

from __future__ import annotations

import ctypes
import subprocess
import tempfile
import time
from pathlib import Path

import numpy as np

from bastler.core.gcode.motion import FEED, Motion
from bastler.core.geometry.shapes import Box
from bastler.core.tooling.tools import Tool
from bastler.core.verify.heightfield import HeightField

BLOCK = Box(0, 200, 0, 120, -20, 0)
TOOL = Tool(1, "end-mill", "flat 10", 10, 3, 30, 10, 40)
CELL = 0.2
RUNS = 7


def zigzag(n: int) -> Motion:
    """``n`` level moves in random directions, deeper and deeper."""
    rng = np.random.default_rng(7)
    points = np.column_stack([rng.uniform(0, 200, n + 1), rng.uniform(0, 120, n + 1), np.zeros(n + 1)])
    step = np.clip(np.diff(points[:, :2], axis=0), -6, 6)
    points[1:, :2] = np.mod(points[0, :2] + np.cumsum(step, axis=0), (200, 120))
    jumped = np.abs(np.diff(points[:, :2], axis=0)).max(axis=1) > 7
    start, end = points[:-1].copy(), points[1:].copy()
    end[jumped] = start[jumped] + (1.0, 0.5, 0.0)
    start[:, 2] = end[:, 2] = np.linspace(-0.5, -18, n)
    return Motion.of(n, kind=FEED, start=start, end=end, feed=500, speed=1000, tool=1, line=np.arange(1, n + 1), turn=1)


def ours(motion: Motion) -> tuple[float, np.ndarray]:
    """Seconds and resulting heights of our kernel."""
    field = HeightField(BLOCK, {1: TOOL}, CELL)
    began = time.perf_counter()
    field.cut(motion)
    return time.perf_counter() - began, field.heights


def c_library(folder: Path) -> ctypes.CDLL:
    """The C loop, compiled here and now."""
    source, target = Path(__file__).with_name("kernel.c"), folder / "kernel.so"
    subprocess.run(
        ["gcc", "-O3", "-march=native", "-shared", "-fPIC", str(source), "-o", str(target), "-lm"], check=True
    )
    return ctypes.CDLL(str(target))


def in_c(library: ctypes.CDLL, motion: Motion) -> tuple[float, np.ndarray]:
    """Seconds and resulting heights of the C loop."""
    field = HeightField(BLOCK, {1: TOOL}, CELL)
    g, n = field.grid, len(motion)
    removed, deepest = np.zeros(n), np.zeros(n)
    as_pointer = [
        a.ctypes.data_as(ctypes.c_void_p)
        for a in (field.heights, field.cut_by, motion.start, motion.end, removed, deepest)
    ]
    d, i = ctypes.c_double, ctypes.c_long
    began = time.perf_counter()
    library.cut_lines(as_pointer[0], as_pointer[1], i(g.ny), i(g.nx), d(g.x0), d(g.y0), d(g.cell), d(BLOCK.z0),
                      as_pointer[2], as_pointer[3], i(n), d(TOOL.radius), as_pointer[4], as_pointer[5])  # fmt: skip
    return time.perf_counter() - began, field.heights


def run() -> dict[str, float]:
    """Ratio to C on the same segments, and the exponent of cost in moves."""
    motion = zigzag(20_000)
    ours(zigzag(100))
    with tempfile.TemporaryDirectory() as folder:
        library = c_library(Path(folder))
        pairs = [(ours(motion), in_c(library, motion)) for _ in range(RUNS)]
    assert np.array_equal(pairs[0][0][1], pairs[0][1][1]), "both must cut the same stock"
    mine, theirs = min(p[0][0] for p in pairs), min(p[1][0] for p in pairs)
    sizes = np.array([5_000, 10_000, 20_000, 40_000, 80_000])
    seconds = [min(ours(motion)[0] for _ in range(6)) for motion in map(zigzag, sizes)]
    exponent = float(np.polyfit(np.log(sizes), np.log(seconds), 1)[0])
    return {"bastler_s": mine, "c_s": theirs, "ratio": mine / theirs, "exponent": exponent}


if __name__ == "__main__":
    print(run())
