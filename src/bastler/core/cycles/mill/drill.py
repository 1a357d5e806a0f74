"""Drill: holes on points, a grid or a circle; straight, pecked or with chips broken.

Depth counts to the full diameter, to the point of the drill, or through the stock.
"""

from __future__ import annotations

import math

from bastler.core.cycles.base import LONG, NOT_NEGATIVE, SIZE, Cycle, Pick, machine_problems, speed_fields
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.path import Point
from bastler.core.geometry.shapes import Bore, Bounds, Removal
from bastler.core.marks import CentreCross, Distance, Mark, PitchCircle, Radius, SectionAt, Sign
from bastler.core.moves import Drill, Move, Pecks, Rapid
from bastler.core.planning import patterns
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, show

SAME_SIZE_MM = 0.005
DEEP_DIAMETERS = 4.0
CLOSEST_HOLES_MM = 0.01


def _all_points(v: Values) -> list[Point]:
    """Every position of the pattern, skipped ones too."""
    kind = v.get("pattern", "points")
    if kind == "grid":
        return patterns.grid((v.first_x, v.first_y), v.columns, v.rows, v.pitch_x, v.pitch_y, v.get("angle", 0.0))
    if kind == "circle":
        return patterns.circle((v.centre_x, v.centre_y), v.circle_diameter, v.count, v.get("start_angle", 0.0))
    return list(v.points)


def _points(v: Values) -> list[Point]:
    skip = set(v.get("skip", ()))
    return [p for i, p in enumerate(_all_points(v), 1) if i not in skip]


def _point_angle(v: Values) -> float:
    tool = v.get("tool")
    return tool.point_angle if tool else 118.0


def _full_z(v: Values, w: Work) -> float:
    """Z down to which the hole has its full diameter."""
    tip = Bore((0.0, 0.0), v.diameter / 2, 0.0, _point_angle(v)).tip_length
    kind = v.get("depth_to", "full")
    if kind == "through":
        return w.block.z0 - float(v.get("break_through", 1.0))
    return float(v.top - v.depth + (tip if kind == "tip" else 0.0))


def _removals(v: Values, w: Work) -> tuple[Removal, ...]:
    full = _full_z(v, w)
    return tuple(Bore(p, v.diameter / 2, full, _point_angle(v)) for p in _points(v))


def _bounds(points: list[Point], reach: float) -> Bounds:
    xs, ys = [p[0] for p in points], [p[1] for p in points]
    return (min(xs) - reach, max(xs) + reach, min(ys) - reach, max(ys) + reach)


def _problems(v: Values, w: Work) -> list[Problem]:
    tool, found = v.tool, machine_problems(v, w)
    everything, points = _all_points(v), _points(v)
    beyond = [n for n in v.get("skip", ()) if n < 1 or n > len(everything)]
    if beyond:
        found.append(Problem("skip", f"There is no hole {beyond[0]}: the pattern has {len(everything)}."))
    if not points:
        key = "points" if v.pattern == "points" else "skip"
        found.append(Problem(key, "No hole is left to drill. Give at least one position."))
        return found
    closest = _closest(points)
    if closest is not None:
        found.append(
            Problem(
                "points" if v.pattern == "points" else "pattern",
                f"Two holes lie on the same place, X {show(closest[0], units=w.units)} Y {show(closest[1], units=w.units)}.",
            )
        )
    if tool.kind != "drill":
        found.append(Problem("tool", f"Tool {tool.number} is not a drill."))
    elif abs(tool.diameter - v.diameter) > SAME_SIZE_MM:
        found.append(
            Problem(
                "tool",
                f"Tool {tool.number} drills {show(tool.diameter, units=w.units)}; the hole is {show(v.diameter, units=w.units)}. Choose or add a drill {show(v.diameter, units=w.units)}.",
            )
        )
    tip_z = _full_z(v, w) - tool.tip_length
    high = w.top_over(_bounds(points, tool.radius))
    if tip_z >= min(high, v.top):
        found.append(Problem("depth", "The hole ends above the metal. Check Top at Z and Depth."))
    deep = v.top - tip_z
    if max(high, v.top) - tip_z > tool.stick_out:
        found.append(
            Problem(
                "tool",
                f"Tool {tool.number} stands out {show(tool.stick_out, units=w.units)}; the hole needs {show(max(high, v.top) - tip_z, units=w.units)}. Take a longer drill.",
            )
        )
    elif deep > tool.flute_length:
        found.append(
            Problem(
                "tool",
                f"Drill {tool.number} is {show(deep - tool.flute_length, units=w.units)} too short: its flutes are {show(tool.flute_length, units=w.units)}, the hole needs {show(deep, units=w.units)}.",
            )
        )
    if v.peck == "none" and deep > DEEP_DIAMETERS * tool.diameter:
        found.append(
            Problem(
                "peck",
                f"{show(deep / tool.diameter, digits=1)} diameters deep in one go: chips may jam. Peck, or break chips.",
                blocks=False,
            )
        )
    return found


