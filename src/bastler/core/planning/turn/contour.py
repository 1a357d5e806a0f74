"""Turning along a contour: what stays, what a tool reaches of the rest, roughing in slices and finishing along it.

*Contour*: a path (z, r) from the front towards the chuck; in front of its start it goes on level, behind its end all
metal stays. *Cleared*: the metal that the edge takes; *left*: what it should take and doesn't reach.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
import shapely
from msgspec import Struct
from numpy.typing import NDArray

from bastler.core.geometry.path import Path, Point
from bastler.core.geometry.turned import Area, clean, mirrored, points_of, polygons
from bastler.core.moves import Move
from bastler.core.planning.turn.slices import heights, passes
from bastler.core.planning.turn.space import Space, down, edge_over, free, passed, space, way_is_clear
from bastler.core.planning.turn.walk import AIR_MM, GAP_MM, SAME_MM, NoWay, Walker
from bastler.core.tooling.cutters import Cutter

FAR_MM = 1000.0
TINY_MM2 = 1e-3
TOUCHING_MM = 0.004
ROUNDS = 3
"""So often the metal that stays is worked out anew with what the tool's body then can't reach."""


class Reached(Struct, frozen=True):
    """Where a tool may be (``free``, as it sees it), and as half sections what it clears and what it leaves."""

    space: Space
    free: Area
    cleared: Area
    left: Area


def kept(contour: Path, one: Space, leave: tuple[float, float] = (0.0, 0.0)) -> Area:
    """What stays, as the tool sees it: below the contour, level in front of it, and all metal behind it.

    ``leave``: allowance along z and along r (radius), mm.
    """
    points = [(z, r * one.side) for z, r in points_of(contour)]
    (zs, us), (ze, _) = points[0], points[-1]
    floor = min(p[1] for p in points) - FAR_MM
    front = max(zs, float(one.metal.bounds[2]) if not one.metal.is_empty else zs) + FAR_MM
    below: Area = shapely.Polygon([(front, floor), (front, us), *points, (ze, floor)]).buffer(0)
    if us <= 0.0 <= us + 1e-6 and one.side > 0:
        below = shapely.Polygon([(zs, floor), *points, (ze, floor)]).buffer(0)
    if one.side > 0:
        below = shapely.intersection(below, shapely.box(-FAR_MM, 0.0, front, FAR_MM))
    if any(leave):
        below = _thicker(below, *leave)
    behind = shapely.intersection(one.metal, shapely.box(-FAR_MM, -FAR_MM, ze + leave[0], FAR_MM))
    return clean(shapely.union_all([below, mirrored(below), behind]))


def _thicker(area: Area, z: float, r: float) -> Area:
    """Grown by two allowances, round at its corners."""
    by, least = max(z, r), 1e-6
    scale = np.array([by / max(z, least), by / max(r, least)])
    grown_ = shapely.transform(area, lambda p: p * scale).buffer(by, quad_segs=24)
    return shapely.transform(grown_, lambda p: p / scale)


@lru_cache(maxsize=64)
def reached(
    contour: Path, stock: Area, fixed: Area, cutter: Cutter, leave: tuple[float, float], away: tuple[float, float]
) -> Reached:
    """What a tool reaches of the metal outside a contour; ``away``: Z in front of and radius over everything."""
    one = space(stock, fixed, cutter)
    keep = kept(contour, one, leave)
    window = window_of(one, contour, away)
    stands, reach = keep, Reached(one, keep, shapely.Polygon(), shapely.Polygon())
    should = shapely.difference(one.metal, keep)
    for _ in range(ROUNDS):
        room = _in_the_open(free(one, keep, stands, window), window)
        gone = shapely.intersection(should, edge_over(one.cutter, room))
        rest = clean(shapely.difference(should, gone))
        side = shapely.box(-2 * FAR_MM, 0.0, 2 * FAR_MM, 2 * FAR_MM)
        real = [clean(shapely.intersection(down(a, one.side), side)) for a in (gone, rest)]
        reach = Reached(one, room, *real)
        wider = clean(shapely.union_all([keep, rest]))
        if wider.area - stands.area < TINY_MM2:
            break
        stands = wider
    return reach


def window_of(one: Space, contour: Path, away: tuple[float, float]) -> tuple[float, float, float, float]:
    """Where the reference point may be at all: from behind the contour's end to the open air."""
    end, nose = contour.end[0], one.cutter.nose
    wide = max(one.cutter.extent()[1], 5.0)
    top = away[1] if one.side > 0 else 0.0
    low = -(nose + 0.05) if one.side > 0 else -away[1]
    return (end - wide - 2 * nose, away[0], low, top)


