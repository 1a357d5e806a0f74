"""Kinds of tool: the fields of each, and reading a line of the tool table into a :class:`Tool`.

A new kind is a new line of ``KINDS``; if its underside is of a new shape, ``Tool.profile`` learns it.
"""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct
from msgspec.structs import replace

from bastler.core.fields import Answers, Field, Suggestion, Values, read
from bastler.core.problems import Problem, Unusable
from bastler.core.quantities import Kind, Limits, Units, show
from bastler.core.tooling.coolant import WAYS
from bastler.core.tooling.lathekinds import CUTTERS, LATHE_FIELDS, lathe_problems
from bastler.core.tooling.owndata import EXAMPLE, parse_own
from bastler.core.tooling.tools import Tool

ABOVE_ZERO = Limits(low=0.0, low_open=True, high=500.0)
NOT_NEGATIVE = Limits(0, 250)


def _shank(v: Values, _: object) -> Suggestion:
    return Suggestion(show(v.diameter), "as thick as the cutter")


def _stick_out(v: Values, _: object) -> Suggestion:
    return Suggestion(show(v.flute_length + v.diameter / 2), "flutes plus half a diameter")


def _neck(v: Values, _: object) -> Suggestion:
    return Suggestion(show(0.9 * v.diameter), "the cutting edge clears its bar by a twentieth on each side")


def _thread_diameter(v: Values, _: object) -> Suggestion | None:
    return Suggestion(show(v.thread.major), f"{v.thread.name} by its standard") if v.get("thread") else None


def _thread_pitch(v: Values, _: object) -> Suggestion | None:
    return Suggestion(show(v.thread.pitch, digits=5), f"{v.thread.name} by its standard") if v.get("thread") else None


def _ramp(v: Values, _: object) -> Suggestion:
    if v.get("plunges"):
        return Suggestion("8", "usual for a tool that cuts across its centre")
    return Suggestion("3", "usual for a tool that doesn't cut across its centre")


def _tip(v: Values, _: object) -> Suggestion:
    return Suggestion(show(0.3 * v.diameter), "a third of the cone")


def _lead(v: Values, _: object) -> Suggestion:
    return Suggestion(show(min(0.05 * v.diameter, 0.5)), "a short lead of 45°")


DIAMETER = Field(
    "diameter",
    "Diameter",
    "Size",
    Kind.LENGTH,
    "What is the diameter of the tool over its cutting edges?",
    limits=ABOVE_ZERO,
)
FLUTE_LENGTH = Field(
    "flute_length", "Flute length", "Size", Kind.LENGTH, "How far up from the tip does it cut?", limits=ABOVE_ZERO
)
SHANK = Field(
    "shank_diameter",
    "Shank diameter",
    "Size",
    Kind.LENGTH,
    "What is the diameter of the shank above the flutes?",
    suggest=_shank,
    limits=ABOVE_ZERO,
)
STICK_OUT = Field(
    "stick_out",
    "Stick-out",
    "Size",
    Kind.LENGTH,
    "How far does the tip stand out of the holder?",
    suggest=_stick_out,
    limits=ABOVE_ZERO,
)
HOLDER = Field(
    "holder",
    "Holder",
    "Size",
    Kind.CYLINDERS,
    "What cylinders is the holder made of, from the tool upwards (diameter x length; …)?",
    "40 x 30; 50 x 25",
)
CORNER = Field(
    "corner_radius",
    "Corner radius",
    "Size",
    Kind.LENGTH,
    "What is the radius of the corner at the tip (0 for sharp)?",
    "0",
    Limits(0, 250),
)
RAMP = Field(
    "ramp_angle",
    "Steepest ramp",
    "Cut",
    Kind.ANGLE,
    "How steeply may it ramp down into metal?",
    limits=Limits(0, 45, low_open=True),
    suggest=_ramp,
)
PLUNGES = Field(
    "plunges", "May plunge", "Cut", Kind.FLAG, "Does it cut across its centre, so that it may plunge?", "no"
)
TIP = Field(
    "tip_diameter",
    "Tip diameter",
    "Size",
    Kind.LENGTH,
    "What is the diameter of the flat at the tip (0 for a point)?",
    "0",
    NOT_NEGATIVE,
)
HAND = Field("left_hand", "Left-hand", "Cut", Kind.FLAG, "Does it cut a left-hand thread?", "no")


