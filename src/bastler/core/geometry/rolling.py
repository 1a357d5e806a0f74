"""What convex polygons pass over: along straight ways, along chains of them, at every place of an area.

*Convolution*: each edge of a ring, moved to that corner of the convex polygon which lies farthest out there, and at the
ring's corners the convex polygon's own edges, forwards at left turns and backwards at right ones: one closed curve. How
often it winds about a place says in how many pieces the polygon there meets what the ring bounds (Guibas, Ramshaw, Stolfi:
A kinetic framework for computational geometry, 1983); so what it winds about at all is the sum, without a hull per edge.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

Points = NDArray[np.float64]
FLAT_MM2 = 1e-12
BACK_RAD = 1e-9
"""A turn by half a round within this is one to the left: the polygon goes round the end of a way back."""


@lru_cache(maxsize=512)
def as_array(polygon: tuple[tuple[float, float], ...]) -> Points:
    """A polygon's corners as an array (k, 2) that is not to be written to."""
    found = np.array(polygon, float)
    found.setflags(write=False)
    return found


def sweeps(corners: Points, starts: Points, ends: Points) -> NDArray[np.object_]:
    """For each of n straight ways of a convex polygon (k, 2) all that it passes over: n areas, or lines where it is one."""
    corners = _ordered(corners)
    k = len(corners)
    way = ends - starts
    aside = np.stack([way[:, 1], -way[:, 0]], axis=1) @ corners.T
    right, left = aside.argmax(axis=1), aside.argmin(axis=1)
    # At the end of the way from the corner on the right over the front to the one on the left, back over the rear at its start.
    front = ((left - right) % k)[:, None]
    at = np.arange(k + 2)[None]
    later = at > front
    ring = corners[(right[:, None] + at - later) % k] + np.where(later[..., None], starts[:, None], ends[:, None])
    areas = np.asarray(shapely.polygons(ring))
    flat = shapely.area(areas) < FLAT_MM2
    for i in np.flatnonzero(flat):
        areas[i] = shapely.convex_hull(shapely.linestrings(np.concatenate([corners + starts[i], corners + ends[i]])))
    return areas


def swept(corners: Points, points: Points) -> BaseGeometry:
    """All that a convex polygon passes over along a chain of n points (n, 2)."""
    p = _distinct(points)
    if len(p) < 3:
        return sweeps(corners, p[:1], p[-1:])[0]  # type: ignore[no-any-return]
    if len(corners) == 1:
        return shapely.union_all(sweeps(corners, p[:-1], p[1:]))
    return _wound(convolution(np.concatenate([p, p[-2:0:-1]]), _ordered(corners)))


@lru_cache(maxsize=256)
def grown(area: BaseGeometry, shape: tuple[tuple[float, float], ...]) -> BaseGeometry:
    """Where the origin of a convex polygon may not be if it must not reach into an area: area ⊕ (−shape)."""
    back = _ordered(-as_array(shape))
    parts = _without_holes(area)
    if len(back) == 1:
        return shapely.transform(area, lambda p: p + back[0])
    found = [_wound(convolution(_ring(p.exterior), back)) for p in parts]
    return shapely.union_all(found) if len(found) != 1 else found[0]


def _without_holes(area: BaseGeometry) -> list[shapely.Polygon]:
    """The polygons of an area, those with holes cut in two through one until none has any."""
    found: list[shapely.Polygon] = []
    for one in shapely.get_parts(area):
        if one.geom_type != "Polygon" or one.is_empty:
            continue
        if not one.interiors:
            found.append(one)
            continue
        x0, y0, x1, y1 = one.bounds
        middle = shapely.Polygon(one.interiors[0]).representative_point().x
        for low, high in ((x0 - 1, middle), (middle, x1 + 1)):
            found += _without_holes(shapely.intersection(one, shapely.box(low, y0 - 1, high, y1 + 1)))
    return found


def convolution(ring: Points, corners: Points) -> Points:
    """The convolution of a closed ring (n, 2), no point twice in a row, with a convex polygon (k, 2), counter-clockwise: (m, 2), closed."""
    k = len(corners)
    along = np.diff(ring, axis=0, append=ring[:1])
    sides = np.diff(corners, axis=0, append=corners[:1])
    angle = np.arctan2(along[:, 1], along[:, 0])
    turn = np.diff(angle, prepend=angle[-1:]) % math.tau
    turn[turn > math.pi + BACK_RAD] -= math.tau
    heading = angle[0] + np.concatenate([[0.0], np.cumsum(turn[1:])])
    side = np.arctan2(sides[:, 1], sides[:, 0])
    first, side = side[0], (side - side[0]) % math.tau
    rounds, rest = np.divmod(heading - first, math.tau)
    count = (rounds * k + np.searchsorted(side, rest, side="right")).astype(int)
    whole = k * round((heading[-1] + turn[0] - heading[0]) / math.tau)
    before = np.concatenate([[count[-1] - whole], count[:-1]])
    steps = np.abs(count - before) + 1
    at = np.repeat(np.arange(len(ring)), steps)
    k_th = np.arange(len(at)) - np.repeat(np.cumsum(steps) - steps, steps)
    corner = before[at] + np.sign(count - before)[at] * k_th
    points: Points = ring[at] + corners[corner % k]
    return np.concatenate([points, points[:1]])


def _wound(curve: Points) -> BaseGeometry:
    """All that a closed curve winds about counter-clockwise."""
    return shapely.Polygon(curve).buffer(0)


def _ordered(corners: Points) -> Points:
    """Counter-clockwise."""
    z, r = corners[:, 0], corners[:, 1]
    double = z[:-1] @ r[1:] - z[1:] @ r[:-1] + z[-1] * r[0] - z[0] * r[-1]
    ordered: Points = corners if double >= 0 else corners[::-1]
    return ordered


def _distinct(points: Points) -> Points:
    """Without points that stand twice in a row."""
    distinct: Points = points[np.concatenate([[True], np.any(points[1:] != points[:-1], axis=1)])]
    return distinct


def _ring(ring: shapely.LinearRing) -> Points:
    """Its points once, counter-clockwise."""
    p = _distinct(np.asarray(ring.coords))
    p = p[:-1] if np.array_equal(p[0], p[-1]) else p
    ordered: Points = p if ring.is_ccw else p[::-1]
    return ordered
