"""Face: clear the top of the stock, of a rectangle that reaches its edges, or of a closed contour, down to one height.

Strips run along X or Y, each from outside the block to outside the block, so the tool goes down
only in air. By default the whole stock is covered as it stands by then. A contour is cleared by loops, the outer one on
its line: the tool reaches over it by its radius.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from bastler.core.cycles import feedfields
from bastler.core.cycles.base import (
    FEED_LIMITS,
    LONG,
    NOT_NEGATIVE,
    PASS,
    SIZE,
    Cycle,
    Pick,
    climbs,
    machine_problems,
    speed_fields,
)
from bastler.core.cycles.loading import fed, grown, own_value, speed_for
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.path import path_bounds
from bastler.core.geometry.region import region
from bastler.core.geometry.shapes import Bounds, Prism, Removal
from bastler.core.marks import CentreCross, Distance, Mark, SectionAt, Sign
from bastler.core.moves import Feed, Move, Rapid
from bastler.core.planning.contours import contours_of
from bastler.core.planning.passes import even_strips, levels, rows
from bastler.core.planning.work import ABOVE_METAL_MM, Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, show
from bastler.core.tooling.cutting import cut_at, rounded_up, slot_depth
from bastler.core.tooling.feeds import said_feed

if TYPE_CHECKING:
    from bastler.core.planning.nest import Nested

SPIRAL_EDGE_SHARE = 0.7
"""The outer turn of a spiral runs this share of the flat radius inside the edge, so that the corners are cleared."""
SPIRAL_STEP_SHARE = 1.5
"""Turns of a spiral are at most this many flat radii apart, for the same reason."""
WIDEST_STRIP_SHARE = 0.85
"""So much of its width a tool is in metal at most: with all of it, its edges come in and go out in the worst way."""
NEAR_MM, PAST_MM = 0.5, 1.0
"""It feeds as in metal from so far before the edge, until its centre is so far past the other one: then all before it is gone."""
REACH_TO_EDGE_SHARE = 0.5
"""A rectangle may stay this share of the tool's diameter short of the block's edge along the strips."""


def _rectangle(v: Values, w: Work) -> Bounds:
    """The area asked for."""
    if v.get("area", "stock") == "stock":
        return w.block.bounds
    if _by_contour(v):
        return path_bounds(v.contour.path) if v.get("contour") is not None else w.block.bounds
    return (
        v.centre_x - v.length / 2, v.centre_x + v.length / 2,
        v.centre_y - v.width / 2, v.centre_y + v.width / 2,
    )  # fmt: skip


def _by_contour(v: Values) -> bool:
    return bool(v.get("area", "stock") == "contour")


def _loops(v: Values) -> tuple[Nested, ...]:
    """The loops that clear a contour, the outer one on its line."""
    from bastler.core.planning.nest import nested

    step = min(2 * v.tool.flat_radius * (1 - v.overlap / 100), v.tool.flat_radius)
    return nested(tuple(contours_of(v, "contour")), 0.0, step)


def _swept(v: Values, w: Work, radius: float) -> Bounds:
    """The area really cleared: along the strips the tool runs out over the block's edges."""
    x0, x1, y0, y1 = _rectangle(v, w)
    beyond = radius + v.get("run_out", 0.0)
    if v.get("along", "x") == "x":
        return (min(x0, w.block.x0) - beyond, max(x1, w.block.x1) + beyond, y0, y1)
    return (x0, x1, min(y0, w.block.y0) - beyond, max(y1, w.block.y1) + beyond)


def _prism(bounds: Bounds, floor: float, fillet: float = 0.0, wanted: str = "") -> Prism:
    x0, x1, y0, y1 = bounds
    return Prism(((x0 + x1) / 2, (y0 + y1) / 2), x1 - x0, y1 - y0, 0.0, 0.0, floor, fillet, wanted)


def _removals(v: Values, w: Work) -> tuple[Removal, ...]:
    tool = v.get("tool")
    radius, corner = (tool.radius, tool.corner_radius) if tool else (0.0, 0.0)
    if v.get("area", "stock") == "stock":
        x0, x1, y0, y1 = w.block.bounds
        edge = corner + 1.0
        return (_prism((x0 - edge, x1 + edge, y0 - edge, y1 + edge), v.level, corner),)
    if _by_contour(v):
        from bastler.core.planning.nest import swept

        loops = swept(tuple(contours_of(v, "contour")), radius)
        return (region(list(loops), v.level, corner),) if loops else ()
    long, wide, _ = w.block.size
    remedy = (
        f"A size of {show(long, units=w.units)} × {show(wide, units=w.units)}, or Area “Whole stock”, would clear it."
    )
    whole = _prism(w.block.bounds, v.level, wanted=remedy)
    return (_prism(_swept(v, w, radius + corner), v.level, corner), whole)