POCKET = Field(
    "pocket", "Pocket", "Cut", Kind.COUNT, "In which pocket is it? Empty: the pocket of its number.",
    limits=Limits(1, 500), optional=True,
)  # fmt: skip


def _flutes(count: str) -> Field:
    return Field("flutes", "Flutes", "Size", Kind.COUNT, "How many cutting edges does it have?", count, Limits(1, 40))


def _point(angle: str, low: float = 60) -> Field:
    return Field(
        "point_angle",
        "Point angle",
        "Size",
        Kind.ANGLE,
        "What is the angle of the point, measured across it?",
        angle,
        Limits(low, 180),
    )


def _made_of(default: str) -> Field:
    return Field("material", "Made of", "Cut", Kind.CHOICE, "What is the cutting edge made of?", default,
                 choices=(("carbide", "Carbide"), ("hss", "High-speed steel")))  # fmt: skip


def _body(flutes: str, *more: Field, made_of: str = "carbide", shank: Field = SHANK) -> tuple[Field, ...]:
    """Fields that every kind has, with its own between size and cutting."""
    own_size = [f for f in more if f.group == "Size"]
    own_cut = [f for f in more if f.group == "Cut"]
    return (
        DIAMETER,
        _flutes(flutes),
        *own_size,
        FLUTE_LENGTH,
        shank,
        STICK_OUT,
        HOLDER,
        *own_cut,
        _made_of(made_of),
        POCKET,
    )


class ToolKind(Struct, frozen=True):
    """A kind of tool: its word and its fields; ``machine``: where it is used, ``both`` for drills and the like."""

    id: str
    word: str
    fields: tuple[Field, ...]
    machine: str = "mill"


THREAD = Field(
    "thread", "Thread", "Size", Kind.THREAD, "What thread does it cut (M6, M8x1, 1/4-20 UNC, G 1/4)?", optional=True
)
TAP_DIAMETER = Field(
    "diameter",
    "Diameter",
    "Size",
    Kind.LENGTH,
    "What is the outer diameter of the thread?",
    suggest=_thread_diameter,
    limits=ABOVE_ZERO,
)
PITCH = Field(
    "pitch", "Pitch", "Size", Kind.LENGTH, "What is the pitch of the thread?", suggest=_thread_pitch, limits=ABOVE_ZERO
)
LEAD_THREADS = Field(
    "lead_threads",
    "Lead threads",
    "Size",
    Kind.NUMBER,
    "How many threads long is the lead at the tip (form B 4 to 5, form C 2 to 3)?",
    "3",
    Limits(0, 12),
)
FORMING = Field("forming", "Forms the thread", "Cut", Kind.FLAG, "Does it form the thread instead of cutting it?", "no")

