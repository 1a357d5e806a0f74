"""A slot along an arc: where its middle runs, what it takes, its moves. Field names are those of the slot."""

from __future__ import annotations

import math

from bastler.core.cycles import loading
from bastler.core.fields import Values
from bastler.core.geometry.path import Arc, Path, Point, path_bounds
from bastler.core.geometry.shapes import Removal
from bastler.core.moves import Feed, Move, Rapid, Turn, follow
from bastler.core.planning.passes import levels
from bastler.core.planning.work import ABOVE_METAL_MM, Work

LIFT_MM = 1.0
MOST_DEGREES = 350.0
LEAD_SHARE = 0.8


def middles(v: Values) -> list[Path]:
    """Where the middles of the slots run, evenly round their centre."""
    count, radius, sweep = int(v.get("count", 1)), float(v.arc_radius), math.radians(float(v.by_angle))
    centre = (float(v.centre_x), float(v.centre_y))

    def at(turn: float) -> Point:
        return (centre[0] + radius * math.cos(turn), centre[1] + radius * math.sin(turn))

    begins = [math.radians(float(v.get("from_angle", 0.0))) + math.tau * k / count for k in range(count)]
    return [Path(at(b), (Arc(at(b + sweep), centre, sweep > 0),)) for b in begins]


def removals(v: Values) -> tuple[Removal, ...]:
    """All of them, with round ends."""
    from bastler.core.geometry.bands import band
    from bastler.core.geometry.region import region

    tool = v.get("tool")
    fillet, reach = (tool.corner_radius, tool.radius) if tool else (0.0, 0.0)
    floor = v.top - v.depth
    room = max(v.width / 2 - reach, 1e-4)
    return tuple(
        region(list(band(p, v.width / 2)), floor, fillet, centres=tuple(band(p, room)), reach=reach) for p in middles(v)
    )


def moves(v: Values, w: Work, high: float, bottom: float, *, wider: bool) -> list[Move]:
    """One slot after the other."""
    safe = high + ABOVE_METAL_MM
    result: list[Move] = []
    for path in middles(v):
        if not wider:
            result += [*_down(v, path, high, bottom), Rapid(z=safe)]
            continue
        result += _evenly(v, w, path, high, bottom) if loading.is_even(v) else _opened(v, path, high, bottom)
        result += [Rapid(z=safe), *_sides(v, path, high, bottom, safe)]
    return result


def room_of(v: Values) -> float:
    """How far the tool's centre may be beside the middle while roughing."""
    return float(v.width / 2 - v.tool.radius - v.get("leave_walls", 0.0))


def _down(v: Values, path: Path, high: float, bottom: float) -> list[Move]:
    """Along the middle, to and fro, down to the bottom."""
    from bastler.core.planning.outlining import Run, in_levels, ramped

    one = Run(Path(path.start, ()), path, Path(path.end, ()))
    if v.entry == "plunge":
        heights, safe = levels(high, bottom, v.depth_per_pass), high + ABOVE_METAL_MM
        return in_levels(one, heights, high, safe, v.feed, v.feed_down, both_ways=True)
    slope = math.tan(math.radians(v.ramp_angle))
    return ramped(one, high, bottom, slope, v.depth_per_pass, v.feed, v.feed_down)


def _into(v: Values, path: Path, top: float, level: float) -> list[Move]:
    """One depth along the middle; the tool stays down."""
    if v.entry == "plunge":
        over: list[Move] = [Rapid(*path.start), Rapid(z=top + LIFT_MM), Feed(None, None, level, v.feed_down)]
        return [*over, *follow(path, v.feed)]
    return _down(v, path, top, level)


def _opened(v: Values, path: Path, high: float, bottom: float) -> list[Move]:
    """Each depth along the middle, then round it, outwards to what is left on the sides."""
    from bastler.core.geometry.bands import band
    from bastler.core.geometry.nearest import begun_near

    room = room_of(v)
    count = max(math.ceil(room / v.side_step - 1e-9), 1)
    result, top = list[Move](), high
    for level in levels(high, bottom, v.depth_per_pass):
        result += _into(v, path, top, level)
        last = result[-1]
        assert isinstance(last, Feed | Turn)
        end = path.end if (last.x, last.y) == path.end else path.start
        for k in range(1, count + 1):
            loop = begun_near(band(path, room * k / count)[0], end)
            result += [Feed(*loop.start, None, v.feed), *follow(loop, v.feed)]
        result += [Feed(*end, level + LIFT_MM, v.feed), Rapid(z=high + ABOVE_METAL_MM)]
        top = level
    return result


def _evenly(v: Values, w: Work, path: Path, high: float, bottom: float) -> list[Move]:
    """Each depth down a helix, and from there with an even load."""
    from bastler.core.geometry.bands import band
    from bastler.core.planning.evenload import clear_evenly

    even, result, top = loading.even_of(v, w), list[Move](), high
    box, room = path_bounds(band(path, v.width / 2)[0]), band(path, room_of(v))
    for level in levels(high, bottom, v.depth_per_pass):
        one = clear_evenly(room, even, top, level, high + ABOVE_METAL_MM, begin=path.start, first=top == high)
        result += loading.fed(one, level, box, v, w)
        top = level
    return result


def _sides(v: Values, path: Path, high: float, bottom: float, safe: float) -> list[Move]:
    """Once round at the true outline, on and off by arcs."""
    from bastler.core.geometry.bands import band
    from bastler.core.planning.area import Height, lead_for, wall_round, walls_of

    beside = v.width / 2 - v.tool.radius
    loop, walls = band(path, beside)[0], walls_of(band(path, v.width / 2))
    lead = lead_for(loop, walls, v.tool.radius, LEAD_SHARE * beside, v.leave_walls)
    return [
        move
        for level in levels(high, bottom, v.tool.flute_length)
        for move in wall_round(loop, lead, Height(level, high, safe), v.feed_finish)
    ]
