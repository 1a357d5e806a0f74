"""Tap: threads in drilled holes, rigid or in a floating holder, right- or left-hand.

Depth counts to the last full thread; the tap's lead goes deeper by its threads, and the drawing and
the check know where its point ends.
"""

from __future__ import annotations

from bastler.core.cycles import holes
from bastler.core.cycles.base import AND_UNROLLED, SIZE, Cycle, Pick, SubStep, speed_fields
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.shapes import Removal
from bastler.core.geometry.underside import Profile
from bastler.core.marks import Distance, Mark
from bastler.core.moves import Move, Tap
from bastler.core.planning.patterns import positions, used
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Units, show
from bastler.core.threads.threadsizes import Thread
from bastler.core.tooling.tools import Tool

DRAWN_LEAD_THREADS = 3.0
SAME_PITCH_MM = 0.002
BELOW_POINT_MM = 0.05


def _profile(v: Values) -> Profile:
    tool: Tool | None = v.get("tool")
    if tool is not None:
        return tool.profile
    thread: Thread = v.thread
    core = thread.minor / 2
    return Profile(thread.major / 2, core, slope=DRAWN_LEAD_THREADS * thread.pitch / (thread.major / 2 - core))


def _tip(v: Values, w: Work) -> float:
    """Z of the tap's point."""
    full = w.block.z0 if v.get("depth_to", "depth") == "through" else v.top - v.depth
    return float(full - _profile(v).tip_length)


def _removals(v: Values, w: Work) -> tuple[Removal, ...]:
    return holes.bores(v, _profile(v), _tip(v, w))


def _problems(v: Values, w: Work) -> list[Problem]:
    tool, thread = v.tool, v.thread
    found = holes.problems(v, w, _tip(v, w), needs_hole=thread.drill_for(tool.forming))
    if abs(tool.pitch - thread.pitch) > SAME_PITCH_MM or abs(tool.diameter - thread.major) > 0.02:
        found.append(
            Problem(
                "tool",
                f"Tool {tool.number} cuts {tool.thread or show(tool.diameter, units=w.units)}; the thread is {thread.name}. Choose or add a tap {thread.name}.",
            )
        )
    elif thread.left and not tool.left_hand:
        text = f"Tool {tool.number} cuts right-hand threads; {thread.name} LH is left-hand. Choose or add a tap for it."
        found.append(Problem("tool", text))
    for i, p in enumerate(used(v), 1):
        wrong = _hole_problem(v, w, p, i)
        if wrong is not None:
            found.append(wrong)
            break
    return found  # fmt: skip


def _hole_problem(v: Values, w: Work, at: tuple[float, float], number: int) -> Problem | None:
    """Whether the hole at a place is right for the thread: wide enough, not too wide, deep enough for the point."""
    tool, thread = v.tool, v.thread

    def mm(value: float) -> str:
        return show(value, units=w.units)

    if not holes.hole_before(w, at):
        return None
    tip, drill = _tip(v, w), thread.drill_for(tool.forming)
    full_z = tip + tool.tip_length
    wide = 2 * w.hole_radius(at, max(full_z, w.block.z0 + BELOW_POINT_MM))
    if wide == 0 or w.hole_radius(at, tip - BELOW_POINT_MM) < tool.profile.flat - 0.02:
        ends = max(b.tip + b.profile.tip_length for b in holes.hole_before(w, at)[-1:])
        return Problem(
            "depth",
            f"Hole {number} is full only down to Z {mm(ends)}; the tap's point goes to Z {mm(tip)} because of its {show(tool.lead_threads)} lead threads. Drill {mm(ends - tip)} deeper, or tap less deep.",
            blocks=False,
            finding="tap-bottom",
        )
    if word := thread.misfit(wide, tool.forming):
        return Problem(
            "thread",
            f"Hole {number} is {mm(wide)}, too {word} for {thread.name}: drill {mm(drill)}.",
            blocks=False,
            finding="thread-hole",
        )
    return None  # fmt: skip


