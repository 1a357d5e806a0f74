"""Cutter and nose radius compensation G41/G42: a programmed contour offset by the tool's radius, as a control does it.

*Element*: a programmed line or arc in XY with the Z, feed and line number of its block; on a lathe in the plane (z, r).
The first element leads onto the offset contour: it ends beside the next element's start, at right
angles to it; the last one leaves from beside the element before. Between elements: tangent joints
need nothing, inside corners are cut at the crossing of the two offsets, outside corners are
rolled round by an arc. Left is positive.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, TypeAlias

import shapely
from msgspec import Struct
from msgspec.structs import replace
from shapely.ops import substring

Point = tuple[float, float]
TANGENT_RAD = 0.02
"""Joints that turn less than this are taken as tangent: rounded short elements are never quite."""
SHORT_MM = 1e-6
TIGHT_MM = 0.006
"""An inside arc may be this much smaller than the tool: programs are rounded, to 0.0025 mm in inches."""

NARROW_MM = 0.02
"""Walls that the tool cuts into by less are rounding."""
CHORD_MM = 0.002


How: TypeAlias = tuple[Any, ...]
"""What else held when a line was read: what the spindle did then, as each sort of machine has it."""


class EdgePiece(Struct, frozen=True):
    """A move in XY; ``sweep`` 0 for a line, signed radians for an arc around ``centre``. ``how``: what else held when its line was read."""

    start: Point
    end: Point
    z0: float
    z1: float
    feed: float
    line: int
    rapid: bool = False
    centre: Point = (0.0, 0.0)
    sweep: float = 0.0
    how: How = ()

    def direction(self, at_end: bool) -> float:
        """Heading in radians at start or end."""
        if self.sweep == 0.0:
            return math.atan2(self.end[1] - self.start[1], self.end[0] - self.start[0])
        p = self.end if at_end else self.start
        radial = math.atan2(p[1] - self.centre[1], p[0] - self.centre[0])
        return radial + math.copysign(math.pi / 2, self.sweep)


Report = Callable[[int, str], None]


def compensate(elements: list[EdgePiece], side: float, leaves: bool, report: Report) -> list[EdgePiece]:
    """Offset a chain by ``side`` (mm, positive left).

    The first element is the one that takes compensation up; with ``leaves`` the last one drops it.
    ``report(line, text)`` is told of a contour the tool can't follow.
    """
    body = [e for e in elements[1 : len(elements) - 1 if leaves else None] if _has_length(e) or e.z0 != e.z1]
    moving = [e for e in body if _has_length(e)]
    lead = elements[0]
    if not moving:
        return elements
    first, last = moving[0], moving[-1]
    result = [replace(lead, end=_beside(first, False, side))]
    offsets = [_offset(e, side, report) for e in body]
    result += _joined(body, offsets, side, report, result[0].end)
    if leaves:
        result.append(replace(elements[-1], start=_beside(last, True, side)))
    return result


def narrow(elements: list[EdgePiece], ways: list[EdgePiece], side: float, leaves: bool, report: Report) -> None:
    """Tells of a wall that the tool cuts although it only follows another one: a place narrower than it is.

    Walls are what lies between the first and the last time that the contour passes one point (it may run on past there), or, of an open contour,
    all of it but the arcs that lead onto it and off it.
    """
    walls = _walls([e for e in elements[1 : len(elements) - 1 if leaves else None] if _has_length(e)])
    followed = {line for line, _ in walls}
    centre = [e for e in ways if e.line in followed and _has_length(e)]
    if len(walls) < 2 or not centre:
        return
    tree = shapely.STRtree([wall for _, wall in walls])
    for way in centre:
        near = tree.query(_chords(way), "dwithin", abs(side) - NARROW_MM)
        if len(near):
            text = f"The tool of radius {abs(side):.3f} is too wide here: it cuts into the wall of line {walls[int(near[0])][0]} too. Use a smaller tool."
            report(way.line, text)
            return


def _walls(body: list[EdgePiece]) -> list[tuple[int, shapely.LineString]]:
    """What of a compensated contour stays as a wall, with its lines. An arc that leads on and one that leads off may meet as well, so the
    loop inside them comes first."""
    lines = [_chords(e) for e in body]
    tree = shapely.STRtree(lines)
    for i in (*range(1, len(body)), 0) if body and body[0].sweep else range(len(body)):
        for j in sorted((int(k) for k in tree.query(lines[i], "dwithin", NARROW_MM) if k > i), reverse=True):
            met = _meeting(body[i], lines[i], body[j], lines[j], neighbours=j == i + 1)
            if met is not None:
                a, b = lines[i].project(met), lines[j].project(met)
                first, last = _between(lines[i], a, lines[i].length), _between(lines[j], 0.0, b)
                inner = [
                    (body[i].line, first),
                    *((body[k].line, lines[k]) for k in range(i + 1, j)),
                    (body[j].line, last),
                ]
                return [(line, wall) for line, wall in inner if wall.length > NARROW_MM]
    whole = list(zip([e.line for e in body], lines, strict=True))
    if body and body[0].sweep:
        whole = whole[1:]
    return whole[:-1] if body and body[-1].sweep else whole


def _meeting(
    first: EdgePiece, a: shapely.LineString, last: EdgePiece, b: shapely.LineString, *, neighbours: bool
) -> shapely.Point | None:
    """Where a contour comes back to a place that it has passed."""
    if math.dist(first.start, last.end) < NARROW_MM:
        return shapely.Point(first.start)
    if neighbours:
        return None
    met = a.intersection(b)
    return met if isinstance(met, shapely.Point) and not met.is_empty else None


def _between(line: shapely.LineString, start: float, end: float) -> shapely.LineString:
    part = substring(line, start, end)
    return part if isinstance(part, shapely.LineString) else shapely.LineString([part, part])


def _chords(e: EdgePiece) -> shapely.LineString:
    if e.sweep == 0.0:
        return shapely.LineString([e.start, e.end])
    radius = math.dist(e.start, e.centre)
    a0 = math.atan2(e.start[1] - e.centre[1], e.start[0] - e.centre[0])
    count = max(math.ceil(abs(e.sweep) / (2 * math.acos(max(1 - CHORD_MM / max(radius, CHORD_MM), 0.5)))), 2)
    turns = [a0 + e.sweep * k / count for k in range(count + 1)]
    return shapely.LineString([(e.centre[0] + radius * math.cos(t), e.centre[1] + radius * math.sin(t)) for t in turns])


def nose_ways(chain: list[EdgePiece], centre: Point, *, leaves: bool) -> list[EdgePiece]:
    """A lathe's chain as the middle of the nose sees it: before compensation and after it that is beside the reference point by ``centre``."""
    if not chain:
        return []

    def beside(p: Point) -> Point:
        return (p[0] + centre[0], p[1] + centre[1])

    last = len(chain) - 1
    if last == 0 or (last == 1 and leaves):
        return [replace(e, start=beside(e.start), end=beside(e.end)) for e in chain]
    ways = [replace(chain[0], start=beside(chain[0].start)), *chain[1:]]
    return [*ways[:-1], replace(ways[-1], end=beside(ways[-1].end))] if leaves else ways


