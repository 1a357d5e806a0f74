"""Pocket: a rectangle with round corners, at any angle, cut into the stock.

Each depth pass goes down in the middle (helix, ramp or plunge) and clears by concentric loops
outwards; then, as asked, floor and walls are finished. All planned in the pocket's own frame and
placed at the end; the tool's centre never leaves the outline offset by its radius.
"""

from __future__ import annotations

import math

from bastler.core.cycles.base import (
    LONG,
    NOT_NEGATIVE,
    SIZE,
    Cycle,
    Pick,
    feed_down_field,
    machine_problems,
    speed_fields,
)
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.path import rounded_rectangle
from bastler.core.geometry.shapes import Prism, Removal
from bastler.core.marks import Angle, CentreCross, Distance, Mark, Radius, SectionAt
from bastler.core.moves import Compensate, Feed, Move, Rapid, Turn, follow
from bastler.core.planning import entry
from bastler.core.planning.clearing import WIDEST_STEP_SHARE, loops
from bastler.core.planning.passes import levels
from bastler.core.planning.placing import placed
from bastler.core.planning.work import ABOVE_METAL_MM, Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, show

LIFT_MM = 1.0
SMALLEST_LEAD_MM = 0.2
SENSIBLE_DEPTH_DIAMETERS = 1.5
DEPTH_SHARE = {"P": 0.5, "M": 0.3, "N": 0.8, "K": 0.5, "S": 0.2, "H": 0.1}
FITS_MM = 1e-6


def _left(v: Values, part: str) -> float:
    """What stays on walls or floor in the end, mm."""
    return 0.0 if v.get(f"finish_{part}", True) else float(v.get(f"leave_{part}", 0.0))


def _removals(v: Values, _: Work) -> tuple[Removal, ...]:
    left, tool = _left(v, "walls"), v.get("tool")
    corner = max(v.corner - left, tool.radius if tool and left else 0.0)
    return (
        Prism(
            (v.centre_x, v.centre_y), v.length - 2 * left, v.width - 2 * left, corner,
            v.get("angle", 0.0), v.top - v.depth + _left(v, "floor"), tool.corner_radius if tool else 0.0,
        ),
    )  # fmt: skip


def _problems(v: Values, w: Work) -> list[Problem]:
    tool, found = v.tool, machine_problems(v, w)
    name = f"Tool {tool.number} ({show(tool.diameter, units=w.units)})"
    narrow = min(v.length, v.width)
    if v.corner > narrow / 2 + FITS_MM:
        found.append(
            Problem("corner", f"A corner radius can be at most half the width, {show(narrow / 2, units=w.units)}.")
        )
    fits = min(2 * (v.corner - v.leave_walls), narrow - 2 * v.leave_walls)
    if tool.diameter > narrow - 2 * v.leave_walls + FITS_MM:
        found.append(
            Problem(
                "tool",
                f"{name} is too big for a pocket {show(narrow, units=w.units)} wide. The largest that fits is {show(fits, units=w.units)}.",
            )
        )
    elif tool.radius > v.corner + FITS_MM:
        largest = show(2 * v.corner, units=w.units)
        found.append(
            Problem("tool", f"{name} leaves radius {show(tool.radius, units=w.units)} in the corners; the pocket asks for "
                    f"{show(v.corner, units=w.units)}. The largest that fits is {largest}.")
        )  # fmt: skip
    if v.depth <= tool.corner_radius:
        found.append(
            Problem(
                "tool",
                f"{name} has corner radius {show(tool.corner_radius, units=w.units)}, more than the pocket is deep.",
            )
        )
    if tool.flat_radius < 0.1 * tool.radius:
        found.append(
            Problem("tool", f"{name} has no flat bottom to clear a floor with. Take one with a smaller corner radius.")
        )
    found += _depth_problems(v, w) + _entry_problems(v, w)
    if v.side_step > WIDEST_STEP_SHARE * tool.flat_radius + FITS_MM:
        limit = show(WIDEST_STEP_SHARE * tool.flat_radius, units=w.units)
        found.append(
            Problem(
                "side_step", f"With {name} a side step above {limit} leaves metal in the corners. Take at most {limit}."
            )
        )
    if v.leave_floor >= v.depth:
        found.append(Problem("leave_floor", "More is left on the floor than the pocket is deep."))
    return found


