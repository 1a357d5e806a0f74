"""Clearing an area bounded by contours: its fields, what is wrong with them, the finished shape, the moves.

*Area*: an outline and islands. Islands of lower height stand only up to ``low_top``; so the area is cut in *bands*
from the top down, each with those islands that stand in it. What a tool doesn't reach, in corners and narrow
places, stays; the finished shape is the area as the tool's circle sweeps it.
"""

from __future__ import annotations

import math
from functools import partial

from msgspec.structs import replace

from bastler.core.cycles import leftover, loading, pocketproblems
from bastler.core.cycles.areabands import Band, bands, by_control, corner_radius, rough_loops, rough_offset, whole
from bastler.core.cycles.base import machine_problems
from bastler.core.cycles.cornerfit import corner_problems
from bastler.core.cycles.joints import joint_of, joint_problems
from bastler.core.cycles.leftover import STANDING_MM
from bastler.core.cycles.pocketing import FITS_MM, left_on
from bastler.core.fields import Values
from bastler.core.geometry.offsets import inset
from bastler.core.geometry.path import Path, area, short_arcs
from bastler.core.geometry.region import Region, inside, region
from bastler.core.geometry.shapes import Removal
from bastler.core.geometry.track import track
from bastler.core.moves import Move, Rapid
from bastler.core.planning.area import Height, LevelCut, clear, lead_for, rest, wall_round, walls_of
from bastler.core.planning.edgefeed import not_faster
from bastler.core.planning.evenload import clear_evenly, fits
from bastler.core.planning.nest import (
    Nested,
    nested,
    outside_of,
    shrunk,
    swept,
    whole_area,
)
from bastler.core.planning.passes import levels
from bastler.core.planning.tight import largest_radius
from bastler.core.planning.work import ABOVE_METAL_MM, Work
from bastler.core.problems import Problem
from bastler.core.quantities import show

CORNER_SHARE = 2.0
"""Roughing leaves more than the allowance in a corner, by one over the sine of half its angle: so much of it is the wall's own pass to take."""
MOST_LAPS = 60
REMEDY = "Copy this step behind it with a smaller tool, and Corners “What is left there”."


def even_fits(v: Values, w: Work) -> bool:
    """Whether every part of the area has room for a helix."""
    every = bands(v, w)
    if not whole(v):
        return bool(every and all(leftover.has_room(v, w, b) for b in every))
    return bool(every and all(fits(rough_loops(v, b), v.tool.flat_radius) for b in every))


def removals(v: Values, w: Work) -> tuple[Removal, ...]:
    """What is cut: a region for each band; without a tool yet, the area itself."""
    tool, found = v.get("tool"), list[Removal]()
    left, every = left_on(v, "walls"), bands(v, w)
    for band in every:
        last = band is every[-1]
        floor = band.floor + (left_on(v, "floor") if last and whole(v) else 0.0)
        if tool is None:
            found.append(region(list(band.edge), floor))
            continue
        round_ = corner_radius(v)
        centres = shrunk(band.edge, round_ + left)
        loops = swept(centres, round_)
        fillet = tool.corner_radius
        if not whole(v):
            fillet = max([fillet, *(r.fillet for r in leftover.before(w, band))])
        if loops:
            found.append(region(list(loops), floor, fillet, centres=centres, reach=round_))
        if fillet > tool.corner_radius:
            # Where this tool runs it takes the rounding that the one before left along the floor.
            found += [track(part, tool.profile, floor) for part in leftover.parts(v, w, band)]
        if v.get("corners") == "left":
            found.append(region(list(shrunk(band.edge, left)), floor, fillet, REMEDY))
    return tuple(found)


def problems(v: Values, w: Work) -> list[Problem]:
    """What is wrong with contours, tool, depth, entry and steps."""
    tool, found = v.tool, machine_problems(v, w) + joint_problems(v)

    def mm(value: float) -> str:
        return show(value, units=w.units)

    for key in ("contour", "islands", "low_islands"):
        value = v.get(key)
        for c in value if isinstance(value, tuple) else (value,) if value is not None else ():
            if not c.closed:
                found.append(
                    Problem(key, f"Contour “{c.name}” is open; an area needs closed ones. Close it, or choose another.")
                )
    if found and any(p.blocks for p in found):
        return found
    every = bands(v, w)
    if v.get("low_islands") and len(every) < 2:
        found.append(
            Problem(
                "low_top", f"Lower islands end between the floor, Z {mm(v.top - v.depth)}, and the top, Z {mm(v.top)}."
            )
        )
    empty = next((b for b in every if whole_area(b.edge) < FITS_MM), None)
    if empty is not None:
        return [*found, Problem("islands", "The islands leave nothing of the area. Choose others.")]
    name = f"Tool {tool.number} ({mm(tool.diameter)})"
    for band in every:
        if not rough_loops(v, band):
            left = rough_offset(v) - tool.radius
            fits = 2 * largest_radius(lambda r, edge=band.edge, by=left: bool(shrunk(edge, r + by)), tool.radius)  # type: ignore[misc]
            most = f"The largest that fits is {mm(fits)}." if fits else "Leave less on the walls."
            return [
                *found,
                Problem("tool", f"{name} doesn't fit anywhere into the area. {most}"),
            ]
    if v.get("corners") == "size":
        rest = ". Or let Corners end as far as the tool gets."
        for band in every:
            found += corner_problems(v, w, band.edge, partial(shrunk, band.edge), rest, blocks=True)
    if v.get("leave_floor", 0.0) >= v.depth:
        found.append(Problem("leave_floor", "More is left on the floor than the area is deep."))
    found += _even_problems(v, w)
    if v.side_step > tool.flat_radius + FITS_MM:
        limit = mm(tool.flat_radius)
        found.append(
            Problem(
                "side_step",
                f"With {name} a side step above {limit} may leave metal between the loops. Take at most {limit}.",
            )
        )
    if tool.flat_radius < 0.1 * tool.radius:
        found.append(
            Problem("tool", f"{name} has no flat bottom to clear a floor with. Take one with a smaller corner radius.")
        )
    found += pocketproblems.depth_problems(v, w, Region(every[-1].edge, v.top - v.depth))
    return found + (_entry_problems(v, w, every) if whole(v) else _rest_problems(v, w, every))


