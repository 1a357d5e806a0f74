"""Turning along a contour: the finishing path, roughing in slices or as the contour runs, and the ways between."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
import shapely
from msgspec.structs import replace
from numpy.typing import NDArray

from bastler.core.geometry.halfsection import Area, clean, clipped, points_of, polygons
from bastler.core.geometry.path import SAME_MM, Path, Point
from bastler.core.moves import Move
from bastler.core.planning.lathe.ends import OVER_MM, off_its_end, straight_off
from bastler.core.planning.lathe.reach import TINY_MM2, Reached, front
from bastler.core.planning.lathe.slices import heights, passes
from bastler.core.planning.lathe.space import (
    WINDOW_MM,
    Space,
    Touching,
    edge_along,
    edge_over,
    passed,
    real,
    real_area,
    seen,
    seen_area,
)
from bastler.core.planning.lathe.walk import AIR_MM, GAP_MM, NoWay, Walker

TOUCHING_MM = 0.004
DENSE_MM = 0.4
AT_AXIS_MM = 0.01
MOST_LAYERS = 60
AHEAD_MM = (GAP_MM, 3.0, 6.0, 12.0)
"""How far before its path a finishing pass begins: further where metal that was not roughed is in the way."""


@lru_cache(maxsize=64)
def finish_path(reach: Reached, contour: Path) -> tuple[Point, ...]:
    """The border of free space along the contour, as the tool sees it, not along what stays beside a pocket."""
    if reach.free.is_empty:
        return ()
    one = reach.space
    whole = shapely.geometry.polygon.orient(max(polygons(reach.free), key=lambda p: p.area))
    ring = np.asarray(whole.exterior.coords)[:-1]
    at_front = np.flatnonzero(ring[:, 0] > reach.free.bounds[2] - 1e-6)
    first = int(at_front[ring[at_front, 1].argmin()])
    starts_below = bool(ring[first, 1] < 0)
    ring = np.roll(ring[::-1], first + 1, axis=0)
    stays = (
        shapely.LineString([seen(p, one.view) for p in points_of(contour, 0.001)])
        if reach.pocket
        else _stays(reach, contour)
    )
    by = Touching(one.cutter, stays, TOUCHING_MM)
    sides = np.flatnonzero(by.along(ring))
    if not len(sides):
        return ()
    begin = max(int(sides[0]) - 1, 0)
    chain = _dense(ring[begin:] if one.view.back else ring[begin : int(sides[-1]) + 3])
    touches = np.flatnonzero(by.at(chain))
    if not len(touches):
        return ()
    start = max(int(touches[0]) - 1, 0)
    if starts_below and one.view.reach == "out":
        start = int(touches[0])
    last = int(touches[-1])
    if one.view.back:
        # Out in front of the metal, until none of it is left beside the edge.
        inside = np.flatnonzero(Touching(one.cutter, one.metal).at(chain))
        last = max(last, *inside[chain[inside, 1] <= chain[last, 1] + SAME_MM].tolist())
    chain = chain[start : last + 2]
    if not reach.pocket:
        chain = straight_off(chain, one.cutter, reach.free, seen_area(reach.cleared, one.view), stays)
    return tuple(map(tuple, chain.tolist()))


def _dense(chain: NDArray[np.float64]) -> NDArray[np.float64]:
    """The same chain (n, 2) with points at most :data:`DENSE_MM` apart."""
    way = np.diff(chain, axis=0)
    counts = np.maximum(np.ceil(np.hypot(*way.T) / DENSE_MM), 1).astype(int)
    at = np.repeat(np.arange(len(way)), counts)
    share = (np.arange(len(at)) - np.repeat(np.cumsum(counts) - counts, counts)) / counts[at]
    dense: NDArray[np.float64] = np.concatenate([chain[at] + way[at] * share[:, None], chain[-1:]])
    return dense


def _stays(reach: Reached, contour: Path) -> Area:
    """The metal in front of the contour's end that is there afterwards: what the finishing pass runs along."""
    end = seen(contour.end, reach.space.view)[0]
    low, high = (-WINDOW_MM, end + TOUCHING_MM) if reach.space.view.back else (end - TOUCHING_MM, WINDOW_MM)
    # In a bore the metal across the axis is there for the bar to stay off; an insert's back that comes near it isn't cutting.
    across = 0.0 if reach.space.view.reach == "in" else WINDOW_MM
    ahead = clipped(reach.space.metal, low, -WINDOW_MM, high, across)
    return replace(reach.space, metal=ahead).without(seen_area(reach.cleared, reach.space.view)).metal