def _has_length(e: EdgePiece) -> bool:
    return e.sweep != 0.0 or math.dist(e.start, e.end) > SHORT_MM


def _beside(e: EdgePiece, at_end: bool, side: float) -> Point:
    p, heading = (e.end if at_end else e.start), e.direction(at_end)
    return (p[0] - side * math.sin(heading), p[1] + side * math.cos(heading))


def _offset(e: EdgePiece, side: float, report: Report) -> EdgePiece:
    if not _has_length(e):
        return e
    if e.sweep != 0.0:
        radius = math.dist(e.start, e.centre)
        if side * e.sweep > 0 and radius < abs(side) - TIGHT_MM:
            report(
                e.line,
                f"The tool's radius {abs(side):.3f} is larger than this inside arc of radius {radius:.3f}. Use a smaller tool.",
            )
    return replace(e, start=_beside(e, False, side), end=_beside(e, True, side))


def _joined(
    body: list[EdgePiece], offsets: list[EdgePiece], side: float, report: Report, start: Point
) -> list[EdgePiece]:
    """Offsets joined from ``start``: inside corners trimmed, outside corners rolled."""
    result: list[EdgePiece] = []
    previous: tuple[EdgePiece, int] | None = None
    for original, shifted in zip(body, offsets, strict=True):
        if not _has_length(original):
            here = result[-1].end if result else start
            result.append(replace(shifted, start=here, end=here))
            continue
        if previous is None:
            result.append(shifted)
            previous = (original, len(result) - 1)
            continue
        before, at = previous
        turn = _wrap(original.direction(False) - before.direction(True))
        if abs(turn) < TANGENT_RAD:
            here = result[-1].end
            if original.sweep == 0.0:
                shifted = replace(shifted, start=here)
            elif math.dist(here, shifted.start) > SHORT_MM:
                result.append(replace(original, start=here, end=shifted.start, z1=original.z0, sweep=0.0))
        elif turn * side > 0:
            crossing = _crossing(result[at], shifted)
            if crossing is None:
                report(original.line, "The contour is too tight for the tool's radius here. Use a smaller tool.")
            else:
                result[at] = _retrim(result[at], end=crossing)
                shifted = _retrim(shifted, start=crossing)
        else:
            corner = original.start
            a0 = math.atan2(result[-1].end[1] - corner[1], result[-1].end[0] - corner[0])
            a1 = math.atan2(shifted.start[1] - corner[1], shifted.start[0] - corner[0])
            sweep = _wrap(a1 - a0)
            result.append(
                EdgePiece(
                    result[-1].end,
                    shifted.start,
                    original.z0,
                    original.z0,
                    original.feed,
                    original.line,
                    original.rapid,
                    corner,
                    sweep,
                    original.how,
                )
            )
        result.append(shifted)
        previous = (original, len(result) - 1)
    return result


