"""Hole recipe: from a thread, a fit or a screw to the whole row of steps: spot, drill, bevel, then tap, ream or seat.

It cuts nothing itself: it writes the single steps that a person would, with tools that can be changed,
and opens into them when wanted.
"""

from __future__ import annotations

from collections.abc import Callable

from bastler.core.cycles import holes
from bastler.core.cycles.base import AND_UNROLLED, SIZE, Cycle, Pick, SubStep, no_moves
from bastler.core.fields import Field, Suggestion, Values, typed_text
from bastler.core.marks import Mark
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Units, show
from bastler.core.threads.threadsizes import Screw, Thread, screws
from bastler.core.tooling.tools import Tool

BEVEL_SHARE = 1.06
"""Bevel diameter over thread or hole diameter."""
REAM_LEAVES_MM = (0.1, 0.4)
SAME_SIZE_MM = 0.03
WIDEST_MILL_SHARE = 0.72
"""A mill up to this share of a seat gets down into it by a helix; a wider one only if it is as wide as the seat."""
BELOW_LEAD_THREADS = 1.0
"""The core hole is drilled this many threads deeper than the tap's point."""
BELOW_REAMER_MM = 1.0
DRAWN_THREAD = Thread("M6", "metric", 6.0, 1.0, 5.0, 5.153)
SHARED = (*holes.PLACE_FIELDS, *holes.ENTRY_FIELDS)


def _is(*kinds: str) -> Callable[[Values], bool]:
    return lambda v: v.hole in kinds


def _screw(v: Values) -> Screw:
    return screws()[v.screw]


def _finished(v: Values) -> float:
    """The diameter that the recipe is for: thread, fit, or the screw's through hole."""
    if v.hole == "thread":
        return float(v.thread.major)
    return float(v.diameter) if v.hole == "fit" else _screw(v).clearance


def _drill_size(v: Values) -> tuple[float, float]:
    """Smallest and largest drill that suits."""
    if v.hole == "thread":
        forming = v.get("tool_last") is not None and v.tool_last.forming
        size = v.thread.drill_for(forming)
        return (size - SAME_SIZE_MM, size + SAME_SIZE_MM)
    if v.hole == "fit":
        return (v.diameter - REAM_LEAVES_MM[1], v.diameter - REAM_LEAVES_MM[0])
    return (_screw(v).clearance - SAME_SIZE_MM, _screw(v).clearance + SAME_SIZE_MM)


def _first(w: Work, fits: Callable[[Tool], bool], key: Callable[[Tool], float], reason: str) -> Suggestion | None:
    best = min((t for t in w.tools.values() if fits(t)), key=key, default=None)
    return Suggestion(str(best.number), f"{best.name}: {reason}") if best else None


def _suggest_last(v: Values, w: Work) -> Suggestion | None:
    if v.hole == "thread":
        thread: Thread = v.thread
        return _first(w, lambda t: t.kind == "tap" and abs(t.pitch - thread.pitch) < 2e-3 and abs(t.diameter - thread.major) < 0.02,
                      lambda t: t.number, f"the tap {thread.name}")  # fmt: skip
    if v.hole == "fit":
        return _first(
            w,
            lambda t: t.kind == "reamer" and abs(t.diameter - v.diameter) < 5e-3,
            lambda t: t.number,
            "the reamer of this size",
        )
    head = _screw(v).head_diameter
    return _first(w, lambda t: t.kind == "end-mill" and t.corner_radius == 0 and (t.diameter <= WIDEST_MILL_SHARE * head or abs(t.diameter - head) < 5e-3) and t.flute_length >= _screw(v).head_depth,
                  lambda t: head - t.diameter, f"the largest for the seat of {show(head, units=w.units)}")  # fmt: skip


def _suggest_drill(v: Values, w: Work) -> Suggestion | None:
    low, high = _drill_size(v)
    return _first(
        w,
        lambda t: t.kind in ("drill", "insert-drill") and low <= t.diameter <= high,
        lambda t: -t.diameter,
        "the drill for it",
    )


def _suggest_spot(v: Values, w: Work) -> Suggestion | None:
    wide = v.bevel_diameter if v.bevel == "spot" else 0.0
    return _first(
        w,
        lambda t: t.kind in ("spot-drill", "centre-drill") and t.diameter >= wide,
        lambda t: (t.kind != "spot-drill") * 1000 + t.diameter,
        "its cone is wide enough",
    )


def _suggest_sink(v: Values, w: Work) -> Suggestion | None:
    return _first(
        w,
        lambda t: t.kind == "countersink" and t.tip_diameter < v.bevel_diameter <= t.diameter,
        lambda t: t.diameter,
        "its cone is wide enough",
    )


