"""Moves that clear an area level by level, and that run round its walls.

One level: every pocket is cleared from its innermost loop outwards. An innermost loop is reached by a ramp along
itself, or, where it leaves the block, from outside. From a loop the tool goes straight out to the nearest point of
the next one, at most a step away. Loops that have no such neighbour are reached through the air.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from numpy.typing import NDArray

from bastler.core.geometry.nearest import along_to, begun_at, direction, foot, middle_of, nearest
from bastler.core.geometry.offsets import curves, meetings
from bastler.core.geometry.path import SAME_MM, Line, Path, Point, short_arcs
from bastler.core.geometry.region import Region, inside, region
from bastler.core.geometry.shapes import Box
from bastler.core.moves import Compensate, Feed, Move, Rapid, Turn, follow
from bastler.core.planning.channel import down_and_round
from bastler.core.planning.entry import helix, helix_radius, plunge
from bastler.core.planning.nest import WIDE_SHARE, Loops, Nested, outside_of, stretches
from bastler.core.planning.passes import PAST_MM

LIFT_MM = 1.0
AIR_MM = 1.0
"""So far outside the block, beyond its radius, a tool goes down in air."""
SMALLEST_LEAD_MM = 0.2
SHARES_TRIED = (1.0, 0.5, 0.25)
OVERLAP_MM = 0.5
OFF_CORNERS = (0.0, 1.0, 1.5, 2.0, 3.0, 5.0, 8.0)
"""So many lead radii off the ends of a piece there may be room for a lead."""
CLEARS_RADII = 2.5
"""So many radii from a way that is not cut yet no metal of it stands in the tool's way, looked at each half radius."""
NEAR_RADII = 4.0
"""Parts that begin at most so many radii apart are cut level by level together."""
WAY_MM = 1e-4


class LevelCut(Struct, frozen=True):
    """How a tool clears: its radius and flat radius, side step, feeds (mm/min), way down and its slope (mm per mm)."""

    radius: float
    flat: float
    step: float
    feed: float
    feed_full: float
    feed_down: float
    entry: str
    slope: float


class Height(Struct, frozen=True):
    """Z of a pass: ``level``, the metal over it up to ``top``, and ``safe`` where rapids may cross."""

    level: float
    top: float
    safe: float


def clear(roots: tuple[Nested, ...], cut: LevelCut, z: Height, block: Box) -> list[Move]:
    """One level, from ``safe`` back to ``safe``."""
    moves: list[Move] = []
    for root in roots:
        _pocket(root, 0, cut, z, block, moves, root.loops)
        moves.append(Rapid(z=z.safe))
    return moves


def _pocket(one: Nested, steps: int, cut: LevelCut, z: Height, block: Box, moves: list[Move], edge: Loops) -> Point:
    """One pocket with all inside it; returns where the tool stands, on the level. ``steps``: so many loops lie outside; ``edge``: the outermost ones."""
    here: Point | None = None
    for inner in one.inner:
        here = _pocket(inner, steps + 1, cut, z, block, moves, edge)
    beyond = tuple(p for inner in one.inner for p in inner.loops)
    waiting, cleared = list(one.loops), list(beyond)
    while waiting:
        if here is None:
            loop = waiting.pop(0)
            here = _into(None, loop, steps * cut.step, cut, z, block, moves, edge)
        else:
            at, loop, start, link = _next(here, waiting, cleared, cut.step)
            waiting.remove(loop)
            if at is not here and not _straight_way(at, start, one.loops):
                here = _into(here, loop, 0.0, cut, z, block, moves, edge)
                cleared.append(loop)
                continue
            if at is not here:
                moves += [
                    Rapid(z=_over(here, at, z, edge)),
                    Rapid(*at),
                    Rapid(z=z.level + LIFT_MM),
                    Feed(None, None, z.level, cut.feed),
                ]
            moves.append(Feed(*start, None, cut.feed_full if link > cut.step * WIDE_SHARE else cut.feed))
            turned = begun_at(loop, start)
            for part in stretches(turned, beyond, WIDE_SHARE * cut.step):
                moves += follow(part.path, cut.feed_full if part.wide else cut.feed)
            here = start
        cleared.append(loop)
    assert here is not None
    return here


