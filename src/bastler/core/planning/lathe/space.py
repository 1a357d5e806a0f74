"""Configuration space of a lathe tool: where its reference point may be.

*View*: everything here is seen so that the tool points down and cuts towards smaller a, in (a, u): outside as it is, in a
bore turned over, at a face on its side, for a tool that cuts away from the chuck in a mirror, for a blade that leans turned upright;
so one way of planning serves all. *Keep*: what must not be cut. *Free*: where the reference point may be so that the edge
stays out of what is kept, and the body out of what stands. The edge rolls on its nose, so the border of *free* is made
of lines and arcs.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from functools import lru_cache

import numpy as np
import shapely
from msgspec import Struct
from numpy.typing import NDArray

from bastler.core.geometry.halfsection import Area, Polygon, clean, clipped, mirrored, rounded, widened
from bastler.core.geometry.path import Point
from bastler.core.geometry.rolling import as_array, grown, sweeps, swept
from bastler.core.tooling.cutters import Cutter, Reach, extent, hull

WINDOW_MM = 1000.0
"""So far round the part space is looked at."""
BODY_GAP_MM = 0.15
BLADE_GAP_MM = 0.03
"""A blade is only so much thinner behind its edge."""
COARSE_MM = 0.02
NEAR_MM = 1.0
"""What is farther from all of the tool is in nobody's way."""
PAST_MM = 5.0
"""No outside tool gets farther than this past the axis, its nose aside."""
BEYOND_MM = 1e4
FINE_MM = 0.002
TOUCHES_MM2 = 2e-4
"""Less than this is touching, not cutting."""
GRAZES_MM2 = 1e-5
"""Less than this is rounding: asked of a finished wall that is left."""


VIEWS: Mapping[Reach, tuple[int, int, int, int]] = {"out": (1, 0, 0, 1), "in": (1, 0, 0, -1), "face": (0, -1, 1, 0)}
"""For each way that a tool points: a = m0 z + m1 r and u = m2 z + m3 r, so that it points towards smaller u."""


Bounds = tuple[float, float, float, float]
"""From where to where along, and from where to where up."""


class View(Struct, frozen=True):
    """How a tool sees the section: the way that it points; ``back``: it cuts away from the chuck; ``lean``: by so many
    degrees a blade points towards the chuck instead of straight."""

    reach: Reach
    back: bool = False
    lean: float = 0.0

    @property
    def matrix(self) -> tuple[float, float, float, float]:
        """a and u from z and r, see :data:`VIEWS`."""
        m: tuple[float, float, float, float] = VIEWS[self.reach]
        if self.back:
            m = (-m[0], -m[1], m[2], m[3])
        if not self.lean:
            return m
        cos, sin = math.cos(math.radians(self.lean)), math.sin(math.radians(self.lean))
        return (cos * m[0] - sin * m[2], cos * m[1] - sin * m[3], sin * m[0] + cos * m[2], sin * m[1] + cos * m[3])

    @property
    def keeps_turn(self) -> bool:
        """Whether left stays left as the tool sees it."""
        m = self.matrix
        return m[0] * m[3] - m[1] * m[2] > 0

    @property
    def upright(self) -> View:
        """That of a tool that doesn't lean."""
        return View(self.reach, self.back)


def view_of(cutter: Cutter) -> View:
    """How a tool sees it."""
    back = cutter.tip[0] > 0 and cutter.reach != "face" and not cutter.plunges
    return View(cutter.reach, back, cutter.lean)


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
    return area if view == View("out") else _moved(area, _matrix(view))


def real_area(area: Area, view: View) -> Area:
    """The area that the tool sees so."""
    return area if view == View("out") else _moved(area, _matrix(view).T)


def other_side(area: Area, view: View) -> Area:
    """An area on the other side of the axis, both as the tool sees them."""
    m = _matrix(view)
    return _moved(area, m @ np.diag([1.0, -1.0]) @ m.T)


def _matrix(view: View) -> NDArray[np.float64]:
    return np.array(view.matrix, float).reshape(2, 2)


