"""Bar feed: the chuck opens, the bar comes forward against a stop in the turret, the chuck closes; the next piece may begin."""

from __future__ import annotations

from bastler.core.cycles.base import Cycle, Pick, SubStep
from bastler.core.cycles.turning import LONG, suggest_kind
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.turned import polygons
from bastler.core.marks import Distance, Mark
from bastler.core.moves import Chuck, Dwell, Move, Rapid, Spindle
from bastler.core.planning.turn.space import space, way_is_clear
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, show

LEAST_MM = 3.0


def _problems(v: Values, w: Work) -> list[Problem]:
    held = min(polygons(w.lathe.stock), key=lambda p: p.bounds[0], default=None)
    front = held.bounds[2] if held is not None else v.stop_z
    if held is None or front > v.stop_z - LEAST_MM:
        text = f"The bar's front is at Z {show(float(front), units=w.units)} already: it can't come to the stop at Z {show(v.stop_z, units=w.units)}. Part off before."
        return [Problem("stop_z", text)]
    one, away = space(held, w.lathe.fixed, v.tool.in_plane), (w.lathe.away[1] + 1.0, v.stop_z)
    # As the tool sees it: along the radius, then along Z.
    if not way_is_clear(one, (-away[0], away[1]), (0.0, away[1])):
        text = f"Tool {v.tool.number} touches the jaws or the part on its way to the axis. Let the bar stand out further, or take a slimmer stop."
        return [Problem("tool", text)]
    return []


def _plan(v: Values, w: Work) -> list[Move]:
    front, high = w.lathe.away[0] + 1.0, w.lathe.away[1] + 1.0
    return [
        Spindle("stop"), Rapid(high, None, front), Rapid(None, None, v.stop_z), Rapid(0.0), Chuck(open=True), Dwell(v.wait),
        Chuck(open=False), Dwell(v.wait), Rapid(None, None, front), Rapid(high),
    ]  # fmt: skip


def _marks(v: Values, w: Work) -> list[Mark]:
    return [Distance("stop_z", (0.0, w.lathe.away[1]), (v.get("stop_z", 0.0), w.lathe.away[1]), 0.0, "section")]


def _suggest_stop(_: Values, w: Work) -> Suggestion:
    return Suggestion(show(w.block.z1), "the front of the stock as the piece begins")


def _title(v: Values, units: Units) -> str:
    return f"to Z {show(v.get('stop_z', 0.0), units=units)}"


def _sample(pick: Pick, _: Work) -> dict[str, str]:
    return {"wait": str(pick.number(0.2, 2.0))}


def _sample_before(_: dict[str, str], w: Work) -> tuple[SubStep, ...]:
    blade = next(t for t in w.tools.values() if t.kind == "parting-tool")
    return (SubStep("part_off", "", "stop_z", {"back_z": "-25", "tool": str(blade.number)}),)


CYCLE = Cycle(
    id="bar_feed",
    rank=75,
    name="Bar feed",
    words=("bar", "feed", "stop", "next", "piece"),
    summary="Let the bar come forward to a stop for the next piece",
    tool_kinds=("bar-stop",),
    fields=(
        Field("stop_z", "Stops at Z", "Place", Kind.LENGTH, "At which Z does the bar stop?", suggest=_suggest_stop, limits=LONG),
        Field("tool", "Stop", "Cut", Kind.TOOL, "Which tool stops the bar?", suggest=suggest_kind("bar-stop")),
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
