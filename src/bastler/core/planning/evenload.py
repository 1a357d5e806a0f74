"""Clearing an area with an even load: no more of the tool is ever in metal than a wanted angle, but on its way down.

*Disc*: a circle that the tool's centre may go round, as large as the area allows; whatever lies within it and a tool's radius round it is
clear once the tool was there. The discs follow the area's skeleton: the first is the largest, cut by a spiral from a helix; each
other one is only a little farther on than the one before, so that its *crescent*, the arc outside that one, keeps the
angle. From a crescent's end the tool goes back through clear space to where the next begins.

The angle is a closed form. With K the clear circle of radius ρ about c, the tool's centre at p, q = |p - c|: points of the tool's round
are in metal up to β from the direction c → p, cos β = (ρ² - q² - r²) / 2qr; behind the tool's own way nothing is left, so that
β + the angle from the way's outer side to that direction is in metal. What else was cleared before only makes it less.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from functools import lru_cache

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from bastler.core.geometry.path import Point
from bastler.core.geometry.skeleton import Branch, skeleton
from bastler.core.moves import Feed, Move, Rapid, Turn
from bastler.core.planning.entry import HELIX_SHARE, NARROWEST_HELIX_SHARE, helix, plunge, ramp, ramp_length
from bastler.core.planning.nest import Loops, pockets_of
from bastler.core.planning.work import ABOVE_METAL_MM

Floats = NDArray[np.float64]
EDGE_SHARE, FINEST_MM, COARSEST_MM = 0.05, 0.01, 0.2
"""The edge is looked at in places this share of the tool's radius apart."""
CORNER_MM = 0.05
"""Corners up to this height are left to the wall's own pass."""
ANGLES = 33
BLOCK = 48
THINNEST_MM = 0.02
"""A disc that would cut less than this is left out."""
PIECES = 8
"""A crescent in so many arcs, each with the feed that its angle allows."""
ALIKE = 0.08
"""Feeds that differ by less are one."""
STRAIGHT_MM = 0.05
"""Discs smaller than this are gone to and left in a straight way."""
OPENING_TURNS = 8
ROUND_SHARE, SMALLEST_ROUND_MM, CLEAR_MM = 0.35, 0.1, 1e-3
LIFT_MM = 0.3
SHORTEST_LIFTED_MM = 2.0
START_MM = 0.5
"""A way down begins so far above the metal."""


class Disc(Struct, frozen=True):
    """A circle of the tool's centre; ``before`` is the index of the one that it goes on from, -1 for the first of an area."""

    centre: Point
    radius: float
    before: int


class Even(Struct, frozen=True):
    """How it is cut: tool radius and flat radius, wanted angle (radians), feeds (mm/min) in metal, in air and downwards, slope of the helix (degrees).

    ``feeds``: what may be fed where so many radians of the tool are in metal, by growing angle up to a whole slot: in a passage hardly wider than the tool the
    wanted angle can't be kept.
    """

    radius: float
    flat: float
    angle: float
    feeds: tuple[tuple[float, float], ...]
    feed_air: float
    feed_down: float
    ramp: float
    entry: str = "helix"

    @property
    def feed(self) -> float:
        """Where the wanted angle is in metal."""
        return self.feed_at(self.angle)

    def feed_at(self, angle: float) -> float:
        """Where an angle is in metal: that of the next larger one that is known."""
        return next((feed for known, feed in self.feeds if angle <= known + 1e-9), self.feeds[-1][1])


def in_metal(radius: float, clear: tuple[Point, float], centres: Floats, radii: Floats) -> Floats:
    """Largest angle (n,) of a tool in metal on circles ``centres`` (n, 2), ``radii`` (n,), counter-clockwise, if just one circle of its centre was clear before."""
    (cx, cy), inner = clear
    ahead = np.arctan2(centres[:, 1] - cy, centres[:, 0] - cx)
    turned = ahead[:, None] + np.linspace(-math.pi * 0.75, math.pi * 0.75, ANGLES)
    x = centres[:, 0, None] + radii[:, None] * np.cos(turned) - cx
    y = centres[:, 1, None] + radii[:, None] * np.sin(turned) - cy
    away = np.maximum(np.hypot(x, y), 1e-9)
    reach = np.clip(((inner + radius) ** 2 - away**2 - radius**2) / (2 * away * radius), -1.0, 1.0)
    half = np.arccos(reach)
    aside = (turned - np.arctan2(y, x) + math.pi) % (2 * math.pi) - math.pi
    angle = np.where(away > inner + 1e-9, np.clip(half - aside, 0.0, np.minimum(2 * half, math.pi)), 0.0)
    return np.asarray(angle.max(axis=1))


