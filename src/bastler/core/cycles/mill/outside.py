"""Outside: a rectangle, a circle or a contour stays; all round it is cut away, or a channel that leaves it on tabs.

*All*: loops follow the shape from the block's edge inwards (climb milling, clockwise), as many as the block is
wide beyond it; each begins outside the metal and runs on and off by an arc. Walls may be finished in a
pass of their own, with the tool's radius by Bastler or by the control.
*Channel*: as wide as the tool; down by a ramp all the way round, lifted over the tabs.
"""

from __future__ import annotations

import math

from msgspec.structs import replace

from bastler.core.cycles import channeling, feedfields, widechannel
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
from bastler.core.cycles.channeling import frame_of, is_channel, loop_round, round_contour
from bastler.core.cycles.cornerfit import corner_problems
from bastler.core.cycles.joints import joint_field, joint_of, joint_problems
from bastler.core.cycles.loading import (
    CRESCENT_SHARE,
    EVEN,
    LOOPS,
    fed,
    grown,
    is_even,
    own_value,
    speed_for,
    way_field,
)
from bastler.core.cycles.roundloops import corners_of, round_at, wall_from
from bastler.core.cycles.wallreach import reach_problems
from bastler.core.cycles.widechannel import is_wide
from bastler.core.fields import Field, Shown, Suggest, Suggestion, Values
from bastler.core.geometry.path import path_bounds
from bastler.core.geometry.region import region
from bastler.core.geometry.shapes import Prism, Removal, Ring, rectangle
from bastler.core.marks import CentreCross, Distance, Mark, Radius, SectionAt
from bastler.core.moves import Move, Rapid
from bastler.core.planning.passes import levels
from bastler.core.planning.placing import placed
from bastler.core.planning.work import ABOVE_METAL_MM, Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, show
from bastler.core.tooling.cutting import Cut, best_cut, cut_at, rounded_down, rounded_up
from bastler.core.tooling.tools import Tool

BORDER_MM = 1.0
"""So far beyond the block the metal is promised away; further out another part may stand."""
OVERLAP_SHARE = 1.6
"""Loops are at most this many flat radii apart."""
FITS_MM = 1e-6
CORNERS_SHARE = 0.25
"""So much of a side step more may stand at the block's corners than there are loops for."""
USUAL_LEAVE_MM = 0.2
WIDER_SHARE = 1.2
"""A suggested side step may be so many times what the tables have, where that spares a pass."""
WIDEST_SHARE = 0.41
"""A suggested side step is at most this share of the diameter: 80° of the tool in metal."""


def _boss(v: Values, left_walls: float, left_floor: float) -> Prism:
    """What stays, with allowances; ``floor`` is where the ground around it lies."""
    tool = v.get("tool")
    fillet = tool.corner_radius if tool else 0.0
    floor = v.top - v.depth + left_floor
    if v.get("shape", "rectangle") == "round":
        wide = v.diameter + 2 * left_walls
        return Prism((v.centre_x, v.centre_y), wide, wide, wide / 2, 0.0, floor, fillet)
    return Prism(
        (v.centre_x, v.centre_y),
        v.length + 2 * left_walls,
        v.width + 2 * left_walls,
        v.corner + left_walls,
        v.get("angle", 0.0),
        floor,
        fillet,
    )


def _contour(v: Values) -> bool:
    return bool(v.get("shape", "rectangle") == "contour")


def _left(v: Values) -> float:
    return 0.0 if v.get("finish_walls", True) else float(v.get("leave_walls", 0.0))


def _removals(v: Values, w: Work) -> tuple[Removal, ...]:
    if is_channel(v):
        return widechannel.removals(v) if is_wide(v) else channeling.removals(v)
    b, tool = w.block, v.get("tool")
    fillet, floor = (tool.corner_radius if tool else 0.0), v.top - v.depth
    beyond = BORDER_MM + fillet
    border = rectangle((b.x0 - beyond, b.x1 + beyond, b.y0 - beyond, b.y1 + beyond), floor)
    if not _contour(v):
        return (Ring(_boss(v, _left(v), 0.0), border),)
    if v.get("contour") is None or not v.contour.closed:
        return ()
    stays = round_contour(v.contour.path, _left(v), tool.radius if tool else 0.0)
    return (region([*border.outlines(), stays.reversed()], floor, fillet),)


