"""Repeat: steps before this one, done again at other places, turned or mirrored. They stay linked: a change to one
of them changes its copies.

It cuts nothing itself; each tool goes to every place before the next is taken.
"""

from __future__ import annotations

import math

from bastler.core.cycles.base import LONG, Cycle, Pick, SubStep, no_moves, no_problems
from bastler.core.fields import Field, Suggest, Suggestion, Unanswered, Values
from bastler.core.geometry.path import Point
from bastler.core.geometry.placement import Placement, about
from bastler.core.marks import CentreCross, Distance, HoleSpot, Mark, SectionAt
from bastler.core.planning.patterns import (
    OWN_PATTERN,
    PLACES,
    NamedPattern,
    kind_of,
    place_marks,
    positions,
    skipped,
    used,
)
from bastler.core.planning.work import Work
from bastler.core.quantities import Kind, Limits, Units, show

ON_CIRCLES = ("circle", "arc")
SPOT_MM = 1.5


def _reference(v: Values) -> Point:
    return (v.get("reference_x", 0.0), v.get("reference_y", 0.0))


def _circle(v: Values) -> Point | None:
    """The middle of the circle that the places lie on."""
    pattern = v.get("pattern", "points")
    if kind_of(v) in ON_CIRCLES:
        return (v.centre_x, v.centre_y)
    if isinstance(pattern, NamedPattern) and pattern.values.get("pattern") in ON_CIRCLES:
        return (pattern.values.centre_x, pattern.values.centre_y)
    return None


def _placements(v: Values, _: Work) -> list[Placement]:
    """Where the steps are done again; the place where they already are is left out."""
    first, centre, mirror = _reference(v), _circle(v), v.get("mirror", "no")
    angle = v.get("turn", 0.0) + (180.0 if mirror == "x" else 0.0)
    found = []
    for p in used(v):
        along = 0.0
        if centre is not None and v.get("turn_along", False):
            along = math.degrees(
                math.atan2(p[1] - centre[1], p[0] - centre[0]) - math.atan2(first[1] - centre[1], first[0] - centre[0])
            )
        found.append(about(first, p, angle + along, mirror != "no"))
    return [one for one in found if not one.stays]


def _suggest(axis: int) -> Suggest:
    def suggest(v: Values, w: Work) -> Suggestion | None:
        place = _place_of(v.steps[0].values, w) if v.steps else None
        return Suggestion(show(place[axis], digits=4), "where the first of the steps is") if place else None

    return suggest


def _place_of(typed: dict[str, str], w: Work) -> Point | None:
    """Where a step is: its middle, its first hole."""
    from bastler.core.cycles.elsewhere import place_of

    return place_of(typed, w)


def _marks(v: Values, w: Work) -> list[Mark]:
    points, first = positions(v), _reference(v)
    marks: list[Mark] = [SectionAt(points[0][1] if points else first[1]), CentreCross(first, (6.0, 6.0))]
    marks += [HoleSpot(i, p, SPOT_MM, i in skipped(v)) for i, p in enumerate(points, 1)]
    marks += [
        Distance("reference_x", (0.0, first[1]), first),
        Distance("reference_y", (first[0], 0.0), first, 90.0),
    ]
    return [*marks, *place_marks(v)]


def _title(v: Values, _: Units) -> str:
    try:
        names = ", ".join(s.name or s.cycle.replace("_", " ") for s in v.steps)
        return f"{names} × {len(_placements(v, None))}"  # type: ignore[arg-type]
    except (Unanswered, ArithmeticError):
        return "other steps"


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    b = w.block
    x, y = (b.x0 + b.x1) / 2, (b.y0 + b.y1) / 2
    kind = pick.choice(("points", "circle", "grid"))
    places = {
        "points": {"points": f"{pick.number(b.x0, b.x1)}, {pick.number(b.y0, b.y1)}"},
        "circle": {"centre_x": str(x), "centre_y": str(y), "circle_diameter": str(pick.number(20, 60)), "count": pick.choice(("2", "5"))},
        "grid": {"first_x": str(x), "first_y": str(y), "columns": "2", "rows": "2", "pitch_x": str(pick.number(8, 30)), "pitch_y": str(pick.number(8, 30))},
    }  # fmt: skip
    typed = {"steps": pick.choice(("before0", "before0, before1", "before1")), "pattern": kind, **places[kind],
             "mirror": pick.choice(("no", "x", "y")), "turn": str(pick.number(-90, 90))}  # fmt: skip
    return {**typed, "turn_along": pick.choice(("yes", "no"))} if kind == "circle" else typed


def _sample_before(typed: dict[str, str], w: Work) -> tuple[SubStep, ...]:
    """A pocket and a hole beside it."""
    b = w.block
    x, y, top = (b.x0 + b.x1) / 2, (b.y0 + b.y1) / 2, str(b.z1)
    mill = next(t for t in w.tools.values() if t.kind == "end-mill" and t.diameter <= 10 and not t.corner_radius)
    drill = next(t for t in w.tools.values() if t.kind == "drill")
    pocket = {"centre_x": str(x), "centre_y": str(y), "top": top, "length": "30", "width": "14", "corner": str(mill.radius),
              "angle": "20", "depth": "4", "tool": str(mill.number)}  # fmt: skip
    hole = {
        "points": f"{x + 22}, {y + 3}; {x - 20}, {y + 9}",
        "top": top,
        "diameter": str(drill.diameter),
        "depth": "8",
        "tool": str(drill.number),
    }
    return (SubStep("pocket", "", "steps", pocket), SubStep("drill", "", "steps", hole))


CYCLE = Cycle(
    id="repeat",
    rank=78,
    name="Repeat",
    words=("repeat", "copy", "mirror", "turn", "pattern", "again"),
    summary="Do steps again at other places",
    tool_kinds=(),
    fields=(
        Field("steps", "Steps", "Place", Kind.STEPS, "Which of the earlier steps are repeated?"),
        Field("reference_x", "From X", "Place", Kind.LENGTH, "Which X of these steps is put on each place below?", suggest=_suggest(0), limits=LONG, stand_in=0.0),
        Field("reference_y", "From Y", "Place", Kind.LENGTH, "Which Y of these steps is put on each place below?", suggest=_suggest(1), limits=LONG, stand_in=0.0),
        OWN_PATTERN,
        *PLACES,
        Field("mirror", "Mirrored", "Size", Kind.CHOICE, "Are the copies mirrored first?", "no", choices=(("no", "No"), ("x", "About X"), ("y", "About Y"))),
        Field("turn", "Turned by", "Size", Kind.ANGLE, "How far is each copy turned, counter-clockwise?", "0", Limits(-360, 360), stand_in=0.0),
        Field("turn_along", "Turn along", "Size", Kind.FLAG, "Does each copy turn as it goes round the circle?", "yes",
              shown=lambda v: kind_of(v) in (*ON_CIRCLES, "named")),
    ),
    pictogram=(("frame", 0.08, 0.15, 0.84, 0.7), ("fill", 0.16, 0.32, 0.2, 0.36), ("fill", 0.42, 0.32, 0.2, 0.36), ("fill", 0.68, 0.32, 0.2, 0.36)),
    problems=no_problems,
    plan=no_moves,
    marks=_marks,
    title=_title,
    sample=_sample,
    sample_before=_sample_before,
    repeat=_placements,
)  # fmt: skip
