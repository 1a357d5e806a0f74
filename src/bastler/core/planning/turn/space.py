"""Configuration space of a lathe tool: where its reference point may be.

*View*: everything here is seen so that the tool points down and cuts towards smaller a, in (a, u): outside as it is, in a
bore turned over, at a face on its side, for a tool that cuts away from the chuck in a mirror; so one way of planning serves all. *Keep*: what must not be cut. *Free*: where the reference point may be so that the edge
stays out of what is kept, and the body out of what stands. The edge rolls on its nose, so the border of *free* is made
of lines and arcs.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import shapely
from msgspec import Struct
from numpy.typing import NDArray

from bastler.core.geometry.path import Point
from bastler.core.geometry.rolling import grown, sweeps, swept
from bastler.core.geometry.turned import Area, Polygon, clean, mirrored, polygons, rounded, widened
from bastler.core.tooling.cutters import Cutter, Reach, hull

BODY_GAP_MM = 0.15
BLADE_GAP_MM = 0.03
"""A blade is only so much thinner behind its edge."""
COARSE_MM = 0.02
NEAR_MM = 1.0
"""What is farther from all of the tool is in nobody's way."""
FINE_MM = 0.002
TOUCHES_MM2 = 2e-4
"""Less than this is touching, not cutting."""
GRAZES_MM2 = 1e-5
"""Less than this is rounding: asked of a finished wall that is left."""


VIEWS: Mapping[Reach, tuple[int, int, int, int]] = {"out": (1, 0, 0, 1), "in": (1, 0, 0, -1), "face": (0, -1, 1, 0)}
"""For each way that a tool points: a = m0 z + m1 r and u = m2 z + m3 r, so that it points towards smaller u."""


class View(Struct, frozen=True):
    """How a tool sees the section: the way that it points; ``back``: it cuts away from the chuck."""

    reach: Reach
    back: bool = False

    @property
    def matrix(self) -> tuple[int, int, int, int]:
        """a and u from z and r, see :data:`VIEWS`."""
        m = VIEWS[self.reach]
        return (-m[0], -m[1], m[2], m[3]) if self.back else m

    @property
    def keeps_turn(self) -> bool:
        """Whether left stays left as the tool sees it."""
        m = self.matrix
        return m[0] * m[3] - m[1] * m[2] > 0


def view_of(cutter: Cutter) -> View:
    """How a tool sees it."""
    return View(cutter.reach, cutter.tip[0] > 0 and cutter.reach != "face")


def seen(p: Point, view: View) -> Point:
    """A place (z, r) as the tool sees it (a, u)."""
    m = view.matrix
    return (m[0] * p[0] + m[1] * p[1], m[2] * p[0] + m[3] * p[1])


def real(p: Point, view: View) -> Point:
    """The place (z, r) of what the tool sees at (a, u)."""
    m = view.matrix
    return (m[0] * p[0] + m[2] * p[1], m[1] * p[0] + m[3] * p[1])


def seen_area(area: Area, view: View) -> Area:
    """An area as the tool sees it."""
    m = np.array(view.matrix, float).reshape(2, 2)
    return area if view == View("out") else shapely.transform(area, lambda p: p @ m.T)


def real_area(area: Area, view: View) -> Area:
    """The area that the tool sees so."""
    m = np.array(view.matrix, float).reshape(2, 2)
    return area if view == View("out") else shapely.transform(area, lambda p: p @ m)


class Space(Struct, frozen=True):
    """A tool among metal, all as the tool sees it."""

    cutter: Cutter
    view: View
    metal: Area
    fixed: Area

    def beside(self, window: tuple[float, float, float, float]) -> Space:
        """The same with only the metal that the tool can come near to while its reference point is in a window."""
        metal, fixed = (near(area, self.cutter, window) for area in (self.metal, self.fixed))
        return Space(self.cutter, self.view, metal, fixed)

    def without(self, area: Area) -> Space:
        """The same once an area is cut, all round."""
        other = shapely.transform(area, lambda p: p * [-1.0, 1.0]) if self.view.reach == "face" else mirrored(area)
        apart = not _overlaps(area.bounds, np.array(other.bounds[:2]), np.array(other.bounds[2:]))
        both = shapely.multipolygons([*polygons(area), *polygons(other)]) if apart else shapely.union(area, other)
        return Space(self.cutter, self.view, shapely.difference(self.metal, both), self.fixed)


