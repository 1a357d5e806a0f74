"""Contours of a job: chains of lines and arcs solved from typed facts, circles and rectangles.

*Named contour*: one of the job, resolved; steps name it by its id. A chain that lacks facts, contradicts itself or
has several answers of which none is chosen has no path yet; it says so where it is used, and nothing else waits for it.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from functools import lru_cache
from typing import TYPE_CHECKING

from msgspec import Struct
from msgspec.structs import replace

from bastler.core.fields import Answers, Field, Shown, Values, read
from bastler.core.geometry.contour.answers import Answer, Member
from bastler.core.geometry.contour.facts import (
    ANGLES,
    ARC_KEYS,
    KEYS,
    LINE_KEYS,
    MOST_ELEMENTS,
    PLANES,
    Contour,
    Element,
    Fact,
    Mirror,
    misplaced,
    named,
    out_of_range,
)
from bastler.core.geometry.contour.search import Memory, Result, Trouble
from bastler.core.geometry.contour.solve import solve
from bastler.core.geometry.path import Arc, Path, Point, area, rounded_rectangle
from bastler.core.problems import Problem, Unfinished, Unusable
from bastler.core.quantities import Kind, Limits, Units, evaluate, scale, show

if TYPE_CHECKING:
    from bastler.core.job.document import ContourRecord, ElementRecord


LONG = Limits(-10_000, 10_000)
SIZE = Limits(0, 10_000, low_open=True)
AGREES_MM = {"mm": 0.001, "inch": 0.00254}
"""Facts that say the same twice agree within this: the last digit that drawings give."""
CLOSED_MM = 1e-6
CLEARLY = 0.5
"""The answer chosen is taken for another one at most this many times as far from it as the next."""
RADIUS, LEG = "corner", "chamfer"
ENDING = frozenset({"x", "y", "dx", "dy", "length", "angle"})
"""Facts by which an element leads somewhere of its own."""
NOT_BACK = "It isn't back at its start yet. Type the next line or arc, or say that it stays open."
MEMORY = Memory()


def _is(*shapes: str) -> Shown:
    return lambda v: v.get("shape", "chain") in shapes


def _turned(v: Values) -> bool:
    return bool(v.get("shape", "chain") == "chain" and v.get("plane", "XY") == "ZX")


def _milled(v: Values) -> bool:
    return bool(v.get("shape", "chain") == "chain" and v.get("plane", "XY") == "XY")


def _mirrored(v: Values) -> bool:
    return v.get("shape", "chain") == "chain" and bool(v.get("mirror", False))


def _unmirrored(v: Values) -> bool:
    return _milled(v) and not v.get("mirror", False)


CONTOUR_FIELDS: tuple[Field, ...] = (
    Field("shape", "Shape", "Place", Kind.CHOICE, "Is it a chain of lines and arcs, a circle, or a rectangle?", "chain",
          choices=(("chain", "Lines and arcs"), ("circle", "Circle"), ("rectangle", "Rectangle"))),
    Field("plane", "Plane", "Place", Kind.CHOICE, "Is it seen from above, to be milled, or from the side of the axis, to be turned?", "XY",
          choices=(("XY", "XY, milled"), ("ZX", "ZX, turned")), shown=_is("chain")),
    Field("start_x", "Start X", "Place", Kind.LENGTH, "Where does it start in X? Leave it empty if the drawing doesn't say.", optional=True, limits=LONG, shown=_is("chain")),
    Field("start_z", "Start Z", "Place", Kind.LENGTH, "Where does it start in Z? Leave it empty if the drawing doesn't say.", optional=True, limits=LONG, shown=_turned),
    Field("start_y", "Start Y", "Place", Kind.LENGTH, "Where does it start in Y? Leave it empty if the drawing doesn't say.", optional=True, limits=LONG, shown=_milled),
    Field("mirror", "Mirrored", "Place", Kind.FLAG, "Is the other half its mirror image?", "no", shown=_milled),
    Field("closed", "Closed", "Place", Kind.FLAG, "Does the last element end where the first one starts?", "yes", shown=_unmirrored),
    Field("mirror_x", "Mirror line X", "Place", Kind.LENGTH, "At what X does the mirror line pass?", "0", LONG, shown=_mirrored),
    Field("mirror_y", "Mirror line Y", "Place", Kind.LENGTH, "At what Y does the mirror line pass?", "0", LONG, shown=_mirrored),
    Field("mirror_angle", "Mirror line angle", "Place", Kind.ANGLE, "At what angle does the mirror line run (0 is along X)?", "90", Limits(-360, 360), shown=_mirrored),
    Field("mirror_smooth", "Crossed smoothly", "Place", Kind.FLAG, "Does it cross the mirror line without a corner?", "no", shown=_mirrored),
    Field("centre_x", "Centre X", "Place", Kind.LENGTH, "Where is its middle in X?", limits=LONG, stand_in=0.0, shown=_is("circle", "rectangle")),
    Field("centre_y", "Centre Y", "Place", Kind.LENGTH, "Where is its middle in Y?", limits=LONG, stand_in=0.0, shown=_is("circle", "rectangle")),
    Field("diameter", "Diameter", "Size", Kind.LENGTH, "What is the diameter of the part?", limits=SIZE, stand_in=20.0, shown=_is("circle")),
    Field("length", "Length", "Size", Kind.LENGTH, "How long is it?", limits=SIZE, stand_in=40.0, shown=_is("rectangle")),
    Field("width", "Width", "Size", Kind.LENGTH, "How wide is it?", limits=SIZE, stand_in=25.0, shown=_is("rectangle")),
    Field("corner", "Corner radius", "Size", Kind.LENGTH, "What radius do its corners have (0 for sharp)?", "0", Limits(0, 10_000), shown=_is("rectangle")),
    Field("angle", "Turned by", "Place", Kind.ANGLE, "How far is the rectangle turned, counter-clockwise?", "0", Limits(-360, 360), shown=_is("rectangle")),
    Field("chosen", "Chosen answer", "Place", Kind.POINTS, "Which of the answers is it? Its joints are kept.", optional=True, shown=_is("chain")),
)  # fmt: skip


class NamedContour(Struct, frozen=True):
    """A contour of the job. ``path`` once it is certain, corners put in; ``lacks`` says what is missing until then.

    ``contour`` and ``result`` are the chain's facts and what the calculator says;
    ``answers`` are those with corners put in, ``chosen`` the index of the one taken, -1 while none is.
    ``problems`` name a field, or a fact as ``3.radius`` (the element counted from 0).
    """

    id: str
    name: str
    path: Path | None
    closed: bool
    lacks: str
    values: Values
    problems: tuple[Problem, ...] = ()
    missing: tuple[str, ...] = ()
    contour: Contour | None = None
    result: Result | None = None
    answers: tuple[Answer, ...] = ()
    chosen: int = -1

    @property
    def wrong(self) -> bool:
        """Whether facts contradict or can't be read, so that typing on doesn't help."""
        return bool(self.problems) and (self.result is None or self.result.status != "open")

    @property
    def known(self) -> tuple[Member, ...]:
        """Elements whose points are certain, without their corners."""
        if self.chosen >= 0:
            return self.answers[self.chosen].plain
        return self.result.certain if self.result is not None else ()


def plane_of(values: Mapping[str, str] | Values) -> str:
    """The plane of a contour from its typed values."""
    return "ZX" if values.get("plane") == "ZX" else "XY"


def outer_key(plane: str, key: str) -> str:
    """A fact's key as it is typed, from the one inside."""
    return PLANES[plane].names[key][0] if key in PLANES[plane].names else key