def _even_problems(v: Values, w: Work) -> list[Problem]:
    if not loading.is_even(v) or even_fits(v, w):
        return []
    if whole(v):
        text = "A part of the area is too narrow for a helix. Clear by loops, or take a smaller tool."
    else:
        text = (
            "Metal stands where the way to the corners begins. Clear by loops, or finish the walls of the step before."
        )
    return [Problem("clear_by", text)]


def _entry_problems(v: Values, w: Work, every: list[Band]) -> list[Problem]:
    tool = v.tool
    if v.entry == "plunge" and not tool.plunges:
        return [
            Problem(
                "entry", f"Tool {tool.number} doesn't cut across its centre and may not plunge. Use a helix or a ramp."
            )
        ]
    if v.entry != "plunge" and v.ramp_angle > tool.ramp_angle + FITS_MM:
        return [Problem("ramp_angle", f"Tool {tool.number} may ramp at {show(tool.ramp_angle)}° at most.")]
    if v.entry != "plunge":
        slope = math.tan(math.radians(v.ramp_angle))
        for band in every:
            if any(loop.length * slope * MOST_LAPS < v.depth_per_pass for loop in _tight(v, band)):
                text = "A part of the area is too narrow to go down by helix or ramp. Use a plunge, or a smaller tool."
                return [Problem("entry", text)]
    return []


def _tight(v: Values, band: Band) -> list[Path]:
    """Loops along which the tool has to ramp down, for there is no room for a helix inside them."""
    outer = [p for p in rough_loops(v, band) if area(p) >= 0]
    if v.entry == "ramp":
        return [d.loops[0] for one in nested(band.edge, rough_offset(v), v.side_step) for d in one.deepest]
    inner = [p.start for p in shrunk(rough_loops(v, band), v.side_step)]
    return [p for p in outer if not any(inside((short_arcs(p),), *at) for at in inner)]


def _rest_problems(v: Values, w: Work, every: list[Band]) -> list[Problem]:
    if not all(leftover.before(w, band) for band in every):
        text = "No step before has cleared this area down to its floor. Cut it first with a larger tool, its floor finished."
        return [Problem("corners", text)]
    offsets = (rough_offset(v), v.tool.radius) if v.finish_walls else (rough_offset(v),)
    left = any(
        outside_of(loop, leftover.free(v, w, band), 0.0)
        for band in every
        for by in offsets
        for loop in shrunk(band.edge, by)
    )
    if left:
        return []
    text = f"Steps before have left nothing here that tool {v.tool.number} would cut. Take a smaller one, or switch this step off."
    return [Problem("corners", text, blocks=False)]


def moves(v: Values, w: Work) -> list[Move]:
    """Bands from the top down, each roughed in depth passes; floor and walls finished as asked."""
    every = bands(v, w)
    high, cut = w.top_over(Region(every[0].edge, 0.0).bounds()), _cut_of(v)
    safe = high + ABOVE_METAL_MM
    result: list[Move] = [Rapid(*rough_loops(v, every[0])[0].start), Rapid(z=safe)]
    top = high
    for band in every:
        last = band is every[-1]
        rough_floor = band.floor + (v.leave_floor if last and whole(v) else 0.0)
        floor = band.floor + (left_on(v, "floor") if last and whole(v) else 0.0)
        heights = levels(top, rough_floor, v.depth_per_pass) if not whole(v) or v.rough else []
        own_floor = bool(last and whole(v) and v.finish_floor and heights and v.leave_floor > 0)
        if last and whole(v) and v.finish_floor and (not heights or v.leave_floor > 0):
            heights.append(floor)
        roots = () if loading.is_even(v) else nested(band.edge, rough_offset(v), v.side_step)
        passes = [Height(z, before, safe) for z, before in zip(heights, [top, *heights], strict=False)]
        if whole(v):
            for z in passes:
                result += _cleared(v, w, band, cut, roots, z, first=z.top == high, flat=own_floor and z is passes[-1])
        else:
            result += leftover.moves(v, w, band, cut, roots, passes)
        result += _narrow(v, w, band, cut, passes)
        if v.finish_walls:
            result += _walls(v, w, band, Height(floor, top, safe), cut)
        top = band.floor
    return [*result, Rapid(z=w.clearance)]


