"""How far moves go in the frame that they are planned in."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator

from bastler.core.geometry.path import Arc, Path, Point, path_bounds
from bastler.core.moves import Feed, Holes, Move, Rapid, Turn


def level_points(moves: Iterable[Move]) -> Iterator[tuple[float | None, float | None]]:
    """Places in the surface that moves lead to, and the corners of what their arcs go round."""
    here: Point = (0.0, 0.0)
    for move in moves:
        if isinstance(move, Holes):
            yield from move.points
            here = move.points[-1] if move.points else here
        elif isinstance(move, Turn):
            end = (move.x, move.y)
            x0, x1, y0, y1 = path_bounds(Path(here, (Arc(end, move.centre, move.ccw),)))
            yield from ((x0, y0), (x1, y1))
            here = end
        elif isinstance(move, Rapid | Feed):
            yield move.x, move.y
            here = (here[0] if move.x is None else move.x, here[1] if move.y is None else move.y)


def beside(moves: Iterable[Move]) -> float:
    """How far from the middle of its surface a tool goes, mm."""
    return max((abs(y) for _, y in level_points(moves) if y is not None), default=0.0)


def goes_across(moves: Iterable[Move]) -> bool:
    """Whether a tool cuts across its surface, and not just straight into it."""
    return any(isinstance(m, Turn) or (isinstance(m, Feed) and (m.x is not None or m.y is not None)) for m in moves)


def deepest(moves: Iterable[Move]) -> float:
    """The lowest Z that moves lead to, infinite if none says any."""
    return min((z for move in moves if (z := _bottom(move)) is not None), default=math.inf)


def _bottom(move: Move) -> float | None:
    if isinstance(move, Holes):
        return move.bottom
    return move.z if isinstance(move, Rapid | Feed | Turn) else None