def inner_key(plane: str, key: str) -> str:
    """A fact's key inside, from the one that is typed."""
    return next((k for k, (name, _) in PLANES[plane].names.items() if name == key), key)


def times_of(plane: str, key: str) -> float:
    """What a fact's value inside is multiplied by to be typed: 2 where it is a diameter."""
    return PLANES[plane].times.get(key, 1.0)


def place_words(plane: str, p: Point, units: Units, digits: int = 3) -> str:
    """A place of a contour in short: ``12, 5``, or in ZX ``Z -12 X 30``, X as a diameter."""
    if plane == "XY":
        return f"{show(p[0], units=units, digits=digits)}, {show(p[1], units=units, digits=digits)}"
    return (
        f"Z {show(p[0], units=units, digits=digits)} X {show(p[1] * times_of(plane, 'y'), units=units, digits=digits)}"
    )


def read_contours(records: tuple[ContourRecord, ...], units: Units) -> Mapping[str, NamedContour]:
    """All contours by id (records have ``id``, ``name``, ``values``, ``elements``)."""
    return {r.id: read_contour_record(r, units) for r in records}


def read_contour_record(record: ContourRecord, units: Units) -> NamedContour:
    """One contour read and, if it is a chain, solved."""
    found = read(CONTOUR_FIELDS, record.values, None, units)
    v = found.values
    name = record.name or "contour"
    if v.get("shape", "chain") != "chain":
        return _simple(record.id, name, found, units)
    problems = list(found.problems)
    contour, wrong, begun = _chain(record.elements, v, units)
    problems += wrong
    begun = {**found.begun, **begun}
    blank = NamedContour(record.id, name, None, contour.closed, "", v, tuple(problems), tuple(begun), contour)
    if not record.elements:
        return replace(blank, lacks="It has no lines and arcs yet. Type the first one.")
    if problems:
        return replace(blank, lacks=problems[0].text)
    result, answers, troubles = _solved(contour, AGREES_MM[units])
    if contour.closed and (_too_short(contour) or (troubles and result.status != "open")):
        way = _on_its_way(contour, AGREES_MM[units])
        if way is not None:
            return replace(blank, closed=True, contour=way[0], result=way[1], lacks=NOT_BACK)
    state = replace(blank, result=result, answers=answers)
    if troubles:
        placed = tuple(
            Problem(f"{t.element}.{outer_key(contour.plane, t.key)}" if t.key else f"{t.element}.", _sentence(t))
            for t in troubles
        )
        return replace(state, problems=placed, lacks=_sentence(troubles[0]))
    if begun:
        return replace(state, lacks=next(iter(begun.values())))
    chosen = choose(answers, v.get("chosen"))
    if chosen < 0:
        return replace(state, lacks=f"{len(answers)} contours have these facts. Choose one, or give one more fact.")
    path = answers[chosen].path()
    closed = math.dist(path.start, path.end) < CLOSED_MM
    return replace(state, chosen=chosen, path=path, closed=closed)


