"""Hole on the axis: spotted, drilled with pecks, reamed or tapped, by the tool that is taken."""

from __future__ import annotations

import math

import shapely

from bastler.core.cycles.base import Cycle, Pick, SubStep
from bastler.core.cycles.lathefields import LONG, NOT_NEGATIVE, SIZE
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.halfsection import clean, clipped, volume
from bastler.core.marks import Distance, Mark
from bastler.core.moves import CuttingSpeed, Dwell, Feed, Move, Pecks, Rapid, TapCycle, TurnSpindle
from bastler.core.planning.lathe.space import edge_along
from bastler.core.planning.lathe.walk import GAP_MM
from bastler.core.planning.work import Cleared, Threaded, Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, said, show
from bastler.core.threads.threadsizes import thread_of
from bastler.core.tooling.cuttingdata import cutting_speed, feed_per_tooth

KINDS = ("spot-drill", "centre-drill", "drill", "insert-drill", "reamer", "tap")
PECK_SHARE = 1.0
CLEAR_MM = 1.0
SLICE_MM = 0.05


def _taps(v: Values) -> bool:
    return bool(v.get("tool") is not None and v.tool.kind == "tap")


def tip_z(v: Values) -> float:
    """Z of the tool's tip at the bottom."""
    lower = v.tool.tip_length if v.get("measured", "tip") == "full" else 0.0
    return float(v.start_z - v.depth - lower)


def _clears(v: Values, w: Work) -> tuple[Cleared, ...]:
    z = tip_z(v)
    if _taps(v):
        r = v.tool.diameter / 2
        end = z + v.tool.tip_length
        depth = v.tool.radius - v.tool.profile.flat
        return (
            Cleared(
                shapely.Polygon(),
                "",
                Threaded((v.start_z, r - depth), (end, r - depth), depth, v.tool.pitch, v.tool.thread or v.tool.name),
            ),
        )
    passed = edge_along(v.tool.in_plane, [(w.lathe.away[0], 0.0), (z, 0.0)])
    return (Cleared(clean(shapely.intersection(w.lathe.stock, passed))),)


def _problems(v: Values, w: Work) -> list[Problem]:
    tool, found = v.tool, list[Problem]()

    def mm(value: float) -> str:
        return show(value, units=w.units)

    name = f"Tool {tool.number} ({tool.name})"
    if w.lathe.stock.is_empty:
        return [Problem("start_z", "There is no metal left here.")]
    deep = float(w.lathe.stock.bounds[2]) - tip_z(v)
    if tool.clogs and deep > tool.flute_length and tool.kind != "tap":
        found.append(
            Problem(
                "depth",
                f"{name} has flutes of {mm(tool.flute_length)}; the hole is {mm(deep)} deep: chips can't get out. Take a longer drill.",
            )
        )
    if deep > tool.stick_out:
        found.append(
            Problem("depth", f"{name} stands out {mm(tool.stick_out)}; the hole is {mm(deep)} deep. Clamp it longer.")
        )
    if tool.diameter / 2 >= w.lathe.stock.bounds[3]:
        found.append(Problem("tool", f"{name} is as thick as the bar or thicker. Take a smaller one."))
    if _taps(v):
        return found + _tap_problems(v, w)
    if not found and volume(_clears(v, w)[0].area) < 0.05:
        found.append(Problem("depth", f"There is no metal left for {name} here. Check the depth.", blocks=False))
    return found


def _tap_problems(v: Values, w: Work) -> list[Problem]:
    tool, z = v.tool, tip_z(v)
    core = tool.profile.flat
    metal = shapely.intersection(w.lathe.stock, shapely.box(z, 0.0, v.start_z, core - 0.02))
    if metal.area > 0.05 and metal.bounds[3] > 0:
        at = show(float(metal.bounds[2]), units=w.units, digits=2)
        text = f"The point of tool {tool.number} would run into metal at Z {at}. Drill deeper, or wider, before."
        return [Problem("depth", text)]
    return _misfit(v, w)


