"""Countersink: a bevel on the edge of a hole, by its diameter at the top."""

from __future__ import annotations

from bastler.core.cycles import holes
from bastler.core.cycles.base import AND_UNROLLED, SIZE, Cycle, Pick, speed_fields
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.shapes import Removal
from bastler.core.geometry.underside import Profile, slope_of
from bastler.core.marks import Mark
from bastler.core.moves import Move
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Units, show


def _profile(v: Values) -> Profile:
    tool = v.get("tool")
    return tool.profile if tool else Profile(max(v.diameter, 1.0), slope=slope_of(90.0))


def _tip(v: Values) -> float:
    return float(v.top - _profile(v).height(v.diameter / 2))


def _removals(v: Values, w: Work) -> tuple[Removal, ...]:
    return holes.bores(v, _profile(v), _tip(v))


def _problems(v: Values, w: Work) -> list[Problem]:
    tool = v.tool
    found = holes.problems(v, w, _tip(v), needs_hole=tool.tip_diameter or 0.1)
    if v.diameter > tool.diameter:
        found.append(
            Problem(
                "diameter",
                f"Tool {tool.number} is {show(tool.diameter, units=w.units)} wide. Give less, or take a larger one.",
            )
        )
    elif v.diameter <= tool.tip_diameter:
        found.append(
            Problem(
                "diameter",
                f"The tip of tool {tool.number} is {show(tool.tip_diameter, units=w.units)} wide already. Give more.",
            )
        )
    return found  # fmt: skip


def _plan(v: Values, w: Work) -> list[Move]:
    return holes.plunge(v, w, _tip(v))


def _marks(v: Values, w: Work) -> list[Mark]:
    return [*holes.marks(v, "diameter", v.diameter), holes.top_mark(v, v.diameter / 2)]


def _title(v: Values, units: Units) -> str:
    return holes.size_title(v, units, "bevels")


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    fitting = [t for t in w.tools.values() if t.kind in CYCLE.tool_kinds and t.tip_diameter < v.diameter <= t.diameter]
    best = min(fitting, key=lambda t: (t.kind != "countersink", t.diameter), default=None)
    return Suggestion(str(best.number), f"{best.name}: the smallest whose cone is wide enough") if best else None


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    number = pick.choice(tuple(str(t.number) for t in w.tools.values() if t.kind in CYCLE.tool_kinds))
    tool = w.tools[int(number)]
    wide = pick.number(tool.tip_diameter + 0.5, tool.diameter)
    return {**holes.sample_place(pick, w), **holes.sample_entry(pick), "diameter": str(wide), "tool": number}


CYCLE = Cycle(
    id="countersink",
    on_surfaces=AND_UNROLLED,
    rank=45,
    name="Countersink",
    words=("countersink", "chamfer", "bevel", "deburr", "cone"),
    summary="Bevel the edges of holes",
    tool_kinds=("countersink", "spot-drill"),
    fields=(
        *holes.PLACE_FIELDS,
        Field("diameter", "Bevel diameter", "Size", Kind.LENGTH, "What is the diameter of the bevel at the top?", limits=SIZE, stand_in=9.0),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which countersink is used?", suggest=_suggest_tool),
        holes.dwell_field("0.2"),
        *speed_fields(),
        *holes.ENTRY_FIELDS,
    ),
    pictogram=(("frame", 0.08, 0.15, 0.84, 0.7), ("ring", 0.26, 0.26, 0.48, 0.48), ("dot", 0.38, 0.38, 0.24, 0.24)),
    problems=_problems,
    removals=_removals,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
)  # fmt: skip
