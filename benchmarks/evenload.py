"""Proof of the even load on a grid: random areas with islands, every place of the path beside its wanted angle; and what planning costs.

``python -m benchmarks.evenload [AREAS]``
"""

from __future__ import annotations

import itertools
import math
import random
import sys
import time
from collections.abc import Callable, Sequence

import numpy as np
import shapely
from numpy.typing import NDArray

from bastler.core.gcode.motion import ARC, FEED, RAPID, Builder, Motion
from bastler.core.geometry.combine import without
from bastler.core.geometry.path import Arc, Line, Path, Point, area, path_bounds, rounded_rectangle
from bastler.core.geometry.region import region
from bastler.core.moves import Feed, Move, Rapid, Turn
from bastler.core.planning.evenfree import Beside, Clear, CutBefore, clear_from_free, trees
from bastler.core.planning.evenload import Even, clear_evenly, discs, fits
from bastler.core.planning.nest import Loops, shrunk
from benchmarks.engaged import samples

AREAS = 300
DEEP_MM = 5.0
CELL_MM = 0.05
ALLOWED_DEG = 5.0
STAMPS = 8
SLOW = 400.0
"""Feed where the wanted angle can't be kept, in a passage hardly wider than the tool."""
GRAZES_DEG = 12.0
"""A way back at the feed in air may touch this much."""


def motion_of(moves: Sequence[Move]) -> Motion:
    """Moves of one tool as motion, without a control between."""
    builder, here = Builder(), (0.0, 0.0, 50.0)
    for m in moves:
        assert isinstance(m, Rapid | Feed | Turn)
        end = (here[0] if m.x is None else m.x, here[1] if m.y is None else m.y, here[2] if m.z is None else m.z)
        kind, centre, sweep, feed = RAPID, (0.0, 0.0, 0.0), 0.0, 0.0
        if isinstance(m, Feed):
            kind, feed = FEED, m.feed
        elif isinstance(m, Turn):
            kind, feed, centre = ARC, m.feed, (*m.centre, end[2])
            begin, last = (math.atan2(p[1] - m.centre[1], p[0] - m.centre[0]) for p in (here, end))
            sweep = (last - begin) % math.tau if m.ccw else -((begin - last) % math.tau)
            sweep = sweep if abs(sweep) > 1e-9 else math.tau if m.ccw else -math.tau
        builder.add(kind, here, end, feed=feed, speed=1000.0, tool=1, line=1, centre=centre, sweep=sweep)
        here = end
    return builder.motion()


def random_area(seed: int) -> Loops:
    """A rounded or cornered outline with up to three islands, as the edge of an area."""
    dice = random.Random(seed)
    long, wide = dice.uniform(20, 70), dice.uniform(16, 50)
    if dice.random() < 0.4:
        outline = rounded_rectangle(long / 2, wide / 2, dice.uniform(0, min(long, wide) / 2))
    else:
        outline = _star(dice, (0.0, 0.0), long / 2, wide / 2, dice.randint(4, 9), 0.45)
    islands = []
    for _ in range(dice.randint(0, 3)):
        at = (dice.uniform(-0.35, 0.35) * long, dice.uniform(-0.35, 0.35) * wide)
        size = dice.uniform(1.5, 7.0)
        if dice.random() < 0.5:
            islands.append(
                Path(
                    (at[0] + size, at[1]), (Arc((at[0] - size, at[1]), at, True), Arc((at[0] + size, at[1]), at, True))
                )
            )
        else:
            islands.append(_star(dice, at, size, size, dice.randint(3, 6), 0.3))
    return tuple(without([outline], islands))


def _star(dice: random.Random, at: Point, a: float, b: float, count: int, dent: float) -> Path:
    """A polygon whose corners lie round a place, some farther out than others."""
    points = []
    for k in range(count):
        turn = math.tau * (k + dice.uniform(-0.25, 0.25)) / count
        far = 1.0 - dent * dice.random()
        points.append((at[0] + a * far * math.cos(turn), at[1] + b * far * math.sin(turn)))
    path = Path(points[0], tuple(Line(p) for p in (*points[1:], points[0])))
    return path if area(path) > 0 else path.reversed()


def excess(seed: int, cell: float = CELL_MM) -> tuple[float, float] | None:
    """How many degrees the path of an area gets above its wanted angle, and the seconds that its planning took; ``None`` if the tool has no room."""
    dice = random.Random(1000 + seed)
    radius, angle = dice.choice((2.0, 3.0, 4.0, 5.0, 6.0)), math.radians(dice.uniform(25, 85))
    edge = random_area(seed)
    room = shrunk(edge, radius + 0.2)
    if not fits(room, radius):
        return None
    discs.cache_clear()
    began = time.perf_counter()
    moves = clear_evenly(room, even_for(radius, angle), 0.0, -DEEP_MM, 5.0)
    seconds = time.perf_counter() - began
    x0, x1, y0, y1 = path_bounds(max(edge, key=area))
    block = (x0 - 2.0, x1 + 2.0, y0 - 2.0, y1 + 2.0, -10.0, 0.0)
    motion = motion_of(moves)
    seen = samples(motion, block, {1: radius}, cell, STAMPS)
    level = (np.abs(motion.end[seen.move, 2] + DEEP_MM) < 1e-6) & (np.abs(motion.start[seen.move, 2] + DEEP_MM) < 1e-6)
    # The last turn of each helix cuts what its slope left.
    feed = motion.feed[seen.move]
    flat = level & ~np.isin(seen.move, _helix_ends(motion)) & (seen.volume > 1e-6) & (feed > SLOW)
    air = flat & (feed > 1000.0)
    touched = float(seen.degrees[air].max(initial=0.0)) + math.degrees(angle) - GRAZES_DEG
    return (max(float(seen.degrees[flat].max(initial=0.0)), touched) - math.degrees(angle), seconds)


