"""What cycles that clear an area share about the load of their tool: which way of clearing wins, and depth, side step and feeds that go together.

Every suggestion is one of :mod:`bastler.core.tooling.cutting` for what is known so far: depth alone first, then the side step for that depth, then feeds for both.
"""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Callable
from typing import TYPE_CHECKING

from bastler.core.cycles import feedfields
from bastler.core.cycles.base import FEED_LIMITS, PASS
from bastler.core.fields import Field, Suggest, Suggestion, Unanswered, Values
from bastler.core.planning.entry import HELIX_SHARE
from bastler.core.planning.work import Work
from bastler.core.quantities import Kind, show
from bastler.core.tooling.cutting import (
    Cut,
    best_cut,
    cut_at,
    rounded_down,
    rounded_up,
    slot_depth,
    table_feed,
    width_for,
    wrap,
)
from bastler.core.tooling.feeds import said_feed, suggest_speed
from bastler.core.tooling.owndata import own_for, said_own

if TYPE_CHECKING:
    from bastler.core.geometry.path import Path
    from bastler.core.geometry.shapes import Box
    from bastler.core.moves import Move
    from bastler.core.planning.evenload import Even
    from bastler.core.planning.loadfeed import Box2
    from bastler.core.tooling.tools import Tool

WIDEST_ANGLE = math.radians(80.0)
"""More of the tool than this is never in metal by even load, nor suggested."""
CRESCENT_SHARE = 0.8
"""What a crescent takes of the metal that a straight cut of the same angle would: it begins and ends thin, and goes back in air."""
LOOPS_SHARE = 0.65
"""The same of loops: corners and the first loop are slower."""
ANGLE_PARTS, TIGHT_STEP = 16, math.radians(4.0)
UNSURE_MM = 0.5
"""A block may be so much larger than was said: nearer than that to it nothing counts as air."""
CORNER_ANGLE = math.radians(40.0)
"""A finishing pass that has no more of the tool in metal keeps its feed: the raster's grain is no corner."""
GRAIN = math.radians(3.0)
"""An angle that is looked up is so much larger than it is: this near to the wanted one it is that."""
DEEPER_SHARE = 1.3
"""A typed depth may be this much more than the tables suggest before it is told."""
PLUNGE_SHARE = 0.3
EVEN, LOOPS = "even", "loops"


def is_even(v: Values) -> bool:
    """Whether it is cleared with an even load."""
    return bool(v.get("clear_by", LOOPS) == EVEN)


def angle_of(v: Values, width: float | None = None) -> float:
    """The angle of the tool in metal that is kept, radians; ``width``: of passes that no side step says."""
    return wrap(v.tool, min(v.side_step if width is None else width, v.tool.diameter))


def feeds_by_angle(v: Values, w: Work, width: float | None = None) -> tuple[tuple[float, float], ...]:
    """Angles of the tool in metal (radians) and what may be fed there: less of it than the side step asks feeds faster, as its chip and the spindle's power allow; more slower."""
    tool, angle = v.tool, angle_of(v, width)

    def feed(part: float) -> float:
        width = width_for(tool, angle * part)
        return cut_at(tool, w.material, w.machine, v.speed, v.depth_per_pass, width).feed

    parts = [(k + 1) / ANGLE_PARTS for k in range(ANGLE_PARTS)]
    share = v.feed / feed(1.0)
    feeds = [(angle * p, min(max(feed(p) * share, v.feed), w.machine.feed_limit)) for p in parts]
    # Where more is in metal than is wanted, as in a passage hardly wider than the tool, the feed is lowered to keep force and power.
    tight, full = math.ceil((math.pi - angle) / TIGHT_STEP), v.get("feed_full")
    for k in range(1, tight + 1):
        more = angle + (math.pi - angle) * k / tight
        held = min(feed(more / angle) * share, v.feed) * angle / more
        feeds.append((more, held if full is None else v.feed + (full - v.feed) * k / tight))
    return tuple(feeds)


def even_of(v: Values, w: Work) -> Even:
    """How a step clears with an even load."""
    from bastler.core.planning.evenload import Even

    tool = v.tool
    return Even(
        tool.radius, tool.flat_radius, angle_of(v), feeds_by_angle(v, w), v.get("feed_air", v.feed), v.get("feed_down", v.feed),
        v.get("ramp_angle", tool.ramp_angle), v.get("entry", "helix"),
    )  # fmt: skip


