"""The contour calculator and the planning of a pocket with islands, timed beside their bars."""

from __future__ import annotations

import math
import random
import statistics
import time
from collections.abc import Callable

import numpy as np
from tests.core.contour.chains import Chain, hidden, random_chain
from tests.core.contour.test_bad_input import HOPELESS

from bastler.core.geometry import offsets
from bastler.core.geometry.combine import without
from bastler.core.geometry.contour.facts import Contour, read_contour
from bastler.core.geometry.contour.report import report
from bastler.core.geometry.contour.search import Memory
from bastler.core.geometry.contour.solve import solve
from bastler.core.geometry.path import Line, Path
from bastler.core.geometry.shapes import Box
from bastler.core.planning import nest
from bastler.core.planning.area import Height, LevelCut, clear
from bastler.core.verify.raster import inside

BLOCK = 8
SIZES = (40, 400, 2000)
SAME_AFTER = 400
REPEATS = 5
RADIUS, STEP = 5.0, 4.0
CELL_MM = 0.05


def mixed(count: int, seed: int = 7) -> Chain:
    """A contour of mixed facts: after each few elements an end is given, as drawings do. A longer one repeats itself."""
    rng = random.Random(seed)
    whole: Chain | None = None
    while whole is None or len(whole.centres) < count:
        if whole is not None and len(whole.centres) % SAME_AFTER == 0:
            rng = random.Random(seed)
        block = hidden(random_chain(rng, BLOCK), rng)
        last = block.facts[-1]
        last |= {k: v for k, v in (("x", block.joints[-1][0]), ("y", block.joints[-1][1])) if k not in last}
        if whole is None:
            whole = Chain(block.joints, block.centres, block.sweeps, block.smooth, False, block.facts, block.joints[0])
            continue
        by = (whole.joints[-1][0] - block.joints[0][0], whole.joints[-1][1] - block.joints[0][1])
        for facts in block.facts:
            for key in facts:
                if key in ("x", "cx"):
                    facts[key] += by[0]
                elif key in ("y", "cy"):
                    facts[key] += by[1]
        whole.joints += [(x + by[0], y + by[1]) for x, y in block.joints[1:]]
        whole.centres += [(c[0] + by[0], c[1] + by[1]) if c is not None else None for c in block.centres]
        whole.sweeps += block.sweeps
        whole.smooth += block.smooth
        whole.facts += block.facts
    return whole


def timed(do: Callable[[], object]) -> float:
    """The median of some runs, ms."""
    times = []
    for _ in range(REPEATS):
        start = time.perf_counter()
        do()
        times.append((time.perf_counter() - start) * 1000)
    return statistics.median(times)


def edited(chain: Chain, at: int) -> Contour:
    """The same with one fact of one element changed."""
    facts = [dict(f) for f in chain.facts]
    while not {"radius", "length", "cx", "x"} & set(facts[at]):
        at += 1
    key = next(k for k in ("radius", "length", "cx", "x") if k in facts[at])
    facts[at][key] += 0.01
    return Chain(chain.joints, chain.centres, chain.sweeps, chain.smooth, False, facts, chain.start).contour()


def star(count: int, radius: float, at: tuple[float, float], rng: random.Random) -> Path:
    """A rough round outline of lines."""
    points = []
    for i in range(count):
        a, r = math.tau * i / count, radius * (1 + 0.1 * rng.uniform(-1, 1))
        points.append((at[0] + r * math.cos(a), at[1] + r * math.sin(a)))
    return Path(points[0], (*(Line(p) for p in points[1:]), Line(points[0])))


def pocket() -> dict[str, float]:
    """Area, nested loops and moves of one level of a pocket of 200 elements with ten islands; how much it covers."""
    rng = random.Random(5)
    outline = star(200, 80, (0.0, 0.0), rng)
    islands = [
        star(12, 7, (45 * math.cos(math.tau * k / 10), 45 * math.sin(math.tau * k / 10)), rng) for k in range(10)
    ]
    cut = LevelCut(RADIUS, RADIUS, STEP, 600, 300, 200, "helix", 0.05)
    found: list[object] = []

    def plan() -> None:
        offsets._inset.cache_clear()
        nest.nested.cache_clear()
        nest.stretches.cache_clear()
        edge = tuple(without([outline], islands))
        roots = nest.nested(edge, RADIUS, STEP)
        reach = nest.swept(nest.shrunk(edge, RADIUS), RADIUS)
        clear(roots, cut, Height(-5, 0, 2), Box(-90, 90, -90, 90, -20, 0))
        found[:] = [edge, roots, reach]

    plan()
    ms = timed(plan)
    _, roots, reach = found
    xs = np.arange(-90, 90, CELL_MM) + CELL_MM / 2
    exact = nest.whole_area(reach)  # type: ignore[arg-type]
    sampled = float(inside(reach, xs, xs).sum()) * CELL_MM**2  # type: ignore[arg-type]
    cleared = covered(roots, xs)  # type: ignore[arg-type]
    return {
        "pocket_ms": ms,
        "pocket_area_off_percent": abs(cleared - exact) / exact * 100,
        "pocket_area_sampled_off_percent": abs(sampled - exact) / exact * 100,
    }


def covered(roots: tuple[nest.Nested, ...], xs: np.ndarray) -> float:
    """Area that the tool sweeps along all loops, counted on a grid."""
    from bastler.core.geometry.bands import band

    hit = np.zeros((len(xs), len(xs)), bool)
    waiting = list(roots)
    while waiting:
        one = waiting.pop()
        waiting += one.inner
        for loop in one.loops:
            hit |= inside(band(loop, RADIUS), xs, xs)
    return float(hit.sum()) * CELL_MM**2


def run() -> dict[str, float]:
    """All figures."""
    found: dict[str, float] = {}
    for count in SIZES:
        chain = mixed(count)
        contour = chain.contour()
        found[f"solve_{count}_ms"] = timed(lambda c=contour: solve(c, longest_s=30))  # type: ignore[misc]
        memory = Memory()
        solve(contour, memory=memory, longest_s=30)
        edits = iter([edited(chain, (k * 7) % count) for k in range(2, 2 + REPEATS)])
        found[f"edit_{count}_ms"] = timed(lambda m=memory, e=edits: solve(next(e), memory=m, reasons=False))  # type: ignore[misc]
    found["exponent"] = math.log(found["solve_2000_ms"] / found["solve_400_ms"]) / math.log(2000 / 400)
    found["hopeless_s"] = max(timed(lambda d=data: report(read_contour(d))) for data in HOPELESS) / 1000  # type: ignore[misc]
    return found | pocket()


if __name__ == "__main__":
    for key, value in run().items():
        print(f"{key:32} {value:10.3f}")
