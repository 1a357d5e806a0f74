"""Slot: straight, with round ends, as wide as its tool or wider; a keyway by its standard.

As wide as the tool it is cut along its middle, down a ramp to and fro or from plunge to plunge. A wider one is opened by loops round that, or with an even load
from a helix at one of its ends, and its sides are finished.
"""

from __future__ import annotations

import math
from functools import cache

from bastler.core.cycles import loading, pocketing, pocketproblems
from bastler.core.cycles.base import (
    AND_UNROLLED,
    LONG,
    NOT_NEGATIVE,
    PASS,
    SIZE,
    Cycle,
    Pick,
    climbs,
    feed_down_field,
    machine_problems,
    speed_fields,
    suggest_top,
)
from bastler.core.cycles.feedfields import air_feed, walls_feed
from bastler.core.data import DATA, table
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.path import Path, rounded_rectangle
from bastler.core.geometry.placement import Placement
from bastler.core.geometry.shapes import Prism, Removal
from bastler.core.marks import Angle, CentreCross, Distance, Mark, SectionAt
from bastler.core.moves import Feed, Move, Rapid, Turn, follow
from bastler.core.planning import entry
from bastler.core.planning.clearing import WIDEST_STEP_SHARE
from bastler.core.planning.passes import levels
from bastler.core.planning.placing import placed
from bastler.core.planning.work import ABOVE_METAL_MM, Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, show
from bastler.core.tooling.cutting import cut_at, rounded_down, rounded_up, slot_depth

SAME_WIDTH_MM = 0.02
"""A tool so little narrower than the slot cuts it along its middle."""
LIFT_MM = 1.0
START_MM = 0.3
LEAD_SHARE = 0.8
STEP_SHARE = 0.3
"""Loops are suggested this share of the diameter apart."""


@cache
def keyways() -> tuple[tuple[float, float, float, float], ...]:
    """Rows of ISO 773: over and up to which shaft diameter, width, depth, mm."""
    rows = table(DATA / "keyways.toml")["keyway"]
    return tuple((float(a), float(b), float(c), float(d)) for a, b, c, d in rows)


def keyway(diameter: float) -> tuple[float, float] | None:
    """Width and depth in a shaft by ISO 773, mm."""
    return next(((wide, deep) for over, to, wide, deep in keyways() if over < diameter <= to), None)


def _shaft(w: Work) -> float:
    """The diameter that the slot is cut into, if it is round."""
    return 2 * w.surface.distance if w.surface is not None and w.surface.on in ("round", "unrolled") else 0.0


def _wider(v: Values) -> bool:
    """Whether the slot is wider than its tool."""
    return bool(v.width - v.tool.diameter > SAME_WIDTH_MM)


def _room(v: Values) -> float:
    """How far the tool's centre may be beside the middle while roughing."""
    return float(v.width / 2 - v.tool.radius - v.get("leave_walls", 0.0))


def _even(v: Values) -> bool:
    return _wider(v) and loading.is_even(v)


def _by_loops(v: Values) -> bool:
    return not _even(v)


def _reach(v: Values) -> float:
    """Half the way of a tool as wide as the slot: half the distance between the middles of its ends."""
    way = float(v.length if v.get("measured", "overall") == "centres" else v.length - v.width)
    return max(way / 2, 0.0)


def _removals(v: Values, w: Work) -> tuple[Removal, ...]:
    tool = v.get("tool")
    long = 2 * _reach(v) + v.width
    return (
        Prism((v.centre_x, v.centre_y), long, v.width, v.width / 2, v.get("angle", 0.0), v.top - v.depth, tool.corner_radius if tool else 0.0),
    )  # fmt: skip


