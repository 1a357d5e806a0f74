"""Where a contour is tighter than the tool, and the largest tool that follows it.

A tool that rolls along a contour touches each of its points: from each the nearest place of the tool's centre is
just its radius away. Where none is that near, metal stays.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from bastler.core.geometry.offsets import curves, distances
from bastler.core.geometry.path import Point
from bastler.core.planning.nest import Loops, shrunk

MISSED_MM = 1e-3
"""More than this stays somewhere: worth a word."""
EXACT_MM = 1e-5
SMALLEST_FIT_MM = 0.01
BISECTIONS = 14
MOST_POINTS = 2000
CLOSEST_MM = 0.05


def missed(edge: Loops, centres: Loops, away: float, by: float = MISSED_MM) -> Point | None:
    """The place of an edge that a tool stays farthest from whose centre runs along ``centres``, ``away`` from the edge.

    ``None`` if nothing more than ``by`` stays anywhere.
    """
    if not edge:
        return None
    points = _along(edge)
    if not centres:
        return (float(points[0, 0]), float(points[0, 1]))
    far = distances(points, curves(list(centres))[0], 2 * away)
    worst = int(np.argmax(far))
    return (float(points[worst, 0]), float(points[worst, 1])) if far[worst] > away + by else None


@lru_cache(maxsize=32)
def _along(paths: Loops) -> NDArray[np.float64]:
    """Points of paths: all ends and middles, and others between them."""
    c, _ = curves(list(paths))
    lengths = c.lengths()
    apart = max(float(lengths.sum()) / MOST_POINTS, CLOSEST_MM)
    counts = 2 * np.maximum(np.ceil(lengths / apart / 2), 1).astype(int)
    which = np.repeat(np.arange(len(c)), counts)
    share = (np.arange(len(which)) - np.repeat(np.cumsum(counts) - counts, counts)) / np.repeat(counts, counts)
    ends = np.array([p.end for p in paths], float)
    return np.concatenate([c.take(which).at(share), ends])


def follows(edge: Loops, radius: float) -> bool:
    """Whether a tool of a radius gets everywhere inside an area."""
    return missed(edge, shrunk(edge, radius), radius) is None


def largest_radius(fits: Callable[[float], bool], high: float) -> float:
    """The largest radius up to ``high``, to 0.001 mm, that fits; 0 if there is none."""
    if fits(high):
        return high
    if not fits(SMALLEST_FIT_MM):
        return 0.0
    low = SMALLEST_FIT_MM
    for _ in range(BISECTIONS):
        middle = (low + high) / 2
        low, high = (middle, high) if fits(middle) else (low, middle)
    even = round(low, 2)
    return even if low <= even <= high and fits(even) else math.floor(low * 1000) / 1000


def cornered(edge: Loops, centres: Callable[[float], Loops], radius: float) -> tuple[Point, float] | None:
    """The place of an edge where a tool leaves most, and the largest radius that leaves nothing; ``None`` if it gets everywhere.

    ``centres(radius)``: where the centre of a tool of that radius runs, just that far from the edge.
    """
    place = missed(edge, centres(radius), radius)
    if place is None:
        return None
    return place, largest_radius(lambda r: missed(edge, centres(r), r, EXACT_MM) is None, radius)