def _next(here: Point, waiting: list[Path], cleared: list[Path], step: float) -> tuple[Point, Path, Point, float]:
    """From where to which loop, to which point of it, how far: from here if that is near enough, else a short way."""
    near = min(((loop, *nearest(loop, here)) for loop in waiting), key=lambda n: n[2])
    if near[2] <= step * WIDE_SHARE:
        return (here, near[0], near[1], near[2])
    done = _along(cleared)
    size = (done * done).sum(axis=1)
    best: tuple[Point, Path, Point, float] | None = None
    for loop in waiting:
        own = _along([loop])
        apart = size[:, None] + (own * own).sum(axis=1) - 2 * done @ own.T
        x, y = done[int(np.argmin(apart)) // len(own)]
        q, away = nearest(loop, (float(x), float(y)))
        if best is None or away < best[3]:
            best = ((float(x), float(y)), loop, q, away)
    assert best is not None
    return best


def _along(loops: list[Path]) -> NDArray[np.float64]:
    """Points all along loops."""
    c, _ = curves(loops)
    return np.concatenate([c.at(np.full(len(c), share)) for share in (0.0, 0.5)])


def _straight_way(a: Point, b: Point, loops: Loops) -> bool:
    """Whether the straight way between two points of loops meets none of them in between."""
    way, _ = curves([Path(a, (Line(b), Line(a)))])
    share = meetings(way.take(np.array([0])), curves(list(loops))[0])[2] * math.dist(a, b)
    if ((share > WAY_MM) & (share < math.dist(a, b) - WAY_MM)).any():
        return False
    # Between two places of one loop it may run on its other side all along.
    middle = ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)
    return math.dist(a, b) < WAY_MM or not loops or inside(tuple(short_arcs(p) for p in loops), *middle)


def _over(a: Point, b: Point, z: Height, edge: Loops) -> float:
    """At what Z the tool goes from one place to another: just over the metal of this level, if no wall is in its way."""
    return min(z.top + LIFT_MM, z.safe) if _straight_way(a, b, edge) else z.safe


def _into(
    here: Point | None, loop: Path, room: float, cut: LevelCut, z: Height, block: Box, moves: list[Move], edge: Loops
) -> Point:
    """Down to a loop, round which there is ``room``, and once round it at full width; returns where it ends.

    ``here``: where the tool stands on the level, if it does.
    """
    air = outside(loop, block, cut.radius + AIR_MM)
    if moves and isinstance(moves[-1], Feed | Turn):
        there = air or loop.start
        moves.append(Rapid(z=_over(here, there, z, edge) if here is not None else z.safe))
    if air is not None:
        moves += [Rapid(*air), Rapid(z=z.level), *follow(begun_at(loop, air), cut.feed_full)]
        return air
    wide = helix_radius(cut.flat, room)
    if cut.entry == "ramp" or (cut.entry == "helix" and not wide):
        return _ramped(loop, cut, z, moves)
    x, y = loop.start
    start, top = loop.start, z.top + LIFT_MM / 2
    if cut.entry == "helix":
        start = (x + wide, y)
        down = [
            replace(m, x=m.x + x, y=m.y + y, centre=loop.start) if isinstance(m, Turn) else m
            for m in helix(wide, top, z.level, math.degrees(math.atan(cut.slope)), cut.feed_down)
        ]
    else:
        down = plunge(z.level, cut.feed_down)
    moves += [Rapid(*start), Rapid(z=top + LIFT_MM / 2), Feed(None, None, top, cut.feed), *down]
    moves += [*([Feed(x, y, None, cut.feed_full)] if cut.entry == "helix" else []), *follow(loop, cut.feed_full)]
    return loop.start


def _ramped(loop: Path, cut: LevelCut, z: Height, moves: list[Move]) -> Point:
    """Down along the loop itself, from where it is straightest: in its corners roughing may have left a hair."""
    loop = begun_at(loop, middle_of(*max(loop.pieces(), key=lambda piece: piece[2]))[0])
    top = z.top + LIFT_MM / 2
    moves += [Rapid(*loop.start), Rapid(z=top + LIFT_MM / 2), Feed(None, None, top, cut.feed)]
    moves += down_and_round(loop, None, 0.0, top, z.level, cut.slope, cut.feed_full, cut.feed_down)
    end = moves[-1]
    assert isinstance(end, Feed | Turn)
    assert end.x is not None
    assert end.y is not None
    return (end.x, end.y)


