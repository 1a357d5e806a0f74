"""Fields of lathe tools, and how their answers become outlines."""

from __future__ import annotations

from collections.abc import Callable

from bastler.core.fields import Field, Suggestion, Values
from bastler.core.problems import Problem, Unusable
from bastler.core.quantities import Kind, Limits, show
from bastler.core.threads.threadforms import profile_of, root_width
from bastler.core.tooling.cutters import (
    Cutter,
    Hand,
    blade_cutter,
    boring_cutter,
    puller_cutter,
    stop_cutter,
    thread_cutter,
    turning_cutter,
)
from bastler.core.tooling.inserts import Insert, read_holder, read_insert

SIZE = Limits(0, 500, low_open=True)
USUAL_LEAD_DEG = {"C": 95, "D": 93, "V": 93, "W": 95, "T": 91, "S": 75, "R": 90, "K": 93}
POINT_SHARE = 0.03
"""Point of an insert for several pitches as a share of the largest: the finest ones set it."""
"""Flat at the point of a metric tooth as a share of the pitch: P/8, ISO 68-1."""


def insert_of(v: Values) -> Insert | None:
    """The insert, if its code makes sense."""
    try:
        return read_insert(v.insert)
    except Unusable:
        return None


def _style(v: Values, key: str) -> str | float | None:
    code = v.get("holder_code")
    if not code:
        return None
    try:
        found: str | float = getattr(read_holder(code), key)
    except Unusable:
        return None
    return found


def _lead(v: Values, _: object) -> Suggestion:
    told = _style(v, "lead")
    if told is not None:
        return Suggestion(show(float(told)), "by the holder's code, ISO 5608")
    shape = v.insert[:1].upper()
    return Suggestion(show(USUAL_LEAD_DEG.get(shape, 93)), f"usual for shape {shape}")


def _hand(v: Values, _: object) -> Suggestion:
    told = {"R": "right", "L": "left", "N": "neutral"}.get(str(_style(v, "hand")))
    return Suggestion(told or "right", "by the holder's code" if told else "it cuts towards the chuck")


def _shank(v: Values, _: object) -> Suggestion:
    told = _style(v, "width")
    return Suggestion(show(float(told)) if told else "20", "by the holder's code" if told else "a usual size")


def _nose(v: Values, _: object) -> Suggestion | None:
    found = insert_of(v)
    return Suggestion(show(found.nose, digits=3), "by the insert's code, ISO 1832") if found else None


def _smallest(v: Values, _: object) -> Suggestion:
    return Suggestion(show(1.25 * v.diameter, digits=1), "a quarter more than the bar")


def _reach(v: Values, _: object) -> Suggestion:
    return Suggestion(show(4 * v.diameter, digits=1), "four times the bar")


def _blade_deep(v: Values, _: object) -> Suggestion:
    return Suggestion(show(4 * v.width, digits=1), "four times its width")


INSERT = Field(
    "insert",
    "Insert",
    "Size",
    Kind.TEXT,
    "What is the code of the insert (ISO 1832, as CNMG120408)?",
    stand_in="CNMG120408",
)
HOLDER_CODE = Field(
    "holder_code",
    "Holder",
    "Size",
    Kind.TEXT,
    "What is the code of the holder (ISO 5608, as PCLNR2525M12)?",
    optional=True,
)
NOSE = Field(
    "corner_radius",
    "Nose radius",
    "Size",
    Kind.LENGTH,
    "What is the radius of the nose?",
    suggest=_nose,
    limits=Limits(0, 50),
)
LEAD = Field(
    "lead_angle",
    "Lead angle",
    "Size",
    Kind.ANGLE,
    "What is the angle between the main edge and the feed?",
    suggest=_lead,
    limits=Limits(30, 125),
)
HAND = Field("hand", "Hand", "Cut", Kind.CHOICE, "Which way does it cut?", suggest=_hand,
             choices=(("right", "Right, towards the chuck"), ("left", "Left, away from it"), ("neutral", "Neutral")))  # fmt: skip
BORE_HAND = Field("hand", "Hand", "Cut", Kind.CHOICE, "Which way does it cut?", "right",
                  choices=(("right", "Right, towards the chuck"), ("left", "Left, out of the bore")))  # fmt: skip
UPSIDE_DOWN = Field(
    "upside_down",
    "Upside down",
    "Cut",
    Kind.FLAG,
    "Does it sit upside down, so that the spindle turns the other way, M4, against its edge?",
    "no",
)
SHANK = Field(
    "shank_diameter",
    "Shank width",
    "Size",
    Kind.LENGTH,
    "How wide is the shank (a bar for bores: how thick)?",
    suggest=_shank,
    limits=SIZE,
)
STICK_OUT = Field(
    "stick_out", "Stick-out", "Size", Kind.LENGTH, "How far does the edge stand out of the turret?", "40", SIZE
)
BAR = Field("diameter", "Bar diameter", "Size", Kind.LENGTH, "What is the diameter of the bar?", limits=SIZE)
SMALLEST = Field(
    "smallest_bore",
    "Smallest bore",
    "Size",
    Kind.LENGTH,
    "What is the smallest bore that it fits into?",
    suggest=_smallest,
    limits=SIZE,
)
BAR_REACH = Field(
    "stick_out",
    "Reach",
    "Size",
    Kind.LENGTH,
    "How far does the bar stand out of its clamp?",
    suggest=_reach,
    limits=SIZE,
)
MADE_OF = Field("material", "Made of", "Cut", Kind.CHOICE, "What is the cutting edge made of?", "carbide",
                choices=(("carbide", "Carbide"), ("hss", "High-speed steel")))  # fmt: skip