@lru_cache(maxsize=64)
def discs(loops: Loops, radius: float, angle: float, begin: Point | None = None) -> tuple[Disc, ...]:
    """The discs of one connected area of the tool's centre, in cutting order; none if it is a line."""
    # In a dead end the tool goes straight in, with twice the angle of a cut beside it.
    along = max(radius * (1 - math.cos(angle / 2)) / 2, FINEST_MM)
    tree = skeleton(loops, min(EDGE_SHARE * radius, COARSEST_MM), CORNER_MM, min(along, COARSEST_MM), begin)
    if tree is None:
        return ()
    found = [Disc((float(tree.points[0, 0]), float(tree.points[0, 1])), float(tree.radius[0]), -1)]
    waiting = [(tree, 0)]
    while waiting:
        branch, at = waiting.pop()
        last = _follow(branch, at, radius, angle, found)
        waiting += [(further, last) for further in reversed(branch.further)]
    return tuple(found)


def _follow(branch: Branch, at: int, radius: float, angle: float, found: list[Disc]) -> int:
    """Discs along a branch, added to ``found``; the index of its last one."""
    points, radii = branch.points, branch.radius
    here, end = 0, len(points) - 1
    while here < end:
        last = found[at]
        step, high = here + 1, min(here + 1 + BLOCK, end + 1)
        while True:
            block = in_metal(radius, (last.centre, last.radius), points[step:high], radii[step:high])
            too_much = np.flatnonzero(block > angle)
            if len(too_much) or high > end:
                break
            step, high = high, min(high + BLOCK, end + 1)
        if len(too_much) and step + int(too_much[0]) == here + 1 and not branch.further:
            # A dead end that gets too tight: its last corner is left to the wall's own pass.
            break
        here = max(step + int(too_much[0]) - 1, here + 1) if len(too_much) else end
        one = Disc((float(points[here, 0]), float(points[here, 1])), float(radii[here]), at)
        if math.dist(one.centre, last.centre) + one.radius - last.radius >= THINNEST_MM or branch.further:
            found.append(one)
            at = len(found) - 1
    return at


def clear_evenly(
    loops: Loops, even: Even, top: float, level: float, safe: float, *, begin: Point | None = None, first: bool = True
) -> list[Move]:
    """One level of an area of the tool's centre, from ``safe`` back to ``safe``; the metal over it ends at ``top``.

    ``begin``: where it goes down, near where it would by itself. ``first``: the first level, whose metal may stand a little higher than thought.
    """
    moves: list[Move] = []
    for one in pockets_of(loops):
        found = discs(one.loops, even.radius, even.angle, begin)
        if not found:
            continue
        moves += [*_first(found[0], even, top, level, first=first), *_others(found, even, level), Rapid(z=safe)]
    return moves


def _first(disc: Disc, even: Even, top: float, level: float, *, first: bool) -> list[Move]:
    """Down in the middle of the first disc, and out to it by a spiral of half circles."""
    (x, y), wide = disc.centre, min(HELIX_SHARE * even.flat, disc.radius)
    start = top + START_MM
    at = (x + wide, y) if even.entry == "helix" else (x, y)
    moves: list[Move] = [Rapid(*at), Rapid(z=top + ABOVE_METAL_MM if first else start)]
    if first:
        moves.append(Feed(None, None, start, even.feed_down))
    if even.entry == "helix":
        down = helix(wide, start, level, even.ramp, even.feed_down)
    else:
        down = _straight_down(disc, even, start, level)
    for m in down:
        if isinstance(m, Turn):
            moves.append(Turn(m.x + x, m.y + y, disc.centre, True, m.feed, m.z, True))
        elif isinstance(m, Feed):
            moves.append(Feed(None if m.x is None else m.x + x, None if m.y is None else m.y + y, m.z, m.feed))
    if even.entry != "helix":
        moves += _opened(disc.centre, wide, even)
    ends = spiral(wide, disc.radius, even)
    ends = [*ends, ends[-1], ends[-1]]
    for k, (a, b) in enumerate(zip(ends, ends[1:], strict=False)):
        side = 1 if k % 2 == 0 else -1
        # It lies most outside the turn before where it begins or where it ends.
        begun = _concentric(ends[k - 2] if k > 1 else wide, a, even.radius)
        feed = even.feed_at(max(begun, _concentric(ends[k - 1] if k else wide, b, even.radius)))
        moves.append(Turn(x - side * b, y, (x + side * (a - b) / 2, y), True, feed, None, True))
    return moves


