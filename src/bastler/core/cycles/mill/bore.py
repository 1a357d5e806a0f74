"""Bore: a boring bar opens holes to size; out by feed, with the spindle stopped, or shifted off the wall."""

from __future__ import annotations

from bastler.core.cycles import holes
from bastler.core.cycles.base import AND_UNROLLED, SIZE, Cycle, Pick, speed_fields
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.shapes import Removal
from bastler.core.geometry.underside import Profile
from bastler.core.marks import Mark
from bastler.core.moves import Move
from bastler.core.planning.patterns import used
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, show


def _profile(v: Values) -> Profile:
    return Profile(v.diameter / 2, v.diameter / 2)


def _tip(v: Values) -> float:
    return float(v.top - v.depth)


def _removals(v: Values, w: Work) -> tuple[Removal, ...]:
    return holes.bores(v, _profile(v), _tip(v))


def _problems(v: Values, w: Work) -> list[Problem]:
    tool = v.tool
    found = holes.problems(v, w, _tip(v), needs_hole=tool.smallest_bore or v.diameter)
    found += holes.size_problems(v, w, "boring bar")
    if w.surface is not None and v.leave != "feed":
        text = "The driven spindle of a turret doesn't stop at an angle. Let the bar be fed back."
        found.append(Problem("leave", text))
    for p in used(v):
        before = holes.hole_before(w, p)
        if before and 2 * before[0].radius < tool.smallest_bore - holes.SAME_SIZE_MM:
            found.append(
                Problem(
                    "tool",
                    f"Tool {tool.number} needs a hole of {show(tool.smallest_bore, units=w.units)}; there is one of {show(2 * before[0].radius, units=w.units)}. Drill larger before.",
                    finding="",
                )
            )
            break
    return found  # fmt: skip


def _plan(v: Values, w: Work) -> list[Move]:
    return holes.bored(v, w, _tip(v), v.leave, v.get("shift", 0.0))


def _marks(v: Values, w: Work) -> list[Mark]:
    return holes.sized_marks(v, _tip(v))


def _title(v: Values, units: Units) -> str:
    return holes.size_title(v, units, "bores")


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    return holes.suggest_of_size(v, w, CYCLE.tool_kinds, "set to this diameter")


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    number = pick.choice(tuple(str(t.number) for t in w.tools.values() if t.kind == "boring-bar"))
    tool = w.tools[int(number)]
    depth = pick.number(1.0, min(tool.stick_out - 2, w.block.z1 - w.block.z0))
    return {**holes.sample_place(pick, w), **holes.sample_entry(pick), "diameter": str(tool.diameter), "depth": str(depth), "tool": number,
            "leave": pick.choice(("feed", "stop", "shift")) if w.surface is None else "feed", "dwell": pick.choice(("0", "0.4"))}  # fmt: skip


CYCLE = Cycle(
    id="bore",
    on_surfaces=AND_UNROLLED,
    rank=60,
    name="Bore",
    words=("bore", "boring", "bar", "hole"),
    summary="Open holes with a boring bar",
    tool_kinds=("boring-bar",),
    fields=(
        *holes.PLACE_FIELDS,
        Field("diameter", "Diameter", "Size", Kind.LENGTH, "What diameter do the bores have?", limits=SIZE, stand_in=20.0),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep are the bores below their top?", limits=SIZE, stand_in=10.0),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which boring bar is used?", suggest=_suggest_tool),
        Field("leave", "Way out", "Cut", Kind.CHOICE, "How does the bar leave the bore?", "feed",
              choices=(("feed", "Fed back"), ("stop", "Stopped"), ("shift", "Shifted away"))),
        Field("shift", "Shift", "Cut", Kind.LENGTH, "How far is the stopped edge moved off the wall (+X)?", "0.2", Limits(0.02, 5), shown=lambda v: bool(v.leave == "shift")),
        holes.dwell_field("0"),
        *speed_fields(),
        *holes.ENTRY_FIELDS,
    ),
    pictogram=(("frame", 0.08, 0.15, 0.84, 0.7), ("dot", 0.24, 0.24, 0.52, 0.52), ("ring", 0.34, 0.34, 0.32, 0.32)),
    problems=_problems,
    removals=_removals,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
)  # fmt: skip