def outside(loop: Path, block: Box, by: float) -> Point | None:
    """A point of a loop at least ``by`` outside the block; ``None`` if it has none."""
    return next((p for p in (loop.start, *(e.end for e in loop.elements)) if block.is_beyond(p, by)), None)


class Lead(Struct, frozen=True):
    """How the tool runs onto a loop: from ``centre`` of an arc with ``radius`` at ``at``; radius 0: straight from there. ``past``: so far past ``at`` it runs off again, mm."""

    at: Point
    centre: Point
    radius: float
    along: Point
    past: float = 0.0


def lead_for(
    loop: Path, walls: Region, tool_radius: float, radius: float, leave: float, near: Point | None = None
) -> Lead:
    """Where on a loop, left of which is room, there is most for a quarter arc; smaller ones are tried, then straight from ``leave``.

    ``near``: a place that it lies near instead, where there is room.
    """
    for share in SHARES_TRIED:
        rho = radius * share
        if rho < max(SMALLEST_LEAD_MM, leave):
            break
        for at, along, ahead in _starts(loop, rho, near):
            centre = (at[0] - along[1] * rho, at[1] + along[0] * rho)
            if walls.depth(*centre) >= rho + tool_radius - SAME_MM:
                past = min(PAST_MM, ahead)
                further = _further(centre, along, past)
                room = past > SAME_MM and walls.depth(*further) >= rho + tool_radius - SAME_MM
                return Lead(at, centre, rho, along, past if room else 0.0)
    at, along, _ = _starts(loop, 0.0, None)[0]
    return Lead(at, _inwards(at, along, walls, tool_radius, leave), 0.0, along)


def _starts(loop: Path, rho: float, near: Point | None) -> list[tuple[Point, Point, float]]:
    """Places where a pass may begin, the best first: each with its direction and how far it is straight ahead.

    The middles of the longest pieces, or on each piece the places nearest to ``near`` some ``rho`` off its ends.
    """
    pieces = loop.pieces()
    if near is None:
        ordered = sorted(pieces, key=lambda p: -p[2])
        return [(*middle_of(*p), p[2] / 2 if isinstance(p[1], Line) else 0.0) for p in ordered]
    found = []
    for start, e, length in pieces:
        foot_at = foot(start, e, near)
        along = along_to(start, e, foot_at)
        for at in dict.fromkeys(
            min(max(along, m * rho), length - m * rho) for m in OFF_CORNERS if length > 2 * m * rho
        ):
            p = Path(start, (e,)).part(0.0, at).end if at > SAME_MM else start
            ahead = length - at if isinstance(e, Line) else 0.0
            found.append((math.dist(p, near), (p, direction(start, e, p), ahead)))
    return [place for _, place in sorted(found, key=lambda f: f[0])]


def _inwards(at: Point, along: Point, walls: Region, tool_radius: float, most: float) -> Point:
    """A point to the left of another on a loop, up to ``most`` away, as far as the opposite wall allows."""
    for share in SHARES_TRIED:
        p = (at[0] - along[1] * most * share, at[1] + along[0] * most * share)
        if walls.depth(*p) >= tool_radius - SAME_MM:
            return p
    return at