@lru_cache(maxsize=32)
def finish_reach(reach: Reached, contour: Path) -> Reached:
    """What one pass along the contour clears of it, and leaves."""
    path = finish_path(reach, contour)
    taken = edge_along(reach.space.cutter, list(path)) if len(path) > 1 else shapely.Polygon()
    cleared = clean(shapely.intersection(reach.cleared, real_area(taken, reach.space.view)))
    return replace(reach, cleared=cleared)


def rough(walker: Walker, reach: Reached, depth: float, feed: float, *, towards: bool) -> None:
    """Slices of the free space as deep as ``depth``, along the axis or towards it."""

    def turn(p: Point) -> Point:
        return (p[1], p[0]) if towards else p

    room = shapely.transform(reach.free, lambda p: p[:, ::-1]) if towards else reach.free
    gone = seen_area(reach.cleared, reach.space.view)
    if gone.is_empty:
        return
    a0, b0, a1, b1 = (gone.bounds[k] for k in (1, 0, 3, 2)) if towards else gone.bounds
    outline = np.asarray(reach.space.cutter.outline(0.01))
    (left, under), (right, _) = (ends[::-1] if towards else ends for ends in (outline.min(axis=0), outline.max(axis=0)))
    top, low = b1 - under, b0 - under
    if towards and reach.space.view.reach == "out" and gone.bounds[1] < AT_AXIS_MM:
        depth = min(depth, _deepest_at_axis(outline, -reach.window[2]))
    borders = reach.window[2:] if towards else reach.window[:2]
    # Where the metal ends sooner than the round of the nose, that goes on until it is out of it.
    beside = clipped(room, a0 - right, low - reach.space.cutter.nose - SAME_MM, a1 - left, top)
    if not beside.is_empty and beside.bounds[1] < low - SAME_MM:
        above = clipped(beside, -WINDOW_MM, low, WINDOW_MM, top)
        over = edge_over(reach.space.cutter, shapely.transform(above, lambda p: p[:, ::-1]) if towards else above)
        if shapely.difference(gone, over).area > TINY_MM2:
            low = beside.bounds[1]
    for one in passes(room, top, heights(top, low, depth), borders):
        cut = shapely.intersection(walker.space.metal, passed(walker.space, [turn(p) for p in one.points]))
        if cut.area < TINY_MM2:
            continue
        points = list(one.points)
        if reach.space.view.back:
            points[-1] = _out_to_air(points[-2], points[-1], cut, outline)
        elif towards and reach.space.view.reach == "out" and abs(points[-1][1] - points[-2][1]) < SAME_MM:
            points[-1] = _into_bore(points[-2], points[-1], cut, outline, reach.space.cutter.nose)
        near = _into_air(points[0], points[1], cut, outline, towards=towards)
        if one.open or (near[0] < points[0][0] - SAME_MM and walker.gets_to(turn(near))):
            points[0] = near
            walker.rapid(turn(near))
        else:
            walker.rapid(_above(turn(points[0]), towards=towards))
        way = off_its_end(np.asarray([turn(p) for p in points]), reach.space.cutter, reach.free, walker.space.metal)
        walker.feed([(float(a), float(u)) for a, u in way], feed)
        walker.lift()


def layers(reach: Reached, contour: Path, depth: float) -> int:
    """How many passes as deep as ``depth`` lie over each other where most metal stands over a contour."""
    corners = shapely.get_coordinates(reach.cleared)
    if not len(corners):
        return 0
    line = shapely.LineString(points_of(contour, 0.01))
    thick = float(np.max(shapely.distance(np.asarray(shapely.points(corners)), line)))
    return min(math.ceil(thick / depth - 1e-9), MOST_LAYERS)


def rough_following(walker: Walker, layer: Reached, contour: Path, feed: float) -> None:
    """One pass along a contour, as far as there is metal."""
    path = np.asarray(finish_path(layer, contour))
    if len(path) < 2:
        return
    meets = np.flatnonzero(Touching(layer.space.cutter, walker.space.metal).at(path))
    if not len(meets):
        return
    way = [(float(a), float(u)) for a, u in path[max(int(meets[0]) - 2, 0) : int(meets[-1]) + 3]]
    cut = shapely.intersection(walker.space.metal, passed(walker.space, way))
    if len(way) > 1 and cut.area > TINY_MM2:
        finish(walker, layer, tuple(way), feed)