OWN = Field(
    "own", "Own values", "Cut", Kind.TEXT,
    f"What values of your own does it cut with ({EXAMPLE}), always in m/min and mm?", optional=True,
)  # fmt: skip
COATING = Field(
    "coating", "Coating", "Cut", Kind.CHOICE, "Is the edge coated? The tables take carbide as coated, high-speed steel as bare.", "usual",
    choices=(("usual", "As the tables take it"), ("bare", "Bare"), ("coated", "Coated")),
)  # fmt: skip
COOLANT = Field(
    "coolant", "Coolant", "Cut", Kind.CHOICE, "What coolant does it want? Empty: what is usual in the material.", optional=True, choices=WAYS,
)  # fmt: skip
DRIVEN = Field(
    "driven", "Driven", "Cut", Kind.CHOICE, "On a lathe: does it sit in a driven holder, and which way does it point? Empty: it stands still.", optional=True,
    choices=(("along", "Along the axis"), ("across", "Towards the axis")),
)  # fmt: skip
NOT_CUTTING = ("bar-stop", "bar-puller")
ON_BOTH = ("spot-drill", "centre-drill", "drill", "insert-drill", "reamer", "tap")
_MILL: tuple[ToolKind, ...] = (
    ToolKind("face-mill", "Face mill", _body("5", CORNER)),
    ToolKind("end-mill", "End mill", _body("3", CORNER, PLUNGES, RAMP)),
    ToolKind("ball-mill", "Ball end mill", _body("2", PLUNGES, RAMP)),
    ToolKind("taper-mill", "Tapered end mill", _body(
            "3", Field("tip_diameter", "Tip diameter", "Size", Kind.LENGTH, "What is the diameter of the flat tip?", limits=NOT_NEGATIVE),
            Field("side_angle", "Side angle", "Size", Kind.ANGLE, "How far does each side lean away from the axis?", limits=Limits(0, 60, low_open=True)), PLUNGES, RAMP)),
    ToolKind("spot-drill", "Spot drill", _body("2", _point("90"), TIP)),
    ToolKind("centre-drill", "Centre drill", _body(
            "2", Field("tip_diameter", "Pilot diameter", "Size", Kind.LENGTH, "What is the diameter of the pilot (ISO 866: d)?", suggest=_tip, limits=ABOVE_ZERO),
            Field("pilot_length", "Pilot length", "Size", Kind.LENGTH, "How long is the pilot up to the cone (ISO 866: l)?", limits=ABOVE_ZERO), made_of="hss")),
    ToolKind("drill", "Drill", _body("2", _point("118"), made_of="hss")),
    ToolKind("insert-drill", "Insert drill", _body("1", _point("170", 120))),
    ToolKind("reamer", "Reamer", _body("6", Field("lead", "Lead", "Size", Kind.LENGTH, "How long is the bevelled lead at the tip?", suggest=_lead, limits=Limits(0, 20)), made_of="hss")),
    ToolKind("tap", "Tap", (THREAD, TAP_DIAMETER, PITCH, LEAD_THREADS, _flutes("3"), FLUTE_LENGTH, SHANK, STICK_OUT, HOLDER, HAND, FORMING, _made_of("hss"), POCKET)),
    ToolKind("boring-bar", "Boring bar", _body("1", Field("smallest_bore", "Smallest bore", "Size", Kind.LENGTH, "What is the smallest bore that it fits into?", suggest=_neck, limits=ABOVE_ZERO),
                 shank=Field("shank_diameter", "Bar diameter", "Size", Kind.LENGTH, "What is the diameter of the bar above the cutting edge?", suggest=_neck, limits=ABOVE_ZERO))),
    ToolKind("countersink", "Countersink", _body("3", _point("90", 30), TIP)),
    ToolKind("chamfer-mill", "Chamfer mill", _body("4", _point("90", 30), TIP)),
    ToolKind("thread-mill", "Thread mill", _body("3", PITCH)),
)  # fmt: skip
KINDS: dict[str, ToolKind] = {
    **{
        k.id: replace(
            k, machine="both" if k.id in ON_BOTH else "mill", fields=(*k.fields, DRIVEN, COATING, COOLANT, OWN)
        )
        for k in _MILL
    },
    **{
        key: ToolKind(key, word, fields if key in NOT_CUTTING else (*fields, COATING, COOLANT, OWN), "lathe")
        for key, (word, fields) in LATHE_FIELDS.items()
    },
}


def kinds_for(machine: str, *, driven: bool = False) -> dict[str, ToolKind]:
    """The kinds that a machine of a kind takes; with a driven spindle those of a mill besides."""
    return {key: kind for key, kind in KINDS.items() if kind.machine in (machine, "both") or driven}


def fields_for(kind: str, *, driven: bool) -> tuple[Field, ...]:
    """What is asked of a tool of a kind: whether it is driven, only where a machine drives tools."""
    return tuple(f for f in KINDS[kind].fields if driven or f is not DRIVEN)


