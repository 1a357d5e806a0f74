"""Flats: evenly round a turned part, at a distance from its axis, over a length.

*Across*: by a Y axis in strips to and fro across the flat, up to a square shoulder behind. *Along*: in one strip along the axis, by a tool as wide as the flat.
"""

from __future__ import annotations

import math

from bastler.core.cycles import pocketing
from bastler.core.cycles.base import (
    FEED_LIMITS,
    LONG,
    MOST_PASSES,
    PASS,
    SIZE,
    Cycle,
    Pick,
    machine_problems,
    speed_fields,
)
from bastler.core.cycles.loading import speed_for
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.shapes import Prism, Removal
from bastler.core.marks import Distance, Mark
from bastler.core.moves import Feed, Move, Rapid
from bastler.core.planning.passes import levels
from bastler.core.planning.work import ABOVE_METAL_MM, Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, show
from bastler.core.tooling.cutting import best_cut, cut_at, rounded_down
from bastler.core.tooling.feeds import said_feed

RUN_OUT_MM = 1.0
"""So far the tool's edge leaves the metal at each end of a strip."""
SAME_MM = 1e-6
USUAL_STEP = 0.6
MOST_FLATS = 24


def _distance(v: Values, w: Work) -> float:
    if w.surface is not None:
        return w.surface.distance
    return float(v.get("from_axis") or 0.0)


def _half(v: Values, w: Work, z: float = 0.0) -> float:
    """Half as wide as the part is at a height over the flat, mm."""
    radius = w.block.y1
    return math.sqrt(max(radius * radius - (_distance(v, w) + z) ** 2, 0.0))


def _ends(v: Values, w: Work) -> tuple[float, float]:
    """Where the flat begins at the back, and ends in front."""
    return v.front - v.length, v.front


def _open(v: Values, w: Work) -> bool:
    """Whether there is nothing in front of it."""
    return bool(v.front >= w.block.x1 - SAME_MM)


def _across(v: Values) -> bool:
    return bool(v.get("strips", "across") == "across")


def _step(v: Values) -> float:
    """How wide a strip is, mm."""
    return float(min(v.side_step, v.tool.diameter) if _across(v) else v.tool.diameter)


def _removals(v: Values, w: Work) -> tuple[Removal, ...]:
    tool = v.get("tool")
    radius, corner = (tool.radius, tool.corner_radius) if tool else (0.0, 0.0)
    back, front = _ends(v, w)
    ahead = front + (radius + corner + RUN_OUT_MM if _open(v, w) else 0.0)
    wide = 2 * (_half(v, w) + radius + RUN_OUT_MM) if _across(v) else 2 * radius
    rounded = 0.0 if _across(v) else radius
    return (Prism(((back + ahead) / 2, 0.0), ahead - back, wide, rounded, 0.0, 0.0, corner),)


def _problems(v: Values, w: Work) -> list[Problem]:
    found, tool = machine_problems(v, w), v.tool
    wide, top = 2 * _half(v, w), w.top_over(w.block.bounds)
    name = f"Tool {tool.number} ({show(tool.diameter, units=w.units)})"
    if wide <= 0:
        text = f"The part is {show(w.block.y1, units=w.units)} from its axis at most: there is nothing to cut. Go nearer to the axis."
        found.append(Problem("from_axis", text))
    if _across(v) and w.machine.axis("Y") is None:
        text = f"Across a flat only a Y axis goes, and {w.machine.name} has none. Cut along the axis, with a tool of {show(wide, units=w.units, digits=1)} or more."
        found.append(Problem("strips", text))
    if not _across(v) and 2 * tool.flat_radius < wide - SAME_MM:
        remedy = "cut across" if w.machine.axis("Y") is not None else "take a machine with a Y axis, which cuts across"
        text = (
            f"{name} is narrower than the flat, {show(wide, units=w.units, digits=2)}. Take a wider one, or {remedy}."
        )
        found.append(Problem("tool", text))
    if not _open(v, w) and v.length < tool.diameter - SAME_MM:
        text = f"{name} is wider than the flat is long, and there is metal in front of it. Take a narrower one, or make it longer."
        found.append(Problem("tool", text))
    if top > min(tool.flute_length, tool.stick_out) + SAME_MM:
        text = f"The flat is {show(top, units=w.units, digits=2)} deep in its middle; {name} reaches {show(min(tool.flute_length, tool.stick_out), units=w.units)}. Take a longer one."
        found.append(Problem("tool", text))
    if v.length / _step(v) * top / v.depth_per_pass > MOST_PASSES:
        found.append(Problem("side_step", "That are too many passes. Make the steps larger."))
    return found