def _far(v: Values, w: Work) -> float:
    """How far the block's farthest corner is from the shape."""
    shape = region([loop_round(v, 0.0)], 0.0) if _contour(v) else _boss(v, 0.0, 0.0)
    return max(-float(shape.depth(x, y)) for x, y in corners_of(w))


def _problems(v: Values, w: Work) -> list[Problem]:
    tool, found = v.tool, machine_problems(v, w) + joint_problems(v)

    def mm(value: float) -> str:
        return show(value, units=w.units)

    if v.shape == "rectangle" and v.corner > min(v.length, v.width) / 2 + FITS_MM:
        found.append(
            Problem("corner", f"A corner radius can be at most half the width, {mm(min(v.length, v.width) / 2)}.")
        )
    if _contour(v):
        if not v.contour.closed:
            return [
                *found,
                Problem(
                    "contour",
                    f"Contour “{v.contour.name}” is open; only a closed one can stay. Close it, or choose another.",
                ),
            ]
        found += _corner_problems(v, w)
    high, bottom = w.block.z1, v.top - v.depth
    found += reach_problems(v, w, high, bottom, "the side needs")
    if is_channel(v):
        return found + (widechannel.problems(v, w) if is_wide(v) else _narrow_problems(v, w))
    if is_even(v):
        from bastler.core.cycles import evenoutside

        found += evenoutside.problems(v, w)
    elif v.side_step > OVERLAP_SHARE * tool.flat_radius + FITS_MM:
        limit = OVERLAP_SHARE * tool.flat_radius
        found.append(
            Problem(
                "side_step",
                f"A side step above {mm(limit)} leaves ridges with tool {tool.number}. Take at most {mm(limit)}.",
            )
        )
    if _far(v, w) <= FITS_MM:
        found.append(
            Problem(
                {"rectangle": "length", "round": "diameter", "contour": "contour"}[v.shape],
                "The shape is as large as the block or larger: nothing stands outside it.",
            )
        )
    return found  # fmt: skip


def _narrow_problems(v: Values, w: Work) -> list[Problem]:
    """What is wrong with a channel as wide as its tool."""
    if v.channel_width >= v.tool.diameter - widechannel.SAME_WIDTH_MM:
        return channeling.problems(v, w)
    name = f"Tool {v.tool.number} ({show(v.tool.diameter, units=w.units)})"
    return [Problem("channel_width", f"{name} cuts a wider channel. Take a thinner tool, or make it as wide.")]


def _corner_problems(v: Values, w: Work) -> list[Problem]:
    """Inner corners of a contour that the tool doesn't get into; a control can't run along them."""
    contour, by_control = v.contour.path, v.finish_walls and v.get("compensation") == "control"
    rest = ". Or let Bastler offset the path." if by_control else "; metal stays there."
    return corner_problems(v, w, (contour,), lambda r: (round_contour(contour, r),), rest, blocks=by_control)


def _plan(v: Values, w: Work) -> list[Move]:
    if is_channel(v):
        moves = widechannel.moves(v, w) if is_wide(v) else channeling.moves(v, w)
        return [*placed(moves, frame_of(v)), Rapid(z=w.clearance)]
    tool = v.tool
    bottom, high = v.top - v.depth, w.block.z1
    wide = max(_far(v, w) - v.leave_walls, 0.0)
    # The outermost loop only meets the block's corners: it may take a little more there, and feeds as its load allows.
    count = max(math.ceil(wide / v.side_step - CORNERS_SHARE), 1)
    offsets = [tool.radius + v.leave_walls + k * v.side_step for k in range(count - 1, -1, -1)]
    moves = []
    place, metal = frame_of(v), grown(w.block)
    z, heights = high + ABOVE_METAL_MM, levels(high, bottom, v.depth_per_pass)
    if is_even(v):
        from bastler.core.cycles import evenoutside

        moves += evenoutside.moves(v, w, heights, z)
        # What crescents leave between them is for the wall's own pass, or for one round it.
        offsets = [] if v.finish_walls else offsets[-1:]
    for level in heights if offsets else ():
        moves += fed(placed(round_at(v, w, offsets, z, level), place), level, metal, v, w)
        z = level + ABOVE_METAL_MM
    if v.finish_walls:
        near = joint_of(v, place)
        for level in levels(high, bottom, tool.flute_length):
            one = round_at(v, w, [tool.radius], z, level, finish=True) if near is None else wall_from(v, near, z, level)
            moves += placed(one, place)
    return [*moves, Rapid(z=w.clearance)]


