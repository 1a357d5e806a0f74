"""Slot: straight or along an arc, with round ends, as wide as its tool or wider; a keyway by its standard.

As wide as the tool it is cut along its middle, down a ramp to and fro or from plunge to plunge. A wider one is opened by loops round that, or with an even load
from a helix at one of its ends, and its sides are finished.
"""

from __future__ import annotations

import math
from functools import cache

from bastler.core.cycles import arcslot, loading, pocketing, pocketproblems
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
from bastler.core.fields import Field, Shown, Suggestion, Values
from bastler.core.geometry.path import Path, Point, rounded_rectangle
from bastler.core.geometry.placement import Placement
from bastler.core.geometry.shapes import Box, Prism, Removal
from bastler.core.marks import Angle, CentreCross, Distance, Mark, Radius, SectionAt
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
LEAST_DEGREES = 0.01
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


def _even(v: Values) -> bool:
    return _wider(v) and loading.is_even(v)


def _by_loops(v: Values) -> bool:
    return not _even(v)


def _is(*ways: str) -> Shown:
    return lambda v: bool(v.get("line", "middle") in ways)


_arc, _points, _straight = _is("arc"), _is("points"), _is("middle")


def _ends(v: Values) -> tuple[Point, Point]:
    """The middles of the ends of one between two points."""
    return (float(v.start_x), float(v.start_y)), (float(v.end_x), float(v.end_y))


def _place(v: Values) -> Placement:
    """Where the middle of a straight slot lies, and which way it runs."""
    if not _points(v):
        return Placement((v.centre_x, v.centre_y), v.get("angle", 0.0))
    (x0, y0), (x1, y1) = _ends(v)
    return Placement(((x0 + x1) / 2, (y0 + y1) / 2), math.degrees(math.atan2(y1 - y0, x1 - x0)))


def _reach(v: Values) -> float:
    """Half the way of a tool as wide as the slot: half the distance between the middles of its ends."""
    if _arc(v):
        return abs(math.radians(v.by_angle)) * float(v.arc_radius) / 2
    if _points(v):
        return math.dist(*_ends(v)) / 2
    way = float(v.length if v.get("measured", "overall") == "centres" else v.length - v.width)
    return max(way / 2, 0.0)


def _removals(v: Values, w: Work) -> tuple[Removal, ...]:
    if _arc(v):
        return arcslot.removals(v)
    tool, place = v.get("tool"), _place(v)
    long = 2 * _reach(v) + v.width
    return (
        Prism(place.at, long, v.width, v.width / 2, place.angle, v.top - v.depth, tool.corner_radius if tool else 0.0),
    )


def _problems(v: Values, w: Work) -> list[Problem]:
    tool, found = v.tool, machine_problems(v, w)
    name = f"Tool {tool.number} ({show(tool.diameter, units=w.units)})"
    if tool.diameter > v.width + SAME_WIDTH_MM:
        found.append(
            Problem("tool", f"{name} is wider than the slot, {show(v.width, units=w.units)}. Take a narrower one.")
        )
    if _arc(v) and v.arc_radius <= v.width / 2:
        found.append(
            Problem(
                "arc_radius",
                f"The arc is tighter than the slot is wide. Give a radius above {show(v.width / 2, units=w.units)}.",
            )
        )
    if _arc(v) and abs(v.by_angle) < LEAST_DEGREES:
        found.append(Problem("by_angle", "The slot goes round by no angle. Give how far, or cut a round pocket."))
    if _points(v) and _reach(v) <= 0:
        found.append(Problem("end_x", "Both ends are one point. Give another, or cut a round pocket."))
    if _straight(v) and v.get("measured") == "overall" and v.length < v.width:
        found.append(Problem("length", "The slot is shorter than it is wide. Make it longer, or cut a round pocket."))
    if v.depth <= tool.corner_radius:
        found.append(
            Problem(
                "tool",
                f"{name} has corner radius {show(tool.corner_radius, units=w.units)}, more than the slot is deep.",
            )
        )
    if _even(v) and not entry.helix_radius(tool.flat_radius, arcslot.room_of(v)):
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
    if _arc(v) and any(p.blocks for p in found):
        return found
    return found + pocketproblems.depth_problems(v, w, _removals(v, w)[0])