def _too_short(contour: Contour) -> bool:
    return len(contour.elements) < (2 if any(e.arc for e in contour.elements) else 3)


def _on_its_way(contour: Contour, tolerance: float) -> tuple[Contour, Result] | None:
    """A contour that is to close, taken as far as it is typed: its last element has an end of its own and nothing contradicts."""
    if not _too_short(contour) and not any(f.key in ENDING for f in contour.elements[-1].facts):
        return None
    open_one = replace(contour, closed=False)
    result, _, _ = _solved(open_one, tolerance)
    if result.status == "conflict" or (not _too_short(contour) and _back(open_one, result, tolerance)):
        return None
    return open_one, result


def _back(contour: Contour, result: Result, tolerance: float) -> bool:
    """Whether an open contour leads back to its start."""
    first = next((m.start for m in result.certain if m.source == 0), None)
    last = next((m.end for m in result.certain if m.source == len(contour.elements) - 1), None)
    return first is not None and last is not None and math.dist(first, last) < tolerance


def _sentence(trouble: Trouble) -> str:
    return trouble.text[:1].upper() + trouble.text[1:]


def _simple(key: str, name: str, found: Answers, units: Units) -> NamedContour:
    """A circle or a rectangle."""
    v = found.values
    fields = {f.key: f for f in CONTOUR_FIELDS}
    path, lacks, problems = None, "", list(found.problems)
    if found.missing:
        lacks = f"{fields[found.missing[0]].label} is not answered yet."
    elif problems:
        lacks = problems[0].text
    elif v.shape == "circle":
        start = (v.centre_x + v.diameter / 2, v.centre_y)
        path = Path(start, (Arc(start, (v.centre_x, v.centre_y), True),))
    else:
        least = min(v.length, v.width) / 2
        if v.corner > least:
            lacks = f"A corner radius can be at most half the width, {show(least, units=units)}."
            problems.append(Problem("corner", lacks))
        else:
            outline = rounded_rectangle(v.length / 2, v.width / 2, v.corner)
            path = outline.placed((v.centre_x, v.centre_y), v.angle)
    return NamedContour(key, name, path, True, lacks, v, tuple(problems), found.missing)


