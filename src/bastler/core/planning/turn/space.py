"""Configuration space of a lathe tool: where its reference point may be.

*Down*: everything here is seen so that the tool points down: outside r is up, in a bore it is turned over, so that one
way of planning serves both. *Keep*: what must not be cut. *Free*: where the reference point may be so that the edge
stays out of what is kept, and the body out of what stands. The edge rolls on its nose, so the border of *free* is made
of lines and arcs.
"""

from __future__ import annotations

import numpy as np
import shapely
from msgspec import Struct

from bastler.core.geometry.path import Point
from bastler.core.geometry.turned import Area, Polygon, clean, grown, mirrored, rounded, sweeps
from bastler.core.tooling.cutters import Cutter

BODY_GAP_MM = 0.15
COARSE_MM = 0.02
TOUCHES_MM2 = 2e-4
"""Less than this is touching, not cutting."""


class Space(Struct, frozen=True):
    """A tool among metal, seen so that it points down. ``side`` +1 outside, -1 in a bore."""

    cutter: Cutter
    side: float
    metal: Area
    fixed: Area

    def without(self, area: Area) -> Space:
        """The same once an area is cut."""
        return Space(self.cutter, self.side, shapely.difference(self.metal, area), self.fixed)


def space(stock: Area, fixed: Area, cutter: Cutter) -> Space:
    """A tool among the whole section: both sides of the axis, for a bar may touch the far side of its bore."""
    both = shapely.union_all([stock, mirrored(stock)])
    held = shapely.union_all([fixed, mirrored(fixed)])
    if cutter.reach == "in":
        return Space(cutter.mirrored(), -1.0, both, held)
    return Space(cutter, 1.0, both, held)


def down(area: Area, side: float) -> Area:
    """An area as the tool sees it, and back."""
    return area if side > 0 else mirrored(area)


def free(one: Space, keep: Area, stands: Area, window: tuple[float, float, float, float]) -> Area:
    """Where the reference point may be in a window (z0, z1, u0, u1).

    ``keep``: the edge stays out of it; ``stands``: the body does, by :data:`BODY_GAP_MM`.
    """
    c = one.cutter
    blocked = [rounded(grown(keep, c.skeleton), c.nose), *(_grown_coarsely(one.fixed, c, edge_too=True))]
    blocked += _grown_coarsely(stands, c, edge_too=False)
    z0, z1, u0, u1 = window
    return clean(
        shapely.difference(shapely.box(z0, u0, z1, u1), shapely.union_all([b for b in blocked if not b.is_empty]))
    )


def _grown_coarsely(area: Area, c: Cutter, *, edge_too: bool) -> list[Area]:
    """Where the body, or all of the tool, would touch an area: with a gap, on coarse chords that lie outside."""
    if area.is_empty:
        return []
    wide = area.simplify(COARSE_MM).buffer(BODY_GAP_MM + COARSE_MM, join_style="mitre")
    shapes: list[Polygon] = [*c.body, *([c.outline(COARSE_MM)] if edge_too else [])]
    return [grown(wide, shape) for shape in shapes]


def passed(one: Space, points: list[Point]) -> Area:
    """All that the edge passes over along points."""
    return edge_along(one.cutter, points)


def edge_along(c: Cutter, points: list[Point]) -> Area:
    """All that a tool's edge passes over whose reference point runs along points: its skeleton's way, rolled by the nose."""
    corners, p = np.asarray(c.skeleton), np.asarray(points, float)
    if len(p) == 1:
        p = np.concatenate([p, p])
    return rounded(shapely.union_all(sweeps(corners, p[:-1], p[1:])), c.nose)


def edge_over(c: Cutter, room: Area) -> Area:
    """All that a tool's edge passes over while its reference point is anywhere in a room."""
    return rounded(grown(room, tuple((-z, -u) for z, u in c.skeleton)), c.nose)


def way_is_clear(one: Space, a: Point, b: Point) -> bool:
    """Whether all of the tool passes from a to b without metal or anything fixed in its way."""
    for shape in (one.cutter.outline(COARSE_MM), *one.cutter.body):
        way = sweeps(np.asarray(shape), np.array([a]), np.array([b]))[0]
        for solid in (one.metal, one.fixed):
            if shapely.intersects(solid, way) and shapely.intersection(solid, way).area > TOUCHES_MM2:
                return False
    return True
