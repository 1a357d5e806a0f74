"""What a moving tool takes of rays: its convex pieces swept along straight ways, in any direction, with the tool pointing anywhere. Compiled.

*Convex*: a piece of a tool that is convex, turned about its axis: a cylinder whose lower end is flat, rounded or a cone. What it sweeps on a straight way is
convex too, so a ray meets it in one interval; that is found in closed form where it can be, else by halving (the height of a ray over the swept underside is
concave along the ray). Lengths in mm.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from bastler.core.verify.rays import Rays, taken

Floats = NDArray[np.float64]
Pair = tuple[float, float]
Three = tuple[float, float, float]
Six = tuple[float, float, float, float, float, float]
NEVER, FAR = 1e30, 1e9
SAME = 1e-9
SEARCHES = 16
"""Enough for a highest place, where it is level, to 1/2000 of the way."""
NEAR_MM, BESIDE_MM = 1e-4, 4e-3
"""How exactly a border is found; and the middle of the tool that covers a place best, off which its height differs by its square."""
WELL_INSIDE = 0.1
"""So much higher for each mm to the border a place is, that a height of :data:`NEAR_MM` on the way lies within a thousandth of it."""
GOLDEN = 0.6180339887498949


class Convex(NamedTuple):
    """``radius``; from ``bottom`` to ``top`` above the tip; inside of ``flat`` its lower end is level, beyond it rises with a ``corner`` radius or a ``slope``."""

    radius: float
    bottom: float
    top: float
    flat: float
    corner: float
    slope: float


class Sweep(NamedTuple):
    """A straight way of the tip from a point by a vector, with the direction of the tool from its tip upwards (of length 1)."""

    start: tuple[float, float, float]
    by: tuple[float, float, float]
    axis: tuple[float, float, float]


class ToolWays(NamedTuple):
    """Ways that the pieces of one tool take, one after another: ``points`` (p, 3), of way w those from ``first[w]`` to ``first[w + 1]``; ``axes`` (w, 3) where the tool points, ``moves`` (w,)
    who took what is cut; ``bodies`` (b, 6) rows of :class:`Convex`, ``cuts`` (b,) whether the metal goes."""

    points: Floats
    first: NDArray[np.int64]
    axes: Floats
    moves: NDArray[np.int64]
    bodies: Floats
    cuts: NDArray[np.bool_]


class Met(NamedTuple):
    """What each piece of a tool met on each way, arrays (w, b): mm³, the longest piece of metal on one ray (mm), and the middle of that (w, b, 3)."""

    volume: Floats
    longest: Floats
    place: Floats


@njit(cache=True, nogil=True, inline="always")
def _under(rho: float, body: Convex) -> float:  # pragma: no cover
    """Height of the underside over its lower end."""
    if rho <= body.flat:
        return 0.0
    over = rho - body.flat
    if body.corner > 0:
        rest = body.corner * body.corner - over * over
        return body.corner - math.sqrt(rest) if rest > 0 else body.corner
    return body.slope * over


@njit(cache=True, nogil=True)
def _over(s: float, ray: Six, sweep: Three, body: Convex) -> float:  # pragma: no cover
    """How high a place of a ray lies over the swept underside, mm: the best of all places of the tool. ``ray``: x0, y0, h0 and their growth along the ray in the
    tool's own frame; ``sweep``: the way in it."""
    x0, y0, h0, ux, uy, uh = ray
    dx, dy, dh = sweep
    x, y, h = x0 + s * ux, y0 + s * uy, h0 + s * uh
    level = dx * dx + dy * dy
    if level < SAME:
        return float(h + max(0.0, -dh) - _under(math.hypot(x, y), body))
    near = min(max((x * dx + y * dy) / level, 0.0), 1.0)
    if abs(dh) < SAME:
        return float(h - _under(math.hypot(x - near * dx, y - near * dy), body))
    off = (x - near * dx) ** 2 + (y - near * dy) ** 2
    if off > body.radius * body.radius:
        return -NEVER
    # Between the places where the tool still reaches it the height is concave in the place; its best one lies on the side where the tool is lower.
    length = math.sqrt(level)
    across, foot = abs(x * dy - y * dx) / length, (x * dx + y * dy) / length
    most = math.sqrt(max(body.radius * body.radius - across * across, 0.0))
    s = _best_beside(across, most, abs(dh) / length, body)
    along = min(max(foot - s if dh > 0 else foot + s, 0.0, foot - most), length, foot + most)
    return float(h - along / length * dh - _under(math.hypot(across, along - foot), body))


