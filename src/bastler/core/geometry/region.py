"""*Region*: any area bounded by closed paths of lines and arcs, cut down to one floor, as a finished shape.

No NumPy here either: see :mod:`bastler.core.geometry.shapes`.
"""

from __future__ import annotations

import math

from msgspec import Struct
from msgspec.structs import replace

from bastler.core.geometry.path import Arc, Element, Path, Point, path_bounds, short_arcs
from bastler.core.geometry.placement import Placement
from bastler.core.geometry.shapes import Bounds, Numbers, fillet_rise, smaller
from bastler.core.geometry.track import distance

COVERED_SPLITS = 5
"""A rectangle is halved so often to see whether it lies inside."""


class Region(Struct, frozen=True):
    """What lies to the left of all ``loops`` (closed, outlines counter-clockwise, islands clockwise); see :class:`Removal`.

    ``fillet``: the tool's corner radius. ``centres``: what its centre may be in, ``reach`` inside the edge; given for tools with a
    corner radius, for between two of its places farther apart than it reaches metal stands higher than next to a wall. Made by
    :func:`region`.
    """

    loops: tuple[Path, ...]
    floor: float
    fillet: float = 0.0
    wanted: str = ""
    centres: tuple[Path, ...] = ()
    reach: float = 0.0

    @property
    def flat(self) -> bool:
        """See :class:`Removal`."""
        return self.fillet <= 0

    def depth(self, x: Numbers, y: Numbers) -> Numbers:
        """See :class:`Removal`."""
        return self.reach + _signed(self.centres, x, y) if self.centres else _signed(self.loops, x, y)

    def rise(self, depth: Numbers) -> Numbers:
        """See :class:`Removal`."""
        return fillet_rise(self.fillet, depth)

    def bounds(self) -> Bounds:
        """See :class:`Removal`."""
        boxes = [path_bounds(loop) for loop in self.loops]
        return (min(b[0] for b in boxes), max(b[1] for b in boxes), min(b[2] for b in boxes), max(b[3] for b in boxes))

    def covers(self, bounds: Bounds) -> bool:
        """See :class:`Removal`; a rectangle that hardly fits may count as not covered."""
        return self._covers(bounds, COVERED_SPLITS)

    def _covers(self, b: Bounds, splits: int) -> bool:
        x, y = (b[0] + b[1]) / 2, (b[2] + b[3]) / 2
        depth = self.depth(x, y)
        if depth < self.fillet:
            return False
        if depth - self.fillet >= math.hypot(b[1] - b[0], b[3] - b[2]) / 2:
            return True
        if not splits:
            return False
        halves = ((b[0], x), (x, b[1])), ((b[2], y), (y, b[3]))
        return all(self._covers((*i, *j), splits - 1) for i in halves[0] for j in halves[1])

    def outlines(self) -> tuple[Path, ...]:
        """See :class:`Removal`."""
        return self.loops

    def placed(self, where: Placement) -> Region:
        """See :class:`Removal`."""

        def put(loops: tuple[Path, ...]) -> tuple[Path, ...]:
            moved = [where.path(loop) for loop in loops]
            return tuple(p.reversed() for p in moved) if where.mirror else tuple(moved)

        return replace(self, loops=put(self.loops), centres=put(self.centres))

    def lifted(self, by: float) -> Region:
        """See :class:`Removal`."""
        return replace(self, floor=self.floor + by)


def region(
    loops: list[Path],
    floor: float,
    fillet: float = 0.0,
    wanted: str = "",
    centres: tuple[Path, ...] = (),
    reach: float = 0.0,
) -> Region:
    """A region from closed paths, whose arcs may be of any sweep."""
    inner = tuple(short_arcs(p) for p in centres) if fillet > 0 else ()
    return Region(tuple(short_arcs(p) for p in loops), floor, fillet, wanted, inner, reach)


def _signed(loops: tuple[Path, ...], x: Numbers, y: Numbers) -> Numbers:
    """Distance of points from closed paths, negative outside."""
    nearest: Numbers = math.inf
    for loop in loops:
        for start, element in zip(_starts(loop), loop.elements, strict=False):
            away = distance(start, element, x, y)
            nearest = away if nearest is math.inf else smaller(nearest, away)
    return nearest * (2 * inside(loops, x, y) - 1)


def _starts(path: Path) -> list[Point]:
    return [path.start, *(e.end for e in path.elements)]


def inside(loops: tuple[Path, ...], x: Numbers, y: Numbers) -> Numbers:
    """Whether points lie within an odd number of closed paths, whose arcs turn at most half a turn."""
    within: Numbers = (x != x) & (y != y)
    for loop in loops:
        for start, element in zip(_starts(loop), loop.elements, strict=False):
            within = within ^ _toggles(start, element, x, y)
    return within


def _toggles(a: Point, e: Element, x: Numbers, y: Numbers) -> Numbers:
    """Whether an element changes the side of points: a ray to +X crosses its chord, or they lie between chord and arc."""
    b = e.end
    dx, dy = b[0] - a[0], b[1] - a[1]
    left = dx * (y - a[1]) - dy * (x - a[0])
    if dy > 0:
        crossed = (a[1] <= y) & (y < b[1]) & (left > 0)
    elif dy < 0:
        crossed = (b[1] <= y) & (y < a[1]) & (left <= 0)
    else:
        crossed = y != y
    if not isinstance(e, Arc):
        return crossed
    (cx, cy), radius = e.centre, math.dist(a, e.centre)
    within = (x - cx) * (x - cx) + (y - cy) * (y - cy) < radius * radius
    # Exactly on the chord it must count as the half plane does that the chord's own crossing leaves out.
    beyond = left <= 0 if e.ccw else left > 0
    return crossed ^ (within & beyond)