def _straight_down(disc: Disc, even: Even, start: float, level: float) -> list[Move]:
    """To and fro through the middle, or straight down there: into a hole, or by a tool that may."""
    if even.entry == "ramp":
        long = ramp_length(2 * even.radius, 2 * disc.radius)
        return [
            Feed(-long / 2, 0.0, None, even.feed_down),
            *ramp(long, start, level, even.ramp, even.feed_down),
            Feed(0.0, 0.0, None, even.feed_down),
        ]
    return plunge(level, even.feed_down)


def _opened(centre: Point, wide: float, even: Even) -> list[Move]:
    """From a hole as wide as the tool out to where a helix would have gone round: slowly, for there the tool is in metal nearly all round."""
    (x, y), moves = centre, list[Move]()
    ends = [wide * k / OPENING_TURNS for k in range(OPENING_TURNS + 1)]
    ends.append(wide)
    for k, (a, b) in enumerate(zip(ends, ends[1:], strict=False)):
        side = 1 if k % 2 == 0 else -1
        moves.append(Turn(x - side * b, y, (x + side * (a - b) / 2, y), True, even.feed_at(math.pi), None, True))
    if len(ends) % 2 == 0:
        moves.append(Turn(x + wide, y, centre, True, even.feed_at(math.pi), None, True))
    return moves


def _concentric(clear: float, now: float, radius: float) -> float:
    """Angle of the tool in metal on a circle of its centre outside a concentric one."""
    rho = clear + radius
    cos = (rho * rho - now * now - radius * radius) / (2 * now * radius) if now > 1e-9 else 1.0
    return math.acos(min(max(cos, -1.0), 1.0))


def spiral(first: float, last: float, even: Even) -> list[float]:
    """Where a spiral about the origin crosses a line through it, right and left in turn: from one radius to another."""
    found = [first]
    while found[-1] < last - 1e-9:
        clear = found[-2] if len(found) > 1 else first
        found.append(min(found[-1] + _growth(clear, found[-1], even), last))
    return found


def _growth(clear: float, now: float, even: Even) -> float:
    """How much a spiral may grow in half a turn: twice that is what one turn lies outside the last.

    cos φ = (ρ² - q² - r²) / 2qr for φ the wanted angle, solved for q.
    """
    r, rho, c = even.radius, clear + even.radius, math.cos(even.angle)
    far = -r * c + math.sqrt(r * r * c * c + rho * rho - r * r)
    return max((far - clear) / 2, 0.005 * r)


def _others(found: tuple[Disc, ...], even: Even, level: float) -> list[Move]:
    """The crescents of all further discs, each from where the last one ended."""
    here = moves_end(found, even) or (found[0].centre[0] + found[0].radius, found[0].centre[1])
    return crescents(found, range(1, len(found)), here, 0, even, level)


def crescents(
    found: tuple[Disc, ...],
    which: Iterable[int],
    here: Point,
    within: int,
    even: Even,
    level: float,
    free: Sequence[Disc] = (),
) -> list[Move]:
    """The crescents of some discs in their order, from ``here`` in the disc ``within``; ``free``: others that nothing stands in."""
    moves: list[Move] = []
    inside, cleared = found[within], [found[within], *free]
    reached: dict[int, int] = {}
    for k in which:
        one = reached.get(found[k].before, found[k].before)
        disc, before = found[k], found[one]
        cut = _crescent(disc, before, even)
        cleared.append(disc)
        if cut is None:
            # The tool didn't go there: what goes on from it goes on from the one before.
            reached[k] = one
            continue
        begin, arcs, end = cut
        if before is not inside:
            moves += _through(found, cleared[:-1], here, inside, before, begin, even, level)
        else:
            moves += _back(here, inside, begin, disc, even, level)
        moves += arcs
        here, inside = end, disc
    return moves


