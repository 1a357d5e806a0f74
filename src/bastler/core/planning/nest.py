"""Clearing any area by nested offsets: which loops there are, which lie inside which, where they cut wide.

*Area*: closed paths with the metal to take away to their left. *Loop*: a closed path of the tool's centre.
*Pocket of a level*: an outer loop and the loops round islands inside it; its *inner* ones lie one step further in.
As long as the step is at most the tool's flat radius, every point of the area between two loops is reached: the
nearest point of the wall is nearest for all points on the way to it, so the next loop outwards crosses that way.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from bastler.core.geometry.offsets import (
    Curves,
    as_path,
    curves,
    cut,
    distances,
    inset,
    shifted,
)
from bastler.core.geometry.path import Path, Point, area, short_arcs
from bastler.core.geometry.region import Region, inside
from bastler.core.geometry.region import region as region_of

Loops = tuple[Path, ...]
WIDE_SHARE = 1.05
"""A loop cuts wide where the next one inwards is farther away than this many steps."""
SHORTEST_MM = 1e-3
LINE_MM2 = 1e-6


class Nested(Struct, frozen=True):
    """One connected pocket of a level: its loops, the outer one first, and the pockets inside, a step further in."""

    loops: Loops
    inner: tuple[Nested, ...]

    @property
    def deepest(self) -> list[Nested]:
        """Those inside which there is nothing more, in cutting order."""
        return [d for one in self.inner for d in one.deepest] if self.inner else [self]


def shrunk(loops: Loops, by: float) -> Loops:
    """:func:`inset` of the loops of an area."""
    return tuple(inset(list(loops), by))


def swept(loops: Loops, radius: float) -> Loops:
    """The edge of what a tool reaches whose centre may be anywhere inside the loops."""
    return shrunk(loops, -radius)


def whole_area(loops: Loops) -> float:
    """Area to the left of closed paths, mm²."""
    return sum(area(p) for p in loops)


@lru_cache(maxsize=64)
def nested(loops: Loops, first: float, step: float) -> tuple[Nested, ...]:
    """Loops at ``first``, ``first + step`` ... from the edge, as trees, the outermost pockets as roots."""
    levels = [shrunk(loops, first)]
    while levels[-1]:
        inside = shrunk(levels[-1], step)
        # What is a line by now has nothing inside; turned about by rounding, it would grow.
        left = whole_area(inside)
        levels.append(inside if -LINE_MM2 < left < whole_area(levels[-1]) - LINE_MM2 else ())
    inner: list[Nested] = []
    for level in reversed(levels[:-1]):
        inner = _pockets(level, inner)
    return tuple(inner)


def pockets_of(loops: Loops) -> list[Nested]:
    """The connected parts of an area, each with the loops round its islands."""
    return _pockets(loops, [])


def _pockets(level: Loops, inner: list[Nested]) -> list[Nested]:
    """The pockets of a level with those of the next one inside them."""
    outer = [p for p in level if area(p) >= 0]
    own: list[list[Path]] = [[p] for p in outer]
    shapes = [region_of([p], 0.0) for p in outer]
    for island in level:
        if area(island) < 0:
            k = _home(island.start, shapes, outer)
            if k >= 0:
                own[k].append(island)
    inside: list[list[Nested]] = [[] for _ in outer]
    for one in inner:
        k = _home(one.loops[0].start, shapes, outer)
        if k >= 0:
            inside[k].append(one)
    return [Nested(tuple(o), tuple(i)) for o, i in zip(own, inside, strict=True)]


def _home(p: Point, shapes: list[Region], outer: list[Path]) -> int:
    """The smallest outer loop round a point."""
    around = [k for k, s in enumerate(shapes) if inside(s.loops, *p)]
    if not around:
        return -1
    return min(around, key=lambda k: area(outer[k]))


class Stretch(Struct, frozen=True):
    """A part of a loop; ``wide``: more of the tool is in metal there than a side step."""

    path: Path
    wide: bool


@lru_cache(maxsize=1024)
def stretches(loop: Path, beyond: Loops, away: float) -> tuple[Stretch, ...]:
    """A loop in parts: those farther than ``away`` from the loops ``beyond`` are wide."""
    if not beyond:
        return (Stretch(loop, True),)
    near, _ = curves(list(beyond))
    border = shifted([p.reversed() for p in beyond], away)
    pieces = cut(curves([loop])[0], border)
    middle = pieces.at(np.full(len(pieces), 0.5))
    far = distances(middle, near, away * 1.001) > away
    return tuple(_joined(pieces, far))


def outside_of(loop: Path, borders: list[Loops], overlap: float) -> list[Path]:
    """The parts of a loop that lie in none of the areas within ``borders``, ``overlap`` longer at both ends."""
    pieces = cut_at(loop, tuple(p for b in borders for p in b))
    middle = pieces.at(np.full(len(pieces), 0.5))
    free = np.ones(len(pieces), bool)
    for b in borders:
        free &= ~np.asarray(inside(tuple(short_arcs(p) for p in b), middle[:, 0], middle[:, 1]), bool)
    if not free.any():
        return []
    if free.all():
        return [loop]
    lengths = pieces.lengths()
    ends = np.cumsum(lengths)
    whole = float(ends[-1])
    runs: list[list[float]] = []
    for k in np.flatnonzero(free):
        low, high = float(ends[k] - lengths[k]), float(ends[k])
        if runs and low - runs[-1][1] < 2 * overlap + SHORTEST_MM:
            runs[-1][1] = high
        else:
            runs.append([low, high])
    if len(runs) > 1 and runs[0][0] + whole - runs[-1][1] < 2 * overlap + SHORTEST_MM:
        first = runs.pop(0)
        runs[-1][1] = first[1] + whole
    result = []
    for low, high in runs:
        if high - low + 2 * overlap >= whole:
            return [loop]
        begin = (low - overlap) % whole
        result.append(loop.part(begin, begin + high - low + 2 * overlap))
    return result


def within(loop: Path, area: Path) -> list[Stretch]:
    """A loop in parts: those outside a closed path are ``wide``."""
    pieces = cut_at(loop, (area,))
    middle = pieces.at(np.full(len(pieces), 0.5))
    out = ~np.asarray(inside((short_arcs(area),), middle[:, 0], middle[:, 1]), bool)
    return _joined(pieces, out)


def cut_at(loop: Path, others: Loops) -> Curves:
    """The elements of a loop in order, cut where other loops meet them."""
    return cut(curves([loop])[0], curves(list(others))[0])


def _joined(pieces: Curves, far: NDArray[np.bool_]) -> list[Stretch]:
    """Neighbours of one kind as one stretch."""
    result: list[Stretch] = []
    run: list[int] = []
    for k in range(len(pieces)):
        if run and far[k] != far[run[-1]]:
            result.append(Stretch(as_path(pieces, run, closed=False), bool(far[run[-1]])))
            run = []
        run.append(k)
    if run:
        result.append(Stretch(as_path(pieces, run, closed=False), bool(far[run[-1]])))
    return result