def _plan(v: Values, w: Work) -> list[Move]:
    top = w.top_over(w.block.bounds)
    strips = _strips(v, w) if _across(v) else []
    moves: list[Move] = []
    for z in levels(top, 0.0, v.depth_per_pass):
        moves += _to_and_fro(v, w, strips, z, top) if strips else _in_one(v, w, z, top)
    return [*moves, Rapid(z=w.clearance)]


def _strips(v: Values, w: Work) -> list[float]:
    """Where along the axis the tool goes across, from the front; the last one makes the shoulder."""
    back, front = _ends(v, w)
    last = back + v.tool.radius
    if _open(v, w):
        whole = front + v.tool.flat_radius - last
        count = max(math.ceil(whole / v.side_step - SAME_MM), 1)
        return [last + whole * k / count for k in range(count - 1, -1, -1)]
    first = front - v.tool.radius
    count = math.ceil((first - last) / v.side_step - SAME_MM)
    return [last + (first - last) * k / max(count, 1) for k in range(count, -1, -1)]


def _to_and_fro(v: Values, w: Work, strips: list[float], z: float, top: float) -> list[Move]:
    side = _half(v, w, z) + v.tool.radius + RUN_OUT_MM
    moves: list[Move] = [Rapid(strips[0], -side), Rapid(z=top + ABOVE_METAL_MM), Rapid(z=z)]
    for k, x in enumerate(strips):
        here = -side if k % 2 == 0 else side
        if k:
            moves.append(Feed(x, here, None, v.feed))
        moves.append(Feed(x, -here, None, v.feed))
    return [*moves, Rapid(z=top + ABOVE_METAL_MM)]


def _in_one(v: Values, w: Work, z: float, top: float) -> list[Move]:
    back, front = _ends(v, w)
    start = front + v.tool.radius + RUN_OUT_MM if _open(v, w) else front - v.tool.radius
    down: Move = Rapid(z=z) if _open(v, w) else Feed(None, None, z, v.feed / 2)
    return [
        Rapid(start, 0.0), Rapid(z=top + ABOVE_METAL_MM), down, Feed(back + v.tool.radius, 0.0, None, v.feed), Rapid(z=top + ABOVE_METAL_MM),
    ]  # fmt: skip


def _marks(v: Values, w: Work) -> list[Mark]:
    back, front = _ends(v, w)
    half, d = _half(v, w), _distance(v, w)
    return [
        Distance("length", (back, -half), (front, -half)),
        Distance("front", (0.0, -half), (front, -half)),
        Distance("from_axis", (front, -d), (front, 0.0), 90.0, "section"),
    ]


def _title(v: Values, units: Units) -> str:
    count, d = v.get("times_round"), v.get("from_axis")
    if not count or not d:
        return "flats"
    return f"{count} × {show(2 * d, units=units)} across" if count % 2 == 0 else f"{count} at {show(d, units=units)}"


def _suggest_front(_: Values, w: Work) -> Suggestion:
    return Suggestion(show(w.block.x1), "the front of the part")


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    mills = [t for t in w.tools.values() if t.kind in KINDS and t.flute_length >= w.top_over(w.block.bounds)]
    if not _open(v, w):
        mills = [t for t in mills if t.diameter <= v.length]
    best = max(mills, key=lambda t: (t.corner_radius == 0, t.diameter, -t.number), default=None)
    return Suggestion(str(best.number), f"{best.name}: the widest that reaches") if best else None