def _moved(area: Area, m: NDArray[np.float64]) -> Area:
    """An area turned or mirrored; rounding may fold the thinnest of what is left at an angle, which comes out again."""
    moved = shapely.transform(area, lambda p: p @ m.T)
    return moved if not m.all() or shapely.is_valid(moved) else moved.buffer(0)


class Space(Struct, frozen=True):
    """A tool among metal, all as the tool sees it."""

    cutter: Cutter
    view: View
    metal: Area
    fixed: Area

    def beside(self, window: Bounds) -> Space:
        """The same with only the metal that the tool can come near to while its reference point is in a window."""
        metal, fixed = (near(area, self.cutter.extent(), window) for area in (self.metal, self.fixed))
        return Space(self.cutter, self.view, metal, fixed)

    def without(self, area: Area) -> Space:
        """The same once an area is cut, all round."""
        other = other_side(area, self.view)
        metal = shapely.difference(self.metal, area)
        a0, u0, a1, u1 = other.bounds
        if _overlap(metal.bounds, (a0, a1, u0, u1), (0.0, 0.0, 0.0, 0.0)):
            metal = shapely.difference(metal, other)
        return Space(self.cutter, self.view, metal, self.fixed)


@lru_cache(maxsize=32)
def space(stock: Area, fixed: Area, cutter: Cutter) -> Space:
    """A tool among the whole section: both sides of the axis, for a bar may touch the far side of its bore.

    Of the far side an outside tool, which comes to the axis from above, sees only what it can get to.
    """
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
    if view.reach == "out":
        low = cutter.extent()[2] - 2 * cutter.nose - PAST_MM
        both, held = (clipped(one, -BEYOND_MM, low, BEYOND_MM, BEYOND_MM) for one in (both, held))
    return Space(down, view, seen_area(both, view), seen_area(held, view))


def free(one: Space, keep: Area, window: Bounds, below: Area | None = None, border: float = 0.0) -> Area:
    """Where the reference point may be in a window (z0, z1, u0, u1) so that the edge stays out of what is kept, and all of it out of what is fixed.

    It stays out of what is ``below`` too, and of its border, whose round and the nose's are one.
    """
    c = one.cutter
    z0, z1, u0, u1 = window
    blocked = rounded(grown(near(keep, c.extent(), window), c.skeleton), c.nose)
    if below is not None:
        wide = (z0 - border, z1 + border, u0 - border, u1 + border)
        more = grown(near(below, c.extent(), wide), c.skeleton)
        blocked = shapely.union(blocked, rounded(more, c.nose + border))
    room = shapely.difference(shapely.box(z0, u0, z1, u1), blocked)
    return clean(_apart(room, one.fixed, c, (*c.body, c.outline(COARSE_MM))))


def without_touching(room: Area, one: Space, stands: Area) -> Area:
    """Of free places those where the body also stays :data:`BODY_GAP_MM` away from what stands."""
    return clean(_apart(room, stands, one.cutter, one.cutter.body))


def near(area: Area, extent: Bounds, window: Bounds) -> Area:
    """What of an area a shape that extends so (z0, z1, u0, u1) can come near to while its reference point is in a window."""
    (left, right, low, high), (z0, z1, u0, u1) = extent, window
    return clipped(area, z0 + left - NEAR_MM, u0 + low - NEAR_MM, z1 + right + NEAR_MM, u1 + high + NEAR_MM)


def _apart(room: Area, stands: Area, c: Cutter, shapes: tuple[Polygon, ...]) -> Area:
    """Of free places those where shapes of a tool keep a gap from what stands, on coarse chords that lie outside."""
    gap = BLADE_GAP_MM if c.plunges else BODY_GAP_MM
    for shape in shapes:
        if room.is_empty:
            break
        z0, u0, z1, u1 = room.bounds
        close = near(stands, extent(shape), (z0, z1, u0, u1))
        if not close.is_empty:
            wide = widened(close.simplify(COARSE_MM), gap + COARSE_MM, join="mitre")
            room = shapely.difference(room, grown(wide, shape))
    return room