def _marks(v: Values, w: Work) -> list[Mark]:
    if _contour(v):
        return _contour_marks(v)
    cx, cy = v.centre_x, v.centre_y
    round_ = v.get("shape", "rectangle") == "round"
    a, b = (v.diameter / 2, v.diameter / 2) if round_ else (v.length / 2, v.width / 2)
    angle = 0.0 if round_ else v.get("angle", 0.0)
    c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))

    def at(x: float, y: float) -> tuple[float, float]:
        return (cx + c * x - s * y, cy + s * x + c * y)

    marks: list[Mark] = [
        SectionAt(cy), CentreCross((cx, cy), (a + 4, b + 4), angle),
        Distance("centre_x", (0.0, cy), (cx, cy)), Distance("centre_y", (cx, 0.0), (cx, cy), 90.0),
        Distance("depth", (cx + a, v.top), (cx + a, v.top - v.depth), 90.0, "section"),
        Distance("top", (cx - a, 0.0), (cx - a, v.top), 90.0, "section"),
    ]  # fmt: skip
    if is_channel(v) and (wide := v.get("channel_width")):
        floor = v.top - v.depth
        marks.append(Distance("channel_width", (cx + a, floor), (cx + a + wide, floor), 0.0, "section"))
    if round_:
        return [*marks, Radius("diameter", (cx, cy), a, 40.0, diameter=True)]
    return [
        *marks, Distance("length", at(-a, b), at(a, b), angle), Distance("width", at(a, -b), at(a, b), angle + 90.0),
        Radius("corner", at(a - v.corner, -b + v.corner), max(v.corner, 1e-3), angle - 45.0),
    ]  # fmt: skip


def _contour_marks(v: Values) -> list[Mark]:
    if v.get("contour") is None:
        return []
    x0, x1, y0, y1 = path_bounds(v.contour.path)
    return [
        SectionAt((y0 + y1) / 2), Distance("depth", (x1, v.top), (x1, v.top - v.depth), 90.0, "section"),
        Distance("top", (x0, 0.0), (x0, v.top), 90.0, "section"),
    ]  # fmt: skip


def _title(v: Values, units: Units) -> str:
    if _contour(v):
        return str(v.contour.name) if v.get("contour") is not None else "contour"
    if v.get("shape", "rectangle") == "round":
        return f"Ø{show(v.diameter, units=units)}" if v.get("diameter") else "circle"
    return (
        f"{show(v.length, units=units)} × {show(v.width, units=units)}"
        if v.get("length") and v.get("width")
        else "rectangle"
    )


def _middle(axis: int) -> Suggest:
    def suggest(_: Values, w: Work) -> Suggestion:
        p = w.part
        return Suggestion(show((p.x0 + p.x1) / 2 if axis == 0 else (p.y0 + p.y1) / 2), "the middle of the part")

    return suggest


def _part_size(axis: int) -> Suggest:
    return lambda _, w: Suggestion(show(w.part.size[axis]), "the size of the part")


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    deep = w.block.z1 - v.top + v.depth
    mills = [t for t in w.tools.values() if t.kind == "end-mill" and t.flute_length >= deep]
    best = max(mills, key=lambda t: (t.corner_radius == 0, t.diameter), default=None)
    return Suggestion(str(best.number), f"{best.name}: the thickest that is long enough") if best else None


