"""Grooves: plunged out from the middle, their walls finished from both sides to the middle.

*Places*: where along the groove the blade goes straight down, the middle one first; each as deep as free space lets it.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence

import numpy as np
import shapely

from bastler.core.geometry.halfsection import Area, clipped, polygons, widened
from bastler.core.geometry.path import SAME_MM, Path, Point
from bastler.core.planning.lathe.alongcontour import finish_path
from bastler.core.planning.lathe.reach import TINY_MM2, Reached
from bastler.core.planning.lathe.space import passed, seen
from bastler.core.planning.lathe.walk import GAP_MM, Walker

STEP_SHARE = 0.85
"""Plunges lie at most this share of the blade's width apart."""
SHALLOW_MM = 0.01
LEFT_MM = 0.002
JUST_MM = 1e-3
NEAR_MM = 5.0
TRIED = 40
AS_DEEP_SHARE = 0.1
"""Places within this share of the greatest depth belong to the bottom."""
SAME_PLACE_SHARE = 0.05
LEAST_DEEP_SHARE = 0.05
"""A place this shallow beside the deepest is left to the walls' finishing."""
BACK_MM = 0.3
LEAVES = (1.0, 0.98, 0.5, 0.25)
"""Shares of what should stay on the walls, tried in turn; the second for a groove as wide as blade and both together."""


def plunge(
    walker: Walker, reach: Reached, contour: Path, feed: float, peck: float, blade: float, leave: float = 0.0
) -> list[float]:
    """Straight down at each place, in pecks if asked; ``leave``: so much stays on walls and bottom where there is room for it.

    Where it went down to the bottom, along the groove.
    """
    over, down = _over(reach), list[Point]()
    for a, low in _places(reach, contour, blade, leave):
        if shapely.intersection(walker.space.metal, passed(walker.space, [(a, over), (a, low)])).area < TINY_MM2:
            continue
        down.append((a, low))
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
    bottom = min((low for _, low in down), default=0.0)
    return [a for a, low in down if low < bottom + SHALLOW_MM]


def _places(reach: Reached, contour: Path, blade: float, leave: float) -> list[Point]:
    """Where it goes down, leaving as much of ``leave`` as a blade that gets to the bottom has room for beside it."""
    whole = places(reach.free, reach, contour, blade)
    if not whole or leave <= 0:
        return whole
    bottom, (left, low, right, high) = min(low for _, low in whole), reach.free.bounds
    near = [seen(p, reach.space.view)[0] for p in (contour.start, contour.end)]
    window = (
        max(min(near) - blade - NEAR_MM, left),
        low,
        min(max(near) + blade + NEAR_MM, right),
        min(_over(reach) + NEAR_MM, high),
    )
    free = clipped(reach.free, *window)
    for rest in (leave * share for share in LEAVES):
        found = places(widened(free, -rest), reach, contour, blade)
        if found and min(low for _, low in found) < bottom + rest + SHALLOW_MM:
            return found
    return whole


def _over(reach: Reached) -> float:
    """A height just over the metal that the groove goes into, as the tool sees it."""
    gone = [seen((z, r), reach.space.view)[1] for part in polygons(reach.cleared) for z, r in part.exterior.coords]
    return max(gone) + GAP_MM


def places(room: Area, reach: Reached, contour: Path, blade: float) -> list[Point]:
    """Where in a room the blade goes down and how deep, from the middle outwards: evenly over the bottom, and from its ends outwards."""
    over = _over(reach) - GAP_MM
    left, right = sorted((seen(contour.start, reach.space.view)[0], seen(contour.end, reach.space.view)[0]))
    below = clipped(room, left, -1e6, right, over - SHALLOW_MM)
    if below.is_empty:
        return []
    low, high = float(below.bounds[0]) + SAME_MM, float(below.bounds[2]) - SAME_MM
    step = max(high - low, 0.0) / TRIED
    there = _depths(room, [low + step * k for k in range(TRIED + 1)], over)
    if not there:
        return []
    deepest = min(there.values())
    least = deepest + AS_DEEP_SHARE * (over - deepest)
    bottom = [a for a, d in there.items() if d < least]
    fine = [step * k / TRIED for k in range(TRIED)]
    more = _depths(room, [a for f in fine for a in (bottom[0] - f, bottom[-1] + f) if low <= a <= high], over)
    bottom = sorted(a for a, d in {**there, **more}.items() if d < least)
    middle = (bottom[0] + bottom[-1]) / 2
    across = _evenly(low, bottom[0], blade)[:-1] + _evenly(bottom[-1], high, blade)[1:]
    across += _evenly(bottom[0], bottom[-1], blade) or [middle]
    shallow = over - max(LEAST_DEEP_SHARE * (over - deepest), SHALLOW_MM)
    return sorted(
        ((a, d) for a, d in _depths(room, across, over).items() if d < shallow), key=lambda p: abs(p[0] - middle)
    )


