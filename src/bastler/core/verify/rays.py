"""Compiled heart of the dexels: straight rays with sorted intervals of metal, and what a moving tool takes of them.

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

Floats = NDArray[np.float64]
Ends = NDArray[np.float32]
Owners = NDArray[np.int32]
Pair = tuple[float, float]
Three = tuple[float, float, float]
Six = tuple[float, float, float, float, float, float]
NEVER = 1e30
SAME = 1e-9
HALVINGS = 16
SEARCHES = 16
"""Enough for a thousandth of a millimetre: a place to 1/65536 of a tool's reach; a highest place, where it is level, to 1/2000 of the way."""
GOLDEN = 0.6180339887498949
RAW = -1
"""Who cut an end that nobody cut."""


MIDDLE = 0.487
"""Where in a cell its ray lies: a little off the middle, so that faces at round places lie on no ray."""


class Rays(NamedTuple):
    """A family of parallel rays along axis ``along``; ray (i, j) goes through ``first`` + ``cell`` times (i, j) on the other two axes, in the order of the letters.

    ``low``, ``high`` (n_i, n_j, most): where its pieces of metal begin and end; ``who_low``, ``who_high``: the moves that cut there; ``pieces``: how many.
    """

    along: int
    first: tuple[float, float]
    cell: float
    low: NDArray[np.float32]
    high: NDArray[np.float32]
    who_low: NDArray[np.int32]
    who_high: NDArray[np.int32]
    pieces: NDArray[np.uint8]


class Packed(NamedTuple):
    """The pieces of all rays of a family one behind another, ``pieces`` of each; what :class:`Rays` says of them without room for more."""

    pieces: NDArray[np.uint8]
    low: NDArray[np.float32]
    high: NDArray[np.float32]
    who_low: NDArray[np.int32]
    who_high: NDArray[np.int32]


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
    best: float = -NEVER
    if level < SAME:
        return float(h + max(0.0, -dh) - _under(math.hypot(x, y), body))
    near = min(max((x * dx + y * dy) / level, 0.0), 1.0)
    if abs(dh) < SAME:
        return float(h - _under(math.hypot(x - near * dx, y - near * dy), body))
    # between the places where the tool still reaches it, the height is concave in the place
    off = (x - near * dx) ** 2 + (y - near * dy) ** 2
    if off > body.radius * body.radius:
        return best
    across = (x * dy - y * dx) ** 2 / level
    reach = math.sqrt(max(body.radius * body.radius - across, 0.0) / level)
    foot = (x * dx + y * dy) / level
    a, b = max(foot - reach, 0.0), min(foot + reach, 1.0)
    if body.flat >= body.radius:
        return float(h - (a if dh > 0 else b) * dh)
    p, q = b - GOLDEN * (b - a), a + GOLDEN * (b - a)
    hp = h - p * dh - _under(math.hypot(x - p * dx, y - p * dy), body)
    hq = h - q * dh - _under(math.hypot(x - q * dx, y - q * dy), body)
    for _ in range(SEARCHES):
        if hp < hq:
            a, p, hp = p, q, hq
            q = a + GOLDEN * (b - a)
            hq = h - q * dh - _under(math.hypot(x - q * dx, y - q * dy), body)
        else:
            b, q, hq = q, p, hp
            p = b - GOLDEN * (b - a)
            hp = h - p * dh - _under(math.hypot(x - p * dx, y - p * dy), body)
    for t in (a, b):
        best = max(best, h - t * dh - _under(math.hypot(x - t * dx, y - t * dy), body))
    return float(max(best, hp, hq))


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
    inside = a if at_a >= 0 else b
    if at_a < 0 and at_b < 0:
        p, q = a, b
        found = False
        for _ in range(SEARCHES):
            m, n = q - GOLDEN * (q - p), p + GOLDEN * (q - p)
            hm, hn = _over(m, ray, sweep, body), _over(n, ray, sweep, body)
            if hm >= 0 or hn >= 0:
                inside, found = (m if hm >= 0 else n), True
                break
            if hm < hn:
                p = m
            else:
                q = n
        if not found:
            return NEVER, -NEVER
    low, high = a, b
    if at_a < 0:
        p, q = a, inside
        for _ in range(HALVINGS):
            m = (p + q) / 2
            if _over(m, ray, sweep, body) >= 0:
                q = m
            else:
                p = m
        low = q
    if at_b < 0:
        p, q = inside, b
        for _ in range(HALVINGS):
            m = (p + q) / 2
            if _over(m, ray, sweep, body) >= 0:
                p = m
            else:
                q = m
        high = p
    return low, high


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
def _taken(rays: Rays, i: int, j: int, a: float, b: float, move: int, cut: bool) -> float:  # pragma: no cover
    """Metal of one ray between ``a`` and ``b``, mm, taken away if ``cut``; -1 if its pieces would be too many."""
    n = rays.pieces[i, j]
    low, high, who_low, who_high = rays.low[i, j], rays.high[i, j], rays.who_low[i, j], rays.who_high[i, j]
    gone = 0.0
    splits = 0
    for k in range(n):
        if a < high[k] and b > low[k]:
            gone += min(b, high[k]) - max(a, low[k])
            if a > low[k] and b < high[k]:
                splits = 1
    if gone <= 0.0 or not cut:
        return gone
    if n + splits > low.shape[0]:
        return -1.0
    k = 0
    while k < n:
        if a >= high[k] or b <= low[k]:
            k += 1
        elif a <= low[k] and b >= high[k]:
            for m in range(k, n - 1):
                low[m], high[m], who_low[m], who_high[m] = low[m + 1], high[m + 1], who_low[m + 1], who_high[m + 1]
            n -= 1
        elif a <= low[k]:
            low[k], who_low[k] = b, move
            k += 1
        elif b >= high[k]:
            high[k], who_high[k] = a, move
            k += 1
        else:
            for m in range(n, k, -1):
                low[m], high[m], who_low[m], who_high[m] = low[m - 1], high[m - 1], who_low[m - 1], who_high[m - 1]
            n += 1
            high[k], who_high[k] = a, move
            low[k + 1], who_low[k + 1] = b, move
            k += 2
    rays.pieces[i, j] = n
    return gone


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
            gone = _taken(rays, i, j, a, b, move, cut)
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
def sweep_rays(
    rays: Rays, points: Floats, axis: Three, body: Convex, move: int, cut: bool
) -> tuple[float, float, Three, bool]:  # pragma: no cover
    """The same along straight ways from point to point (n, 3), with all that was met on them."""
    volume, longest, full = 0.0, 0.0, False
    place = (points[0, 0], points[0, 1], points[0, 2])
    for k in range(points.shape[0] - 1):
        start = (points[k, 0], points[k, 1], points[k, 2])
        by = (points[k + 1, 0] - start[0], points[k + 1, 1] - start[1], points[k + 1, 2] - start[2])
        met, most, at, over = _sweep(rays, Sweep(start, by, axis), body, move, cut)
        volume += met
        full = full or over
        if most > longest:
            longest, place = most, at
    return volume, longest, place, full


