"""Setup of a lathe: bar or tube, chuck, tailstock, zero, as declared fields and as half sections.

Zero lies at the front of the finished part unless typed; +Z points away from the chuck. Diameters are typed, radii kept.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from bastler.core.fields import Answers, Field, Suggestion, Values, drawable, judged, read
from bastler.core.geometry.flatsided import FlatBar
from bastler.core.job.bodies import COLLET_SHARE, Gripped, bodies_of
from bastler.core.job.document import Setup
from bastler.core.job.frame import Frame
from bastler.core.job.held import SIDES, Chucking, Section
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, show
from bastler.core.tooling.machines import Machine
from bastler.core.tooling.materials import materials

SIZE = Limits(0, 5_000, low_open=True)
NOT_NEGATIVE = Limits(0, 5_000)
USUAL_GRIP_MM = 15.0


def _tube(v: Values) -> bool:
    return bool(v.stock_kind == "tube")


def _raw(v: Values) -> bool:
    return bool(v.get("stock_kind", "round") not in ("contour", "before"))


def _cast(v: Values) -> bool:
    return bool(v.get("stock_kind") == "contour")


def _left(v: Values) -> bool:
    return bool(v.get("stock_kind") == "before")


def _jawed(v: Values) -> bool:
    return bool(v.get("held_in", "chuck") == "chuck")


class Shop(Struct, frozen=True):
    """What the fields of a lathe's setup may look up: its machine, and the job's contours by id."""

    machine: Machine
    contours: Mapping[str, Any] = {}


def _suggest_grip(v: Values, _: object) -> Suggestion:
    if not _raw(v):
        return Suggestion(show(USUAL_GRIP_MM), "a usual length")
    return Suggestion(show(round(max(0.6 * v.diameter, 10.0), 0)), "enough for this diameter")


def _suggest_limit(_: Values, shop: Shop | None) -> Suggestion | None:
    return (
        Suggestion(show(0.8 * shop.machine.spindle.highest, digits=0), "four fifths of what the spindle turns")
        if shop
        else None
    )


FIELDS: tuple[Field, ...] = (
    Field("stock_kind", "Stock is", "Size", Kind.CHOICE, "Is the raw stock a bar, a tube, a casting, or the part as the setup before left it?", "round",
          choices=(("round", "Round bar"), ("hexagon", "Hexagonal bar"), ("square", "Square bar"), ("tube", "Tube"), ("contour", "Casting"), ("before", "As left before"))),
    Field("stock_contour", "Its contour", "Size", Kind.CONTOUR, "What is the contour of the casting or forging (open: solid down to the axis)?", shown=_cast),
    Field("over_all", "Over the contour", "Size", Kind.LENGTH, "How much raw metal stands over the contour all round?", "0", Limits(0, 500), shown=_cast),
    Field("turned_round", "Turned round", "Size", Kind.FLAG, "Is the part turned round, so that its other end stands out?", "yes", shown=_left),
    Field("diameter", "Diameter", "Size", Kind.LENGTH, "What is the diameter of the bar (hexagon or square: the width across flats)?", limits=SIZE, stand_in=40.0, shown=_raw),
    Field("bore", "Bore", "Size", Kind.LENGTH, "What is the diameter of the bore of the tube?", limits=SIZE, stand_in=20.0, shown=_tube),
    Field("out", "Stands out by", "Size", Kind.LENGTH, "How far does the bar stand out of the jaws?", limits=SIZE, stand_in=60.0),
    Field("part_length", "Part length", "Size", Kind.LENGTH, "How long is the finished part (empty: not said)?", optional=True, limits=SIZE),
    Field("over_front", "Over the front", "Size", Kind.LENGTH, "How much raw metal stands in front of the finished face?", "1", Limits(0, 500), shown=lambda v: not _cast(v)),
    Field("zero_by", "Zero", "Place", Kind.CHOICE, "Where is zero along Z?", "face", shown=lambda v: not _cast(v),
          choices=(("face", "Front of the part"), ("stock", "Front of the stock"), ("jaws", "Face of the jaws"))),
    Field("c_zero", "C 0 at spindle", "Place", Kind.ANGLE, "At which angle of the spindle, from its own mark, lies C 0 of the part?", "0", Limits(-360, 360), stand_in=0.0),
    Field("held_in", "Held in", "Cut", Kind.CHOICE, "What holds the bar?", "chuck", choices=(("chuck", "Three-jaw chuck"), ("collet", "Collet"))),
    Field("grip", "Grip", "Cut", Kind.LENGTH, "Over what length is it gripped?", suggest=_suggest_grip, limits=SIZE),
    Field("jaw_height", "Jaw height", "Cut", Kind.LENGTH, "How far do the jaws stand out from the stock, across the axis?", "25", SIZE, shown=_jawed),
    Field("jaw_length", "Jaw length", "Cut", Kind.LENGTH, "How far do the jaws stand out of the chuck's face?", "35", SIZE, shown=_jawed),
    Field("stop", "Against a stop", "Cut", Kind.FLAG, "Does it rest against a stop in the chuck, so that each piece stands out equally far?", "no"),
    Field("tailstock", "Tailstock", "Cut", Kind.FLAG, "Does the tailstock's centre support it?", "no"),
    Field("centre_hole", "Centre hole", "Cut", Kind.LENGTH, "What is the diameter of the centre hole?", "6", SIZE, shown=lambda v: bool(v.get("tailstock"))),
    Field("clearance", "Clearance", "Entry", Kind.LENGTH, "How far from the stock do the long rapid moves stay?", "2", Limits(0.5, 500)),
    Field("speed_limit", "Speed limit", "Entry", Kind.SPINDLE, "What is the highest spindle speed at constant cutting speed?", suggest=_suggest_limit, limits=Limits(0, 50_000, low_open=True)),
    Field("pieces", "Pieces", "Output", Kind.COUNT, "How many pieces are made from the bar, one after another?", "1", Limits(1, 9999), shown=_raw),
    Field("program_number", "Number", "Output", Kind.COUNT, "What is the number of the program?", "1", Limits(1, 9999)),
    Field("program_comment", "Comment", "Output", Kind.TEXT, "What should stand at the head of the program (drawing, revision, who to ask)?", optional=True),
)  # fmt: skip


def read_chucking(typed: Mapping[str, str], units: Units, shop: Shop) -> Answers:
    """A lathe setup's fields as values, with what is missing or wrong."""
    answers = read(FIELDS, typed, shop, units)
    v = answers.values
    wrong = judged(
        partial(check, v, shop.machine, units) for check in (_bore, _thick, _through, _tailstock, _speed, _reach)
    )
    return answers.with_problems((*answers.problems, *wrong))


