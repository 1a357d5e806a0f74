"""The ways of a lathe tool from cut to cut: always through air, the shortest of a few simple ones.

*Walker*: follows what has been cut so far, so that each rapid move is tried against the metal as it then is.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable
from functools import cache, partial

from bastler.core.geometry.halfsection import as_path, clipped, points_of
from bastler.core.geometry.path import SAME_MM, Arc, Path, Point
from bastler.core.moves import Curve, Edge, Feed, Move, Rapid
from bastler.core.planning.lathe.space import (
    COARSE_MM,
    GRAZES_MM2,
    TOUCHES_MM2,
    WINDOW_MM,
    Space,
    body_is_clear,
    may_meet,
    passed,
    real,
    seen,
    way_is_clear,
)

LIFT_MM = 0.4
GAP_MM = 1.0
AIR_MM = 0.3
HOP_MM = 0.01
OBLIQUE_MM = 0.5


class NoWay(Exception):
    """The tool can't get from one place to another without touching something."""


class Walker:
    """A tool that moves; places are seen so that it points down."""

    def __init__(self, one: Space, far: tuple[float, float], start: Point) -> None:
        """``far``: Z in front of everything and height over everything, as the tool sees it, or as it would if it didn't lean."""
        self.space, self.far, self.at = one, far, start
        self._leans = bool(one.view.lean)
        x, z = self.out(start)
        self.moves: list[Move] = [Rapid(x, None, z)]

    def out(self, p: Point) -> tuple[float, float]:
        """X as radius and Z of a place."""
        z, r = real(p, self.space.view)
        return (r, z)

    def rapid(self, to: Point) -> None:
        """At rapid by the shortest simple way that is free."""
        for p in self._way(to):
            self._hop(p)

    def gets_to(self, to: Point) -> bool:
        """Whether a simple way leads there."""
        try:
            return bool(self._way(to))
        except NoWay:
            return False

    def _hop(self, p: Point) -> None:
        if math.dist(p, self.at) > SAME_MM:
            (x, z), (x0, z0) = self.out(p), self.out(self.at)
            self.moves.append(Rapid(x if abs(x - x0) > SAME_MM else None, None, z if abs(z - z0) > SAME_MM else None))
            self.at = p

    def _way(self, to: Point) -> list[Point]:
        at, view, upright = self.at, self.space.view, self.space.view.upright
        if self._leans:
            at, to = (seen(real(p, view), upright) for p in (at, to))
        costs = cache(partial(_costs, near=None if self._leans else may_meet(self.space)))
        ways = sorted(_simple_ways(at, to, self.far), key=lambda w: sum(map(costs, [at, *w[:-1]], w)))
        if self._leans:
            ways = [[seen(real(p, upright), view) for p in w] for w in ways]
        for touches in (GRAZES_MM2, TOUCHES_MM2):
            clear = cache(partial(way_is_clear, self.space, touches=touches))
            for way in ways if touches == GRAZES_MM2 else [*ways, *self._through_narrows(to)]:
                if all(clear(p, q) for p, q in itertools.pairwise([self.at, *way])):
                    return way
        raise NoWay

    def _through_narrows(self, to: Point) -> list[list[Point]]:
        """In a bore that gets narrower and wider again: as close along the narrowest of it as it may be."""
        if self.space.view.reach != "in":
            return []
        (a, b), (c, _) = self.at, to
        near = clipped(self.space.metal, min(a, c), -WINDOW_MM, max(a, c) + self.space.cutter.nose, 0.0)
        if near.is_empty:
            return []
        level = float(near.bounds[3]) + AIR_MM
        return [
            [(a + da, b + db), (a + da, level), (c, level), to]
            for da, db in ((0.0, 0.0), (LIFT_MM, LIFT_MM), (0.0, LIFT_MM))
        ]

    def feed(self, points: list[Point], feed: float) -> None:
        """Cut along chords, which are written as lines and arcs."""
        along = [self.at, *(p for p in points if math.dist(p, self.at) > SAME_MM)]
        if len(along) < 2:
            return
        self.follow(as_path(along), feed)

    def follow(self, path: Path, feed: float) -> None:
        """Cut along a path from where the tool is."""
        self.moves += self.written(path, feed)
        self.along(path)

    def written(self, path: Path, feed: float) -> list[Feed | Curve]:
        """The cuts along a path as moves."""
        found: list[Feed | Curve] = []
        for e in path.elements:
            x, z = self.out(e.end)
            if isinstance(e, Arc):
                cx, cz = self.out(e.centre)
                found.append(Curve(x, z, (cz, cx), e.ccw == self.space.view.keeps_turn, feed))
            else:
                found.append(Feed(x, None, z, feed))
        return found

    def along(self, path: Path) -> None:
        """Cut along a path whose moves are written otherwise."""
        if body_is_clear(self.space, points_of(path, COARSE_MM)):
            self.space = self.space.without(passed(self.space, points_of(path)))
        else:
            self._follow_piece_by_piece(path)
        self.at = path.end

    def _follow_piece_by_piece(self, path: Path) -> None:
        """The body may go only where the pieces so far have cut, not where later ones will."""
        points = points_of(path)
        along, up = [p[0] for p in points], [p[1] for p in points]
        here = self.space.beside((min(along), max(along), min(up), max(up)))
        start = path.start
        for e in path.elements:
            piece = Path(start, (e,))
            here = here.without(passed(here, points_of(piece)))
            if not body_is_clear(here, points_of(piece, COARSE_MM)):
                raise NoWay
            start = e.end
        self.space = self.space.without(passed(self.space, points))

    def steer(self, *, second: bool) -> None:
        """Go on with the other edge's offset, from the same place."""
        x, z = self.out(self.at)
        self.moves += [Edge(second), Rapid(x, None, z)]

    def lift(self) -> None:
        """Off the metal by a little, whichever way is free."""
        a, b = self.at
        for touches in (GRAZES_MM2, TOUCHES_MM2):
            for da, db in ((1, 1), (0, 1), (1, 0), (-1, 1)):
                to = (a + da * LIFT_MM, b + db * LIFT_MM)
                if way_is_clear(self.space, self.at, to, touches):
                    self._hop(to)
                    return

    def home(self) -> None:
        """Out to where the turret may turn."""
        self.rapid(seen(real(self.far, self.space.view.upright), self.space.view))