def _problems(v: Values, w: Work) -> list[Problem]:
    tool, found = v.tool, machine_problems(v, w)
    name = f"Tool {tool.number} ({show(tool.diameter, units=w.units)})"
    if tool.diameter > v.width + SAME_WIDTH_MM:
        found.append(
            Problem("tool", f"{name} is wider than the slot, {show(v.width, units=w.units)}. Take a narrower one.")
        )
    if v.get("measured") == "overall" and v.length < v.width:
        found.append(Problem("length", "The slot is shorter than it is wide. Make it longer, or cut a round pocket."))
    if v.depth <= tool.corner_radius:
        found.append(
            Problem(
                "tool",
                f"{name} has corner radius {show(tool.corner_radius, units=w.units)}, more than the slot is deep.",
            )
        )
    if _even(v) and not entry.helix_radius(tool.flat_radius, _room(v)):
        found.append(
            Problem("clear_by", "The slot is too narrow for a helix. Clear by loops, or take a narrower tool.")
        )
    if v.get("entry") == "plunge" and not tool.plunges:
        found.append(
            Problem("entry", f"{name} doesn't cut across its centre, so it can't plunge. Ramp, or take one that can.")
        )
    if v.get("entry") == "ramp" and _reach(v) <= 0:
        found.append(Problem("entry", "There is no way along which it could ramp. Plunge, or make the slot longer."))
    room = v.width / 2 - tool.radius
    if _wider(v) and v.leave_walls >= room:
        found.append(
            Problem(
                "leave_walls",
                f"There are only {show(room, units=w.units)} beside the tool. Leave less, or take a narrower one.",
            )
        )
    widest = (1.0 if _even(v) else WIDEST_STEP_SHARE) * tool.flat_radius
    if _wider(v) and v.side_step > widest + SAME_WIDTH_MM:
        found.append(
            Problem(
                "side_step",
                f"With {name} a side step above {show(widest, units=w.units)} leaves metal between the passes. Take at most that.",
            )
        )
    return found + pocketproblems.depth_problems(v, w, _removals(v, w)[0])


def _plan(v: Values, w: Work) -> list[Move]:
    removal = _removals(v, w)[0]
    bottom, high = removal.floor, w.top_over(removal.bounds())
    if _even(v):
        moves = [*_evenly(v, w, high, bottom), *_sides(v, high, bottom)]
    elif _wider(v):
        moves = [*_opened(v, high, bottom), *_sides(v, high, bottom)]
    else:
        moves = _along_middle(v, high, bottom)
    return [*placed(moves, Placement((v.centre_x, v.centre_y), v.angle)), Rapid(z=w.clearance)]


def _along_middle(v: Values, high: float, bottom: float) -> list[Move]:
    """Down to the bottom along the middle; no pass is deeper than was said."""
    reach, above = _reach(v), high + ABOVE_METAL_MM
    if v.entry == "plunge" or reach <= 0:
        moves: list[Move] = [Rapid(-reach, 0.0), Rapid(z=above)]
        side = -reach
        for level in levels(high, bottom, v.depth_per_pass):
            moves.append(Feed(None, None, level, v.feed_down))
            side = -side
            moves.append(Feed(side, 0.0, None, v.feed))
        return moves
    down = entry.ramp(2 * reach, high + START_MM, bottom, _slope(v), v.feed_down)
    return [Rapid(-reach, 0.0), Rapid(z=above), Feed(None, None, high + START_MM, v.feed_down), *down]


def _slope(v: Values) -> float:
    """As steep as was said, and no deeper along the slot than a pass."""
    return min(float(v.ramp_angle), math.degrees(math.atan(v.depth_per_pass / max(2 * _reach(v), 1e-6))))


def _loop(v: Values, beside: float) -> Path:
    """Round the middle, the tool's centre ``beside`` it."""
    return rounded_rectangle(_reach(v) + beside, beside, beside)


