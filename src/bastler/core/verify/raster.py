"""Regions on a grid: which cells lie inside, and how near to the edge, row by row instead of point by point."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from bastler.core.geometry.path import Arc, Element, Path, Point, arc_sweep, path_bounds
from bastler.core.geometry.region import Region
from bastler.core.geometry.track import distance

Floats = NDArray[np.float64]


def inside(loops: tuple[Path, ...], xs: Floats, ys: Floats) -> NDArray[np.bool_]:
    """Whether the points of a grid (ys, xs ascending) lie within an odd number of loops, shape (len(ys), len(xs))."""
    flips = np.zeros((len(ys), len(xs) + 1), np.int32)
    for loop in loops:
        for start, element, _ in loop.pieces():
            for piece in _rising(start, element):
                _cross(piece, xs, ys, flips)
    return np.asarray(np.cumsum(flips[:, :-1], axis=1) % 2 == 1)


Rising = tuple[Point, Point, Point | None, float]
"""A piece that only rises or only falls: ends, centre of an arc, and on which side of it in X (+1, -1)."""


def _rising(start: Point, e: Element) -> list[Rising]:
    if not isinstance(e, Arc):
        return [(start, e.end, None, 0.0)]
    (cx, cy), radius, sweep = e.centre, math.dist(start, e.centre), arc_sweep(start, e)
    begin = math.atan2(start[1] - cy, start[0] - cx)
    way = 1.0 if sweep > 0 else -1.0
    stops = sorted(t for k in (-1, 1) if 1e-12 < (t := way * (k * math.pi / 2 - begin) % math.tau) < abs(sweep) - 1e-12)
    turns = [0.0, *stops, abs(sweep)]
    points = [start, *((cx, cy + radius * round(math.sin(begin + way * t))) for t in stops), e.end]
    sides = [math.copysign(1.0, math.cos(begin + way * (a + b) / 2)) for a, b in zip(turns, turns[1:], strict=False)]
    return [(a, b, e.centre, side) for a, b, side in zip(points, points[1:], sides, strict=False)]


def _cross(piece: Rising, xs: Floats, ys: Floats, flips: NDArray[np.int32]) -> None:
    (ax, ay), (bx, by), centre, side = piece
    first, last = np.searchsorted(ys, (min(ay, by), max(ay, by)))
    if first >= last:
        return
    y = ys[first:last]
    if centre is None:
        x = ax + (bx - ax) * (y - ay) / (by - ay)
    else:
        radius = math.hypot(ax - centre[0], ay - centre[1])
        x = centre[0] + side * np.sqrt(np.maximum(radius**2 - (y - centre[1]) ** 2, 0.0))
    flips[np.arange(first, last), np.searchsorted(xs, x)] += 1


def depths(one: Region, xs: Floats, ys: Floats, upto: float) -> Floats:
    """Depth of grid points inside a region, ``upto`` where it is more or when that is 0, and -1 outside."""
    within = inside(one.loops, xs, ys)
    if not one.centres or upto <= 0:
        return np.where(within, near(one.loops, xs, ys, upto), -1.0)
    deep = np.clip(one.reach - near(one.centres, xs, ys, one.reach), 0.0, upto)
    return np.where(within, np.where(inside(one.centres, xs, ys), upto, deep), -1.0)


def near(paths: tuple[Path, ...], xs: Floats, ys: Floats, upto: float) -> Floats:
    """Distance of grid points to the nearest path, ``upto`` where it is more."""
    found = np.full((len(ys), len(xs)), upto)
    for path in paths if upto > 0 else ():
        for start, element, _ in path.pieces():
            x0, x1, y0, y1 = path_bounds(Path(start, (element,)))
            i, j = np.searchsorted(xs, (x0 - upto, x1 + upto))
            k, m = np.searchsorted(ys, (y0 - upto, y1 + upto))
            if i < j and k < m:
                x, y = np.meshgrid(xs[i:j], ys[k:m])
                np.minimum(found[k:m, i:j], distance(start, element, x, y), out=found[k:m, i:j])
    return found
