"""Three families of rays against the height field's general way with the same moves; how their cost grows; and the hub with its driven tools, in a process of its own."""

from __future__ import annotations

import subprocess
import sys
import time
from dataclasses import replace

import numpy as np

from bastler.core.gcode.motion import Motion
from bastler.core.geometry.shapes import Box
from bastler.core.tooling.tools import Tool
from bastler.core.verify.dexels import Dexels
from bastler.core.verify.heightfield import HeightField
from benchmarks.kernel import zigzag

BLOCK = Box(0, 200, 0, 120, -20, 0)
TOOL = Tool(1, "end-mill", "bull 10 R1", 10, 3, 30, 10, 40, corner_radius=1.0)
CELL, MOVES, RUNS = 0.5, 300, 2
HUB = """
import resource, time
from pathlib import Path
from bastler.core.engine import Engine
from bastler.core.jobfiles.store import load
from bastler.core.request import Request
engine, job = Engine(), load(Path("examples/handle-hub.bastler"))
times = []
for _ in range(3):
    began = time.perf_counter()
    engine.check(Request(job))
    times.append(time.perf_counter() - began)
print(min(times), resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
"""


def sloped(n: int) -> Motion:
    """Moves that all go down a little: none is level."""
    motion = zigzag(n)
    end = motion.end.copy()
    end[:, 2] -= 0.01
    return replace(motion, end=end)


def in_rays(motion: Motion) -> float:
    """Seconds in three families of rays."""
    b = BLOCK
    dexels = Dexels((b.x0, b.x1, b.y0, b.y1, b.z0, b.z1), CELL)
    began = time.perf_counter()
    dexels.cut(motion, {1: TOOL}, 0, len(motion))
    return time.perf_counter() - began


def in_heights(motion: Motion) -> float:
    """Seconds in a height field."""
    field = HeightField(BLOCK, {1: TOOL}, CELL)
    began = time.perf_counter()
    field.cut(motion)
    return time.perf_counter() - began


def run() -> dict[str, float]:
    """Ratio, exponent in moves, and the hub: seconds warm, and the memory of its process."""
    in_rays(sloped(50)), in_heights(sloped(50))
    motion = sloped(MOVES)
    rays, heights = (min(how(motion) for _ in range(RUNS)) for how in (in_rays, in_heights))
    sizes = np.array([100, 200, 400, 800])
    seconds = [min(in_rays(m) for _ in range(2)) for m in map(sloped, sizes)]
    exponent = float(np.polyfit(np.log(sizes), np.log(seconds), 1)[0])
    hub = subprocess.run([sys.executable, "-c", HUB], capture_output=True, text=True, check=True).stdout.split()
    return {
        "rays_s": rays, "heights_s": heights, "ratio": rays / heights, "exponent": exponent, "hub_s": float(hub[0]), "hub_peak_mb": float(hub[1]),
    }  # fmt: skip


if __name__ == "__main__":
    print(run())