def _best(v: Values, w: Work, depth: float | None = None) -> Cut:
    """The cut that takes most metal: beside the shape the tool is never all round in metal, in a channel it is."""
    height = max(w.block.z1 - v.top + v.depth, 1e-3)
    channel = is_channel(v) and not is_wide(v)
    most = v.tool.diameter if channel else min(WIDEST_SHARE * v.tool.diameter, OVERLAP_SHARE * v.tool.flat_radius)
    back = 0.0 if channel else w.machine.feed_limit
    return best_cut(v.tool, w.material, w.machine, speed_for(v, w), height, most, channel, depth, back)


def _suggest_depth_per_pass(v: Values, w: Work) -> Suggestion:
    if (mine := own_value(v, w, "depth")) is not None:
        return mine
    cut = _best(v, w)
    return Suggestion(show(rounded_up(cut.depth)), cut.reason(w.machine, w.units))


def _suggest_way(_: Values, __: Work) -> Suggestion:
    return Suggestion(LOOPS, f"{1 / CRESCENT_SHARE:.1f} times as fast as an even load, but for deep bays")


def _suggest_step(v: Values, w: Work) -> Suggestion:
    if (mine := own_value(v, w, "step")) is not None:
        return mine
    depth = float(v.depth_per_pass)
    cut = _best(v, w, depth)
    if is_even(v) or is_wide(v):
        return Suggestion(show(min(rounded_down(cut.width), v.tool.flat_radius)), cut.reason(w.machine, w.units))
    step = math.ceil(100 * _fewest(_beside(v, w), cut.width) - 0.01) / 100
    cut = cut_at(v.tool, w.material, w.machine, speed_for(v, w), depth, step)
    return Suggestion(show(cut.width), cut.reason(w.machine, w.units))


def _fewest(gaps: list[float], width: float) -> float:
    """The least step near a width that makes fewest passes of gaps: a last pass of little metal takes as long as a full one."""
    most = WIDER_SHARE * width
    steps = [
        width,
        *(g / k for g in gaps for k in range(1, math.ceil(g / width) + 1) if width / WIDER_SHARE <= g / k <= most),
    ]
    return min(steps, key=lambda s: (sum(math.ceil(g / s - FITS_MM) for g in gaps), s))


def _beside(v: Values, w: Work) -> list[float]:
    """How much stands beside the shape at its sides, mm, but for what is left."""
    x0, x1, y0, y1 = path_bounds(frame_of(v).path(loop_round(v, 0.0)))
    b, left = w.block, v.ahead("leave_walls", USUAL_LEAVE_MM)
    return [g - left for g in (x0 - b.x0, b.x1 - x1, y0 - b.y0, b.y1 - y1) if g - left > FITS_MM]


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    b = w.block
    number = pick.choice(tuple(str(t.number) for t in w.tools.values() if t.kind == "end-mill"))
    tool = w.tools[int(number)]
    length, width = pick.number(20.0, b.size[0] - 4), pick.number(15.0, b.size[1] - 4)
    leave = pick.number(0.0, 0.4)
    typed = {
        "centre_x": str(pick.number((b.x0 + b.x1) / 2 - 5, (b.x0 + b.x1) / 2 + 5)), "centre_y": str(pick.number((b.y0 + b.y1) / 2 - 5, (b.y0 + b.y1) / 2 + 5)),
        "top": str(b.z1), "shape": pick.choice(("rectangle", "round", "contour")), "angle": str(pick.number(-30, 30)), "length": str(length), "width": str(width),
        "corner": str(pick.number(0.0, min(length, width) / 2)), "diameter": str(pick.number(15.0, b.size[1])),
        "depth": str(pick.number(tool.corner_radius + 0.5, min(tool.flute_length, b.z1 - b.z0) - 0.5)), "tool": number,
        "side_step": str(pick.number(0.5 * tool.flat_radius, 1.59 * tool.flat_radius)), "depth_per_pass": str(pick.number(1.0, tool.diameter)),
        "leave_walls": str(leave), "finish_walls": pick.choice(("yes", "no")), "compensation": pick.choice(("planner", "control")),
        "lead_radius": str(pick.number(0.5, 5.0)), "clear_by": pick.choice((LOOPS, LOOPS, EVEN)),
    }  # fmt: skip
    if typed["clear_by"] == EVEN:
        typed["side_step"] = str(pick.number(0.1, 0.7) * tool.flat_radius)
    unused: tuple[str, ...] = {
        "rectangle": ("diameter",),
        "round": ("length", "width", "corner", "angle"),
        "contour": ("length", "width", "corner", "angle", "diameter", "centre_x", "centre_y"),
    }[typed["shape"]]
    if typed["shape"] == "contour":
        typed["contour"] = pick.choice(
            tuple(k for k, c in w.contours.items() if c.closed and c.path and "island" not in c.name)
        )
    if pick.choice(("all", "channel")) == "channel":
        unused += ("compensation", "lead_radius", "clear_by", "side_step")
        typed |= {"clear": "channel"}
        return {k: t for k, t in typed.items() if k not in unused} | _sample_channel(pick, tool, leave)
    return {k: t for k, t in typed.items() if k not in unused}


