"""Feeds by what the tool feels: a level's moves, cut where the angle of the tool in metal changes, each piece with the feed that this angle allows.

The metal of a level is a raster. The tool goes along its moves; at each place the angle of its front half that stands in metal is looked up, then what
it covers is cleared. Whatever isn't known to be clear counts as metal, so the tool is never fed faster than it may.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import lru_cache

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from numba import njit
from numpy.typing import NDArray

from bastler.core.geometry.path import SAME_MM, Path, Point
from bastler.core.moves import Feed, Move, Rapid, Turn, follow

Floats = NDArray[np.float64]
Box2 = tuple[float, float, float, float]
"""x0, x1, y0, y1."""
FINEST_MM, CELLS_PER_RADIUS, MOST_CELLS = 0.05, 35, 16_000_000
FEWEST_CELLS = 10
"""With fewer cells to its radius, as of a small tool on a very large block, nothing is felt, and feeds stay as they are."""
STEP_CELLS = 1.5
"""Places along a way are so many cells apart."""
LAG = 4
"""Metal is cleared so many places behind the tool, that what it has just reached is thick enough to be seen."""
SPARSE = 4
"""It is cleared at each so manieth place: between two only a hair stays."""
HAIR_MORE = 1.05
HAIR_CELLS = 0.75
"""The tool is looked round by so much inside its edge, that cells which it cleared but for a hair count as clear."""
FRONT = 90
"""Directions of the front half that are looked at: 2° apart."""
_TURNS = math.pi * ((np.arange(FRONT) + 0.5) / FRONT - 0.5)
AHEAD, ASIDE = np.cos(_TURNS), np.sin(_TURNS)
"""Those directions, as parts of the tool's way and of what lies left of it."""
SIDE = 12
"""What is reached straight beside the tool is too thin to be seen: metal seen up to so many directions from there goes on to it."""
SMOOTH = 7
"""Angles are means of so many places, for the raster's grain is in each."""
GRAIN = math.radians(2.0)
"""So much an angle may be more than is felt."""
SHORTEST_SHARE, SHORTEST_MM = 0.25, 1.0
"""Pieces with a feed of their own are at least this share of the radius long, or this long."""
ALIKE = 0.08
"""Feeds that differ by less are one."""
NEARLY_NONE = 1e-6


@njit(cache=True, nogil=True)
def _felt(
    metal: NDArray[np.bool_], x0: float, y0: float, cell: float, xs: Floats, ys: Floats, turns: Floats, radius: float, found: Floats
) -> None:  # fmt: skip
    """Angle of the tool in metal at places along its way, radians; the raster is cleared on the way."""
    rows, columns = metal.shape
    seen, beyond = radius - HAIR_CELLS * cell, radius + HAIR_CELLS * cell
    for n in range(len(xs) + LAG):
        k, hits, first, last = min(n, len(xs) - 1), 0, FRONT, -1
        along_x, along_y = math.cos(turns[k]), math.sin(turns[k])
        for j in range(FRONT if n < len(xs) else 0):
            ahead, aside = AHEAD[j], ASIDE[j]
            c = int((xs[k] + seen * (ahead * along_x - aside * along_y) - x0) / cell)
            r = int((ys[k] + seen * (ahead * along_y + aside * along_x) - y0) / cell)
            if 0 <= r < rows and 0 <= c < columns and metal[r, c]:
                hits += 1
                first, last = min(first, j), j
        if 0 < first <= SIDE:
            hits += first
        if FRONT - 1 - SIDE <= last < FRONT - 1:
            hits += FRONT - 1 - last
        if n < len(xs):
            found[k] = math.pi * hits / FRONT
        if n < len(xs) and hits == 0:
            # A hair of metal can't be seen; only where none is near either it is air.
            for j in range(FRONT):
                ahead, aside = AHEAD[j], ASIDE[j]
                c = int((xs[k] + beyond * (ahead * along_x - aside * along_y) - x0) / cell)
                r = int((ys[k] + beyond * (ahead * along_y + aside * along_x) - y0) / cell)
                if 0 <= r < rows and 0 <= c < columns and metal[r, c]:
                    found[k] = NEARLY_NONE
                    break
        k = n - LAG
        if k < 0 or (k % SPARSE and k < len(xs) - 1):
            continue
        low = max(int((ys[k] - radius - y0) / cell), 0)
        for r in range(low, min(int((ys[k] + radius - y0) / cell) + 1, rows)):
            away = (r + 0.5) * cell + y0 - ys[k]
            half = radius * radius - away * away
            if half <= 0.0:
                continue
            half = math.sqrt(half)
            first = max(int((xs[k] - half - x0) / cell + 0.5), 0)
            for c in range(first, min(int((xs[k] + half - x0) / cell + 0.5), columns)):
                metal[r, c] = False


