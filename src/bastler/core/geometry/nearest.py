"""Points on paths: the nearest to another, the middle of an element, a closed path begun elsewhere. No NumPy here."""

from __future__ import annotations

import math

from bastler.core.geometry.path import SAME_MM, Arc, Line, Path, Point


def nearest(loop: Path, p: Point) -> tuple[Point, float]:
    """The point of a path nearest to another, and its distance."""
    best, least = loop.start, math.dist(loop.start, p)
    here = loop.start
    for e in loop.elements:
        if _at_least(here, e, p) < least:
            q = foot(here, e, p)
            away = math.dist(q, p)
            if away < least - 1e-12:
                best, least = q, away
        here = e.end
    return best, least


def _at_least(start: Point, e: Line | Arc, p: Point) -> float:
    """No more than the distance of an element from ``p``, found quickly."""
    if isinstance(e, Line):
        return math.dist(start, p) - math.dist(start, e.end)
    return abs(math.dist(p, e.centre) - math.dist(start, e.centre)) - SAME_MM


def foot(start: Point, e: Line | Arc, p: Point) -> Point:
    """The point of an element nearest to ``p``."""
    if isinstance(e, Line):
        dx, dy = e.end[0] - start[0], e.end[1] - start[1]
        length = dx * dx + dy * dy
        share = ((p[0] - start[0]) * dx + (p[1] - start[1]) * dy) / length if length > 0 else 0.0
        share = min(max(share, 0.0), 1.0)
        return (start[0] + share * dx, start[1] + share * dy)
    (cx, cy), radius = e.centre, math.dist(start, e.centre)
    away = math.dist(p, e.centre)
    if away > SAME_MM:
        q = (cx + (p[0] - cx) * radius / away, cy + (p[1] - cy) * radius / away)
        way = 1.0 if e.ccw else -1.0
        begin = math.atan2(start[1] - cy, start[0] - cx)
        turned = way * (math.atan2(q[1] - cy, q[0] - cx) - begin) % math.tau
        whole = way * (math.atan2(e.end[1] - cy, e.end[0] - cx) - begin) % math.tau
        if turned <= (whole or math.tau):
            return q
    return min(start, e.end, key=lambda c: math.dist(c, p))


def along_to(start: Point, e: Line | Arc, at: Point) -> float:
    """How far along an element one of its points lies, mm."""
    if isinstance(e, Line):
        return math.dist(start, at)
    (cx, cy), way = e.centre, 1.0 if e.ccw else -1.0
    turn = way * (math.atan2(at[1] - cy, at[0] - cx) - math.atan2(start[1] - cy, start[0] - cx)) % math.tau
    return 0.0 if math.dist(start, at) < SAME_MM else turn * math.dist(start, e.centre)


def begun_at(loop: Path, at: Point) -> Path:
    """A closed path from another of its points on."""
    starts = [loop.start, *(e.end for e in loop.elements)]
    corner = next((k for k, p in enumerate(starts[:-1]) if math.dist(p, at) < SAME_MM), None)
    if corner is not None:
        return Path(starts[corner], (*loop.elements[corner:], *loop.elements[:corner]))
    which = min(range(len(loop.elements)), key=lambda k: _away(loop, k, at))
    first = loop.elements[which]
    last = Line(at) if isinstance(first, Line) else Arc(at, first.centre, first.ccw)
    return Path(at, (first, *loop.elements[which + 1 :], *loop.elements[:which], last))


def _away(loop: Path, k: int, at: Point) -> float:
    start = loop.elements[k - 1].end if k else loop.start
    return math.dist(foot(start, loop.elements[k], at), at)


def begun_near(path: Path, at: Point) -> Path:
    """A closed path from its point nearest to another."""
    return begun_at(path, nearest(path, at)[0])


def middle_of(start: Point, e: Line | Arc, length: float) -> tuple[Point, Point]:
    """The middle of an element and the direction there."""
    half = Path(start, (e,)).part(0.0, length / 2)
    return half.end, direction(start, e, half.end)


def direction(start: Point, e: Line | Arc, at: Point) -> Point:
    """Unit direction of an element at one of its points."""
    if isinstance(e, Line):
        length = math.dist(start, e.end) or 1.0
        return ((e.end[0] - start[0]) / length, (e.end[1] - start[1]) / length)
    radius, way = math.dist(start, e.centre), (1.0 if e.ccw else -1.0)
    return (-way * (at[1] - e.centre[1]) / radius, way * (at[0] - e.centre[0]) / radius)
