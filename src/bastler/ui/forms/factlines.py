"""The facts of a contour's elements as form fields, and the state of a contour as one sentence."""

from __future__ import annotations

import re
from functools import cache

from msgspec import Struct
from msgspec.structs import replace

from bastler.core.fields import Answers, Field, Suggestion, Values
from bastler.core.geometry.contour.answers import Member
from bastler.core.geometry.contour.report import differences
from bastler.core.job.document import ElementRecord
from bastler.core.planning.contours import CONTOUR_FIELDS, NamedContour, inner_key, outer_key, plane_of, times_of
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Units, show


def _fact(key: str, label: str, question: str, kind: Kind = Kind.LENGTH) -> Field:
    return Field(key, label, "Size", kind, question, optional=True)


_ENDS = (
    _fact("x", "End X", "At what X does it end?"),
    _fact("dx", "Way in X", "How far does it lead in X, from its start to its end?"),
    _fact("y", "End Y", "At what Y does it end?"),
    _fact("dy", "Way in Y", "How far does it lead in Y, from its start to its end?"),
)
_CORNERS = (
    _fact("corner", "Corner radius", "What is the radius of the corner at its end?"),
    _fact("chamfer", "Chamfer", "How long are the legs of the chamfer at its end?"),
)
_SMOOTH = Field(
    "tangent", "Smooth", "Size", Kind.FLAG, "Does the element before run into it smoothly, without a corner?", "no"
)
LINE_FIELDS: tuple[Field, ...] = (
    *_ENDS[::2], *_CORNERS, _fact("length", "Length", "How long is the line?"),
    _fact("angle", "Angle", "In what direction does it lead, counter-clockwise from X?", Kind.ANGLE), _SMOOTH, *_ENDS[1::2],
)  # fmt: skip
ARC_FIELDS: tuple[Field, ...] = (
    _fact("radius", "Radius", "What is the radius of the arc?"), *_ENDS[::2],
    Field("dir", "Turns", "Size", Kind.CHOICE, "Which way round does it turn?", "cw", choices=(("cw", "Clockwise"), ("ccw", "Counter-cl."))),
    _SMOOTH, _fact("cx", "Centre X", "Where is its centre in X?"), _fact("cy", "Centre Y", "Where is its centre in Y?"),
    _fact("sweep", "Sweep", "Through how many degrees does it turn?", Kind.ANGLE), *_CORNERS, *_ENDS[1::2],
)  # fmt: skip
_TURNED = {"X": "Z", "Y": "X"}


@cache
def element_fields(plane: str, arc: bool) -> tuple[Field, ...]:
    """The facts of a line or arc in a plane, under the words and keys of that plane; what drawings give most comes first."""
    fields = ARC_FIELDS if arc else LINE_FIELDS
    if plane == "XY":
        return fields
    at = {f.key: i for i, f in enumerate(fields)}
    other = {"x": "y", "y": "x", "dx": "dy", "dy": "dx", "cx": "cy", "cy": "cx"}
    return tuple(_renamed(fields[at[other.get(f.key, f.key)]]) for f in fields)


def _renamed(f: Field) -> Field:
    """A field of the XY plane in the ZX plane, whose X is a diameter."""
    key = outer_key("ZX", f.key)
    if key == f.key and f.key != "angle":
        return f

    def words(text: str) -> str:
        return re.sub(r"\b[XY]\b", lambda m: _TURNED[m[0]], text)

    wide = times_of("ZX", f.key) != 1.0
    return replace(
        f,
        key=key,
        label=words(f.label) + (" Ø" if wide else ""),
        question=words(f.question).replace("?", ", as a diameter?") if wide else words(f.question),
    )


PLACE_FIELDS = tuple(f for f in CONTOUR_FIELDS if f.key != "chosen")


class Told(Struct, frozen=True):
    """What the panel says above all: a sentence, how grave, and a fact that could go (element, key)."""

    text: str
    role: str
    drop: tuple[int, str] | None = None


def facts_as_answers(one: ElementRecord, at: int, solved: NamedContour, member: Member | None) -> Answers:
    """The facts of an element for its form: derived values are suggestions, contradictions problems."""
    suggestions: dict[str, Suggestion] = {}
    plane = plane_of(solved.values)
    fields = element_fields(plane, one.type == "arc")
    if member is not None:
        for f in fields:
            if f.kind in (Kind.LENGTH, Kind.ANGLE) and f.key not in ("corner", "chamfer"):
                key = inner_key(plane, f.key)
                value = member.value(key) * times_of(plane, key)
                suggestions[f.key] = Suggestion(show(value, digits=6), "follows from the other facts")
    problems = []
    lacks_only = solved.result is not None and solved.result.status == "open"
    for p in () if lacks_only else solved.problems:
        element, _, key = p.field.partition(".")
        if element == str(at):
            problems.append(Problem(key or fields[0].key, p.text))
    first_of_open = at == 0 and solved.contour is not None and not solved.contour.closed
    hidden = frozenset({"tangent"} if first_of_open else ())
    return Answers(Values({}), (), tuple(problems), suggestions, hidden)


def tell(solved: NamedContour, units: Units) -> Told:
    """The state of a contour in one sentence."""
    result = solved.result
    if solved.path is not None:
        count = len(solved.answers)
        length = show(solved.path.length, units=units, digits=3)
        chosen = f" Answer {solved.chosen + 1} of {count}." if count > 1 else ""
        off = differences(solved.contour, solved.answers[solved.chosen]) if solved.contour is not None else []
        rest = f" {off[0][1]}" if off else ""
        return Told(f"Complete, {length} long.{chosen}{rest}", "soft")
    if solved.problems and (result is None or result.status != "open"):
        p = solved.problems[0]
        element, _, key = p.field.partition(".")
        drop = (int(element), key) if element.isdigit() and key else None
        return Told(p.text, "stop", drop)
    if len(solved.answers) > 1:
        return Told(f"{len(solved.answers)} contours have these facts. Click one, or press → and Enter.", "missing")
    return Told(solved.lacks, "missing")