def moves_end(found: tuple[Disc, ...], even: Even) -> Point | None:
    """Where the first disc's last circle ends."""
    first = found[0]
    ends = spiral(min(HELIX_SHARE * even.flat, first.radius), first.radius, even)
    side = 1 if len(ends) % 2 else -1
    return (first.centre[0] + side * first.radius, first.centre[1])


def _crescent(disc: Disc, before: Disc, even: Even) -> tuple[Point, list[Move], Point] | None:
    """Where the arc outside the disc before begins, its arcs with their feeds, and where it ends."""
    (x, y), (bx, by) = disc.centre, before.centre
    # Where the tool only went straight no circle is clear.
    clear = before.radius if before.radius >= STRAIGHT_MM else 0.0
    far = math.dist(disc.centre, before.centre)
    if disc.radius < STRAIGHT_MM or far < 1e-9:
        if far <= clear:
            return None
        begin = _towards(before.centre, disc.centre, clear)
        return begin, [Feed(x, y, None, even.feed_at(math.pi))], disc.centre
    cos = (clear**2 - far**2 - disc.radius**2) / (2 * far * disc.radius)
    if cos >= 1.0:
        return None
    half, ahead = math.acos(max(cos, -1.0)), math.atan2(y - by, x - bx)
    turns = ahead + np.linspace(-half, half, PIECES + 1)
    points = [(x + disc.radius * math.cos(t), y + disc.radius * math.sin(t)) for t in turns]
    feeds = [even.feed_at(a) for a in _angles(disc, before.centre, clear, turns, even)]
    arcs: list[Move] = []
    begin = points[0]
    if far > clear + disc.radius:
        # A small circle in a tight end may lie a little beyond what is clear.
        begin = _towards(before.centre, disc.centre, clear)
        arcs.append(Feed(*points[0], None, even.feed_at(math.pi)))
    for k, feed in enumerate(feeds):
        if k + 1 < len(feeds) and abs(feeds[k + 1] - feed) < ALIKE * feed:
            feeds[k + 1] = min(feed, feeds[k + 1])
            continue
        arcs.append(Turn(*points[k + 1], disc.centre, True, feed, None, True))
    return begin, arcs, points[-1]


def _angles(disc: Disc, centre: Point, clear: float, turns: Floats, even: Even) -> list[float]:
    """The largest angle in metal on each piece of a crescent."""
    within = np.linspace(turns[:-1], turns[1:], 4).ravel(order="F")
    x = disc.centre[0] + disc.radius * np.cos(within) - centre[0]
    y = disc.centre[1] + disc.radius * np.sin(within) - centre[1]
    away, r = np.maximum(np.hypot(x, y), 1e-9), even.radius
    half = np.arccos(np.clip(((clear + r) ** 2 - away**2 - r**2) / (2 * away * r), -1.0, 1.0))
    aside = (within - np.arctan2(y, x) + math.pi) % (2 * math.pi) - math.pi
    return [float(a) for a in np.clip(half - aside, 0.0, math.pi).reshape(-1, 4).max(axis=1)]


