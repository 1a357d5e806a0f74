"""Plane paths of lines and arcs.

*Element*: a :class:`Line` or :class:`Arc` that ends at a point; it starts where the one before ended.
*Path*: a start point and elements. Right-handed XY, millimetres, ``ccw`` seen from +Z.
"""

from __future__ import annotations

import math

from msgspec import Struct

SAME_MM = 1e-6
"""Places nearer to each other are one."""
Point = tuple[float, float]
SAME_POINT_MM = 1e-9
SHORTEST_SIDE_MM = 0.008
"""A shorter side between two corners would get lost in rounding: the corners grow by half of it, less than 0.002 mm off."""
HALF_TURN = math.pi * 0.999


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

    def pieces(self) -> list[tuple[Point, Element, float]]:
        """Every element with its start and its length."""
        starts = [self.start, *(e.end for e in self.elements)]
        return [(a, e, _length(a, e)) for a, e in zip(starts, self.elements, strict=False)]

    @property
    def length(self) -> float:
        """Of the whole path, mm."""
        return sum(length for _, _, length in self.pieces())

    def part(self, begin: float, end: float) -> Path:
        """From one distance along the path to another, mm; past its end a closed path goes on from its start."""
        pieces, at = self.pieces(), 0.0
        elements: list[Element] = []
        start: Point | None = None
        while pieces and at < end - SAME_POINT_MM:
            for a, e, length in pieces:
                low, high = max(begin - at, 0.0), min(end - at, length)
                if high > low + SAME_POINT_MM:
                    start = start or _point_on(a, e, length, low)
                    elements.append(_shortened(a, e, length, high))
                at += length
        return Path(start or self.start, tuple(elements))

    def parallel(self, left: float) -> Path:
        """The path at a distance to its left, mm; for a smooth path, whose arcs turn no tighter than that."""
        pieces = self.pieces()
        if not pieces:
            return self
        elements: list[Element] = []
        for a, e, length in pieces:
            end = _beside(a, e, length, length, left)
            elements.append(Line(end) if isinstance(e, Line) else Arc(end, e.centre, e.ccw))
        return Path(_beside(*pieces[0], 0.0, left), tuple(elements))

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


def _length(start: Point, e: Element) -> float:
    if isinstance(e, Line):
        return math.dist(start, e.end)
    return abs(arc_sweep(start, e)) * math.dist(start, e.centre)


def _point_on(start: Point, e: Element, length: float, at: float) -> Point:
    """The point ``at`` mm along an element."""
    share = at / length
    if isinstance(e, Line):
        return (start[0] + share * (e.end[0] - start[0]), start[1] + share * (e.end[1] - start[1]))
    turn = share * arc_sweep(start, e)
    c, s, dx, dy = math.cos(turn), math.sin(turn), start[0] - e.centre[0], start[1] - e.centre[1]
    return (e.centre[0] + c * dx - s * dy, e.centre[1] + s * dx + c * dy)


def _shortened(start: Point, e: Element, length: float, to: float) -> Element:
    """An element up to ``to`` mm of its length."""
    end = e.end if to >= length - SAME_POINT_MM else _point_on(start, e, length, to)
    return Line(end) if isinstance(e, Line) else Arc(end, e.centre, e.ccw)


def _beside(start: Point, e: Element, length: float, at: float, left: float) -> Point:
    """A point to the left of an element, ``at`` mm along it."""
    x, y = _point_on(start, e, length, at)
    if isinstance(e, Line):
        return (x - left * (e.end[1] - start[1]) / length, y + left * (e.end[0] - start[0]) / length)
    radius = math.dist(start, e.centre)
    share = left / radius * (-1 if e.ccw else 1)
    return (x + share * (x - e.centre[0]), y + share * (y - e.centre[1]))


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


def area(path: Path) -> float:
    """Signed area inside a closed path, counter-clockwise positive."""
    total, here = 0.0, path.start
    for e in path.elements:
        total += (here[0] * e.end[1] - here[1] * e.end[0]) / 2
        if isinstance(e, Arc):
            sweep, radius = arc_sweep(here, e), math.dist(here, e.centre)
            total += radius**2 / 2 * (sweep - math.sin(sweep))
        here = e.end
    return total


def short_arcs(path: Path) -> Path:
    """The same path, its arcs at most half a turn each."""
    elements: list[Element] = []
    here = path.start
    for e in path.elements:
        if isinstance(e, Arc):
            sweep = arc_sweep(here, e)
            parts = math.ceil(abs(sweep) / HALF_TURN)
            dx, dy = here[0] - e.centre[0], here[1] - e.centre[1]
            for k in range(1, parts):
                c, s = math.cos(sweep * k / parts), math.sin(sweep * k / parts)
                elements.append(Arc((e.centre[0] + c * dx - s * dy, e.centre[1] + s * dx + c * dy), e.centre, e.ccw))
        elements.append(e)
        here = e.end
    return Path(path.start, tuple(elements))


def path_bounds(path: Path) -> tuple[float, float, float, float]:
    """Extent of a path (x0, x1, y0, y1)."""
    xs, ys = [path.start[0]], [path.start[1]]
    here = path.start
    for e in path.elements:
        xs.append(e.end[0])
        ys.append(e.end[1])
        if isinstance(e, Arc):
            sweep, radius = arc_sweep(here, e), math.dist(here, e.centre)
            begin = math.atan2(here[1] - e.centre[1], here[0] - e.centre[0])
            for quarter in range(4):
                turned = (quarter * math.pi / 2 - begin) * (1 if sweep > 0 else -1) % math.tau
                if turned <= abs(sweep):
                    xs.append(e.centre[0] + radius * (1, 0, -1, 0)[quarter])
                    ys.append(e.centre[1] + radius * (0, 1, 0, -1)[quarter])
        here = e.end
    return (min(xs), max(xs), min(ys), max(ys))


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
    if r > 0 and min(a, b) - r < SHORTEST_SIDE_MM / 2:
        r = min(a, b)
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
