"""Setup fields, and the geometry they make: block, part, zero, vise, clearance.

*Block*: the raw stock; *part*: the finished outer size in it; both in program coordinates, whose
origin is the *zero*. *Anchor*: one of 27 points of the part's or the block's box, each axis
``-`` (low), ``0`` (middle) or ``+`` (high), as ``"-,-,+"``.
"""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct

from bastler.core.fields import Answers, Field, Suggestion, Values, read
from bastler.core.geometry.shapes import Box
from bastler.core.job.document import Job, Setup
from bastler.core.planning.patterns import NamedPattern
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, show
from bastler.core.tooling.kinds import read_tool
from bastler.core.tooling.machines import Machine, machines
from bastler.core.tooling.materials import Material, materials
from bastler.core.tooling.tools import Tool

SIZE = Limits(0, 5_000, low_open=True)
ALLOWANCE = Limits(0, 500)
ANCHOR_SHARE = {"-": 0.0, "0": 0.5, "+": 1.0}
JAW_THICKNESS_MM = 20.0


def _by_part(v: Values) -> bool:
    return bool(v.stock_by == "part")


def _typed_zero(v: Values) -> bool:
    return bool(v.zero_by == "typed")


def _in_vise(v: Values) -> bool:
    return bool(v.held_in == "vise")


def _suggest_grip(v: Values, _: object) -> Suggestion:
    height = v.size_z + (v.over_top + v.over_bottom if v.stock_by == "part" else 0.0)
    return Suggestion(show(round(min(height / 3, 20.0), 1)), "a third of the block's height")


FIELDS: tuple[Field, ...] = (
    Field("stock_by", "Stock given by", "Size", Kind.CHOICE, "Do you give the part and what stands over it, or the block itself?", "part",
          choices=(("part", "Part + allowance"), ("block", "Block"))),
    Field("size_x", "Length X", "Size", Kind.LENGTH, "How long is it along X?", limits=SIZE, stand_in=100.0),
    Field("size_y", "Width Y", "Size", Kind.LENGTH, "How wide is it along Y?", limits=SIZE, stand_in=60.0),
    Field("size_z", "Height Z", "Size", Kind.LENGTH, "How high is it along Z?", limits=SIZE, stand_in=20.0),
    Field("over_x", "Over each X side", "Size", Kind.LENGTH, "How much raw metal stands over the part on each side along X?", "0", ALLOWANCE, shown=_by_part),
    Field("over_y", "Over each Y side", "Size", Kind.LENGTH, "How much raw metal stands over the part on each side along Y?", "0", ALLOWANCE, shown=_by_part),
    Field("over_top", "Over the top", "Size", Kind.LENGTH, "How much raw metal stands above the part?", "0", ALLOWANCE, shown=_by_part),
    Field("over_bottom", "Under the bottom", "Size", Kind.LENGTH, "How much raw metal stands below the part?", "0", ALLOWANCE, shown=_by_part),
    Field("zero_by", "Zero", "Place", Kind.CHOICE, "Is the zero a point of the part, of the raw block, or typed?", "part",
          choices=(("part", "Point of the part"), ("block", "Point of the block"), ("typed", "Typed"))),
    Field("anchor", "Point", "Place", Kind.CHOICE, "Which point of the box is zero? Click it in the drawing.", "-,-,+",
          choices=tuple((f"{a},{b},{c}", f"{a},{b},{c}") for a in "-0+" for b in "-0+" for c in "-0+"), shown=lambda v: not _typed_zero(v)),
    Field("zero_x", "Zero X", "Place", Kind.LENGTH, "How far is the zero from the block's left side along X?", "0", Limits(-5_000, 5_000), shown=_typed_zero),
    Field("zero_y", "Zero Y", "Place", Kind.LENGTH, "How far is the zero from the block's front side along Y?", "0", Limits(-5_000, 5_000), shown=_typed_zero),
    Field("zero_z", "Zero Z", "Place", Kind.LENGTH, "How far is the zero above the block's underside?", "0", Limits(-5_000, 5_000), shown=_typed_zero),
    Field("clearance", "Clearance", "Entry", Kind.LENGTH, "How far above the block do the long rapid moves run?", "20", Limits(1, 1_000)),
    Field("held_in", "Held in", "Cut", Kind.CHOICE, "What holds the block?", "vise", choices=(("vise", "Vise"), ("free", "Nothing drawn"))),
    Field("jaws_along", "Jaws press along", "Cut", Kind.CHOICE, "Along which axis do the jaws press?", "y", choices=(("y", "Y"), ("x", "X")), shown=_in_vise),
    Field("jaw_height", "Jaw height", "Cut", Kind.LENGTH, "How high do the jaws stand over the vise's bed?", "45", SIZE, shown=_in_vise),
    Field("jaw_width", "Jaw width", "Cut", Kind.LENGTH, "How wide are the jaws?", "125", SIZE, shown=_in_vise),
    Field("grip", "Holds the block by", "Cut", Kind.LENGTH, "How much of the block's height is between the jaws?", suggest=_suggest_grip, limits=SIZE, shown=_in_vise),
    Field("bed_height", "Bed above table", "Cut", Kind.LENGTH, "How high is the vise's bed, or whatever the block lies on, above the table?", "60", Limits(0, 1_000)),
)  # fmt: skip