def _plan(v: Values, w: Work) -> list[Move]:
    every = _removals(v, w)
    bottom, high = every[0].floor, max(w.top_over(r.bounds()) for r in every)
    if _arc(v):
        return [*arcslot.moves(v, w, high, bottom, wider=_wider(v)), Rapid(z=w.clearance)]
    if _even(v):
        moves = [*_evenly(v, w, high, bottom), *_sides(v, high, bottom)]
    elif _wider(v):
        moves = [*_opened(v, high, bottom), *_sides(v, high, bottom)]
    else:
        moves = _along_middle(v, high, bottom)
    return [*placed(moves, _place(v)), Rapid(z=w.clearance)]


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
    room = arcslot.room_of(v)
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

    even, outline = loading.even_of(v, w), _loop(v, arcslot.room_of(v))
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


def _arc_marks(v: Values) -> list[Mark]:
    centre, r, b = (v.centre_x, v.centre_y), v.arc_radius, v.width / 2
    first, sweep = v.get("from_angle", 0.0), v.by_angle
    c, s = math.cos(math.radians(first)), math.sin(math.radians(first))
    at, out = (centre[0] + r * c, centre[1] + r * s), (centre[0] + (r + b) * c, centre[1] + (r + b) * s)
    return [
        SectionAt(at[1]), CentreCross(centre, (r + b + 4, r + b + 4), 0.0),
        Distance("centre_x", (0.0, centre[1]), centre), Distance("centre_y", (centre[0], 0.0), centre, 90.0),
        Radius("arc_radius", centre, r, first + sweep / 2), Angle("from_angle", centre, r + b + 6, 0.0, first),
        Angle("by_angle", centre, r + b + 12, first, sweep),
        Distance("width", (centre[0] + (r - b) * c, centre[1] + (r - b) * s), out, first),
        Distance("depth", (out[0], v.top), (out[0], v.top - v.depth), 90.0, "section"),
        Distance("top", (at[0], 0.0), (at[0], v.top), 90.0, "section"),
    ]  # fmt: skip


def _marks(v: Values, w: Work) -> list[Mark]:
    if _arc(v):
        return _arc_marks(v)
    (cx, cy), b = _place(v).at, v.width / 2
    a, angle = _reach(v), _place(v).angle
    c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))

    def at(x: float, y: float) -> tuple[float, float]:
        return (cx + c * x - s * y, cy + s * x + c * y)

    end = a if v.get("measured", "overall") == "centres" else a + b
    marks: list[Mark] = [
        SectionAt(cy),
        CentreCross((cx, cy), (a + b + 4, b + 4), angle),
        Distance("width", at(0.0, -b), at(0.0, b), angle + 90.0),
        Distance("depth", (cx + a + b, v.top), (cx + a + b, v.top - v.depth), 90.0, "section"),
        Distance("top", (cx - a - b, 0.0), (cx - a - b, v.top), 90.0, "section"),
    ]
    if _points(v):
        for which, (x, y) in zip(("start", "end"), _ends(v), strict=True):
            marks += [Distance(f"{which}_x", (0.0, y), (x, y)), Distance(f"{which}_y", (x, 0.0), (x, y), 90.0)]
        return marks
    marks += [
        Distance("length", at(-end, 0.0), at(end, 0.0), angle),
        Distance("centre_x", (0.0, cy), (cx, cy)),
        Distance("centre_y", (cx, 0.0), (cx, cy), 90.0),
    ]
    return [*marks, Angle("angle", (cx, cy), a + b + 8, 0.0, angle)] if angle else marks


def _title(v: Values, units: Units) -> str:
    if _arc(v) and v.get("arc_radius") and v.get("width"):
        several = f"{v.count} × " if v.get("count", 1) > 1 else ""
        return f"{several}R{show(v.arc_radius, units=units)} × {show(v.width, units=units)}"
    if _points(v) and v.get("width"):
        return f"{show(v.width, units=units)} wide"
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
    if not entry.helix_radius(v.tool.flat_radius, arcslot.room_of(v)):
        return Suggestion(loading.LOOPS, "too narrow for a helix")
    even = loading.best(v, w, even=True, loops_share=1.0).rate * loading.CRESCENT_SHARE
    # Along its middle it is all in metal; the loops beside that take no more than as much again.
    deep = min(slot_depth(v.tool, w.material), float(v.depth))
    full = cut_at(v.tool, w.material, w.machine, loading.speed_for(v, w), deep, v.tool.diameter)
    loops = (
        full.rate * v.width / v.tool.diameter / (1 + math.ceil(2 * arcslot.room_of(v) / (STEP_SHARE * v.tool.diameter)))
    )
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