def _cut_of(v: Values) -> LevelCut:
    tool = v.tool
    slope = math.tan(math.radians(v.get("ramp_angle") or tool.ramp_angle))
    full = v.get("feed_full", v.get("feed_finish", v.feed))
    return LevelCut(
        tool.radius, tool.flat_radius, v.side_step, v.feed, full, v.feed_down, v.get("entry", "ramp"), slope
    )


def _cleared(
    v: Values, w: Work, band: Band, cut: LevelCut, roots: tuple[Nested, ...], z: Height, *, first: bool, flat: bool
) -> list[Move]:
    """One depth pass of a band; ``flat``: only what was left on its floor."""
    if flat:
        step = v.tool.flat_radius
        wide = nested(band.edge, rough_offset(v), step)
        floor = replace(cut, step=step, feed=v.feed_floor, feed_full=v.feed_floor)
        return not_faster(clear(wide, floor, z, w.block), slower=False)
    metal = Region(band.edge, 0.0).bounds()
    if not loading.is_even(v):
        return loading.fed(not_faster(clear(roots, cut, z, w.block)), z.level, metal, v, w)
    evenly = clear_evenly(rough_loops(v, band), loading.even_of(v, w), z.top, z.level, z.safe, first=first)
    return loading.fed(evenly, z.level, metal, v, w) + _edges(v, band, z)


def _edges(v: Values, band: Band, z: Height) -> list[Move]:
    """Once along the edge of what is cleared, if no pass of its own comes for the walls."""
    if v.finish_walls:
        return []
    shape, result = walls_of(band.edge), list[Move]()
    for loop in rough_loops(v, band):
        lead = lead_for(loop, shape, rough_offset(v), v.tool.radius / 2, 0.0)
        result += wall_round(loop, lead, z, v.feed)
    return result


def _narrow(v: Values, w: Work, band: Band, cut: LevelCut, passes: list[Height]) -> list[Move]:
    """Places into which the tool fits only without the allowance on the walls: cut at once to their size."""
    if not v.finish_walls or not v.leave_walls:
        return []
    roughed = swept(rough_loops(v, band), v.tool.radius)
    free = [shrunk(roughed, v.tool.radius - CORNER_SHARE * v.leave_walls - STANDING_MM)]
    if not whole(v):
        free += leftover.free(v, w, band)
    edge = shrunk(band.edge, corner_radius(v))
    # What stays on the walls stands in the way of a rapid lower down.
    return rest(list(edge), free, cut, passes, walls_of(band.edge), rough_loops(v, band), aside=v.leave_walls)


def _walls(v: Values, w: Work, band: Band, z: Height, cut: LevelCut) -> list[Move]:
    """All walls of a band once round at their size."""
    tool, result = v.tool, list[Move]()
    radius = corner_radius(v) if whole(v) else tool.radius
    loops, shape = shrunk(band.edge, radius), walls_of(band.edge)
    for level in levels(z.top, z.level, tool.flute_length):
        here = Height(level, z.top, z.safe)
        if not whole(v):
            over = leftover.over(v, w, band)
            result += rest(list(loops), leftover.free(v, w, band), cut, [here], shape, loops, over=over)
            continue
        for loop in loops:
            lead = lead_for(loop, shape, radius, v.lead_radius, v.leave_walls, joint_of(v))
            wall = _wall_beside(loop, radius) if by_control(v) and lead.radius else None
            if wall is not None:
                result += wall_round(wall, lead, here, v.feed_finish, by_control=radius)
                continue
            for path in inset([loop], tool.radius - radius) if radius > tool.radius else [loop]:
                lead = lead_for(path, shape, tool.radius, v.lead_radius, v.leave_walls, joint_of(v))
                at_wall = partial(
                    loading.fed_at_wall,
                    level=level,
                    rough=rough_loops(v, band),
                    metal=Region(band.edge, 0.0).bounds(),
                    v=v,
                    w=w,
                )
                result += wall_round(path, lead, here, v.feed_finish, fed=at_wall if whole(v) else None)
    return result


def _wall_beside(loop: Path, radius: float) -> Path | None:
    """The wall that a tool touches along a loop; ``None`` if a control can't find the loop from it."""
    walls = inset([loop], -radius)
    back = inset(walls, radius)
    if len(walls) == len(back) == 1 and abs(back[0].length - loop.length) < STANDING_MM:
        return walls[0]
    return None
