"""Setup of a mill: block, part, zero, what holds it, further parts, as declared fields and as geometry.

*Block*: the raw stock; *part*: the finished outer size in it; both in program coordinates, whose
origin is the *zero*. *Anchor*: one of 27 points of the part's or the block's box, each axis
``-`` (low), ``0`` (middle) or ``+`` (high), as ``"-,-,+"``.
"""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from bastler.core.fields import Answers, Field, Values, drawable, read
from bastler.core.geometry.path import Point
from bastler.core.geometry.shapes import Box, Piece, Prism
from bastler.core.job.document import WORK_OFFSETS, Setup
from bastler.core.job.frame import Frame
from bastler.core.job.holding import FIELDS as HOLDING_FIELDS
from bastler.core.job.holding import HELD_IN, SIZE, held, holding_problems
from bastler.core.job.reclamped import FIELDS as LYING_FIELDS
from bastler.core.job.reclamped import Lying, left_before, lying
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, show
from bastler.core.tooling.machines import first_of, machines
from bastler.core.tooling.materials import materials

ALLOWANCE = Limits(0, 500)
ANCHOR_WORDS = (
    {"-": "left", "0": "middle", "+": "right"},
    {"-": "front", "0": "middle", "+": "back"},
    {"-": "bottom", "0": "middle", "+": "top"},
)
"""What the signs of a zero point mean along X, Y and Z."""


def corner_word(*signs: str) -> str:
    """A zero point as it is said: ``Left, front, top``."""
    return ", ".join(words[sign] for words, sign in zip(ANCHOR_WORDS, signs, strict=True)).capitalize()


ANCHOR_SHARE = {"-": 0.0, "0": 0.5, "+": 1.0}


def _by_part(v: Values) -> bool:
    return bool(_is_new(v) and v.stock_by == "part")


def _is_new(v: Values) -> bool:
    return not left_before(v)


def _typed_zero(v: Values) -> bool:
    return bool(v.zero_by == "typed")


def _is_block(v: Values) -> bool:
    return bool(v.get("stock_kind", "block") == "block")


def _is_round(v: Values) -> bool:
    return bool(v.get("stock_kind", "block") in ("round", "tube"))


def _several(*ways: str) -> Callable[[Values], bool]:
    return lambda v: v.get("parts", "one") in ways