def _closest(points: list[Point]) -> Point | None:
    """A place where two holes coincide."""
    ordered = sorted(points)
    for i, p in enumerate(ordered):
        for q in ordered[i + 1 :]:
            if q[0] - p[0] > CLOSEST_HOLES_MM:
                break
            if math.dist(p, q) < CLOSEST_HOLES_MM:
                return p
    return None


def _plan(v: Values, w: Work) -> list[Move]:
    points, tool = _points(v), v.tool
    high = max(w.top_over(_bounds(points, tool.radius)), v.top)
    start = high + v.start_distance
    bottom = _full_z(v, w) - tool.tip_length
    pecks = None
    if v.peck != "none":
        pecks = Pecks(v.peck == "retract", v.first_peck, v.get("peck_less", 0.0), v.get("smallest_peck", 0.0))
    return [
        Rapid(*points[0]),
        Rapid(z=start),
        Drill(tuple(points), start, bottom, v.feed, pecks, v.dwell),
        Rapid(z=w.clearance),
    ]


def _marks(v: Values, w: Work) -> list[Mark]:
    points = _all_points(v)
    kind = v.get("pattern", "points")
    skipped = set(v.get("skip", ()))
    radius = v.diameter / 2
    first = points[0] if points else (0.0, 0.0)
    marks: list[Mark] = [SectionAt(first[1])]
    marks += [CentreCross(p, (radius + 2, radius + 2)) for p in points]
    marks += [
        Sign("skip" if i in skipped else "pattern", p, f"{i}") for i, p in enumerate(points, 1) if len(points) > 1
    ]
    marks.append(Radius("diameter", first, radius, 60.0, diameter=True))
    full = _full_z(v, w)
    if v.get("depth_to", "full") == "through":
        marks.append(Distance("break_through", (first[0], w.block.z0), (first[0], full), 90.0, "section"))
    else:
        tip = 0.0 if v.get("depth_to", "full") == "full" else Bore(first, radius, full, _point_angle(v)).tip_length
        marks.append(Distance("depth", (first[0] + radius, v.top), (first[0] + radius, full - tip), 90.0, "section"))
    marks.append(Distance("top", (first[0] - radius, 0.0), (first[0] - radius, v.top), 90.0, "section"))
    if kind == "circle":
        centre = (v.centre_x, v.centre_y)
        marks += [
            PitchCircle(centre, v.circle_diameter / 2),
            Radius(
                "circle_diameter",
                centre,
                v.circle_diameter / 2,
                v.get("start_angle", 0.0) + 540.0 / v.count,
                diameter=True,
            ),
            Distance("centre_x", (0.0, centre[1]), centre),
            Distance("centre_y", (centre[0], 0.0), centre, 90.0),
        ]
    elif kind == "grid":
        marks += [
            Distance("first_x", (0.0, first[1]), first),
            Distance("first_y", (first[0], 0.0), first, 90.0),
        ]
        angle = v.get("angle", 0.0)
        if v.columns > 1:
            marks.append(Distance("pitch_x", points[0], points[1], angle))
        if v.rows > 1:
            marks.append(Distance("pitch_y", points[v.columns - 1], points[v.columns], angle + 90.0))
    return marks


def _title(v: Values) -> str:
    size = f"Ø{show(v.get('diameter', 0.0))}" if v.get("diameter") else "holes"
    try:
        return f"{len(_points(v))} × {size}"
    except Exception:
        return size


def _suggest_top(_: Values, w: Work) -> Suggestion:
    return Suggestion(show(w.part.z1), "the top of the part")


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    drill = next(
        (t for t in w.tools.values() if t.kind == "drill" and abs(t.diameter - v.diameter) <= SAME_SIZE_MM), None
    )
    return Suggestion(str(drill.number), f"{drill.name}: the drill of this size") if drill else None


