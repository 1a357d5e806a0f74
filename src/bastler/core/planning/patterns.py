"""Patterns: where holes lie. The same fields serve a step's own pattern and the named ones of the job.

*Positions*: all places of a pattern, numbered from 1 in the order made here; a skip list names numbers
to leave out. *Named pattern*: one of the job, resolved; a step names it by its id.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

from msgspec import Struct

from bastler.core.fields import Answers, Field, Values, read
from bastler.core.geometry.path import Point
from bastler.core.marks import CentreCross, Distance, Mark, PitchCircle, Radius
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units

if TYPE_CHECKING:
    from bastler.core.job.document import PatternRecord
    from bastler.core.tooling.tools import Tool


LONG = Limits(-10_000, 10_000)
SIZE = Limits(0, 10_000, low_open=True)
COUNT = Limits(1, 400)
MOST_POSITIONS = 5000
OWN = "own"


class NamedPattern(Struct, frozen=True):
    """A pattern of the job: all its positions, the numbers left out, its answers; ``lacks``: why it can't be used yet, ``wrong``: because of something typed."""

    id: str
    name: str
    points: tuple[Point, ...]
    skipped: frozenset[int]
    values: Values
    lacks: str = ""
    wrong: bool = False

    @property
    def used(self) -> list[Point]:
        """The positions that are not left out."""
        return [p for i, p in enumerate(self.points, 1) if i not in self.skipped]


def turned(points: list[Point], about: Point, angle_deg: float) -> list[Point]:
    """Points turned counter-clockwise."""
    c, s = math.cos(math.radians(angle_deg)), math.sin(math.radians(angle_deg))
    moved = [(x - about[0], y - about[1]) for x, y in points]
    return [(about[0] + c * x - s * y, about[1] + s * x + c * y) for x, y in moved]


def line(first: Point, count: int, pitch: float, angle_deg: float) -> list[Point]:
    """Evenly along a line from ``first``."""
    return turned([(first[0] + i * pitch, first[1]) for i in range(count)], first, angle_deg)


def grid(
    first: Point, columns: int, rows: int, pitch_x: float, pitch_y: float, angle_deg: float,
    skew_deg: float = 0.0, staggered: bool = False,
) -> list[Point]:  # fmt: skip
    """Row by row from ``first``, every other row backwards, turned about ``first``.

    ``skew_deg`` leans the columns; ``staggered`` moves every other row by half a pitch.
    """
    points = []
    for row in range(rows):
        order = range(columns) if row % 2 == 0 else range(columns - 1, -1, -1)
        lean = row * pitch_y * math.tan(math.radians(skew_deg)) + (pitch_x / 2 if staggered and row % 2 else 0.0)
        points += [(first[0] + column * pitch_x + lean, first[1] + row * pitch_y) for column in order]
    return turned(points, first, angle_deg)


def frame(centre: Point, length: float, width: float, columns: int, rows: int, angle_deg: float) -> list[Point]:
    """Along the edge of a rectangle, counter-clockwise from its lower left corner, corners included."""
    a, b = length / 2, width / 2
    columns, rows = max(columns, 2), max(rows, 2)
    across = [(-a + length * i / (columns - 1), -b) for i in range(columns)]
    up = [(a, -b + width * j / (rows - 1)) for j in range(1, rows)]
    back = [(a - length * i / (columns - 1), b) for i in range(1, columns)]
    down = [(-a, b - width * j / (rows - 1)) for j in range(1, rows - 1)]
    return turned([(centre[0] + x, centre[1] + y) for x, y in (*across, *up, *back, *down)], centre, angle_deg)


def arc(centre: Point, diameter: float, count: int, start_deg: float, step_deg: float) -> list[Point]:
    """On a circle from ``start_deg`` (0 = +X), ``step_deg`` apart."""
    angles = [math.radians(start_deg + step_deg * i) for i in range(count)]
    return [(centre[0] + diameter / 2 * math.cos(a), centre[1] + diameter / 2 * math.sin(a)) for a in angles]


def circle(centre: Point, diameter: float, count: int, start_deg: float) -> list[Point]:
    """Evenly on a full circle."""
    return arc(centre, diameter, count, start_deg, 360.0 / count)


