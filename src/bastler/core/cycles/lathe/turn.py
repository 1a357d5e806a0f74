"""Turn: any contour, outside or in a bore, roughed in slices and finished along it; or a plain cylinder with a shoulder."""

from __future__ import annotations

import shapely

from bastler.core.cycles import lathecontours, undercuts
from bastler.core.cycles.base import PASS, Cycle, Pick
from bastler.core.cycles.lathefields import (
    FINISH_FEED,
    LONG,
    NOT_NEGATIVE,
    ROUGHNESS,
    SIZE,
    SPEED_FIELDS,
    WRITTEN,
    feed_field,
    suggest_table_feed,
)
from bastler.core.cycles.latheload import suggest_depth, suggest_feed
from bastler.core.fields import Field, Shown, Suggestion, Values
from bastler.core.geometry.halfsection import clipped, points_of
from bastler.core.geometry.path import Arc, Line, Path, Point, path_bounds
from bastler.core.marks import Distance, Mark
from bastler.core.moves import Move
from bastler.core.planning.work import Cleared, Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Units, show

LEAST_MM = 1e-6
USUAL_LEAVE_X_MM, USUAL_LEAVE_Z_MM = 0.4, 0.1


def inside(v: Values) -> bool:
    """Whether it is a bore."""
    return bool(v.get("where", "outside") == "inside")


def contour(v: Values, w: Work) -> Path:
    """From the front towards the chuck."""
    if v.shape == "contour":
        path: Path = v.contour.path
        return path if path.start[0] >= path.end[0] else path.reversed()
    return cylinder(v, w)


def cylinder(v: Values, w: Work) -> Path:
    """A cylinder or taper from its front to a shoulder, its front edge broken, its corner rounded."""
    way = -1.0 if inside(v) else 1.0
    front, r = v.front_z, v.diameter / 2
    end = front - v.length
    r_end = v.end_diameter / 2 if v.shape == "taper" else r
    far = w.lathe.away[1] if way > 0 else 0.0
    chamfer, corner, relief = v.get("chamfer", 0.0), v.get("corner", 0.0), undercut(v)
    points: list[Line | Arc] = []
    start: Point = (front, r)
    if chamfer > LEAST_MM:
        start = (front, r - way * chamfer)
        points.append(Line((front - chamfer, r)))
    if relief is not None:
        points += relief.elements
        r_end += way * relief.height
    elif corner > LEAST_MM and v.shape == "cylinder":
        points += [Line((end + corner, r)), Arc((end, r + way * corner), (end + corner, r + way * corner), way < 0)]
    else:
        points.append(Line((end, r_end)))
    if way * (far - r_end) > LEAST_MM + (0.0 if relief else corner):
        points.append(Line((end, far)))
    return Path(start, tuple(points))


def undercut(v: Values) -> undercuts.Undercut | None:
    """The undercut at the shoulder of a cylinder, if one is wanted."""
    form = v.get("undercut", "none")
    if v.shape != "cylinder" or form == "none":
        return None
    end, r = v.front_z - v.length, v.diameter / 2
    if form == "thread":
        return undercuts.din_76(float(v.undercut_pitch), end, r)
    return undercuts.din_509(v.undercut_size, form, end, r, -1.0 if inside(v) else 1.0)


def _clears(v: Values, w: Work) -> tuple[Cleared, ...]:
    return lathecontours.clears(v, w, contour(v, w))


def _problems(v: Values, w: Work) -> list[Problem]:
    found = []
    if v.shape == "contour":
        path = v.contour.path
        if v.contour.values.get("plane", "XY") != "ZX":
            return [
                Problem("contour", f"Contour “{v.contour.name}” lies in XY. Choose one in ZX, or change its plane.")
            ]
        if v.contour.closed:
            return [
                Problem(
                    "contour",
                    f"Contour “{v.contour.name}” is closed. Turn an open one, from the front towards the chuck.",
                )
            ]
        if min(path.start[1], path.end[1], *(e.end[1] for e in path.elements)) < -LEAST_MM:
            return [Problem("contour", f"Contour “{v.contour.name}” crosses the axis. X can't be below 0.")]
        if _crosses_itself(path):
            return [Problem("contour", f"Contour “{v.contour.name}” turns back through itself. Correct its points.")]
    else:
        found += _shape_problems(v, w)
    end = contour(v, w).end[0]
    if not w.lathe.stock.is_empty and end < w.lathe.stock.bounds[0]:
        found.append(
            Problem(
                "contour" if v.shape == "contour" else "length",
                f"It ends at Z {show(end, units=w.units)}, behind the end of the stock. Make it shorter.",
            )
        )
    return found + lathecontours.problems(v, w, contour(v, w), inside=inside(v))


