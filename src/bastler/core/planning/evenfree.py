"""Even load from space that is clear already: round a shape from the air beside the block, into corners that a larger tool left.

The tree of discs begins where nothing stands. Of its crescents only those in metal are cut. Discs that hang together beyond a clear one
are a *place*; each is cut down through all levels, and entered beside its first crescent, where the tool goes down in the clear.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Protocol

from msgspec import Struct

from bastler.core.geometry.combine import without
from bastler.core.geometry.path import Path, Point
from bastler.core.geometry.region import Region, region
from bastler.core.geometry.shapes import rectangle
from bastler.core.moves import Feed, Move, Rapid
from bastler.core.planning.evenload import Disc, Even, crescents, discs
from bastler.core.planning.nest import Loops, pockets_of

DOWN_MM = 1.0
"""So far over a level a rapid down ends."""
AIR_MM = 0.5
"""So far beside the metal, beyond its radius, the tool may be."""
FITS_MM = 1e-6
TOUCHES_MM = 2e-3
"""A tool may be so much nearer to a wall that was cut before than that cut was."""


class Clear(Protocol):
    """Where nothing stands."""

    def begin(self, loops: Loops) -> Point | None:
        """Where the discs of an area of the tool's centre begin; ``None``: at its widest place."""

    def free(self, disc: Disc) -> bool:
        """Whether nothing stands within the tool's radius of a disc."""


class Beside(Struct, frozen=True):
    """The air beside a box (x0, x1, y0, y1) that all metal lies in, for a tool of a radius, mm."""

    box: tuple[float, float, float, float]
    radius: float

    def room(self, stays: Path) -> Loops:
        """Where the tool's centre may be: outside a closed path, and a little beside the box."""
        x0, x1, y0, y1 = self.box
        beyond = self.radius + AIR_MM
        outer = rectangle((x0 - beyond, x1 + beyond, y0 - beyond, y1 + beyond), 0.0).outlines()
        return tuple(without(list(outer), [stays]))

    def begin(self, loops: Loops) -> Point | None:
        """At a corner of the box, as far in as the tool only touches that corner."""
        x0, x1, y0, y1 = self.box
        reach = self.radius + AIR_MM
        aside = (math.sqrt(2) * reach - self.radius) / (1 + math.sqrt(2))
        by, edge = reach - aside, region(list(loops), 0.0)
        corners = [(x, y) for x in (x0 - by, x1 + by) for y in (y0 - by, y1 + by)]
        return next((p for p in corners if edge.depth(*p) >= aside - FITS_MM), None)

    def free(self, disc: Disc) -> bool:
        """Whether a disc lies in the air."""
        (x0, x1, y0, y1), (x, y) = self.box, disc.centre
        far = math.hypot(max(x0 - x, x - x1, 0.0), max(y0 - y, y - y1, 0.0))
        return far >= disc.radius + self.radius - FITS_MM


class CutBefore(Struct, frozen=True):
    """Areas in which the tool's centre is free."""

    areas: tuple[Region, ...]

    def begin(self, _: Loops) -> Point | None:
        """Larger tools were at the widest place."""
        return None

    def free(self, disc: Disc) -> bool:
        """Whether a disc lies in one of the areas."""
        return any(one.depth(*disc.centre) >= disc.radius - TOUCHES_MM for one in self.areas)


def trees(loops: Loops, even: Even, clear: Clear) -> list[tuple[Disc, ...]] | None:
    """The discs of each connected area of the tool's centre, from where nothing stands; ``None`` if one has no such place."""
    found = []
    for one in pockets_of(loops):
        tree = discs(one.loops, even.radius, even.angle, clear.begin(one.loops))
        if not tree or not clear.free(tree[0]):
            return None
        found.append(tree)
    return found


def _places(tree: tuple[Disc, ...], clear: Clear) -> list[list[int]]:
    """Discs in metal, those of one place together, in cutting order."""
    of: dict[int, list[int]] = {}
    found: list[list[int]] = []
    for k, disc in enumerate(tree):
        if clear.free(disc):
            continue
        if disc.before not in of:
            found.append([])
        of[k] = of.get(disc.before, found[-1])
        of[k].append(k)
    return found


def clear_from_free(
    tree: tuple[Disc, ...], clear: Clear, even: Even, heights: Sequence[float], safe: float
) -> list[tuple[float, list[Move]]]:
    """Every place down through all ``heights``: the level of each pass and its moves, from ``safe`` back to ``safe``."""
    free, found = [d for d in tree if clear.free(d)], []
    for place in _places(tree, clear):
        first = tree[place[0]].before
        at = tree[first].centre
        for level in heights:
            moves: list[Move] = [Rapid(*at), Rapid(z=level + DOWN_MM), Feed(None, None, level, even.feed_air)]
            moves += crescents(tree, place, at, first, even, level, free)
            found.append((level, [*moves, Rapid(z=safe)]))
    return found