FIELDS: tuple[Field, ...] = (
    Field("stock_kind", "Stock is", "Size", Kind.CHOICE, "Is the raw stock a block, a round bar standing upright, a tube, or the part as the setup before left it?", "block",
          choices=(("block", "Block"), ("round", "Round bar"), ("tube", "Tube"), ("before", "As left before"))),
    *LYING_FIELDS,
    Field("stock_by", "Stock given by", "Size", Kind.CHOICE, "Do you give the part and what stands over it, or the block itself?", "part",
          choices=(("part", "Part + allowance"), ("block", "Block")), shown=_is_new),
    Field("size_x", "Length X", "Size", Kind.LENGTH, "How long is the part along X?", limits=SIZE, stand_in=100.0, shown=_is_block),
    Field("size_y", "Width Y", "Size", Kind.LENGTH, "How wide is it along Y?", limits=SIZE, stand_in=60.0, shown=_is_block),
    Field("diameter", "Diameter", "Size", Kind.LENGTH, "What is the diameter of the part?", limits=SIZE, stand_in=60.0, shown=_is_round),
    Field("bore", "Bore", "Size", Kind.LENGTH, "What is the diameter of the bore of the tube?", limits=SIZE, stand_in=30.0, shown=lambda v: bool(v.get("stock_kind") == "tube")),
    Field("size_z", "Height Z", "Size", Kind.LENGTH, "How high is the part along Z?", limits=SIZE, stand_in=20.0, shown=_is_new),
    Field("over_x", "Over each X side", "Size", Kind.LENGTH, "How much raw metal stands over the part on each side along X?", "0", ALLOWANCE, shown=lambda v: _by_part(v) and _is_block(v)),
    Field("over_y", "Over each Y side", "Size", Kind.LENGTH, "How much raw metal stands over the part on each side along Y?", "0", ALLOWANCE, shown=lambda v: _by_part(v) and _is_block(v)),
    Field("over_top", "Over the top", "Size", Kind.LENGTH, "How much raw metal stands above the part?", "0", ALLOWANCE, shown=_by_part),
    Field("over_bottom", "Under the bottom", "Size", Kind.LENGTH, "How much raw metal stands below the part?", "0", ALLOWANCE, shown=_by_part),
    Field("zero_by", "Zero", "Place", Kind.CHOICE, "Is zero a point of the part, a point of the raw block, or typed?", "part",
          choices=(("part", "Point of the part"), ("block", "Point of the block"), ("typed", "Typed"))),
    Field("anchor", "Point", "Place", Kind.CHOICE, "Which point of the box is zero? Click it in the drawing.", "-,-,+",
          choices=tuple((f"{a},{b},{c}", corner_word(a, b, c)) for a in "-0+" for b in "-0+" for c in "-0+"), shown=lambda v: not _typed_zero(v)),
    Field("zero_x", "Zero X", "Place", Kind.LENGTH, "How far is zero from the left side of the block, along X?", "0", Limits(-5_000, 5_000), shown=_typed_zero),
    Field("zero_y", "Zero Y", "Place", Kind.LENGTH, "How far is zero from the front side of the block, along Y?", "0", Limits(-5_000, 5_000), shown=_typed_zero),
    Field("zero_z", "Zero Z", "Place", Kind.LENGTH, "How far is zero above the underside of the block?", "0", Limits(-5_000, 5_000), shown=_typed_zero),
    Field("clearance", "Clearance", "Entry", Kind.LENGTH, "How far above the block do the long rapid moves run?", "20", Limits(1, 1_000)),
    HELD_IN,
    *HOLDING_FIELDS,
    Field("bed_height", "Bed above table", "Cut", Kind.LENGTH, "How high above the table is the bed of the vice, or whatever the block lies on?", "60", Limits(0, 1_000)),
    Field("parts", "Equal parts", "Parts", Kind.CHOICE, "Is one part made, or several clamped side by side?", "one",
          choices=(("one", "One"), ("grid", "Grid"), ("list", "List")), shown=_is_new),
    Field("parts_columns", "Columns", "Parts", Kind.COUNT, "How many parts lie along X?", "2", Limits(1, 40), shown=_several("grid")),
    Field("parts_rows", "Rows", "Parts", Kind.COUNT, "How many parts lie along Y?", "1", Limits(1, 40), shown=_several("grid")),
    Field("parts_pitch_x", "Pitch X", "Parts", Kind.LENGTH, "How far apart are the parts along X?", limits=Limits(-5_000, 5_000), stand_in=0.0, shown=lambda v: _several("grid")(v) and v.parts_columns > 1),
    Field("parts_pitch_y", "Pitch Y", "Parts", Kind.LENGTH, "How far apart are the parts along Y?", limits=Limits(-5_000, 5_000), stand_in=0.0, shown=lambda v: _several("grid")(v) and v.parts_rows > 1),
    Field("parts_at", "Further parts", "Parts", Kind.POINTS, "Where are the further parts, from the first one (X, Y; X, Y; …)?", stand_in=(), shown=_several("list")),
    Field("parts_order", "Order", "Parts", Kind.CHOICE, "Does each tool go to every part, or is one part finished after the other?", "tool",
          choices=(("tool", "Tool by tool"), ("part", "Part by part")), shown=_several("grid", "list")),
    Field("parts_by", "Zeros by", "Parts", Kind.CHOICE, "Does each part have its own work offset, or does the program shift the first one?", "offsets",
          choices=(("offsets", "Work offsets"), ("shift", "Shift, G52")), shown=_several("grid", "list")),
    Field("program_number", "Number", "Output", Kind.COUNT, "What is the number of the program?", "1", Limits(1, 9999)),
    Field("program_comment", "Comment", "Output", Kind.TEXT, "What should stand at the head of the program (drawing, revision, who to ask)?", optional=True),
)  # fmt: skip