def fed(moves: list[Move], level: float, metal: Box2, v: Values, w: Work, width: float | None = None) -> list[Move]:
    """Moves of a level fed by how much of the tool is in metal, of which none stands outside a box; as they are if that isn't wanted."""
    if not v.get("by_load", True):
        return moves
    from bastler.core.planning.loadfeed import fed_by_load

    air = float(v.get("feed_air") or w.machine.feed_limit)
    known, wanted = ((0.0, air), *feeds_by_angle(v, w, width)), angle_of(v, width)

    def feed_at(angle: float) -> float:
        if wanted <= angle <= wanted + GRAIN:
            return float(v.feed)
        above = min(bisect_left(known, (angle,)), len(known) - 1)
        (b, faster), (a, slower) = known[max(above - 1, 0)], known[above]
        feed = faster if a <= b else faster + (slower - faster) * min((angle - b) / (a - b), 1.0)
        return min(float(f"{feed:.2g}"), w.machine.feed_limit)

    return fed_by_load(moves, level, metal, v.tool.radius, feed_at)


def grown(block: Box) -> Box2:
    """Where the block's metal may be: a little larger than was said."""
    return (block.x0 - UNSURE_MM, block.x1 + UNSURE_MM, block.y0 - UNSURE_MM, block.y1 + UNSURE_MM)


def fed_at_wall(
    moves: list[Move], level: float, rough: tuple[Path, ...], metal: Box2, v: Values, w: Work
) -> list[Move]:
    """A finishing pass fed slower where more of the tool is in metal than beside a straight wall, as in its corners, if that is wanted. ``rough``: where roughing ran along the wall."""
    if not v.get("by_load", True):
        return moves
    from bastler.core.planning.loadfeed import fed_by_load

    tool, deep = v.tool, min(float(v.depth), float(v.tool.flute_length))
    least = max(wrap(tool, float(v.leave_walls)), CORNER_ANGLE)

    def feed_at(angle: float) -> float:
        if angle <= least:
            return float(v.feed_finish)
        # What stands in a corner is a wedge round much of the tool: its chip is that of the whole angle, its metal about that of half of it.
        wide, mean = width_for(tool, angle), width_for(tool, angle / 2)
        chip = table_feed(tool, w.material, w.machine, Cut(deep, wide, float(v.speed), 0.0, 0.0))
        power = cut_at(tool, w.material, w.machine, v.speed, deep, mean).feed
        return float(f"{min(chip, power, v.feed_finish):.2g}")

    return fed_by_load(moves, level, metal, tool.radius, feed_at, rough)


def speed_for(v: Values, w: Work) -> float:
    """The spindle speed, typed or as it will be suggested."""
    return float(v.ahead("speed") or suggest_speed(v.tool, w.material, w.machine).text)


def own_value(v: Values, w: Work, which: str) -> Suggestion | None:
    """A depth or side step of one's own for the step's tool."""
    own = own_for(v.tool, w.material)
    value = getattr(own, which) if own is not None else None
    return Suggestion(show(value), said_own(v.tool, w.material)) if value is not None else None


def widest(v: Values, *, even: bool, loops_share: float) -> float:
    """The widest side step that is suggested, mm; ``loops_share``: of the flat radius, for loops."""
    return widest_even(v.tool) if even else loops_share * float(v.tool.flat_radius)


def widest_even(tool: Tool) -> float:
    """The same with an even load."""
    return min(width_for(tool, WIDEST_ANGLE), 0.9 * tool.flat_radius)


def best(v: Values, w: Work, *, even: bool, loops_share: float, depth: float | None = None) -> Cut:
    """The cut that takes most metal."""
    height = max(float(v.depth), 1e-3)
    return best_cut(
        v.tool,
        w.material,
        w.machine,
        speed_for(v, w),
        height,
        widest(v, even=even, loops_share=loops_share),
        not even,
        depth,
        w.machine.feed_limit if even else 0.0,
    )


def even_rate(tool: Tool, height: float, w: Work) -> float:
    """Metal that a tool takes with an even load, mm³/min."""
    speed = float(suggest_speed(tool, w.material, w.machine).text)
    most = widest_even(tool)
    return best_cut(tool, w.material, w.machine, speed, max(height, 1e-3), most, back=w.machine.feed_limit).rate


