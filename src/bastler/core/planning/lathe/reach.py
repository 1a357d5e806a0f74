"""What a tool reaches of the metal outside a contour: what stays, where the tool may be, what it clears and leaves.

*Contour*: a path (z, r) from the front towards the chuck; in front of its start it goes on level, behind its end all
metal stays (a tool that cuts away from the chuck sees it from there). *Pocket*: all metal in front of it stays too. *Cleared*: the metal that the edge takes; *left*: what it should take and doesn't reach.
"""

from __future__ import annotations

from functools import lru_cache

import shapely
from msgspec import Struct
from msgspec.structs import replace

from bastler.core.geometry.halfsection import Area, clean, clipped, points_of, polygons, widened
from bastler.core.geometry.path import Path, Point
from bastler.core.geometry.rolling import grown
from bastler.core.planning.lathe.space import (
    WINDOW_MM,
    Space,
    edge_over,
    free,
    other_side,
    real,
    real_area,
    seen,
    seen_area,
    space,
    without_touching,
)
from bastler.core.planning.lathe.walk import GAP_MM
from bastler.core.tooling.cutters import Cutter

ON_AXIS_MM = 1e-6
TINY_MM2 = 1e-3
THIN_MM = 0.2
"""Metal thinner than twice this that stays, as the fillet of a nose in a corner, is in no body's way."""
ROUNDS = 3
"""So often the metal that stays is worked out anew with what the tool's body then can't reach."""

Window = tuple[float, float, float, float]


class Reached(Struct, frozen=True):
    """Where a tool may be (``free``, in a ``window``, as it sees it), and as half sections what it clears and what it leaves.

    ``pocket``: all metal beside the contour stays.
    """

    space: Space
    free: Area
    cleared: Area
    left: Area
    window: Window
    pocket: bool = False


class Kept(Struct, frozen=True):
    """What stays, as the tool sees it: ``below`` the contour, with ``border`` all round; ``beside`` it, as it is; and all of it, ``whole``."""

    below: Area
    border: float
    beside: Area
    whole: Area


def kept(contour: Path, one: Space, leave: tuple[float, float] = (0.0, 0.0), *, pocket: bool = False) -> Kept:
    """What stays: below the contour, level in front of it, and all metal behind it.

    ``contour``: in the direction that the tool cuts. ``leave``: allowance along a and along u, mm. ``pocket``: all metal in front of it stays too.
    """
    points = [seen(p, one.view) for p in points_of(contour)]
    floor = min(p[1] for p in points) - WINDOW_MM
    a0, a1 = points[0][0], points[-1][0]
    level, end = (points[-1], a0) if one.view.back else (points[0], a1)
    way = -1.0 if one.view.back else 1.0
    ahead: list[Point] = []
    if not pocket and not (one.view.reach == "out" and abs(level[1]) <= ON_AXIS_MM):
        every = [a0, a1, *(one.metal.bounds[0:4:2] if not one.metal.is_empty else ())]
        out = way * (max(way * a for a in every) + WINDOW_MM)
        ahead = [(out, floor), (out, level[1])]
    else:
        ahead = [(level[0], floor)]
    below: Area = shapely.Polygon(
        [*points, *reversed(ahead), (end, floor)] if one.view.back else [*ahead, *points, (end, floor)]
    ).buffer(0)
    if one.view.reach == "out":
        below = shapely.intersection(
            below, seen_area(shapely.box(-3 * WINDOW_MM, 0.0, 3 * WINDOW_MM, WINDOW_MM), one.view)
        )
    below, border = _longer(below, *leave), min(leave)
    thick = widened(below, border) if border > 0 else below
    behind = shapely.box(-WINDOW_MM, -WINDOW_MM, a1 + leave[0], WINDOW_MM)
    before = shapely.box(a0 - leave[0], -WINDOW_MM, WINDOW_MM, WINDOW_MM)
    sides: list[Area] = [behind, before] if pocket else [before] if one.view.back else [behind]
    if one.view.reach != "face":
        sides.append(other_side(thick, one.view))
    stays = [shapely.intersection(one.metal, side) for side in sides]
    return Kept(below, border, shapely.union_all(stays), clean(shapely.union_all([thick, *stays])))