def _bore(v: Values, _: Machine, units: Units) -> Problem | None:
    if v.stock_kind != "tube" or v.bore < v.diameter:
        return None
    text = f"The bore ({show(v.bore, units=units)}) is as wide as the tube or wider. Correct one of them."
    return Problem("bore", text)


def _thick(v: Values, machine: Machine, units: Units) -> Problem | None:
    """Whether the stock goes into the machine, and into what holds it."""
    chuck = machine.chuck
    if v.diameter > chuck.largest:
        most = show(chuck.largest, units=units)
        return Problem("diameter", f"{machine.name} takes {most} at most. Take a larger lathe.")
    if v.held_in == "collet" and v.diameter > (most_held := COLLET_SHARE * chuck.diameter):
        most = show(most_held, digits=1, units=units)
        return Problem(
            "diameter", f"A collet of {machine.name} holds {most} at most. Take a thinner bar, or the chuck."
        )
    return None


def _through(v: Values, machine: Machine, units: Units) -> Problem | None:
    """Whether a bar for several pieces goes through the spindle."""
    most = machine.chuck.through
    if v.pieces < 2 or v.diameter <= most:
        return None
    text = f"A bar of {show(v.diameter, units=units)} doesn't go through the spindle of {machine.name}, {show(most, units=units)}: it is as long as what stands in the chuck. Take fewer pieces, or a larger lathe."
    return Problem("pieces", text, blocks=False)