@njit(cache=True, nogil=True)
def _smoothed(felt: Floats, share: float) -> Floats:
    """Means over :data:`SMOOTH` places. Seen on a circle that is a hair smaller, ``share`` of it, an edge of metal lies at a larger angle on the tool's own."""
    n, half = len(felt), SMOOTH // 2
    for k in range(n):
        if felt[k] > 0.0:
            felt[k] = max(felt[k], math.acos(share * math.cos(felt[k])))
    if n <= SMOOTH + 1:
        return felt
    found = np.empty(n)
    for k in range(n):
        total = 0.0
        for i in range(k - half, k + half + 1):
            total += felt[min(max(i, 0), n - 1)]
        found[k] = max(total / SMOOTH, felt[k] - GRAIN)
    return found


class Level:
    """The metal of one level in a box, all there at first."""

    def __init__(self, box: Box2, radius: float) -> None:
        x0, x1, y0, y1 = box
        self.cell = self.cell_of(box, radius)
        self.radius, self.at = radius, (x0, y0)
        shape = (math.ceil((y1 - y0) / self.cell), math.ceil((x1 - x0) / self.cell))
        self.metal = np.ones(shape, np.bool_)

    @staticmethod
    def thinnest(box: Box2, radius: float) -> float:
        """The largest angle in metal that can't be seen, radians."""
        return math.acos(1 - HAIR_CELLS * Level.cell_of(box, radius) / radius)

    @staticmethod
    def cell_of(box: Box2, radius: float) -> float:
        """Size of a cell, mm."""
        room = math.sqrt(max((box[1] - box[0]) * (box[3] - box[2]), 1e-9) / MOST_CELLS)
        return max(radius / CELLS_PER_RADIUS, min(FINEST_MM, radius / FEWEST_CELLS), room)

    def along(self, start: Point, move: Feed | Turn) -> tuple[Floats, Floats]:
        """Shares of a way (n,) and the angle of the tool in metal at each, radians; its metal is gone then."""
        length = _length(start, move)
        count = max(math.ceil(length / (STEP_CELLS * self.cell)), 1)
        shares = np.arange(count + 1) / count
        x, y, turns = _places(start, move, shares)
        found = np.empty(count + 1)
        _felt(self.metal, *self.at, self.cell, x, y, turns, self.radius, found)
        return shares, _smoothed(found, 1 - HAIR_CELLS * self.cell / self.radius)


class OnLevel(Struct, frozen=True):
    """A move on the level, where it starts, and whether it keeps its feed."""

    start: Point
    move: Feed | Turn
    kept: bool


def fed_by_load(
    moves: Sequence[Move],
    level: float,
    box: Box2,
    radius: float,
    feed_at: Callable[[float], float],
    before: tuple[Path, ...] | None = None,
) -> list[Move]:
    """Moves of one level with the feed that the angle in metal allows. ``feed_at``: mm/min at an angle (radians); 0 is air.

    ``before``: where the tool has been already, along walls; feeds are then the edge's, as those of a finishing pass.
    Those off the level keep theirs, and so do those that end a way down with its feed: they cut the wedge that it left. Very short ones do too.
    """
    if Level.cell_of(box, radius) > radius / FEWEST_CELLS:
        return list(moves)
    ways = _ways(moves, level)
    on = tuple((w.start, replace(w.move, feed=0.0)) for w in ways if isinstance(w, OnLevel))
    loads, found = iter(_loads(on, box, radius, before or ())), list[Move]()
    for way in ways:
        if not isinstance(way, OnLevel):
            found.append(way)
            continue
        angles = next(loads)
        if way.kept or _length(way.start, way.move) < _shortest(radius):
            found.append(way.move)
        else:
            move = replace(way.move, centred=True) if isinstance(way.move, Turn) and before is None else way.move
            # A way through air may run along a wall that is cut already.
            unseen = HAIR_MORE * Level.thinnest(box, radius) if move.feed >= feed_at(0.0) else 0.0
            found += _pieces(way.start, move, [feed_at(a if a > unseen else 0.0) for a in angles])
    return found