def _depth_problems(v: Values, w: Work) -> list[Problem]:
    tool, found = v.tool, []
    bottom = v.top - v.depth
    high = w.top_over(_removals(v, w)[0].bounds())
    name = f"Tool {tool.number}"
    if bottom < w.block.z0 - FITS_MM:
        found.append(
            Problem(
                "depth",
                f"The floor at Z {show(bottom, units=w.units)} lies below the block, which ends at Z {show(w.block.z0, units=w.units)}.",
            )
        )
    if bottom >= high:
        found.append(
            Problem(
                "depth", f"There is no metal above Z {show(bottom, units=w.units)} any more. Check Top at Z and Depth."
            )
        )
    if high - bottom > tool.stick_out:
        found.append(
            Problem(
                "tool",
                f"{name} stands out {show(tool.stick_out, units=w.units)}, the pocket needs {show(high - bottom, units=w.units)}: the holder would touch. Clamp it longer or take a longer one.",
            )
        )
    elif high - bottom > tool.flute_length and tool.shank_diameter > tool.diameter - 0.02:
        found.append(
            Problem(
                "tool",
                f"{name} cuts {show(tool.flute_length, units=w.units)} deep, the pocket needs {show(high - bottom, units=w.units)}: its shank would rub on the wall.",
            )
        )
    if v.depth_per_pass > tool.flute_length + FITS_MM:
        found.append(
            Problem(
                "depth_per_pass",
                f"{name} has flutes of {show(tool.flute_length, units=w.units)}; take at most that per pass.",
            )
        )
    elif v.depth_per_pass > SENSIBLE_DEPTH_DIAMETERS * tool.diameter:
        sensible = show(SENSIBLE_DEPTH_DIAMETERS * tool.diameter, units=w.units)
        found.append(
            Problem(
                "depth_per_pass",
                f"{show(v.depth_per_pass, units=w.units)} per pass is much for {name}; {sensible} is sensible.",
                blocks=False,
            )
        )
    return found


def _room(v: Values) -> tuple[float, float]:
    """Half sizes that the tool's centre may use while roughing."""
    offset = v.tool.radius + v.leave_walls
    return v.length / 2 - offset, v.width / 2 - offset


def _helix_radius(v: Values) -> float:
    a, b = _room(v)
    return entry.helix_radius(v.tool.flat_radius, min(a, b))


def _ramp_length(v: Values) -> float:
    a, b = _room(v)
    return entry.ramp_length(v.tool.diameter, 2 * max(a, b)) if min(a, b) >= -FITS_MM else 0.0


def _lead(v: Values) -> float:
    """Radius of the arc on which the tool's centre runs onto the wall, as far as there is room."""
    a, b = _half_sizes(v)
    return float(min(v.lead_radius, 0.9 * (a - v.tool.radius), 0.9 * (b - v.tool.radius)))


def _entry_problems(v: Values, _: Work) -> list[Problem]:
    if v.entry == "helix" and not _helix_radius(v):
        return [Problem("entry", "The pocket is too narrow for a helix. Use a ramp or a plunge.")]
    if v.entry == "ramp" and not _ramp_length(v):
        return [Problem("entry", "The pocket is too short for a ramp. Use a helix or a plunge.")]
    if v.entry == "plunge" and not v.tool.plunges:
        return [
            Problem(
                "entry",
                f"Tool {v.tool.number} doesn't cut across its centre and may not plunge. Use a helix or a ramp.",
            )
        ]
    if v.entry != "plunge" and v.ramp_angle > v.tool.ramp_angle + FITS_MM:
        return [Problem("ramp_angle", f"Tool {v.tool.number} may ramp at {show(v.tool.ramp_angle)}° at most.")]
    if v.finish_walls and v.compensation == "control" and _lead(v) < SMALLEST_LEAD_MM:
        return [
            Problem(
                "compensation",
                "There is no room for a run-in with compensation by the control. Let Bastler offset the path, "
                "or give a larger lead-in radius.",
            )
        ]
    return []


