"""Ways across an end face in X and C: between two places the axes go in even shares, on a spiral, and a straight way or an arc is parted until none leaves it."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial

from bastler.core.geometry.path import Arc, Point, arc_sweep

STRAYS_MM = 0.002
"""How far a spiral may lie beside the way that it stands for."""
FINEST_MM = 0.004
"""So near to the axis C may swing as it likes."""
PIECE_RAD = math.radians(60.0)
"""Pieces of arcs to begin with, so that C never turns half round in one."""
ASKED = (0.25, 0.5, 0.75)

Along = Callable[[float], Point]
"""The place at a share of a way."""
Beside = Callable[[Point], float]
"""How far a place lies beside a way, mm."""


def straight(a: Point, b: Point) -> list[tuple[float, Point]]:
    """Shares of a straight way and the places there, all but the first, so that spirals between them stay on it."""
    length = math.dist(a, b)

    def beside(p: Point) -> float:
        return abs((p[0] - a[0]) * (b[1] - a[1]) - (p[1] - a[1]) * (b[0] - a[0])) / length

    def along(t: float) -> Point:
        return (a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t)

    if length < FINEST_MM:
        return [(1.0, b)]
    facing = -(a[0] * (b[0] - a[0]) + a[1] * (b[1] - a[1])) / length**2
    # Parted where it comes nearest to the axis: there C swings fastest, and to both sides alike.
    ends = [0.0, facing, 1.0] if 0.0 < facing < 1.0 else [0.0, 1.0]
    return _parted(ends, along, beside)


def arc(start: Point, turn: Arc, *, whole: bool) -> list[tuple[float, Point]]:
    """The same for an arc; ``whole``: it goes all round."""
    centre = turn.centre
    radius, begin = math.dist(start, centre), math.atan2(start[1] - centre[1], start[0] - centre[0])
    sweep = math.copysign(math.tau, 1.0 if turn.ccw else -1.0) if whole else arc_sweep(start, turn)

    def along(t: float) -> Point:
        if t >= 1.0:
            return turn.end
        return (centre[0] + radius * math.cos(begin + sweep * t), centre[1] + radius * math.sin(begin + sweep * t))

    def beside(p: Point) -> float:
        return abs(math.dist(p, centre) - radius)

    count = max(math.ceil(abs(sweep) / PIECE_RAD - 1e-9), 1)
    return _parted([k / count for k in range(count + 1)], along, beside)


def swing(a: Point, b: Point) -> float:
    """How far C swings from one place to another the shorter way, rad; 0 from or to the axis."""
    if min(math.hypot(*a), math.hypot(*b)) < FINEST_MM / 2:
        return 0.0
    return math.remainder(math.atan2(b[1], b[0]) - math.atan2(a[1], a[0]), math.tau)


def _parted(ends: list[float], along: Along, beside: Beside) -> list[tuple[float, Point]]:
    part = partial(_halved, along=along, beside=beside)
    return [one for t0, t1 in zip(ends, ends[1:], strict=False) for one in part(t0, t1)]


def _halved(t0: float, t1: float, along: Along, beside: Beside) -> list[tuple[float, Point]]:
    a, b = along(t0), along(t1)
    radius, turned, swung = math.hypot(*a), math.atan2(a[1], a[0]), swing(a, b)
    spiral = ((radius + (math.hypot(*b) - radius) * k, turned + swung * k) for k in ASKED)
    on_it = all(beside((r * math.cos(c), r * math.sin(c))) <= STRAYS_MM for r, c in spiral)
    if math.dist(a, b) < FINEST_MM or (on_it and abs(swung) <= math.pi / 2):
        return [(t1, b)]
    middle = (t0 + t1) / 2
    return [*_halved(t0, middle, along, beside), *_halved(middle, t1, along, beside)]
