"""Groove: outside, in a bore, in a face or at an angle into a corner; walls that lean, corners rounded or broken; several by a pitch."""

from __future__ import annotations

import math
from functools import lru_cache

import shapely

from bastler.core.cycles.base import Cycle, Pick
from bastler.core.cycles.grooving import (
    CORNERS,
    LEAST_MM,
    by_contour,
    contour_problem,
    contours,
    depth_of,
    in_corner,
    marks,
    opening,
    points_to,
    view_into,
)
from bastler.core.cycles.lathecontours import deepest, noticed
from bastler.core.cycles.lathefields import (
    FINISH,
    LONG,
    NOT_NEGATIVE,
    ROUGH,
    SIZE,
    SPEED_FIELDS,
    fed,
    feed_field,
    holding_in_the_way,
    no_way,
    speed_problems,
    start,
)
from bastler.core.fields import Field, Shown, Suggestion, Values
from bastler.core.geometry.halfsection import Area, clipped, points_of, volume
from bastler.core.geometry.path import Path
from bastler.core.moves import Move
from bastler.core.planning.lathe.alongcontour import walker_at
from bastler.core.planning.lathe.grooves import plunge, walls
from bastler.core.planning.lathe.reach import Reached, reached
from bastler.core.planning.lathe.walk import NoWay
from bastler.core.planning.work import Cleared, Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, show
from bastler.core.tooling.cutters import Cutter
from bastler.core.tooling.tools import Tool

FITS_MM3 = 0.5
SAME_DEG = 0.01
LEAST_LEAN_DEG = 5
AIMS = {"out": "the outside", "in": "a bore", "face": "a face"}
FLANK = Limits(-60, 60)
LEANS = Limits(-80, 80)


def _reached(tool: Tool, w: Work, contour: Path, *, bare: bool = False) -> Reached:
    t = w.lathe
    fixed = shapely.Polygon() if bare else t.fixed
    return reached(contour, t.stock, fixed, tool.in_plane, (0.0, 0.0), t.away, True)


def _clears(v: Values, w: Work) -> tuple[Cleared, ...]:
    every = tuple(Cleared(_reached(v.tool, w, c).cleared) for c in contours(v))
    stays = _stays(v, w, v.tool)
    return (*every, Cleared(shapely.union_all(stays), _remedy(v, w))) if stays else every


def _stays(v: Values, w: Work, tool: Tool) -> tuple[Area, ...]:
    """What a blade leaves of the grooves, more than its corners do anyway."""
    return tuple(p for c in contours(v) for p in noticed(_reached(tool, w, c).left, tool.in_plane.nose))


def _fitting(v: Values, w: Work) -> list[Tool]:
    """The blades of the table that point the right way and get in."""
    every = (t for t in w.tools.values() if t.kind == "grooving-tool" and t.width <= opening(v) + LEAST_MM)
    return [t for t in every if _points_well(v, t)]


def _points_well(v: Values, tool: Tool) -> bool:
    view, cutter = view_into(v), tool.in_plane
    return cutter.reach == view.reach and abs(cutter.lean - view.lean) < SAME_DEG


def _better(v: Values, w: Work) -> Tool | None:
    """The blade of the table that leaves least, if that is much less than the step's own."""
    now = sum(volume(p) for p in _stays(v, w, v.tool))
    fits = [t for t in _fitting(v, w) if t.number != v.tool.number]
    least, number = min(((sum(volume(p) for p in _stays(v, w, t)), t.number) for t in fits), default=(now, 0))
    return w.tools[number] if least < 0.5 * now else None


def _remedy(v: Values, w: Work) -> str:
    best = _better(v, w)
    if best is None:
        return "No blade of the table reaches it. A longer, slimmer or narrower one would."
    return f"T{best.number} ({best.name}) reaches it: take that."


def _points_wrong(v: Values, tool: Tool) -> Problem:
    view, lean = view_into(v), tool.in_plane.lean
    if tool.in_plane.reach != view.reach:
        text = f"Tool {tool.number} ({tool.name}) doesn't point at {AIMS[view.reach]}. Take one that does."
    elif not in_corner(v):
        text = f"The blade of tool {tool.number} leans by {show(lean)}°. Take a straight one."
    elif not lean:
        text = f"The blade of tool {tool.number} is straight. Take one that leans by {show(view.lean)}°."
    else:
        text = f"The blade of tool {tool.number} leans by {show(lean)}°, the groove by {show(view.lean)}°. Take another blade, or change the angle."
    return Problem("tool", text)


