"""Spot: small cones that guide a drill, with a spot drill or a centre drill; by depth or by the cone's diameter."""

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

DRAWN_CONE = Profile(4.0, slope=slope_of(90.0))


def _profile(v: Values) -> Profile:
    tool = v.get("tool")
    return tool.profile if tool else DRAWN_CONE


def _tip(v: Values) -> float:
    below = _profile(v).height(v.diameter / 2) if v.get("by", "diameter") == "diameter" else v.depth
    return float(v.top - below)


def _removals(v: Values, w: Work) -> tuple[Removal, ...]:
    return holes.bores(v, _profile(v), _tip(v))


def _problems(v: Values, w: Work) -> list[Problem]:
    tool, found = v.tool, holes.problems(v, w, _tip(v))
    if v.by == "diameter" and v.diameter > tool.diameter:
        found.append(
            Problem(
                "diameter",
                f"Tool {tool.number} makes cones up to {show(tool.diameter, units=w.units)}. Give less, or take a larger one.",
            )
        )
    if v.by == "depth" and v.depth > tool.flute_length:
        found.append(
            Problem("depth", f"Tool {tool.number} cuts {show(tool.flute_length, units=w.units)} deep at most.")
        )
    return found  # fmt: skip


def _plan(v: Values, w: Work) -> list[Move]:
    return holes.plunge(v, w, _tip(v))


def _marks(v: Values, w: Work) -> list[Mark]:
    if v.get("by", "diameter") == "diameter":
        return [*holes.marks(v, "diameter", v.diameter), holes.top_mark(v, v.diameter / 2)]
    reach = _profile(v).radius_at(v.depth)
    seen = [m for m in holes.marks(v, "diameter", 2 * reach) if getattr(m, "field", "") != "diameter"]
    return [*seen, *holes.depth_marks(v, "depth", reach, _tip(v))]


def _title(v: Values, units: Units) -> str:
    return holes.size_title(v, units, "cones")


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    wide = v.get("diameter", 0.0)
    fitting = [t for t in w.tools.values() if t.kind in CYCLE.tool_kinds and t.diameter >= wide]
    best = min(fitting, key=lambda t: (t.kind != "spot-drill", t.diameter), default=None)
    return Suggestion(str(best.number), f"{best.name}: the smallest whose cone is wide enough") if best else None


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    number = pick.choice(tuple(str(t.number) for t in w.tools.values() if t.kind in CYCLE.tool_kinds))
    tool = w.tools[int(number)]
    by = pick.choice(("diameter", "depth"))
    size = (
        {"diameter": str(pick.number(0.4 * tool.diameter, tool.diameter))}
        if by == "diameter"
        else {"depth": str(pick.number(0.5, 3.0))}
    )
    return {
        **holes.sample_place(pick, w),
        **holes.sample_entry(pick),
        "by": by,
        **size,
        "tool": number,
        "dwell": pick.choice(("0", "0.3")),
    }


CYCLE = Cycle(
    id="spot",
    on_surfaces=AND_UNROLLED,
    rank=35,
    name="Spot",
    words=("spot", "centre", "center", "mark", "holes", "cone"),
    summary="Small cones that guide a drill",
    tool_kinds=("spot-drill", "centre-drill"),
    fields=(
        *holes.PLACE_FIELDS,
        Field("by", "Given by", "Size", Kind.CHOICE, "Is the cone's diameter given, or its depth?", "diameter", choices=(("diameter", "Diameter"), ("depth", "Depth"))),
        Field("diameter", "Cone diameter", "Size", Kind.LENGTH, "What is the diameter of the cone at the top?", limits=SIZE, stand_in=6.0, shown=lambda v: bool(v.by == "diameter")),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep does the point go below the top?", limits=SIZE, stand_in=3.0, shown=lambda v: bool(v.by == "depth")),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which spot drill or centre drill is used?", suggest=_suggest_tool),
        holes.dwell_field("0.2"),
        *speed_fields(),
        *holes.ENTRY_FIELDS,
    ),
    pictogram=(("frame", 0.08, 0.15, 0.84, 0.7), ("ring", 0.3, 0.3, 0.4, 0.4), ("dot", 0.45, 0.45, 0.1, 0.1)),
    problems=_problems,
    removals=_removals,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
)  # fmt: skip