STATION = Field(
    "pocket",
    "Station",
    "Cut",
    Kind.COUNT,
    "In which station of the turret is it? Empty: the station of its number.",
    limits=Limits(1, 500),
    optional=True,
)
OFFSET = Field(
    "second_offset",
    "Second offset",
    "Cut",
    Kind.COUNT,
    "Under which number does the control keep the offset of the other edge (empty: one edge only)?",
    limits=Limits(1, 999),
    optional=True,
    shown=lambda v: not v.get("lean", 0.0),
)
POINTS = Field("points", "Used", "Size", Kind.CHOICE, "Which way does it point?", "out",
               choices=(("out", "On the outside"), ("in", "In a bore"), ("face", "In a face")))  # fmt: skip
WIDTH = Field(
    "width", "Blade width", "Size", Kind.LENGTH, "How wide is the blade?", limits=Limits(0, 50, low_open=True)
)
CORNER = Field(
    "corner_radius", "Corner radius", "Size", Kind.LENGTH, "What radius do its corners have?", "0.2", Limits(0, 25)
)
DEEP = Field("deep", "Depth limit", "Size", Kind.LENGTH, "How deep can it cut?", suggest=_blade_deep, limits=SIZE)
FACE_FROM = Field(
    "face_from",
    "Smallest diameter",
    "Size",
    Kind.LENGTH,
    "What is the smallest outer diameter of a face groove that it fits?",
    "0",
    Limits(0, 1000),
    shown=lambda v: bool(v.points == "face"),
)
FACE_TO = Field(
    "face_to",
    "Largest diameter",
    "Size",
    Kind.LENGTH,
    "What is the largest outer diameter of a face groove that it fits (empty: any)?",
    optional=True,
    limits=SIZE,
    shown=lambda v: bool(v.points == "face"),
)
LEAN = Field(
    "lean",
    "Leans by",
    "Size",
    Kind.ANGLE,
    "How far does the blade lean towards the chuck, as 45° into a shoulder's corner (below 0: away from it)?",
    "0",
    Limits(-80, 80),
    shown=lambda v: bool(v.points != "face"),
)
SLANT = Field(
    "slant",
    "Edge slants",
    "Size",
    Kind.ANGLE,
    "How far does its edge slant, so that the pip stays on the bar?",
    "0",
    Limits(0, 20),
)
THREAD_POINTS = Field("points", "Used", "Size", Kind.CHOICE, "Is it for threads on the outside or in a bore?", "out",
                      choices=(("out", "Outside"), ("in", "In a bore")))  # fmt: skip
THREAD_ANGLE = Field(
    "thread_angle",
    "Flank angle",
    "Size",
    Kind.ANGLE,
    "What is the angle between its flanks?",
    "60",
    Limits(0, 120, low_open=True),
)
PITCH = Field(
    "pitch",
    "Pitch",
    "Size",
    Kind.LENGTH,
    "What pitch is it for (a partial profile: at most)?",
    limits=Limits(0, 50, low_open=True),
)
FULL_PROFILE = Field(
    "full_profile",
    "Full profile",
    "Size",
    Kind.FLAG,
    "Does it have the full profile of one pitch, or a point for several?",
    "no",
)


def _point(v: Values, _: object) -> Suggestion:
    profile = profile_of(v.thread_angle)
    if profile is not None and (v.full_profile or profile == "trapeze"):
        width = root_width(profile, v.pitch, inside=v.points == "in")
        return Suggestion(show(width, digits=3), "by the standard form of this pitch")
    return Suggestion(show(POINT_SHARE * v.pitch, digits=3), "usual for a partial profile")


FLAT = Field(
    "point_flat",
    "Point flat",
    "Size",
    Kind.LENGTH,
    "How wide is the flat of its point?",
    suggest=_point,
    limits=Limits(0, 20),
)

FACE = Field(
    "diameter",
    "Face diameter",
    "Size",
    Kind.LENGTH,
    "What is the diameter of the face that the bar comes against?",
    limits=SIZE,
)

GRIPS_FROM = Field(
    "grips_from", "Thinnest bar", "Size", Kind.LENGTH, "What is the thinnest bar that it grips?", limits=SIZE
)
GRIPS_TO = Field(
    "grips_to", "Thickest bar", "Size", Kind.LENGTH, "What is the thickest bar that it grips?", limits=SIZE
)
FINGERS = Field(
    "deep", "Finger depth", "Size", Kind.LENGTH, "How far in between its fingers can the bar go?", "15", SIZE
)

