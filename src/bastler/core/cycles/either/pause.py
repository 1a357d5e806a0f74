"""Pause: the program waits for the person, with a message: turn, oil, measure."""

from __future__ import annotations

from bastler.core.cycles.base import Cycle, Pick, no_marks, no_problems
from bastler.core.fields import Field, Values
from bastler.core.moves import Move, Pause
from bastler.core.planning.work import Work
from bastler.core.quantities import Kind, Units


def _plan(v: Values, w: Work) -> list[Move]:
    return [Pause(v.text, optional=v.when == "switch")]


def _title(v: Values, _: Units) -> str:
    return str(v.get("text", "")) or "wait"


def _sample(pick: Pick, _: Work) -> dict[str, str]:
    return {"text": pick.choice(("oil the holes", "measure 40 H7 (left)")), "when": pick.choice(("always", "switch"))}


CYCLE = Cycle(
    id="pause",
    rank=80,
    name="Pause",
    words=("pause", "stop", "wait", "measure", "oil", "turn"),
    summary="Wait, with a message",
    tool_kinds=(),
    fields=(
        Field("text", "Message", "Size", Kind.TEXT, "What should be done while the program waits?"),
        Field("when", "Stops", "Size", Kind.CHOICE, "Does it always wait, or only if the switch for optional stops is on?", "always",
              choices=(("always", "Always"), ("switch", "By switch"))),
    ),
    pictogram=(("frame", 0.1, 0.15, 0.8, 0.7), ("fill", 0.34, 0.32, 0.1, 0.36), ("fill", 0.56, 0.32, 0.1, 0.36)),
    problems=no_problems,
    plan=_plan,
    marks=no_marks,
    title=_title,
    sample=_sample,
)  # fmt: skip