def _ways(moves: Sequence[Move], level: float) -> list[Move | OnLevel]:
    """The moves, those on the level as ways."""
    found: list[Move | OnLevel] = []
    x, y, z, down = math.nan, math.nan, math.nan, math.nan
    for move in moves:
        if not isinstance(move, Rapid | Feed | Turn):
            found.append(move)
            continue
        there = (x if move.x is None else move.x, y if move.y is None else move.y, z if move.z is None else move.z)
        on = abs(z - level) <= SAME_MM and abs(there[2] - level) <= SAME_MM  # never while Z is not known yet
        if isinstance(move, Rapid) or not on:
            down = math.nan if isinstance(move, Rapid) else move.feed
            found.append(move)
        elif isinstance(move, Turn) or there[:2] != (x, y):
            down = down if move.feed == down else math.nan
            way = move if isinstance(move, Turn) else Feed(*there[:2], None, move.feed)
            found.append(OnLevel((x, y), way, move.feed == down))
        x, y, z = there
    return found


@lru_cache(maxsize=32)
def _loads(
    ways: tuple[tuple[Point, Feed | Turn], ...], box: Box2, radius: float, before: tuple[Path, ...]
) -> tuple[tuple[float, ...], ...]:
    """The largest angle in metal on each piece of each way: levels that are alike are looked at once."""
    metal, shortest, found = Level(box, radius), _shortest(radius), []
    for path in before:
        start = path.start
        for one in follow(path, 0.0):
            assert isinstance(one, Feed | Turn)
            metal.along(start, one)
            start = _end(start, one)
    for start, move in ways:
        shares, angles = metal.along(start, move)
        count = max(int(_length(start, move) / shortest), 1)
        ends = np.searchsorted(shares, np.arange(1, count + 1) / count - 1e-9)
        firsts = np.concatenate([[0], ends[:-1]])
        found.append(tuple(float(angles[a : b + 1].max()) for a, b in zip(firsts, ends, strict=True)))
    return tuple(found)


def _shortest(radius: float) -> float:
    """How long a piece is at least, mm."""
    return max(SHORTEST_SHARE * radius, SHORTEST_MM)


def _pieces(start: Point, move: Feed | Turn, feeds: list[float]) -> list[Move]:
    """One way, cut where its feed changes; as many feeds as it has equal pieces."""
    found: list[Move] = []
    least, most, count = math.inf, 0.0, len(feeds)
    for k, feed in enumerate(feeds):
        least, most = min(least, feed), max(most, feed)
        if k + 1 < count and max(most, feeds[k + 1]) - min(least, feeds[k + 1]) <= ALIKE * most:
            continue
        x, y, _ = _places(start, move, np.array([(k + 1) / count]))
        at = (float(x[0]), float(y[0])) if k + 1 < count else (move.x, move.y)
        found.append(
            replace(move, x=at[0], y=at[1], feed=least) if isinstance(move, Turn) else Feed(at[0], at[1], None, least)
        )
        least, most = math.inf, 0.0
    return found


def _end(start: Point, move: Feed | Turn) -> Point:
    return (start[0] if move.x is None else move.x, start[1] if move.y is None else move.y)


def _length(start: Point, move: Feed | Turn) -> float:
    if isinstance(move, Turn):
        return math.dist(start, move.centre) * _sweep(start, move)
    return math.dist(start, _end(start, move))


def _sweep(start: Point, move: Turn) -> float:
    """Angle of an arc, radians; a whole turn if it ends where it began."""
    (cx, cy), way = move.centre, 1.0 if move.ccw else -1.0
    turn = math.atan2(move.y - cy, move.x - cx) - math.atan2(start[1] - cy, start[0] - cx)
    swept = (way * turn) % math.tau
    return swept if swept > 1e-9 and math.dist(start, (move.x, move.y)) > SAME_MM else math.tau


def _places(start: Point, move: Feed | Turn, shares: Floats) -> tuple[Floats, Floats, Floats]:
    """X, Y and direction (radians) at shares of a way."""
    if isinstance(move, Turn):
        (cx, cy), way = move.centre, 1.0 if move.ccw else -1.0
        at = math.atan2(start[1] - cy, start[0] - cx) + way * _sweep(start, move) * shares
        radius = math.dist(start, move.centre)
        return cx + radius * np.cos(at), cy + radius * np.sin(at), at + way * math.pi / 2
    x1, y1 = _end(start, move)
    turns = np.full(len(shares), math.atan2(y1 - start[1], x1 - start[0]))
    return start[0] + (x1 - start[0]) * shares, start[1] + (y1 - start[1]) * shares, turns
