"""Grooves: plunged out from the middle, their walls finished from both sides to the middle.

*Places*: where along the groove the blade goes straight down, the middle one first; each as deep as free space lets it.
"""

from __future__ import annotations

import itertools
import math

import shapely

from bastler.core.geometry.path import Path, Point
from bastler.core.geometry.turned import Area, clipped, polygons, widened
from bastler.core.planning.turn.contour import Reached, finish_path
from bastler.core.planning.turn.space import seen
from bastler.core.planning.turn.walk import GAP_MM, SAME_MM, Walker

STEP_SHARE = 0.75
"""Plunges lie at most this share of the blade's width apart."""
SHALLOW_MM = 0.01
TRIED = 40
AS_DEEP_SHARE = 0.1
"""Places within this share of the greatest depth belong to the bottom."""
SAME_PLACE_MM = 0.05
BACK_MM = 0.3


def plunge(
    walker: Walker, reach: Reached, contour: Path, feed: float, peck: float, blade: float, leave: float = 0.0
) -> None:
    """Straight down at each place, in pecks if asked; ``leave``: so much stays on walls and bottom where there is room for it."""
    over = _over(reach)
    inner = widened(reach.free, -leave) if leave > 0 else reach.free
    for a, low in places(inner, reach, contour, blade) or places(reach.free, reach, contour, blade):
        walker.rapid((a, over))
        if peck <= 0:
            walker.feed([(a, low)], feed)
        else:
            count = max(math.ceil((over - GAP_MM - low) / peck - 1e-9), 1)
            for k in range(1, count + 1):
                walker.feed([(a, over - GAP_MM - (over - GAP_MM - low) * k / count)], feed)
                if k < count:
                    walker.rapid((a, walker.at[1] + BACK_MM))
        walker.rapid((a, over))


def _over(reach: Reached) -> float:
    """A height just over the metal that the groove goes into, as the tool sees it."""
    gone = [seen((z, r), reach.space.view)[1] for part in polygons(reach.cleared) for z, r in part.exterior.coords]
    return max(gone) + GAP_MM


def places(room: Area, reach: Reached, contour: Path, blade: float) -> list[Point]:
    """Where in a room the blade goes down and how deep, from the middle outwards."""
    over = _over(reach) - GAP_MM
    left, right = sorted((seen(contour.start, reach.space.view)[0], seen(contour.end, reach.space.view)[0]))
    below = clipped(room, left, -1e6, right, over - SHALLOW_MM)
    if below.is_empty:
        return []
    whole = (float(below.bounds[0]), float(below.bounds[2]))
    found = _evenly(room, *whole, over, blade)
    tried = [whole[0] + (whole[1] - whole[0]) * k / TRIED for k in range(TRIED + 1)]
    depths = {a: d for a, d in zip(tried, _deepest(room, tried, over), strict=True) if d is not None}
    deepest = min(depths.values(), default=over)
    bottom = [a for a, d in depths.items() if d < deepest + AS_DEEP_SHARE * (over - deepest)]
    if bottom:
        found += [
            p
            for p in _evenly(room, bottom[0], bottom[-1], over, blade)
            if all(abs(p[0] - q[0]) > SAME_PLACE_MM for q in found)
        ]
    middle = (bottom[0] + bottom[-1]) / 2 if bottom else sum(whole) / 2
    return sorted(found, key=lambda p: abs(p[0] - middle))


def _evenly(room: shapely.Geometry, low: float, high: float, over: float, blade: float) -> list[Point]:
    """Places from one end to the other, each as deep as it gets."""
    count = max(math.ceil((high - low) / (STEP_SHARE * blade) - 1e-9), 0)
    across = [low + (high - low) * k / count for k in range(count + 1)] if count else [(low + high) / 2]
    inside = [min(max(a, low + SAME_MM), max(high - SAME_MM, low + SAME_MM)) for a in across]
    depths = zip(across, _deepest(room, inside, over), strict=True)
    return [(a, depth) for a, depth in depths if depth is not None and depth < over - SHALLOW_MM]


def _deepest(room: shapely.Geometry, across: list[float], over: float) -> list[float | None]:
    """How far down free space goes on from a height, at several places."""
    lines = shapely.linestrings([[(a, -1e6), (a, over)] for a in across])
    parts, index = shapely.get_parts(shapely.intersection(lines, room), return_index=True)
    lows: list[float | None] = [None] * len(across)
    for (_, low, _, high), k in zip(shapely.bounds(parts).tolist(), index.tolist(), strict=True):
        if high > over - 1e-3:
            lows[k] = low if lows[k] is None else min(low, lows[k])
    return lows


def walls(
    walker: Walker, reach: Reached, contour: Path, feed: float, *, two_edges: bool = False, left_first: bool = False
) -> None:
    """Down the right wall to the middle of the bottom, then down the left one to there, or the left one first.

    ``two_edges``: the right one is cut by the blade's right edge, which has an offset of its own.
    """
    chain = finish_path(reach, contour)
    if len(chain) < 2:
        return
    over = _over(reach)
    low = min(p[1] for p in chain)
    bottom = [p for p in chain if p[1] < low + SHALLOW_MM]
    middle = (bottom[0][0] + bottom[-1][0]) / 2
    k = next(
        (
            i
            for i, (p, q) in enumerate(itertools.pairwise(chain))
            if p[0] >= middle >= q[0] and min(p[1], q[1]) < low + SHALLOW_MM
        ),
        len(chain) // 2,
    )
    p, q = chain[k], chain[min(k + 1, len(chain) - 1)]
    share = (p[0] - middle) / (p[0] - q[0]) if p[0] - q[0] > SAME_MM else 0.0
    at = (middle, p[1] + (q[1] - p[1]) * share)
    sides = [([*chain[: k + 1], at], True), ([*reversed(chain[k + 1 :]), at], False)]
    for side, right in reversed(sides) if left_first else sides:
        if two_edges:
            walker.steer(second=right)
        top = next((i for i, s in enumerate(side) if s[1] < over - GAP_MM + 1e-6), 0)
        way = side[max(top - 1, 0) :]
        walker.rapid((way[0][0], over))
        walker.feed(way, feed)
        walker.lift()
        walker.rapid((walker.at[0], over))
