"""The section of a block after removals, exact at every edge.

*Profile*: points ``(x, z)`` along a cut parallel to X, from the block's left side to its right; the
surface is straight between them.
"""

from __future__ import annotations

import bisect
import math

from bastler.core.geometry.shapes import Box, Removal, height_at

Profile = list[tuple[float, float]]
EDGE_MM = 1e-6
"""Walls are drawn this steep: the surface is known a hair left and right of each edge."""
CURVE_POINTS = 24


def profile(block: Box, removals: list[Removal], y: float) -> Profile:
    """The top of the block along X at ``y``."""
    here = [r for r in removals if not r.wanted and r.bounds()[2] <= y <= r.bounds()[3]]
    spans = [(r.bounds()[0], r.bounds()[1], r) for r in here]
    points = []
    for x in sorted(_places(block, here, y)):
        over = [height_at(r, x, y) for low, high, r in spans if low <= x <= high]
        points.append((x, max(min([block.z1, *over]), block.z0)))
    return [p for i, p in enumerate(points) if i in (0, len(points) - 1) or not _straight(points[i - 1 : i + 2])]


def _places(block: Box, removals: list[Removal], y: float) -> set[float]:
    places = {block.x0, block.x1}
    for r in removals:
        edges = sorted(x for outline in r.outlines() for x in outline.crossings(y))
        for x in edges:
            places |= {x - EDGE_MM, x + EDGE_MM}
        if not r.flat and edges:
            length = edges[-1] - edges[0]
            places |= {edges[0] + length * i / CURVE_POINTS for i in range(1, CURVE_POINTS)}
    return {x for x in places if block.x0 <= x <= block.x1}


def _straight(three: Profile) -> bool:
    """Whether the middle point adds nothing."""
    return three[0][1] == three[1][1] == three[2][1]


def between(low: Profile, high: Profile) -> list[Profile]:
    """The closed areas where ``high`` lies above ``low``, each as points round it."""
    xs = sorted({p[0] for p in low} | {p[0] for p in high})
    rows = [(x, _at(low, x), _at(high, x)) for x in xs]
    areas: list[Profile] = []
    run: list[tuple[float, float, float]] = []
    for row in [*rows, (math.inf, 0.0, 0.0)]:
        if row[2] > row[1] + EDGE_MM:
            run.append(row)
        elif run:
            areas.append([*((x, b) for x, _, b in run), *((x, a) for x, a, _ in reversed(run))])
            run = []
    return areas


def _at(one: Profile, x: float) -> float:
    """Height of a profile at ``x``, straight between its points."""
    i = min(max(bisect.bisect_left(one, (x, -math.inf)), 1), len(one) - 1)
    (x0, z0), (x1, z1) = one[i - 1], one[i]
    return z1 if x1 - x0 < 1e-12 else z0 + (z1 - z0) * min(max((x - x0) / (x1 - x0), 0.0), 1.0)