@njit(cache=True, nogil=True)
def _best_beside(across: float, most: float, falls: float, body: Convex) -> float:  # pragma: no cover
    """How far along the way from the foot of a place the middle of a tool stands that covers it best, mm, at most ``most``: where the underside rises along the way as much as the
    way ``falls``."""
    level = math.sqrt(max(body.flat * body.flat - across * across, 0.0))
    if body.flat >= body.radius:
        return most
    if body.corner <= 0:
        if body.slope <= falls:
            return most
        return min(max(level, falls * across / math.sqrt(body.slope * body.slope - falls * falls)), most)
    if body.flat <= 0:
        return min(falls * most / math.sqrt(1.0 + falls * falls), most)
    low, high = min(level, most), most
    at_low, at_high = _rises(low, across, falls, body), _rises(high, across, falls, body)
    last, side = high, 0
    for _ in range(SEARCHES):
        found = (low * at_high - high * at_low) / (at_high - at_low) if at_high > at_low else high
        if abs(found - last) < BESIDE_MM:
            return found
        last, now = found, _rises(found, across, falls, body)
        if now > 0:
            high, at_high = found, now
            at_low, side = (at_low / 2 if side > 0 else at_low), 1
        else:
            low, at_low = found, now
            at_high, side = (at_high / 2 if side < 0 else at_high), -1
    return last


@njit(cache=True, nogil=True, inline="always")
def _rises(s: float, across: float, falls: float, body: Convex) -> float:  # pragma: no cover
    """Of a rounded edge: less than 0 where its underside rises less along the way than the way ``falls``, more where it rises more."""
    rho = math.hypot(across, s)
    over = max(rho - body.flat, 0.0)
    return over * s - falls * rho * math.sqrt(max(body.corner * body.corner - over * over, 0.0))


@njit(cache=True, nogil=True)
def _beside(ray: Six, sweep: Three, radius: float) -> Pair:  # pragma: no cover
    """Where a ray lies within ``radius`` of the swept axis, seen along that axis: two circles and the strip between them."""
    x0, y0, _, ux, uy, _ = ray
    dx, dy, _ = sweep
    low, high = NEVER, -NEVER
    speed = ux * ux + uy * uy
    level = dx * dx + dy * dy
    for end in range(2):
        x, y = x0 - end * dx, y0 - end * dy
        if speed < SAME:
            if x * x + y * y <= radius * radius:
                return -NEVER, NEVER
            continue
        half = x * ux + y * uy
        rest = half * half - speed * (x * x + y * y - radius * radius)
        if rest > 0:
            root = math.sqrt(rest)
            low, high = min(low, (-half - root) / speed), max(high, (-half + root) / speed)
    if level > SAME:
        # the strip: along the way between its ends, across it within the radius
        a, b = -NEVER, NEVER
        length = math.sqrt(level)
        for at, grows, least, most in (
            ((x0 * dx + y0 * dy) / length, (ux * dx + uy * dy) / length, 0.0, length),
            ((x0 * dy - y0 * dx) / length, (ux * dy - uy * dx) / length, -radius, radius),
        ):
            if abs(grows) < SAME:
                if at < least or at > most:
                    a, b = NEVER, -NEVER
            else:
                p, q = (least - at) / grows, (most - at) / grows
                a, b = max(a, min(p, q)), min(b, max(p, q))
        if a < b:
            low, high = min(low, a), max(high, b)
    return low, high


@njit(cache=True, nogil=True)
def _border(
    outside: float, at_out: float, inside: float, at_in: float, ray: Six, sweep: Three, body: Convex
) -> float:  # pragma: no cover
    """Where a ray comes into the swept body between a place outside and one inside, whose heights over its underside are known."""
    side = 0
    for k in range(3 * SEARCHES):
        # Halved every third time: where the underside has a corner, no end comes near otherwise.
        far = k % 3 == 2 or at_out < -FAR or at_in < NEAR_MM
        m = (outside + inside) / 2 if far else (outside * at_in - inside * at_out) / (at_in - at_out)
        now = _over(m, ray, sweep, body)
        # The height is concave: small between here and a place well inside, it is small near the border only.
        if -NEAR_MM < now < 0 or (0 <= now < NEAR_MM and at_in > WELL_INSIDE * abs(inside - outside)):
            return m
        if now >= 0:
            inside, at_in = m, now
            at_out, side = (at_out / 2 if side > 0 else at_out), 1
        else:
            outside, at_out = m, now
            at_in, side = (at_in / 2 if side < 0 else at_in), -1
        if abs(inside - outside) < NEAR_MM:
            break
    return inside