def _longer(area: Area, z: float, r: float) -> Area:
    """Grown by what the larger of two allowances has more than the other, along its axis: arcs stay arcs."""
    more = abs(z - r)
    if more <= 0:
        return area
    return grown(area, ((-more, 0.0), (more, 0.0)) if z > r else ((0.0, -more), (0.0, more)))


@lru_cache(maxsize=64)
def reached(
    contour: Path,
    stock: Area,
    fixed: Area,
    cutter: Cutter,
    leave: tuple[float, float],
    away: tuple[float, float],
    pocket: bool = False,
) -> Reached:
    """What a tool reaches of the metal outside a contour; ``away``: Z in front of and radius over everything."""
    one = space(stock, fixed, cutter)
    if one.view.back:
        contour = contour.reversed()
    whole, window = one, window_of(one, contour, away, pocket=pocket)
    if pocket:
        one = one.beside(window)
    stays = kept(contour, one, leave, pocket=pocket)
    half = shapely.box(-2 * WINDOW_MM, 0.0, 2 * WINDOW_MM, 2 * WINDOW_MM)
    should = shapely.intersection(shapely.difference(one.metal, stays.whole), seen_area(half, one.view))
    if stays.border > 0:
        room = free(one, stays.beside, window, stays.below, stays.border)
    else:
        room = free(one, _near(stays.whole, contour, one) if pocket else stays.whole, window)
    stands: Area = shapely.Polygon()
    more, gone, rest = shapely.intersection(one.metal, stays.whole), stands, should
    for _ in range(ROUNDS):
        before, room = room.area, _in_the_open(without_touching(room, one, more), window, back=one.view.back)
        if not stands.is_empty and before - room.area < TINY_MM2:
            break
        rest = clean(shapely.difference(should, edge_over(one.cutter, room)))
        gone = clean(shapely.difference(should, rest))
        if widened(rest, -THIN_MM).is_empty:
            break
        stands = shapely.union(stands, more)
        more = clean(replace(one, metal=shapely.difference(one.metal, stands)).without(gone).metal)
        if more.area < TINY_MM2:
            break
    return Reached(whole, room, real_area(gone, one.view), real_area(rest, one.view), window, pocket)


def _near(keep: Area, contour: Path, one: Space) -> Area:
    """What stays, as far as the edge comes near it while it is in a groove."""
    across = [a for a, _ in one.cutter.outline(0.05)]
    wide = max(across) - min(across) + 1.0
    ends = [seen(p, one.view)[0] for p in (contour.start, contour.end)]
    return clipped(keep, min(ends) - wide, -WINDOW_MM, max(ends) + wide, WINDOW_MM)


def window_of(one: Space, contour: Path, away: tuple[float, float], *, pocket: bool = False) -> Window:
    """Where the reference point may be at all: from behind the contour's end to the open air."""
    nose, wide = one.cutter.nose, max(one.cutter.extent()[1], 5.0)
    end = seen(contour.end, one.view)[0] - wide - 2 * nose
    beside = seen(contour.start, one.view)[0] + wide
    if one.view.reach == "face" or one.view.lean:
        low = min(seen(p, one.view)[1] for p in points_of(contour, 0.1))
        return (end, beside, low - 1.0, one.metal.bounds[3] + 2 * GAP_MM if one.view.lean else away[0])
    if one.view.back:
        along = (front(one, away), beside + 2 * nose)
    else:
        along = (end, beside if pocket else front(one, away))
    return (*along, -(nose + 0.05), away[1]) if one.view.reach == "out" else (*along, -away[1], 0.0)


def front(one: Space, away: tuple[float, float]) -> float:
    """Where along a, with all of the edge in front of the metal, the reference point is; for a blade that leans as an upright one sees it."""
    upright = one.view.upright
    across = [
        seen(real(p, one.view), upright)[0] for shape in (one.cutter.outline(0.05), *one.cutter.body) for p in shape
    ]
    return -(away[0] + max(*across, 0.0)) if one.view.back else away[0] + max(-min(across), 0.0)


def _in_the_open(room: Area, window: Window, *, back: bool) -> Area:
    """The part of free space that the tool comes into from outside."""
    door = (window[0] + 1e-3 if back else window[1] - 1e-3, window[3] - 1e-3)
    parts = polygons(room)
    return next(
        (p for p in parts if p.distance(shapely.Point(door)) < 1e-2),
        max(parts, key=lambda p: p.area, default=shapely.Polygon()),
    )
