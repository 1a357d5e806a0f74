"""Roughing in slices: the free space cut into levels, each pocket of it cleared from the top down.

*Level*: a height of the reference point. *Slice*: the free space between a level and the one above. *Pass*: round the
bottom of a slice, down its right border, along the level or what lies above it, up its left border; so no steps stay. ``a`` runs along the passes
(they go towards smaller ``a``), ``b`` upwards: (z, r) for passes along the axis, (r, z) for passes towards it.
"""

from __future__ import annotations

import math

import shapely
from msgspec import Struct

from bastler.core.geometry.halfsection import Area, clipped, polygons
from bastler.core.geometry.path import Point

ON_LEVEL_MM = 1e-7
SHORTEST_MM = 1e-3


class Pass(Struct, frozen=True):
    """From the level above down its right border, along the bottom, up its left border, as points; ``open``: it begins in
    the open air at the right, on its lowest place there."""

    level: int
    points: tuple[Point, ...]
    open: bool

    @property
    def span(self) -> tuple[float, float]:
        """Smallest and largest ``a``."""
        every = [p[0] for p in self.points]
        return (min(every), max(every))


def heights(top: float, low: float, depth: float) -> list[float]:
    """Levels below ``top`` down to ``low``, equally far apart, at most ``depth``."""
    if top - low < SHORTEST_MM:
        return []
    count = math.ceil((top - low) / depth - 1e-9)
    return [top - (top - low) * k / count for k in range(1, count + 1)]


def passes(free: Area, top: float, levels: list[float], borders: tuple[float, float]) -> list[Pass]:
    """Passes pocket by pocket, each pocket from the top down, the right one first.

    ``borders``: where on the left and right it isn't metal that ends the free space, but the window that is looked at.
    """
    bands = zip([top, *levels], levels, strict=False)
    by_level = [_slice(free, high, low, k, borders) for k, (high, low) in enumerate(bands)]
    ordered: list[Pass] = []
    done: set[int] = set()

    def into(one: Pass) -> None:
        done.add(id(one))
        ordered.append(one)
        low, high = one.span
        for below in by_level[one.level + 1] if one.level + 1 < len(by_level) else ():
            if id(below) not in done and below.span[0] < high and below.span[1] > low:
                into(below)

    for level in by_level:
        for one in level:
            if id(one) not in done:
                into(one)
    return ordered


def _slice(free: Area, high: float, low: float, level: int, borders: tuple[float, float]) -> list[Pass]:
    """The passes of one slice, from right to left."""
    found = []
    for part in polygons(clipped(free, -1e6, low, 1e6, high)):
        ring = [(x, y) for x, y in shapely.geometry.polygon.orient(part).exterior.coords][:-1]
        n = len(ring)
        on_top = [_level(ring[i], high) and _level(ring[(i + 1) % n], high) for i in range(n)]
        if not any(on_top):
            continue
        for i in range(n):
            if on_top[i] and not on_top[(i + 1) % n]:
                found.append(_pass(ring, (i + 1) % n, on_top, level, borders))
    return sorted((p for p in found if len(p.points) > 1), key=lambda p: -p.span[1])


def _pass(ring: list[Point], i: int, on_top: list[bool], level: int, borders: tuple[float, float]) -> Pass:
    """The border below the top, which runs from left to right in the ring, run through from the right."""
    n = len(ring)
    chain = [ring[i]]
    while not on_top[i]:
        i = (i + 1) % n
        chain.append(ring[i])
    chain.reverse()
    left, right = borders
    first = 0
    while (
        first + 1 < len(chain) and chain[first][0] > right - SHORTEST_MM and chain[first + 1][0] > right - SHORTEST_MM
    ):
        first += 1
    last = len(chain) - 1
    while last > first + 1 and chain[last][0] < left + SHORTEST_MM and chain[last - 1][0] < left + SHORTEST_MM:
        last -= 1
    return Pass(level, tuple(chain[first : last + 1]), chain[first][0] > right - SHORTEST_MM)


def _level(p: Point, height: float) -> bool:
    return abs(p[1] - height) <= ON_LEVEL_MM
