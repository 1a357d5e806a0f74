"""Outline: along a contour, left or right of it or on the line, in depth and side passes, over tabs.

See :mod:`bastler.core.cycles.following` for paths and moves.
"""

from __future__ import annotations

import math

from bastler.core.cycles import following
from bastler.core.cycles.base import (
    AND_UNROLLED,
    LONG,
    NOT_NEGATIVE,
    PASS,
    SIZE,
    Cycle,
    Pick,
    feed_down_field,
    speed_fields,
    suggest_top,
)
from bastler.core.cycles.following import (
    by_ramp,
    closed,
    free_left,
    opened,
    path_of,
    radius_of,
    side_of,
    start_point,
)
from bastler.core.cycles.loading import own_value
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.bands import is_closed
from bastler.core.geometry.path import area, path_bounds
from bastler.core.marks import Distance, Mark, SectionAt, Sign
from bastler.core.planning.outlining import best_start, centre_paths
from bastler.core.planning.work import Work
from bastler.core.quantities import Kind, Limits, Units, show
from bastler.core.tooling.cutting import Cut, best_cut, rounded_up
from bastler.core.tooling.feeds import suggest_speed
from bastler.core.tooling.tools import Tool

ALIKE_SHARE = 1.15
"""Tools that take up to this much longer count as as fast; of these the thickest is stiffest."""


def _marks(v: Values, w: Work) -> list[Mark]:
    contour = path_of(v)
    if contour is None:
        return []
    x0, x1, y0, y1 = path_bounds(contour)
    at = start_point(contour, v)
    return [
        SectionAt((y0 + y1) / 2), Sign("start_at", at, "start"),
        Distance("depth", (x1, v.top), (x1, v.top - v.depth), 90.0, "section"),
        Distance("top", (x0, 0.0), (x0, v.top), 90.0, "section"),
    ]  # fmt: skip


def _title(v: Values, _: Units) -> str:
    contour = v.get("contour")
    side = {"left": "left of ", "right": "right of ", "on": "on "}[v.get("side", "on")]
    return f"{side}{contour.name}" if contour is not None else "contour"


def _suggest_side(v: Values, _: Work) -> Suggestion:
    path = path_of(v)
    if path is None or not is_closed(path):
        return Suggestion("on", "the contour is open")
    return Suggestion("right" if area(path) > 0 else "left", "outside the closed contour")


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    mills = [t for t in w.tools.values() if t.kind == "end-mill" and t.stick_out >= v.depth]
    contour, side = path_of(v), side_of(v)
    fits = [t for t in mills if contour is not None and len(centre_paths(contour, side, t.radius)) == 1]
    fits = [t for t in fits if t.flute_length >= v.depth and t.corner_radius == 0] or fits
    if not fits:
        return None
    # Where the spindle's power sets the limit, a thinner tool takes less metal for the same wall.
    times = {t.number: _time_along(t, v, w) for t in fits}
    soon = min(times.values())
    best = max((t for t in fits if times[t.number] <= ALIKE_SHARE * soon), key=lambda t: (t.diameter, -t.number))
    return Suggestion(str(best.number), f"{best.name}: it gets along it soonest")


def _slot(tool: Tool, v: Values, w: Work) -> Cut:
    speed = float(v.ahead("speed") or suggest_speed(tool, w.material, w.machine).text)
    return best_cut(tool, w.material, w.machine, speed, float(v.depth), tool.diameter, True, width=tool.diameter)


def _time_along(tool: Tool, v: Values, w: Work) -> float:
    """Minutes per mm of the contour."""
    cut = _slot(tool, v, w)
    return float(math.ceil(v.depth / cut.depth - 1e-6)) / cut.feed


def _suggest_step(v: Values, _: Work) -> Suggestion:
    return Suggestion(show(v.tool.flat_radius), "half the tool's flat bottom")


def _suggest_depth(v: Values, w: Work) -> Suggestion:
    if (mine := own_value(v, w, "depth")) is not None:
        return mine
    cut = _slot(v.tool, v, w)
    return Suggestion(show(rounded_up(cut.depth)), cut.reason(w.machine, w.units))


