"""Pocket: a rectangle with round corners, at any angle, cut into the stock.

Each depth pass goes down in the middle (helix, ramp, plunge, or in a hole) and clears by concentric
loops outwards; then, as asked, floor and walls are finished.
"""

from __future__ import annotations

import math

from msgspec.structs import replace

from bastler.core.cycles import pocketing, pocketproblems
from bastler.core.cycles.base import AND_UNROLLED, LONG, SIZE, Cycle, Pick, SubStep, climbs, suggest_top
from bastler.core.cycles.pocketing import FITS_MM, Size, left_on
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.placement import Placement
from bastler.core.geometry.shapes import Prism, Removal
from bastler.core.marks import Angle, CentreCross, Distance, Mark, Radius, SectionAt
from bastler.core.moves import Move, Rapid
from bastler.core.planning.placing import placed
from bastler.core.planning.rest import cut_before, on_walls
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, show
from bastler.core.tooling.tools import Tool


def _size(v: Values) -> Size:
    """The pocket as this step cuts it: corners left to a smaller tool keep this one's radius."""
    a, b, tool = max(v.length, v.width) / 2, min(v.length, v.width) / 2, v.get("tool")
    match v.get("corners", "size"):
        case "left":
            return Size(a, b, max(v.corner, tool.radius) if tool else b)
        case "rest":
            return Size(a, b, v.corner, v.left_radius)
    return Size(a, b, v.corner)


def _wanted(v: Values) -> Prism:
    """The pocket as the drawing has it."""
    return Prism((v.centre_x, v.centre_y), v.length, v.width, v.corner, v.get("angle", 0.0), v.top - v.depth)


def _removals(v: Values, w: Work) -> tuple[Removal, ...]:
    left, tool = left_on(v, "walls"), v.get("tool")
    keeps = tool and (left or v.get("corners") == "left")
    corner = max(v.corner - left, tool.radius if keeps else 0.0)
    fillet = tool.corner_radius if tool else 0.0
    if not pocketing.whole(v) and not v.get("finish_walls", True):
        before = cut_before(_wanted(v), w.done)
        fillet = max(fillet, before.fillet if before else 0.0)
    cut = Prism(
        (v.centre_x, v.centre_y), v.length - 2 * left, v.width - 2 * left, corner,
        v.get("angle", 0.0), v.top - v.depth + left_on(v, "floor"), fillet,
    )  # fmt: skip
    if v.get("corners") == "left" and tool:
        remedy = "Copy this step behind it with a smaller tool, and Corners “What is left there”."
        return (cut, replace(cut, corner=v.corner, wanted=remedy))
    return (cut,)


def _problems(v: Values, w: Work) -> list[Problem]:
    found = []
    narrow = min(v.length, v.width)
    if v.corner > narrow / 2 + FITS_MM:
        found.append(
            Problem("corner", f"A corner radius can be at most half the width, {show(narrow / 2, units=w.units)}.")
        )
    return found + pocketproblems.problems(v, w, _size(v), _removals(v, w)[0], [(v.centre_x, v.centre_y)])


def _plan(v: Values, w: Work) -> list[Move]:
    place = Placement((v.centre_x, v.centre_y), v.angle if v.length >= v.width else v.angle + 90.0)
    moves = pocketing.moves(v, w, _size(v), _removals(v, w)[0], place)
    return [*placed(moves, place), Rapid(z=w.clearance)]


def _marks(v: Values, w: Work) -> list[Mark]:
    cx, cy, a, b = v.centre_x, v.centre_y, v.length / 2, v.width / 2
    angle = v.get("angle", 0.0)
    c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))

    def at(x: float, y: float) -> tuple[float, float]:
        return (cx + c * x - s * y, cy + s * x + c * y)

    floor = v.top - v.depth
    corner = min(v.corner, a, b)
    marks: list[Mark] = [
        SectionAt(cy),
        CentreCross((cx, cy), (a + 4, b + 4), angle),
        Distance("length", at(-a, b), at(a, b), angle),
        Distance("width", at(a, -b), at(a, b), angle + 90.0),
        Radius("corner", at(a - corner, -b + corner), corner, angle - 45.0),
        Distance("centre_x", (0.0, cy), (cx, cy)),
        Distance("centre_y", (cx, 0.0), (cx, cy), 90.0),
        Distance("depth", (cx + a, v.top), (cx + a, floor), 90.0, "section"),
        Distance("top", (cx - a, 0.0), (cx - a, v.top), 90.0, "section"),
    ]
    if angle:
        marks.append(Angle("angle", (cx, cy), a + 8, 0.0, angle))
    return marks


def _title(v: Values, units: Units) -> str:
    size = (
        f"{show(v.length, units=units)} × {show(v.width, units=units)}"
        if v.get("length") and v.get("width")
        else "rectangle"
    )
    return f"{size}, corners" if v.get("corners") == "rest" else size


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    return pocketing.suggest_mill(v, w, _size(v))


def _suggest_left(v: Values, w: Work) -> Suggestion | None:
    before = cut_before(_wanted(v), w.done)
    if before is None or before.corner <= v.corner:
        return None
    left = before.corner + on_walls(_wanted(v), before)
    return Suggestion(show(left, digits=3), "as a step before left them")