def _lengthwise(v: Values) -> bool:
    return bool(v.length >= v.width)


def _plan(v: Values, w: Work) -> list[Move]:
    bottom = v.top - v.depth
    high = w.top_over(_removals(v, w)[0].bounds())
    rough_floor = bottom + v.leave_floor
    moves: list[Move] = []
    z = high + ABOVE_METAL_MM
    top = high
    heights = levels(high, rough_floor, v.depth_per_pass)
    if (v.leave_floor > 0 and v.finish_floor) or not heights:
        heights.append(bottom + _left(v, "floor"))
    for i, level in enumerate(heights):
        moves += _clear(v, z, top, level, first=i == 0)
        top, z = level, level + LIFT_MM
    if v.finish_walls:
        floor = heights[-1]
        for level in levels(high, floor, v.tool.flute_length):
            moves += _finish_walls(v, z, level)
            z = level + LIFT_MM
    angle = v.angle if _lengthwise(v) else v.angle + 90.0
    return [*placed(moves, (v.centre_x, v.centre_y), angle), Rapid(z=w.clearance)]


def _half_sizes(v: Values) -> tuple[float, float]:
    """Half of the longer and of the shorter side: the planning frame lies along the longer one."""
    return max(v.length, v.width) / 2, min(v.length, v.width) / 2


def _clear(v: Values, approach: float, top: float, level: float, *, first: bool) -> list[Move]:
    """One depth pass, from ``approach`` (in air) down to ``level`` and out to the wall."""
    tool, (a, b) = v.tool, _half_sizes(v)
    paths = loops(a, b, v.corner, tool.radius + v.leave_walls, v.side_step, tool.flat_radius)
    helix, length = _helix_radius(v), _ramp_length(v)
    if v.entry == "helix":
        start = (helix, 0.0)
        down = entry.helix(helix, top + min(LIFT_MM, approach - top), level, v.ramp_angle, v.feed_down)
    elif v.entry == "ramp":
        start = (-length / 2, 0.0)
        down = entry.ramp(length, top + min(LIFT_MM, approach - top), level, v.ramp_angle, v.feed_down)
    else:
        start = (0.0, 0.0)
        down = entry.plunge(level, v.feed_down)
    moves: list[Move] = [Rapid(*start)]
    if first:
        moves.append(Rapid(z=approach))
    if v.entry != "plunge":
        moves.append(Feed(None, None, top + min(LIFT_MM, approach - top), v.feed_down))
    moves += down
    for i, path in enumerate(paths):
        moves.append(Feed(*path.start, None, v.feed_full))
        moves += follow(path, v.feed_full if i == 0 else v.feed)
    x, y = paths[-1].start
    inward = min(LIFT_MM, abs(y))
    moves += [Feed(x, y + inward, level + LIFT_MM, v.feed)]
    return moves


def _finish_walls(v: Values, approach: float, level: float) -> list[Move]:
    """Once round at the true outline: quarter arc in, loop, quarter arc out."""
    tool, (a, b) = v.tool, _half_sizes(v)
    radius = tool.radius
    free = _lead(v)
    centre_y = -(b - radius) + free
    roughed = min(-(b - radius) + max(free, v.leave_walls), 0.0)
    moves: list[Move] = [
        Rapid(0.0, roughed),
        Rapid(z=max(approach, level + LIFT_MM)),
        Feed(None, None, level, v.feed),
        Feed(0.0, centre_y, None, v.feed),
    ]
    by_control = v.compensation == "control"
    offset = 0.0 if by_control else radius
    loop = rounded_rectangle(a - offset, b - offset, v.corner - offset)
    reach = free + radius - offset
    centre = (0.0, centre_y)
    if by_control:
        moves.append(Compensate("left"))
    if reach > FITS_MM:
        moves += [
            Feed(-reach, centre_y, None, v.feed),
            Turn(*loop.start, centre, True, v.feed),
            *follow(loop, v.feed),
            Turn(reach, centre_y, centre, True, v.feed),
        ]
    else:
        moves += [Feed(*loop.start, None, v.feed), *follow(loop, v.feed)]
    if by_control:
        moves.append(Compensate(None))
    return [*moves, Feed(0.0, centre_y, None, v.feed), Feed(None, None, level + LIFT_MM, v.feed)]


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