@njit(cache=True, nogil=True)
def _crossings(edges: Floats, column: int, level: float, out: Floats) -> int:  # pragma: no cover
    """Where edges (n, 4: z, r, z, r) cross a line of equal r (``column`` 1) or equal z (0), sorted: their number; the other coordinate in ``out``."""
    n = 0
    for k in range(edges.shape[0]):
        a, b = edges[k, column], edges[k, column + 2]
        if (a <= level) == (b <= level) or n >= out.shape[0]:
            continue
        p, q = edges[k, 1 - column], edges[k, 3 - column]
        out[n] = p + (level - a) / (b - a) * (q - p)
        n += 1
    out[:n].sort()
    return n


@njit(cache=True, nogil=True)
def _whole(rays: Rays, i: int, j: int, spans: Floats, n: int) -> bool:  # pragma: no cover
    """Whether each piece of a ray lies within one of ``n`` sorted spans."""
    m = 0
    for k in range(rays.pieces[i, j]):
        while m < n and np.float32(spans[m, 1]) < rays.high[i, j, k]:
            m += 1
        if m == n or np.float32(spans[m, 0]) > rays.low[i, j, k]:
            return False
    return True


@njit(cache=True, nogil=True)
def _kept(rays: Rays, i: int, j: int, spans: Floats, n: int, ends: Ends, who: Owners) -> bool:  # pragma: no cover
    """Only what lies within ``n`` sorted spans is left of a ray's metal; False if its pieces would be too many. Spans of turned metal have no owner. ``ends``, ``who``
    (2, most): room to work in."""
    if _whole(rays, i, j, spans, n):
        return True
    most = rays.low.shape[2]
    low, high, who_low, who_high = ends[0], ends[1], who[0], who[1]
    count = 0
    for k in range(rays.pieces[i, j]):
        a, b = rays.low[i, j, k], rays.high[i, j, k]
        for m in range(n):
            p, q = np.float32(spans[m, 0]), np.float32(spans[m, 1])
            if q <= a or p >= b or p >= q:
                continue
            if count == most:
                return False
            low[count], who_low[count] = (p, RAW) if p > a else (a, rays.who_low[i, j, k])
            high[count], who_high[count] = (q, RAW) if q < b else (b, rays.who_high[i, j, k])
            count += 1
    rays.pieces[i, j] = count
    for k in range(count):
        rays.low[i, j, k], rays.high[i, j, k] = low[k], high[k]
        rays.who_low[i, j, k], rays.who_high[i, j, k] = who_low[k], who_high[k]
    return True