def _back(here: Point, inside: Disc, begin: Point, disc: Disc, even: Even, level: float) -> list[Move]:
    """From the end of a crescent to the beginning of the next, through the disc that it closed: round off it, straight, and round onto the other."""
    size = min(ROUND_SHARE * inside.radius, ROUND_SHARE * disc.radius, even.radius / 2, math.dist(here, begin) / 3)
    if math.dist(here, inside.centre) < CLEAR_MM:  # where it went down: it doesn't come round
        return _straight(here, begin, even, level)
    while size >= SMALLEST_ROUND_MM:
        a, b = (_towards(p, d.centre, size) for p, d in ((here, inside), (begin, disc)))
        far = max(math.dist(a, b), 1e-9)
        right = ((b[1] - a[1]) / far * size, -(b[0] - a[0]) / far * size)
        off, on = (a[0] + right[0], a[1] + right[1]), (b[0] + right[0], b[1] + right[1])
        if far > 1e-6 and all(
            math.dist(p, inside.centre) < inside.radius + CLEAR_MM for p in (off, *_between(on, begin, b))
        ):
            break
        size /= 2
    else:
        return _straight(here, begin, even, level)
    air = even.feed_air
    return [
        Turn(*off, a, True, air, None, True),
        *_straight(off, on, even, level),
        Turn(*begin, b, True, air, None, True),
    ]


def _between(a: Point, b: Point, centre: Point) -> list[Point]:
    """Places along a counter-clockwise arc."""
    first, radius = math.atan2(a[1] - centre[1], a[0] - centre[0]), math.dist(a, centre)
    turn = (math.atan2(b[1] - centre[1], b[0] - centre[0]) - first) % math.tau
    turns = (first + turn * k / 6 for k in range(6))
    return [(centre[0] + radius * math.cos(t), centre[1] + radius * math.sin(t)) for t in turns]


def _towards(p: Point, centre: Point, by: float) -> Point:
    far = max(math.dist(p, centre), 1e-9)
    return (p[0] + (centre[0] - p[0]) / far * by, p[1] + (centre[1] - p[1]) / far * by)


def _straight(here: Point, there: Point, even: Even, level: float) -> list[Move]:
    """Straight through clear space, a little off the floor."""
    far = math.dist(here, there)
    if far < 1e-6:
        return []
    if far < SHORTEST_LIFTED_MM:
        return [Feed(*there, None, even.feed_air)]
    middle = ((here[0] + there[0]) / 2, (here[1] + there[1]) / 2)
    return [Feed(*middle, level + LIFT_MM, even.feed_air), Feed(*there, level, even.feed_air)]


def _through(
    found: tuple[Disc, ...],
    cleared: Sequence[Disc],
    here: Point,
    inside: Disc,
    before: Disc,
    begin: Point,
    even: Even,
    level: float,
) -> list[Move]:
    """From one branch to where another leaves: from middle to middle of the discs between, lifted a little."""
    ways: list[list[Disc]] = []
    for one in (inside, before):
        way = [one]
        while way[-1].before >= 0:
            way.append(found[way[-1].before])
        ways.append(way)
    back, on = ways
    shared = next(d for d in back if d in on)
    middles = [d.centre for d in (*back[: back.index(shared) + 1], *reversed(on[: on.index(shared)]))]
    z, air = level + LIFT_MM, even.feed_air
    moves: list[Move] = []
    for p in _shorter(here, middles, begin, cleared):
        moves.append(Feed(*p, z, air))
    return [*moves, Feed(*begin, None, air), Feed(None, None, level, air)]


def _shorter(here: Point, middles: list[Point], begin: Point, found: Sequence[Disc]) -> list[Point]:
    """Of the middles only those that can't be left out: the way between two others would leave the discs."""
    centres = np.array([d.centre for d in found])
    radii = np.array([d.radius for d in found])

    def free(a: Point, b: Point) -> bool:
        count = max(math.ceil(math.dist(a, b) / 0.2), 2)
        at = np.linspace(a, b, count)
        away = np.hypot(at[:, None, 0] - centres[:, 0], at[:, None, 1] - centres[:, 1])
        return bool((away <= radii + 1e-6).any(axis=1).all())

    kept, a, k = list[Point](), here, 0
    while k < len(middles):
        if free(a, begin):
            break
        further = k
        while further + 1 < len(middles) and free(a, middles[further + 1]):
            further += 1
        kept.append(middles[further])
        a, k = middles[further], further + 1
    return kept


def fits(loops: Loops, flat: float) -> bool:
    """Whether each connected part of an area of the tool's centre has room for its helix."""
    from bastler.core.planning.nest import shrunk

    for one in pockets_of(loops):
        if not shrunk(one.loops, NARROWEST_HELIX_SHARE * flat):
            return False
    return bool(loops)
