"""Roughing in slices: the free space cut into levels, each pocket of it cleared from the top down.

*Level*: a height of the reference point. *Slice*: the free space between a level and the one above. *Pass*: into a slice
along its right border, along its bottom, up its left border; so no steps are left on slopes. ``a`` runs along the passes
(they go towards smaller ``a``), ``b`` upwards: (z, r) for passes along the axis, (r, z) for passes towards it.
"""

from __future__ import annotations

import math

import shapely
from msgspec import Struct

from bastler.core.geometry.path import Point
from bastler.core.geometry.turned import Area, polygons

ON_LEVEL_MM = 1e-7
SHORTEST_MM = 1e-3


class Pass(Struct, frozen=True):
    """``down`` from the level above to the bottom's right end, ``bottom`` to its left end, ``up`` to the level above."""

    level: int
    down: tuple[Point, ...]
    up: tuple[Point, ...]
    open: bool

    @property
    def right(self) -> Point:
        """Where the bottom begins."""
        return self.down[-1]

    @property
    def left(self) -> Point:
        """Where it ends."""
        return self.up[0]


def heights(top: float, low: float, depth: float) -> list[float]:
    """Levels below ``top`` down to ``low``, equally far apart, at most ``depth``."""
    if top - low < SHORTEST_MM:
        return []
    count = math.ceil((top - low) / depth - 1e-9)
    return [top - (top - low) * k / count for k in range(1, count + 1)]


def passes(free: Area, top: float, levels: list[float], right: float) -> list[Pass]:
    """Passes pocket by pocket, each pocket from the top down; ``right``: where free space ends in the open air."""
    by_level = [
        _slices(free, high, low, k, right) for k, (high, low) in enumerate(zip([top, *levels], levels, strict=False))
    ]
    ordered: list[Pass] = []

    def into(one: Pass) -> None:
        ordered.append(one)
        if one.level + 1 < len(by_level):
            for below in by_level[one.level + 1]:
                if below not in ordered and below.left[0] < one.right[0] and below.right[0] > one.left[0]:
                    into(below)

    for level in by_level:
        for one in level:
            if one not in ordered:
                into(one)
    return ordered


def _slices(free: Area, high: float, low: float, level: int, right: float) -> list[Pass]:
    """The passes of one slice, from right to left."""
    found = []
    for part in polygons(shapely.clip_by_rect(free, -1e6, low, 1e6, high)):
        ring = [(x, y) for x, y in shapely.geometry.polygon.orient(part).exterior.coords][:-1]
        n = len(ring)
        for i in range(n):
            p, q = ring[i], ring[(i + 1) % n]
            if abs(p[1] - low) > ON_LEVEL_MM or abs(q[1] - low) > ON_LEVEL_MM or q[0] - p[0] < SHORTEST_MM:
                continue
            if abs(ring[i - 1][1] - low) <= ON_LEVEL_MM:
                continue
            j = (i + 1) % n
            while abs(ring[(j + 1) % n][1] - low) <= ON_LEVEL_MM and ring[(j + 1) % n][0] > ring[j][0]:
                j = (j + 1) % n
            up = _climb(ring, i, -1, high)
            down = _climb(ring, j, 1, high)[::-1]
            found.append(Pass(level, tuple(down), tuple(up), down[-1][0] > right - 1e-6))
    return sorted(found, key=lambda s: -s.right[0])


def _climb(ring: list[Point], i: int, step: int, high: float) -> list[Point]:
    """From a corner of the bottom along the border until it reaches the top of the slice."""
    points, n = [ring[i]], len(ring)
    for _ in range(n):
        if points[-1][1] >= high - ON_LEVEL_MM:
            return points
        i = (i + step) % n
        points.append(ring[i])
    return points


def lowest(free: Area) -> float:
    """The lowest height of an area."""
    return float(free.bounds[1])