def space(stock: Area, fixed: Area, cutter: Cutter) -> Space:
    """A tool among the whole section: both sides of the axis, for a bar may touch the far side of its bore."""
    both, held = (shapely.union_all([one, mirrored(one)]) for one in (stock, fixed))
    view = view_of(cutter)

    def turned(p: Polygon) -> Polygon:
        return hull([seen(q, view) for q in p])

    tip = seen((float(cutter.tip[0]), float(cutter.tip[1])), view)
    second = seen(cutter.second, view) if cutter.second else None
    down = Cutter(
        turned(cutter.skeleton) if len(cutter.skeleton) > 2 else tuple(seen(p, view) for p in cutter.skeleton), cutter.nose,
        tuple(turned(b) for b in cutter.body), (round(tip[0]), round(tip[1])), "out", second, cutter.plunges,
    )  # fmt: skip
    return Space(down, view, seen_area(both, view), seen_area(held, view))


def free(one: Space, keep: Area, window: tuple[float, float, float, float]) -> Area:
    """Where the reference point may be in a window (z0, z1, u0, u1) so that the edge stays out of what is kept, and all of it out of what is fixed."""
    c = one.cutter
    keep, fixed = (near(area, c, window) for area in (keep, one.fixed))
    blocked = [rounded(grown(keep, c.skeleton), c.nose), *_grown_coarsely(fixed, c, edge_too=True)]
    z0, z1, u0, u1 = window
    return clean(shapely.difference(shapely.box(z0, u0, z1, u1), shapely.union_all(blocked)))


def without_touching(room: Area, one: Space, stands: Area, window: tuple[float, float, float, float]) -> Area:
    """Of free places those where the body also stays :data:`BODY_GAP_MM` away from what stands."""
    blocked = _grown_coarsely(near(stands, one.cutter, window), one.cutter, edge_too=False)
    return clean(shapely.difference(room, shapely.union_all(blocked)))


def near(area: Area, c: Cutter, window: tuple[float, float, float, float]) -> Area:
    """What of an area the tool can come near to while its reference point is in a window."""
    z0, z1, u0, u1 = window
    left, right, low, high = c.extent()
    return shapely.clip_by_rect(
        area, z0 + left - NEAR_MM, u0 + low - NEAR_MM, z1 + right + NEAR_MM, u1 + high + NEAR_MM
    )


def _grown_coarsely(area: Area, c: Cutter, *, edge_too: bool) -> list[Area]:
    """Where the body, or all of the tool, would touch an area: with a gap, on coarse chords that lie outside."""
    if area.is_empty:
        return []
    gap = BLADE_GAP_MM if c.plunges else BODY_GAP_MM
    wide = widened(area.simplify(COARSE_MM), gap + COARSE_MM, join="mitre")
    shapes: list[Polygon] = [*c.body, *([c.outline(COARSE_MM)] if edge_too else [])]
    return [grown(wide, shape) for shape in shapes]


def passed(one: Space, points: list[Point]) -> Area:
    """All that the edge passes over along points."""
    return edge_along(one.cutter, points)


def edge_along(c: Cutter, points: list[Point]) -> Area:
    """All that a tool's edge passes over whose reference point runs along points: its skeleton's way, rolled by the nose."""
    return rounded(swept(np.asarray(c.skeleton), np.asarray(points, float)), c.nose)


def edge_over(c: Cutter, room: Area) -> Area:
    """All that a tool's edge passes over while its reference point is anywhere in a room."""
    return rounded(grown(room, tuple((-z, -u) for z, u in c.skeleton)), c.nose)


def way_is_clear(one: Space, a: Point, b: Point, touches: float = TOUCHES_MM2) -> bool:
    """Whether all of the tool passes from a to b without metal or anything fixed in its way; ``touches``: mm² that don't count."""
    solids = [s for s in (one.metal, one.fixed) if not s.is_empty]
    for shape in (one.cutter.outline(FINE_MM), *one.cutter.body):
        corners, ends = np.asarray(shape), np.array([a, b])
        low, high = corners.min(axis=0) + ends.min(axis=0), corners.max(axis=0) + ends.max(axis=0)
        close = [s for s in solids if _overlaps(s.bounds, low, high)]
        if not close:
            continue
        way = shapely.LineString((ends[:, None] + corners[None]).reshape(-1, 2)).convex_hull
        for solid in close:
            if shapely.intersects(solid, way) and shapely.intersection(solid, way).area > touches:
                return False
    return True


def _overlaps(bounds: tuple[float, float, float, float], low: NDArray[np.float64], high: NDArray[np.float64]) -> bool:
    return bool(bounds[0] < high[0] and bounds[1] < high[1] and bounds[2] > low[0] and bounds[3] > low[1])


def body_is_clear(one: Space, points: list[Point]) -> bool:
    """Whether the tool's body follows along points without touching metal or anything fixed."""
    p = np.asarray(points, float)
    for shape in one.cutter.body:
        ways = sweeps(np.asarray(shape), p[:-1], p[1:])
        for solid in (one.metal, one.fixed):
            for way in ways[shapely.intersects(ways, solid)] if not solid.is_empty else ():
                if shapely.intersection(solid, way).area > TOUCHES_MM2:
                    return False
    return True