def _plan(v: Values, w: Work) -> list[Move]:
    way = holes.way(v, w)
    tool = v.tool
    tapping = Tap(
        points=way.points, start=way.start, bottom=_tip(v, w), feed=v.speed * tool.pitch, back=way.back, pitch=tool.pitch, speed=v.speed,
        left=tool.left_hand, rigid=v.holder == "rigid",
    )  # fmt: skip
    return holes.enclosed(way, w, tapping)


def _marks(v: Values, w: Work) -> list[Mark]:
    thread: Thread = v.thread
    tip, points = _tip(v, w), positions(v)
    full = tip + _profile(v).tip_length
    x = points[0][0] if points else 0.0
    marks = holes.marks(v, "thread", thread.major)
    if v.get("depth_to", "depth") != "through":
        marks += holes.depth_marks(v, "depth", thread.major / 2, full)
    return [
        *marks,
        Distance("tool", (x - thread.major / 2 - 6, v.top), (x - thread.major / 2 - 6, tip), 90.0, "section"),
    ]


def _title(v: Values, _: Units) -> str:
    return holes.count_title(v, v.thread.name if v.get("thread") else "threads")


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    thread: Thread = v.thread
    fitting = [
        t
        for t in w.tools.values()
        if t.kind == "tap" and abs(t.pitch - thread.pitch) <= SAME_PITCH_MM and abs(t.diameter - thread.major) <= 0.02
    ]
    return Suggestion(str(fitting[0].number), f"{fitting[0].name}: the tap of this thread") if fitting else None


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    number = pick.choice(tuple(str(t.number) for t in w.tools.values() if t.kind == "tap"))
    tool = w.tools[int(number)]
    room = min(tool.flute_length, w.block.z1 - w.block.z0 - 4.0) - tool.tip_length
    return {
        **holes.sample_place(pick, w), **holes.sample_entry(pick), "thread": tool.thread, "tool": number,
        "depth": str(pick.number(0.5, room)), "holder": pick.choice(("rigid", "floating")),
    }  # fmt: skip


def _sample_before(typed: dict[str, str], w: Work) -> tuple[SubStep, ...]:
    """The holes that are tapped."""
    tool = w.tools[int(typed["tool"])]
    place = {k: v for k, v in typed.items() if k in {f.key for f in holes.PLACE_FIELDS}}
    drill = next(t for t in w.tools.values() if t.kind == "drill" and tool.profile.flat <= t.radius < tool.radius)
    deep = float(typed["depth"]) + tool.tip_length + 1.0
    return (
        SubStep(
            "drill",
            "core holes",
            "tool",
            {**place, "diameter": str(drill.diameter), "depth": str(deep), "tool": str(drill.number), "peck": "none"},
        ),
    )


CYCLE = Cycle(
    id="tap",
    on_surfaces=AND_UNROLLED,
    rank=65,
    name="Tap",
    words=("tap", "thread", "m6", "m8", "unc", "screw"),
    summary="Cut threads into drilled holes",
    tool_kinds=("tap",),
    fields=(
        *holes.PLACE_FIELDS,
        Field("thread", "Thread", "Size", Kind.THREAD, "What thread is it (M6, M8x1, 1/4-20 UNC, G 1/4)?", stand_in=Thread("M8", "metric", 8.0, 1.25, 6.8, 6.912)),
        Field("depth_to", "Depth to", "Size", Kind.CHOICE, "Is the thread as deep as given, or right through?", "depth",
              choices=(("depth", "Last full thread"), ("through", "Through"))),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep below the top is the last full thread?", limits=SIZE, stand_in=10.0, shown=lambda v: bool(v.depth_to == "depth")),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which tap is used?", suggest=_suggest_tool),
        Field("holder", "Tap held", "Cut", Kind.CHOICE, "Is the tap held rigidly, or in a floating holder?", "rigid",
              choices=(("rigid", "Rigid"), ("floating", "Floating"))),
        *speed_fields(feed=False),
        *holes.ENTRY_FIELDS,
    ),
    pictogram=(("frame", 0.08, 0.15, 0.84, 0.7), ("ring", 0.28, 0.28, 0.44, 0.44), ("ring", 0.36, 0.36, 0.28, 0.28), ("dot", 0.44, 0.44, 0.12, 0.12)),
    problems=_problems,
    removals=_removals,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
    sample_before=_sample_before,
)  # fmt: skip
