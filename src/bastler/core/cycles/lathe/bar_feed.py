"""Bar feed: the chuck opens, the bar comes forward against a stop or is pulled by a gripper in the turret, the chuck closes."""

from __future__ import annotations

from bastler.core.cycles.base import Cycle, Pick, SubStep
from bastler.core.cycles.lathefields import LONG, SIZE
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.halfsection import Area, clipped, polygons
from bastler.core.marks import Distance, Mark
from bastler.core.moves import Dwell, Move, MoveChuck, Rapid, Slide, TurnSpindle
from bastler.core.planning.lathe.space import space, way_is_clear
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, show

LEAST_MM = 3.0
BEFORE_MM = 2.0
GRIP_SHARE = 0.8
USUAL_MM = 12.0
TOOLS = {"stop": "bar-stop", "pull": "bar-puller"}


def _pulls(v: Values) -> bool:
    return bool(v.get("comes", "stop") == "pull")


def _bar(w: Work) -> Area | None:
    """The metal that the chuck holds."""
    return min(polygons(w.lathe.stock), key=lambda p: p.bounds[0], default=None)


def _problems(v: Values, w: Work) -> list[Problem]:
    held, tool = _bar(w), v.tool
    front = held.bounds[2] if held is not None else v.stop_z
    if held is None or front > v.stop_z - LEAST_MM:
        text = f"The bar's front is at Z {show(float(front), units=w.units)} already: it can't come to Z {show(v.stop_z, units=w.units)}. Part off before."
        return [Problem("stop_z", text)]
    if tool.kind != TOOLS[v.comes]:
        what = "grip the bar. Take a bar puller" if _pulls(v) else "stop the bar. Take a bar stop"
        return [Problem("tool", f"Tool {tool.number} ({tool.name}) can't {what}.")]
    if _pulls(v) and (wrong := _grip_problem(v, w, held)):
        return [wrong]
    one, high = space(held, w.lathe.fixed, tool.in_plane), w.lathe.away[1] + 1.0
    # As the tool sees it: along the radius, then along Z.
    places = [(-high, v.stop_z), (0.0, v.stop_z)]
    if _pulls(v):
        places = [(-high, w.lathe.away[0] + 1.0), (0.0, w.lathe.away[0] + 1.0), (0.0, front - v.grip)]
    if not all(way_is_clear(one, p, q) for p, q in zip(places, places[1:], strict=False)):
        slimmer = "puller, or grip over less" if _pulls(v) else "stop"
        text = f"Tool {tool.number} touches the jaws or the part on its way. Let the bar stand out further, or take a slimmer {slimmer}."
        return [Problem("tool", text)]
    return []


def _grip_problem(v: Values, w: Work, held: Area) -> Problem | None:
    """Whether the puller's fingers go over the bar's end and hold it."""
    tool, front = v.tool, held.bounds[2]
    end = clipped(held, front - v.grip, 0.0, front + 1.0, 1e4)
    thick = 2 * float(end.bounds[3])

    def mm(value: float) -> str:
        return show(value, units=w.units)

    if not tool.grips_from - 1e-6 <= thick <= tool.grips_to + 1e-6:
        return Problem(
            "tool",
            f"Tool {tool.number} grips bars from Ø{mm(tool.grips_from)} to Ø{mm(tool.grips_to)}; here is Ø{mm(thick)}. Take another puller.",
        )
    if v.grip > tool.deep + 1e-6:
        return Problem("grip", f"Its fingers are {mm(tool.deep)} long. Grip over less.")
    return None


def _plan(v: Values, w: Work) -> list[Move]:
    front, high = w.lathe.away[0] + 1.0, w.lathe.away[1] + 1.0
    if _pulls(v):
        held = _bar(w)
        assert held is not None
        end = float(held.bounds[2])
        far = max(front, v.stop_z + BEFORE_MM)
        return [
            TurnSpindle("stop"), Rapid(high, None, far), Rapid(0.0), Rapid(None, None, end + BEFORE_MM), Slide(end - v.grip, v.feed),
            MoveChuck(open=True), Dwell(v.wait), Slide(v.stop_z - v.grip, v.feed), MoveChuck(open=False), Dwell(v.wait),
            Slide(v.stop_z + BEFORE_MM, v.feed), Rapid(None, None, far), Rapid(high),
        ]  # fmt: skip
    return [
        TurnSpindle("stop"), Rapid(high, None, front), Rapid(None, None, v.stop_z), Rapid(0.0), MoveChuck(open=True), Dwell(v.wait),
        MoveChuck(open=False), Dwell(v.wait), Rapid(None, None, front), Rapid(high),
    ]  # fmt: skip


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    one = next((t for t in w.tools.values() if t.kind == TOOLS[v.comes]), None)
    return Suggestion(str(one.number), "it grips the bar" if _pulls(v) else "it stops the bar") if one else None


def _suggest_grip(v: Values, _: Work) -> Suggestion:
    return Suggestion(show(GRIP_SHARE * (v.tool.deep or USUAL_MM)), "most of its fingers")


def _marks(v: Values, w: Work) -> list[Mark]:
    return [Distance("stop_z", (0.0, w.lathe.away[1]), (v.get("stop_z", 0.0), w.lathe.away[1]), 0.0, "section")]


def _suggest_stop(_: Values, w: Work) -> Suggestion:
    return Suggestion(show(w.block.z1), "the front of the stock as the piece begins")


def _title(v: Values, units: Units) -> str:
    return f"to Z {show(v.get('stop_z', 0.0), units=units)}"


def _sample(pick: Pick, _: Work) -> dict[str, str]:
    return {"wait": str(pick.number(0.2, 2.0)), "comes": pick.choice(tuple(TOOLS))}


def _sample_before(_: dict[str, str], w: Work) -> tuple[SubStep, ...]:
    blade = next(t for t in w.tools.values() if t.kind == "parting-tool")
    return (SubStep("part_off", "", "stop_z", {"back_z": "-25", "tool": str(blade.number)}),)


CYCLE = Cycle(
    id="bar_feed",
    rank=75,
    name="Bar feed",
    words=("bar", "feed", "stop", "pull", "next", "piece"),
    summary="Let the bar come forward for the next piece, to a stop or pulled",
    tool_kinds=tuple(TOOLS.values()),
    fields=(
        Field("comes", "Bar is", "Place", Kind.CHOICE, "Does a feeder push the bar against a stop, or does a tool pull it out?", "stop",
              choices=(("stop", "Pushed to a stop"), ("pull", "Pulled out"))),
        Field("stop_z", "Front at Z", "Place", Kind.LENGTH, "At what Z is the front of the bar afterwards?", suggest=_suggest_stop, limits=LONG),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which tool stops or pulls the bar?", suggest=_suggest_tool),
        Field("grip", "Grip", "Cut", Kind.LENGTH, "How far over the end of the bar does the puller go?", suggest=_suggest_grip, limits=SIZE, shown=_pulls),
        Field("feed", "Feed", "Cut", Kind.FEED, "How fast does it pull?", "1000", Limits(0, 20_000, low_open=True), shown=_pulls),
        Field("wait", "Wait", "Cut", Kind.TIME, "How long, in seconds, does the chuck take to open or close?", "1", Limits(0, 60)),
    ),
    pictogram=(("frame", 0.05, 0.35, 0.5, 0.3), ("arrow", 0.3, 0.5, 0.3, 0.0), ("fill", 0.75, 0.2, 0.12, 0.6)),
    problems=_problems,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
    sample_before=_sample_before,
    renews=True,
)  # fmt: skip