def first_answers(kind: str, *, driven: bool) -> dict[str, str]:
    """What a new tool of a kind begins with: one that cuts only while it turns itself is driven, where a machine can."""
    return {DRIVEN.key: DRIVEN.choices[0][0]} if driven and KINDS[kind].machine == "mill" else {}


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
    sizes = lathe_problems(kind, v) if kind in CUTTERS else _size_problems(v, units)
    problems = [*answers.problems, *_number_problems(number, taken), *sizes, *_own_problems(v)]
    answers = answers.with_problems(problems)
    if not answers.complete:
        return None, answers
    tool = _made(number, kind, name, v)
    if tool.cutter is not None:
        return tool, answers
    if tool.tip_length > tool.flute_length + 1e-6:
        short = f"The point alone is {show(tool.tip_length, units=units)} high. Give flutes at least that long."
        return None, answers.with_problems((Problem("flute_length", short),))
    return tool, answers


def _made(number: int, kind: str, name: str, v: Values) -> Tool:
    known = {key: v.get(key) for key in Tool.__struct_fields__ if v.get(key) is not None}
    if kind == "tap" and v.get("thread"):
        known["thread"] = v.thread.name
    if kind in CUTTERS:
        shank = v.get("shank_diameter") or v.get("diameter")
        known |= {
            "cutter": CUTTERS[kind](v),
            "diameter": shank,
            "shank_diameter": shank,
            "flutes": 1,
            "flute_length": v.stick_out,
        }
    known["own"] = parse_own(v.get("own", ""))
    known |= {"number": number, "kind": kind, "name": name or KINDS[kind].word}
    return Tool(**known)


def _own_problems(v: Values) -> list[Problem]:
    try:
        parse_own(v.get("own", ""))
    except Unusable as error:
        return [Problem("own", str(error))]
    return []


def _number_problems(number: int, taken: tuple[int, ...]) -> list[Problem]:
    if number < 1 or number > 9999:
        return [Problem("number", f"Tool number {number} is outside 1 to 9999.")]
    if number in taken:
        free = next(n for n in range(1, 10_000) if n not in taken)
        return [Problem("number", f"Tool number {number} is used twice. {free} is free.")]
    return []


def _size_problems(v: Values, units: Units) -> list[Problem]:
    problems = []

    def mm(value: float) -> str:
        return show(value, units=units)

    diameter, flute_length, stick_out = v.get("diameter"), v.get("flute_length"), v.get("stick_out")
    shank, holder, tip = v.get("shank_diameter"), v.get("holder", ()), v.get("tip_diameter", 0.0)
    if shank and holder and shank > holder[0][0]:
        problems.append(
            Problem(
                "shank_diameter",
                f"The shank ({mm(shank)}) is thicker than the holder around it ({mm(holder[0][0])}). Correct one of them.",
            )
        )
    if flute_length and stick_out and stick_out < flute_length:
        problems.append(
            Problem(
                "stick_out",
                f"The flutes are {mm(flute_length)} long but only {mm(stick_out)} stand out of the holder. Give at least the flute length.",
            )
        )
    if diameter and v.get("corner_radius", 0.0) > diameter / 2 + 1e-9:
        problems.append(
            Problem("corner_radius", f"A corner radius can be at most half the diameter, {mm(diameter / 2)}.")
        )
    if diameter and tip >= diameter:
        problems.append(
            Problem(
                "tip_diameter",
                f"The tip ({mm(tip)}) is as thick as the tool ({mm(diameter)}) or thicker. Correct one of them.",
            )
        )
    if diameter and v.get("pitch", 0.0) > 0.7 * diameter:
        problems.append(
            Problem("pitch", f"A pitch of {mm(v.pitch)} is too much for diameter {mm(diameter)}. Correct one of them.")
        )
    if diameter and v.get("smallest_bore", 0.0) > diameter:
        problems.append(
            Problem("smallest_bore", f"It cuts a bore of {mm(diameter)}; the bore that it fits into can't be larger.")
        )
    return problems  # fmt: skip