def _wrap(angle: float) -> float:
    return (angle + math.pi) % math.tau - math.pi


def _retrim(e: EdgePiece, start: Point | None = None, end: Point | None = None) -> EdgePiece:
    new = replace(e, start=start or e.start, end=end or e.end)
    if e.sweep == 0.0:
        return new
    a0 = math.atan2(new.start[1] - e.centre[1], new.start[0] - e.centre[0])
    a1 = math.atan2(new.end[1] - e.centre[1], new.end[0] - e.centre[0])
    sweep = (a1 - a0) % math.tau
    return replace(new, sweep=sweep if e.sweep > 0 else sweep - math.tau)


def _crossing(p: EdgePiece, q: EdgePiece) -> Point | None:
    """Where two offset elements cross, the point nearest to their common corner."""
    candidates: list[Point] = []
    if p.sweep == 0.0 and q.sweep == 0.0:
        candidates = _line_line(p, q)
    elif p.sweep == 0.0:
        candidates = _line_circle(p, q)
    elif q.sweep == 0.0:
        candidates = _line_circle(q, p)
    else:
        candidates = _circle_circle(p, q)
    corner = ((p.end[0] + q.start[0]) / 2, (p.end[1] + q.start[1]) / 2)
    return min(candidates, key=lambda c: math.dist(c, corner), default=None)


def _line_line(p: EdgePiece, q: EdgePiece) -> list[Point]:
    dx, dy = p.end[0] - p.start[0], p.end[1] - p.start[1]
    ex, ey = q.end[0] - q.start[0], q.end[1] - q.start[1]
    cross = dx * ey - dy * ex
    if abs(cross) < 1e-12:
        return []
    t = ((q.start[0] - p.start[0]) * ey - (q.start[1] - p.start[1]) * ex) / cross
    s = ((q.start[0] - p.start[0]) * dy - (q.start[1] - p.start[1]) * dx) / cross
    if not (-1e-6 <= t <= 1 + 1e-6 and -1e-6 <= s <= 1 + 1e-6):
        return []
    return [(p.start[0] + t * dx, p.start[1] + t * dy)]


def _line_circle(p: EdgePiece, q: EdgePiece) -> list[Point]:
    radius = math.dist(q.start, q.centre)
    dx, dy = p.end[0] - p.start[0], p.end[1] - p.start[1]
    length = math.hypot(dx, dy)
    if length < SHORT_MM:
        return []
    ux, uy = dx / length, dy / length
    along = (q.centre[0] - p.start[0]) * ux + (q.centre[1] - p.start[1]) * uy
    foot = (p.start[0] + along * ux, p.start[1] + along * uy)
    rest = radius**2 - math.dist(foot, q.centre) ** 2
    if rest < -1e-9:
        return []
    half = math.sqrt(max(rest, 0.0))
    return [
        (p.start[0] + t * ux, p.start[1] + t * uy) for t in (along - half, along + half) if -1e-6 <= t <= length + 1e-6
    ]


def _circle_circle(p: EdgePiece, q: EdgePiece) -> list[Point]:
    r0, r1 = math.dist(p.start, p.centre), math.dist(q.start, q.centre)
    d = math.dist(p.centre, q.centre)
    if d < SHORT_MM or d > r0 + r1 + 1e-9 or d < abs(r0 - r1) - 1e-9:
        return []
    a = (d * d + r0 * r0 - r1 * r1) / (2 * d)
    h = math.sqrt(max(r0 * r0 - a * a, 0.0))
    ux, uy = (q.centre[0] - p.centre[0]) / d, (q.centre[1] - p.centre[1]) / d
    mx, my = p.centre[0] + a * ux, p.centre[1] + a * uy
    return [(mx - h * uy, my + h * ux), (mx + h * uy, my - h * ux)]