def copied(v: Values) -> list[Point]:
    """Another pattern mirrored, turned about the zero, then shifted."""
    points = list(v.source.points)
    if v.mirror != "no":
        points = [(-x, y) if v.mirror == "y" else (x, -y) for x, y in points]
    moved = turned(points, (0.0, 0.0), v.get("angle", 0.0))
    return [(x + v.shift_x, y + v.shift_y) for x, y in moved]


POSITIONS: Mapping[str, Callable[[Values], list[Point]]] = {
    "points": lambda v: list(v.points),
    "line": lambda v: line((v.first_x, v.first_y), v.count, v.pitch_x, v.get("angle", 0.0)),
    "grid": lambda v: grid((v.first_x, v.first_y), v.columns, v.rows, v.pitch_x, v.pitch_y, v.get("angle", 0.0),
                           v.get("skew", 0.0), v.get("staggered", False)),
    "frame": lambda v: frame((v.centre_x, v.centre_y), v.frame_length, v.frame_width, v.columns, v.rows, v.get("angle", 0.0)),
    "circle": lambda v: circle((v.centre_x, v.centre_y), v.circle_diameter, v.count, v.get("start_angle", 0.0)),
    "arc": lambda v: arc((v.centre_x, v.centre_y), v.circle_diameter, v.count, v.get("start_angle", 0.0), v.step_angle),
    "copy": copied,
}  # fmt: skip


def kind_of(v: Values) -> str:
    """``named``, or the kind of the step's own pattern."""
    pattern = v.get("pattern", "points")
    return "named" if isinstance(pattern, NamedPattern) else str(pattern)


def positions(v: Values) -> list[Point]:
    """Every position, those left out too."""
    pattern = v.get("pattern", "points")
    return list(pattern.points) if isinstance(pattern, NamedPattern) else POSITIONS[pattern](v)


def skipped(v: Values) -> frozenset[int]:
    """The numbers left out."""
    pattern = v.get("pattern", "points")
    return pattern.skipped if isinstance(pattern, NamedPattern) else frozenset(v.get("skip", ()))


def used(v: Values) -> list[Point]:
    """The positions that are not left out."""
    leave = skipped(v)
    return [p for i, p in enumerate(positions(v), 1) if i not in leave]


def _on(*kinds: str) -> Callable[[Values], bool]:
    return lambda v: kind_of(v) in kinds


KINDS = (
    ("points", "Points"),
    ("line", "Line"),
    ("grid", "Grid"),
    ("frame", "Frame"),
    ("circle", "Circle"),
    ("arc", "Arc"),
)
_FROM_FIRST, _FROM_CENTRE = ("line", "grid"), ("frame", "circle", "arc")