@njit(cache=True, nogil=True)
def _meets(ray: Six, sweep: Three, body: Convex, lowest: float, highest: float) -> Pair:  # pragma: no cover
    """The interval of a ray in the swept body, as far as it lies between ``lowest`` and ``highest``; empty if its low end isn't below its high one."""
    a, b = _beside(ray, sweep, body.radius)
    h0, uh, dh = ray[2], ray[5], sweep[2]
    least, most = -max(0.0, -dh), body.top - body.bottom - min(0.0, -dh)
    if abs(uh) < SAME:
        if h0 < least or h0 > most:
            return NEVER, -NEVER
    else:
        p, q = (least - h0) / uh, (most - h0) / uh
        a, b = max(a, min(p, q)), min(b, max(p, q))
    if a >= b or (body.flat >= body.radius and (abs(dh) < SAME or sweep[0] ** 2 + sweep[1] ** 2 < SAME)):
        return a, b
    if abs(uh) > 1.0 - SAME:
        # Along the tool its swept underside has one height.
        edge = -_over(0.0, ray, sweep, body) / uh
        return (max(a, edge), b) if uh > 0 else (a, min(b, edge))
    a, b = max(a, lowest), min(b, highest)
    if a >= b:
        return NEVER, -NEVER
    at_a, at_b = _over(a, ray, sweep, body), _over(b, ray, sweep, body)
    if at_a >= 0 and at_b >= 0:
        return a, b
    inside, at_in = (a, at_a) if at_a >= 0 else (b, at_b)
    if at_a < 0 and at_b < 0:
        inside, at_in = _highest(a, b, ray, sweep, body)
        if at_in < 0:
            return NEVER, -NEVER
    low = a if at_a >= 0 else _border(a, at_a, inside, at_in, ray, sweep, body)
    high = b if at_b >= 0 else _border(b, at_b, inside, at_in, ray, sweep, body)
    return low, high


@njit(cache=True, nogil=True)
def _highest(a: float, b: float, ray: Six, sweep: Three, body: Convex) -> Pair:  # pragma: no cover
    """A place of a ray between two others that lies inside of the swept body, or the highest of it; and its height over the underside."""
    m, n = b - GOLDEN * (b - a), a + GOLDEN * (b - a)
    at_m, at_n = _over(m, ray, sweep, body), _over(n, ray, sweep, body)
    for _ in range(SEARCHES):
        if at_m >= 0 or at_n >= 0:
            break
        if at_m < at_n:
            a, m, at_m = m, n, at_n
            n = a + GOLDEN * (b - a)
            at_n = _over(n, ray, sweep, body)
        else:
            b, n, at_n = n, m, at_m
            m = b - GOLDEN * (b - a)
            at_m = _over(m, ray, sweep, body)
    return (m, at_m) if at_m >= at_n else (n, at_n)


@njit(cache=True, nogil=True)
def _frame(axis: Three) -> tuple[Three, Three]:  # pragma: no cover
    """Two directions across an axis, each of length 1."""
    if abs(axis[0]) < 0.9:
        x = (0.0, axis[2], -axis[1])
    else:
        x = (-axis[2], 0.0, axis[0])
    n = math.sqrt(x[0] ** 2 + x[1] ** 2 + x[2] ** 2)
    x = (x[0] / n, x[1] / n, x[2] / n)
    y = (axis[1] * x[2] - axis[2] * x[1], axis[2] * x[0] - axis[0] * x[2], axis[0] * x[1] - axis[1] * x[0])
    return x, y


@njit(cache=True, nogil=True, inline="always")
def _dot(a: Three, b: Three) -> float:  # pragma: no cover
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@njit(cache=True, nogil=True)
def _reach(way: Sweep, body: Convex, k: int) -> Pair:  # pragma: no cover
    """Lowest and highest place of the swept body along axis ``k``."""
    disc = body.radius * math.sqrt(max(1.0 - way.axis[k] * way.axis[k], 0.0))
    low, high = NEVER, -NEVER
    for end in (way.start[k], way.start[k] + way.by[k]):
        for h in (body.bottom, body.top):
            at = end + h * way.axis[k]
            low, high = min(low, at - disc), max(high, at + disc)
    return low, high


