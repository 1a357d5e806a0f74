"""The shapes of grooves: walls and a bottom with broken corners, or a contour, as many as there are; or at an angle into a corner."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import TYPE_CHECKING

from bastler.core.fields import Values
from bastler.core.geometry.halfsection import points_of
from bastler.core.geometry.path import Arc, Line, Path, Point
from bastler.core.marks import Distance, Mark
from bastler.core.planning.lathe.space import View, real, seen
from bastler.core.planning.work import Work
from bastler.core.tooling.cutters import Reach

if TYPE_CHECKING:
    from bastler.core.planning.contours import NamedContour


LEAST_MM = 1e-6
EDGE_ROOM = 4.0
"""Room beside a broken edge, in its sizes: a rounded one reaches further on a leaning wall."""
POINTS: Mapping[str, Reach] = {"outside": "out", "inside": "in", "face": "face", "corner": "out", "bore_corner": "in"}
CORNERS = ("corner", "bore_corner")
STEEPEST = 1e-3
SNUG_MM = 2e-3
"""A groove as wide as its blade is planned wider by so much: half of it on each wall."""


def by_contour(v: Values) -> bool:
    """Whether a contour gives its shape."""
    return bool(v.get("shape", "walls") == "contour")


def in_corner(v: Values) -> bool:
    """Whether it goes at an angle into the corner of a shoulder."""
    return v.get("where", "outside") in CORNERS


def view_into(v: Values) -> View:
    """How a blade for it sees the section."""
    return View(points_to(v), lean=v.get("lean", 45.0) if in_corner(v) else 0.0)


def _width(v: Values) -> float:
    tool = v.get("tool")
    snug = tool is not None and v.width - SNUG_MM < tool.width <= v.width + LEAST_MM
    return float(tool.width + SNUG_MM if snug else v.width)


def _corner_profile(v: Values) -> Path:
    """The groove as the blade sees it, the corner of the shoulder at (0, 0); its walls go up to shaft and shoulder."""
    half, deep, slope = _width(v) / 2, v.depth, max(math.tan(math.radians(abs(v.lean))), STEEPEST)
    shaft, shoulder = half * slope, half / slope
    right, left = (shaft, shoulder) if v.lean > 0 else (shoulder, shaft)
    corner = (v.get("corner", 0.0), v.get("corner_form", "radius"))
    return _broken([(half, right), (half, -deep), (-half, -deep), (-half, left)], {1: corner, 2: corner})


def _profile(v: Values, shift: float) -> Path:
    """The groove as the blade sees it, from its right top over the bottom to its left top; tops at height 0."""
    half, deep = _width(v) / 2, depth_of(v)
    right, left = (math.tan(math.radians(v.get(k, 0.0))) for k in ("front_angle", "back_angle"))
    a0, a1 = half + right * deep, -half - left * deep
    corner = (v.get("corner", 0.0), v.get("corner_form", "radius"))
    edge = (v.get("edge", 0.0), v.get("edge_form", "chamfer"))
    beside = EDGE_ROOM * edge[0] + LEAST_MM
    points = [(a0 + beside, 0.0), (a0, 0.0), (half, -deep), (-half, -deep), (a1, 0.0), (a1 - beside, 0.0)]
    if edge[0] <= LEAST_MM:
        points = points[1:-1]
        path = _broken(points, {1: corner, 2: corner})
    else:
        path = _broken(points, {1: edge, 2: corner, 3: corner, 4: edge})
    return Path((path.start[0] + shift, path.start[1]), tuple(_shifted(e, shift) for e in path.elements))


def _shifted(e: Line | Arc, by: float) -> Line | Arc:
    end = (e.end[0] + by, e.end[1])
    return Line(end) if isinstance(e, Line) else Arc(end, (e.centre[0] + by, e.centre[1]), e.ccw)


def _broken(points: list[Point], breaks: Mapping[int, tuple[float, str]]) -> Path:
    """Lines from point to point, some corners rounded by a radius or cut by a chamfer of a width along both sides."""
    result: list[Line | Arc] = []
    for k in range(1, len(points)):
        size, form = breaks.get(k, (0.0, ""))
        if size <= LEAST_MM:
            result.append(Line(points[k]))
            continue
        a, m, b = points[k - 1], points[k], points[k + 1]
        u, w = _unit(m, a), _unit(m, b)
        angle = math.acos(max(min(u[0] * w[0] + u[1] * w[1], 1.0), -1.0))
        back = size / math.tan(angle / 2) if form == "radius" else size
        p, q = (m[0] + u[0] * back, m[1] + u[1] * back), (m[0] + w[0] * back, m[1] + w[1] * back)
        if form == "chamfer":
            result += [Line(p), Line(q)]
            continue
        mid = _unit((0.0, 0.0), (u[0] + w[0], u[1] + w[1]))
        far = size / math.sin(angle / 2)
        centre = (m[0] + mid[0] * far, m[1] + mid[1] * far)
        turn = (p[0] - centre[0]) * (q[1] - centre[1]) - (p[1] - centre[1]) * (q[0] - centre[0])
        result += [Line(p), Arc(q, centre, turn > 0)]
    return Path(points[0], tuple(result))


def _unit(a: Point, b: Point) -> Point:
    d = max(math.dist(a, b), 1e-12)
    return ((b[0] - a[0]) / d, (b[1] - a[1]) / d)


def depth_of(v: Values) -> float:
    """How deep it goes, across its top."""
    if by_contour(v):
        heights = [seen(p, view_into(v))[1] for p in points_of(v.contour.path, 0.01)]
        return max(heights) - min(heights)
    if v.where == "face" or in_corner(v):
        return float(v.depth)
    return float(abs(v.surface - v.bottom) / 2)


def contours(v: Values) -> list[Path]:
    """Each groove as a contour (z, r), from its right top as the blade sees it."""
    view = view_into(v)
    if in_corner(v) and not by_contour(v):
        return [_placed(_corner_profile(v), view, seen((v.corner_z, v.corner_diameter / 2), view))]
    found = []
    for k in range(v.get("count", 1) if not in_corner(v) else 1):
        step = k * v.get("pitch", 0.0)
        if by_contour(v):
            found.append(_along_contour(v, step))
            continue
        if v.where == "face":
            middle, top = -(v.middle_diameter / 2 + step), v.face_z
        else:
            middle, top = v.middle_z - step, (v.surface / 2) * (1 if v.where == "outside" else -1)
        found.append(_placed(_profile(v, middle), view, (0.0, top)))
    return found


def _placed(one: Path, view: View, at: Point) -> Path:
    """A path that the blade sees, moved there by ``at``, as it really lies."""

    def place(p: Point) -> Point:
        return real((p[0] + at[0], p[1] + at[1]), view)

    elements = tuple(
        Line(place(e.end)) if isinstance(e, Line) else Arc(place(e.end), place(e.centre), e.ccw == view.keeps_turn)
        for e in one.elements
    )
    return Path(place(one.start), elements)


def _along_contour(v: Values, step: float) -> Path:
    """The job's contour, ``step`` mm further to the left as the blade sees it."""
    path: Path = v.contour.path
    view = view_into(v)
    if seen(path.start, view)[0] < seen(path.end, view)[0]:
        path = path.reversed()
    z, r = real((-step, 0.0), view)

    def put(p: Point) -> Point:
        return (p[0] + z, p[1] + r)

    elements = (
        Line(put(e.end)) if isinstance(e, Line) else Arc(put(e.end), put(e.centre), e.ccw) for e in path.elements
    )
    return Path(put(path.start), tuple(elements))