def _problems(v: Values, w: Work) -> list[Problem]:
    """One after another, up to the first that keeps it from being cut."""
    found = speed_problems(v, w)
    for check in (
        _leans,
        _blade_points,
        _fits,
        _walls_lean,
        _deep_enough,
        _on_its_face,
        _deepens,
        _corners,
        _apart,
        _metal,
    ):
        if (problem := check(v, w)) is not None:
            found.append(problem)
            if problem.blocks:
                break
    return found


def _leans(v: Values, _: Work) -> Problem | None:
    if not in_corner(v) or abs(v.lean) >= LEAST_LEAN_DEG:
        return None
    text = f"A groove into a corner leans. Give at least {show(LEAST_LEAN_DEG)}° towards the chuck, or away from it."
    return Problem("lean", text)


def _blade_points(v: Values, _: Work) -> Problem | None:
    return None if _points_well(v, v.tool) else _points_wrong(v, v.tool)


def _fits(v: Values, w: Work) -> Problem | None:
    if by_contour(v):
        wrong = contour_problem(v.contour, v.where == "face")
        return Problem("contour", wrong) if wrong else None
    if v.tool.width <= v.width + LEAST_MM:
        return None
    blade, wide = (show(n, units=w.units) for n in (v.tool.width, v.width))
    return Problem("tool", f"The blade is {blade} wide, the groove {wide}. Take a narrower one.")


def _walls_lean(v: Values, _: Work) -> Problem | None:
    for key in ("front_angle", "back_angle") if _upright(v) else ():
        if v.get(key, 0.0) < 0 and v.width + depth_of(v) * math.tan(math.radians(v.get(key))) < v.tool.width:
            return Problem(key, "The groove is wider at its bottom than the blade can enter. Lean the wall less.")
    return None


def _deep_enough(v: Values, w: Work) -> Problem | None:
    if depth_of(v) <= v.tool.deep + LEAST_MM:
        return None
    deep, goes = (show(n, units=w.units) for n in (depth_of(v), v.tool.deep))
    return Problem("tool", f"The groove is {deep} deep, the blade goes {goes}. Take a longer blade.")


def _on_its_face(v: Values, w: Work) -> Problem | None:
    """A blade for faces bends along a range of diameters."""
    if v.where != "face":
        return None
    tool, outer = v.tool, 2 * max(r for c in contours(v)[:1] for _, r in points_of(c, 0.01))
    if outer >= tool.face_from - LEAST_MM and not (tool.face_to and outer > tool.face_to + LEAST_MM):
        return None
    low, high, here = (show(n, units=w.units) for n in (tool.face_from, tool.face_to, outer))
    most = f" to {high}" if tool.face_to else " on"
    text = f"Its blade fits into faces from {low}{most}; the groove is {here} across. Take another blade."
    return Problem("tool", text)


def _deepens(v: Values, w: Work) -> Problem | None:
    if v.where == "face" or by_contour(v) or in_corner(v):
        return None
    if (v.bottom - v.surface) * (1 if v.where == "inside" else -1) > LEAST_MM:
        return None
    side = "larger" if v.where == "inside" else "smaller"
    return Problem("bottom", f"The bottom diameter must be {side} than the surface, {show(v.surface, units=w.units)}.")


def _corners(v: Values, w: Work) -> Problem | None:
    corner = v.get("corner", 0.0)
    if by_contour(v) or corner <= 0 or v.tool.corner_radius <= corner + LEAST_MM:
        return None
    text = f"The blade's corners leave a radius of {show(v.tool.corner_radius, units=w.units)}."
    return Problem("corner", text, blocks=False)


def _apart(v: Values, w: Work) -> Problem | None:
    if v.get("count", 1) < 2 or abs(v.get("pitch", 0.0)) >= (wide := opening(v)):
        return None
    return Problem("pitch", f"The grooves overlap. Give a pitch of at least {show(wide, units=w.units)}.")


