"""Milling tools as real geometry.

*Tip*: the lowest point of the tool, where Z of a move is; *flutes* cut from there upwards;
*shank* is the smooth part above the flutes; *stick-out* is measured from the tip to the
holder; the *holder* is a stack of cylinders from the tool upwards.
All lengths in millimetres, radii for geometry, diameters where a person types.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

from msgspec import Struct

from bastler.core.fields import Answers, Field, Suggestion, Values, read
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, show

ABOVE_ZERO = Limits(low=0.0, low_open=True, high=500.0)
FEED_STRAIGHT_DOWN_DEG = 90.0


class Tool(Struct, frozen=True):
    """A usable tool; lengths in mm, angles in degrees."""

    number: int
    kind: str
    name: str
    diameter: float
    flutes: int
    flute_length: float
    shank_diameter: float
    stick_out: float
    corner_radius: float = 0.0
    point_angle: float = 180.0
    material: str = "carbide"
    plunges: bool = False
    ramp_angle: float = 3.0
    holder: tuple[tuple[float, float], ...] = ()

    @property
    def radius(self) -> float:
        """Cutting radius in mm."""
        return self.diameter / 2

    @property
    def flat_radius(self) -> float:
        """Radius of the flat bottom inside the corner radius, mm."""
        return self.radius - self.corner_radius

    @property
    def tip_length(self) -> float:
        """Height of a drill's point, from tip to full diameter, mm."""
        return self.radius / math.tan(math.radians(self.point_angle / 2)) if self.point_angle < 180 else 0.0

    @property
    def gauge_length(self) -> float:
        """Tip to spindle nose, mm."""
        return self.stick_out + sum(length for _, length in self.holder)

    def non_cutting(self) -> tuple[tuple[float, float, float], ...]:
        """Cylinders that must not touch: ``(radius, from, to)`` above the tip, mm."""
        parts = [(self.shank_diameter / 2, self.flute_length, self.stick_out)]
        z = self.stick_out
        for diameter, length in self.holder:
            parts.append((diameter / 2, z, z + length))
            z += length
        return tuple(p for p in parts if p[2] > p[1])

    def silhouette(self) -> tuple[tuple[float, float], ...]:
        """Half outline ``(radius, z above tip)`` from the axis at the tip upwards, arcs as chords."""
        points: list[tuple[float, float]] = [(0.0, 0.0)]
        if self.point_angle < 180:
            points.append((self.radius, self.tip_length))
        elif self.corner_radius > 0:
            for i in range(9):
                a = math.radians(90 * i / 8)
                points.append(
                    (self.flat_radius + self.corner_radius * math.sin(a), self.corner_radius * (1 - math.cos(a)))
                )
        else:
            points.append((self.radius, 0.0))
        points.append((self.radius, self.flute_length))
        for radius, low, high in self.non_cutting():
            points += [(radius, low), (radius, high)]
        points.append((0.0, points[-1][1]))
        return tuple(points)


def _shank(v: Values, _: object) -> Suggestion:
    return Suggestion(show(v.diameter), "as thick as the cutter")


def _stick_out(v: Values, _: object) -> Suggestion:
    return Suggestion(show(v.flute_length + v.diameter / 2), "flutes plus half a diameter")


def _common(flutes: str, questions: str) -> tuple[Field, ...]:
    return (
        Field("diameter", "Diameter", "Size", Kind.LENGTH, f"How thick is the {questions}?", limits=ABOVE_ZERO),
        Field("flutes", "Flutes", "Size", Kind.COUNT, "How many cutting edges?", flutes, Limits(1, 40)),
        Field(
            "flute_length", "Flute length", "Size", Kind.LENGTH, "How far up from the tip does it cut?",
            limits=ABOVE_ZERO,
        ),
        Field(
            "shank_diameter", "Shank diameter", "Size", Kind.LENGTH, "How thick is the shank above the flutes?",
            suggest=_shank, limits=ABOVE_ZERO,
        ),
        Field(
            "stick_out", "Stick-out", "Size", Kind.LENGTH, "How far does the tip stand out of the holder?",
            suggest=_stick_out, limits=ABOVE_ZERO,
        ),
        Field(
            "holder", "Holder", "Size", Kind.CYLINDERS,
            "Which cylinders is the holder made of, from the tool upwards (diameter x length; …)?", "40 x 30; 50 x 25",
        ),
    )  # fmt: skip