def _sample_line(pick: Pick, b: Box, width: float, least: float) -> dict[str, str]:
    """Where it runs."""
    x, y, angle = pick.number(b.x0, b.x1), pick.number(b.y0, b.y1), pick.number(-180, 180)
    way = pick.number(least, 60.0)
    match pick.choice(("middle", "points", "arc")):
        case "points":
            turn = math.radians(angle)
            ends = {"end_x": str(x + way * math.cos(turn)), "end_y": str(y + way * math.sin(turn))}
            return {"line": "points", "start_x": str(x), "start_y": str(y), **ends}
        case "arc":
            radius = pick.number(0.7 * width + 2.0, 30.0)
            sweep = pick.number(20, 80) * (1 if pick.choice(("left", "right")) == "left" else -1)
            place = {"centre_x": str(x), "centre_y": str(y), "arc_radius": str(radius), "from_angle": str(angle)}
            return {"line": "arc", **place, "by_angle": str(sweep), "count": pick.choice(("1", "1", "3"))}
    return {
        "centre_x": str(x),
        "centre_y": str(y),
        "angle": str(angle),
        "measured": pick.choice(("overall", "centres")),
        "length": str(width + way),
    }


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    tool = w.tools[int(pick.choice(tuple(str(t.number) for t in w.tools.values() if t.kind in pocketing.MILLS)))]
    b = w.block
    wider = pick.choice(("as wide", "wider")) == "wider"
    width = tool.diameter + (pick.number(0.3, 12.0) if wider else 0.0)
    typed = {
        **_sample_line(pick, b, width, tool.diameter), "top": str(b.z1), "width": str(width),
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
        Field("line", "Slot is given", "Place", Kind.CHOICE, "Is it straight, by its middle or between two points, or does it follow an arc?", "middle",
              choices=(("middle", "By its middle"), ("points", "By two points"), ("arc", "Along an arc"))),
        Field("centre_x", "Centre X", "Place", Kind.LENGTH, "Where is the middle of the slot, or of its arc, in X?", limits=LONG, stand_in=0.0, shown=_is("middle", "arc")),
        Field("centre_y", "Centre Y", "Place", Kind.LENGTH, "Where is the middle of the slot, or of its arc, in Y?", "0", limits=LONG, stand_in=0.0, shown=_is("middle", "arc")),
        Field("start_x", "From X", "Place", Kind.LENGTH, "Where is the middle of its first end in X?", limits=LONG, stand_in=0.0, shown=_points),
        Field("start_y", "From Y", "Place", Kind.LENGTH, "Where is the middle of its first end in Y?", limits=LONG, stand_in=0.0, shown=_points),
        Field("end_x", "To X", "Place", Kind.LENGTH, "Where is the middle of its other end in X?", limits=LONG, stand_in=20.0, shown=_points),
        Field("end_y", "To Y", "Place", Kind.LENGTH, "Where is the middle of its other end in Y?", limits=LONG, stand_in=0.0, shown=_points),
        Field("from_angle", "From angle", "Place", Kind.ANGLE, "At which angle from its centre is the middle of its first end?", "0", Limits(-360, 360), stand_in=0.0, shown=_arc),
        Field("count", "How many", "Place", Kind.COUNT, "How many are there, evenly round the centre?", "1", Limits(1, 100), stand_in=1, shown=_arc),
        Field("top", "Top at Z", "Place", Kind.LENGTH, "At what Z is the surface that the slot is measured from?", suggest=suggest_top, limits=LONG, stand_in=0.0),
        Field("angle", "Turned by", "Place", Kind.ANGLE, "How far is the slot turned, counter-clockwise?", "0", Limits(-360, 360), stand_in=0.0, shown=_straight),
        Field("width", "Width", "Size", Kind.LENGTH, "How wide is the slot?", suggest=_suggest_width, limits=SIZE, stand_in=8.0),
        Field("arc_radius", "Arc radius", "Size", Kind.LENGTH, "On what radius does the middle of the slot run?", limits=SIZE, stand_in=20.0, shown=_arc),
        Field("by_angle", "By angle", "Size", Kind.ANGLE, "Through which angle does it run to the middle of its other end, counter-clockwise (less than 0: clockwise)?", limits=Limits(-arcslot.MOST_DEGREES, arcslot.MOST_DEGREES), stand_in=60.0, shown=_arc),
        Field("measured", "Length is", "Size", Kind.CHOICE, "Is the length over all, or between the middles of the round ends?", "overall", shown=_straight,
              choices=(("overall", "Over all"), ("centres", "Between ends"))),
        Field("length", "Length", "Size", Kind.LENGTH, "How long is the slot?", limits=SIZE, stand_in=30.0, shown=_straight),
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