def _suggest_leave(v: Values, w: Work) -> Suggestion | None:
    before = cut_before(_wanted(v), w.done) if not pocketing.whole(v) else None
    return Suggestion(show(on_walls(_wanted(v), before), digits=3), "as much as is on the walls") if before else None


def _larger(tool: Tool, w: Work) -> list[Tool]:
    """Mills that leave corners for this one."""
    return [t for t in w.tools.values() if t.kind in pocketing.MILLS and t.radius > tool.radius + 0.5]


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    number = int(pick.choice(tuple(str(t.number) for t in w.tools.values() if t.kind in pocketing.MILLS)))
    tool, b = w.tools[number], w.block
    leave = pick.number(0.0, 0.4)
    larger = _larger(tool, w)
    corners = pick.choice(("size", "left", "rest") if larger else ("size", "left"))
    widest = max([tool, *larger], key=lambda t: t.diameter) if corners == "rest" else tool
    smallest = widest.diameter + 2 * leave + 0.01
    length, width = pick.number(smallest + 0.3 * tool.diameter, 60.0), pick.number(smallest, 60.0)
    typed = {
        "centre_x": str(pick.number(b.x0, b.x1)),
        "centre_y": str(pick.number(b.y0, b.y1)),
        "angle": str(pick.number(-180, 180)),
        "top": str(b.z1),
        "length": str(length),
        "width": str(width),
        "corner": str(pick.number(tool.radius, widest.radius if corners == "rest" else min(length, width) / 2)),
        "depth": str(pick.number(tool.corner_radius + 0.5, min(tool.flute_length, b.z1 - b.z0) - 0.5)),
        "corners": corners,
        **pocketing.sample_cut(
            pick, tool, leave, 0.0 if corners == "rest" else min(length, width) / 2 - tool.radius - leave
        ),
    }
    only_whole = ("rough", "clear_by", "leave_walls", "leave_floor", "finish_floor", "entry")
    return {k: t for k, t in typed.items() if corners != "rest" or k not in only_whole}


def _sample_before(typed: dict[str, str], w: Work) -> tuple[SubStep, ...]:
    """For the corners alone: the pocket, by the largest tool."""
    if typed["corners"] != "rest":
        return ()
    larger = max(_larger(w.tools[int(typed["tool"])], w), key=lambda t: t.diameter)
    place = {k: typed[k] for k in ("centre_x", "centre_y", "angle", "top", "length", "width", "corner", "depth")}
    return (
        SubStep(
            "pocket",
            "",
            "tool",
            {**place, "corners": "left", "tool": str(larger.number), "finish_walls": typed["finish_walls"]},
        ),
    )


CYCLE = Cycle(
    id="pocket",
    on_surfaces=AND_UNROLLED,
    rank=20,
    name="Pocket",
    words=("pocket", "rectangle", "recess", "cavity", "window"),
    summary="Cut a rectangle into the stock",
    tool_kinds=pocketing.MILLS,
    fields=(
        Field("centre_x", "Centre X", "Place", Kind.LENGTH, "Where is the middle of the pocket in X?", limits=LONG, stand_in=0.0),
        Field("centre_y", "Centre Y", "Place", Kind.LENGTH, "Where is the middle of the pocket in Y?", limits=LONG, stand_in=0.0),
        Field("top", "Top at Z", "Place", Kind.LENGTH, "At what Z is the surface that the pocket is measured from?", suggest=suggest_top, limits=LONG, stand_in=0.0),
        Field("angle", "Turned by", "Place", Kind.ANGLE, "How far is the pocket turned, counter-clockwise?", "0", Limits(-360, 360), stand_in=0.0),
        Field("length", "Length", "Size", Kind.LENGTH, "How long is this pocket, measured along its own length?", limits=SIZE, stand_in=40.0),
        Field("width", "Width", "Size", Kind.LENGTH, "How wide is this pocket, measured across its length?", limits=SIZE, stand_in=25.0),
        Field("corner", "Corner radius", "Size", Kind.LENGTH, "What radius do the four upright corners have?", limits=SIZE, stand_in=5.0),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep is the pocket below its top?", limits=SIZE, stand_in=5.0),
        Field("corners", "Corners", "Size", Kind.CHOICE, "Are the corners cut to their radius now?", "size",
              choices=(("size", "Cut to size"), ("left", "Left to a smaller tool"), ("rest", "What is left there"))),
        Field("left_radius", "Radius there now", "Size", Kind.LENGTH, "What radius did the larger tool leave in the corners?", suggest=_suggest_left, limits=SIZE, stand_in=5.0,
              shown=lambda v: not pocketing.whole(v)),
        *pocketing.fields(_suggest_tool, _size, "Which tool cuts the pocket?", _suggest_leave),
    ),
    pictogram=(("frame", 0.08, 0.15, 0.84, 0.7), ("fill", 0.25, 0.32, 0.5, 0.36)),
    problems=_problems,
    removals=_removals,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
    sample_before=_sample_before,
    metal=climbs,
    engagement=pocketing.engagement,
)  # fmt: skip