def _title(v: Values) -> str:
    return f"{show(v.length)} × {show(v.width)}" if v.get("length") and v.get("width") else "rectangle"


def _suggest_top(_: Values, w: Work) -> Suggestion:
    return Suggestion(show(w.part.z1), "the top of the part")


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    mills = [
        t
        for t in w.tools.values()
        if t.kind == "end-mill" and t.radius <= v.corner + FITS_MM and t.diameter <= min(v.length, v.width)
    ]
    reach = [
        t for t in mills if t.flute_length >= v.depth or (t.stick_out >= v.depth and t.shank_diameter < t.diameter)
    ]
    best = max(reach, key=lambda t: (t.corner_radius == 0, t.diameter, -t.number), default=None)
    if best is None:
        return None
    return Suggestion(str(best.number), f"{best.name}: the largest that fits radius {show(v.corner, units=w.units)}")


def _suggest_side_step(v: Values, w: Work) -> Suggestion:
    return Suggestion(show(0.8 * v.tool.flat_radius), "40 % of the tool's flat bottom")


def _suggest_depth(v: Values, w: Work) -> Suggestion:
    depth = min(DEPTH_SHARE[w.material.group] * v.tool.diameter, v.tool.flute_length)
    return Suggestion(show(depth, digits=1), f"sensible for {v.tool.name} in {w.material.name}")


def _suggest_entry(v: Values, _: Work) -> Suggestion:
    if _helix_radius(v):
        return Suggestion("helix", "the pocket is wide enough")
    if _ramp_length(v) or not v.tool.plunges:
        return Suggestion("ramp", "too narrow for a helix")
    return Suggestion("plunge", "too narrow for helix and ramp")


def _suggest_ramp(v: Values, _: Work) -> Suggestion:
    return Suggestion(show(v.tool.ramp_angle), f"the steepest for tool {v.tool.number}")


def _suggest_lead(v: Values, w: Work) -> Suggestion:
    return Suggestion(show(v.tool.radius / 2), "half the tool's radius")


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    tool = w.tools[int(pick.choice(tuple(str(t.number) for t in w.tools.values() if t.kind == "end-mill")))]
    b = w.block
    leave = pick.number(0.0, 0.4)
    smallest = tool.diameter + 2 * leave + 0.01
    length, width = pick.number(smallest + 0.3 * tool.diameter, 60.0), pick.number(smallest, 60.0)
    corner = pick.number(tool.radius, min(length, width) / 2)
    depth = pick.number(tool.corner_radius + 0.5, min(tool.flute_length, b.z1 - b.z0) - 0.5)
    typed = {
        "centre_x": str(pick.number(b.x0, b.x1)),
        "centre_y": str(pick.number(b.y0, b.y1)),
        "angle": str(pick.number(-180, 180)),
        "top": str(b.z1),
        "length": str(length),
        "width": str(width),
        "corner": str(corner),
        "depth": str(depth),
        "tool": str(tool.number),
        "side_step": str(pick.number(0.3 * tool.flat_radius, 1.49 * tool.flat_radius)),
        "depth_per_pass": str(pick.number(0.8, tool.diameter)),
        "leave_walls": str(leave),
        "leave_floor": str(pick.number(0.0, 0.3)),
        "finish_walls": pick.choice(("yes", "no")),
        "finish_floor": pick.choice(("yes", "no")),
        "compensation": pick.choice(("planner", "control")),
        "lead_radius": str(pick.number(0.0, 6.0)),
    }
    if tool.plunges and pick.choice(("suggested", "plunge")) == "plunge":
        typed["entry"] = "plunge"
    return typed