def _problems(v: Values, w: Work) -> list[Problem]:
    found = machine_problems(v, w)
    tool, level = v.tool, v.level
    top = w.top_over(w.block.bounds)
    if level >= top - 1e-6:
        found.append(
            Problem("level", f"Nothing stands above Z {show(level, units=w.units)}: the metal ends at "
                    f"Z {show(top, units=w.units)}. Face deeper, or switch this step off.")
        )  # fmt: skip
    if level <= w.block.z0:
        found.append(
            Problem(
                "level",
                f"Z {show(level, units=w.units)} is below the block, which ends at Z {show(w.block.z0, units=w.units)}.",
            )
        )
    if top - level > tool.flute_length and top - level > tool.stick_out:
        found.append(
            Problem(
                "tool",
                f"The face is {show(top - level, units=w.units)} deep; tool {tool.number} stands out only {show(tool.stick_out, units=w.units)}.",
            )
        )
    if _by_contour(v):
        if not v.contour.closed:
            found.append(
                Problem(
                    "contour",
                    f"Contour “{v.contour.name}” is open; a face needs a closed one. Close it, or choose another.",
                )
            )
        elif not tool.ramp_angle:
            found.append(Problem("tool", f"Tool {tool.number} can't ramp down into the metal. Take one that can."))
    elif v.area == "rectangle" and v.way == "spiral":
        found.append(Problem("way", "A spiral clears the whole stock. Choose Area “Whole stock”, or another way."))
    elif v.area == "rectangle":
        found += _rectangle_problems(v, w)
    if v.depth_per_pass > tool.flute_length:
        found.append(
            Problem(
                "depth_per_pass",
                f"Tool {tool.number} has flutes of {show(tool.flute_length, units=w.units)}; take at most that per pass.",
            )
        )
    return found


def _rectangle_problems(v: Values, w: Work) -> list[Problem]:
    tool, (x0, x1, y0, y1) = v.tool, _rectangle(v, w)
    b = w.block
    along_x = v.along == "x"
    short = max(x0 - b.x0, b.x1 - x1) if along_x else max(y0 - b.y0, b.y1 - y1)
    found = []
    if short > tool.diameter * REACH_TO_EDGE_SHARE:
        found.append(
            Problem("length" if along_x else "width",
                    f"The rectangle ends {show(short, units=w.units)} inside the block. A face runs out over the edge: "
                    "make it reach the edge, or use a pocket.")
        )  # fmt: skip
    across = (y1 - y0) if along_x else (x1 - x0)
    inside = (y0 > b.y0 or y1 < b.y1) if along_x else (x0 > b.x0 or x1 < b.x1)
    if inside and across < tool.diameter - 1e-9:
        found.append(
            Problem("tool", f"Tool {tool.number} ({show(tool.diameter, units=w.units)}) is wider than the rectangle "
                    f"({show(across, units=w.units)}). The largest that fits is {show(across, units=w.units)}.")
        )  # fmt: skip
    return found