def _chain(
    elements: tuple[ElementRecord, ...], v: Values, units: Units
) -> tuple[Contour, list[Problem], dict[str, str]]:
    """The facts as typed, what can't be read, and what is said of those that are only begun."""
    problems: list[Problem] = []
    begun: dict[str, str] = {}
    if len(elements) > MOST_ELEMENTS:
        problems.append(Problem("shape", f"A contour has at most {MOST_ELEMENTS} elements; split this one."))
        elements = elements[:MOST_ELEMENTS]
    plane = v.get("plane", "XY")
    times = PLANES[plane].times
    inner = {outer: key for key, (outer, _) in PLANES[plane].names.items()}
    read_elements = []
    for i, e in enumerate(elements):
        facts: dict[str, float] = {}
        for key, text in e.facts.items():
            if not text.strip():
                continue
            if inner.get(key, key) not in (*(ARC_KEYS if e.type == "arc" else LINE_KEYS), RADIUS, LEG):
                known = "radius, ends, centre or sweep" if e.type == "arc" else "ends, length or angle"
                text = f"{'Arc' if e.type == 'arc' else 'Line'} {i + 1} has no “{key}”. Give its {known}."
                problems.append(Problem(f"{i}.{key}", text))
                continue
            try:
                value = evaluate(text, Kind.ANGLE if key in ANGLES else Kind.LENGTH, units)
                facts[inner.get(key, key)] = value / times.get(inner.get(key, key), 1.0)
            except Unfinished as error:
                begun[f"{i}.{key}"] = str(error)
            except Unusable as error:
                problems.append(Problem(f"{i}.{key}", str(error)))
        bevel = LEG in facts
        corner = abs(facts.get(LEG, facts.get(RADIUS, 0.0)))
        own = tuple(Fact(k, facts[k]) for k in KEYS if k in facts)
        one = Element(e.type == "arc", e.dir == "ccw", own, e.tangent, corner, bevel)
        wrong = out_of_range(one)
        if wrong:
            place = f"{'Arc' if one.arc else 'Line'} {i + 1}"
            problems.append(Problem(f"{i}.{wrong[0]}", f"{place}: {wrong[1]}"))
        read_elements.append(one)
    mirror = None
    if _mirrored(v):
        mirror = Mirror(
            v.get("mirror_x", 0.0),
            v.get("mirror_y", 0.0),
            v.get("mirror_angle", 90.0),
            bool(v.get("mirror_smooth", False)),
        )
    closed = mirror is None and plane == "XY" and bool(v.get("closed", True))
    start = (v.get("start_x"), v.get("start_y"))
    if plane == "ZX":
        start = (v.get("start_z"), v.get("start_x") / times["y"] if v.get("start_x") is not None else None)
    contour = Contour(start, tuple(read_elements), closed, plane, mirror, scale(Kind.LENGTH, units))
    if not problems and read_elements:
        where = misplaced(contour)
        if where:
            problems.append(Problem(f"{where[0]}.", where[1][0].upper() + where[1][1:]))
    return contour, problems, begun


@lru_cache(maxsize=128)
def _solved(contour: Contour, tolerance: float) -> tuple[Result, tuple[Answer, ...], tuple[Trouble, ...]]:
    """What the calculator says, the answers with their corners, and what keeps the contour from being used."""
    from bastler.core.geometry.contour.report import solved_with_corners

    result = solve(contour, tolerance, MEMORY)
    whole = solved_with_corners(contour, result)
    if whole.status == "open":
        count = "One more fact is" if result.missing == 1 else f"Still {result.missing} facts"
        near = result.loose[0] if result.loose else 0
        asked = result.troubles or (Trouble(near, f"{count} missing, from {named(contour.elements, near)} on."),)
        return result, (), asked
    if whole.status == "conflict":
        return result, (), whole.troubles or (Trouble(0, "The facts contradict each other."),)
    return result, whole.answers, ()


def joints(answer: Answer) -> list[Point]:
    """What an answer is recognised by: ends and centres."""
    return [p for m in answer.members for p in ((m.end, m.centre) if m.centre is not None else (m.end,))]


def choose(answers: tuple[Answer, ...], like: tuple[Point, ...] | None) -> int:
    """The index of the answer that is meant: the only one, or the one clearly most like the points given; -1 for none.

    Edits move an answer a little; if two are about as near, the chosen one may be gone, and it is asked for again.
    """
    if len(answers) == 1:
        return 0
    if not like or not answers:
        return -1

    def unlike(answer: Answer) -> float:
        own = joints(answer)
        if len(own) == len(like):
            return sum(math.dist(p, q) for p, q in zip(own, like, strict=True))
        return sum(min(math.dist(p, q) for q in own) for p in like)

    by_likeness = sorted((unlike(a), k) for k, a in enumerate(answers))
    (least, best), (second, _) = by_likeness[:2]
    return best if least < CLEARLY * second else -1


def chosen_text(answer: Answer, units: Units) -> str:
    """The field *chosen* for an answer, in the job's units."""
    by = scale(Kind.LENGTH, units)
    return "; ".join(f"{x / by:.4f}, {y / by:.4f}" for x, y in joints(answer))


def contours_of(v: Values, key: str) -> list[Path]:
    """Closed paths of the contours that a field names, counter-clockwise."""
    value = v.get(key)
    if value is None:
        return []
    many = value if isinstance(value, tuple) else (value,)
    return [p if area(p) > 0 else p.reversed() for c in many if (p := c.path) is not None and c.closed]
