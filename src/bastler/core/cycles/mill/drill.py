"""Drill: holes on a pattern; straight, pecked or with chips broken; deep ones with a slower start in a pilot.

Depth counts to the full diameter, to the point of the drill, or through the stock.
"""

from __future__ import annotations

import math

from bastler.core.cycles import holes
from bastler.core.cycles.base import AND_UNROLLED, NOT_NEGATIVE, SIZE, Cycle, Pick, speed_fields
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.shapes import Removal
from bastler.core.geometry.underside import Profile, slope_of
from bastler.core.marks import Distance, Mark
from bastler.core.moves import Drill, Move, Pecks
from bastler.core.planning.patterns import positions
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, show

DEEP_DIAMETERS = 4.0
DRAWN_POINT_DEG, SAME_MM = 118.0, 0.01
OUT = ("through", "bore")
"""Depths that lead out of the metal. The second one only a turned part has (:func:`bastler.core.cycles.surfacing.surfaced`)."""


def _profile(v: Values) -> Profile:
    tool = v.get("tool")
    return tool.profile if tool else Profile(v.diameter / 2, slope=slope_of(DRAWN_POINT_DEG))


def _full_z(v: Values, w: Work) -> float:
    """Z down to which the hole has its full diameter."""
    kind = v.get("depth_to", "full")
    if kind == "through":
        return w.block.z0 - float(v.get("break_through", 1.0))
    if kind == "bore":
        return min(_wall_z(v, w), float(v.top)) - float(v.get("break_through", 1.0))
    return float(v.top - v.depth + (_profile(v).tip_length if kind == "tip" else 0.0))


def _wall_z(v: Values, w: Work) -> float:
    """Z of the surface at which the whole hole is in the bore of a turned part; infinite where there is none under each hole."""
    if w.surface is None or w.surface.on == "end":
        return math.inf
    from bastler.core.geometry.halfsection import bore_between

    radius = v.diameter / 2
    along = {x for x, _ in positions(v)}
    bores = [bore_between(w.lathe.stock, x - radius, x + radius) for x in along]
    if min(bores, default=0.0) <= radius:
        return math.inf
    return math.sqrt(min(bores) ** 2 - radius**2) - w.surface.distance


def _tip(v: Values, w: Work) -> float:
    return _full_z(v, w) - _profile(v).tip_length


def _removals(v: Values, w: Work) -> tuple[Removal, ...]:
    return holes.bores(v, _profile(v), _tip(v, w))


def _problems(v: Values, w: Work) -> list[Problem]:
    tool = v.tool
    found = holes.problems(v, w, _tip(v, w))
    found += holes.size_problems(v, w, "drill")
    deep = v.top - _tip(v, w)
    if v.peck == "none" and deep > DEEP_DIAMETERS * tool.diameter:
        found.append(
            Problem(
                "peck",
                f"{show(deep / tool.diameter, digits=1)} diameters deep in one go: chips may jam. Peck, or break chips.",
                blocks=False,
            )
        )
    found += _about_the_bore(v, w)
    if v.slow_depth > deep:
        found.append(
            Problem("slow_depth", f"The hole is only {show(deep, units=w.units)} deep. Give a shorter slow start.")
        )
    return found


def _about_the_bore(v: Values, w: Work) -> list[Problem]:
    wall, kind = _wall_z(v, w), v.get("depth_to")
    if kind == "bore" and wall == math.inf:
        text = "There is no bore under each of the holes that is wider than they are. Give a depth, or drill through."
        return [Problem("depth_to", text)]
    if kind in ("full", "tip") and math.inf > wall > _tip(v, w) + SAME_MM:
        text = "It comes out into the bore. If that is meant, choose “Into the bore”."
        return [Problem("depth_to", text, blocks=False)]
    return []


def _plan(v: Values, w: Work) -> list[Move]:
    way = holes.way(v, w)
    pecks = None
    if v.peck != "none":
        pecks = Pecks(
            v.peck == "retract", v.first_peck, v.next_peck, v.get("peck_less", 0.0), v.get("smallest_peck", 0.0)
        )
    slow = v.slow_depth + (way.start - v.top) if v.slow_depth > 0 else 0.0
    drilling = Drill(
        points=way.points, start=way.start, bottom=_tip(v, w), feed=v.feed, back=way.back, dwell_s=v.dwell, pecks=pecks,
        slow_depth=slow, slow_feed=v.feed * v.get("slow_share", 100.0) / 100,
    )  # fmt: skip
    return holes.enclosed(way, w, drilling)


def _marks(v: Values, w: Work) -> list[Mark]:
    full, marks = _full_z(v, w), holes.marks(v, "diameter", v.diameter)
    if v.get("depth_to", "full") in OUT:
        x = positions(v)[0][0] if positions(v) else 0.0
        return [
            *marks,
            Distance("break_through", (x, full + v.get("break_through", 1.0)), (x, full), 90.0, "section"),
            holes.top_mark(v, v.diameter / 2),
        ]
    tip = 0.0 if v.get("depth_to", "full") == "full" else _profile(v).tip_length
    return [*marks, *holes.depth_marks(v, "depth", v.diameter / 2, full - tip)]


def _title(v: Values, units: Units) -> str:
    return holes.size_title(v, units, "holes")


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    return holes.suggest_of_size(v, w, CYCLE.tool_kinds, "the drill of this size")


