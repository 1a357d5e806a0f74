"""Engrave: a line of text, or the marks of a scale, by the point of a tool along strokes."""

from __future__ import annotations

import math

from msgspec.structs import replace

from bastler.core.cycles.base import (
    AND_UNROLLED,
    LONG,
    SIZE,
    Cycle,
    Pick,
    feed_down_field,
    machine_problems,
    speed_fields,
    suggest_top,
)
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.path import Line, Path, path_bounds
from bastler.core.geometry.placement import Placement
from bastler.core.geometry.shapes import Removal
from bastler.core.geometry.strokes import unknown, written
from bastler.core.geometry.track import track
from bastler.core.marks import Angle, CentreCross, Distance, Mark, Radius, SectionAt
from bastler.core.moves import Feed, Move, Rapid, Turn, follow
from bastler.core.planning.work import ABOVE_METAL_MM, Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, show

KINDS = ("chamfer-mill", "countersink", "spot-drill", "end-mill")
"""The pointed ones first."""
MOST_SIGNS, MOST_MARKS = 80, 400
FIFTH, TENTH = 5, 10
STAND_IN_STEP_MM = 1.0


def _text(v: Values) -> bool:
    return bool(v.get("what", "text") == "text")


def _scale(v: Values) -> bool:
    return not _text(v)


def _arc(v: Values) -> bool:
    return bool(v.get("line", "straight") == "arc")


def _straight(v: Values) -> bool:
    return not _arc(v)


def _at(v: Values, along: float) -> Placement:
    """Where something lies that belongs so far along the line, and how it is turned."""
    mirrored = bool(v.get("mirrored"))
    if not _arc(v):
        line = Placement((v.start_x, v.start_y), v.get("angle", 0.0), mirrored)
        return Placement(line.point((along, 0.0)), line.angle, mirrored)
    # Feet to the centre it is read clockwise, feet outwards the other way; what is mirrored runs backwards.
    inwards = v.get("feet", "in") == "in"
    way = -1.0 if inwards != mirrored else 1.0
    turn = v.get("from_angle", 90.0) + way * math.degrees(along / v.arc_radius)
    c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    place = (v.centre_x + v.arc_radius * c, v.centre_y + v.arc_radius * s)
    return Placement(place, turn - 90.0 if inwards else turn + 90.0, mirrored)


def _strokes(v: Values) -> tuple[Path, ...]:
    """All strokes where they are cut."""
    if not _text(v):
        step = v.get("step") or 0.0
        return tuple(_at(v, k * step).path(Path((0.0, 0.0), (Line((0.0, _long(v, k))),))) for k in range(v.count))
    letters, long = written(v.text, v.height) if not unknown(v.text) else ((), 0.0)
    before = {"start": 0.0, "middle": -long / 2, "end": -long}[v.get("align", "start")]
    return tuple(place.path(s) for one in letters for place in [_at(v, before + one.at)] for s in one.strokes)


def _long(v: Values, k: int) -> float:
    """How long a mark is: each fifth and each tenth has its own length."""
    key = "tenth" if k % TENTH == 0 else "fifth" if k % FIFTH == 0 else "length"
    return float(v.get(key) or v.length)


def _removals(v: Values, w: Work) -> tuple[Removal, ...]:
    tool = v.get("tool")
    if tool is None:
        return ()
    # Only as wide as the stroke is at the surface: above it the tool cuts air.
    profile = replace(tool.profile, radius=_engagement(v)[1] / 2)
    return tuple(track(s, profile, v.top - v.depth) for s in _strokes(v))


def _problems(v: Values, w: Work) -> list[Problem]:
    found, tool = machine_problems(v, w), v.tool
    if _text(v) and not v.text.strip():
        found.append(Problem("text", "The text is empty. Type what is to be read."))
    if _text(v) and (missing := unknown(v.text)):
        found.append(Problem("text", f"There is no stroke for “{missing}”. Leave it out, or write it another way."))
    if _text(v) and len(v.text) > MOST_SIGNS:
        found.append(
            Problem("text", f"That are {len(v.text)} signs; one step engraves {MOST_SIGNS} at most. Make two of it.")
        )
    if _arc(v) and _text(v) and v.get("feet") == "out" and v.height >= v.arc_radius:
        found.append(Problem("arc_radius", "The letters reach over the centre of their arc. Take a larger radius."))
    if v.depth > tool.flute_length:
        text = f"Tool {tool.number} has flutes of {show(tool.flute_length, units=w.units)}; engrave less deep."
        found.append(Problem("depth", text))
    if tool.profile.slope > 0 and v.depth > tool.tip_length:
        text = f"The point of tool {tool.number} is {show(tool.tip_length, units=w.units)} high; deeper it cuts with its side. Engrave less deep."
        found.append(Problem("depth", text))
    return found