def _suggest_peck(v: Values, w: Work) -> Suggestion:
    deep = v.top - _full_z(v, w) + v.tool.tip_length
    if deep > DEEP_DIAMETERS * v.diameter:
        return Suggestion("retract", f"{show(deep / v.diameter, digits=1)} diameters deep")
    return Suggestion("none", f"only {show(deep / v.diameter, digits=1)} diameters deep")


def _suggest_first_peck(v: Values, w: Work) -> Suggestion:
    return Suggestion(show(v.diameter, digits=1), "one diameter")


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    tools = tuple(t for t in w.tools.values() if t.kind == "drill")
    number = pick.choice(tuple(str(t.number) for t in tools))
    tool = w.tools[int(number)]
    b = w.block
    x, y = pick.number(b.x0 + 10, b.x1 - 10), pick.number(b.y0 + 10, b.y1 - 10)
    pattern = pick.choice(("points", "grid", "circle"))
    typed = {
        "pattern": pattern,
        "top": str(b.z1),
        "diameter": str(tool.diameter),
        "tool": number,
        "peck": pick.choice(("none", "retract", "chip")),
        "dwell": pick.choice(("0", "0.5")),
    }
    if typed["peck"] != "none":
        typed |= {
            "first_peck": str(pick.number(1.0, 8.0)),
            "peck_less": pick.choice(("0", "0.5")),
            "smallest_peck": "0.8",
        }
    if pattern == "grid":
        typed |= {
            "first_x": str(x), "first_y": str(y), "columns": pick.choice(("1", "2", "4")), "rows": pick.choice(("1", "3")),
            "pitch_x": str(pick.number(1.0, 15)), "pitch_y": str(pick.number(1.0, 15)), "angle": str(pick.number(-90, 90)),
        }  # fmt: skip
    elif pattern == "circle":
        typed |= {
            "centre_x": str(x), "centre_y": str(y), "circle_diameter": str(pick.number(5, 60)), "count": pick.choice(("1", "3", "6")),
            "start_angle": str(pick.number(-180, 180)), "skip": pick.choice(("", "1")) if pick.choice(("a", "b")) == "a" else "",
        }  # fmt: skip
        if typed["count"] == "1":
            typed["skip"] = ""
    else:
        typed["points"] = f"{x}, {y}; {x + 9}, {y - 4}"
    room = min(tool.flute_length, b.z1 - b.z0) - tool.tip_length
    depth_to = pick.choice(("full", "tip", "through"))
    if depth_to == "through" and b.z1 - b.z0 + 1.0 + tool.tip_length > tool.flute_length:
        depth_to = "full"
    typed["depth_to"] = depth_to
    if depth_to == "through":
        typed["break_through"] = str(pick.number(0, 1.0))
    else:
        typed["depth"] = str(pick.number(tool.tip_length + 0.5, max(room, tool.tip_length + 1.0)))
    return typed


def _on(*patterns_: str):  # type: ignore[no-untyped-def]
    return lambda v: v.pattern in patterns_


def _pecked(v: Values) -> bool:
    return bool(v.peck != "none")