def _plan(v: Values, w: Work) -> list[Move]:
    tool = v.tool
    top = w.top_over(w.block.bounds)
    finish = min(v.leave_finish, top - v.level)
    heights = levels(top, v.level + finish, v.depth_per_pass)
    if finish > 0:
        heights.append(v.level)
    if _by_contour(v):
        return [*_clear_contour(v, w, heights, top), Rapid(z=w.clearance)]
    x0, x1, y0, y1 = _rectangle(v, w)
    whole = v.area == "stock"
    along_x = v.along == "x"
    low, high, begin, end = (y0, y1, x0, x1) if along_x else (x0, x1, y0, y1)
    reach = tool.flat_radius if whole else tool.radius
    step = 2 * tool.flat_radius * (1 - v.overlap / 100)
    lines = even_strips(low, high, reach, step) if _over_edges(v, w) else rows(low, high, reach, step)
    edge0, edge1 = (w.block.x0, w.block.x1) if along_x else (w.block.y0, w.block.y1)
    outside = tool.radius + v.run_out
    a, b = min(begin, edge0) - outside, max(end, edge1) + outside

    def xy(along: float, across: float) -> tuple[float, float]:
        return (along, across) if along_x else (across, along)

    above = top + ABOVE_METAL_MM
    if v.way == "spiral":
        return [*_spiral(v, w, heights, above), Rapid(z=w.clearance)]
    moves: list[Move] = [Rapid(*xy(a, lines[0])), Rapid(z=above)]
    metal = grown(w.block)
    for z in heights:
        here, there, level = a, b, list[Move]()
        for i, line in enumerate(lines):
            if i == 0 or v.way == "one":
                here, there = a, b
                level += [Rapid(z=above), Rapid(*xy(here, line)), Rapid(z=z)]
            else:
                here, there = there, here
                level.append(Feed(*xy(here, line), None, v.feed_air))
            way = 1.0 if there > here else -1.0
            near, far = (edge0, edge1) if way > 0 else (edge1, edge0)
            level += [
                Feed(*xy(near - way * (tool.radius + NEAR_MM), line), None, v.feed_air),
                Feed(*xy(far + way * PAST_MM, line), None, v.feed),
                Feed(*xy(there, line), None, v.feed_air),
            ]
        moves += [*fed(level, z, metal, v, w, _strip(v, w)), Rapid(z=above)]
    moves.append(Rapid(z=w.clearance))
    return moves


def _over_edges(v: Values, w: Work) -> bool:
    """Whether the tool may hang over both long edges: then all strips are as wide, and none is a slot."""
    x0, x1, y0, y1 = _rectangle(v, w)
    b = w.block
    return (y0 <= b.y0 and y1 >= b.y1) if v.get("along", "x") == "x" else (x0 <= b.x0 and x1 >= b.x1)


def _strip(v: Values, w: Work) -> float:
    """How wide a strip is, mm."""
    step = 2 * float(v.tool.flat_radius) * (1 - v.overlap / 100)
    if _by_contour(v):
        return float(step)
    if not _over_edges(v, w):
        # The first strip, between the rectangle's edge and nothing, is as wide as the tool.
        return 2 * float(v.tool.flat_radius)
    x0, x1, y0, y1 = _rectangle(v, w)
    across = (y1 - y0) if v.get("along", "x") == "x" else (x1 - x0)
    return float(across / max(math.ceil(across / step - 1e-6), 1))


def _clear_contour(v: Values, w: Work, heights: list[float], top: float) -> list[Move]:
    """Loops over a contour, at each height."""
    from bastler.core.planning.area import Height, LevelCut, clear

    tool, roots, safe = v.tool, _loops(v), top + ABOVE_METAL_MM
    slope = math.tan(math.radians(tool.ramp_angle))
    step = min(2 * tool.flat_radius * (1 - v.overlap / 100), tool.flat_radius)
    cut = LevelCut(tool.radius, tool.flat_radius, step, v.feed, v.feed, v.feed, "ramp", slope)
    moves: list[Move] = [Rapid(*roots[0].deepest[0].loops[0].start), Rapid(z=safe)]
    above = top
    for z in heights:
        moves += clear(roots, cut, Height(z, above, safe), w.block)
        above = z
    return moves


def _spiral(v: Values, w: Work, heights: list[float], above: float) -> list[Move]:
    """Round the block from outside its corner inwards, at each height; the middle is reached last."""
    tool = v.tool
    x0, x1, y0, y1 = _rectangle(v, w)
    reach = SPIRAL_EDGE_SHARE * tool.flat_radius
    step = min(2 * tool.flat_radius * (1 - v.overlap / 100), SPIRAL_STEP_SHARE * tool.flat_radius)
    half = min(x1 - x0, y1 - y0) / 2
    count = max(math.ceil((half - reach) / step), 0)
    insets = [reach + i * step for i in range(count + 1)]
    outside = tool.radius + v.run_out
    start_x = max(x1, w.block.x1) + outside
    moves: list[Move] = [Rapid(start_x, y0 + min(insets[0], half)), Rapid(z=above)]
    for z in heights:
        moves += [Rapid(z=above), Rapid(start_x, y0 + min(insets[0], half)), Rapid(z=z)]
        for i, inset in enumerate(insets):
            at = min(inset, half)
            following = min(insets[i + 1], half) if i + 1 < len(insets) else at
            # Clockwise from outside: the metal lies on the right, so it climbs.
            a, b, c, d = x1 - at, x0 + at, y0 + at, y1 - at
            moves += [
                Feed(b, c, None, v.feed),
                Feed(b, d, None, v.feed),
                Feed(a, d, None, v.feed),
                Feed(a, y0 + following, None, v.feed),
            ]
        moves.append(Rapid(z=above))
    return moves