def _sample_channel(pick: Pick, tool: Tool, leave: float) -> dict[str, str]:
    """A channel as wide as the tool or wider, with tabs or without."""
    tabs = pick.choice(("0", "1", "2", "4")) if tool.plunges else "0"
    typed = {"tabs": tabs, "depth_per_pass": str(pick.number(2.0, tool.diameter))}
    if pick.choice(("as wide", "wider")) == "wider":
        width = tool.diameter + pick.number(0.7, 2.0) * tool.flat_radius + leave
        typed |= {"channel_width": str(width), "side_step": str(pick.number(0.1, 0.7) * tool.flat_radius)}
    if tabs != "0":
        typed |= {"tab_length": str(pick.number(0.5, 8.0)), "tab_height": str(pick.number(0.2, 3.0))}
    return typed


def _engagement(v: Values) -> tuple[float, float]:
    return (float(v.depth_per_pass), float(v.side_step if _stepped(v) else v.tool.diameter))


def _whole(v: Values) -> bool:
    return not is_channel(v)


def _stepped(v: Values) -> bool:
    return not is_channel(v) or is_wide(v)


def _with_tabs(v: Values) -> bool:
    return is_channel(v) and bool(v.get("tabs", 0))


def _suggest_channel(v: Values, _: Work) -> Suggestion:
    return Suggestion(show(v.tool.diameter), f"as wide as tool {v.tool.number}")


def _suggest_ramp(v: Values, _: Work) -> Suggestion:
    return Suggestion(show(v.tool.ramp_angle), f"the steepest for tool {v.tool.number}")


def _not_contour(v: Values) -> bool:
    return bool(v.ahead("shape", "rectangle") != "contour")


def _is(shape: str) -> Shown:
    return lambda v: bool(v.shape == shape)