def _suggest_bevel_diameter(v: Values, _: Work) -> Suggestion:
    return Suggestion(show(_finished(v) * BEVEL_SHARE, digits=1), f"{(BEVEL_SHARE - 1) * 100:.0f} % over the hole")


def _suggest_bevel(v: Values, w: Work) -> Suggestion:
    if v.hole == "screw":
        return Suggestion("no", "the seat takes the edge away")
    wide = _finished(v) * BEVEL_SHARE
    if v.spot and any(t.kind == "spot-drill" and t.diameter >= wide for t in w.tools.values()):
        return Suggestion("spot", "a spot drill is wide enough")
    return Suggestion("countersink", "no spot drill is wide enough")


def _drill_depth(v: Values) -> float:
    """How deep the drill's full diameter goes for a blind hole."""
    if v.hole != "thread":
        return float(v.depth + (BELOW_REAMER_MM if v.hole == "fit" else 0.0))
    tap: Tool | None = v.get("tool_last")
    lead = tap.tip_length if tap is not None else 3 * v.thread.pitch
    return float(v.depth + lead + BELOW_LEAD_THREADS * v.thread.pitch)


def _expand(v: Values, w: Work) -> tuple[SubStep, ...]:
    def mm(value: float) -> str:
        return typed_text(Field("", "", "Size", Kind.LENGTH, ""), value, w.units)

    place = {f.key: typed_text(f, v.get(f.key), w.units) for f in SHARED if v.get(f.key) is not None}
    through = v.depth_to == "through"
    depth = {"depth_to": "through"} if through else {"depth": mm(_drill_depth(v))}
    steps: list[SubStep] = []
    drill: Tool | None = v.get("tool_drill")
    size = drill.diameter if drill is not None else sum(_drill_size(v)) / 2
    if v.spot:
        wide = v.bevel_diameter if v.bevel == "spot" else 0.8 * size
        steps.append(SubStep("spot", "", "tool_spot", {**place, "diameter": mm(wide), **_tool(v, "tool_spot")}))
    steps.append(SubStep("drill", "", "tool_drill", {**place, "diameter": mm(size), **depth, **_tool(v, "tool_drill")}))
    if v.bevel == "countersink":
        steps.append(
            SubStep(
                "countersink", "", "tool_sink", {**place, "diameter": mm(v.bevel_diameter), **_tool(v, "tool_sink")}
            )
        )
    return (*steps, _last(v, w, place, mm, through))


def _tool(v: Values, key: str) -> dict[str, str]:
    tool: Tool | None = v.get(key)
    return {"tool": str(tool.number)} if tool is not None else {}


def _last(v: Values, w: Work, place: dict[str, str], mm: Callable[[float], str], through: bool) -> SubStep:
    """The step that gives the hole its name."""
    tool = _tool(v, "tool_last")
    if v.hole == "thread":
        depth = {"depth_to": "through"} if through else {"depth": mm(v.depth)}
        return SubStep("tap", "", "tool_last", {**place, "thread": v.thread.name, **depth, **tool, "holder": v.holder})
    if v.hole == "fit":
        deep = v.top - w.block.z0 + 1.0 if through else v.depth
        return SubStep("ream", "", "tool_last", {**place, "diameter": mm(v.diameter), "depth": mm(deep), **tool})
    screw, mill = _screw(v), v.get("tool_last")
    seat = {**place, "diameter": mm(screw.head_diameter), "depth": mm(screw.head_depth), **tool}
    if mill is not None and abs(mill.diameter - screw.head_diameter) > 5e-3:
        seat = {k: t for k, t in seat.items() if k not in ("start_distance", "between")}
        return SubStep("round", f"seat {screw.name}", "tool_last", {**seat, "leave_floor": "0"})
    return SubStep("counterbore", screw.name, "tool_last", seat)


def _marks(v: Values, w: Work) -> list[Mark]:
    field = {"thread": "thread", "fit": "diameter", "screw": "screw"}[v.get("hole", "thread")]
    finished = _finished(v)
    marks = holes.marks(v, field, finished)
    if v.get("depth_to", "depth") == "through":
        return marks
    return [*marks, *holes.depth_marks(v, "depth", finished / 2, v.top - v.depth)]