def _marks(v: Values, w: Work) -> list[Mark]:
    x0, x1, y0, y1 = _rectangle(v, w)
    mid_y = (y0 + y1) / 2
    marks: list[Mark] = [
        SectionAt(mid_y),
        Distance("level", (w.block.x1, w.block.z1), (w.block.x1, v.level), 90.0, "section"),
    ]
    if v.get("area", "stock") == "rectangle":
        marks += [
            Distance("length", (x0, y0), (x1, y0)),
            Distance("width", (x1, y0), (x1, y1), 90.0),
            Distance("centre_x", (0.0, y0), (v.centre_x, y0)),
            Distance("centre_y", (x0, 0.0), (x0, v.centre_y), 90.0),
            CentreCross((v.centre_x, v.centre_y), (v.length / 2 + 4, v.width / 2 + 4)),
        ]
    if _by_contour(v):
        return marks
    arrow = "→" if v.get("along", "x") == "x" else "↑"
    if v.get("way") == "spiral":
        arrow = "↻"
    back = {"→": "⇄", "↑": "⇅"}.get(arrow, arrow) if v.get("way", "both") == "both" else arrow
    marks.append(Sign("along", ((x0 + x1) / 2, mid_y), back))
    return marks


def _title(v: Values, units: Units) -> str:
    if v.get("area", "stock") == "stock":
        return "whole top"
    if _by_contour(v):
        return str(v.contour.name) if v.get("contour") is not None else "contour"
    return f"{show(v.get('length', 0.0), units=units)} × {show(v.get('width', 0.0), units=units)}"


def _suggest_level(_: Values, w: Work) -> Suggestion:
    return Suggestion(show(w.part.z1), "the top of the part")


def _suggest_tool(_: Values, w: Work) -> Suggestion | None:
    widest = max(
        (t for t in w.tools.values() if t.kind in ("face-mill", "end-mill")), key=lambda t: t.diameter, default=None
    )
    return Suggestion(str(widest.number), f"{widest.name}: the widest in the table") if widest else None


def _suggest_overlap(v: Values, w: Work) -> Suggestion:
    wide = 2 * float(v.tool.flat_radius)
    if _by_contour(v) or v.get("way") == "spiral" or not _over_edges(v, w):
        return Suggestion("30", "the usual one")
    x0, x1, y0, y1 = _rectangle(v, w)
    across = (y1 - y0) if v.get("along", "x") == "x" else (x1 - x0)
    count = max(math.ceil(across / (WIDEST_STRIP_SHARE * wide) - 1e-6), 1)
    percent = math.floor(100 * (1 - across / count / wide))
    return Suggestion(show(min(max(percent, 1), 95)), f"{count} pass{'es' if count > 1 else ''} of the same width")


def _suggest_depth(v: Values, w: Work) -> Suggestion:
    if (mine := own_value(v, w, "depth")) is not None:
        return mine
    height = max(w.top_over(w.block.bounds) - v.level, 0.1)
    strip = _strip(v, w)
    most = min(slot_depth(v.tool, w.material), v.tool.flute_length)
    depth = height / math.ceil(height / most - 1e-6)
    cut = cut_at(v.tool, w.material, w.machine, speed_for(v, w), depth, strip)
    return Suggestion(show(rounded_up(depth)), cut.reason(w.machine, w.units))


def _suggest_feed(v: Values, w: Work) -> Suggestion:
    return said_feed(cut_at(v.tool, w.material, w.machine, v.speed, v.depth_per_pass, _strip(v, w)), v.tool, w)


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    b = w.block
    high = min(b.z1, w.top_over(b.bounds))
    level = pick.number(b.z0 + 0.5 * (high - b.z0), high - 0.05)
    tool = pick.choice(tuple(str(t.number) for t in w.tools.values() if t.kind in ("face-mill", "end-mill")))
    typed = {
        "level": str(level),
        "along": pick.choice(("x", "y")),
        "way": pick.choice(("both", "one", "spiral")),
        "overlap": str(pick.number(5, 60)),
        "depth_per_pass": str(pick.number(0.5, min(4.0, w.tools[int(tool)].flute_length))),
        "leave_finish": pick.choice(("0", "0.2")),
        "tool": tool,
    }
    closed = tuple(k for k, c in w.contours.items() if c.closed and c.path)
    if closed and w.tools[int(tool)].ramp_angle and pick.choice(("strips", "contour")) == "contour":
        typed |= {"area": "contour", "contour": pick.choice(closed), "depth_per_pass": str(pick.number(1.0, 3.0))}
        return {k: t for k, t in typed.items() if k not in ("along", "way")}
    if typed["way"] != "spiral" and pick.choice(("stock", "rectangle")) == "rectangle":
        size = w.tools[int(tool)].diameter
        typed |= {
            "area": "rectangle",
            "centre_x": str(round((b.x0 + b.x1) / 2, 3)),
            "centre_y": str(round((b.y0 + b.y1) / 2, 3)),
            "length": str(pick.number(max(b.size[0] - size, size), b.size[0] + 10)),
            "width": str(pick.number(max(b.size[1] - size, size), b.size[1] + 10)),
        }
    return typed


