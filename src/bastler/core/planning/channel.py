"""Cutting along a closed path with a channel as wide as the tool: down by a ramp all the way round, over tabs.

*Lap*: once round the path. *Tabs*: bridges that stay, ``height`` over the floor; the tool lifts over them.
"""

from __future__ import annotations

import math

from msgspec import Struct

from bastler.core.geometry.path import SAME_MM, Arc, Path
from bastler.core.moves import Feed, Move, Turn

Span = tuple[float, float]


class Tabs(Struct, frozen=True):
    """``count`` tabs, ``length`` mm long and up to ``top`` (Z), the first in the middle of the path's first side."""

    count: int
    length: float
    top: float


def spans(path: Path, tabs: Tabs | None, radius: float) -> list[Span]:
    """Distances along a path from its start, wrapped into one lap, between which the tool lifts."""
    if tabs is None:
        return []
    whole, half = path.length, tabs.length / 2 + radius
    return [(whole * i / tabs.count - half, whole * i / tabs.count + half) for i in range(tabs.count)]


def gaps(path: Path, tabs: Tabs, radius: float) -> list[Path]:
    """The parts of a path between the tabs."""
    whole = path.length
    found = spans(path, tabs, radius)
    following = [*found[1:], (found[0][0] + whole, found[0][1] + whole)]
    return [
        path.part(end % whole, end % whole + begin - end) for (_, end), (begin, _) in zip(found, following, strict=True)
    ]


def start_of(path: Path, tabs: Tabs | None) -> float:
    """Where laps begin: half way between the first two tabs."""
    return path.length / (2 * tabs.count) if tabs else 0.0


def down_and_round(
    path: Path, tabs: Tabs | None, radius: float, top: float, floor: float, slope: float, feed: float, feed_down: float
) -> list[Move]:
    """From ``top`` down along the path, ``slope`` mm per mm, and once round on the floor; starts and ends on the path."""
    whole, begin = path.length, start_of(path, tabs)
    ramp = max(top - floor, 0.0) / slope
    over = [
        (low + k * whole, high + k * whole)
        for k in range(-1, int((begin + ramp) / whole) + 3)
        for low, high in spans(path, tabs, radius)
    ]
    end = begin + ramp + whole

    def height(at: float) -> float:
        """Z of the ramp itself."""
        return max(top - (at - begin) * slope, floor)

    stops = {begin, begin + ramp, end}
    if tabs:
        stops.add(begin + (top - max(tabs.top, floor)) * ramp / max(top - floor, SAME_MM))
    stops |= {s for span in over for s in span}
    for k in range(int(end / whole) + 1):
        at = k * whole
        for _, _, length in path.pieces():
            at += length
            stops.add(at)
    ways = sorted(s for s in stops if begin - SAME_MM <= s <= end + SAME_MM)
    moves: list[Move] = []
    z = height(begin)
    for a, b in zip(ways, ways[1:], strict=False):
        if b - a < SAME_MM:
            continue
        lifted = tabs is not None and any(low - SAME_MM <= a and b <= high + SAME_MM for low, high in over)
        here, there = (max(h, tabs.top) if lifted and tabs else h for h in (height(a), height(b)))
        if abs(here - z) > SAME_MM:
            moves.append(Feed(None, None, here, feed if here > z else feed_down))
        moves += _along(path.part(a % whole, a % whole + b - a), there if abs(there - here) > SAME_MM else None, feed)
        z = there
    return moves


def _along(path: Path, z: float | None, feed: float) -> list[Move]:
    """Moves on a piece of one element, reaching ``z`` at its end."""
    return [
        Turn(*e.end, e.centre, e.ccw, feed, z) if isinstance(e, Arc) else Feed(*e.end, z, feed) for e in path.elements
    ]


def length_taken(tabs: Tabs, radius: float) -> float:
    """How much of a lap the tabs take."""
    return tabs.count * (tabs.length + 2 * radius)


def slope_for(angle_deg: float, depth_per_lap: float, path: Path) -> float:
    """The steeper limit rules: the tool's ramp angle, or the depth of a lap."""
    return min(math.tan(math.radians(angle_deg)), depth_per_lap / path.length)