def _title(v: Values, units: Units) -> str:
    size = "holes"
    if v.get("hole") == "thread" and v.get("thread"):
        size = v.thread.name
    elif v.get("hole") == "fit" and v.get("diameter"):
        size = f"Ø{show(v.diameter, units=units)} reamed"
    elif v.get("hole") == "screw" and v.get("screw"):
        size = f"seat {v.screw}"
    return holes.count_title(v, size)


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    hole = pick.choice(("thread", "fit", "screw"))
    own = {
        "thread": {"thread": "M8", "holder": pick.choice(("rigid", "floating"))},
        "fit": {"diameter": "8"},
        "screw": {"screw": "M8"},
    }[hole]
    depth = (
        {"depth_to": "through"}
        if hole == "screw" or pick.choice(("blind", "through")) == "through"
        else {"depth": str(pick.number(3.0, 9.0))}
    )
    bevel = pick.choice(("no", "spot", "countersink")) if hole != "screw" else "no"
    return {**holes.sample_place(pick, w), **holes.sample_entry(pick), "hole": hole, **own, **depth, "bevel": bevel}


def _problems(v: Values, _: Work) -> list[Problem]:
    if v.bevel == "spot" and not v.spot:
        return [
            Problem(
                "bevel",
                "Without a spot drill step the bevel needs a countersink. Switch Spot on, or choose Countersink.",
            )
        ]
    return []


CYCLE = Cycle(
    id="recipe",
    on_surfaces=AND_UNROLLED,
    rank=30,
    name="Hole recipe",
    words=("m6", "m8", "thread", "tapped", "fit", "screw", "holes", "recipe"),
    summary="All steps of a hole in one",
    tool_kinds=("spot-drill", "centre-drill", "drill", "insert-drill", "countersink", "tap", "reamer", "end-mill"),
    fields=(
        *holes.PLACE_FIELDS,
        Field("hole", "Hole for", "Size", Kind.CHOICE, "Is the hole for a thread, for a fit, or for a screw's head?", "thread",
              choices=(("thread", "Thread"), ("fit", "Fit"), ("screw", "Screw"))),
        Field("thread", "Thread", "Size", Kind.THREAD, "What thread is it (M6, M8x1, 1/4-20 UNC, G 1/4)?", stand_in=DRAWN_THREAD, shown=_is("thread")),
        Field("diameter", "Diameter", "Size", Kind.LENGTH, "What is the diameter of the reamed hole?", limits=SIZE, stand_in=8.0, shown=_is("fit")),
        Field("screw", "Screw", "Size", Kind.CHOICE, "What socket head screw is the seat for?", "M6", choices=tuple((s, s) for s in screws()), shown=_is("screw")),
        Field("depth_to", "Depth to", "Size", Kind.CHOICE, "Is the hole as deep as given, or right through?", "depth", choices=(("depth", "Given depth"), ("through", "Through"))),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep below the top is the last full thread, or the hole?", limits=SIZE, stand_in=10.0, shown=lambda v: bool(v.depth_to == "depth")),
        Field("spot", "Spot first", "Size", Kind.FLAG, "Is the place spotted before it is drilled?", "yes"),
        Field("bevel", "Bevel by", "Size", Kind.CHOICE, "What bevels the edge of the hole?", suggest=_suggest_bevel, choices=(("spot", "Spot drill"), ("countersink", "Countersink"), ("no", "Nothing"))),
        Field("bevel_diameter", "Bevel diameter", "Size", Kind.LENGTH, "What is the diameter of the bevel?", suggest=_suggest_bevel_diameter, limits=SIZE, shown=lambda v: bool(v.bevel != "no")),
        Field("tool_last", "Tap, reamer, mill", "Cut", Kind.TOOL, "Which tool finishes the hole?", suggest=_suggest_last, tool_kinds=("tap", "reamer", "end-mill")),
        Field("tool_drill", "Drill", "Cut", Kind.TOOL, "Which drill is used?", suggest=_suggest_drill, tool_kinds=("drill", "insert-drill")),
        Field("tool_spot", "Spot drill", "Cut", Kind.TOOL, "Which spot drill is used?", suggest=_suggest_spot, tool_kinds=("spot-drill", "centre-drill"), shown=lambda v: bool(v.spot)),
        Field("tool_sink", "Countersink", "Cut", Kind.TOOL, "Which countersink is used?", suggest=_suggest_sink, tool_kinds=("countersink",), shown=lambda v: bool(v.bevel == "countersink")),
        Field("holder", "Tap held", "Cut", Kind.CHOICE, "Is the tap held rigidly, or in a floating holder?", "rigid",
              choices=(("rigid", "Rigid"), ("floating", "Floating")), shown=_is("thread")),
        *holes.ENTRY_FIELDS,
    ),
    pictogram=(("frame", 0.08, 0.15, 0.84, 0.7), ("dot", 0.16, 0.4, 0.14, 0.14), ("dot", 0.38, 0.37, 0.2, 0.2), ("ring", 0.64, 0.34, 0.24, 0.26), ("dot", 0.7, 0.4, 0.12, 0.14)),
    problems=_problems,
    plan=no_moves,
    marks=_marks,
    title=_title,
    sample=_sample,
    expand=_expand,
)  # fmt: skip
