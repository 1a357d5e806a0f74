"""Thread mill: threads in drilled holes by a helix, right- or left-hand, blind down to the ground.

The mill goes down in the middle of the hole, runs onto the wall over half a turn, once round while it climbs (or
sinks) by one pitch, and back to the middle; a longer thread than the mill is done in several rounds, whole pitches
apart. The check cuts with the mill's core: threads are finer than its cells.
"""

from __future__ import annotations

import math

from bastler.core.cycles import holes
from bastler.core.cycles.base import AND_UNROLLED, SIZE, Cycle, Pick, SubStep, climbs, speed_fields
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.marks import Mark
from bastler.core.moves import Feed, Move, Rapid, Turn
from bastler.core.planning.patterns import used
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Units, show
from bastler.core.threads.threadsizes import Thread

SAME_PITCH_MM = 0.002
FREE_MM = 0.1
"""The mill must be at least so much thinner than the hole it goes down in."""
BELOW_MM = 0.05
TURNS = 2.0
"""Half a turn onto the wall, one round it, half a turn off: so many pitches along the axis."""


def _bottom(v: Values, w: Work) -> float:
    """Z of the lowest full thread."""
    return float(w.block.z0 - v.tool.pitch if v.get("depth_to", "depth") == "through" else v.top - v.depth)


def _rounds(v: Values, w: Work) -> list[float]:
    """Z of the mill's tip at the lower end of each round, from below upwards."""
    tool, bottom = v.tool, _bottom(v, w)
    step = max(math.floor(tool.flute_length / tool.pitch), 1) * tool.pitch
    count = max(math.ceil((v.top - bottom - tool.flute_length) / step - 1e-9), 0) + 1
    return [bottom + i * step for i in range(count)]


def _problems(v: Values, w: Work) -> list[Problem]:
    tool, thread, bottom = v.tool, v.thread, _bottom(v, w)
    found = holes.problems(v, w, bottom, needs_hole=thread.tap_drill)

    def mm(value: float) -> str:
        return show(value, units=w.units)

    if thread.family == "trapezoidal" or thread.starts > 1:
        text = f"A thread mill cuts threads of 60° or 55° with one start; {thread.name} is one for a lathe."
        return [*found, Problem("thread", text)]
    if abs(tool.pitch - thread.pitch) > SAME_PITCH_MM:
        text = f"Tool {tool.number} has pitch {mm(tool.pitch)}; {thread.name} has {mm(thread.pitch)}. Choose a mill of that pitch."
        return [*found, Problem("tool", text)]
    if tool.flute_length < tool.pitch:
        found.append(
            Problem(
                "tool",
                f"Tool {tool.number} has no whole thread: its flutes are {mm(tool.flute_length)}, the pitch {mm(tool.pitch)}.",
            )
        )
    if tool.diameter > thread.minor - 2 * FREE_MM:
        return [
            *found,
            Problem(
                "tool",
                f"Tool {tool.number} ({mm(tool.diameter)}) is too thick for {thread.name}. Take one under {mm(thread.minor - 2 * FREE_MM)}.",
            ),
        ]
    for i, p in enumerate(used(v), 1):
        if not holes.hole_before(w, p):
            continue
        wide = 2 * w.hole_radius(p, max(bottom, w.block.z0 + BELOW_MM))
        if wide < tool.diameter + FREE_MM:
            ends = "too shallow" if 2 * w.hole_radius(p, v.top - BELOW_MM) >= tool.diameter + FREE_MM else "too narrow"
            return [
                *found,
                Problem(
                    "depth",
                    f"Hole {i} is {ends}: the mill goes down to Z {mm(bottom)} and needs {mm(tool.diameter + FREE_MM)} there. Drill it before.",
                ),
            ]
        if not thread.minor - 0.02 * thread.pitch <= wide <= thread.widest_minor + 0.06 * thread.pitch:
            word = "narrow" if wide < thread.minor else "wide"
            found.append(
                Problem(
                    "thread",
                    f"Hole {i} is {mm(wide)}, too {word} for {thread.name}: drill {mm(thread.tap_drill)}.",
                    blocks=False,
                    finding="thread-hole",
                )
            )
            break
    return found  # fmt: skip


def _plan(v: Values, w: Work) -> list[Move]:
    way, moves = holes.way(v, w), list[Move]()
    for p in way.points:
        moves += [Rapid(*p), Rapid(z=way.start)]
        for low in _rounds(v, w):
            moves += _round(v, p, low)
        moves.append(Rapid(z=way.back))
    return [*moves, Rapid(z=w.clearance)]


