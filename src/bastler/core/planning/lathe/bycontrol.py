"""The finishing pass as a contour that the control offsets by the nose radius (G41/G42).

*Programmed*: the contour itself, led onto in front of the metal and off over it. *Followed*: where the reference point
then goes, worked out as the control does it; it must stay in free space, or the control would cut into what the planner
goes round: a wall that leans away from the insert, or a place that the body doesn't reach.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import shapely

from bastler.core.geometry.compensation import EdgePiece, compensate, nose_ways
from bastler.core.geometry.halfsection import clipped, points_of
from bastler.core.geometry.path import SAME_MM, Arc, Line, Path, Point, arc_sweep
from bastler.core.moves import Compensate, Feed
from bastler.core.planning.lathe.reach import Reached
from bastler.core.planning.lathe.space import Space, seen
from bastler.core.planning.lathe.walk import GAP_MM, NoWay, Walker

WITHIN_MM = 0.004
"""The followed way may leave free space by so much: chords and the rounding of the two."""
NEAR_MM = 0.5
LEAD_NOSES = 1.5


def finish_by_control(walker: Walker, reach: Reached, contour: Path, feed: float) -> None:
    """Along the contour once; raises :class:`NoWay` where the control can't follow it in free space."""
    one, nose = reach.space, reach.space.cutter.nose
    path = programmed(one, contour)
    lead = GAP_MM + LEAD_NOSES * nose
    heading = _element(path.start, path.elements[0]).direction(at_end=False)
    right = -nose  # The tool comes from above and cuts towards smaller a.
    first = _followed(path, one, right, None)
    ahead = (first.start[0] - lead * math.cos(heading), first.start[1] - lead * math.sin(heading))
    over = (first.end[0], first.end[1] + lead)
    way = _followed(path, one, right, (ahead, over))
    outside = shapely.LineString(points_of(way)).difference(reach.free.buffer(WITHIN_MM))
    room = shapely.box(*_bounds(reach))
    if outside.intersection(room).length > SAME_MM:
        raise NoWay
    walker.rapid(ahead)
    walker.along(way)
    side = "right" if one.view.keeps_turn else "left"
    x, z = walker.out(path.start)
    walker.moves += [Compensate(side), Feed(x, None, z, feed)]  # type: ignore[arg-type]
    walker.moves += walker.written(path, feed)
    x, z = walker.out(over)
    walker.moves += [Compensate(None), Feed(x, None, z, feed)]


def programmed(one: Space, contour: Path) -> Path:
    """The contour as the tool sees it and runs along it, led on and off outside the metal."""
    back = one.view.back
    path = _seen(contour.reversed() if back else contour, one)
    elements: list[Line | Arc] = list(path.elements)
    start, end = path.start, path.end
    front = one.metal.bounds[0] - GAP_MM if back else one.metal.bounds[2] + GAP_MM
    if back:
        if (top := _top(one, start[0])) > start[1] + SAME_MM:
            elements.insert(0, Line(start))
            start = (start[0], top + GAP_MM)
        elements.append(Line((min(front, end[0] - GAP_MM), end[1])))
        return Path(start, tuple(elements))
    if abs(start[1]) > SAME_MM or one.view.reach != "out":
        elements.insert(0, Line(start))
        start = (max(front, start[0] + GAP_MM), start[1])
    else:
        turn = _element(start, elements[0]).direction(at_end=False)
        elements.insert(0, Line(start))
        start = (start[0] - GAP_MM * math.cos(turn), start[1] - GAP_MM * math.sin(turn))
    if (top := _top(one, end[0])) > end[1] + SAME_MM:
        elements.append(Line((end[0], top + GAP_MM)))
    return Path(start, tuple(elements))


def _top(one: Space, a: float) -> float:
    """Up to where metal stands just beside a place, on the side of the axis that the tool is at."""
    low, high = (-1e4, 0.0) if one.view.reach == "in" else (0.0, 1e4)
    beside = clipped(one.metal, a - NEAR_MM, low, a + NEAR_MM, high)
    return float(beside.bounds[3]) if not beside.is_empty else -1e9


def _seen(path: Path, one: Space) -> Path:
    """A path (z, r) as the tool sees it."""
    same = one.view.keeps_turn
    elements: Sequence[Line | Arc] = [
        Arc(seen(e.end, one.view), seen(e.centre, one.view), e.ccw == same)
        if isinstance(e, Arc)
        else Line(seen(e.end, one.view))
        for e in path.elements
    ]
    return Path(seen(path.start, one.view), tuple(elements))


def _followed(path: Path, one: Space, side: float, ends: tuple[Point, Point] | None) -> Path:
    """Where the reference point goes, from and to where compensation is off (without ``ends``: only along the contour)."""
    z, r = one.cutter.nose_centre
    before, after = ends or (path.start, path.end)
    chain = [EdgePiece(before, path.start, 0.0, 0.0, 0.0, 0)]
    here = path.start
    for e in path.elements:
        chain.append(_element(here, e))
        here = e.end
    chain.append(EdgePiece(here, after, 0.0, 0.0, 0.0, 0))
    told: list[str] = []
    ways = compensate(nose_ways(chain, (z, r), leaves=True), side, True, lambda _, text: told.append(text))
    if told:
        raise NoWay
    if ends is None:
        ways = ways[1:-1]
    found: list[Line | Arc] = []
    for w in ways:
        end = (w.end[0] - z, w.end[1] - r)
        if w.sweep:
            found.append(Arc(end, (w.centre[0] - z, w.centre[1] - r), w.sweep > 0))
        elif math.dist(w.start, w.end) > SAME_MM:
            found.append(Line(end))
    return Path((ways[0].start[0] - z, ways[0].start[1] - r), tuple(found))


def _element(start: Point, e: Line | Arc) -> EdgePiece:
    """A piece of a path as compensation takes it."""
    if isinstance(e, Arc):
        return EdgePiece(start, e.end, 0.0, 0.0, 0.0, 0, False, e.centre, arc_sweep(start, e))
    return EdgePiece(start, e.end, 0.0, 0.0, 0.0, 0)


def _bounds(reach: Reached) -> tuple[float, float, float, float]:
    a0, a1, u0, u1 = reach.window
    return (a0, u0, a1, u1)