def _suggest_peck(v: Values, w: Work) -> Suggestion:
    deep = v.top - _tip(v, w)
    if deep > DEEP_DIAMETERS * v.diameter:
        return Suggestion("retract", f"{show(deep / v.diameter, digits=1)} diameters deep")
    return Suggestion("none", f"only {show(deep / v.diameter, digits=1)} diameters deep")


def _suggest_first_peck(v: Values, w: Work) -> Suggestion:
    return Suggestion(show(v.diameter, digits=1), "one diameter")


def _suggest_next_peck(v: Values, _: Work) -> Suggestion:
    return Suggestion(show(v.first_peck), "like the first")


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    number = pick.choice(tuple(str(t.number) for t in w.tools.values() if t.kind == "drill"))
    tool, b = w.tools[int(number)], w.block
    typed = {
        **holes.sample_place(pick, w), **holes.sample_entry(pick), "diameter": str(tool.diameter), "tool": number,
        "peck": pick.choice(("none", "retract", "chip")), "dwell": pick.choice(("0", "0.5")),
    }  # fmt: skip
    if typed["peck"] != "none":
        typed |= {
            "first_peck": str(pick.number(1.0, 8.0)),
            "peck_less": pick.choice(("0", "0.5")),
            "smallest_peck": "0.8",
        }
        if pick.choice(("like first", "own")) == "own":
            typed["next_peck"] = str(pick.number(0.8, 6.0))
    room = min(tool.flute_length, b.z1 - b.z0) - tool.tip_length
    depth_to = pick.choice(("full", "tip", "through"))
    if depth_to == "through" and b.z1 - b.z0 + 1.0 + tool.tip_length > tool.flute_length:
        depth_to = "full"
    typed["depth_to"] = depth_to
    if depth_to == "through":
        typed["break_through"] = str(pick.number(0, 1.0))
    else:
        typed["depth"] = str(pick.number(tool.tip_length + 0.5, max(room, tool.tip_length + 1.0)))
        typed["slow_depth"] = pick.choice(("0", "0.5"))
    return typed


def _pecked(v: Values) -> bool:
    return bool(v.peck != "none")


CYCLE = Cycle(
    id="drill",
    on_surfaces=AND_UNROLLED,
    rank=40,
    name="Drill",
    words=("drill", "hole", "holes", "bolt", "circle", "grid", "deep"),
    summary="Drill holes on a pattern",
    tool_kinds=("drill", "insert-drill"),
    fields=(
        *holes.PLACE_FIELDS,
        Field("diameter", "Diameter", "Size", Kind.LENGTH, "What diameter do the holes have?", limits=SIZE, stand_in=8.0),
        Field("depth_to", "Depth to", "Size", Kind.CHOICE, "Is the depth to the full diameter, to the drill's point, or through?", "full",
              choices=(("full", "Full diameter"), ("tip", "Point"), ("through", "Through"))),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep are the holes below their top?", limits=SIZE, stand_in=10.0, shown=lambda v: v.depth_to not in OUT),
        Field("break_through", "Break-through", "Size", Kind.LENGTH, "How far does the full diameter come out below?", "1", NOT_NEGATIVE, stand_in=1.0,
              shown=lambda v: v.depth_to in OUT),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which drill is used?", suggest=_suggest_tool),
        Field("peck", "Peck", "Cut", Kind.CHOICE, "Does it come out to clear the chips, only break them, or neither?", suggest=_suggest_peck,
              choices=(("none", "None"), ("retract", "Full retract"), ("chip", "Break chips"))),
        Field("first_peck", "First peck", "Cut", Kind.LENGTH, "How deep is the first peck?", suggest=_suggest_first_peck, limits=Limits(0.05, 1000), shown=_pecked),
        Field("next_peck", "Then", "Cut", Kind.LENGTH, "How deep are the pecks after the first?", suggest=_suggest_next_peck, limits=Limits(0.05, 1000), shown=_pecked),
        Field("peck_less", "Each peck less by", "Cut", Kind.LENGTH, "How much smaller is each peck than the one before?", "0", NOT_NEGATIVE, shown=_pecked),
        Field("smallest_peck", "Smallest peck", "Cut", Kind.LENGTH, "How small may a peck become?", "1", Limits(0.05, 1000), shown=lambda v: _pecked(v) and bool(v.peck_less > 0)),
        holes.dwell_field("0"),
        *speed_fields(),
        Field("slow_depth", "Slow start", "Entry", Kind.LENGTH, "Down to which depth does it start slowly (0: no slow start)?", "0", NOT_NEGATIVE),
        Field("slow_share", "Slow feed", "Entry", Kind.PERCENT, "At what share of the feed does it start slowly?", "40", Limits(5, 100), shown=lambda v: bool(v.slow_depth > 0)),
        *holes.ENTRY_FIELDS,
    ),
    pictogram=(("frame", 0.08, 0.15, 0.84, 0.7), ("dot", 0.3, 0.35, 0.16, 0.16), ("dot", 0.56, 0.35, 0.16, 0.16), ("dot", 0.3, 0.58, 0.16, 0.16), ("dot", 0.56, 0.58, 0.16, 0.16)),
    problems=_problems,
    removals=_removals,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
)  # fmt: skip