CYCLE = Cycle(
    id="outside",
    on_surfaces=AND_UNROLLED,
    rank=15,
    name="Outside",
    words=("outside", "outline", "boss", "contour", "profile", "edge"),
    summary="Cut away all round a shape",
    tool_kinds=("end-mill",),
    fields=(
        Field("centre_x", "Centre X", "Place", Kind.LENGTH, "Where is the middle of what stays in X?", suggest=_middle(0), limits=LONG, stand_in=0.0, shown=_not_contour),
        Field("centre_y", "Centre Y", "Place", Kind.LENGTH, "Where is the middle of what stays in Y?", suggest=_middle(1), limits=LONG, stand_in=0.0, shown=_not_contour),
        Field("top", "Top at Z", "Place", Kind.LENGTH, "At what Z is the surface that the depth is measured from?", suggest=suggest_top, limits=LONG, stand_in=0.0),
        Field("shape", "Shape", "Size", Kind.CHOICE, "What stays: a rectangle, a circle, or a contour?", "rectangle", choices=(("rectangle", "Rectangle"), ("round", "Circle"), ("contour", "Contour"))),
        Field("contour", "Contour", "Size", Kind.CONTOUR, "Which contour stays?", shown=_contour),
        Field("angle", "Turned by", "Place", Kind.ANGLE, "How far is the rectangle turned, counter-clockwise?", "0", Limits(-360, 360), stand_in=0.0, shown=lambda v: v.get("shape", "rectangle") == "rectangle"),
        Field("length", "Length", "Size", Kind.LENGTH, "How long is what stays?", suggest=_part_size(0), limits=SIZE, stand_in=40.0, shown=_is("rectangle")),
        Field("width", "Width", "Size", Kind.LENGTH, "How wide is what stays?", suggest=_part_size(1), limits=SIZE, stand_in=25.0, shown=_is("rectangle")),
        Field("corner", "Corner radius", "Size", Kind.LENGTH, "What radius do the four upright corners have (0 for sharp)?", "0", NOT_NEGATIVE, stand_in=0.0, shown=_is("rectangle")),
        Field("diameter", "Diameter", "Size", Kind.LENGTH, "What is the diameter of what stays?", limits=SIZE, stand_in=30.0, shown=_is("round")),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep below the top is the ground around it?", limits=SIZE, stand_in=5.0),
        Field("clear", "Take away", "Size", Kind.CHOICE, "Is everything round it cleared, or only a channel?", "all", choices=(("all", "All round it"), ("channel", "A channel"))),
        Field("tabs", "Tabs", "Size", Kind.COUNT, "How many tabs hold the part in the rest of the block?", "0", Limits(0, 40), shown=is_channel),
        Field("tab_length", "Tab length", "Size", Kind.LENGTH, "How long is each tab?", "6", SIZE, shown=_with_tabs),
        Field("tab_height", "Tab height", "Size", Kind.LENGTH, "How high over the floor is each tab?", "1.5", SIZE, shown=_with_tabs),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which tool is used?", suggest=_suggest_tool),
        Field("channel_width", "Channel width", "Cut", Kind.LENGTH, "How wide is the channel?", suggest=_suggest_channel, limits=SIZE, shown=is_channel),
        way_field(_suggest_way, _whole),
        Field("depth_per_pass", "Depth per pass", "Cut", Kind.LENGTH, "How deep is each pass?", suggest=_suggest_depth_per_pass, limits=PASS),
        Field("side_step", "Side step", "Cut", Kind.LENGTH, "How far apart are the loops?", suggest=_suggest_step, limits=PASS, shown=_stepped),
        Field("leave_walls", "Leave on walls", "Cut", Kind.LENGTH, "How much do the roughing passes leave on the walls?", "0.2", NOT_NEGATIVE),
        Field("finish_walls", "Finish walls", "Cut", Kind.FLAG, "Are the walls finished in a pass of their own?", "yes"),
        Field("compensation", "Path by", "Cut", Kind.CHOICE, "Who offsets the finishing path by the tool's radius: Bastler, or the control with G41 or G42?", "planner", choices=(("planner", "Bastler"), ("control", "Control")), shown=_whole),
        *speed_fields(engagement=_engagement),
        feedfields.by_load(_whole),
        feedfields.air_feed(_stepped),
        feedfields.walls_feed(lambda v: _stepped(v) and bool(v.get("finish_walls"))),
        Field("lead_radius", "Lead-in radius", "Entry", Kind.LENGTH, "On what radius does it run onto the wall?", "2", Limits(0.2, 100), shown=_whole),
        joint_field(lambda v: _whole(v) and bool(v.get("finish_walls"))),
        Field("run_out", "Run-in", "Entry", Kind.LENGTH, "How far beyond the block's edge does it go down?", "2", Limits(0.5, 100), shown=_whole),
        Field("ramp_angle", "Ramp angle", "Entry", Kind.ANGLE, "How steep is the way down, round the shape?", suggest=_suggest_ramp, limits=Limits(0, 45, low_open=True), shown=is_channel),
        replace(feed_down_field(), shown=is_channel),
    ),
    pictogram=(("fill", 0.08, 0.15, 0.84, 0.7), ("paper", 0.28, 0.32, 0.44, 0.36)),
    problems=_problems,
    removals=_removals,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
    metal=climbs,
    engagement=_engagement,
)  # fmt: skip
