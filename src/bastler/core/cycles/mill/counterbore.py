"""Counterbore: a flat seat for a screw's head over holes that are there, plunged with a cutter of its size."""

from __future__ import annotations

from bastler.core.cycles import holes
from bastler.core.cycles.base import AND_UNROLLED, SIZE, Cycle, Pick, speed_fields
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.shapes import Removal
from bastler.core.geometry.underside import Profile
from bastler.core.marks import Mark
from bastler.core.moves import Move
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, show
from bastler.core.threads.threadsizes import screws


def _tip(v: Values) -> float:
    return float(v.top - v.depth)


def _profile(v: Values) -> Profile:
    tool = v.get("tool")
    return tool.profile if tool else Profile(v.diameter / 2, v.diameter / 2)


def _removals(v: Values, w: Work) -> tuple[Removal, ...]:
    return holes.bores(v, _profile(v), _tip(v))


def _problems(v: Values, w: Work) -> list[Problem]:
    tool, size = v.tool, show(v.diameter, units=w.units)
    found = holes.problems(v, w, _tip(v), needs_hole=0.0 if tool.plunges else 0.3 * v.diameter)
    if abs(tool.diameter - v.diameter) > holes.SAME_SIZE_MM:
        found.append(
            Problem(
                "tool",
                f"Tool {tool.number} is {show(tool.diameter, units=w.units)} wide; the seat is {size}. Choose a mill {size}, or mill it as a round pocket.",
            )
        )
    if v.depth > tool.flute_length:
        found.append(
            Problem("depth", f"Tool {tool.number} cuts {show(tool.flute_length, units=w.units)} deep at most.")
        )
    return found  # fmt: skip


def _plan(v: Values, w: Work) -> list[Move]:
    return holes.plunge(v, w, _tip(v))


def _marks(v: Values, w: Work) -> list[Mark]:
    return holes.sized_marks(v, _tip(v))


def _title(v: Values, units: Units) -> str:
    return holes.count_title(
        v, v.screw if v.get("screw") else f"Ø{show(v.diameter, units=units)}" if v.get("diameter") else "seats"
    )


def _suggest_diameter(v: Values, _: Work) -> Suggestion | None:
    screw = screws().get(v.get("screw", ""))
    return Suggestion(show(screw.head_diameter), f"for the head of {screw.name}, DIN 974-1") if screw else None


def _suggest_depth(v: Values, _: Work) -> Suggestion | None:
    screw = screws().get(v.get("screw", ""))
    return Suggestion(show(screw.head_depth), f"the head of {screw.name} lies below the surface") if screw else None


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    fitting = [t for t in holes.of_size(v, w, CYCLE.tool_kinds) if t.flute_length >= v.depth]
    best = min(fitting, key=lambda t: (t.corner_radius, not t.plunges), default=None)
    return Suggestion(str(best.number), f"{best.name}: as wide as the seat") if best else None


def _suggest_feed_dwell(_: Values, __: Work) -> Suggestion:
    return Suggestion("0.3", "a turn or two make the seat flat")


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    number = pick.choice(tuple(str(t.number) for t in w.tools.values() if t.kind in CYCLE.tool_kinds and t.plunges))
    tool = w.tools[int(number)]
    depth = pick.number(tool.corner_radius + 0.5, min(tool.flute_length, 9.0))
    return {
        **holes.sample_place(pick, w),
        **holes.sample_entry(pick),
        "diameter": str(tool.diameter),
        "depth": str(depth),
        "tool": number,
    }


CYCLE = Cycle(
    id="counterbore",
    on_surfaces=AND_UNROLLED,
    rank=50,
    name="Counterbore",
    words=("counterbore", "seat", "screw", "head", "spotface"),
    summary="Flat seats for screw heads",
    tool_kinds=("end-mill",),
    fields=(
        *holes.PLACE_FIELDS,
        Field("screw", "Screw", "Size", Kind.CHOICE, "What socket head screw is the seat for, if for one?", "", choices=(("", "Own size"), *((s, s) for s in screws())), optional=True),
        Field("diameter", "Seat diameter", "Size", Kind.LENGTH, "What is the diameter of the seat?", suggest=_suggest_diameter, limits=SIZE, stand_in=11.0),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep is the seat below the top?", suggest=_suggest_depth, limits=SIZE, stand_in=6.0),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which mill is used?", suggest=_suggest_tool),
        Field("dwell", "Dwell", "Cut", Kind.TIME, "How long does it stay at the bottom?", suggest=_suggest_feed_dwell, limits=Limits(0, 60)),
        *speed_fields(plunging=True),
        *holes.ENTRY_FIELDS,
    ),
    pictogram=(("frame", 0.08, 0.15, 0.84, 0.7), ("ring", 0.24, 0.24, 0.52, 0.52), ("fill", 0.36, 0.36, 0.28, 0.28)),
    problems=_problems,
    removals=_removals,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
)  # fmt: skip