class Obstacle(Struct, frozen=True):
    """A box that must not be touched, with the word for it."""

    word: str
    box: Box


class Frame(Struct, frozen=True):
    """A setup turned into geometry; program coordinates, mm."""

    machine: Machine
    material: Material
    block: Box
    part: Box
    clearance: float
    obstacles: tuple[Obstacle, ...]
    table_z: float

    def machine_origin(self) -> tuple[float, float, float]:
        """Where machine zero (all axes at their upper right end) is in program coordinates.

        The block is taken to sit in the middle of the X and Y travel; Z counts the spindle nose.
        """
        b, m = self.block, self.machine
        return (
            (b.x0 + b.x1) / 2 + m.travel[0] / 2,
            (b.y0 + b.y1) / 2 + m.travel[1] / 2,
            self.table_z + m.nose_to_table,
        )


def read_setup(setup: Setup, units: Units) -> Answers:
    """The setup's typed fields as values, with what is missing or wrong."""
    answers = read(FIELDS, setup.values, None, units)
    problems = list(answers.problems)
    if setup.machine not in machines():
        problems.append(
            Problem(
                "machine",
                f"Machine “{setup.machine}” is unknown. Choose one of: {', '.join(m.name for m in machines().values())}.",
            )
        )
    if setup.material not in materials():
        problems.append(Problem("material", f"Material “{setup.material}” is unknown. Choose one from the table."))
    v = answers.values
    height = v.get("size_z", 0.0) + (
        v.get("over_top", 0.0) + v.get("over_bottom", 0.0) if v.get("stock_by") == "part" else 0.0
    )
    grip = v.get("grip")
    if grip and height and grip > height:
        problems.append(
            Problem(
                "grip",
                f"The block is {show(height, units=units)} high; the jaws can't hold {show(grip, units=units)} of it.",
            )
        )
    if grip and grip > v.get("jaw_height", grip):
        problems.append(
            Problem(
                "grip",
                f"The jaws are {show(v.jaw_height, units=units)} high; they can't hold {show(grip, units=units)}.",
            )
        )
    return Answers(v, answers.missing, tuple(problems), answers.suggestions, answers.hidden)  # fmt: skip


