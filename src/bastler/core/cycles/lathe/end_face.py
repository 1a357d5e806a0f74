"""Face: the end of the bar turned flat, in passes towards the axis."""

from __future__ import annotations

from msgspec.structs import replace

from bastler.core.cycles import lathecontours
from bastler.core.cycles.base import PASS, Cycle, Pick
from bastler.core.cycles.lathefields import (
    FINISH_FEED,
    LONG,
    NOT_NEGATIVE,
    ROUGHNESS,
    SPEED_FIELDS,
    WRITTEN,
    feed_field,
    suggest_kind,
    suggest_table_feed,
)
from bastler.core.cycles.latheload import suggest_depth, suggest_feed
from bastler.core.fields import Field, Values
from bastler.core.geometry.path import Line, Path
from bastler.core.marks import Distance, Mark
from bastler.core.moves import Move
from bastler.core.planning.work import Cleared, Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, show

USUAL_LEAVE_MM = 0.15


def contour(v: Values, w: Work) -> Path:
    """From the axis outwards, over the whole stock."""
    z, stock = v.face_z, w.lathe.stock
    return Path((z, 0.0), (Line((z, stock.bounds[3] if not stock.is_empty else w.lathe.away[1])),))


def _clears(v: Values, w: Work) -> tuple[Cleared, ...]:
    return lathecontours.clears(v, w, contour(v, w))


def _problems(v: Values, w: Work) -> list[Problem]:
    front = w.lathe.stock.bounds[2] if not w.lathe.stock.is_empty else 0.0
    if v.face_z >= front - 1e-6:
        return [Problem("face_z", f"The stock ends at Z {show(front, units=w.units)} already. Give a smaller Z.")]
    if v.tool.in_plane.tip[0] >= 0:
        return [Problem("tool", f"Tool {v.tool.number} has no edge to face with here. Take a right-hand turning tool.")]
    return lathecontours.problems(v, w, contour(v, w), inside=False)


def _ways(v: Values, w: Work) -> list[Problem]:
    return lathecontours.ways(v, w, contour(v, w), towards=True, inwards=v.get("finish_way", "in") == "in")


def _plan(v: Values, w: Work) -> list[Move]:
    return lathecontours.moves(v, w, contour(v, w), towards=True, inwards=v.get("finish_way", "in") == "in")


def _marks(v: Values, w: Work) -> list[Mark]:
    r = w.lathe.away[1]
    return [Distance("face_z", (0.0, r), (v.get("face_z", 0.0), r), 0.0, "section")]


def _metal(v: Values, w: Work) -> float:
    """How thick it stands on the face for roughing."""
    front = float(w.lathe.stock.bounds[2]) if not w.lathe.stock.is_empty else 0.0
    return front - float(v.face_z) - float(v.ahead("leave_z", USUAL_LEAVE_MM))


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    front = w.lathe.stock.bounds[2]
    tools = [str(t.number) for t in w.tools.values() if t.kind == "turning-tool" and t.in_plane.tip[0] < 0]
    return {
        "face_z": str(pick.number(front - 4.0, front - 0.3)), "tool": pick.choice(tuple(tools)),
        "work": pick.choice(("both", "rough")), "leave_z": str(pick.number(0.0, 0.25)), "depth_per_pass": str(pick.number(0.3, 2.0)),
        "finish_way": pick.choice(("in", "out")), "written": pick.choice(("moves", "cycle")),
    }  # fmt: skip


CYCLE = Cycle(
    id="end_face",
    rank=10,
    name="Face",
    words=("face", "front", "end", "plane"),
    summary="Turn the end flat",
    tool_kinds=("turning-tool",),
    fields=(
        Field("face_z", "Face at Z", "Place", Kind.LENGTH, "At what Z is the finished face?", "0", LONG),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which tool faces?", suggest=suggest_kind("turning-tool", points="out")),
        Field("work", "Do", "Cut", Kind.CHOICE, "Is it roughed, finished, or both?", "both",
              choices=(("both", "Rough and finish"), ("rough", "Rough"), ("finish", "Finish"))),
        *SPEED_FIELDS,
        Field("depth_per_pass", "Depth per pass", "Cut", Kind.LENGTH, "How deep is each pass?", suggest=suggest_depth(_metal), limits=PASS, shown=lambda v: v.work != "finish"),
        feed_field(suggest=suggest_feed(suggest_table_feed)),
        Field("leave_z", "Leave", "Cut", Kind.LENGTH, "How much is left for finishing?", str(USUAL_LEAVE_MM), NOT_NEGATIVE, shown=lambda v: v.work != "finish"),
        ROUGHNESS,
        FINISH_FEED,
        Field("finish_way", "Finish", "Entry", Kind.CHOICE, "Does the finishing pass run towards the axis or outwards?", "in",
              choices=(("in", "Towards the axis"), ("out", "Outwards")), shown=lambda v: v.work != "rough"),
        replace(WRITTEN, shown=lambda v: v.work == "both" and v.finish_way == "in"),
    ),
    pictogram=(("frame", 0.1, 0.2, 0.6, 0.6), ("arrow", 0.8, 0.15, 0.0, 0.6)),
    problems=_problems,
    ways=_ways,
    clears=_clears,
    plan=_plan,
    marks=_marks,
    title=lambda v, units: f"Z {show(v.get('face_z', 0.0), units=units)}",
    sample=_sample,
)  # fmt: skip
