"""Plane paths of lines and arcs.

*Element*: a :class:`Line` or :class:`Arc` that ends at a point; it starts where the one before ended.
*Path*: a start point and elements. Right-handed XY, millimetres, ``ccw`` seen from +Z.
"""

from __future__ import annotations

import math

from msgspec import Struct

Point = tuple[float, float]
SAME_POINT_MM = 1e-9


class Line(Struct, frozen=True):
    """A straight element to ``end``."""

    end: Point


class Arc(Struct, frozen=True):
    """An arc to ``end`` around ``centre``; start = end means a full circle."""

    end: Point
    centre: Point
    ccw: bool


Element = Line | Arc


class Path(Struct, frozen=True):
    """A chain of elements from ``start``."""

    start: Point
    elements: tuple[Element, ...]

    @property
    def end(self) -> Point:
        """Where the last element ends."""
        return self.elements[-1].end if self.elements else self.start

    def placed(self, at: Point, angle_deg: float) -> Path:
        """The path turned by ``angle_deg`` about its origin, then moved to ``at``."""
        c, s = math.cos(math.radians(angle_deg)), math.sin(math.radians(angle_deg))

        def put(p: Point) -> Point:
            return (at[0] + c * p[0] - s * p[1], at[1] + s * p[0] + c * p[1])

        moved: list[Element] = []
        for e in self.elements:
            moved.append(Line(put(e.end)) if isinstance(e, Line) else Arc(put(e.end), put(e.centre), e.ccw))
        return Path(put(self.start), tuple(moved))

    def reversed(self) -> Path:
        """The same line run through from its end."""
        stops = [self.start, *(e.end for e in self.elements)]
        back: list[Element] = []
        for stop, e in zip(reversed(stops[:-1]), reversed(self.elements), strict=True):
            back.append(Line(stop) if isinstance(e, Line) else Arc(stop, e.centre, not e.ccw))
        return Path(stops[-1], tuple(back))

    def points(self, chord_mm: float = 0.01) -> list[Point]:
        """The path as chords that stay within ``chord_mm`` of the arcs."""
        result = [self.start]
        for e in self.elements:
            if isinstance(e, Arc):
                result += arc_points(result[-1], e, chord_mm)
            else:
                result.append(e.end)
        return result

    def crossings(self, y: float) -> list[float]:
        """X of every place where the path meets the horizontal line at ``y``, sorted; a part that runs along it gives its ends."""
        found, here = [], self.start
        for e in self.elements:
            if isinstance(e, Arc):
                found += _arc_crossings(here, e, y)
            elif here[1] == e.end[1] == y:
                found += [here[0], e.end[0]]
            elif min(here[1], e.end[1]) <= y <= max(here[1], e.end[1]) and here[1] != e.end[1]:
                found.append(here[0] + (e.end[0] - here[0]) * (y - here[1]) / (e.end[1] - here[1]))
            here = e.end
        return sorted(found)


def _arc_crossings(start: Point, arc: Arc, y: float) -> list[float]:
    radius, rise = math.dist(start, arc.centre), y - arc.centre[1]
    if abs(rise) > radius:
        return []
    half = math.sqrt(radius**2 - rise**2)
    a0 = math.atan2(start[1] - arc.centre[1], start[0] - arc.centre[0])
    sweep = arc_sweep(start, arc)
    found = []
    for x in (-half, half):
        turned = (math.atan2(rise, x) - a0) * (1 if sweep > 0 else -1) % math.tau
        if turned <= abs(sweep) + 1e-9 or math.tau - turned < 1e-9:
            found.append(arc.centre[0] + x)
    return found


def arc_sweep(start: Point, arc: Arc) -> float:
    """Signed angle run through by an arc in radians, counter-clockwise positive, never 0."""
    a0 = math.atan2(start[1] - arc.centre[1], start[0] - arc.centre[0])
    a1 = math.atan2(arc.end[1] - arc.centre[1], arc.end[0] - arc.centre[0])
    sweep = (a1 - a0) % math.tau
    if math.dist(start, arc.end) < SAME_POINT_MM:
        sweep = math.tau
    return sweep if arc.ccw else (sweep - math.tau if sweep < math.tau else -math.tau)


def arc_points(start: Point, arc: Arc, chord_mm: float) -> list[Point]:
    """Points along an arc after ``start``, the end included."""
    sweep = arc_sweep(start, arc)
    radius = math.dist(start, arc.centre)
    step = 2 * math.acos(max(1 - chord_mm / max(radius, chord_mm), 0.5))
    count = max(math.ceil(abs(sweep) / step), 2)
    a0 = math.atan2(start[1] - arc.centre[1], start[0] - arc.centre[0])
    turned = [a0 + sweep * i / count for i in range(1, count)]
    return [
        (arc.centre[0] + radius * math.cos(a), arc.centre[1] + radius * math.sin(a)) for a in turned
    ] + [arc.end]  # fmt: skip


def rounded_rectangle(half_length: float, half_width: float, radius: float) -> Path:
    """A closed counter-clockwise loop about the origin from the middle of the lower side.

    ``radius`` is clipped to the half sizes; lines and arcs without length are left out, so a loop
    without width is a line there and back.
    """
    a, b = half_length, half_width
    r = max(min(radius, a, b), 0.0)
    corners: list[tuple[Point, Point, Point]] = [
        ((a - r, -b), (a - r, -b + r), (a, -b + r)),
        ((a, b - r), (a - r, b - r), (a - r, b)),
        ((-a + r, b), (-a + r, b - r), (-a, b - r)),
        ((-a, -b + r), (-a + r, -b + r), (-a + r, -b)),
    ]
    start = (0.0, -b)
    elements: list[Element] = []
    here = start

    def line_to(end: Point) -> None:
        nonlocal here
        if math.dist(here, end) > SAME_POINT_MM:
            elements.append(Line(end))
            here = end

    for begin, centre, end in corners:
        line_to(begin)
        if r > SAME_POINT_MM:
            elements.append(Arc(end, centre, True))
            here = end
    line_to(start)
    return Path(start, tuple(elements))
