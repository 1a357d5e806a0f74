"""A channel round a shape that stays: down by a ramp all the way round, lifted over tabs.

The cycle hands over its answers, whose field names are those of the outside; moves are in the shape's own frame.
"""

from __future__ import annotations

from functools import lru_cache

from bastler.core.cycles import tabbing
from bastler.core.fields import Values
from bastler.core.geometry.nearest import begun_near
from bastler.core.geometry.path import Path, area, path_bounds, rounded_rectangle
from bastler.core.geometry.placement import Placement
from bastler.core.geometry.shapes import Removal
from bastler.core.geometry.track import track
from bastler.core.moves import Feed, Move, Rapid
from bastler.core.planning.channel import Tabs, down_and_round, gaps, slope_for, start_of
from bastler.core.planning.edgefeed import not_faster
from bastler.core.planning.passes import levels
from bastler.core.planning.work import ABOVE_METAL_MM, Work
from bastler.core.problems import Problem
from bastler.core.quantities import show

FITS_MM = 1e-6
START_MM = 0.5
"""A ramp begins so far above the metal."""


def is_channel(v: Values) -> bool:
    """Whether only a channel round the shape is cut."""
    return bool(v.get("clear", "all") == "channel")


def tabs_of(v: Values) -> Tabs | None:
    return tabbing.tabs_of(v) if is_channel(v) else None


def half_sizes(v: Values) -> tuple[float, float, float]:
    """Half sizes and corner radius of a rectangle or circle."""
    if v.get("shape", "rectangle") == "round":
        return (v.diameter / 2, v.diameter / 2, v.diameter / 2)
    return (v.length / 2, v.width / 2, v.corner)


def frame_of(v: Values) -> Placement:
    """Where the shape's own frame lies; a contour has the program's."""
    if v.get("shape", "rectangle") == "contour":
        return Placement()
    return Placement(
        (v.centre_x, v.centre_y), v.get("angle", 0.0) if v.get("shape", "rectangle") == "rectangle" else 0.0
    )


def loop_round(v: Values, offset: float) -> Path:
    """Counter-clockwise round the shape at a distance, in its own frame, from its lowest point."""
    if v.get("shape", "rectangle") == "contour":
        return round_contour(v.contour.path, offset)
    a, b, corner = half_sizes(v)
    return rounded_rectangle(a + offset, b + offset, corner + offset)


@lru_cache(maxsize=128)
def round_contour(path: Path, offset: float, closed_by: float = 0.0) -> Path:
    """Round a closed contour at a distance; ``closed_by``: inner corners as a tool of that radius leaves them."""
    from bastler.core.geometry.offsets import inset

    outline = path if area(path) > 0 else path.reversed()
    outer = max(inset([outline], -offset - closed_by), key=area)
    if closed_by:
        outer = max(inset([outer], closed_by), key=area)
    box = path_bounds(outer)
    return begun_near(outer, ((box[0] + box[1]) / 2, box[2] - 1e6))


def _lap(v: Values, offset: float) -> Path:
    """Clockwise round the shape at a distance, in its own frame, from its lowest point."""
    return loop_round(v, offset).reversed()


def _laps(v: Values) -> list[Path]:
    """The channel's laps: rough, and finish if asked."""
    rough = _lap(v, v.tool.radius + v.leave_walls)
    return [rough, _lap(v, v.tool.radius)] if v.get("finish_walls", True) and v.leave_walls > 0 else [rough]


def removals(v: Values) -> tuple[Removal, ...]:
    """The channel, down to its tabs, and what lies between them."""
    tool, floor, tabs = v.tool, v.top - v.depth, tabs_of(v)
    found: list[Removal] = []
    for lap in _laps(v):
        over = max(floor, tabs.top) if tabs else floor
        pieces = [(lap, over), *((gap, floor) for gap in (gaps(lap, tabs, tool.radius) if tabs else []))]
        found += [track(frame_of(v).path(p), tool.profile, z) for p, z in pieces]
    return tuple(found)


def problems(v: Values, w: Work) -> list[Problem]:
    """What is wrong with ramp and tabs."""
    tool, found = v.tool, list[Problem]()
    if v.ramp_angle > tool.ramp_angle + FITS_MM:
        found.append(Problem("ramp_angle", f"Tool {tool.number} may ramp at {show(tool.ramp_angle)}° at most."))
    tabs = tabs_of(v)
    return found + (tabbing.problems(v, w, tabs, min(lap.length for lap in _laps(v))) if tabs else [])


def moves(v: Values, w: Work) -> list[Move]:
    """Down all the way round, then, on the floor, once more round at the wall."""
    tool, tabs = v.tool, tabs_of(v)
    bottom, high = v.top - v.depth, w.block.z1
    laps = _laps(v)
    begin = laps[0].part(start_of(laps[0], tabs), laps[0].length).start
    slope = slope_for(v.ramp_angle, v.depth_per_pass, laps[0])
    result: list[Move] = [Rapid(*begin), Rapid(z=high + ABOVE_METAL_MM), Feed(None, None, high + START_MM, v.feed)]
    # All of the tool is in metal: its disc moves, and round an outside curve no faster.
    result += not_faster(
        down_and_round(laps[0], tabs, tool.radius, high + START_MM, bottom, slope, v.feed, v.feed_down)
    )
    for lap in laps[1:]:
        start = lap.part(start_of(lap, tabs), lap.length).start
        for level in levels(high, bottom, tool.flute_length):
            result += [
                Rapid(z=high + ABOVE_METAL_MM),
                Rapid(*begin),
                Feed(None, None, level, v.feed),
                Feed(*start, None, v.feed),
            ]
            result += down_and_round(lap, tabs, tool.radius, level, level, 1.0, v.feed, v.feed_down)
            result.append(Feed(*begin, None, v.feed))
    return result
