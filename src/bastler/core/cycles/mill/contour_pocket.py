"""Pocket by contour: any closed contour, with islands, cut into the stock; see :mod:`bastler.core.cycles.areas`."""

from __future__ import annotations

from bastler.core.cycles import areas, loading, pocketing
from bastler.core.cycles.areabands import bands, whole
from bastler.core.cycles.areas import removals
from bastler.core.cycles.base import (
    AND_UNROLLED,
    LONG,
    NOT_NEGATIVE,
    PASS,
    SIZE,
    Cycle,
    Pick,
    SubStep,
    climbs,
    speed_fields,
    suggest_top,
)
from bastler.core.cycles.joints import joint_field
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.path import path_bounds
from bastler.core.marks import Distance, Mark, SectionAt
from bastler.core.planning.contours import contours_of
from bastler.core.planning.evenload import fits as has_room
from bastler.core.planning.nest import Loops, pockets_of, shrunk, swept, whole_area
from bastler.core.planning.tight import follows
from bastler.core.planning.work import Work
from bastler.core.quantities import Kind, Limits, Units, show
from bastler.core.tooling.tools import Tool

STEP_SHARE = 0.8
WAY_SHARE = 1.4
"""Narrow places are at least this many diameters of a suggested tool wide."""
TIGHT_WAY_SHARE, WORTH_SHARE = 1.25, 1.3
"""The same of a larger tool that is worth going through tighter ones: it takes so many times the metal."""
ROOMY_SHARE = 0.95
"""A suggested tool clears this share of what the smallest one would."""


def _marks(v: Values, w: Work) -> list[Mark]:
    outline = contours_of(v, "contour")
    if not outline:
        return []
    x0, x1, y0, y1 = path_bounds(outline[0])
    marks: list[Mark] = [
        SectionAt((y0 + y1) / 2),
        Distance("depth", (x1, v.top), (x1, v.top - v.depth), 90.0, "section"),
        Distance("top", (x0, 0.0), (x0, v.top), 90.0, "section"),
    ]
    if contours_of(v, "low_islands") and v.get("low_top") is not None:
        marks.append(Distance("low_top", ((x0 + x1) / 2, v.top), ((x0 + x1) / 2, v.low_top), 90.0, "section"))
    return marks


def _title(v: Values, _: Units) -> str:
    contour = v.get("contour")
    name = contour.name if contour is not None else "contour"
    return f"{name}, rest" if v.get("corners") == "rest" else name


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    """The largest mill that gets everywhere; if none does, the largest that fits. For what is left, one that gets farther than before."""
    every = bands(v, w)
    mills = [t for t in w.tools.values() if t.kind in pocketing.MILLS and max(t.flute_length, t.stick_out) >= v.depth]
    mills.sort(key=lambda t: (t.corner_radius == 0, t.diameter, -t.number), reverse=True)
    leave = v.get("leave_walls", 0.0)
    fits = [t for t in mills if every and all(shrunk(b.edge, t.radius + leave) for b in every)]
    if not fits:
        return None
    if v.get("corners") == "rest":
        smaller = fits[1:] or fits
        return Suggestion(str(smaller[0].number), f"{smaller[0].name}: the next smaller one that fits in")
    whole_way = next((t for t in fits if all(follows(b.edge, t.radius) for b in every)), None)
    if whole_way is not None:
        return Suggestion(str(whole_way.number), f"{whole_way.name}: the largest that reaches all corners")
    easy = next((t for t in fits if all(_roomy(b.edge, t, fits[-1], leave) for b in every)), None)
    if easy is not None:
        larger = next(
            (t for t in fits if all(_roomy(b.edge, t, fits[-1], leave, TIGHT_WAY_SHARE) for b in every)), easy
        )
        if larger is not easy and loading.even_rate(larger, v.depth, w) > WORTH_SHARE * loading.even_rate(
            easy, v.depth, w
        ):
            return Suggestion(
                str(larger.number), f"{larger.name}: takes most metal of those that get through everywhere"
            )
        return Suggestion(str(easy.number), f"{easy.name}: the largest that gets through everywhere")
    return Suggestion(str(fits[0].number), f"{fits[0].name}: the largest that fits in")