def _round(v: Values, at: tuple[float, float], low: float) -> list[Move]:
    """Down in the middle, one turn of the thread, and back to the middle."""
    tool, (x, y) = v.tool, at
    rise = -tool.pitch if v.hand == "left" else tool.pitch
    start = low + (TURNS * tool.pitch if rise < 0 else 0.0)
    radius = v.thread.major / 2 - tool.radius
    ends = [start + rise * turns for turns in (0.5, 1.5, 2.0)]
    return [
        Feed(None, None, start, v.feed),
        Turn(x + radius, y, (x + radius / 2, y), True, v.feed, ends[0]),
        Turn(x + radius, y, (x, y), True, v.feed, ends[1]),
        Turn(x, y, (x + radius / 2, y), True, v.feed, ends[2]),
    ]


def _marks(v: Values, w: Work) -> list[Mark]:
    marks = holes.marks(v, "thread", v.thread.major)
    if v.get("depth_to", "depth") != "through":
        marks += holes.depth_marks(v, "depth", v.thread.major / 2, v.top - v.depth)
    return marks


def _title(v: Values, _: Units) -> str:
    return holes.count_title(v, v.thread.name if v.get("thread") else "threads")


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    thread: Thread = v.thread
    fits = [
        t
        for t in w.tools.values()
        if t.kind == "thread-mill"
        and abs(t.pitch - thread.pitch) <= SAME_PITCH_MM
        and t.diameter < thread.minor - 2 * FREE_MM
    ]
    best = max(fits, key=lambda t: t.diameter, default=None)
    return Suggestion(str(best.number), f"{best.name}: the thickest of this pitch that fits") if best else None


def _engagement(v: Values) -> tuple[float, float]:
    return (float(v.tool.flute_length), float(v.thread.major - v.thread.minor) / 4)


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    tool = next(t for t in w.tools.values() if t.kind == "thread-mill")
    return {
        **holes.sample_place(pick, w), **holes.sample_entry(pick), "thread": "M10x1.25", "tool": str(tool.number),
        "depth": str(pick.number(2.0, w.block.z1 - w.block.z0 - 4.0)), "hand": pick.choice(("right", "left")),
    }  # fmt: skip


def _sample_before(typed: dict[str, str], w: Work) -> tuple[SubStep, ...]:
    """The holes that get the thread."""
    place = {k: v for k, v in typed.items() if k in {f.key for f in holes.PLACE_FIELDS}}
    drill = next(t for t in w.tools.values() if t.kind == "drill" and abs(t.diameter - 8.75) < 0.05)
    deep = str(float(typed["depth"]) + 1.0)
    return (
        SubStep(
            "drill",
            "core holes",
            "tool",
            {
                **place,
                "diameter": str(drill.diameter),
                "depth": deep,
                "depth_to": "full",
                "tool": str(drill.number),
                "peck": "none",
            },
        ),
    )


def _suggest_hand(v: Values, _: Work) -> Suggestion:
    if v.thread.left:
        return Suggestion("left", "by its name")
    return Suggestion("right", "the usual one")


CYCLE = Cycle(
    id="threadmill",
    on_surfaces=AND_UNROLLED,
    rank=67,
    name="Thread mill",
    words=("thread", "mill", "helix", "m10", "screw"),
    summary="Mill threads into drilled holes",
    tool_kinds=("thread-mill",),
    fields=(
        *holes.PLACE_FIELDS,
        Field("thread", "Thread", "Size", Kind.THREAD, "What thread is it (M10, M12x1.5, 1/2-13 UNC, G 1/4)?", stand_in=Thread("M10", "metric", 10.0, 1.5, 8.5, 8.676)),
        Field("hand", "Hand", "Size", Kind.CHOICE, "Is it a right-hand or a left-hand thread?", suggest=_suggest_hand, choices=(("right", "Right"), ("left", "Left"))),
        Field("depth_to", "Depth to", "Size", Kind.CHOICE, "Is the thread as deep as given, or right through?", "depth",
              choices=(("depth", "Last full thread"), ("through", "Through"))),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep below the top is the last full thread?", limits=SIZE, stand_in=10.0, shown=lambda v: bool(v.depth_to == "depth")),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which thread mill is used?", suggest=_suggest_tool),
        *speed_fields(),
        *holes.ENTRY_FIELDS,
    ),
    pictogram=(("frame", 0.08, 0.15, 0.84, 0.7), ("ring", 0.26, 0.26, 0.48, 0.48), ("ring", 0.34, 0.34, 0.32, 0.32), ("dot", 0.5, 0.42, 0.16, 0.16)),
    problems=_problems,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
    sample_before=_sample_before,
    metal=climbs,
    engagement=_engagement,
)  # fmt: skip