def frame(setup: Setup, answers: Answers) -> Frame:
    """The geometry of a setup; stand-ins where an answer is missing, so the drawing never waits."""
    v = Values({f.key: answers.values.get(f.key, f.stand_in) for f in FIELDS})
    by_part = v.get("stock_by", "part") == "part"
    over = (v.get("over_x", 0.0), v.get("over_y", 0.0)) if by_part else (0.0, 0.0)
    top, bottom = (v.get("over_top", 0.0), v.get("over_bottom", 0.0)) if by_part else (0.0, 0.0)
    x, y, z = v.size_x, v.size_y, v.size_z
    part = Box(over[0], over[0] + x, over[1], over[1] + y, bottom, bottom + z)
    block = Box(0.0, x + 2 * over[0], 0.0, y + 2 * over[1], 0.0, z + top + bottom)
    zero = _zero(v, part if v.get("zero_by", "part") == "part" else block)
    block, part = _shifted(block, zero), _shifted(part, zero)
    machine = machines().get(setup.machine) or next(iter(machines().values()))
    material = materials().get(setup.material) or next(iter(materials().values()))
    obstacles, table_z = _vise(v, block)
    return Frame(machine, material, block, part, block.z1 + v.get("clearance", 20.0), obstacles, table_z)


def _zero(v: Values, box: Box) -> tuple[float, float, float]:
    if v.get("zero_by", "part") == "typed":
        return (v.get("zero_x", 0.0), v.get("zero_y", 0.0), v.get("zero_z", 0.0))
    low, size = (box.x0, box.y0, box.z0), box.size
    shares = [ANCHOR_SHARE[s] for s in v.get("anchor", "-,-,+").split(",")]
    return (low[0] + size[0] * shares[0], low[1] + size[1] * shares[1], low[2] + size[2] * shares[2])


def _shifted(b: Box, zero: tuple[float, float, float]) -> Box:
    x, y, z = zero
    return Box(b.x0 - x, b.x1 - x, b.y0 - y, b.y1 - y, b.z0 - z, b.z1 - z)


def _vise(v: Values, b: Box) -> tuple[tuple[Obstacle, ...], float]:
    """Two jaws and the bed, with the table's Z."""
    if v.get("held_in", "vise") != "vise":
        return (), b.z0 - v.get("bed_height", 60.0)
    grip = v.get("grip", 5.0)
    jaw_top = b.z0 + grip
    bed = jaw_top - v.get("jaw_height", 45.0)
    half = v.get("jaw_width", 125.0) / 2
    t = JAW_THICKNESS_MM
    cx, cy = (b.x0 + b.x1) / 2, (b.y0 + b.y1) / 2
    if v.get("jaws_along", "y") == "y":
        jaws = [Box(cx - half, cx + half, y, y + t, bed, jaw_top) for y in (b.y0 - t, b.y1)]
        floor = Box(cx - half, cx + half, b.y0 - t, b.y1 + t, bed - t, bed)
        words = ("front jaw", "back jaw")
    else:
        jaws = [Box(x, x + t, cy - half, cy + half, bed, jaw_top) for x in (b.x0 - t, b.x1)]
        floor = Box(b.x0 - t, b.x1 + t, cy - half, cy + half, bed - t, bed)
        words = ("left jaw", "right jaw")
    boxes = [Obstacle(f"the vise's {word}", jaw) for word, jaw in zip(words, jaws, strict=True)]
    return (*boxes, Obstacle("the vise's bed", floor)), bed - v.get("bed_height", 60.0)


def read_tools(job: Job) -> tuple[Mapping[int, Tool], tuple[Answers, ...]]:
    """Usable tools by number, and the answers of each line of the table."""
    usable: dict[int, Tool] = {}
    answers = []
    taken: tuple[int, ...] = ()
    for record in job.tools:
        tool, found = read_tool(record.number, record.kind, record.name, record.values, job.units, taken)
        taken += (record.number,)
        answers.append(found)
        if tool is not None:
            usable[tool.number] = tool
    return usable, tuple(answers)


def work_of(job: Job, f: Frame, tools: Mapping[int, Tool], patterns: Mapping[str, NamedPattern]) -> Work:
    """The frame that the first step is planned in."""
    return Work(f.block, f.part, f.clearance, f.material, f.machine, tools, patterns, (), job.units)