LATHE_FIELDS: dict[str, tuple[str, tuple[Field, ...]]] = {
    "turning-tool": ("Turning tool", (INSERT, HOLDER_CODE, NOSE, LEAD, SHANK, STICK_OUT, HAND, UPSIDE_DOWN, MADE_OF, STATION)),
    "boring-tool": ("Boring tool", (INSERT, NOSE, LEAD, BAR, SMALLEST, BAR_REACH, BORE_HAND, UPSIDE_DOWN, MADE_OF, STATION)),
    "grooving-tool": ("Grooving tool", (POINTS, LEAN, WIDTH, CORNER, DEEP, FACE_FROM, FACE_TO, SHANK, STICK_OUT, OFFSET, UPSIDE_DOWN, MADE_OF, STATION)),
    "parting-tool": ("Parting tool", (WIDTH, CORNER, SLANT, DEEP, SHANK, STICK_OUT, UPSIDE_DOWN, MADE_OF, STATION)),
    "threading-tool": ("Threading tool", (THREAD_POINTS, PITCH, THREAD_ANGLE, FULL_PROFILE, FLAT, SHANK, STICK_OUT, UPSIDE_DOWN, MADE_OF, STATION)),
    "bar-stop": ("Bar stop", (FACE, STICK_OUT, STATION)),
    "bar-puller": ("Bar puller", (GRIPS_FROM, GRIPS_TO, FINGERS, STICK_OUT, STATION)),
}  # fmt: skip
"""Word and fields by kind."""


def _turning(v: Values) -> Cutter:
    insert = _with_nose(v)
    hand: Hand = v.hand if insert.corner else "neutral"
    return turning_cutter(insert, v.lead_angle, hand, v.shank_diameter, v.stick_out)


def _boring(v: Values) -> Cutter:
    return boring_cutter(_with_nose(v), v.lead_angle, v.hand, v.diameter, v.smallest_bore, v.stick_out)


def _with_nose(v: Values) -> Insert:
    from msgspec.structs import replace

    insert = read_insert(v.insert)
    return replace(insert, nose=v.corner_radius) if insert.corner else insert


def _blade(v: Values) -> Cutter:
    lean, slant = v.get("lean", 0.0), v.get("slant", 0.0)
    return blade_cutter(
        v.width, v.corner_radius, v.deep, v.get("points", "out"), v.shank_diameter, v.stick_out, lean, slant
    )


def _tooth(v: Values) -> Cutter:
    return thread_cutter(v.pitch, v.thread_angle, v.point_flat, v.points, v.shank_diameter, v.stick_out)


def _stop(v: Values) -> Cutter:
    return stop_cutter(v.diameter, v.stick_out)


def _puller(v: Values) -> Cutter:
    return puller_cutter(v.grips_to, v.deep, v.stick_out)


CUTTERS: dict[str, Callable[[Values], Cutter]] = {
    "turning-tool": _turning, "boring-tool": _boring, "grooving-tool": _blade, "parting-tool": _blade, "threading-tool": _tooth,
    "bar-stop": _stop, "bar-puller": _puller,
}  # fmt: skip


def lathe_problems(kind: str, v: Values) -> list[Problem]:
    """Codes that make no sense, and sizes that contradict each other."""
    found = []
    if v.get("insert"):
        try:
            insert = read_insert(v.insert)
        except Unusable as error:
            return [Problem("insert", str(error))]
        if insert.corner and v.get("lead_angle") and v.get("hand") != "neutral" and v.lead_angle + insert.corner > 179:
            most = 179 - insert.corner
            found.append(
                Problem(
                    "lead_angle",
                    f"With a corner of {show(insert.corner)}° the other edge would drag. Give at most {show(most)}°.",
                )
            )
        if v.get("corner_radius", 0.0) > 0.45 * insert.edge and insert.corner:
            found.append(
                Problem(
                    "corner_radius", f"The edge is only {show(insert.edge, digits=1)} long. Give a smaller nose radius."
                )
            )
    if v.get("holder_code"):
        try:
            style = read_holder(v.holder_code)
        except Unusable as error:
            return [*found, Problem("holder_code", str(error))]
        if v.get("insert") and style.shape != v.insert[:1].upper():
            found.append(
                Problem(
                    "holder_code",
                    f"This holder takes inserts of shape {style.shape}, not {v.insert[:1].upper()}. Correct one of them.",
                )
            )
    if kind in ("grooving-tool", "parting-tool") and v.get("width") and v.get("corner_radius", 0.0) > v.width / 2:
        found.append(Problem("corner_radius", f"Its corners can be at most half the width, {show(v.width / 2)}."))
    if v.get("grips_from") and v.get("grips_to") and v.grips_to < v.grips_from:
        found.append(Problem("grips_to", "The thickest bar is thinner than the thinnest one. Correct one of them."))
    if v.get("smallest_bore") and v.get("diameter") and v.smallest_bore < v.diameter:
        found.append(
            Problem("smallest_bore", "The bar itself is thicker than the bore that it fits into. Correct one of them.")
        )
    return found