def _suggest_ramp(v: Values, _: Work) -> Suggestion:
    return Suggestion(show(v.tool.ramp_angle), f"the steepest for tool {v.tool.number}")


def _suggest_start(v: Values, w: Work) -> Suggestion:
    contour = path_of(v)
    if contour is None or not closed(v):
        return Suggestion("0", "the beginning of the contour")
    found = (
        best_start(contour, side_of(v), radius_of(v) + v.leave, v.lead, v.lead_length, free_left(v))
        if side_of(v)
        else None
    )
    return (
        Suggestion(show(found, digits=3), "most room for running on")
        if found is not None
        else Suggestion("0", "the contour's own start")
    )


def _suggest_lead(v: Values, _: Work) -> Suggestion:
    if not side_of(v):
        return Suggestion("0", "on the line")
    return Suggestion(show(v.tool.radius / 2), "half the tool's radius")


def _suggest_down(v: Values, w: Work) -> Suggestion:
    if v.tool.plunges and opened(v):
        return Suggestion("plunge", f"tool {v.tool.number} may plunge")
    return Suggestion("ramp", "spares the tool")


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    tools = [t for t in w.tools.values() if t.kind == "end-mill"]
    number = pick.choice(tuple(str(t.number) for t in tools))
    tool, b = w.tools[int(number)], w.block
    names = tuple(k for k, c in w.contours.items() if c.path is not None)
    key = pick.choice(names)
    closed = w.contours[key].closed
    down = pick.choice(("ramp", "plunge")) if tool.plunges else "ramp"
    typed = {
        "contour": key, "side": pick.choice(("left", "right", "on")), "top": str(b.z1), "tool": number,
        "depth": str(pick.number(tool.corner_radius + 0.5, min(tool.flute_length, b.z1 - b.z0) - 0.5)),
        "way": pick.choice(("climb", "conventional")), "depth_per_pass": str(pick.number(1.0, tool.diameter)),
        "down": down, "lead": pick.choice(("arc", "tangent", "straight")), "lead_length": str(pick.number(0.0, 4.0)),
    }  # fmt: skip
    if typed["side"] != "on":
        typed |= {
            "leave": str(pick.number(0.0, 0.5)),
            "side_passes": pick.choice(("1", "1", "2", "3")),
            "side_step": str(pick.number(0.3, 1.2) * tool.flat_radius),
        }
    if closed:
        typed["overlap"] = str(pick.number(0.0, 3.0))
        tabs = pick.choice(("0", "0", "2", "4")) if tool.plunges and down == "ramp" else "0"
        if tabs != "0":
            typed |= {"tabs": tabs, "tab_length": str(pick.number(0.5, 5.0)), "tab_height": str(pick.number(0.2, 2.0))}
        if down == "plunge" and typed["side"] != "on" and pick.choice(("planner", "control")) == "control":
            typed |= {"compensation": "control", "lead": "arc", "lead_length": str(pick.number(0.3, 4.0))}
    else:
        typed["both_ways"] = pick.choice(("yes", "no"))
    if typed.get("side_passes", "1") == "1":
        typed.pop("side_step", None)
    return typed


def _engagement(v: Values) -> tuple[float, float]:
    return (float(v.depth_per_pass), float(v.tool.diameter))


def _beside(v: Values) -> bool:
    return bool(side_of(v))


def _with_tabs(v: Values) -> bool:
    return _tabs_possible(v) and bool(v.get("tabs", 0))


def _tabs_possible(v: Values) -> bool:
    return closed(v) and by_ramp(v)