def read_clamping(setup: Setup, units: Units, before: Frame | None = None) -> Answers:
    """The typed fields of a mill's setup as values, with what is missing or wrong; ``before``: the setup that left the stock."""
    answers = read(FIELDS, setup.values, before, units)
    problems = list(answers.problems)
    if left_before(answers.values) and before is None:
        problems.append(Problem("stock_kind", "There is no setup before this one. Choose a block, a bar or a tube."))
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
    problems += _parts_problems(setup, v, units)
    if v.get("stock_kind") == "tube" and v.get("bore", 0.0) >= v.get("diameter", 1e9):
        problems.append(
            Problem(
                "bore", f"The bore ({show(v.bore, units=units)}) is as wide as the tube or wider. Correct one of them."
            )
        )
    height = before.block.size[2] if before is not None and left_before(v) else _height(v)
    problems += holding_problems(v, height, units)
    return answers.with_problems(problems)  # fmt: skip


def _height(v: Values) -> float:
    """Height of the block."""
    over = v.get("over_top", 0.0) + v.get("over_bottom", 0.0) if v.get("stock_by") == "part" else 0.0
    return float(v.get("size_z", 0.0) + over)


def _outer(v: Values) -> tuple[float, float]:
    """Length and width of one block."""
    if v.get("stock_kind", "block") != "block":
        return (v.get("diameter", 0.0), v.get("diameter", 0.0))
    over = v.get("stock_by", "part") == "part"
    return (
        v.get("size_x", 0.0) + 2 * v.get("over_x", 0.0) * over,
        v.get("size_y", 0.0) + 2 * v.get("over_y", 0.0) * over,
    )


def part_places(v: Values) -> tuple[Point, ...]:
    """Where the parts lie, from the first one."""
    way = v.get("parts", "one")
    if way == "grid":
        columns, rows = v.get("parts_columns", 1), v.get("parts_rows", 1)
        dx, dy = v.get("parts_pitch_x", 0.0), v.get("parts_pitch_y", 0.0)
        return tuple((i * dx, j * dy) for j in range(rows) for i in range(columns))
    if way == "list":
        return ((0.0, 0.0), *v.get("parts_at", ()))
    return ((0.0, 0.0),)


def _parts_problems(setup: Setup, v: Values, units: Units) -> list[Problem]:
    """Parts that overlap, or more of them than there are work offsets."""
    places, (length, width) = part_places(v), _outer(v)
    key = {"grid": "parts_pitch_x", "list": "parts_at"}.get(v.get("parts", "one"), "parts")
    for i, a in enumerate(places):
        for j, b in enumerate(places[:i]):
            if abs(a[0] - b[0]) < length and abs(a[1] - b[1]) < width:
                need = f"{show(length, units=units)} along X or {show(width, units=units)} along Y"
                return [
                    Problem(
                        key,
                        f"Parts {j + 1} and {i + 1} overlap on the table. Give at least {need} from one to the next.",
                    )
                ]
    first = WORK_OFFSETS.index(setup.work_offset) if setup.work_offset in WORK_OFFSETS else 0
    if v.get("parts_by", "offsets") == "offsets" and first + len(places) > len(WORK_OFFSETS):
        return [Problem("parts_by", f"{len(places)} parts need more work offsets than there are. Choose “Shift, G52”.")]
    return []