@njit(cache=True, nogil=True)
def _round(found: Floats, n: int, beside: float, spans: Floats) -> int:  # pragma: no cover
    """Spans of a ray across the axis, ``beside`` it: from ``n`` sorted radii between which there is metal, outwards on both sides. Their number."""
    m = 0
    for k in range(n // 2 - 1, -1, -1):
        out = found[2 * k + 1] ** 2 - beside * beside
        if out > 0:
            spans[m, 0], spans[m, 1] = -math.sqrt(out), -math.sqrt(max(found[2 * k] ** 2 - beside * beside, 0.0))
            m += 1
    for k in range(n // 2):
        out = found[2 * k + 1] ** 2 - beside * beside
        if out > 0:
            low, high = math.sqrt(max(found[2 * k] ** 2 - beside * beside, 0.0)), math.sqrt(out)
            if m and spans[m - 1, 1] >= low - SAME:
                spans[m - 1, 1] = high
            else:
                spans[m, 0], spans[m, 1] = low, high
                m += 1
    return m


@njit(cache=True, nogil=True)
def keep_turned(rays: Rays, edges: Floats) -> bool:  # pragma: no cover
    """Metal cut down to what a half section makes about Z; ``edges`` (n, 4) of its outlines as z, r. Returns whether every ray had room."""
    found = np.empty(2 * edges.shape[0] + 2)
    spans = np.empty((2 * edges.shape[0] + 2, 2))
    ends, who = np.empty((2, rays.low.shape[2]), np.float32), np.empty((2, rays.low.shape[2]), np.int32)
    sound = True
    for j in range(rays.pieces.shape[1]):
        q = rays.first[1] + j * rays.cell
        n = _crossings(edges, 0, q, found) if rays.along != 2 else 0
        for i in range(rays.pieces.shape[0]):
            if rays.pieces[i, j] == 0:
                continue
            p = rays.first[0] + i * rays.cell
            if rays.along == 2:
                n = _crossings(edges, 1, math.hypot(p, q), found)
                m = n // 2
                for k in range(m):
                    spans[k, 0], spans[k, 1] = found[2 * k], found[2 * k + 1]
            else:
                m = _round(found, n, p, spans)
            sound = _kept(rays, i, j, spans, m, ends, who) and sound
    return sound


@njit(cache=True, nogil=True)
def lengths_of(rays: Rays) -> tuple[float, float]:  # pragma: no cover
    """Metal on all rays, mm; and the same counted by the places on them where rays of another family would cross, a cell for each."""
    total, places = 0.0, 0.0
    for i in range(rays.pieces.shape[0]):
        for j in range(rays.pieces.shape[1]):
            for k in range(rays.pieces[i, j]):
                low, high = rays.low[i, j, k], rays.high[i, j, k]
                total += high - low
                places += math.floor(high / rays.cell - MIDDLE) - math.floor(low / rays.cell - MIDDLE)
    return total, places * rays.cell


@njit(cache=True, nogil=True)
def pack(rays: Rays) -> Packed:  # pragma: no cover
    """A copy as small as it gets."""
    total = 0
    for i in range(rays.pieces.shape[0]):
        for j in range(rays.pieces.shape[1]):
            total += rays.pieces[i, j]
    low, high = np.empty(total, np.float32), np.empty(total, np.float32)
    who_low, who_high = np.empty(total, np.int32), np.empty(total, np.int32)
    at = 0
    for i in range(rays.pieces.shape[0]):
        for j in range(rays.pieces.shape[1]):
            for k in range(rays.pieces[i, j]):
                low[at], high[at] = rays.low[i, j, k], rays.high[i, j, k]
                who_low[at], who_high[at] = rays.who_low[i, j, k], rays.who_high[i, j, k]
                at += 1
    return Packed(rays.pieces.copy(), low, high, who_low, who_high)


@njit(cache=True, nogil=True)
def unpack(packed: Packed, rays: Rays) -> None:  # pragma: no cover
    """Into rays of the same family with room for it."""
    at = 0
    for i in range(rays.pieces.shape[0]):
        for j in range(rays.pieces.shape[1]):
            n = packed.pieces[i, j]
            rays.pieces[i, j] = n
            for k in range(n):
                rays.low[i, j, k], rays.high[i, j, k] = packed.low[at], packed.high[at]
                rays.who_low[i, j, k], rays.who_high[i, j, k] = packed.who_low[at], packed.who_high[at]
                at += 1