def _opened(v: Values, high: float, bottom: float) -> list[Move]:
    """Each depth along the middle, then round it, outwards to what is left on the sides."""
    room = _room(v)
    count = max(math.ceil(room / v.side_step - 1e-9), 1)
    moves: list[Move] = []
    top = high
    for level in levels(high, bottom, v.depth_per_pass):
        down = _along_middle(v, top, level)
        # The next depth starts in the room that the one before has made.
        moves += down if top == high else [down[0], Rapid(z=top + LIFT_MM), *down[2:]]
        for k in range(1, count + 1):
            path = _loop(v, room * k / count)
            moves += [Feed(*path.start, None, v.feed), *follow(path, v.feed)]
        moves += [Feed(0.0, 0.0, level + LIFT_MM, v.feed)]
        top = level
    return moves


def _evenly(v: Values, w: Work, high: float, bottom: float) -> list[Move]:
    """Each depth down a helix at one end, and from there to the other with an even load."""
    from bastler.core.planning.evenload import clear_evenly

    even, outline = loading.even_of(v, w), _loop(v, _room(v))
    half = (_reach(v) + v.width / 2, v.width / 2)
    moves, top = list[Move](), high
    for level in levels(high, bottom, v.depth_per_pass):
        safe = max(top + LIFT_MM, level + LIFT_MM)
        begin = (-_reach(v), 0.0)
        one = clear_evenly((outline,), even, top, level, safe, begin=begin, first=top == high)
        moves += loading.fed(one, level, (-half[0], half[0], -half[1], half[1]), v, w)
        top = level
    return moves


def _sides(v: Values, high: float, bottom: float) -> list[Move]:
    """Once round at the true outline, on and off by arcs."""
    path = _loop(v, v.width / 2 - v.tool.radius)
    x, y = path.start
    lead = LEAD_SHARE * (v.width / 2 - v.tool.radius)
    moves: list[Move] = []
    for level in levels(high, bottom, v.tool.flute_length):
        centre = (x, y + lead)
        moves += [
            Rapid(*centre), Rapid(z=level + LIFT_MM), Feed(None, None, level, v.feed_finish), Feed(x - lead, y + lead, None, v.feed_finish),
            Turn(x, y, centre, True, v.feed_finish), *follow(path, v.feed_finish), Turn(x + lead, y + lead, centre, True, v.feed_finish),
            Feed(*centre, level + LIFT_MM, v.feed_finish),
        ]  # fmt: skip
    return moves


def _marks(v: Values, w: Work) -> list[Mark]:
    cx, cy, b = v.centre_x, v.centre_y, v.width / 2
    a, angle = _reach(v), v.get("angle", 0.0)
    c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))

    def at(x: float, y: float) -> tuple[float, float]:
        return (cx + c * x - s * y, cy + s * x + c * y)

    end = a if v.get("measured", "overall") == "centres" else a + b
    marks: list[Mark] = [
        SectionAt(cy),
        CentreCross((cx, cy), (a + b + 4, b + 4), angle),
        Distance("length", at(-end, 0.0), at(end, 0.0), angle),
        Distance("width", at(0.0, -b), at(0.0, b), angle + 90.0),
        Distance("centre_x", (0.0, cy), (cx, cy)),
        Distance("centre_y", (cx, 0.0), (cx, cy), 90.0),
        Distance("depth", (cx + a + b, v.top), (cx + a + b, v.top - v.depth), 90.0, "section"),
        Distance("top", (cx - a - b, 0.0), (cx - a - b, v.top), 90.0, "section"),
    ]
    return [*marks, Angle("angle", (cx, cy), a + b + 8, 0.0, angle)] if angle else marks


def _title(v: Values, units: Units) -> str:
    if not (v.get("length") and v.get("width")):
        return "slot"
    return f"{show(v.length, units=units)} × {show(v.width, units=units)}"


def _suggest_width(_: Values, w: Work) -> Suggestion | None:
    found = keyway(_shaft(w))
    return (
        Suggestion(show(found[0]), f"the keyway of a shaft Ø{show(_shaft(w), units=w.units)}, ISO 773")
        if found
        else None
    )


