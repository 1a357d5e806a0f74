"""Where loops round a shape only touch the block's corners: one corner after the other, there and back.

*Part*: a stretch of a loop near the block; it begins and ends in air.
"""

from __future__ import annotations

import math

from msgspec.structs import replace

from bastler.core.cycles.channeling import frame_of
from bastler.core.cycles.loading import UNSURE_MM
from bastler.core.fields import Values
from bastler.core.geometry.path import Line, Path, Point
from bastler.core.moves import Feed, Move, Rapid, Turn, follow
from bastler.core.planning.edgefeed import not_faster
from bastler.core.planning.work import Work

BACK_MM, SAME_MM = 0.3, 1e-6


def only_corners(loops: list[Path], around: Path, v: Values, w: Work) -> list[list[Path]]:
    """Of the outermost loops the parts that meet the block, begun a little beside it, as long as going back along them is less than going on round."""
    from bastler.core.planning.nest import within  # the window starts without it

    found: list[list[Path]] = []
    for loop in loops:
        parts = within(loop, around)
        near = [s.path for s in parts if not s.wide]
        begins_near = len(near) > 1 and not (parts[0].wide or parts[-1].wide)
        if begins_near or sum(p.length for p in near) > loop.length / 2:
            break
        found.append([path for path in near if not _beside(path, v, w)])
    return found


def corner_by_corner(rounds: list[list[Path]], v: Values, w: Work, above: float, level: float) -> list[Move]:
    """Parts of loops, the outermost loop's first: all those at one corner, there and back, then those at the next."""
    rounds = [parts for parts in rounds if parts]
    corners = [[part] for part in rounds[-1]] if rounds else []
    for parts in rounds[-2::-1]:
        for part in parts:
            min(corners, key=lambda c: math.dist(_middle(c[-1]), _middle(part))).append(part)
    moves: list[Move] = []
    for corner in corners:
        for part in corner[::-1]:
            moves += reached_in_air(moves, part.start, above, level, v, w)
            moves += not_faster(follow(part, v.feed))
            if part is not corner[0]:
                moves += _back(part, v, level)
    return moves


def reached_in_air(moves: list[Move], there: Point, above: float, level: float, v: Values, w: Work) -> list[Move]:
    """From where moves end to another place on the level: staying down beside the block, or over it."""
    if any(_in_air(here, there, v, w) for here in _last_place(moves)):
        return [Feed(*there, None, v.feed_air)]
    return [*([Rapid(z=w.clearance)] if moves else []), Rapid(*there), Rapid(z=above), Rapid(z=level)]


def _last_place(moves: list[Move]) -> list[Point]:
    """Where moves end; nothing while they have no cut."""
    for m in reversed(moves):
        if isinstance(m, Feed | Turn) and m.x is not None and m.y is not None:
            return [(m.x, m.y)]
    return []


def _middle(part: Path) -> Point:
    """Half way between a path's ends."""
    (x0, y0), (x1, y1) = part.start, part.end
    return ((x0 + x1) / 2, (y0 + y1) / 2)


def _beside(path: Path, v: Values, w: Work) -> bool:
    """Whether the tool passes beside the block all along a path, looked at in steps of a quarter of its radius."""
    place, length = frame_of(v), path.length
    count = math.ceil(4 * length / v.tool.radius) + 1
    points = (path.part(0.0, max(length * k / count, SAME_MM)).end for k in range(count + 1))
    return all(w.block.away(place.point(p)) > v.tool.radius + UNSURE_MM for p in points)


def _in_air(a: Point, b: Point, v: Values, w: Work) -> bool:
    """The same of a straight line."""
    return math.dist(a, b) < SAME_MM or _beside(Path(a, (Line(b),)), v, w)


def _back(part: Path, v: Values, level: float) -> list[Move]:
    """To where a part of a loop begins, a little above the floor."""
    way = follow(part.reversed(), v.feed_air, level + BACK_MM)
    return [
        *(replace(m, centred=True) if isinstance(m, Turn) else m for m in way),
        Feed(None, None, level, v.feed_air),
    ]