def _above(p: Point, *, towards: bool) -> Point:
    """A little off the metal in the direction that the slices come from."""
    return (p[0] + AIR_MM, p[1]) if towards else (p[0], p[1] + AIR_MM)


def _into_air(right: Point, then: Point, cut: Area, outline: NDArray[np.float64], *, towards: bool) -> Point:
    """Where a pass from the open side begins: just before the metal, in the slices' own axes."""
    if abs(then[1] - right[1]) > SAME_MM:
        return right
    k = 1 if towards else 0
    ahead = float(cut.bounds[2 + k]) - float(outline[:, k].min()) + GAP_MM
    return (max(min(ahead, right[0]), then[0]), right[1])


def _deepest_at_axis(outline: NDArray[np.float64], past: float) -> float:
    """How deep a slice towards the axis is whose metal is all gone once the tip is so far past it: a slim insert leaves a cone of a deeper one."""
    crosses = _crossings(outline[:, ::-1], past)
    return float(crosses.max() - outline[:, 0].min()) if len(crosses) else math.inf


def _crossings(outline: NDArray[np.float64], at: float) -> NDArray[np.float64]:
    """The second coordinates of a closed outline (n, 2) where its first one has a value."""
    p, q = outline, np.roll(outline, -1, axis=0)
    meets = (p[:, 0] <= at) != (q[:, 0] <= at)
    share = (at - p[meets, 0]) / (q[meets, 0] - p[meets, 0])
    there: NDArray[np.float64] = p[meets, 1] + share * (q[meets, 1] - p[meets, 1])
    return there


def _into_bore(then: Point, last: Point, cut: Area, outline: NDArray[np.float64], nose: float) -> Point:
    """Where a pass towards the axis ends that comes out in the bore of a tube, as (r, z): nose and the edge above it are past the metal."""
    there = _crossings(outline, float(cut.bounds[2]) - last[1])
    edge = float(there.min()) if len(there) else float(outline[:, 1].max())
    through = float(cut.bounds[1]) - max(float(outline[:, 1].min()) + 2 * nose, edge) - OVER_MM
    return (min(max(last[0], through), then[0]), last[1])


def _out_to_air(then: Point, left: Point, cut: Area, outline: NDArray[np.float64]) -> Point:
    """Where a pass along the axis ends that comes out of the metal: just behind it."""
    if abs(then[1] - left[1]) > SAME_MM:
        return left
    behind = float(cut.bounds[0]) - float(outline[:, 0].max()) - GAP_MM
    return (min(max(behind, left[0]), then[0]), left[1])


def finish(walker: Walker, reach: Reached, path: tuple[Point, ...], feed: float) -> None:
    """Along the contour once, from the front to its end."""
    if len(path) < 2:
        return
    _go_before(path, walker, reach)
    walker.feed(list(path), feed)
    walker.lift()


def _go_before(path: tuple[Point, ...], walker: Walker, reach: Reached) -> None:
    """To a place in front of the first one, straight before it if the way is free."""
    (z, u), (z2, u2) = path[0], path[1]
    far = max(math.dist(path[0], path[1]), 1e-9)
    ahead, *further = ((z - (z2 - z) / far * by, u - (u2 - u) / far * by) for by in AHEAD_MM)
    level = [(z + by, u) for by in AHEAD_MM[1:]]
    for p in (ahead, (z + GAP_MM, u + GAP_MM), (z, u + GAP_MM), (z + GAP_MM, u), *further, *level):
        if shapely.LineString([p, path[0]]).difference(reach.free).length < SAME_MM:
            try:
                return walker.rapid(p)
            except NoWay:
                continue
    raise NoWay


def moves_of(walker: Walker) -> list[Move]:
    """What the walker did, and its way home."""
    walker.home()
    return walker.moves


def walker_at(one: Space, away: tuple[float, float]) -> Walker:
    """A tool that comes from where the turret turns."""
    if one.view.reach == "face":
        return Walker(one, (-away[1] - GAP_MM, away[0] + GAP_MM), (-away[1] - GAP_MM, away[0] + GAP_MM))
    ahead = front(one, away) + (-GAP_MM if one.view.back else GAP_MM)
    far = (ahead, away[1] + GAP_MM if one.view.reach == "out" else 0.0)
    return Walker(one, far, seen(real(far, one.view.upright), one.view))