PLACES: tuple[Field, ...] = (
    Field("points", "Points", "Place", Kind.POINTS, "Where are the holes (X, Y; X, Y; … or radius at angle: 21 at 72)?", stand_in=((0.0, 0.0),), shown=_on("points")),
    Field("first_x", "First X", "Place", Kind.LENGTH, "Where is the first hole in X?", limits=LONG, stand_in=0.0, shown=_on(*_FROM_FIRST)),
    Field("first_y", "First Y", "Place", Kind.LENGTH, "Where is the first hole in Y?", limits=LONG, stand_in=0.0, shown=_on(*_FROM_FIRST)),
    Field("centre_x", "Centre X", "Place", Kind.LENGTH, "Where is the middle of the pattern in X?", limits=LONG, stand_in=0.0, shown=_on(*_FROM_CENTRE)),
    Field("centre_y", "Centre Y", "Place", Kind.LENGTH, "Where is the middle of the pattern in Y?", limits=LONG, stand_in=0.0, shown=_on(*_FROM_CENTRE)),
    Field("frame_length", "Frame length", "Place", Kind.LENGTH, "How long is the frame from hole to hole?", limits=SIZE, stand_in=60.0, shown=_on("frame")),
    Field("frame_width", "Frame width", "Place", Kind.LENGTH, "How wide is the frame from hole to hole?", limits=SIZE, stand_in=40.0, shown=_on("frame")),
    Field("columns", "Columns", "Place", Kind.COUNT, "How many holes are in a row?", limits=COUNT, stand_in=2, shown=_on("grid", "frame")),
    Field("rows", "Rows", "Place", Kind.COUNT, "How many rows are there?", limits=COUNT, stand_in=2, shown=_on("grid", "frame")),
    Field("pitch_x", "Pitch in a row", "Place", Kind.LENGTH, "How far apart are the holes of a row?", limits=LONG, stand_in=15.0, shown=_on(*_FROM_FIRST)),
    Field("pitch_y", "Pitch of rows", "Place", Kind.LENGTH, "How far apart are the rows?", limits=LONG, stand_in=15.0, shown=_on("grid")),
    Field("circle_diameter", "Circle diameter", "Place", Kind.LENGTH, "What is the diameter of the circle through the holes?", limits=SIZE, stand_in=30.0, shown=_on("circle", "arc")),
    Field("count", "Count", "Place", Kind.COUNT, "How many holes are there?", limits=COUNT, stand_in=6, shown=_on("line", "circle", "arc")),
    Field("start_angle", "Start angle", "Place", Kind.ANGLE, "At what angle is the first hole (0 is along +X)?", "0", Limits(-360, 360), stand_in=0.0, shown=_on("circle", "arc")),
    Field("step_angle", "Angle between", "Place", Kind.ANGLE, "What is the angle between two holes?", limits=Limits(-360, 360), stand_in=30.0, shown=_on("arc")),
    Field("angle", "Turned by", "Place", Kind.ANGLE, "How far is the pattern turned, counter-clockwise?", "0", Limits(-360, 360), stand_in=0.0, shown=_on("line", "grid", "frame", "copy")),
    Field("skew", "Columns lean by", "Place", Kind.ANGLE, "At what angle do the columns lean?", "0", Limits(-80, 80), stand_in=0.0, shown=_on("grid")),
    Field("staggered", "Staggered", "Place", Kind.FLAG, "Is every other row moved by half a pitch?", "no", shown=_on("grid")),
    Field("skip", "Leave out", "Place", Kind.NUMBERS, "Which holes are left out? Click them on the drawing, or type their numbers.", optional=True,
          shown=lambda v: kind_of(v) not in ("points", "named")),
)  # fmt: skip

OWN_PATTERN = Field(
    "pattern", "Pattern", "Place", Kind.PATTERN, "How do the holes lie: as a pattern of the job, or given here?", "points", choices=KINDS
)  # fmt: skip

NAMED_FIELDS: tuple[Field, ...] = (
    Field("pattern", "Kind", "Place", Kind.CHOICE, "How do the positions lie?", "points", choices=(*KINDS, ("copy", "Copy of another"))),
    Field("source", "Copy of", "Place", Kind.PATTERN, "Of which pattern is it a copy?", shown=_on("copy")),
    Field("shift_x", "Shifted in X", "Place", Kind.LENGTH, "By how much is the copy shifted in X?", "0", LONG, shown=_on("copy")),
    Field("shift_y", "Shifted in Y", "Place", Kind.LENGTH, "By how much is the copy shifted in Y?", "0", LONG, shown=_on("copy")),
    Field("mirror", "Mirrored", "Place", Kind.CHOICE, "Is the copy mirrored first?", "no",
          choices=(("no", "No"), ("x", "About X"), ("y", "About Y")), shown=_on("copy")),
    *PLACES,
)  # fmt: skip
"""A named pattern is made of these."""


class _Known(Struct):
    """What the reading of a pattern may look up: the patterns before it."""

    patterns: Mapping[str, NamedPattern]
    tools: Mapping[int, Tool] = {}