def _suggest_depth(v: Values, w: Work) -> Suggestion | None:
    found = keyway(_shaft(w))
    if found is None or abs(found[0] - v.width) > SAME_WIDTH_MM:
        return None
    return Suggestion(show(found[1]), f"the keyway of a shaft Ø{show(_shaft(w), units=w.units)}, ISO 773")


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    mills = [
        t
        for t in w.tools.values()
        if t.kind in pocketing.MILLS and t.diameter <= v.width + SAME_WIDTH_MM and t.flute_length >= v.depth
    ]
    best = max(mills, key=lambda t: (t.corner_radius == 0, t.diameter, t.plunges, -t.number), default=None)
    return Suggestion(str(best.number), f"{best.name}: the widest that fits") if best else None


def _suggest_way(v: Values, w: Work) -> Suggestion:
    if not entry.helix_radius(v.tool.flat_radius, _room(v)):
        return Suggestion(loading.LOOPS, "too narrow for a helix")
    even = loading.best(v, w, even=True, loops_share=1.0).rate * loading.CRESCENT_SHARE
    # Along its middle it is all in metal; the loops beside that take no more than as much again.
    deep = min(slot_depth(v.tool, w.material), float(v.depth))
    full = cut_at(v.tool, w.material, w.machine, loading.speed_for(v, w), deep, v.tool.diameter)
    loops = full.rate * v.width / v.tool.diameter / (1 + math.ceil(2 * _room(v) / (STEP_SHARE * v.tool.diameter)))
    if even > loops:
        return Suggestion(loading.EVEN, f"{even / loops:.1f} times as fast as loops")
    return Suggestion(loading.LOOPS, f"{loops / even:.1f} times as fast as an even load")


def _suggest_pass(v: Values, w: Work) -> Suggestion:
    if _even(v):
        if (mine := loading.own_value(v, w, "depth")) is not None:
            return mine
        cut = loading.best(v, w, even=True, loops_share=1.0)
        return Suggestion(show(rounded_up(cut.depth)), cut.reason(w.machine, w.units))
    most = min(slot_depth(v.tool, w.material), float(v.depth))
    return Suggestion(show(max(rounded_down(most), 0.05)), "what the tool takes at its full width")


def _suggest_entry(v: Values, _: Work) -> Suggestion:
    if _reach(v) > v.tool.radius:
        return Suggestion("ramp", "to and fro along the slot")
    return Suggestion("plunge", "too short for a ramp")


def _suggest_angle(v: Values, _: Work) -> Suggestion:
    return Suggestion(show(v.tool.ramp_angle), f"the steepest for tool {v.tool.number}")


def _suggest_step(v: Values, w: Work) -> Suggestion | None:
    if _even(v):
        return loading.suggest_step(1.0)(v, w)
    return Suggestion(show(STEP_SHARE * v.tool.diameter, digits=2), "three tenths of the tool")


def _suggest_leave(v: Values, _: Work) -> Suggestion:
    room = v.width / 2 - v.tool.radius
    return Suggestion(show(min(pocketing.USUAL_LEAVE_MM, room / 2), digits=3), "enough for a clean pass")


def engagement(v: Values) -> tuple[float, float]:
    """The tool's whole width, or its side step with an even load; as deep as a pass."""
    return (min(float(v.depth_per_pass), float(v.depth)), float(v.side_step if _even(v) else v.tool.diameter))


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    tool = w.tools[int(pick.choice(tuple(str(t.number) for t in w.tools.values() if t.kind in pocketing.MILLS)))]
    b = w.block
    wider = pick.choice(("as wide", "wider")) == "wider"
    width = tool.diameter + (pick.number(0.3, 12.0) if wider else 0.0)
    typed = {
        "centre_x": str(pick.number(b.x0, b.x1)), "centre_y": str(pick.number(b.y0, b.y1)), "angle": str(pick.number(-180, 180)), "top": str(b.z1),
        "measured": pick.choice(("overall", "centres")), "length": str(pick.number(width + tool.diameter, 60.0 + width)), "width": str(width),
        "depth": str(pick.number(tool.corner_radius + 0.5, min(tool.flute_length, b.z1 - b.z0) - 0.5)), "tool": str(tool.number),
        "depth_per_pass": str(pick.number(0.8, tool.diameter)), "entry": pick.choice(("ramp", "plunge")) if tool.plunges else "ramp",
    }  # fmt: skip
    return (
        {
            **typed,
            "leave_walls": str(pick.number(0.0, 0.1)),
            "clear_by": loading.LOOPS
            if width < tool.diameter + 2 * entry.NARROWEST_HELIX_SHARE * tool.flat_radius + 0.2
            else pick.choice((loading.LOOPS, loading.EVEN)),
            "side_step": str(pick.number(0.1, 0.6) * tool.flat_radius),
        }
        if wider
        else typed
    )