def _in_the_open(room: Area, window: tuple[float, float, float, float]) -> Area:
    """The part of free space that the tool comes into from outside."""
    door = (window[1] - 1e-3, window[3] - 1e-3)
    parts = polygons(room)
    return next(
        (p for p in parts if p.distance(shapely.Point(door)) < 1e-2),
        max(parts, key=lambda p: p.area, default=shapely.Polygon()),
    )


def finish_path(reach: Reached, contour: Path) -> list[Point]:
    """The border of free space along the contour, from the front to its end, as the tool sees it."""
    if reach.free.is_empty:
        return []
    one = reach.space
    whole = shapely.geometry.polygon.orient(max(polygons(reach.free), key=lambda p: p.area))
    ring = [(z, u) for z, u in whole.exterior.coords][:-1]
    z1 = reach.free.bounds[2]
    at_front = [i for i, p in enumerate(ring) if p[0] > z1 - 1e-6]
    first = min(at_front, key=lambda i: ring[i][1])
    chain = [ring[(first - k) % len(ring)] for k in range(len(ring))]
    line = shapely.LineString([(z, r * one.side) for z, r in points_of(contour, 0.001)])
    outline = np.asarray(one.cutter.outline())
    corners = np.asarray(chain)[:, None, :] + outline[None]
    shapes = shapely.polygons(corners)
    touches = np.flatnonzero(shapely.distance(shapes, line) < TOUCHING_MM)
    if not len(touches):
        return []
    start = max(int(touches[0]) - 1, 0)
    if ring[first][1] < 0 and one.side > 0:
        start = int(touches[0])
    return chain[start : int(touches[-1]) + 1]


def rough(walker: Walker, reach: Reached, depth: float, feed: float, *, towards: bool) -> None:
    """Slices of the free space as deep as ``depth``, along the axis or towards it."""

    def turn(p: Point) -> Point:
        return (p[1], p[0]) if towards else p

    room = shapely.transform(reach.free, lambda p: p[:, ::-1]) if towards else reach.free
    gone = down(reach.cleared, reach.space.side)
    if gone.is_empty:
        return
    b0, b1 = (gone.bounds[0], gone.bounds[2]) if towards else (gone.bounds[1], gone.bounds[3])
    outline = np.asarray(reach.space.cutter.outline(0.01))
    under = float(outline[:, 0 if towards else 1].min())
    right = float(room.bounds[2])
    top = b1 - under
    left = float(room.bounds[0])
    for one in passes(room, top, heights(top, b0 - under, depth), right):
        up = one.up if one.left[0] > left + SAME_MM else one.up[:1]
        points = [*(turn(p) for p in one.down), *(turn(p) for p in up)]
        cut = shapely.intersection(walker.space.metal, passed(walker.space, points))
        if cut.area < TINY_MM2:
            continue
        if one.open:
            points = [turn(p) for p in (_into_air(one.right, cut, outline, towards=towards), *up)]
        walker.rapid(_above(points[0], towards=towards) if not one.open else points[0])
        walker.feed(points, feed)
        walker.lift()


def _above(p: Point, *, towards: bool) -> Point:
    """A little off the metal in the direction that the slices come from."""
    return (p[0] + AIR_MM, p[1]) if towards else (p[0], p[1] + AIR_MM)


def _into_air(right: Point, cut: Area, outline: NDArray[np.float64], *, towards: bool) -> Point:
    """Where a pass from the open side begins: just before the metal, in the slices' own axes."""
    k = 1 if towards else 0
    ahead = float(cut.bounds[2 + k]) - float(outline[:, k].min()) + GAP_MM
    return (min(ahead, right[0]), right[1])


def finish(walker: Walker, path: list[Point], feed: float) -> None:
    """Along the contour once, from the front to its end."""
    if len(path) < 2:
        return
    _go_before(path, walker)
    walker.feed(path, feed)
    walker.lift()


def _go_before(path: list[Point], walker: Walker) -> None:
    """To a place in front of the first one, straight before it if the way is free."""
    (z, u), (z2, u2) = path[0], path[1]
    far = max(math.dist(path[0], path[1]), 1e-9)
    ahead = (z - (z2 - z) / far * GAP_MM, u - (u2 - u) / far * GAP_MM)
    for p in (ahead, (z + GAP_MM, u + GAP_MM), (z, u + GAP_MM), (z + GAP_MM, u)):
        if way_is_clear(walker.space, p, path[0]):
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
    far = (away[0] + GAP_MM, away[1] + GAP_MM if one.side > 0 else 0.0)
    return Walker(one, far, far)


__all__ = ["NoWay", "Reached", "finish", "finish_path", "kept", "moves_of", "reached", "rough", "walker_at"]