def read_patterns(
    records: tuple[PatternRecord, ...], units: Units
) -> tuple[Mapping[str, NamedPattern], tuple[Answers, ...]]:
    """All patterns by id, and the answers of each record (``id``, ``name``, ``values``) in order."""
    by_id = {r.id: r for r in records}
    resolved: dict[str, NamedPattern] = {}
    answers: dict[str, Answers] = {}

    def resolve(one: PatternRecord, within: tuple[str, ...]) -> None:
        if one.id in answers:
            return
        source = one.values.get("source", "") if one.values.get("pattern") == "copy" else ""
        if source in (*within, one.id):
            sentence = f"Pattern “{one.name}” is made of itself. Choose another to copy."
            answers[one.id] = Answers(Values({"pattern": "copy"}), problems=(Problem("source", sentence),))
            resolved[one.id] = NamedPattern(
                one.id, one.name, (), frozenset(), Values({}), "it is made of itself.", True
            )
            return
        if source in by_id:
            resolve(by_id[source], (*within, one.id))
        found = read(NAMED_FIELDS, one.values, _Known(resolved), units)
        answers.setdefault(one.id, _with_points(one, found, resolved))

    for record in records:
        resolve(record, ())
    return resolved, tuple(answers[r.id] for r in records)


def _with_points(one: PatternRecord, found: Answers, resolved: dict[str, NamedPattern]) -> Answers:
    """The answers judged; the pattern with its points, or with what it lacks."""
    points, leave = (positions(found.values), skipped(found.values)) if found.complete else ([], frozenset[int]())
    problems = (*found.problems, *(place_problems(points, leave) if found.complete else ()))
    answers = found.with_problems(problems)
    lacks = (
        problems[0].text
        if problems
        else next(iter(found.begun.values()), "it still asks for something.")
        if found.missing
        else ""
    )
    used = ((), frozenset[int]()) if lacks else (tuple(points), leave)
    resolved[one.id] = NamedPattern(one.id, one.name, *used, found.values, lacks, bool(problems))
    return answers


def place_problems(points: list[Point], leave: frozenset[int]) -> list[Problem]:
    """What is wrong with the positions themselves."""
    found = []
    beyond = sorted(n for n in leave if n < 1 or n > len(points))
    if beyond:
        found.append(Problem("skip", f"There is no hole {beyond[0]}: the pattern has {len(points)}."))
    if len(points) > MOST_POSITIONS:
        found.append(
            Problem("pattern", f"{len(points)} positions are more than Bastler draws ({MOST_POSITIONS}). Give fewer.")
        )
    if not points or len(leave) >= len(points) > 0:
        found.append(Problem("skip" if leave else "points", "No hole is left. Give at least one position."))
    return found


def place_marks(v: Values) -> list[Mark]:
    """Dimensions of a pattern given here."""
    kind, points, angle = kind_of(v), positions(v), v.get("angle", 0.0)
    if not points or kind in ("points", "named", "copy"):
        return []
    first = points[0]
    marks: list[Mark] = []
    if kind in _FROM_CENTRE:
        centre = (v.centre_x, v.centre_y)
        marks += [Distance("centre_x", (0.0, centre[1]), centre), Distance("centre_y", (centre[0], 0.0), centre, 90.0)]
        if kind == "frame":
            a, b = turned([(centre[0] - v.frame_length / 2, centre[1] - v.frame_width / 2),
                           (centre[0] + v.frame_length / 2, centre[1] + v.frame_width / 2)], centre, angle)  # fmt: skip
            marks += [Distance("frame_length", a, b, angle), Distance("frame_width", a, b, angle + 90.0)]
            marks.append(CentreCross(centre, (v.frame_length / 2 + 4, v.frame_width / 2 + 4), angle))
        else:
            radius = v.circle_diameter / 2
            between = 540.0 / v.count if kind == "circle" else 1.5 * v.step_angle
            marks += [PitchCircle(centre, radius),
                      Radius("circle_diameter", centre, radius, v.get("start_angle", 0.0) + between, diameter=True)]  # fmt: skip
    else:
        marks += [Distance("first_x", (0.0, first[1]), first), Distance("first_y", (first[0], 0.0), first, 90.0)]
        columns = v.count if kind == "line" else v.columns
        if columns > 1:
            marks.append(Distance("pitch_x", points[0], points[1], angle))
        if kind == "grid" and v.rows > 1:
            marks.append(Distance("pitch_y", points[columns - 1], points[columns], angle + 90.0))
    return marks