def _metal(v: Values, w: Work) -> Problem | None:
    if all(volume(c.area) > FITS_MM3 for c in _clears(v, w) if not c.wanted):
        return None
    there = all(volume(_reached(v.tool, w, c, bare=True).cleared) > FITS_MM3 for c in contours(v))
    text = f"Tool {v.tool.number} finds no metal here that it can reach. "
    text += holding_in_the_way(w) if there else "Check where the groove is, or take another blade."
    return no_way(v.tool, w, _deepest(v), text)


def _ways(v: Values, w: Work) -> list[Problem]:
    if _moves_of(v, w) is not None:
        return []
    text = f"Tool {v.tool.number} finds no way here without its holder touching. Take a slimmer one."
    return [no_way(v.tool, w, _deepest(v), text)]


def _deepest(v: Values) -> float:
    """The Z of it that lies nearest to the chuck."""
    return min(deepest(c) for c in contours(v))


def _moves_of(v: Values, w: Work) -> tuple[Move, ...] | None:
    t = w.lathe
    return _walked(
        tuple(contours(v)),
        t.stock,
        t.fixed,
        v.tool.in_plane,
        t.away,
        v.tool.width,
        v.get("leave", 0.0),
        v.get("peck", 0.0) or 0.0,
        bool(v.tool.second_offset),
        v.get("first_wall", "right") == "left",
        _upright(v) and v.get("edge", 0.0) > LEAST_MM,
    )


@lru_cache(maxsize=64)
def _walked(
    every: tuple[Path, ...], stock: Area, fixed: Area, cutter: Cutter, away: tuple[float, float], blade: float, leave: float,
    peck: float, two_edges: bool, left_first: bool, lands: bool,
) -> tuple[Move, ...] | None:  # fmt: skip
    """The moves; ``None`` if the tool finds no way."""
    walker = walker_at(reached(every[0], stock, fixed, cutter, (0.0, 0.0), away, True).space, away)
    try:
        for one in every:
            whole = reached(one, stock, fixed, cutter, (0.0, 0.0), away, True)
            down = plunge(walker, whole, one, ROUGH, peck, blade, leave)
            walls(walker, whole, one, FINISH, two_edges=two_edges, left_first=left_first, lands=lands, plunged=down)
        walker.home()
        return tuple(walker.moves)
    except NoWay:
        return None


def _plan(v: Values, w: Work) -> list[Move]:
    found = _moves_of(v, w)
    assert found is not None
    return [*start(v), *fed(found, {ROUGH: v.feed, FINISH: v.get("feed_walls", v.feed)})]


def _title(v: Values, units: Units) -> str:
    many = f"{v.get('count', 1)} × " if v.get("count", 1) > 1 else ""
    if by_contour(v):
        named = v.get("contour")
        return f"{many}{named.name if named is not None else 'contour'}"
    return f"{many}{show(v.get('width', 0.0), units=units)} wide"


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    best = max(_fitting(v, w), key=lambda t: t.width, default=None)
    return Suggestion(str(best.number), f"{best.name}: the widest that fits") if best else None


def _suggest_surface(v: Values, w: Work) -> Suggestion | None:
    """The diameter that is there at the groove's middle."""
    band = clipped(w.lathe.stock, v.middle_z - 0.01, 0.0, v.middle_z + 0.01, 1e4)
    if band.is_empty:
        return None
    r = band.bounds[1] if v.where == "inside" else band.bounds[3]
    return Suggestion(show(2 * float(r)), "the metal there as steps before left it")


def _in(*where: str) -> Shown:
    return lambda v: v.get("where", "outside") in where and not by_contour(v)


def _walled(v: Values) -> bool:
    return not by_contour(v)


def _upright(v: Values) -> bool:
    """Whether it has walls of its own that may lean and edges that may be broken."""
    return not by_contour(v) and not in_corner(v)


def _several(v: Values) -> bool:
    return not in_corner(v)