def _plan(v: Values, w: Work) -> list[Move]:
    above, bottom = w.top_over(_bounds(v)) + ABOVE_METAL_MM, v.top - v.depth
    moves: list[Move] = []
    here = (math.inf, math.inf)
    for path in _strokes(v):
        if math.dist(here, path.start) > 1e-6:
            moves += [Rapid(z=above)] if moves else []
            moves += [Rapid(*path.start), Rapid(z=above), Feed(None, None, bottom, v.feed_down)]
        # So narrow a line is cut by the tool's middle: round a curve its edge goes no faster.
        moves += [replace(m, centred=True) if isinstance(m, Turn) else m for m in follow(path, v.feed)]
        here = path.end
    return [*moves, Rapid(z=w.clearance)]


def _bounds(v: Values) -> tuple[float, float, float, float]:
    boxes = [path_bounds(s) for s in _strokes(v)]
    r = v.tool.radius
    return (
        min(b[0] for b in boxes) - r,
        max(b[1] for b in boxes) + r,
        min(b[2] for b in boxes) - r,
        max(b[3] for b in boxes) + r,
    )


def _marks(v: Values, w: Work) -> list[Mark]:
    (x, y), angle = _at(v, 0.0).at, _at(v, 0.0).angle
    c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))
    up = v.height if _text(v) else _long(v, 0)
    marks: list[Mark] = [
        SectionAt(y),
        Distance(
            "height" if _text(v) else "tenth" if v.count > FIFTH else "length",
            (x, y),
            (x - s * up, y + c * up),
            angle + 90.0,
        ),
        Distance("depth", (x, v.top), (x, v.top - v.depth), 90.0, "section"),
    ]
    if _arc(v):
        cx, cy, r = v.centre_x, v.centre_y, v.arc_radius
        return [
            *marks, CentreCross((cx, cy), (r + 4, r + 4), 0.0), Radius("arc_radius", (cx, cy), r, v.get("from_angle", 90.0) - 25.0),
            Distance("centre_x", (0.0, cy), (cx, cy)), Distance("centre_y", (cx, 0.0), (cx, cy), 90.0),
            Angle("from_angle", (cx, cy), r / 2, 0.0, v.get("from_angle", 90.0)),
        ]  # fmt: skip
    marks += [Distance("start_x", (0.0, y), (x, y)), Distance("start_y", (x, 0.0), (x, y), 90.0)]
    if _scale(v) and v.count > 1:
        step = v.get("step") or STAND_IN_STEP_MM
        x1, y1 = x + c * step, y + s * step
        marks += [
            Distance("step", (x, y), (x1, y1), angle),
            Distance("length", (x1, y1), (x1 - s * v.length, y1 + c * v.length), angle + 90.0),
        ]
    return [*marks, Angle("angle", (x, y), 2 * up, 0.0, angle)] if angle else marks


def _title(v: Values, units: Units) -> str:
    if _text(v):
        return f"“{v.get('text') or ''}”"
    count = int(v.get("count") or 0) * int(v.get("times_round") or 1)
    return f"{count} mark{'' if count == 1 else 's'}"


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    fits = [t for t in w.tools.values() if t.kind in KINDS and (t.profile.slope <= 0 or t.tip_length >= v.depth)]
    best = min(fits, key=lambda t: (KINDS.index(t.kind), t.profile.flat, t.diameter), default=None)
    return Suggestion(str(best.number), f"{best.name}: the finest point in the table") if best else None


def _suggest_fifth(v: Values, _: Work) -> Suggestion:
    return Suggestion(show(1.5 * v.length), "half as long again")


def _suggest_tenth(v: Values, _: Work) -> Suggestion:
    return Suggestion(show(2 * v.length), "twice as long")


def _engagement(v: Values) -> tuple[float, float]:
    """As deep as it is, as wide as its line is there."""
    slope = v.tool.profile.slope
    wide = 2 * (v.tool.profile.flat + (v.depth / slope if slope > 0 else v.tool.radius - v.tool.profile.flat))
    return float(v.depth), float(min(max(wide, 0.05), v.tool.diameter))


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    pointed = [t for t in w.tools.values() if t.kind in KINDS and t.profile.slope > 0] or [
        t for t in w.tools.values() if t.kind in KINDS
    ]
    number = pick.choice(tuple(str(t.number) for t in pointed))
    b, deep = w.block, pick.number(0.1, 0.8)
    x, y, angle = (str(pick.number(*ends)) for ends in ((b.x0, b.x1), (b.y0, b.y1), (-180, 180)))
    line = {"start_x": x, "start_y": y, "angle": angle}
    if pick.choice(("straight", "straight", "arc")) == "arc":
        line = {
            "line": "arc",
            "centre_x": x,
            "centre_y": y,
            "from_angle": angle,
            "arc_radius": str(pick.number(9, 30)),
            "feet": pick.choice(("in", "out")),
        }
    place = {
        **line, "top": str(b.z1), "tool": number, "depth": str(deep), "mirrored": pick.choice(("no", "yes")),
    }  # fmt: skip
    if pick.choice(("text", "scale")) == "scale":
        return {
            **place,
            "what": "scale",
            "count": pick.choice(("1", "5", "12")),
            "step": str(pick.number(1, 4)),
            "length": str(pick.number(1, 6)),
        }
    text = pick.choice(("HUB 58", "M5 × 0.8", "Ø20 H7", "X-1/2", "8:3=9 (6)"))
    return {
        **place,
        "what": "text",
        "text": text,
        "height": str(pick.number(2, 8)),
        "align": pick.choice(("start", "middle", "end")),
    }