def outside_excess(seed: int, cell: float = CELL_MM) -> float | None:
    """The same round a random shape in a block larger than it, from the air at a corner; ``None`` if a part of the metal lies at no corner."""
    dice = random.Random(2000 + seed)
    radius, angle = dice.choice((2.0, 3.0, 4.0, 5.0, 6.0)), math.radians(dice.uniform(25, 85))
    stays = max(random_area(seed), key=area)
    x0, x1, y0, y1 = path_bounds(stays)
    box = tuple(e + side * dice.uniform(-2, 15) for e, side in ((x0, -1), (x1, 1), (y0, -1), (y1, 1)))
    beside = Beside((box[0], box[1], box[2], box[3]), radius)
    around = max(shrunk((stays,), -radius - 0.2), key=area)
    block = (box[0], box[1], box[2], box[3], -10.0, 0.0)
    return _degrees_above(beside.room(around), even_for(radius, angle), beside, block, cell)


def rest_excess(seed: int, cell: float = CELL_MM) -> float | None:
    """The same in what a tool up to three times as thick left of a random area; ``None`` if that fits nowhere, or one part has no room for it."""
    dice = random.Random(3000 + seed)
    radius, angle = dice.choice((1.5, 2.0, 3.0, 4.0)), math.radians(dice.uniform(25, 85))
    edge, larger = random_area(seed), radius * dice.uniform(1.2, 3.0)
    before = shrunk(edge, larger)
    if not before:
        return None
    x0, x1, y0, y1 = path_bounds(max(edge, key=area))
    block = (x0 - 2.0, x1 + 2.0, y0 - 2.0, y1 + 2.0, -10.0, 0.0)
    outer, holes = (shapely.union_all([_polygon(p) for p in before if (area(p) < 0) == hole]) for hole in (False, True))
    gone = shapely.difference(outer, holes).buffer(larger, quad_segs=64)
    free = CutBefore((region(list(shrunk(before, radius - larger)), 0.0),))
    return _degrees_above(
        shrunk(edge, radius + 0.2),
        even_for(radius, angle),
        free,
        block,
        cell,
        lambda x, y: shapely.contains_xy(gone, x, y),
    )


def _polygon(path: Path) -> shapely.Polygon:
    return shapely.Polygon(path.points(0.002))


def _degrees_above(
    room: Loops,
    even: Even,
    clear: Clear,
    block: tuple[float, float, float, float, float, float],
    cell: float,
    cleared: Callable[[NDArray[np.float64], NDArray[np.float64]], NDArray[np.bool_]] | None = None,
) -> float | None:
    """Degrees above the wanted angle of all that is cut from clear space."""
    found = trees(room, even, clear)
    moves = [m for tree in found or () for _, one in clear_from_free(tree, clear, even, [-DEEP_MM], 5.0) for m in one]
    if not moves:
        return None
    motion = motion_of(moves)
    seen = samples(motion, block, {1: even.radius}, cell, STAMPS, cleared)
    feed, wanted = motion.feed[seen.move], math.degrees(even.angle)
    level = (np.abs(motion.end[seen.move, 2] + DEEP_MM) < 1e-6) & (np.abs(motion.start[seen.move, 2] + DEEP_MM) < 1e-6)
    flat = level & (seen.volume > 1e-6) & (feed > SLOW)
    touched = float(seen.degrees[flat & (feed > 1000.0)].max(initial=0.0)) + wanted - GRAZES_DEG
    return max(float(seen.degrees[flat].max(initial=0.0)), touched) - wanted


def even_for(radius: float, angle: float) -> Even:
    """How a sharp mill of a radius clears at an angle."""
    return Even(radius, radius, angle, ((angle, 1000.0), (math.pi, SLOW)), 5000.0, 500.0, 5.0)


def _helix_ends(motion: Motion) -> list[int]:
    """The flat turns behind a helix."""
    down = (motion.kind == ARC) & (motion.end[:, 2] < motion.start[:, 2] - 1e-6)
    return [int(k) + 1 for k in np.flatnonzero(down)]


def run_from_clear_space(count: int = AREAS) -> dict[str, float]:
    """So many random shapes from outside, and so many leftovers of thicker tools; each that passes the bound is printed."""
    result: dict[str, float] = {}
    for name, excess_of in (("outside", outside_excess), ("rest", rest_excess)):
        found: list[float] = []
        for seed in itertools.count():
            if len(found) == count:
                break
            one = excess_of(seed)
            if one is not None:
                found.append(one)
                if one > ALLOWED_DEG:
                    print(name, seed, round(one, 1), flush=True)
        result |= {f"{name}_areas": count, f"{name}_worst_degrees_above": max(found)}
    return result


def run(count: int = AREAS) -> dict[str, float]:
    """So many areas that have room for a helix; each that passes the bound is printed with its seed."""
    found: list[tuple[float, float]] = []
    for seed in itertools.count():
        if len(found) == count:
            break
        one = excess(seed)
        if one is not None:
            found.append(one)
            if one[0] > ALLOWED_DEG:
                print(seed, round(one[0], 1), flush=True)
    return {
        "areas": len(found),
        "worst_degrees_above": max(one[0] for one in found),
        "areas_above_5": sum(one[0] > ALLOWED_DEG for one in found),
        "planning_ms_worst": 1000 * max(one[1] for one in found[1:]),
    }


if __name__ == "__main__":
    print(run(int(sys.argv[1]) if len(sys.argv) > 1 else AREAS))
    print(run_from_clear_space(int(sys.argv[1]) if len(sys.argv) > 1 else AREAS))