CYCLE = Cycle(
    id="outline",
    on_surfaces=AND_UNROLLED,
    rank=24,
    name="Outline",
    words=("outline", "contour", "profile", "edge", "engrave", "groove"),
    summary="Run beside or on a contour",
    tool_kinds=("end-mill",),
    fields=(
        Field("contour", "Contour", "Place", Kind.CONTOUR, "Which contour does the tool follow?"),
        Field("side", "Side", "Place", Kind.CHOICE, "On which side of the contour, as it is drawn, does the tool run?", suggest=_suggest_side,
              choices=(("left", "Left of it"), ("right", "Right of it"), ("on", "On the line"))),
        Field("top", "Top at Z", "Place", Kind.LENGTH, "At what Z is the surface that the depth is measured from?", suggest=suggest_top, limits=LONG, stand_in=0.0),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep below the top does it cut?", limits=SIZE, stand_in=5.0),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which tool follows the contour?", suggest=_suggest_tool),
        Field("way", "Direction", "Cut", Kind.CHOICE, "Does it cut climb or conventional?", "climb", choices=(("climb", "Climb"), ("conventional", "Conventional"))),
        Field("depth_per_pass", "Depth per pass", "Cut", Kind.LENGTH, "How deep is each pass?", suggest=_suggest_depth, limits=PASS),
        Field("leave", "Leave", "Cut", Kind.LENGTH, "How much stays on the contour?", "0", Limits(-100, 100), shown=_beside),
        Field("side_passes", "Side passes", "Cut", Kind.COUNT, "In how many passes does it come up to the contour from the side?", "1", Limits(1, 100), shown=_beside),
        Field("side_step", "Side step", "Cut", Kind.LENGTH, "How far apart are the side passes?", suggest=_suggest_step, limits=PASS, shown=lambda v: _beside(v) and v.get("side_passes", 1) > 1),
        Field("both_ways", "Both ways", "Cut", Kind.FLAG, "Does each depth pass run back where the last one came from?", "yes", shown=lambda v: opened(v) and not by_ramp(v)),
        Field("tabs", "Tabs", "Cut", Kind.COUNT, "How many tabs hold the part in the rest of the block?", "0", Limits(0, 40), shown=_tabs_possible),
        Field("tab_length", "Tab length", "Cut", Kind.LENGTH, "How long is each tab?", "6", SIZE, shown=_with_tabs),
        Field("tab_height", "Tab height", "Cut", Kind.LENGTH, "How high over the floor is each tab?", "1.5", SIZE, shown=_with_tabs),
        Field("compensation", "Path by", "Cut", Kind.CHOICE, "Who offsets the path by the tool's radius: Bastler, or the control with G41 or G42?", "planner", shown=lambda v: _beside(v) and closed(v) and not by_ramp(v),
              choices=(("planner", "Bastler"), ("control", "Control"))),
        *speed_fields(engagement=_engagement),
        Field("down", "Way down", "Entry", Kind.CHOICE, "How does it get down?", suggest=_suggest_down, choices=(("ramp", "Ramp along it"), ("plunge", "Straight down"))),
        Field("ramp_angle", "Ramp angle", "Entry", Kind.ANGLE, "How steep is the way down?", suggest=_suggest_ramp, limits=Limits(0, 45, low_open=True), shown=by_ramp),
        feed_down_field(),
        Field("lead", "Lead-in", "Entry", Kind.CHOICE, "How does it run onto the path and off it?", "arc", choices=(("arc", "A quarter circle"), ("tangent", "A line ahead"), ("straight", "A line across"))),
        Field("lead_length", "Lead-in length", "Entry", Kind.LENGTH, "How long is the line, or what is the radius of the quarter circle?", suggest=_suggest_lead, limits=NOT_NEGATIVE),
        Field("start_at", "Start after", "Entry", Kind.LENGTH, "How far along the contour does it begin?", suggest=_suggest_start, limits=NOT_NEGATIVE, shown=closed),
        Field("overlap", "Overlap", "Entry", Kind.LENGTH, "How far beyond its start does a closed path go on?", "1", NOT_NEGATIVE, shown=closed),
    ),
    pictogram=(("frame", 0.08, 0.15, 0.84, 0.7), ("ring", 0.22, 0.27, 0.56, 0.46), ("dot", 0.7, 0.42, 0.16, 0.16)),
    problems=following.problems,
    removals=following.removals,
    plan=following.moves,
    marks=_marks,
    title=_title,
    sample=_sample,
    metal=following.metal_beside,
    engagement=_engagement,
)  # fmt: skip