def _roomy(edge: Loops, tool: Tool, smallest: Tool, leave: float, way: float = WAY_SHARE) -> bool:
    """Whether a tool gets through all narrow places that the smallest one gets through, has room for its helix, and leaves only corners."""
    room, most = (shrunk(edge, t.radius + leave) for t in (tool, smallest))
    wide = shrunk(edge, way * tool.radius + leave)
    if any(len(pockets_of(r)) != len(pockets_of(most)) or len(r) != len(most) for r in (room, wide)):
        return False
    if not has_room(room, tool.flat_radius):
        return False
    return whole_area(swept(room, tool.radius)) >= ROOMY_SHARE * whole_area(swept(most, smallest.radius))


def _suggest_entry(v: Values, _: Work) -> Suggestion:
    return Suggestion("helix", "a ramp where there is no room for it")


def _low(v: Values) -> bool:
    return bool(v.get("low_islands"))


def _suggest_low(v: Values, _: Work) -> Suggestion:
    return Suggestion(show(v.top - v.depth / 2), "half way down")


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    tools = [t for t in w.tools.values() if t.kind in pocketing.MILLS]
    number = pick.choice(tuple(str(t.number) for t in tools))
    tool, b = w.tools[int(number)], w.block
    corners = pick.choice(("tool", "left", "rest", "size"))
    outlines = tuple(k for k, c in w.contours.items() if c.closed and c.path and "island" not in c.name)
    islands = tuple(k for k, c in w.contours.items() if "island" in c.name)
    chosen = {
        "islands": pick.choice(("", *islands)),
        "low_islands": pick.choice(("", *islands)),
    }
    if chosen["low_islands"] == chosen["islands"]:
        chosen["low_islands"] = ""
    depth = pick.number(tool.corner_radius + 1.0, min(tool.flute_length, b.z1 - b.z0) - 0.5)
    leave = pick.number(0.0, 0.4)
    typed = {
        "contour": pick.choice(outlines),
        **{k: t for k, t in chosen.items() if t},
        "top": str(b.z1),
        "depth": str(depth),
        "corners": corners,
        **pocketing.sample_cut(pick, tool, leave),
        "side_step": str(pick.number(0.4 * tool.flat_radius, 0.999 * tool.flat_radius)),
    }
    if chosen["low_islands"]:
        typed["low_top"] = str(round(b.z1 - depth * pick.number(0.2, 0.8), 3))
    only_whole = ("rough", "clear_by", "leave_floor", "finish_floor", "entry", "compensation")
    return {k: t for k, t in typed.items() if corners != "rest" or k not in only_whole}


def _sample_before(typed: dict[str, str], w: Work) -> tuple[SubStep, ...]:
    """For what is left: the same area by the largest mill that fits."""
    if typed["corners"] != "rest":
        return ()
    keys: tuple[str, ...] = ("contour", "islands", "low_islands", "low_top", "top", "depth")
    place = {k: typed[k] for k in keys if k in typed}
    return (
        SubStep(
            "contour_pocket",
            "",
            "tool",
            {**place, "corners": "left", "leave_walls": typed["leave_walls"], "finish_walls": typed["finish_walls"]},
        ),
    )


