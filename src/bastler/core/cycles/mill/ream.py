"""Ream: bring drilled holes to their fit, in and out by feed, without turning back."""

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
from bastler.core.quantities import Kind, Units, show

LEAST_LEFT_MM, MOST_LEFT_MM = 0.05, 0.6
"""What a drill should leave for a reamer, on the diameter."""


def _profile(v: Values) -> Profile:
    tool = v.get("tool")
    return tool.profile if tool else Profile(v.diameter / 2, v.diameter / 2)


def _tip(v: Values) -> float:
    return float(v.top - v.depth)


def _removals(v: Values, w: Work) -> tuple[Removal, ...]:
    return holes.bores(v, _profile(v), _tip(v))


def _problems(v: Values, w: Work) -> list[Problem]:
    found = holes.problems(v, w, _tip(v), needs_hole=v.diameter)
    found += holes.size_problems(v, w, "reamer")
    for p in used(v):
        before = [b for b in holes.hole_before(w, p) if b.radius < v.diameter / 2]
        if not before:
            continue
        left = v.diameter - 2 * before[0].radius
        if not LEAST_LEFT_MM <= left <= MOST_LEFT_MM:
            found.append(
                Problem(
                    "diameter",
                    f"The drill left {show(left, units=w.units)} for the reamer; {show(LEAST_LEFT_MM, units=w.units)} to {show(MOST_LEFT_MM, units=w.units)} is right. Take another drill before.",
                    blocks=False,
                    finding="ream-allowance",
                )
            )
        if before[0].tip + before[0].profile.tip_length > _tip(v):
            found.append(
                Problem(
                    "depth",
                    f"The drilled hole is full only down to Z {show(before[0].tip + before[0].profile.tip_length, units=w.units)}: the reamer would run onto its bottom. Drill deeper before, or ream less deep.",
                    blocks=False,
                    finding="hole-too-shallow",
                )
            )
        break
    return found  # fmt: skip


def _plan(v: Values, w: Work) -> list[Move]:
    return holes.bored(v, w, _tip(v), "feed")


def _marks(v: Values, w: Work) -> list[Mark]:
    return holes.sized_marks(v, _tip(v))


def _title(v: Values, units: Units) -> str:
    return holes.size_title(v, units, "holes")


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    return holes.suggest_of_size(v, w, CYCLE.tool_kinds, "the reamer of this size")


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    number = pick.choice(tuple(str(t.number) for t in w.tools.values() if t.kind == "reamer"))
    tool = w.tools[int(number)]
    depth = pick.number(1.0, min(tool.flute_length, w.block.z1 - w.block.z0))
    return {**holes.sample_place(pick, w), **holes.sample_entry(pick), "diameter": str(tool.diameter), "depth": str(depth), "tool": number,
            "dwell": pick.choice(("0", "0.4"))}  # fmt: skip


CYCLE = Cycle(
    id="ream",
    on_surfaces=AND_UNROLLED,
    rank=55,
    name="Ream",
    words=("ream", "reamer", "fit", "hole", "dowel", "h7"),
    summary="Bring drilled holes to their fit",
    tool_kinds=("reamer",),
    fields=(
        *holes.PLACE_FIELDS,
        Field("diameter", "Diameter", "Size", Kind.LENGTH, "What diameter do the reamed holes have?", limits=SIZE, stand_in=8.0),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep below the top does the end of the reamer go?", limits=SIZE, stand_in=10.0),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which reamer is used?", suggest=_suggest_tool),
        holes.dwell_field("0"),
        *speed_fields(),
        *holes.ENTRY_FIELDS,
    ),
    pictogram=(("frame", 0.08, 0.15, 0.84, 0.7), ("ring", 0.28, 0.28, 0.44, 0.44), ("dot", 0.33, 0.33, 0.34, 0.34)),
    problems=_problems,
    removals=_removals,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
)  # fmt: skip
