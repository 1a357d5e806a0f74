"""Free curves as chains of arcs within a stated error, and chains of loose elements found by their ends.

*Stroke*: a path of its own, as a drawing has it. *Gap*: two ends that are taken for one although they are apart.
"""

from __future__ import annotations

import math

from msgspec import Struct

from bastler.core.geometry.path import Arc, Element, Line, Path, Point

EXACT_MM = 1e-6
NEAR_MM = 1e-4
FLAT_SAGITTA = 1e-9
UNEVEN = 4.0
"""The longest chord of one arc by the usual one: they are much alike, or alternate where a rounding was rounded again."""
STRAIGHT_MM = 3e-4
"""Chords this near to one line are that line."""


class Gap(Struct, frozen=True):
    """Where two ends were joined, and how far apart they were, mm."""

    at: Point
    size: float


class Chains(Struct, frozen=True):
    """Strokes joined: closed and open paths, the gaps that were closed, and how many strokes were there twice."""

    paths: tuple[Path, ...]
    gaps: tuple[Gap, ...]
    doubles: int


def through(points: list[Point], error: float, *, chords: bool = False) -> tuple[Path, float]:
    """A chain of arcs and lines through some of the points and within ``error`` of all; and the largest deviation.

    ``chords``: the points are joined by straight lines, which an arc must not leave by more than ``error`` either.
    """
    elements: list[Element] = []
    worst, at = 0.0, 0
    while at < len(points) - 1:
        step = 1
        best: tuple[int, Element, float] = (at + 1, Line(points[at + 1]), 0.0)
        low, high = 1, len(points) - 1 - at
        while step <= high:
            one, off = _fit(points[at : at + step + 1], chords)
            if off > error:
                high = step - 1
                break
            low, best = step, (at + step, one, off)
            step *= 2
        high = min(high, len(points) - 1 - at)
        while low < high:
            middle = (low + high + 1) // 2
            one, off = _fit(points[at : at + middle + 1], chords)
            if off > error:
                high = middle - 1
            else:
                low, best = middle, (at + middle, one, off)
        at = best[0]
        elements.append(best[1])
        worst = max(worst, best[2])
    return Path(points[0], tuple(elements)), worst


