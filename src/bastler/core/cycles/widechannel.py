"""A channel wider than its tool round a shape that stays, cleared with an even load: whole down to the tabs, then what lies between them.

Field names are those of the outside; moves are in the shape's own frame.
"""

from __future__ import annotations

from bastler.core.cycles import loading, tabbing
from bastler.core.cycles.channeling import frame_of, loop_round
from bastler.core.fields import Values
from bastler.core.geometry.path import path_bounds
from bastler.core.geometry.region import Region, region
from bastler.core.geometry.shapes import Removal
from bastler.core.moves import Move
from bastler.core.planning.channel import Tabs, gaps
from bastler.core.planning.entry import NARROWEST_HELIX_SHARE, helix_radius
from bastler.core.planning.passes import levels
from bastler.core.planning.work import ABOVE_METAL_MM, Work
from bastler.core.problems import Problem
from bastler.core.quantities import show

SAME_WIDTH_MM = 0.02
FITS_MM = 1e-6


def is_wide(v: Values) -> bool:
    """Whether a channel is wider than its tool."""
    return bool(v.get("clear") == "channel" and v.get("channel_width", 0.0) > v.tool.diameter + SAME_WIDTH_MM)


def _room(v: Values) -> float:
    """How far the tool's centre may be from side to side while roughing."""
    return float(v.channel_width - v.tool.diameter - v.leave_walls)


def _rooms(v: Values, tabs: Tabs | None, inner: float) -> tuple[tuple[Region, ...], tuple[Region, ...]]:
    """Where the tool's centre may be over the tabs and beside them; ``inner``: how far it stays from the shape."""
    tool, outer = v.tool, v.channel_width - v.tool.radius
    ring = region([loop_round(v, outer), loop_round(v, inner).reversed()], 0.0)
    if tabs is None:
        return (ring,), (ring,)
    from bastler.core.geometry.bands import band

    half = (outer - inner) / 2
    between = gaps(loop_round(v, inner + half).reversed(), tabs, tool.radius + half)
    return (ring,), tuple(region(list(band(gap, half)), 0.0) for gap in between)


def removals(v: Values) -> tuple[Removal, ...]:
    """The channel down to its tabs, and what lies between them."""
    floor, tabs = v.top - v.depth, tabbing.tabs_of(v)
    # Between tabs the ends of what is roughed are a little rounder than the finished ones.
    every = [
        _rooms(v, tabs, inner)
        for inner in dict.fromkeys((_last(v), v.tool.radius + v.leave_walls if tabs else _last(v)))
    ]
    low = [(room, floor) for _, beside in every for room in beside] if tabs else []
    over = [(every[0][0][0], max(floor, tabs.top) if tabs else floor)]
    return tuple(_removal(v, room, z) for room, z in (*over, *low))


def _removal(v: Values, room: Region, floor: float) -> Removal:
    """What the tool takes whose centre is in a room."""
    from bastler.core.planning.nest import swept

    place, r = frame_of(v), v.tool.radius
    edge, centres = ([place.path(p) for p in loops] for loops in (swept(room.loops, r), room.loops))
    return region(edge, floor, v.tool.corner_radius, centres=tuple(centres), reach=r)


def problems(v: Values, w: Work) -> list[Problem]:
    """What is wrong with its width, side step and tabs."""
    tool, found, flat = v.tool, list[Problem](), v.tool.flat_radius
    if not helix_radius(flat, _room(v) / 2):
        least = tool.diameter + v.leave_walls + 2 * NARROWEST_HELIX_SHARE * flat
        as_wide, wide = (show(x, units=w.units, digits=2) for x in (tool.diameter, least))
        text = f"For a helix the channel must be {wide} wide. Make it so, or as wide as the tool, {as_wide}."
        found.append(Problem("channel_width", text))
    if v.side_step > flat + FITS_MM:
        found.append(Problem("side_step", f"Take at most half the tool's flat bottom, {show(flat, units=w.units)}."))
    if v.ramp_angle > tool.ramp_angle + FITS_MM:
        found.append(Problem("ramp_angle", f"Tool {tool.number} may ramp at {show(tool.ramp_angle)}° at most."))
    lap = loop_round(v, v.channel_width / 2).length
    return found + tabbing.problems(v, w, tabbing.tabs_of(v), lap)


def moves(v: Values, w: Work) -> list[Move]:
    """Whole depths over the tabs, then each piece between them; at last both walls: crescents leave a little between them."""
    tabs, bottom, high = tabbing.tabs_of(v), v.top - v.depth, w.block.z1
    split = min(max(tabs.top, bottom), high) if tabs else bottom
    rough, last = _rooms(v, tabs, v.tool.radius + v.leave_walls), _rooms(v, tabs, _last(v))
    result: list[Move] = []
    for which, top, floor in ((0, high, split), (1, split, bottom)):
        if top - floor > FITS_MM:
            result += _cleared(v, w, rough[which], top, floor, high)
            result += _walls(v, last[which], top, floor, high)
    return result


def _last(v: Values) -> float:
    """How far the tool's centre is from the shape in the end."""
    return float(v.tool.radius + (0.0 if v.finish_walls else v.leave_walls))


def _cleared(v: Values, w: Work, rooms: tuple[Region, ...], top: float, floor: float, high: float) -> list[Move]:
    """Rooms, each down through all levels."""
    from bastler.core.planning.evenload import clear_evenly

    even, box = loading.even_of(v, w), path_bounds(loop_round(v, v.channel_width))
    result: list[Move] = []
    for room in rooms:
        above = top
        for level in levels(top, floor, v.depth_per_pass):
            one = clear_evenly(room.loops, even, above, level, high + ABOVE_METAL_MM, first=above == high)
            result += loading.fed(one, level, box, v, w)
            above = level
    return result


def _walls(v: Values, rooms: tuple[Region, ...], top: float, floor: float, high: float) -> list[Move]:
    """Once round all edges of rooms."""
    from bastler.core.planning.area import Height, lead_for, wall_round
    from bastler.core.planning.nest import swept

    tool, feed = v.tool, v.feed_finish if v.finish_walls else v.feed
    leads = [
        (
            loop,
            lead_for(
                loop, region(list(swept(room.loops, tool.radius)), 0.0), tool.radius, tool.radius / 2, v.leave_walls
            ),
        )
        for room in rooms
        for loop in room.loops
    ]
    return [
        move
        for loop, lead in leads
        for level in levels(top, floor, tool.flute_length)
        for move in wall_round(loop, lead, Height(level, top, high + ABOVE_METAL_MM), feed)
    ]