def _sinks(v: Values) -> bool:
    return bool(v.entry != "plunge")


CYCLE = Cycle(
    id="pocket",
    name="Pocket",
    words=("pocket", "rectangle", "recess", "cavity", "window"),
    summary="Cut a rectangle with round corners into the stock",
    tool_kinds=("end-mill",),
    fields=(
        Field("centre_x", "Centre X", "Place", Kind.LENGTH, "Where is the middle of the pocket in X?", limits=LONG, stand_in=0.0),
        Field("centre_y", "Centre Y", "Place", Kind.LENGTH, "Where is the middle of the pocket in Y?", limits=LONG, stand_in=0.0),
        Field("top", "Top at Z", "Place", Kind.LENGTH, "At which Z is the surface the pocket is measured from?", suggest=_suggest_top, limits=LONG, stand_in=0.0),
        Field("angle", "Turned by", "Place", Kind.ANGLE, "By how much is the pocket turned, counter-clockwise?", "0", Limits(-360, 360), stand_in=0.0),
        Field("length", "Length", "Size", Kind.LENGTH, "How long is this pocket, measured along its own length?", limits=SIZE, stand_in=40.0),
        Field("width", "Width", "Size", Kind.LENGTH, "How wide is this pocket, measured across its length?", limits=SIZE, stand_in=25.0),
        Field("corner", "Corner radius", "Size", Kind.LENGTH, "Which radius have the four upright corners?", limits=SIZE, stand_in=5.0),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep is the pocket below its top?", limits=SIZE, stand_in=5.0),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which tool cuts the pocket?", suggest=_suggest_tool),
        Field("depth_per_pass", "Depth per pass", "Cut", Kind.LENGTH, "How deep is each pass?", suggest=_suggest_depth, limits=SIZE),
        Field("leave_walls", "Leave on walls", "Cut", Kind.LENGTH, "How much do the roughing passes leave on the walls?", "0.2", NOT_NEGATIVE),
        Field("finish_walls", "Finish walls", "Cut", Kind.FLAG, "Are the walls finished in a pass of their own?", "yes"),
        Field("leave_floor", "Leave on floor", "Cut", Kind.LENGTH, "How much do the roughing passes leave on the floor?", "0.1", NOT_NEGATIVE),
        Field("finish_floor", "Finish floor", "Cut", Kind.FLAG, "Is the floor finished in a pass of its own?", "yes"),
        Field("side_step", "Side step", "Cut", Kind.LENGTH, "How far apart are the loops?", suggest=_suggest_side_step, limits=SIZE),
        Field("compensation", "Wall path by", "Cut", Kind.CHOICE, "Who offsets the finishing path by the tool's radius?", "planner",
              choices=(("planner", "Bastler"), ("control", "Control, G41"))),
        *speed_fields(full_width=True),
        Field("entry", "Way down", "Entry", Kind.CHOICE, "How does the tool get down into the metal?", suggest=_suggest_entry,
              choices=(("helix", "Helix"), ("ramp", "Ramp"), ("plunge", "Plunge"))),
        Field("ramp_angle", "Ramp angle", "Entry", Kind.ANGLE, "How steep is the way down?", suggest=_suggest_ramp, limits=Limits(0, 45, low_open=True), shown=_sinks),
        feed_down_field(),
        Field("lead_radius", "Lead-in radius", "Entry", Kind.LENGTH, "With which radius does it run onto the wall?", suggest=_suggest_lead, limits=NOT_NEGATIVE,
              shown=lambda v: bool(v.finish_walls)),
    ),
    pictogram=(("frame", 0.08, 0.15, 0.84, 0.7), ("fill", 0.25, 0.32, 0.5, 0.36)),
    problems=_problems,
    removals=_removals,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
)  # fmt: skip