def _ways(v: Values, w: Work) -> list[Problem]:
    return lathecontours.ways(v, w, contour(v, w))


def _shape_problems(v: Values, w: Work) -> list[Problem]:
    if v.shape != "cylinder":
        return []
    relief = undercut(v)
    if relief is None:
        if v.get("corner", 0.0) + v.get("chamfer", 0.0) > v.length:
            return [Problem("corner", "Chamfer and corner together are longer than the cylinder. Make them smaller.")]
        return []
    if v.undercut == "thread" and inside(v):
        return [Problem("undercut", "This undercut is for an outside thread. In a bore, turn a contour instead.")]
    if relief.width + v.get("chamfer", 0.0) > v.length:
        width = show(relief.width, units=w.units)
        return [Problem("undercut", f"The undercut is {width} wide, too wide for this cylinder. Choose a smaller one.")]
    if not inside(v) and _through(w, v.front_z - v.length, relief):
        return [Problem("undercut", "The undercut goes through into the bore or to the axis. Choose a smaller one.")]
    if inside(v) and relief.height > v.diameter / 2:
        return [Problem("undercut", "The undercut reaches over the axis in so small a bore. Choose a smaller one.")]
    return []


def _through(w: Work, end: float, relief: undercuts.Undercut) -> bool:
    """Whether no metal stays under an undercut that ends at Z ``end``."""
    floor = min(e.end[1] for e in relief.elements)
    if floor < LEAST_MM:
        return True
    under = clipped(w.lathe.stock, end, 0.0, end + relief.width, floor)
    return not w.lathe.stock.is_empty and bool(under.area < LEAST_MM)


def _crosses_itself(path: Path) -> bool:
    return not shapely.LineString(points_of(path, 0.01)).is_simple


def _plan(v: Values, w: Work) -> list[Move]:
    return lathecontours.moves(v, w, contour(v, w))


def _marks(v: Values, w: Work) -> list[Mark]:
    if v.get("shape", "cylinder") == "contour":
        return []
    front, length, r = v.get("front_z", 0.0), v.get("length", 20.0), v.get("diameter", 20.0) / 2
    marks: list[Mark] = [
        Distance("length", (front, r), (front - length, r), 0.0, "section"),
        Distance("diameter", (front - length / 2, -r), (front - length / 2, r), 90.0, "section"),
    ]
    if v.get("shape") == "taper":
        r2 = v.get("end_diameter", 25.0) / 2
        marks.append(Distance("end_diameter", (front - length, -r2), (front - length, r2), 90.0, "section"))
    return marks


def _title(v: Values, units: Units) -> str:
    bore = "bore " if inside(v) else ""
    if v.get("shape", "cylinder") == "contour":
        named = v.get("contour")
        return f"{bore}{named.name}" if named is not None else f"{bore}contour"
    return f"{bore}Ø{show(v.get('diameter', 0.0), units=units)}"


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    kind = "boring-tool" if inside(v) else "turning-tool"
    tools = [t for t in w.tools.values() if t.kind == kind and t.in_plane.tip[0] <= 0]
    return Suggestion(str(tools[0].number), tools[0].name) if tools else None