def _suggest_strips(v: Values, w: Work) -> Suggestion:
    if w.machine.axis("Y") is None:
        return Suggestion("along", "there is no Y axis")
    return Suggestion("across", "the shoulder gets square")


def _suggest_step(v: Values, _: Work) -> Suggestion:
    return Suggestion(show(rounded_down(USUAL_STEP * 2 * v.tool.flat_radius)), "six tenths of the tool")


def _suggest_depth(v: Values, w: Work) -> Suggestion:
    height = max(w.top_over(w.block.bounds), 0.1)
    width = _step(v)
    cut = best_cut(
        v.tool,
        w.material,
        w.machine,
        speed_for(v, w),
        height,
        width,
        slots=not (_across(v) and _open(v, w)),
        width=width,
    )
    depth = height / math.ceil(height / max(cut.depth, 0.05) - 1e-6)
    return Suggestion(show(rounded_down(depth) or depth, digits=3), cut.reason(w.machine, w.units))


def _suggest_feed(v: Values, w: Work) -> Suggestion:
    return said_feed(cut_at(v.tool, w.material, w.machine, v.speed, v.depth_per_pass, _step(v)), v.tool, w)


def engagement(v: Values) -> tuple[float, float]:
    """A strip as wide as the step."""
    return float(v.depth_per_pass), _step(v)


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    number = pick.choice(tuple(str(t.number) for t in w.tools.values() if t.kind in KINDS))
    tool = w.tools[int(number)]
    front = pick.choice((str(w.block.x1), str(w.block.x1 - 8)))
    return {
        "from_axis": str(pick.number(0.85, 0.97) * w.lathe.stock.bounds[3]), "times_round": pick.choice(("1", "2", "3")),
        "front": front, "length": str(pick.number(tool.diameter + 0.5, 30.0)), "tool": number, "depth_per_pass": str(pick.number(0.6, 3.0)),
        "side_step": str(pick.number(0.3, 0.9) * tool.diameter),
    }  # fmt: skip


KINDS = (*pocketing.MILLS, "face-mill")
CYCLE = Cycle(
    id="flats",
    on_surfaces=("flat",),
    rank=27,
    name="Flats",
    words=("flat", "flats", "hexagon", "square", "across", "spanner"),
    summary="Mill flats evenly round the part",
    tool_kinds=KINDS,
    fields=(
        Field("from_axis", "From the axis", "Place", Kind.LENGTH, "How far from the axis does each flat lie? Half of what a hexagon measures across.", limits=SIZE, stand_in=20.0),
        Field("times_round", "Flats", "Place", Kind.COUNT, "How many flats lie evenly round the axis?", limits=Limits(1, MOST_FLATS), stand_in=6),
        Field("front", "Front at Z", "Place", Kind.LENGTH, "At what Z does the flat begin in front?", suggest=_suggest_front, limits=LONG, stand_in=0.0),
        Field("length", "Length", "Size", Kind.LENGTH, "How long is the flat along the axis?", limits=SIZE, stand_in=15.0),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which tool cuts the flats?", suggest=_suggest_tool),
        Field("strips", "Strips", "Cut", Kind.CHOICE, "Does the tool go across the flat, or along the axis in one strip?", suggest=_suggest_strips,
              choices=(("across", "Across, by Y"), ("along", "Along the axis"))),
        Field("side_step", "Side step", "Cut", Kind.LENGTH, "How far apart are the strips?", suggest=_suggest_step, limits=PASS, shown=_across),
        Field("depth_per_pass", "Depth per pass", "Cut", Kind.LENGTH, "How deep is each pass?", suggest=_suggest_depth, limits=PASS),
        *speed_fields(feed=False),
        Field("feed", "Feed", "Cut", Kind.FEED, "How fast does the tool feed?", suggest=_suggest_feed, limits=FEED_LIMITS),
    ),
    pictogram=(("frame", 0.2, 0.2, 0.6, 0.6), ("fill", 0.2, 0.12, 0.6, 0.16)),
    problems=_problems,
    removals=_removals,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
    engagement=engagement,
)  # fmt: skip
