"""What turning leaves of rays: a half section about Z, cut by rays along it and across it. Compiled."""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from bastler.core.verify.rays import RAW, Rays

Floats = NDArray[np.float64]
Ends = NDArray[np.float32]
Owners = NDArray[np.int32]
SAME = 1e-9


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