def _evenly(low: float, high: float, blade: float) -> list[float]:
    """Places from one end to the other, none if that is no way at all beside the blade."""
    if high - low < SAME_PLACE_SHARE * blade:
        return []
    count = math.ceil((high - low) / (STEP_SHARE * blade) - 1e-9)
    return [low + (high - low) * k / count for k in range(count + 1)]


def _depths(room: Area, across: list[float], over: float) -> dict[float, float]:
    """How far down free space goes on from a height, at those of several places that lie in it there."""
    rings = [np.asarray(r.coords) for part in polygons(room) for r in (part.exterior, *part.interiors)]
    if not rings or not across:
        return {}
    p, q = (np.concatenate([r[k : len(r) - 1 + k] for r in rings]) for k in (0, 1))
    at = np.asarray(across)[:, None]
    meets = (p[:, 0] <= at) != (q[:, 0] <= at)
    with np.errstate(all="ignore"):
        heights = p[:, 1] + (at - p[:, 0]) / (q[:, 0] - p[:, 0]) * (q[:, 1] - p[:, 1])
    above = meets & (heights > over - JUST_MM)
    there = above.sum(axis=1) % 2 == 1
    lows = np.where(meets & ~above, heights, -np.inf).max(axis=1)
    return {a: low for a, low, ok in zip(across, lows.tolist(), there.tolist(), strict=True) if ok and low > -np.inf}


def walls(
    walker: Walker, reach: Reached, contour: Path, feed: float, *, two_edges: bool = False, left_first: bool = False,
    lands: bool = False, plunged: Sequence[float] = (),
) -> None:  # fmt: skip
    """Down the right wall to the middle of the bottom, then down the left one to there, or the left one first.

    They meet where the blade was ``plunged``, so that it gets out. ``two_edges``: the right one is cut by the blade's right edge, which has an offset of its own. ``lands``: the first and the
    last line of the contour lie on metal beside the groove, and are not cut.
    """
    edges = [contour.elements[0].end, contour.elements[-2].end] if lands else [contour.start, contour.end]
    chain = finish_path(reach, contour)
    if len(chain) < 2:
        return
    over = _over(reach)
    low = min(p[1] for p in chain)
    bottom = [p for p in chain if p[1] < low + SHALLOW_MM]
    middle = (bottom[0][0] + bottom[-1][0]) / 2
    if plunged:
        middle = min(max(middle, min(plunged)), max(plunged))
    over_middle = [i for i, (p, q) in enumerate(itertools.pairwise(chain)) if p[0] >= middle >= q[0]]
    k = min(over_middle, key=lambda i: min(chain[i][1], chain[i + 1][1]), default=len(chain) // 2)
    p, q = chain[k], chain[min(k + 1, len(chain) - 1)]
    share = (p[0] - middle) / (p[0] - q[0]) if p[0] - q[0] > SAME_MM else 0.0
    at = (middle, p[1] + (q[1] - p[1]) * share)
    sides = [([*chain[: k + 1], at], True), ([*reversed(chain[k + 1 :]), at], False)]
    for side, right in reversed(sides) if left_first else sides:
        if two_edges:
            walker.steer(second=right)
        side = _without_slide(side, reach, edges, right=right)
        top = next((i for i, s in enumerate(side) if s[1] < over - GAP_MM + 1e-6), 0)
        way = side[max(top - 1, 0) :]
        # What rounding leaves between blade and wall is no metal worth a pass.
        thin = LEFT_MM * sum(itertools.starmap(math.dist, itertools.pairwise(way)))
        if shapely.intersection(walker.space.metal, passed(walker.space, way)).area < max(TINY_MM2, thin):
            continue
        walker.rapid((way[0][0], over))
        walker.feed(way, feed)
        walker.lift()
        walker.rapid((walker.at[0], over))


def _without_slide(side: list[Point], reach: Reached, edges: list[Point], *, right: bool) -> list[Point]:
    """From where the corner that cuts is over the groove's edge: before, the edge between its corners would only rub beside it."""
    edge = [p[0] for p in reach.space.cutter.outline(0.01)]
    ends = [seen(p, reach.space.view)[0] for p in edges]
    nose = reach.space.cutter.nose
    over = max(ends) - max(edge) + nose if right else min(ends) - min(edge) - nose
    k = next((i for i, p in enumerate(side) if (p[0] <= over if right else p[0] >= over)), 0)
    if k == 0:
        return side
    p, q = side[k - 1], side[k]
    share = (over - p[0]) / (q[0] - p[0])
    return [(over, p[1] + (q[1] - p[1]) * share), *side[k:]]