def _cutting_material(default: str) -> Field:
    return Field(
        "material", "Made of", "Cut", Kind.CHOICE, "What is the cutting edge made of?", default,
        choices=(("carbide", "Carbide"), ("hss", "High-speed steel")),
    )  # fmt: skip


_CORNER = Field(
    "corner_radius", "Corner radius", "Size", Kind.LENGTH, "Which radius has the corner at the tip (0 for sharp)?",
    "0", Limits(0, 250),
)  # fmt: skip
_RAMP = Field(
    "ramp_angle", "Steepest ramp", "Cut", Kind.ANGLE, "How steeply may it ramp down into metal?", "3",
    Limits(0, 45, low_open=True),
)  # fmt: skip
_PLUNGES = Field(
    "plunges", "May plunge", "Cut", Kind.FLAG, "Does it cut across its centre, so that it may plunge?", "no"
)


class ToolKind(Struct, frozen=True):
    """A kind of tool: its word and its fields."""

    id: str
    word: str
    fields: tuple[Field, ...]


KINDS: dict[str, ToolKind] = {
    kind.id: kind
    for kind in (
        ToolKind("face-mill", "Face mill", (*_common("5", "cutter over its edges"), _CORNER, _cutting_material("carbide"))),
        ToolKind(
            "end-mill",
            "End mill",
            (*_common("3", "cutter"), _CORNER, _RAMP, _PLUNGES, _cutting_material("carbide")),
        ),
        ToolKind(
            "drill",
            "Drill",
            (
                *_common("2", "drill"),
                Field(
                    "point_angle", "Point angle", "Size", Kind.ANGLE, "Which angle has the point?", "118",
                    Limits(60, 180),
                ),
                _cutting_material("hss"),
            ),
        ),
    )
}  # fmt: skip


def read_tool(
    number: int, kind: str, name: str, typed: Mapping[str, str], units: Units = "mm", taken: tuple[int, ...] = ()
) -> tuple[Tool | None, Answers]:
    """A tool from its typed fields; ``None`` with the problems if it can't be used.

    ``taken`` are the numbers of the tools before it in the table.
    """
    if kind not in KINDS:
        near = ", ".join(k.word.lower() for k in KINDS.values())
        return None, Answers(Values({}), problems=(Problem("kind", f"Tool kind “{kind}” is unknown. Use {near}."),))
    answers = read(KINDS[kind].fields, typed, None, units)
    v = answers.values
    problems = list(answers.problems)
    if number < 1 or number > 9999:
        problems.append(Problem("number", f"Tool number {number} is outside 1 to 9999."))
    if number in taken:
        free = next(n for n in range(1, 10_000) if n not in taken)
        problems.append(Problem("number", f"Tool number {number} is used twice. {free} is free."))
    diameter, flute_length, stick_out = v.get("diameter"), v.get("flute_length"), v.get("stick_out")
    shank, holder = v.get("shank_diameter"), v.get("holder", ())
    if shank and holder and shank > holder[0][0]:
        problems.append(
            Problem(
                "shank_diameter",
                f"The shank ({show(shank, units=units)}) is thicker than the holder around it "
                f"({show(holder[0][0], units=units)}). Correct one of them.",
            )
        )
    if flute_length and stick_out and stick_out < flute_length:
        problems.append(
            Problem(
                "stick_out",
                f"The flutes are {show(flute_length, units=units)} long but only {show(stick_out, units=units)} "
                "stand out of the holder. Give at least the flute length.",
            )
        )
    if diameter and v.get("corner_radius", 0.0) > diameter / 2 + 1e-9:
        problems.append(
            Problem(
                "corner_radius", f"A corner radius can be at most half the diameter, {show(diameter / 2, units=units)}."
            )
        )
    answers = Answers(v, answers.missing, tuple(problems), answers.suggestions, answers.hidden)
    if not answers.complete:
        return None, answers
    known = {key: v.get(key) for key in Tool.__struct_fields__ if v.get(key) is not None}
    known |= {"number": number, "kind": kind, "name": name or KINDS[kind].word}
    return Tool(**known), answers
