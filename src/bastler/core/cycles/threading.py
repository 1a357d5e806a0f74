"""Turned threads: their form by its standard, which way the tool runs, and what room a relief gives it.

*Crest*: the radius that the thread is cut into. *Relief*: a place behind a thread where the metal falls below its roots.
"""

from __future__ import annotations

import math

import shapely

from bastler.core.fields import Values
from bastler.core.geometry.halfsection import clipped, polygons
from bastler.core.planning.lathe.space import space, way_is_clear
from bastler.core.planning.work import Work
from bastler.core.threads.threadforms import ANGLES, PIPE_DEPTH, depth_for

GAP_MM = 0.2
OUT_ANGLE_DEG = 45.0
ROUND_MM, FREE_MM = 0.01, 0.05
TRIED = 8
NEARLY_ROOT = 0.05
"""A relief need not be deeper than the roots: this share of the depth may be missing."""
SAFE_MM = 1.0


def inside(v: Values) -> bool:
    """Whether it is in a bore."""
    return bool(v.get("where", "outside") == "inside")


def lead_of(v: Values) -> float:
    """How far it goes in one turn."""
    return float(v.pitch * v.get("starts", 1))


def crest_of(v: Values) -> float:
    """Radius at the crests: the outer diameter outside, the bore inside."""
    r = v.diameter / 2
    return float(r - depth_for(v.profile, v.pitch, inside=True) if inside(v) else r)


def slope_of(v: Values) -> float:
    """How much its radius grows per mm towards the chuck."""
    return math.tan(math.radians(float(v.get("taper", 0.0))))


def towards_chuck(v: Values) -> bool:
    """Which way the tool runs: towards the chuck for a right-hand thread, unless the spindle turns the other way."""
    return bool((v.get("hand", "right") == "right") != v.tool.upside_down)


def run_of(v: Values) -> tuple[float, float]:
    """Z where the tool comes up to the pitch, and where it has run out."""
    if towards_chuck(v):
        return v.start_z + v.run_in, v.end_z - v.run_out
    return v.end_z - v.run_in, v.start_z + v.run_out


def by_cone(v: Values) -> bool:
    """Whether it runs out of the metal at an angle, for there is no relief at its end."""
    return bool(v.get("out", "straight") == "cone")


def cone_of(v: Values) -> tuple[float, float]:
    """How far along and across the tool goes at an angle behind a thread's end, mm; nothing if it goes straight on."""
    if not by_cone(v):
        return (0.0, 0.0)
    return (float(v.run_out), float(v.run_out * math.tan(math.radians(v.out_angle))))


def ends_in_metal(v: Values, w: Work) -> bool:
    """Whether metal stands behind a thread's end, with no relief before it."""
    if v.get("end_z") is None or w.lathe.stock.is_empty or not towards_chuck(v) or relief(v, w) is not None:
        return False
    root = crest_of(v) + (v.depth if inside(v) else -v.depth)
    low, high = sorted((root, root + (1.0 if inside(v) else -1.0) * NEARLY_ROOT * v.depth))
    behind = clipped(w.lathe.stock, v.end_z - lead_of(v), low, v.end_z - GAP_MM, high)
    return not behind.is_empty


def relief(v: Values, w: Work) -> tuple[float, float] | None:
    """Z at which the metal behind a thread's start falls below its roots, and how wide that is, mm; ``None`` if there is no such place."""
    stock, depth = w.lathe.stock, v.get("depth") or 0.0
    if stock.is_empty or not v.get("diameter") or depth <= 0:
        return None
    root = crest_of(v) + (depth if inside(v) else -depth)
    thin = NEARLY_ROOT * depth
    low, high = (0.0, root - thin) if inside(v) else (root + thin, 2 * stock.bounds[3])
    cut = clipped(stock, stock.bounds[0] - 1.0, low, v.start_z, high)
    stands = sorted((p.bounds for p in polygons(cut)), key=lambda b: -b[2])
    if len(stands) < 2 or stands[0][2] < v.start_z - lead_of(v):
        return None
    return float(stands[0][0]), float(stands[0][0] - stands[1][2])