CYCLE = Cycle(
    id="contour_pocket",
    on_surfaces=AND_UNROLLED,
    rank=22,
    name="Contour pocket",
    words=("pocket", "contour", "island", "recess", "cavity", "free"),
    summary="Cut a free shape with islands",
    tool_kinds=pocketing.MILLS,
    fields=(
        Field("contour", "Contour", "Place", Kind.CONTOUR, "Which contour is the wall of the pocket?"),
        Field("islands", "Islands", "Place", Kind.CONTOURS, "Which contours are left standing inside?", optional=True),
        Field("low_islands", "Lower islands", "Place", Kind.CONTOURS, "Which contours are left standing, but end below the top?", optional=True),
        Field("low_top", "They end at Z", "Place", Kind.LENGTH, "At what Z do the lower islands end?", suggest=_suggest_low, limits=LONG, shown=_low),
        Field("top", "Top at Z", "Place", Kind.LENGTH, "At what Z is the surface that the pocket is measured from?", suggest=suggest_top, limits=LONG, stand_in=0.0),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep is the pocket below its top?", limits=SIZE, stand_in=5.0),
        Field("corners", "Corners", "Size", Kind.CHOICE, "How far are corners and narrow places cut?", "tool",
              choices=(("tool", "As far as it reaches"), ("size", "Exactly as drawn"), ("left", "Left to a smaller tool"), ("rest", "What is left there"))),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which tool cuts the pocket?", suggest=_suggest_tool),
        Field("rough", "Rough", "Cut", Kind.FLAG, "Is the pocket roughed out in depth passes?", "yes", shown=whole),
        *loading.clearing_fields(areas.even_fits, pocketing.roughs, STEP_SHARE),
        Field("leave_walls", "Leave on walls", "Cut", Kind.LENGTH, "How much do the roughing passes leave on the walls?", "0.2", NOT_NEGATIVE),
        Field("finish_walls", "Finish walls", "Cut", Kind.FLAG, "Are the walls finished in a pass of their own?", "yes"),
        Field("leave_floor", "Leave on floor", "Cut", Kind.LENGTH, "How much do the roughing passes leave on the floor?", "0.1", NOT_NEGATIVE, shown=whole),
        Field("finish_floor", "Finish floor", "Cut", Kind.FLAG, "Is the floor finished in a pass of its own?", "yes", shown=whole),
        Field("side_step", "Side step", "Cut", Kind.LENGTH, "How far apart are the loops?", suggest=loading.suggest_step(STEP_SHARE), limits=PASS),
        Field("compensation", "Path by", "Cut", Kind.CHOICE, "Who offsets the finishing path by the tool's radius: Bastler, or the control with G41 or G42?", "planner", shown=whole,
              choices=(("planner", "Bastler"), ("control", "Control"))),
        *speed_fields(feed=False),
        *loading.feed_fields(pocketing.roughs, lambda v: float(v.tool.flat_radius), whole),
        Field("entry", "Way down", "Entry", Kind.CHOICE, "How does the tool get down into the metal?", suggest=_suggest_entry, shown=whole,
              choices=(("helix", "Helix"), ("ramp", "Ramp along the loop"), ("plunge", "Plunge"))),
        Field("ramp_angle", "Ramp angle", "Entry", Kind.ANGLE, "How steep is the way down?", suggest=pocketing.suggest_ramp, limits=Limits(0, 45, low_open=True),
              shown=lambda v: not whole(v) or v.get("entry") != "plunge"),
        loading.down_field(),
        Field("lead_radius", "Lead-in radius", "Entry", Kind.LENGTH, "On what radius does it run onto the wall?", suggest=pocketing.suggest_lead, limits=NOT_NEGATIVE,
              shown=lambda v: whole(v) and bool(v.finish_walls)),
        joint_field(lambda v: whole(v) and bool(v.finish_walls)),
    ),
    pictogram=(("frame", 0.08, 0.15, 0.84, 0.7), ("dot", 0.2, 0.25, 0.4, 0.5), ("fill", 0.4, 0.33, 0.4, 0.34), ("paper", 0.36, 0.42, 0.14, 0.16)),
    problems=areas.problems,
    removals=removals,
    plan=areas.moves,
    marks=_marks,
    title=_title,
    sample=_sample,
    sample_before=_sample_before,
    metal=climbs,
    engagement=pocketing.engagement,
)  # fmt: skip