def _suggest_lean(v: Values, w: Work) -> Suggestion:
    """As the blade that is chosen or there."""
    tools = [
        t
        for t in w.tools.values()
        if t.kind == "grooving-tool" and t.in_plane.reach == points_to(v) and t.in_plane.lean
    ]
    if not tools:
        return Suggestion("45", "halfway between shaft and shoulder")
    return Suggestion(show(tools[0].in_plane.lean), f"as {tools[0].name} leans")


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    _, low, z1, top = w.lathe.stock.bounds
    leans = {
        reach: tuple(
            str(t.in_plane.lean)
            for t in w.tools.values()
            if t.kind == "grooving-tool" and t.in_plane.reach == reach and t.in_plane.lean
        )
        for reach in ("out", "in")
    }
    places = ["outside", "outside", "face", *(["corner"] if leans["out"] else [])]
    if low > 5:
        places += ["inside", *(["bore_corner"] if leans["in"] else [])]
    where = pick.choice(tuple(places))
    snug = pick.choice(("", "", "0", "0.05", "0.2"))
    width, lean = 3 + float(snug) if snug else pick.number(3.2, 9.0), pick.choice(("0", "0", "10", "20"))
    typed = {
        "where": where, "width": str(width), "front_angle": lean, "back_angle": pick.choice(("0", lean)),
        "corner": str(pick.number(0.3, 0.8)), "edge": pick.choice(("0", "0.4")), "first_wall": pick.choice(("right", "left")),
        "corner_form": pick.choice(("radius", "radius", "chamfer")), "edge_form": pick.choice(("chamfer", "radius")), "leave": str(pick.number(0.0, 0.2)),
        "peck": pick.choice(("0", "1.5")), "count": "1",
    }  # fmt: skip
    if where == "face":
        return {
            **typed,
            "face_z": str(z1),
            "middle_diameter": str(pick.number(2 * low + 2 * width + 8, 2 * top - 2 * width - 4)),
            "depth": str(pick.number(1.0, 5.0)),
        }
    if where in CORNERS:
        corner, at = (low, "in") if where == "bore_corner" else (top, "out")
        return {
            **typed, "width": str(2 + float(snug) if snug else pick.number(2.2, 5.0)), "depth": str(pick.number(0.8, 3.0)), "lean": pick.choice(leans[at]),
            "corner_z": str(pick.number(-25.0, -12.0)), "corner_diameter": str(2 * corner),
        }  # fmt: skip
    if where == "inside":
        return {
            **typed,
            "width": str(2 + float(snug) if snug else pick.number(2.2, 6.0)),
            "middle_z": str(pick.number(-25.0, -10.0)),
            "surface": str(2 * low),
            "bottom": str(pick.number(2 * low + 1.0, 2 * low + 5.0)),
        }
    count = pick.choice(("1", "2"))
    return {
        **typed, "middle_z": str(pick.number(-30.0, -12.0)), "surface": str(2 * top), "bottom": str(pick.number(2 * top - 14.0, 2 * top - 1.0)),
        "count": count, "pitch": str(width + 10.0),
    }  # fmt: skip