def _fit(points: list[Point], chords: bool) -> tuple[Element, float]:
    """A line or the arc through first, middle and last point, and how far the others are off."""
    a, m, b = points[0], points[len(points) // 2], points[-1]
    chord = math.dist(a, b)
    cross = (b[0] - a[0]) * (m[1] - a[1]) - (b[1] - a[1]) * (m[0] - a[0])
    if chord < EXACT_MM:
        return Line(b), math.inf if len(points) > 2 else 0.0
    off = max((abs((b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0])) / chord for p in points), default=0.0)
    if len(points) < 3 or abs(cross) <= FLAT_SAGITTA * chord * chord or (chords and off <= STRAIGHT_MM):
        return Line(b), off
    centre = circle(a, m, b)
    radius = math.dist(a, centre)
    arc = Arc(b, centre, cross < 0)
    off = max(abs(math.dist(p, centre) - radius) for p in points)
    if chords:
        lengths = sorted(math.dist(p, q) for p, q in zip(points, points[1:], strict=False))
        if lengths[-1] > UNEVEN * lengths[(len(lengths) - 1) // 2]:
            return arc, math.inf
        off = max(off, lengths[-1] ** 2 / (8 * radius))
    return arc, off


def circle(a: Point, b: Point, c: Point) -> Point:
    """The centre of the circle through three points that aren't in line."""
    ax, ay, bx, by = b[0] - a[0], b[1] - a[1], c[0] - a[0], c[1] - a[1]
    d = 2 * (ax * by - ay * bx)
    u = (by * (ax * ax + ay * ay) - ay * (bx * bx + by * by)) / d
    v = (ax * (bx * bx + by * by) - bx * (ax * ax + ay * ay)) / d
    return (a[0] + u, a[1] + v)


def chained(strokes: list[Path], gap: float) -> Chains:
    """Strokes joined end to end where ends are at most ``gap`` apart; each stroke is used once, doubles are dropped."""
    single, doubles = _without_doubles(strokes)
    loops = [_shut(p) for p in single if math.dist(p.start, p.end) < EXACT_MM]
    loose = [p for p in single if math.dist(p.start, p.end) >= EXACT_MM]
    reach = max(gap, NEAR_MM)
    ends: dict[tuple[int, int], list[tuple[int, bool]]] = {}
    for k, p in enumerate(loose):
        for point, at_end in ((p.start, False), (p.end, True)):
            ends.setdefault(_cell(point, reach), []).append((k, at_end))
    used = [False] * len(loose)
    gaps: list[Gap] = []
    paths = list(loops)

    def following(point: Point) -> tuple[int, bool, float] | None:
        best: tuple[int, bool, float] | None = None
        cx, cy = _cell(point, reach)
        for ix in (cx - 1, cx, cx + 1):
            for iy in (cy - 1, cy, cy + 1):
                for k, at_end in ends.get((ix, iy), ()):
                    away = math.dist(point, loose[k].end if at_end else loose[k].start)
                    if not used[k] and away <= reach and (best is None or away < best[2]):
                        best = (k, at_end, away)
        return best

    for k in range(len(loose)):
        if used[k]:
            continue
        used[k] = True
        run = [loose[k]]
        while (found := following(run[-1].end)) is not None:
            used[found[0]] = True
            run.append(loose[found[0]].reversed() if found[1] else loose[found[0]])
        while (found := following(run[0].start)) is not None:
            used[found[0]] = True
            run.insert(0, loose[found[0]] if found[1] else loose[found[0]].reversed())
        paths.append(_joined(run, reach, gaps))
    return Chains(tuple(paths), tuple(gaps), doubles)


def _shut(loop: Path) -> Path:
    """A path that ends where it starts, to the last digit."""
    last = loop.elements[-1]
    end = Line(loop.start) if isinstance(last, Line) else Arc(loop.start, last.centre, last.ccw)
    return Path(loop.start, (*loop.elements[:-1], end))


def _cell(p: Point, size: float) -> tuple[int, int]:
    return (math.floor(p[0] / size), math.floor(p[1] / size))


def _joined(run: list[Path], reach: float, gaps: list[Gap]) -> Path:
    """One path of several; where they don't quite meet a line bridges the gap, or a line's own end gives way."""
    elements: list[Element] = []
    here = start = run[0].start
    for p in run:
        away = math.dist(here, p.start)
        if away > EXACT_MM:
            gaps.append(Gap(p.start, away))
            if elements and isinstance(elements[-1], Line):
                elements[-1] = Line(p.start)
            elif not isinstance(p.elements[0], Line):
                elements.append(Line(p.start))
        elements += p.elements
        here = p.end
    away = math.dist(here, start)
    if EXACT_MM < away <= reach and len(elements) > 1:
        gaps.append(Gap(start, away))
        if isinstance(elements[-1], Line):
            elements[-1] = Line(start)
        else:
            elements.append(Line(start))
    path = Path(start, tuple(elements))
    return _shut(path) if math.dist(path.end, start) <= EXACT_MM else path


def _without_doubles(strokes: list[Path]) -> tuple[list[Path], int]:
    """Each line, arc and circle once, whichever way round it was drawn."""
    seen: set[object] = set()
    kept = []
    for p in strokes:
        there, back = _fingerprint(p), _fingerprint(p.reversed())
        if there in seen or back in seen:
            continue
        seen.add(there)
        kept.append(p)
    return kept, len(strokes) - len(kept)


def _fingerprint(p: Path) -> object:
    def near(q: Point) -> tuple[int, int]:
        return (round(q[0] / NEAR_MM), round(q[1] / NEAR_MM))

    if len(p.elements) == 1 and isinstance(p.elements[0], Arc) and math.dist(p.start, p.end) < EXACT_MM:
        centre = p.elements[0].centre
        return ("circle", near(centre), round(math.dist(centre, p.start) / NEAR_MM))
    return (
        near(p.start),
        *((near(e.end), *((near(e.centre), e.ccw) if isinstance(e, Arc) else ())) for e in p.elements),
    )