CYCLE = Cycle(
    id="engrave",
    on_surfaces=AND_UNROLLED,
    rank=69,
    name="Engrave",
    words=("engrave", "text", "letters", "number", "scale", "marks"),
    summary="Cut a line of text, or the marks of a scale",
    tool_kinds=KINDS,
    fields=(
        Field("what", "What", "Place", Kind.CHOICE, "Is it text, or the marks of a scale?", "text", choices=(("text", "Text"), ("scale", "Marks of a scale"))),
        Field("line", "Runs", "Place", Kind.CHOICE, "Does it run straight, or along an arc?", "straight", choices=(("straight", "Straight"), ("arc", "Along an arc"))),
        Field("start_x", "Start X", "Place", Kind.LENGTH, "Where does it begin in X?", limits=LONG, stand_in=0.0, shown=_straight),
        Field("start_y", "Start Y", "Place", Kind.LENGTH, "Where does it begin in Y: the foot of the letters, or of the marks?", "0", limits=LONG, stand_in=0.0, shown=_straight),
        Field("angle", "Turned by", "Place", Kind.ANGLE, "How far is its line turned, counter-clockwise?", "0", Limits(-360, 360), stand_in=0.0, shown=_straight),
        Field("centre_x", "Centre X", "Place", Kind.LENGTH, "Where is the centre of the arc in X?", "0", limits=LONG, stand_in=0.0, shown=_arc),
        Field("centre_y", "Centre Y", "Place", Kind.LENGTH, "Where is the centre of the arc in Y?", "0", limits=LONG, stand_in=0.0, shown=_arc),
        Field("from_angle", "Start at angle", "Place", Kind.ANGLE, "At which angle from the centre does it begin?", "90", Limits(-360, 360), stand_in=90.0, shown=_arc),
        Field("feet", "Its foot is", "Place", Kind.CHOICE, "Does its foot point to the centre, so that it is read clockwise, or outwards?", "in", shown=_arc,
              choices=(("in", "Inwards"), ("out", "Outwards"))),
        Field("top", "Top at Z", "Place", Kind.LENGTH, "At what Z is the surface?", suggest=suggest_top, limits=LONG, stand_in=0.0),
        Field("align", "Start is its", "Place", Kind.CHOICE, "Which part of the line lies at the start?", "start", shown=_text,
              choices=(("start", "Beginning"), ("middle", "Middle"), ("end", "End"))),
        Field("mirrored", "Mirrored", "Place", Kind.FLAG, "Is it cut the wrong way round, for a mould?", "no"),
        Field("arc_radius", "Arc radius", "Size", Kind.LENGTH, "On what radius does its foot lie?", limits=SIZE, stand_in=20.0, shown=_arc),
        Field("text", "Text", "Size", Kind.TEXT, "What is to be read?", stand_in="ABC", shown=_text),
        Field("height", "Height", "Size", Kind.LENGTH, "How high are the capitals?", limits=SIZE, stand_in=5.0, shown=_text),
        Field("count", "Marks", "Size", Kind.COUNT, "How many marks are there?", limits=Limits(1, MOST_MARKS), stand_in=11, shown=_scale),
        Field("step", "Step", "Size", Kind.LENGTH, "How far apart are the marks?", limits=SIZE, stand_in=1.0, shown=lambda v: _scale(v) and v.get("count", 1) > 1),
        Field("length", "Length", "Size", Kind.LENGTH, "How long is a mark?", limits=SIZE, stand_in=3.0, shown=_scale),
        Field("fifth", "Each fifth", "Size", Kind.LENGTH, "How long is each fifth mark?", suggest=_suggest_fifth, limits=SIZE, shown=lambda v: _scale(v) and v.get("count", 1) > FIFTH),
        Field("tenth", "Each tenth", "Size", Kind.LENGTH, "How long are the first and each tenth mark?", suggest=_suggest_tenth, limits=SIZE, shown=lambda v: _scale(v) and v.get("count", 1) > FIFTH),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep are the strokes?", "0.3", SIZE, stand_in=0.3),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which tool engraves?", suggest=_suggest_tool),
        *speed_fields(engagement=_engagement),
        feed_down_field(),
    ),
    pictogram=(("frame", 0.08, 0.15, 0.84, 0.7), ("fill", 0.25, 0.3, 0.06, 0.4), ("fill", 0.47, 0.3, 0.06, 0.4), ("fill", 0.69, 0.3, 0.06, 0.4)),
    problems=_problems,
    removals=_removals,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
    engagement=_engagement,
    metal=lambda _: "both",
)  # fmt: skip
