"""The order of holes against the best known way: a long local search from many starts over the same points."""

from __future__ import annotations

import random
import time

from bastler.core.geometry.path import Point
from bastler.core.planning.ordering import length, shortest

POINTS, PLATES, TRIALS = 200, 3, 400


def long_search(points: tuple[Point, ...], rng: random.Random, trials: int) -> float:
    """The shortest way found by kicking a good one (two cuts swapped) and improving it again, many times."""
    best = list(shortest(points))
    best_length = length(best)
    for _ in range(trials):
        i, j, k = sorted(rng.sample(range(1, len(best)), 3))
        kicked = best[:i] + best[j:k] + best[i:j] + best[k:]
        tried = improved(tuple(kicked))
        if length(tried) < best_length - 1e-9:
            best, best_length = tried, length(tried)
    return best_length


def improved(points: tuple[Point, ...]) -> list[Point]:
    """Local search from a given order, not from nearest neighbours."""
    from bastler.core.planning import ordering

    return ordering.improve(list(points))


def run() -> dict[str, float]:
    """Worst ratio over random plates, and the time of one ordering."""
    ratios, seconds = [], []
    for seed in range(PLATES):
        rng = random.Random(seed)
        points = tuple((rng.uniform(0, 300), rng.uniform(0, 200)) for _ in range(POINTS))
        began = time.perf_counter()
        ours = length(list(shortest.__wrapped__(points)))
        seconds.append(time.perf_counter() - began)
        ratios.append(ours / min(ours, long_search(points, rng, TRIALS)))
    return {"ratio": max(ratios), "seconds": max(seconds)}


if __name__ == "__main__":
    print(run())