CYCLE = Cycle(
    id="drill",
    name="Drill",
    words=("drill", "hole", "holes", "bolt", "circle", "grid", "bore"),
    summary="Drill holes on points, a grid or a circle",
    tool_kinds=("drill",),
    fields=(
        Field("pattern", "Pattern", "Place", Kind.CHOICE, "How do the holes lie?", "points",
              choices=(("points", "Points"), ("grid", "Grid"), ("circle", "Circle"))),
        Field("points", "Points", "Place", Kind.POINTS, "Where are the holes (X, Y; X, Y; …)?", stand_in=((0.0, 0.0),), shown=_on("points")),
        Field("first_x", "First X", "Place", Kind.LENGTH, "Where is the first hole in X?", limits=LONG, stand_in=0.0, shown=_on("grid")),
        Field("first_y", "First Y", "Place", Kind.LENGTH, "Where is the first hole in Y?", limits=LONG, stand_in=0.0, shown=_on("grid")),
        Field("columns", "Columns", "Place", Kind.COUNT, "How many holes are in a row?", limits=Limits(1, 200), stand_in=2, shown=_on("grid")),
        Field("rows", "Rows", "Place", Kind.COUNT, "How many rows are there?", limits=Limits(1, 200), stand_in=2, shown=_on("grid")),
        Field("pitch_x", "Pitch in a row", "Place", Kind.LENGTH, "How far apart are the holes of a row?", limits=LONG, stand_in=15.0, shown=_on("grid")),
        Field("pitch_y", "Pitch of rows", "Place", Kind.LENGTH, "How far apart are the rows?", limits=LONG, stand_in=15.0, shown=_on("grid")),
        Field("angle", "Turned by", "Place", Kind.ANGLE, "By how much is the grid turned about its first hole?", "0", Limits(-360, 360), stand_in=0.0, shown=_on("grid")),
        Field("centre_x", "Centre X", "Place", Kind.LENGTH, "Where is the middle of the hole circle in X?", limits=LONG, stand_in=0.0, shown=_on("circle")),
        Field("centre_y", "Centre Y", "Place", Kind.LENGTH, "Where is the middle of the hole circle in Y?", limits=LONG, stand_in=0.0, shown=_on("circle")),
        Field("circle_diameter", "Circle diameter", "Place", Kind.LENGTH, "Which diameter has the circle through the holes?", limits=SIZE, stand_in=30.0, shown=_on("circle")),
        Field("count", "Count", "Place", Kind.COUNT, "How many holes are on the full circle?", limits=Limits(1, 360), stand_in=6, shown=_on("circle")),
        Field("start_angle", "Start angle", "Place", Kind.ANGLE, "At which angle is the first hole (0 is along +X)?", "0", Limits(-360, 360), stand_in=0.0, shown=_on("circle")),
        Field("skip", "Leave out", "Place", Kind.NUMBERS, "Which hole numbers are left out?", optional=True, shown=_on("circle", "grid")),
        Field("top", "Top at Z", "Place", Kind.LENGTH, "At which Z is the surface the holes are measured from?", suggest=_suggest_top, limits=LONG, stand_in=0.0),
        Field("diameter", "Diameter", "Size", Kind.LENGTH, "Which diameter have the holes?", limits=SIZE, stand_in=8.0),
        Field("depth_to", "Depth to", "Size", Kind.CHOICE, "Is the depth to the full diameter, to the drill's point, or through?", "full",
              choices=(("full", "Full diameter"), ("tip", "Point"), ("through", "Through"))),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep are the holes below their top?", limits=SIZE, stand_in=10.0, shown=lambda v: bool(v.depth_to != "through")),
        Field("break_through", "Break-through", "Size", Kind.LENGTH, "How far does the full diameter come out below?", "1", NOT_NEGATIVE, stand_in=1.0,
              shown=lambda v: bool(v.depth_to == "through")),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which drill?", suggest=_suggest_tool),
        Field("peck", "Peck", "Cut", Kind.CHOICE, "Does it come out for the chips, only break them, or neither?", suggest=_suggest_peck,
              choices=(("none", "None"), ("retract", "Full retract"), ("chip", "Break chips"))),
        Field("first_peck", "First peck", "Cut", Kind.LENGTH, "How deep is the first peck?", suggest=_suggest_first_peck, limits=Limits(0.05, 1000), shown=_pecked),
        Field("peck_less", "Each less by", "Cut", Kind.LENGTH, "By how much is each peck smaller than the one before?", "0", NOT_NEGATIVE, shown=_pecked),
        Field("smallest_peck", "Smallest peck", "Cut", Kind.LENGTH, "How small may a peck become?", "1", Limits(0.05, 1000), shown=lambda v: _pecked(v) and bool(v.peck_less > 0)),
        Field("dwell", "Dwell", "Cut", Kind.TIME, "How long does it stay at the bottom?", "0", Limits(0, 60)),
        *speed_fields(),
        Field("start_distance", "Start above", "Entry", Kind.LENGTH, "How far above the metal does it begin to feed?", "2", Limits(0.2, 100)),
    ),
    pictogram=(("frame", 0.08, 0.15, 0.84, 0.7), ("dot", 0.3, 0.35, 0.16, 0.16), ("dot", 0.56, 0.35, 0.16, 0.16), ("dot", 0.3, 0.58, 0.16, 0.16), ("dot", 0.56, 0.58, 0.16, 0.16)),
    problems=_problems,
    removals=_removals,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
)  # fmt: skip