def _costs(p: Point, q: Point, *, near: Callable[[Point, Point], bool] | None) -> float:
    """How long a hop is, axis after axis; one along both at once counts as longer (``near`` metal, if that is asked), for not every control keeps it straight."""
    da, db = abs(p[0] - q[0]), abs(p[1] - q[1])
    oblique = min(da, db) > SAME_MM and (near is None or near(p, q))
    return da + db + HOP_MM + (OBLIQUE_MM if oblique else 0.0)


def _simple_ways(at: Point, to: Point, far: Point) -> list[list[Point]]:
    """The ways from place to place that are tried, as an upright tool sees them: straight, round a corner, over everything, with a lift before."""
    (a, b), (c, d), (front, top) = at, to, far
    ways: list[list[Point]] = [
        [to], [(a, d), to], [(c, b), to], [(a, top), (c, top), to], [(front, b), (front, d), to],
        [(front, b), (front, top), (c, top), to], [(a, top), (front, top), (front, d), to],
    ]  # fmt: skip
    for da, db in ((LIFT_MM, LIFT_MM), (0.0, LIFT_MM), (LIFT_MM, 0.0), (-LIFT_MM, LIFT_MM)):
        q = (a + da, b + db)
        for w in ([to], [(q[0], d), to], [(c, q[1]), to], [(q[0], top), (c, top), to], [(front, q[1]), (front, d), to]):
            ways.append([q, *w])
    return ways
