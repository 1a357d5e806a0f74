"""Every demo job checked again, warm, as after an edit; and how the road's cost grows with the number of steps."""

from __future__ import annotations

import math
import time
from pathlib import Path

from bastler.core.demo import demo_job
from bastler.core.engine import Engine
from bastler.core.job.document import Job, Step
from bastler.core.jobfiles.store import load
from bastler.core.request import Request

EXAMPLES = Path(__file__).parents[1] / "examples"
RUNS = 3


def _warm(engine: Engine, job: Job) -> float:
    """The best of some runs, s."""
    times = []
    for _ in range(RUNS):
        began = time.perf_counter()
        engine.check(Request(job))
        times.append(time.perf_counter() - began)
    return min(times)


def _many(count: int) -> Job:
    """The plate with ``count`` small pockets in a raster, so that moves grow and the stock stays."""
    job = demo_job()
    face = job.setups[0].steps[0]
    steps = tuple(
        Step(id=f"p{i}", cycle="pocket", values={
            "centre_x": str(10 + 12 * (i % 16)), "centre_y": str(10 + 12 * (i // 16 % 9)), "length": "10", "width": "10",
            "corner": "3", "depth": "6", "tool": "3", "depth_per_pass": "0.5", "side_step": "0.5",
        })
        for i in range(count)
    )  # fmt: skip
    return job.with_setup(job.setups[0].changed(steps=(face, *steps)))


def run() -> dict[str, float]:
    """Seconds per demo job, and the exponent of the road's cost in moves."""
    engine = Engine()
    engine.check(Request(demo_job()))
    result = {f"{f.stem}_s": _warm(engine, load(f)) for f in sorted(EXAMPLES.glob("*.bastler"))}
    few, many = _many(36), _many(144)
    costs = []
    for job in (few, many):
        seconds = _warm(engine, job)
        costs.append((len(engine.check(Request(job)).motion), seconds))
    (n0, t0), (n1, t1) = costs
    return {**result, "moves": float(n1), "moves_s": t1, "exponent": math.log(t1 / t0) / math.log(n1 / n0)}


if __name__ == "__main__":
    print(run())
