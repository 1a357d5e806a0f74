"""How far moves go in the frame that they are planned in."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator

from bastler.core.geometry.path import Arc, Point, arc_sweep
from bastler.core.moves import Feed, Holes, Move, Rapid, Turn


def level_points(moves: Iterable[Move]) -> Iterator[tuple[float | None, float | None]]:
    """Places in the surface that moves lead to, and the furthest ones of their arcs."""
    here: Point = (0.0, 0.0)
    for move in moves:
        if isinstance(move, Holes):
            yield from move.points
            here = move.points[-1] if move.points else here
        elif isinstance(move, Turn):
            yield from _extremes(here, move)
            here = (move.x, move.y)
        elif isinstance(move, Rapid | Feed):
            yield move.x, move.y
            here = (here[0] if move.x is None else move.x, here[1] if move.y is None else move.y)


def _extremes(start: Point, move: Turn) -> Iterator[Point]:
    """The end of an arc, and where it goes furthest along X and Y."""
    end, (cx, cy) = (move.x, move.y), move.centre
    yield end
    radius, begin = math.dist(start, move.centre), math.atan2(start[1] - cy, start[0] - cx)
    sweep = arc_sweep(start, Arc(end, move.centre, move.ccw)) or math.tau
    for quarter in range(4):
        angle = quarter * math.pi / 2
        turned = (angle - begin) % math.tau if sweep > 0 else (begin - angle) % math.tau
        if turned <= abs(sweep):
            yield (cx + radius * math.cos(angle), cy + radius * math.sin(angle))


def beside(moves: Iterable[Move]) -> float:
    """How far from the middle of its surface a tool goes, mm."""
    return max((abs(y) for _, y in level_points(moves) if y is not None), default=0.0)


def deepest(moves: Iterable[Move]) -> float:
    """The lowest Z that moves lead to, infinite if none says any."""
    return min((z for move in moves if (z := _bottom(move)) is not None), default=math.inf)


def _bottom(move: Move) -> float | None:
    if isinstance(move, Holes):
        return move.bottom
    return move.z if isinstance(move, Rapid | Feed | Turn) else None
