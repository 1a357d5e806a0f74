"""Planning and checking of turned parts, timed beside their bars; and the stock's cut beside one GEOS call per move."""

from __future__ import annotations

import math
import sys
import time

import numpy as np
import shapely

from bastler.core.demo import SPINDLE, demo_job
from bastler.core.engine import Engine
from bastler.core.geometry.halfsection import box, rounded
from bastler.core.geometry.rolling import sweeps
from bastler.core.planner import REMEMBERED, plan
from bastler.core.request import Request
from bastler.core.verify.section import SectionStock

SIZES = (1000, 20_000)


ANEW = ("bastler.core.planning.", "bastler.core.geometry.", "bastler.core.cycles.")


def forget() -> None:
    """Plan as if for the first time: nothing that was worked out from a job is left."""
    REMEMBERED.clear()
    for name, module in list(sys.modules.items()):
        for made in vars(module).values() if name.startswith(ANEW) else ():
            if hasattr(made, "cache_clear") and made.__module__ == name:
                made.cache_clear()


def long_program(count: int) -> bytes:
    """A wavy contour in short straight cuts, roughed and finished: ``count`` cutting moves."""
    lines = ["G21 G18 G99", "T0202", "G50 S3000", "G96 S200 M3", "G0 X44. Z2."]
    passes = max(count // 1000, 1)
    for k in range(passes):
        depth = 20.0 - 8.0 * (k + 1) / passes
        lines += [f"G0 X{2 * depth:.3f} Z1.", "G1 Z0. F0.2"]
        for i in range(count // passes):
            z = -60.0 * (i + 1) * passes / count
            lines.append(f"X{2 * (depth + 0.4 * math.sin(z / 2)):.4f} Z{z:.4f}")
        lines += ["G0 X44.", "Z2."]
    return "\n".join([*lines, "G0 X220. Z150.", "M30"]).encode()


def checked_in(count: int) -> float:
    """Seconds that the check of a long program takes, warm."""
    job = demo_job(SPINDLE)
    job = job.with_setup(job.setups[0].changed(steps=()))
    engine, text = Engine(), long_program(count)
    began = time.perf_counter()
    engine.check(Request(job, text=text, name="long"))
    return time.perf_counter() - began


def against_geos(count: int = 2000) -> float:
    """Our cut of a run of moves over one ``difference`` per move of the same swept areas."""
    job = demo_job(SPINDLE)
    bare = job.with_setup(job.setups[0].changed(steps=()))
    motion = Engine().check(Request(bare, text=long_program(count), name="long")).motion
    tools = dict(plan(job).tools)
    cutter = tools[2].in_plane
    stock = SectionStock(box(-80.0, 1.0, 0.0, 20.0), shapely.Polygon(), tools, -75.0)
    began = time.perf_counter()
    stock.cut(motion)
    ours = time.perf_counter() - began
    area = box(-80.0, 1.0, 0.0, 20.0)
    corners = np.asarray(cutter.skeleton)
    began = time.perf_counter()
    for i in range(len(motion)):
        way = motion.chords(i)[:, [2, 0]]
        area = shapely.difference(area, rounded(sweeps(corners, way[:1], way[-1:])[0], cutter.nose))
    return ours / (time.perf_counter() - began)


def run() -> dict[str, float]:
    """The figures."""
    job = demo_job(SPINDLE)
    plan(job)
    times = []
    for _ in range(5):
        forget()
        began = time.perf_counter()
        plan(job)
        times.append(time.perf_counter() - began)
    engine = Engine()
    engine.check(Request(job))
    checks = []
    for _ in range(5):
        began = time.perf_counter()
        engine.check(Request(job))
        checks.append(time.perf_counter() - began)
    small, large = (checked_in(n) for n in SIZES)
    return {
        "plan_ms": 1000 * sorted(times)[2],
        "check_ms": 1000 * sorted(checks)[2],
        "check_20000_s": large,
        "exponent": math.log(large / small) / math.log(SIZES[1] / SIZES[0]),
        "ratio_geos": against_geos(),
    }