def _metal(v: Values, w: Work) -> float:
    """How thick it stands over the contour for roughing, the way its passes run."""
    path, stock = contour(v, w), w.lathe.stock
    if stock.is_empty:
        return 0.0
    x0, x1, y0, y1 = path_bounds(path)
    if v.get("along") == "radius":
        return float(min(x1, stock.bounds[2]) - max(x0, stock.bounds[0])) - float(v.ahead("leave_z", USUAL_LEAVE_Z_MM))
    left = float(v.ahead("leave_x", USUAL_LEAVE_X_MM)) / 2
    if not inside(v):
        return float(stock.bounds[3] - y0) - left
    around = clipped(stock, x0, 0.0, x1, stock.bounds[3] + 1.0)
    return float(y1 - around.bounds[1]) - left if not around.is_empty else 0.0


def _is(*shapes: str) -> Shown:
    return lambda v: v.get("shape", "cylinder") in shapes


def _undercut(*forms: str) -> Shown:
    return lambda v: v.get("shape", "cylinder") == "cylinder" and v.get("undercut", "none") in forms


def _suggest_relief(v: Values, _: Work) -> Suggestion:
    return Suggestion(undercuts.usual_509(v.diameter), "usual on this diameter")


def _suggest_pitch(v: Values, _: Work) -> Suggestion:
    return Suggestion(f"{undercuts.usual_76(v.diameter):g}", "the coarse thread of this diameter")


def _roughs(v: Values) -> bool:
    return bool(v.get("work", "both") != "finish")


def _either_way(v: Values) -> bool:
    """Whether roughing passes may also run towards the axis: not with a tool that cuts away from the chuck."""
    return _roughs(v) and (v.get("tool") is None or v.tool.in_plane.tip[0] <= 0)


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    turned = [k for k, c in w.contours.items() if c.path is not None and c.values.get("plane", "XY") == "ZX"]
    outer = [k for k in turned if k.startswith("~outer")]
    bored = [k for k in turned if k.startswith("~bore")]
    where = pick.choice(("outside", "inside")) if bored else "outside"
    kind = "boring-tool" if where == "inside" else "turning-tool"
    tools = tuple(str(t.number) for t in w.tools.values() if t.kind == kind)
    shared = {
        "where": where, "tool": pick.choice(tools), "work": pick.choice(("both", "both", "rough", "finish")),
        "depth_per_pass": str(pick.number(0.4, 2.5)), "leave_x": str(pick.number(0.0, 0.6)), "leave_z": str(pick.number(0.0, 0.3)),
        "along": pick.choice(("axis", "axis", "radius", "contour")), "compensation": pick.choice(("planner", "control")),
        "written": pick.choice(("moves", "cycle")),
    }  # fmt: skip
    which = bored if where == "inside" else outer
    if which and pick.choice(("contour", "cylinder")) == "contour":
        return {**shared, "shape": "contour", "contour": pick.choice(tuple(which))}
    top = w.lathe.stock.bounds[3]
    low = w.lathe.stock.bounds[1]
    diameter = pick.number(2 * low + 1.0, 2 * low + 12.0) if where == "inside" else pick.number(0.9 * top, 1.9 * top)
    length = pick.number(5.0, 30.0)
    return {
        **shared, "shape": "cylinder", "front_z": "0", "diameter": str(diameter), "length": str(length),
        "chamfer": str(pick.number(0.0, 1.5)), "corner": str(pick.number(0.0, 2.0)),
        "undercut": pick.choice(("none", "none", "E", "F") if where == "inside" else ("none", "none", "E", "F", "thread")),
    }  # fmt: skip