def wall_round(
    loop: Path,
    lead: Lead,
    z: Height,
    feed: float,
    *,
    by_control: float = 0.0,
    fed: Callable[[list[Move]], list[Move]] | None = None,
) -> list[Move]:
    """Once round a loop at one level, in and out as ``lead`` says; ``fed``: gives the moves round it feeds of their own.

    ``by_control``: the tool's radius if the control offsets the path: ``loop`` is then the wall itself, and the lead
    is made for the tool's centre, that radius inside it.
    """
    at, along, reach = lead.at, lead.along, lead.radius + by_control
    left = (-along[1], along[0])
    if by_control:
        at = (at[0] - left[0] * by_control, at[1] - left[1] * by_control)
    turned = begun_at(loop, at)
    along_it = follow(turned, feed)
    if fed is not None:
        along_it = fed([Rapid(*turned.start), Rapid(z=z.level), *along_it])[2:]
    centre = lead.centre
    # Beside an arc there is room all round; without one the rim of the tool may meet what roughing left at the wall.
    free = z.level if lead.radius else max(z.top, z.level)
    moves: list[Move] = [Rapid(*centre), Rapid(z=free + LIFT_MM), Feed(None, None, z.level, feed)]
    if not lead.radius and not by_control:
        return [*moves, Feed(*at, None, feed), *along_it, Feed(*centre, None, feed), Rapid(z=z.safe)]
    begin = (centre[0] - along[0] * reach, centre[1] - along[1] * reach)
    leave = (centre[0] + along[0] * reach, centre[1] + along[1] * reach)
    if by_control:
        moves.append(Compensate("left"))
    moves += [Feed(*begin, None, feed), Turn(*at, centre, True, feed), *along_it]
    if lead.past:
        at, leave, centre = (_further(p, along, lead.past) for p in (at, leave, centre))
        moves.append(Feed(*at, None, feed))
    moves.append(Turn(*leave, centre, True, feed))
    if by_control:
        moves.append(Compensate(None))
    return [*moves, Feed(*centre, None, feed), Rapid(z=z.safe)]


def _further(p: Point, along: Point, by: float) -> Point:
    return (p[0] + along[0] * by, p[1] + along[1] * by)


def rest(
    loops: list[Path],
    before: list[Loops],
    cut: LevelCut,
    heights: list[Height],
    walls: Region,
    edge: Loops,
    *,
    aside: float = 0.0,
    over: float = LIFT_MM,
) -> list[Move]:
    """The parts of loops where steps before have not cleared, place by place, each down through all ``heights``.

    ``before``: where the tool's centre is free to be; ``edge``: the outermost loops. ``aside``: it is free that far to the left of where a part begins, if the ``walls`` allow. ``over``: how far over a level nothing stands there.
    """
    parts = [part for loop in loops for part in outside_of(loop, before, OVERLAP_MM)]
    whole = {id(loop) for loop in loops}
    moves: list[Move] = []
    places = _places(parts, NEAR_RADII * cut.radius)
    for k, place in enumerate(places):
        standing = [part for later in places[k + 1 :] for part in later]
        row = [(z, part) for z in heights for part in place]
        for (z, part), then in zip(row, [*row[1:], None], strict=True):
            if id(part) in whole:
                end = _ramped(part, cut, z, moves)
            else:
                moves += _part(part, cut, z, walls, aside, over)
                end = part.end
            low = then is not None and id(then[1]) not in whole and _clears(end, then[1].start, standing, cut.radius)
            moves.append(Rapid(z=_over(end, then[1].start, z, edge) if then is not None and low else z.safe))
    return moves


def _clears(a: Point, b: Point, standing: list[Path], radius: float) -> bool:
    """Whether the tool, straight from one place to another, stays off the metal round ways that are not cut yet."""
    count = math.ceil(2 * math.dist(a, b) / radius) + 1
    points = [(a[0] + (b[0] - a[0]) * k / count, a[1] + (b[1] - a[1]) * k / count) for k in range(count + 1)]
    return all(nearest(part, p)[1] > CLEARS_RADII * radius for part in standing for p in points)


def _part(part: Path, cut: LevelCut, z: Height, walls: Region, aside: float, over: float) -> list[Move]:
    """One part of a loop at one level."""
    x, y = part.start
    if aside:
        _, along = middle_of(part.start, part.elements[0], part.pieces()[0][2])
        x, y = _inwards(part.start, along, walls, cut.radius, aside)
    down = z.top + LIFT_MM / 2 if aside else z.level + over
    return [
        Rapid(x, y), Rapid(z=down), Feed(None, None, z.level, cut.feed_down if aside else cut.feed),
        *([Feed(*part.start, None, cut.feed)] if aside else []), *follow(part, cut.feed_full),
    ]  # fmt: skip


def _places(parts: list[Path], near: float) -> list[list[Path]]:
    """Parts whose beginnings lie near each other, in their order."""
    found: list[list[Path]] = []
    for part in parts:
        mine = [place for place in found if any(math.dist(part.start, other.start) <= near for other in place)]
        for place in mine:
            found.remove(place)
        found.append([*(p for place in mine for p in place), part])
    return found


def walls_of(loops: Loops) -> Region:
    """An area as a shape that can tell depths."""
    return region(list(loops), 0.0)