def _misfit(v: Values, w: Work) -> list[Problem]:
    """Whether the hole that is there is too narrow or too wide for the thread."""
    tool, full = v.tool, tip_z(v) + v.tool.tip_length
    thread = thread_of(tool.diameter, tool.pitch)
    around = clipped(w.lathe.stock, full, 0.0, v.start_z, 1e4)
    if around.is_empty:
        return []
    narrow = 2 * float(around.bounds[1])
    at_end = clipped(w.lathe.stock, full, 0.0, full + SLICE_MM, 1e4)
    wide = 2 * float(at_end.bounds[1]) if not at_end.is_empty else narrow
    hole = narrow if thread.misfit(narrow, tool.forming) == "narrow" else wide
    if not (word := thread.misfit(hole, tool.forming)):
        return []
    drill = show(thread.drill_for(tool.forming), units=w.units)
    text = f"The hole is {show(hole, units=w.units)}, too {word} for {thread.name}: drill {drill}."
    return [Problem("tool", text, blocks=False, finding="thread-hole")]


def _plan(v: Values, w: Work) -> list[Move]:
    tool, front, bottom = v.tool, w.lathe.away[0], tip_z(v)
    start = min(front, float(w.lathe.stock.bounds[2]) + CLEAR_MM)
    moves: list[Move] = [
        CuttingSpeed(0.0, v.speed),
        Rapid(w.lathe.away[1] + GAP_MM, None, front + GAP_MM),
        Rapid(0.0),
        Rapid(None, None, start),
    ]
    if _taps(v) and v.get("holder", "rigid") == "rigid":
        return [*moves, TapCycle(bottom, tool.pitch, v.speed), Rapid(None, None, front + GAP_MM)]
    if _taps(v):
        moves += [
            _tapped(v, bottom),
            TurnSpindle("right" if tool.left_hand else "left"),
            _tapped(v, start),
            TurnSpindle("left" if tool.left_hand else "right"),
        ]
        return [*moves, Rapid(None, None, front + GAP_MM)]
    peck = v.get("peck", 0.0) or 0.0
    depths = (
        Pecks(retract=True, first=peck, less=v.get("peck_less", 0.0) or 0.0, smallest=0.3 * peck).depths(
            start - CLEAR_MM, bottom
        )
        if peck > 0
        else [bottom]
    )
    last = start
    for z in depths:
        if last < start:
            moves += [Rapid(None, None, start), Rapid(None, None, last + 0.5)]
        moves.append(Feed(None, None, z, v.feed))
        last = z
    if v.get("dwell", 0.0):
        moves.append(Dwell(v.dwell))
    if tool.kind == "reamer":
        moves.append(Feed(None, None, start, v.feed))
    return [*moves, Rapid(None, None, front + GAP_MM)]


def _tapped(v: Values, z: float) -> Move:
    """The way of a tap in a floating holder to a depth: fed a little less than its pitch, which the holder makes up for."""
    return Feed(None, None, z, v.tool.pitch * v.feed_share / 100)


def _marks(v: Values, w: Work) -> list[Mark]:
    z, d = v.get("start_z", 0.0), v.get("depth", 20.0)
    return [Distance("depth", (z, 0.0), (z - d, 0.0), 0.0, "section")]


def _title(v: Values, units: Units) -> str:
    tool = v.get("tool")
    if tool is None:
        return f"{show(v.get('depth', 0.0), units=units)} deep"
    word = {"tap": tool.thread or "tapped", "reamer": "reamed"}.get(tool.kind, f"Ø{show(tool.diameter, units=units)}")
    return f"{word}, {show(v.get('depth', 0.0), units=units)} deep"


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    tools = [t for kind in ("drill", "insert-drill") for t in w.tools.values() if t.kind == kind]
    long = [t for t in tools if t.flute_length >= v.get("depth", 0.0)] or tools
    return Suggestion(str(long[0].number), long[0].name) if long else None


def _suggest_speed(v: Values, w: Work) -> Suggestion:
    n = 1000 * cutting_speed(v.tool, w.material) / (math.pi * v.tool.diameter)
    n = min(n, w.lathe.limit)
    if v.tool.kind == "tap":
        n = min(n, 0.5 * w.machine.feed_limit / v.tool.pitch)
    return Suggestion(
        show(max(round(n, -1), 10.0), digits=0),
        f"{said(cutting_speed(v.tool, w.material), Kind.CUTTING_SPEED, w.units, 0)} in {w.material.name}",
    )


def _suggest_feed(v: Values, w: Work) -> Suggestion:
    return Suggestion(show(round(feed_per_tooth(v.tool, w.material) * v.tool.flutes, 3)), "by the drill's diameter")


def _suggest_holder(_: Values, w: Work) -> Suggestion:
    if not w.machine.spindle.encoder:
        return Suggestion("floating", "the machine has no spindle encoder")
    return Suggestion("rigid", "the usual one")


