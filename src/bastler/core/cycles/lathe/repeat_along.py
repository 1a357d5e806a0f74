"""Repeat: steps of a lathe done again further along the axis, and those of driven tools round it, each planned anew in the stock that is there."""

from __future__ import annotations

from bastler.core.cycles.base import Cycle, Pick, SubStep, no_moves, no_problems
from bastler.core.cycles.lathefields import LONG
from bastler.core.fields import Field, Values
from bastler.core.geometry.placement import Along
from bastler.core.marks import Distance, Mark, Sign
from bastler.core.planning.work import Work
from bastler.core.quantities import Kind, Limits, Units, show


def _places(v: Values, _: Work) -> list[Along]:
    turn = v.get("turn") or 0.0
    return [Along(-v.pitch * k, turn * k) for k in range(1, v.times + 1)] if v.pitch or turn % 360.0 else []


def _any_driven(v: Values) -> bool:
    """Whether one of the steps is milled."""
    from bastler.core.cycles import cycles

    return any(cycles()[s.cycle].on_surfaces for s in v.get("steps") or ())


def _marks(v: Values, w: Work) -> list[Mark]:
    r, pitch = w.lathe.away[1], v.get("pitch", 10.0)
    marks: list[Mark] = [Distance("pitch", (0.0, r), (-pitch, r), 0.0, "section")]
    if v.get("turn"):
        marks.append(Sign("turn", (-pitch, r), f"{show(v.turn)}°", "section"))
    return marks


def _title(v: Values, units: Units) -> str:
    pitch, turn = v.get("pitch", 0.0), v.get("turn") or 0.0
    by = [show(pitch, units=units)] if pitch or not turn else []
    return f"{v.get('times', 1)} × by {' and '.join([*by, *([f'{show(turn)}°'] if turn else [])])}"


def _sample(pick: Pick, _: Work) -> dict[str, str]:
    return {"steps": "before0", "pitch": str(pick.number(5.0, 9.0)), "times": pick.choice(("1", "3"))}


def _sample_before(_: dict[str, str], w: Work) -> tuple[SubStep, ...]:
    """A groove in the outside."""
    blade = next(t for t in w.tools.values() if t.kind == "grooving-tool" and t.in_plane.reach == "out")
    top = 2 * w.lathe.stock.bounds[3]
    groove = {
        "where": "outside",
        "middle_z": "-8",
        "width": str(blade.width + 1),
        "surface": str(top),
        "bottom": str(top - 4),
        "tool": str(blade.number),
    }
    return (SubStep("groove", "", "steps", groove),)  # fmt: skip


CYCLE = Cycle(
    id="repeat_along",
    rank=78,
    name="Repeat",
    words=("repeat", "copy", "again", "pitch", "turn", "round"),
    summary="Do steps again further along the axis, or round it",
    tool_kinds=(),
    fields=(
        Field("steps", "Steps", "Place", Kind.STEPS, "Which of the earlier steps are repeated?"),
        Field("pitch", "Pitch", "Size", Kind.LENGTH, "How far towards the chuck is each from the one before (below 0: away from it)?", limits=LONG, stand_in=10.0),
        Field("turn", "Round by", "Size", Kind.ANGLE, "How far round the axis is each from the one before?", "0", Limits(-360, 360), stand_in=0.0, shown=_any_driven),
        Field("times", "Times more", "Size", Kind.COUNT, "How many times are they repeated?", "1", Limits(1, 500)),
    ),
    pictogram=(("frame", 0.08, 0.3, 0.84, 0.4), ("fill", 0.2, 0.3, 0.1, 0.16), ("fill", 0.45, 0.3, 0.1, 0.16), ("fill", 0.7, 0.3, 0.1, 0.16)),
    problems=no_problems,
    plan=no_moves,
    marks=_marks,
    title=_title,
    sample=_sample,
    sample_before=_sample_before,
    repeat=_places,
)  # fmt: skip