CYCLE = Cycle(
    id="groove",
    rank=40,
    name="Groove",
    words=("groove", "recess", "undercut", "seal", "ring", "dovetail"),
    summary="Cut a groove outside, in a bore or into a face",
    tool_kinds=("grooving-tool",),
    fields=(
        Field("where", "Where", "Place", Kind.CHOICE, "Is the groove on the outside, in a bore, in a face, or at an angle in a corner?", "outside",
              choices=(("outside", "Outside"), ("inside", "In a bore"), ("face", "In a face"), ("corner", "In a shoulder's corner"), ("bore_corner", "In a bore's corner"))),
        Field("shape", "Shape", "Place", Kind.CHOICE, "Does it have walls and a flat bottom, or the shape of a contour?", "walls",
              choices=(("walls", "Walls and bottom"), ("contour", "Contour"))),
        Field("contour", "Contour", "Place", Kind.CONTOUR, "Which contour does it follow, from one edge over its bottom to the other?", shown=by_contour),
        Field("middle_z", "Middle at Z", "Place", Kind.LENGTH, "At what Z is the middle of the groove's bottom?", limits=LONG, stand_in=-10.0, shown=_in("outside", "inside")),
        Field("surface", "Surface diameter", "Place", Kind.LENGTH, "What is the diameter that it is cut into?", suggest=_suggest_surface, limits=SIZE, shown=_in("outside", "inside")),
        Field("face_z", "Face at Z", "Place", Kind.LENGTH, "At what Z is the face that it is cut into?", "0", LONG, shown=_in("face")),
        Field("middle_diameter", "Middle diameter", "Place", Kind.LENGTH, "What is the diameter at the middle of its bottom?", limits=SIZE, stand_in=30.0, shown=_in("face")),
        Field("corner_z", "Corner at Z", "Place", Kind.LENGTH, "At what Z is the shoulder that it undercuts?", limits=LONG, stand_in=-20.0, shown=_in(*CORNERS)),
        Field("corner_diameter", "Corner diameter", "Place", Kind.LENGTH, "What is the diameter of the shaft or the bore beside the shoulder?", limits=SIZE, stand_in=30.0, shown=_in(*CORNERS)),
        Field("lean", "Leans by", "Place", Kind.ANGLE, "How far does it lean towards the chuck (below 0: away from it)?", suggest=_suggest_lean, limits=LEANS, stand_in=45.0, shown=in_corner),
        Field("width", "Width at the bottom", "Size", Kind.LENGTH, "How wide is it at its bottom?", limits=SIZE, stand_in=4.0, shown=_walled),
        Field("bottom", "Bottom diameter", "Size", Kind.LENGTH, "What is the diameter of its bottom?", limits=SIZE, stand_in=24.0, shown=_in("outside", "inside")),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep is it, from the face or the corner?", limits=SIZE, stand_in=3.0, shown=_in("face", *CORNERS)),
        Field("front_angle", "Right wall leans", "Size", Kind.ANGLE, "How far does the right wall lean outwards (below 0: inwards)?", "0", FLANK, shown=_upright),
        Field("back_angle", "Left wall leans", "Size", Kind.ANGLE, "How far does the left wall lean outwards (below 0: inwards)?", "0", FLANK, shown=_upright),
        Field("corner", "Bottom corners", "Size", Kind.LENGTH, "How large is the radius or chamfer of its bottom corners (0: the blade's own)?", "0", NOT_NEGATIVE, shown=_walled),
        Field("corner_form", "Corners are", "Size", Kind.CHOICE, "Are the corners at its bottom rounded or chamfered?", "radius", choices=(("radius", "Rounded"), ("chamfer", "Chamfered")),
              shown=lambda v: _walled(v) and v.get("corner", 0.0) > 0),
        Field("edge", "Top edges", "Size", Kind.LENGTH, "How far are its top edges broken (0: not at all)?", "0", NOT_NEGATIVE, shown=_upright),
        Field("edge_form", "Edges are", "Size", Kind.CHOICE, "Are the edges at its top chamfered or rounded?", "chamfer", choices=(("chamfer", "Chamfered"), ("radius", "Rounded")),
              shown=lambda v: _upright(v) and v.get("edge", 0.0) > 0),
        Field("count", "Count", "Place", Kind.COUNT, "How many of these grooves are there?", "1", Limits(1, 200), shown=_several),
        Field("pitch", "Pitch", "Place", Kind.LENGTH, "How far apart are they?", limits=Limits(0, 1000), stand_in=8.0, shown=lambda v: _several(v) and bool(v.count > 1)),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which blade is used?", suggest=_suggest_tool),
        Field("leave", "Leave on walls", "Cut", Kind.LENGTH, "How much do the plunges leave on walls and bottom?", "0.1", NOT_NEGATIVE),
        Field("peck", "Peck", "Cut", Kind.LENGTH, "After what depth does the blade lift to break the chip (0: not at all)?", "0", NOT_NEGATIVE),
        Field("first_wall", "First wall", "Cut", Kind.CHOICE, "Which wall is finished first?", "right", choices=(("right", "The right one"), ("left", "The left one"))),
        *SPEED_FIELDS,
        feed_field(),
        feed_field("feed_walls", "Feed on walls", "How far does it feed per turn along walls and bottom?"),
    ),
    pictogram=(("frame", 0.05, 0.35, 0.35, 0.4), ("frame", 0.6, 0.35, 0.35, 0.4), ("frame", 0.4, 0.55, 0.2, 0.2)),
    problems=_problems,
    ways=_ways,
    clears=_clears,
    plan=_plan,
    marks=marks,
    title=_title,
    sample=_sample,
)  # fmt: skip