def _engagement(v: Values) -> tuple[float, float]:
    return (float(v.depth_per_pass), 2 * float(v.tool.flat_radius) * (1 - v.overlap / 100))


def _by_rectangle(v: Values) -> bool:
    return bool(v.area == "rectangle")


def _by_strips(v: Values) -> bool:
    return not _by_contour(v)


CYCLE = Cycle(
    id="face",
    rank=10,
    name="Face",
    words=("face", "top", "plane", "surface", "level", "skim"),
    summary="Clear the top of the stock",
    tool_kinds=("face-mill", "end-mill"),
    fields=(
        Field("area", "Area", "Place", Kind.CHOICE, "Is the whole stock faced, a rectangle, or a contour?", "stock",
              choices=(("stock", "Whole stock"), ("rectangle", "Rectangle"), ("contour", "Contour"))),
        Field("contour", "Contour", "Place", Kind.CONTOUR, "Which contour does the tool clear, its edge included?", shown=_by_contour),
        Field("centre_x", "Centre X", "Place", Kind.LENGTH, "Where is the middle of the rectangle in X?", limits=LONG, stand_in=0.0, shown=_by_rectangle),
        Field("centre_y", "Centre Y", "Place", Kind.LENGTH, "Where is the middle of the rectangle in Y?", limits=LONG, stand_in=0.0, shown=_by_rectangle),
        Field("level", "Face at Z", "Place", Kind.LENGTH, "At what Z is the finished face?", suggest=_suggest_level, limits=LONG, stand_in=0.0),
        Field("length", "Length", "Size", Kind.LENGTH, "How long is the rectangle along X?", limits=SIZE, stand_in=50.0, shown=_by_rectangle),
        Field("width", "Width", "Size", Kind.LENGTH, "How wide is the rectangle along Y?", limits=SIZE, stand_in=30.0, shown=_by_rectangle),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which tool faces?", suggest=_suggest_tool),
        Field("along", "Passes along", "Cut", Kind.CHOICE, "Along which axis do the passes run?", "x", choices=(("x", "X"), ("y", "Y")), shown=_by_strips),
        Field("way", "Passes", "Cut", Kind.CHOICE, "Does it cut back and forth, always the same way, or in a spiral from outside?", "both", shown=_by_strips,
              choices=(("both", "Back and forth"), ("one", "One way"), ("spiral", "Spiral inwards"))),
        Field("overlap", "Overlap", "Cut", Kind.PERCENT, "How far does each pass overlap the one before?", limits=Limits(1, 95), suggest=_suggest_overlap),
        Field("depth_per_pass", "Depth per pass", "Cut", Kind.LENGTH, "How deep is each pass?", suggest=_suggest_depth, limits=PASS),
        Field("leave_finish", "Leave", "Cut", Kind.LENGTH, "How much is left for a last, light pass (0: none)?", "0", NOT_NEGATIVE),
        *speed_fields(feed=False),
        Field("feed", "Feed", "Cut", Kind.FEED, "How fast does the tool feed?", suggest=_suggest_feed, limits=FEED_LIMITS),
        feedfields.by_load(lambda v: _by_strips(v) and v.get("way") != "spiral"),
        feedfields.air_feed(lambda v: _by_strips(v) and v.get("way") != "spiral"),
        Field("run_out", "Run-out", "Entry", Kind.LENGTH, "How far does the tool run out past the edge?", "3", Limits(0.5, 200), shown=_by_strips),
    ),
    pictogram=(("frame", 0.1, 0.3, 0.8, 0.55), ("fill", 0.1, 0.15, 0.8, 0.15)),
    problems=_problems,
    removals=_removals,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
    metal=climbs,
    engagement=_engagement,
)  # fmt: skip