class Touching:
    """Where a tool's edge touches an area or a line, or comes within so many mm of it."""

    def __init__(self, c: Cutter, to: Area, within: float = 0.0) -> None:
        line = to.geom_type == "LineString"
        about = swept(-as_array(c.skeleton), np.asarray(to.coords)) if line else grown(to, c.skeleton)
        self._about = rounded(about, c.nose + within)
        shapely.prepare(self._about)

    def at(self, places: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Whether it does at each of n reference points (n, 2)."""
        return np.asarray(shapely.intersects_xy(self._about, *places.T))

    def along(self, places: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Whether it does anywhere on each straight way from one of n reference points to the next: (n - 1,)."""
        ways = shapely.linestrings(np.stack([places[:-1], places[1:]], axis=1))
        return np.asarray(shapely.intersects(self._about, ways))


def passed(one: Space, points: list[Point]) -> Area:
    """All that the edge passes over along points."""
    return edge_along(one.cutter, points)


def edge_along(c: Cutter, points: list[Point]) -> Area:
    """All that a tool's edge passes over whose reference point runs along points: its skeleton's way, rolled by the nose."""
    return rounded(swept(as_array(c.skeleton), np.asarray(points, float)), c.nose)


def edge_over(c: Cutter, room: Area) -> Area:
    """All that a tool's edge passes over while its reference point is anywhere in a room."""
    return rounded(grown(room, tuple((-z, -u) for z, u in c.skeleton)), c.nose)


def may_meet(one: Space) -> Callable[[Point, Point], bool]:
    """Whether the tool could meet metal or anything fixed at all while it is between two points, by their bounds."""
    solids, of = [solid.bounds for solid in (one.metal, one.fixed)], one.cutter.extent()

    def may(p: Point, q: Point) -> bool:
        reach = _reach_of([p, q])
        return any(_overlap(bounds, of, reach) for bounds in solids)

    return may


def way_is_clear(one: Space, a: Point, b: Point, touches: float = TOUCHES_MM2) -> bool:
    """Whether all of the tool passes from a to b without metal or anything fixed in its way; ``touches``: mm² that don't count."""
    way, reach = np.array([a, b]), _reach_of([a, b])
    for shape in (one.cutter.outline(FINE_MM), *one.cutter.body):
        close = [s for s in (one.metal, one.fixed) if _overlap(s.bounds, extent(shape), reach)]
        if not close:
            continue
        area = shapely.convex_hull(shapely.linestrings((way[:, None] + as_array(shape)).reshape(-1, 2)))
        for solid in close:
            if shapely.intersects(solid, area) and shapely.area(shapely.intersection(solid, area)) > touches:
                return False
    return True


def body_is_clear(one: Space, points: list[Point]) -> bool:
    """Whether the tool's body follows along points without touching metal or anything fixed."""
    p, reach = np.asarray(points, float), _reach_of(points)
    for shape in one.cutter.body:
        close = [s for s in (one.metal, one.fixed) if _overlap(s.bounds, extent(shape), reach)]
        ways = sweeps(as_array(shape), p[:-1], p[1:]) if close else ()
        for solid in close:
            met = ways[shapely.intersects(ways, solid)]
            if len(met) and shapely.area(shapely.intersection(solid, met)).max() > TOUCHES_MM2:
                return False
    return True


def _reach_of(points: list[Point]) -> Bounds:
    along, up = [p[0] for p in points], [p[1] for p in points]
    return (min(along), max(along), min(up), max(up))


def _overlap(area: Bounds, shape: Bounds, reach: Bounds) -> bool:
    """Whether the bounds of an area (as shapely has them) overlap those of a shape that goes about in a reach."""
    return (
        area[0] < reach[1] + shape[1]
        and area[2] > reach[0] + shape[0]
        and area[1] < reach[3] + shape[3]
        and area[3] > reach[2] + shape[2]
    )
