"""Feeds on an end face that the axis C can follow: the nearer the tool goes to the axis, the faster C has to swing.

At a distance ``d`` from the axis a feed ``v`` across turns C by v / d; straight ways are parted, so that only the piece near the axis is slow.
"""

from __future__ import annotations

import math

from msgspec.structs import replace

from bastler.core.geometry.path import Arc, Point, arc_sweep
from bastler.core.moves import Feed, Move, Rapid, Turn

NEAREST_MM = 0.05
"""Nearer than this the tool goes straight through the axis: C turns half round there, as fast as it can."""
SHORTEST_MM = 0.5
"""Of a straight way that is parted."""


def followed(moves: tuple[Move, ...], most_deg_per_min: float) -> tuple[tuple[Move, ...], float]:
    """The same moves, fed no faster than C can turn; and the slowest feed that came of it, infinite if none had to be lowered."""
    rate = math.radians(most_deg_per_min)
    here: Point = (0.0, 0.0)
    result: list[Move] = []
    least = math.inf
    for move in moves:
        if isinstance(move, Feed) and (move.x is not None or move.y is not None):
            to = (here[0] if move.x is None else move.x, here[1] if move.y is None else move.y)
            parts = _parted(here, to, move, rate)
            least = min([least, *(p.feed for p in parts if p.feed < move.feed)])
            result += parts
            here = to
        elif isinstance(move, Turn):
            slow = held(move.feed, rate, _nearest_on_arc(here, move))
            least = min(least, slow) if slow < move.feed else least
            result.append(replace(move, feed=slow))
            here = (move.x, move.y)
        else:
            if isinstance(move, Rapid):
                here = (here[0] if move.x is None else move.x, here[1] if move.y is None else move.y)
            result.append(move)
    return tuple(result), least


def held(feed: float, rate: float, distance: float) -> float:
    """A feed, mm/min, that C follows at a distance from the axis; ``rate``: of C, rad/min."""
    return min(feed, rate * max(distance, NEAREST_MM))


def nearest(a: Point, b: Point) -> float:
    """How near a straight way comes to the axis, mm."""
    dx, dy = b[0] - a[0], b[1] - a[1]
    square = dx * dx + dy * dy
    t = min(max(-(a[0] * dx + a[1] * dy) / square, 0.0), 1.0) if square > 0 else 0.0
    return math.hypot(a[0] + t * dx, a[1] + t * dy)


def _parted(a: Point, b: Point, move: Feed, rate: float) -> list[Feed]:
    slow = held(move.feed, rate, nearest(a, b))
    if slow >= move.feed or move.z is not None or math.dist(a, b) < 2 * SHORTEST_MM:
        return [replace(move, x=b[0], y=b[1], feed=slow)]
    middle = ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)
    return [*_parted(a, middle, move, rate), *_parted(middle, b, move, rate)]


def _nearest_on_arc(start: Point, move: Turn) -> float:
    """How near an arc comes to the axis, mm: where it faces it, if it goes round there, else at one of its ends."""
    (cx, cy), end = move.centre, (move.x, move.y)
    sweep = arc_sweep(start, Arc(end, move.centre, move.ccw))
    begin, facing = math.atan2(start[1] - cy, start[0] - cx), math.atan2(-cy, -cx)
    turned = (facing - begin) % math.tau if sweep > 0 else (begin - facing) % math.tau
    ends = min(math.hypot(*start), math.hypot(*end))
    return min(ends, abs(math.dist(start, move.centre) - math.hypot(cx, cy))) if turned <= abs(sweep) else ends