def clamping_frame(setup: Setup, answers: Answers, before: Frame | None = None) -> Frame:
    """The geometry of a mill's setup; stand-ins where an answer is missing, so the drawing never waits."""
    v = drawable(FIELDS, answers.values)
    laid = lying(v, before.block) if before is not None and left_before(v) else None
    if laid is not None and before is not None:
        return _as_left(setup, v, laid, before)
    by_part = v.get("stock_by", "part") == "part"
    over = (v.get("over_x", 0.0), v.get("over_y", 0.0)) if by_part else (0.0, 0.0)
    top, bottom = (v.get("over_top", 0.0), v.get("over_bottom", 0.0)) if by_part else (0.0, 0.0)
    round_ = v.get("stock_kind", "block") != "block"
    x, y, z = (v.diameter, v.diameter, v.size_z) if round_ else (v.size_x, v.size_y, v.size_z)
    over = (0.0, 0.0) if round_ else over
    part = Box(over[0], over[0] + x, over[1], over[1] + y, bottom, bottom + z)
    block = Box(0.0, x + 2 * over[0], 0.0, y + 2 * over[1], 0.0, z + top + bottom)
    zero = _zero(v, part if v.get("zero_by", "part") == "part" else block)
    block, part = _shifted(block, zero), _shifted(part, zero)
    parts = part_places(v)
    pieces = tuple(_piece(v, block, at) for at in parts)
    return _around(setup, v, block, part, pieces, parts)


def _as_left(setup: Setup, v: Values, laid: Lying, before: Frame) -> Frame:
    """The frame round the part as the setup before left it."""
    zero = _zero(v, laid.box(before.part if v.get("zero_by", "part") == "part" else before.block))
    laid = laid.shifted(zero)
    pieces = tuple(
        Piece(p.outline.placed(laid.place), p.hole.placed(laid.place) if p.hole is not None else None)
        for p in before.pieces[:1]
    )
    return _around(setup, v, laid.box(before.block), laid.box(before.part), pieces, ((0.0, 0.0),), laid)


def _around(
    setup: Setup, v: Values, block: Box, part: Box, pieces: tuple[Piece, ...], parts: tuple[Point, ...], laid: Lying | None = None
) -> Frame:  # fmt: skip
    """Machine, material and holding round a block."""
    machine = machines().get(setup.machine) or first_of("mill")
    material = materials().get(setup.material) or next(iter(materials().values()))
    single, table_z = held(v, block)
    obstacles = tuple(replace(o, box=_shifted(o.box, (-dx, -dy, 0.0))) for dx, dy in parts for o in single)
    top = max([block.z1, *(o.box.z1 for o in obstacles)])
    found = Frame(
        machine, material, block, part, top + v.get("clearance", 20.0), obstacles, table_z, (0.0, 0.0, 0.0), pieces, parts, laid
    )  # fmt: skip
    return replace(found, machine_origin=_origin(found))


def _origin(f: Frame) -> tuple[float, float, float]:
    """Machine zero, with the block in the middle of the X and Y travel; Z counts the spindle nose."""
    b, m = f.bed, f.machine
    return (
        (b.x0 + b.x1) / 2 + m.travel[0] / 2,
        (b.y0 + b.y1) / 2 + m.travel[1] / 2,
        f.table_z + m.nose_to_table,
    )


def _piece(v: Values, b: Box, at: Point) -> Piece:
    """The raw stock of one part from above."""
    centre = ((b.x0 + b.x1) / 2 + at[0], (b.y0 + b.y1) / 2 + at[1])
    kind = v.get("stock_kind", "block")
    corner = 0.0 if kind == "block" else b.size[0] / 2
    bore = v.get("bore", 0.0) if kind == "tube" else 0.0
    hole = Prism(centre, bore, bore, bore / 2, 0.0, b.z0) if bore else None
    return Piece(Prism(centre, b.size[0], b.size[1], corner, 0.0, b.z0), hole)


def _zero(v: Values, box: Box) -> tuple[float, float, float]:
    if v.get("zero_by", "part") == "typed":
        return (v.get("zero_x", 0.0), v.get("zero_y", 0.0), v.get("zero_z", 0.0))
    low, size = (box.x0, box.y0, box.z0), box.size
    shares = [ANCHOR_SHARE[s] for s in v.get("anchor", "-,-,+").split(",")]
    return (low[0] + size[0] * shares[0], low[1] + size[1] * shares[1], low[2] + size[2] * shares[2])


def _shifted(b: Box, zero: tuple[float, float, float]) -> Box:
    x, y, z = zero
    return Box(b.x0 - x, b.x1 - x, b.y0 - y, b.y1 - y, b.z0 - z, b.z1 - z)