@njit(cache=True, nogil=True)
def _cells(low: float, high: float, first: float, cell: float, n: int) -> tuple[int, int]:  # pragma: no cover
    return max(int(math.ceil((low - first) / cell)), 0), min(int(math.floor((high - first) / cell)) + 1, n)


@njit(cache=True, nogil=True)
def _sweep(
    rays: Rays, way: Sweep, body: Convex, move: int, cut: bool
) -> tuple[float, float, Three, bool]:  # pragma: no cover
    """What a body on its way meets of a family's metal: its volume, mm³; the longest piece on one ray, mm, and where its middle lies; and whether some ray has too
    many pieces (those are left as they are). Taken away if ``cut``."""
    along = rays.along
    u, v = (1 if along == 0 else 0), (1 if along == 2 else 2)
    x, y = _frame(way.axis)
    low, high = _reach(way, body, along)
    i0, i1 = _cells(*_reach(way, body, u), rays.first[0], rays.cell, rays.pieces.shape[0])
    j0, j1 = _cells(*_reach(way, body, v), rays.first[1], rays.cell, rays.pieces.shape[1])
    sweep = (_dot(way.by, x), _dot(way.by, y), _dot(way.by, way.axis))
    volume, longest, full = 0.0, 0.0, False
    place = (0.0, 0.0, 0.0)
    for i in range(i0, i1):
        for j in range(j0, j1):
            n = rays.pieces[i, j]
            if n == 0 or rays.low[i, j, 0] > high or rays.high[i, j, n - 1] < low:
                continue
            p, q = rays.first[0] + i * rays.cell, rays.first[1] + j * rays.cell
            at = (0.0, p, q) if along == 0 else ((p, 0.0, q) if along == 1 else (p, q, 0.0))
            off = (at[0] - way.start[0], at[1] - way.start[1], at[2] - way.start[2])
            ray = (_dot(off, x), _dot(off, y), _dot(off, way.axis) - body.bottom, x[along], y[along], way.axis[along])
            a, b = _meets(ray, sweep, body, float(rays.low[i, j, 0]), float(rays.high[i, j, n - 1]))
            if a >= b:
                continue
            gone = taken(rays, i, j, a, b, move, cut)
            if gone < 0:
                full = True
                continue
            volume += gone
            if gone > longest:
                longest = gone
                s = (max(a, float(rays.low[i, j, 0])) + min(b, float(rays.high[i, j, n - 1]))) / 2
                place = (s, p, q) if along == 0 else ((p, s, q) if along == 1 else (p, q, s))
    return volume * rays.cell * rays.cell, longest, place, full


@njit(cache=True, nogil=True)
def sweep_rays(rays: Rays, ways: ToolWays, found: Met, way: int, body: int) -> tuple[int, int]:  # pragma: no cover
    """All ways from number ``way`` on (of it from piece ``body`` on), each along its straight pieces; what is met is added to ``found``.

    Returns where some ray had too many pieces of metal and more room is needed, or ``(number of ways, 0)``.
    """
    bodies = ways.bodies
    for w in range(way, ways.moves.shape[0]):
        axis = (ways.axes[w, 0], ways.axes[w, 1], ways.axes[w, 2])
        for n in range(body if w == way else 0, bodies.shape[0]):
            piece = Convex(bodies[n, 0], bodies[n, 1], bodies[n, 2], bodies[n, 3], bodies[n, 4], bodies[n, 5])
            full = False
            for k in range(ways.first[w], ways.first[w + 1] - 1):
                start = (ways.points[k, 0], ways.points[k, 1], ways.points[k, 2])
                end = (ways.points[k + 1, 0], ways.points[k + 1, 1], ways.points[k + 1, 2])
                by = (end[0] - start[0], end[1] - start[1], end[2] - start[2])
                met, most, at, over = _sweep(rays, Sweep(start, by, axis), piece, ways.moves[w], ways.cuts[n])
                found.volume[w, n] += met
                full = full or over
                if most > found.longest[w, n]:
                    found.longest[w, n] = most
                    found.place[w, n, 0], found.place[w, n, 1], found.place[w, n, 2] = at
            if full:
                return w, n
    return ways.moves.shape[0], 0