def _tailstock(v: Values, machine: Machine, _: Units) -> Problem | None:
    if not v.tailstock or machine.turret.tailstock:
        return None
    return Problem("tailstock", f"{machine.name} has no tailstock. Choose “no”, or another lathe.")


def _speed(v: Values, machine: Machine, _: Units) -> Problem | None:
    if v.speed_limit <= machine.spindle.highest:
        return None
    text = f"{machine.name} turns {machine.spindle.highest:g}/min at most; {v.speed_limit:g} is more."
    return Problem("speed_limit", text)


def _reach(v: Values, _: Machine, units: Units) -> Problem | None:
    """Whether the part reaches into the jaws."""
    short = v.part_length + v.over_front - v.out
    if short <= 0 or v.zero_by != "face":
        return None
    text = f"The part reaches {show(short, units=units)} into the jaws. Let the stock stand out further, or make the part shorter."
    return Problem("out", text, blocks=False)


def chucking_frame(setup: Setup, values: Values, machine: Machine, section: Section = ()) -> Frame:
    """The geometry of a lathe's setup; ``section``: the outlines of a stock that is no bar or tube."""
    held = chucking(values, machine, section)
    box = held.box
    part = replace(box, z1=0.0) if values.get("zero_by", "face") == "face" else box
    material = materials().get(setup.material) or next(iter(materials().values()))
    origin = (machine.turret.change_x / 2, 0.0, machine.turret.change_z)
    return Frame(machine, material, box, part, box.z1 + held.clearance, (), box.z0, origin, chucking=held)


def chucking(values: Values, machine: Machine, section: Section = ()) -> Chucking:
    """The geometry of a lathe setup; stand-ins where an answer is missing. ``section``: the stock's outlines, if it is no bar or tube."""
    v = drawable(FIELDS, values)
    chuck = machine.chuck
    kind = v.get("stock_kind", "round")
    if _cast(v) and section:
        front = max(z for ring in section for z, _ in ring)
    else:
        front = {"face": v.get("over_front", 0.0), "stock": 0.0, "jaws": v.out}[v.get("zero_by", "face")]
    jaws = front - v.out
    back = jaws - v.get("grip", 20.0)
    if section:
        section = _put(section, front)
        flats, radius, bore, back = _gripped(section, back, jaws)
    else:
        flats = v.diameter / 2
        radius = FlatBar(SIDES[kind], flats).corner if kind in SIDES else flats
        bore = v.get("bore", 0.0) / 2 if kind == "tube" else 0.0
    held = Gripped(back, jaws, front, flats, radius, chuck.diameter / 2, chuck.length)
    return Chucking(
        (back, front, bore, radius), flats, bodies_of(v, held), v.get("speed_limit") or 0.8 * machine.spindle.highest,
        v.get("clearance", 2.0), v.get("part_length"), kind, section, v.get("c_zero", 0.0) if machine.axis("C") is not None else 0.0,
    )  # fmt: skip


def _put(section: Section, front: float) -> Section:
    """With its foremost point at ``front``."""
    by = front - max(z for ring in section for z, _ in ring)
    return tuple(tuple((z + by, r) for z, r in ring) for ring in section)


def _gripped(section: Section, back: float, jaws: float) -> tuple[float, float, float, float]:
    """Radius that the jaws grip, largest and smallest radius of the stock, and Z of its rear."""
    points = [p for ring in section for p in ring]
    ways = [(p, q) for ring in section for p, q in zip(ring, (*ring[1:], ring[0]), strict=True)]
    held = [r for z, r in points if back <= z <= jaws]
    for (z0, r0), (z1, r1) in ways:
        held += [r0 + (r1 - r0) * (z - z0) / (z1 - z0) for z in (back, jaws) if (z0 - z) * (z1 - z) < 0]
    radii = [r for _, r in points]
    return max(held, default=max(radii)), max(radii), min(radii), min(z for z, _ in points)