def _suggest_peck(v: Values, w: Work) -> Suggestion:
    deep = v.depth > 3 * v.tool.diameter
    return Suggestion(
        show(round(PECK_SHARE * v.tool.diameter, 1)) if deep and v.tool.kind == "drill" else "0",
        "a diameter each, for it is deep" if deep else "shallow enough without",
    )


def _not_tap(v: Values) -> bool:
    return not _taps(v)


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    kinds = pick.choice(("drill", "drill", "spot-drill", "tap"))
    tools = [t for t in w.tools.values() if t.kind == kinds and t.diameter / 2 < w.lathe.stock.bounds[3]]
    tool = next(t for t in tools if str(t.number) == pick.choice(tuple(str(t.number) for t in tools)) or t is tools[-1])
    deep = {"spot-drill": 3.0, "tap": 20.0}.get(kinds, 45.0)
    return {
        "start_z": str(w.lathe.stock.bounds[2]), "depth": str(pick.number(0.3 * deep, deep)), "tool": str(tool.number),
        "measured": pick.choice(("tip", "full")), "peck": pick.choice(("0", "6")), "peck_less": pick.choice(("0", "1")), "holder": pick.choice(("rigid", "floating")), "dwell": pick.choice(("0", "0.3")),
    }  # fmt: skip


def _sample_before(typed: dict[str, str], w: Work) -> tuple[SubStep, ...]:
    tool = w.tools[int(typed["tool"])]
    if tool.kind != "tap" or w.lathe.stock.bounds[1] > 0:
        return ()
    drill = next(t for t in w.tools.values() if t.kind == "drill" and tool.profile.flat <= t.radius < tool.radius)
    return (
        SubStep(
            "axis_hole",
            "",
            "tool",
            {
                "start_z": typed["start_z"],
                "depth": str(float(typed["depth"]) + 12.0),
                "tool": str(drill.number),
                "measured": "full",
            },
        ),
    )


CYCLE = Cycle(
    id="axis_hole",
    rank=30,
    name="Axis hole",
    words=("drill", "hole", "spot", "centre", "ream", "tap", "bore"),
    summary="Spot, drill, ream or tap on the axis",
    tool_kinds=KINDS,
    fields=(
        Field("start_z", "Starts at Z", "Place", Kind.LENGTH, "At what Z is the face that it is cut into?", "0", LONG),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep is the hole?", limits=SIZE, stand_in=20.0),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which drill, reamer or tap is used?", suggest=_suggest_tool),
        Field("measured", "Measured to", "Size", Kind.CHOICE, "Is the depth measured to the point or to the full diameter?", "tip", choices=(("tip", "The tip"), ("full", "The full diameter"))),
        Field("speed", "Spindle speed", "Cut", Kind.SPINDLE, "What is the spindle speed?", suggest=_suggest_speed, limits=Limits(0, 100_000, low_open=True)),
        Field("feed", "Feed per turn", "Cut", Kind.FEED_PER_REV, "How far does it feed per turn?", suggest=_suggest_feed, limits=Limits(0, 10, low_open=True), shown=_not_tap),
        Field("peck", "Peck", "Cut", Kind.LENGTH, "After what depth does it come out (0: not at all)?", suggest=_suggest_peck, limits=NOT_NEGATIVE, shown=_not_tap),
        Field("peck_less", "Each peck less by", "Cut", Kind.LENGTH, "How much shorter is each peck?", "0", NOT_NEGATIVE, shown=lambda v: _not_tap(v) and bool(v.peck > 0)),
        Field("holder", "Tap held", "Cut", Kind.CHOICE, "Is the tap held rigidly, or in a floating holder?", suggest=_suggest_holder, choices=(("rigid", "Rigid"), ("floating", "Floating")), shown=_taps),
        Field("feed_share", "Feed of the pitch", "Cut", Kind.PERCENT, "What share of the pitch is fed per turn (the floating holder takes up the rest)?", "95", Limits(50, 110), shown=lambda v: _taps(v) and v.holder == "floating"),
        Field("dwell", "Dwell", "Cut", Kind.TIME, "How long does it stay at the bottom?", "0", Limits(0, 60), shown=_not_tap),
    ),
    pictogram=(("frame", 0.1, 0.15, 0.75, 0.7), ("frame", 0.45, 0.4, 0.4, 0.2)),
    problems=_problems,
    clears=_clears,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
    sample_before=_sample_before,
)  # fmt: skip