def room_in_relief(v: Values, w: Work, wanted: float) -> float | None:
    """How far past the thread's end the tool may go in its relief, mm, at most as far as wanted; ``None`` without a relief."""
    found = relief(v, w)
    if found is None or v.get("end_z") is None:
        return None
    behind = -min(z for z, _ in v.tool.in_plane.outline(0.05))
    most = min(v.end_z - (found[0] - found[1]) - behind - GAP_MM, wanted)
    aside = 0.0 if towards_chuck(v) else aside_of(v)
    tried = (round(most * k / TRIED, 2) for k in range(TRIED, 0, -1))
    return next((by for by in tried if by > 0 and comes_in(v, w, v.end_z - by - aside)), 0.0)


def aside_of(v: Values) -> float:
    """How far the first passes begin from the last one's start, mm: they come in along a flank."""
    return 0.0 if v.infeed == "radial" else float(v.depth * math.tan(math.radians(ANGLES[v.profile] / 2)))


def safe_radius(v: Values, w: Work) -> float:
    """Radius at which the tool goes back."""
    if inside(v):
        return crest_of(v) - SAFE_MM
    return SAFE_MM + crest_of(v) + float(v.start_z - v.end_z) * slope_of(v)


def is_free(v: Values, w: Work) -> bool:
    """Whether the tool gets there and along without touching anything but the thread."""
    one = space(w.lathe.stock, w.lathe.fixed, v.tool.in_plane)
    sign = -1.0 if inside(v) else 1.0
    safe = safe_radius(v, w)
    begin, end = run_of(v)
    begin += aside_of(v) if towards_chuck(v) else -aside_of(v)
    along = way_is_clear(one, (begin, sign * safe), (end, sign * safe)) and way_is_clear(
        one, (w.lathe.away[0] + 1.0, sign * safe), (begin, sign * safe)
    )
    return along and _deepest_is_free(v, w, begin)


def _deepest_is_free(v: Values, w: Work, begin: float) -> bool:
    """Whether insert and body touch nothing but the thread's own ring on its last pass."""
    sign, root = (-1.0, crest_of(v) + v.depth) if inside(v) else (1.0, crest_of(v) - v.depth)
    end, full = run_of(v)[1], v.end_z if by_cone(v) else run_of(v)[1]
    low, high = sorted(
        (
            root - sign * ROUND_MM - slope_of(v) * abs(begin - v.start_z),
            crest_of(v) + sign * FREE_MM + slope_of(v) * abs(v.start_z - end),
        )
    )
    flank = v.depth * math.tan(math.radians(ANGLES[v.profile] / 2)) + v.tool.point_flat + lead_of(v)
    ring = shapely.box(min(begin, end) - flank, low, max(begin, end) + flank, high)
    slope, (along, across) = slope_of(v), cone_of(v)

    def at(z: float) -> float:
        return float(root + (v.start_z - z) * slope)

    one = space(shapely.difference(w.lathe.stock, ring), w.lathe.fixed, v.tool.in_plane)
    ways = [((begin, sign * at(begin)), (full, sign * at(full)))]
    if along:
        out = at(full) - across if inside(v) else at(full) + across
        ways.append(((full, sign * at(full)), (end, sign * out)))
    return all(way_is_clear(one, a, b) for a, b in ways)


def comes_in(v: Values, w: Work, z: float) -> bool:
    """Whether the tool gets down to the roots at a place, the thread's own ring not counted."""
    sign, root = (-1.0, crest_of(v) + v.depth) if inside(v) else (1.0, crest_of(v) - v.depth)
    low, high = sorted((root, safe_radius(v, w)))
    ring = shapely.box(v.end_z, low, v.start_z, high)
    one = space(shapely.difference(w.lathe.stock, ring), w.lathe.fixed, v.tool.in_plane)
    return way_is_clear(one, (z, sign * safe_radius(v, w)), (z, sign * root))


def over_pins(v: Values) -> tuple[float, float]:
    """Best pin diameter and the size over pins of an outside thread, mm (three-wire method): d2 + w (1 + 1/sin α) − P/2 cot α."""
    half = math.radians(ANGLES[v.profile] / 2)
    pitch_diameter = (
        v.diameter - (0.5 if v.profile == "trapeze" else 0.64952 if v.profile == "metric" else PIPE_DEPTH) * v.pitch
    )
    pin = v.pitch / 2 / math.cos(half)
    return pin, pitch_diameter + pin * (1 + 1 / math.sin(half)) - v.pitch / 2 / math.tan(half)