def clearing_fields(
    possible: Callable[[Values, Work], bool], shown: Callable[[Values], bool], loops_share: float
) -> tuple[Field, ...]:
    """How it is cleared, and the depth of a pass. ``possible``: whether even load has room."""

    def suggest_way(v: Values, w: Work) -> Suggestion:
        if not possible(v, w):
            return Suggestion(LOOPS, "too narrow for a helix")
        even, loops = (best(v, w, even=e, loops_share=loops_share) for e in (True, False))
        gains = even.rate * CRESCENT_SHARE / max(loops.rate * LOOPS_SHARE, 1e-9)
        if gains > 1.0:
            return Suggestion(EVEN, f"{gains:.1f} times as fast as loops")
        return Suggestion(LOOPS, f"{1 / gains:.1f} times as fast as an even load")

    def suggest_depth(v: Values, w: Work) -> Suggestion:
        if (mine := own_value(v, w, "depth")) is not None:
            return mine
        cut = best(v, w, even=is_even(v), loops_share=loops_share)
        return Suggestion(show(rounded_up(cut.depth)), cut.reason(w.machine, w.units))

    return (
        way_field(suggest_way, shown),
        Field("depth_per_pass", "Depth per pass", "Cut", Kind.LENGTH, "How deep is each pass?", suggest=suggest_depth, limits=PASS),
    )  # fmt: skip


def way_field(suggest: Suggest, shown: Callable[[Values], bool]) -> Field:
    """How it is cleared."""
    question = "Is it cleared with an even load on the tool, or in loops along the walls?"
    return Field("clear_by", "Clears by", "Cut", Kind.CHOICE, question, suggest=suggest, shown=shown, choices=((EVEN, "Even load"), (LOOPS, "Loops")))  # fmt: skip


def suggest_step(loops_share: float) -> Suggest:
    """The side step that goes with the depth."""

    def suggest(v: Values, w: Work) -> Suggestion:
        if (mine := own_value(v, w, "step")) is not None:
            return mine
        cut = best(v, w, even=is_even(v), loops_share=loops_share, depth=float(v.depth_per_pass))
        width = rounded_down(cut.width)
        if is_even(v):
            angle = math.degrees(wrap(v.tool, width))
            return Suggestion(show(width), f"{angle:.0f}° of the tool in metal; {cut.reason(w.machine, w.units)}")
        return Suggestion(show(width), cut.reason(w.machine, w.units))

    return suggest


def feed_fields(
    rough: Callable[[Values], bool], floor_step: Callable[[Values], float], whole: Callable[[Values], bool]
) -> tuple[Field, ...]:
    """Feeds of the clearing, of finishing walls and floor, and between crescents. ``whole``: not just what is left in corners."""
    return (
        feedfields.rough_feed(),
        feedfields.full_feed(lambda v: not is_even(v)),
        feedfields.by_load(lambda v: rough(v) and whole(v) and not is_even(v)),
        feedfields.air_feed(lambda v: is_even(v) and rough(v)),
        feedfields.walls_feed(lambda v: bool(v.get("finish_walls"))),
        feedfields.floor_feed(floor_step, lambda v: bool(v.get("finish_floor")) and v.get("leave_floor", 0.0) > 0),
    )


def deepest_slot(v: Values, w: Work) -> float:
    """How deep all of the tool may be in metal at the table's whole chip, mm: as the table has it, or as the spindle has power for."""
    table = slot_depth(v.tool, w.material)
    cut = cut_at(v.tool, w.material, w.machine, speed_for(v, w), table, v.tool.diameter)
    full = table_feed(v.tool, w.material, w.machine, cut)
    # Power grows with depth, and with feed to the power of 1 - mc.
    return float(table * min((cut.feed / full) ** (1 - w.material.mc), 1.0))


def down_field() -> Field:
    """Feed on the way down: on a ramp or helix the edge cuts as in a shallow slot, straight down only its end cuts."""

    def down(v: Values, w: Work) -> Suggestion:
        if v.get("entry") == "plunge":
            return Suggestion(
                show(max(round(v.feed * PLUNGE_SHARE), 1)), f"{PLUNGE_SHARE * 100:.0f} % of the feed, straight down"
            )
        try:
            steep = math.tan(math.radians(v.ramp_angle))
        except Unanswered:
            steep = math.tan(math.radians(v.tool.ramp_angle))
        deep = max(math.tau * HELIX_SHARE * v.tool.flat_radius * steep, 0.1)
        one = cut_at(v.tool, w.material, w.machine, v.speed, deep, v.tool.diameter)
        return said_feed(one, v.tool, w, "down a ramp")

    return Field("feed_down", "Feed downwards", "Entry", Kind.FEED, "How fast does it feed on the way down?", suggest=down, limits=FEED_LIMITS)  # fmt: skip