CYCLE = Cycle(
    id="turn",
    rank=20,
    name="Turn",
    words=("turn", "contour", "diameter", "shaft", "bore", "taper", "shoulder"),
    summary="Turn a contour, a diameter or a taper, outside or in a bore",
    tool_kinds=("turning-tool", "boring-tool"),
    fields=(
        Field("where", "Where", "Place", Kind.CHOICE, "Is this on the outside or in a bore?", "outside",
              choices=(("outside", "Outside"), ("inside", "In a bore"))),
        Field("shape", "Shape", "Place", Kind.CHOICE, "Is it a cylinder up to a shoulder, a taper, or a contour?", "cylinder",
              choices=(("cylinder", "Cylinder"), ("taper", "Taper"), ("contour", "Contour"))),
        Field("contour", "Contour", "Place", Kind.CONTOUR, "Which contour is turned?", shown=_is("contour")),
        Field("front_z", "Front at Z", "Place", Kind.LENGTH, "At what Z does it begin?", "0", LONG, shown=_is("cylinder", "taper")),
        Field("diameter", "Diameter", "Size", Kind.LENGTH, "What is the diameter (of a taper: at its front)?", limits=SIZE, stand_in=20.0, shown=_is("cylinder", "taper")),
        Field("end_diameter", "End diameter", "Size", Kind.LENGTH, "What is the diameter at its end?", limits=SIZE, stand_in=25.0, shown=_is("taper")),
        Field("length", "Length", "Size", Kind.LENGTH, "How long is it, from its front towards the chuck?", limits=SIZE, stand_in=20.0, shown=_is("cylinder", "taper")),
        Field("chamfer", "Front chamfer", "Size", Kind.LENGTH, "How wide is the chamfer at its front edge (0 for none)?", "0", NOT_NEGATIVE, shown=_is("cylinder")),
        Field("undercut", "Undercut", "Size", Kind.CHOICE, "Which undercut does the shoulder have (F: into its face too)?", "none",
              choices=(("none", "None"), ("E", "DIN 509 E"), ("F", "DIN 509 F"), ("thread", "DIN 76 A")), shown=_is("cylinder")),
        Field("corner", "Corner radius", "Size", Kind.LENGTH, "What is the radius in the corner of the shoulder (0: the nose's own)?", "0", NOT_NEGATIVE, shown=_undercut("none")),
        Field("undercut_size", "Undercut size", "Size", Kind.CHOICE, "What are the radius and depth of the undercut, in mm?", suggest=_suggest_relief,
              choices=tuple((size, size) for size in undercuts.DIN_509), shown=_undercut("E", "F")),
        Field("undercut_pitch", "Thread pitch", "Size", Kind.CHOICE, "What is the pitch, in mm, of the thread in front of it?", suggest=_suggest_pitch,
              choices=tuple((f"{p:g}", f"{p:g} mm") for p in undercuts.DIN_76), shown=_undercut("thread")),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which tool is used?", suggest=_suggest_tool),
        Field("work", "Do", "Cut", Kind.CHOICE, "Is it roughed, finished, or both?", "both",
              choices=(("both", "Rough and finish"), ("rough", "Rough"), ("finish", "Finish"))),
        Field("along", "Passes along", "Cut", Kind.CHOICE, "Do the roughing passes run along the axis, towards it, or as the contour does?", "axis",
              choices=(("axis", "Along the axis"), ("radius", "Towards the axis"), ("contour", "As the contour")), shown=_either_way),
        *SPEED_FIELDS,
        Field("depth_per_pass", "Depth per pass", "Cut", Kind.LENGTH, "How deep is each roughing pass (on the radius)?", suggest=suggest_depth(_metal), limits=PASS, shown=_roughs),
        feed_field(suggest=suggest_feed(suggest_table_feed)),
        Field("leave_x", "Leave in X", "Cut", Kind.LENGTH, "How much is left on the diameter for finishing?", str(USUAL_LEAVE_X_MM), NOT_NEGATIVE, shown=_roughs),
        Field("leave_z", "Leave in Z", "Cut", Kind.LENGTH, "How much is left on faces for finishing?", str(USUAL_LEAVE_Z_MM), NOT_NEGATIVE, shown=_roughs),
        ROUGHNESS,
        FINISH_FEED,
        WRITTEN,
        Field("compensation", "Path by", "Cut", Kind.CHOICE, "Who offsets the finishing pass by the nose radius: Bastler, or the control with G41 or G42?", "planner", shown=lambda v: v.get("work", "both") != "rough" and v.get("written", "moves") == "moves",
              choices=(("planner", "Bastler"), ("control", "Control"))),
    ),
    pictogram=(("frame", 0.1, 0.35, 0.4, 0.3), ("frame", 0.5, 0.2, 0.35, 0.6)),
    problems=_problems,
    ways=_ways,
    clears=_clears,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
)  # fmt: skip