def points_to(v: Values) -> Reach:
    """Which way a blade for it points."""
    return POINTS[v.where]


def opening(v: Values) -> float:
    """How wide a groove is at its widest."""
    if not by_contour(v):
        return float(v.width)
    along = [seen(p, view_into(v))[0] for p in points_of(v.contour.path, 0.01)]
    return max(along) - min(along)


def contour_problem(named: NamedContour, face: bool) -> str:
    """Why a contour is no groove, or nothing."""
    if named.values.get("plane", "XY") != "ZX":
        return f"Contour “{named.name}” lies in XY. Choose one in ZX, or change its plane."
    if named.closed:
        return f"Contour “{named.name}” is closed. A groove is open, from one edge over its bottom to the other."
    if named.path is None:
        return f"Contour “{named.name}” has no path yet. Finish it."
    across = 0 if face else 1
    span = abs(named.path.start[1 - across] - named.path.end[1 - across])
    return (
        f"Contour “{named.name}” begins and ends at one place. Let it run from edge to edge." if span < LEAST_MM else ""
    )


def marks(v: Values, _: Work) -> list[Mark]:
    """Its sizes and its place, as far as fields of its own say them."""
    half = v.get("width", 4.0) / 2
    if by_contour(v):
        return []
    if in_corner(v):
        return _corner_marks(v, half)
    if v.get("where", "outside") == "face":
        z, r = v.get("face_z", 0.0), v.get("middle_diameter", 30.0) / 2
        return [
            Distance("width", (z, r - half), (z, r + half), 90.0, "section"),
            Distance("depth", (z, r), (z - v.get("depth", 3.0), r), 0.0, "section"),
        ]
    z, top, low = v.get("middle_z", -10.0), v.get("surface", 30.0) / 2, v.get("bottom", 24.0) / 2
    return [
        Distance("width", (z + half, top), (z - half, top), 0.0, "section"),
        Distance("bottom", (z, -low), (z, low), 90.0, "section"),
        Distance("middle_z", (0.0, top), (z, top), 0.0, "section"),
    ]


def _corner_marks(v: Values, half: float) -> list[Mark]:
    """The corner's place, and the groove's size across and along the blade."""
    view, z, r = view_into(v), v.get("corner_z", -20.0), v.get("corner_diameter", 30.0) / 2
    a, u = seen((z, r), view)

    def at(across: float, up: float) -> Point:
        return real((a + across, u + up), view)

    deep, turn = v.get("depth", 3.0), -view.lean if view.reach == "out" else view.lean
    return [
        Distance("corner_z", (0.0, r), (z, r), 0.0, "section"),
        Distance("corner_diameter", (z, -r), (z, r), 90.0, "section"),
        Distance("width", at(half, -deep), at(-half, -deep), turn, "section"),
        Distance("depth", at(0.0, 0.0), at(0.0, -deep), turn + 90.0, "section"),
    ]