CYCLE = Cycle(
    id="slot",
    on_surfaces=AND_UNROLLED,
    rank=28,
    name="Slot",
    words=("slot", "keyway", "key", "groove", "oblong"),
    summary="Cut a straight slot with round ends",
    tool_kinds=pocketing.MILLS,
    fields=(
        Field("centre_x", "Centre X", "Place", Kind.LENGTH, "Where is the middle of the slot in X?", limits=LONG, stand_in=0.0),
        Field("centre_y", "Centre Y", "Place", Kind.LENGTH, "Where is the middle of the slot in Y?", "0", limits=LONG, stand_in=0.0),
        Field("top", "Top at Z", "Place", Kind.LENGTH, "At what Z is the surface that the slot is measured from?", suggest=suggest_top, limits=LONG, stand_in=0.0),
        Field("angle", "Turned by", "Place", Kind.ANGLE, "How far is the slot turned, counter-clockwise?", "0", Limits(-360, 360), stand_in=0.0),
        Field("width", "Width", "Size", Kind.LENGTH, "How wide is the slot?", suggest=_suggest_width, limits=SIZE, stand_in=8.0),
        Field("measured", "Length is", "Size", Kind.CHOICE, "Is the length over all, or between the middles of the round ends?", "overall",
              choices=(("overall", "Over all"), ("centres", "Between ends"))),
        Field("length", "Length", "Size", Kind.LENGTH, "How long is the slot?", limits=SIZE, stand_in=30.0),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep is the slot below its top?", suggest=_suggest_depth, limits=SIZE, stand_in=4.0),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which tool cuts the slot?", suggest=_suggest_tool),
        Field("leave_walls", "Leave on sides", "Cut", Kind.LENGTH, "How much do the roughing passes leave on the sides?", suggest=_suggest_leave, limits=NOT_NEGATIVE, shown=_wider),
        loading.way_field(_suggest_way, _wider),
        Field("depth_per_pass", "Depth per pass", "Cut", Kind.LENGTH, "How deep is each pass?", suggest=_suggest_pass, limits=PASS),
        Field("side_step", "Side step", "Cut", Kind.LENGTH, "How far apart are the loops that open it?", suggest=_suggest_step, limits=PASS, shown=_wider),
        *speed_fields(engagement=engagement),
        air_feed(_even),
        walls_feed(_wider),
        Field("entry", "Way down", "Entry", Kind.CHOICE, "How does the tool get down?", suggest=_suggest_entry, shown=_by_loops, choices=(("ramp", "Ramp"), ("plunge", "Plunge"))),
        Field("ramp_angle", "Steepest ramp", "Entry", Kind.ANGLE, "How steeply does it ramp down?", suggest=_suggest_angle, limits=Limits(0.05, 45), shown=lambda v: _even(v) or bool(v.entry == "ramp")),
        feed_down_field(),
    ),
    pictogram=(("frame", 0.08, 0.15, 0.84, 0.7), ("fill", 0.22, 0.42, 0.56, 0.16)),
    problems=_problems,
    removals=_removals,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
    metal=climbs,
    engagement=engagement,
)  # fmt: skip
