"""Note: a remark in the program for whoever stands at the control."""

from __future__ import annotations

from bastler.core.cycles.base import Cycle, Pick, no_marks, no_problems
from bastler.core.fields import Field, Values
from bastler.core.moves import Move, Note
from bastler.core.planning.work import Work
from bastler.core.quantities import Kind, Units


def _plan(v: Values, _: Work) -> list[Move]:
    return [Note(v.text)]


def _title(v: Values, _: Units) -> str:
    return str(v.get("text", "")).split("\n")[0] or "remark"


def _sample(pick: Pick, _: Work) -> dict[str, str]:
    return {"text": pick.choice(("deburr before the next side", "two lines;\nwith (brackets) and %"))}


CYCLE = Cycle(
    id="note",
    rank=85,
    name="Note",
    words=("note", "remark", "comment", "text"),
    summary="A remark in the program",
    tool_kinds=(),
    fields=(Field("text", "Text", "Size", Kind.LINES, "What should stand in the program?"),),
    pictogram=(("frame", 0.1, 0.15, 0.8, 0.7), ("fill", 0.25, 0.34, 0.5, 0.06), ("fill", 0.25, 0.5, 0.35, 0.06)),
    problems=no_problems,
    plan=_plan,
    marks=no_marks,
    title=_title,
    sample=_sample,
)
