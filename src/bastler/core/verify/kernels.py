"""Compiled kernels of the height field: the exact swept footprint of a tool on one move.

*Cell*: a point sample of the stock's height at the cell's middle; a cell is cut exactly when the
true tool passes over that point, so walls never gouge by rounding.
*Profile*: height of the tool's underside over the tip at distance d from its axis:
flat 0; corner radius ``r - √(r² - (d - f)²)`` beyond the flat radius f; or a cone ``t d`` inside f and
``s + k (d - f)`` beyond it (:mod:`bastler.core.geometry.underside`).
*Along*, *across*: position of a cell along the move and its distance from the move's line, mm.

A move is cut row by row of cells: the span of a row that the tool covers, then each cell of it. Cost grows with the swept area, once per cell.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

LINE, ARC_XY = 0, 1
BISECTIONS = 40
LEAST_CUT_MM = 1e-5
Floats = NDArray[np.float64]
Numbers = NDArray[np.int32]


class Shape(NamedTuple):
    """A tool's underside: outer radius, flat radius, corner radius or slope beyond it, slope inside it, and the step between, mm."""

    radius: float
    flat: float
    corner: float
    cone: float
    tip: float
    step: float


class Cells(NamedTuple):
    """The stock: Z and the move that cut each cell, both (ny, nx); where its first cell begins, and the size of a cell, mm."""

    height: NDArray[np.float32]
    cut_by: Numbers
    x: float
    y: float
    cell: float


class Cutting(NamedTuple):
    """How a move meets cells: it lowers them, down to ``bottom`` at most, and leaves its number; or it only measures."""

    bottom: float
    move: int
    lowers: bool


@njit(cache=True, nogil=True, inline="always")
def _profile(d: float, s: Shape) -> float:
    over = d - s.flat
    if s.corner > 0.0:
        if over <= 0.0:
            return 0.0
        rest = s.corner * s.corner - over * over
        return s.corner - math.sqrt(rest) if rest > 0.0 else s.corner
    if over <= 0.0:
        return s.tip * d
    return s.step + s.cone * over


@njit(cache=True, nogil=True, inline="always")
def _slope(d: float, s: Shape) -> float:
    """Derivative of the profile."""
    over = d - s.flat
    if over <= 0.0:
        return s.tip
    if s.corner <= 0.0:
        return s.cone
    rest = s.corner * s.corner - over * over
    return over / math.sqrt(rest) if rest > 1e-12 else 1e6


@njit(cache=True, nogil=True, inline="always")
def _is_flat(s: Shape) -> bool:
    return s.corner <= 0.0 and s.cone <= 0.0 and s.tip <= 0.0


@njit(cache=True, nogil=True)
def _lowest_on_line(along: float, across: float, length: float, z0: float, z1: float, s: Shape) -> float:
    """Lowest underside over a cell while the tool runs a sloped line; the height over t is convex."""
    half = math.sqrt(max(s.radius * s.radius - across * across, 0.0))
    low, high = max(along - half, 0.0), min(along + half, length)
    g = (z1 - z0) / length
    if _is_flat(s):
        return float(z0 + g * (high if g < 0.0 else low))
    if s.cone > 0.0 and s.flat <= 0.0:
        if s.cone > abs(g):
            t = along - g * abs(across) / math.sqrt(s.cone * s.cone - g * g)
        else:
            t = high if g < 0.0 else low
        t = min(max(t, low), high)
        return z0 + g * t + s.cone * math.hypot(across, t - along)
    a, b = low, high
    for _ in range(BISECTIONS):
        t = 0.5 * (a + b)
        d = math.hypot(across, t - along)
        rise = g + (_slope(d, s) * (t - along) / d if d > 1e-12 else 0.0)
        if rise > 0.0:
            b = t
        else:
            a = t
    t = 0.5 * (a + b)
    return float(z0 + g * t + _profile(math.hypot(across, t - along), s))


@njit(cache=True, nogil=True, inline="always")
def _apart(ring: float, rho: float, angle: float) -> float:
    """Distance of two places at their distances from one middle, an angle apart."""
    return math.sqrt(max(ring * ring + rho * rho - 2.0 * ring * rho * math.cos(angle), 0.0))


@njit(cache=True, nogil=True)
def _lowest_on_helix(rho: float, phi: float, ring: float, total: float, z0: float, z1: float, s: Shape) -> float:
    """Lowest underside over a cell at (``rho``, ``phi`` from the start along the sweep); ``inf`` if never over it."""
    best = np.inf
    if rho < 1e-9 or ring < 1e-9:
        alpha = math.pi if abs(rho - ring) <= s.radius else -1.0
    else:
        c = (ring * ring + rho * rho - s.radius * s.radius) / (2.0 * ring * rho)
        alpha = -1.0 if c > 1.0 else (math.pi if c < -1.0 else math.acos(c))
    if alpha < 0.0:
        return best
    g = (z1 - z0) / total
    for lap in range(-1, 2):
        middle = phi + lap * 2.0 * math.pi
        low, high = max(middle - alpha, 0.0), min(middle + alpha, total)
        if low > high:
            continue
        if _is_flat(s):
            z = z0 + g * (high if g < 0.0 else low)
        else:
            a, b = low, high
            for _ in range(2 * BISECTIONS):
                t1, t2 = a + (b - a) * 0.382, a + (b - a) * 0.618
                z_1 = z0 + g * t1 + _profile(_apart(ring, rho, t1 - middle), s)
                z_2 = z0 + g * t2 + _profile(_apart(ring, rho, t2 - middle), s)
                if z_1 < z_2:
                    b = t2
                else:
                    a = t1
            t = 0.5 * (a + b)
            z = z0 + g * t + _profile(_apart(ring, rho, t - middle), s)
        best = min(best, z)
    return best


@njit(cache=True, nogil=True, inline="always")
def _lower(f: Cells, iy: int, ix: int, z: float, how: Cutting, out: Floats) -> None:
    """Cut one cell to ``z``, or only measure; ``out``: cells' height removed, deepest, its place and what stood there."""
    z = max(z, how.bottom)
    before = f.height[iy, ix]
    gone = before - z
    if gone > LEAST_CUT_MM:
        out[0] += gone
        if gone > out[1]:
            out[1] = gone
            out[2] = ix
            out[3] = iy
            out[4] = before
        if how.lowers:
            f.height[iy, ix] = z
            f.cut_by[iy, ix] = how.move


@njit(cache=True, nogil=True, inline="always")
def _level_row(f: Cells, iy: int, ia: int, ib: int, z: float, how: Cutting, out: Floats) -> None:
    """A span of a row under a flat tool that stays level: all cells to one Z."""
    row, owner = f.height[iy, ia : ib + 1], f.cut_by[iy, ia : ib + 1]
    gone_sum, most, most_at = 0.0, out[1], -1
    for i in range(row.size):
        gone = row[i] - z
        if gone > LEAST_CUT_MM:
            gone_sum += gone
            if gone > most:
                most = gone
                most_at = i
            if how.lowers:
                row[i] = z
                owner[i] = how.move
    out[0] += gone_sum
    if most_at >= 0:
        out[1], out[2], out[3], out[4] = most, ia + most_at, iy, z + most


@njit(cache=True, nogil=True, inline="always")
def _rows(f: Cells, low: float, high: float) -> tuple[int, int]:
    """First and last row of cells whose middles lie between two Y."""
    first = max(int(math.ceil((low - f.y) / f.cell - 0.5)), 0)
    return first, min(int(math.floor((high - f.y) / f.cell - 0.5)), f.height.shape[0] - 1)


@njit(cache=True, nogil=True, inline="always")
def _columns(f: Cells, low: float, high: float) -> tuple[int, int]:
    """First and last column of cells whose middles lie between two X."""
    first = max(int(math.ceil((low - f.x) / f.cell - 0.5)), 0)
    return first, min(int(math.floor((high - f.x) / f.cell - 0.5)), f.height.shape[1] - 1)


@njit(cache=True, nogil=True, inline="always")
def _capsule(
    y: float, p0: Floats, p1: Floats, ux: float, uy: float, length: float, radius: float
) -> tuple[float, float]:
    """From which X to which a row at ``y`` lies within ``radius`` of a line; nothing where the first is larger."""
    x0, y0, x1, y1 = p0[0], p0[1], p1[0], p1[1]
    left, right = np.inf, -np.inf
    a = radius * radius - (y - y0) * (y - y0)
    if a >= 0.0:
        half = math.sqrt(a)
        left, right = x0 - half, x0 + half
    if length < 1e-9:
        return left, right
    a = radius * radius - (y - y1) * (y - y1)
    if a >= 0.0:
        half = math.sqrt(a)
        left, right = min(left, x1 - half), max(right, x1 + half)
    low, high = -np.inf, np.inf
    ry = y - y0
    if abs(uy) > 1e-12:
        e, g = (ry * ux - radius) / uy, (ry * ux + radius) / uy
        low, high = max(low, min(e, g)), min(high, max(e, g))
    elif abs(ry) > radius:
        high = -np.inf
    if abs(ux) > 1e-12:
        e, g = (-ry * uy) / ux, (length - ry * uy) / ux
        low, high = max(low, min(e, g)), min(high, max(e, g))
    elif not 0.0 <= ry * uy <= length:
        high = -np.inf
    if low <= high:
        left, right = min(left, x0 + low), max(right, x0 + high)
    return left, right


@njit(cache=True, nogil=True)
def _line(f: Cells, p0: Floats, p1: Floats, lift: float, s: Shape, how: Cutting, out: Floats) -> None:
    """One straight move, ``lift`` higher. Rows of cells are cut in the one span that the tool's capsule covers."""
    x0, y0, z0, z1 = p0[0], p0[1], p0[2] + lift, p1[2] + lift
    dx, dy = p1[0] - x0, p1[1] - y0
    length = math.hypot(dx, dy)
    upright, level = length < 1e-9, abs(z1 - z0) < 1e-9
    plain = _is_flat(s) and s.step <= 0.0 and (level or upright)
    ux, uy = (1.0, 0.0) if upright else (dx / length, dy / length)
    lowest = min(z0, z1)
    first, last = _rows(f, min(y0, p1[1]) - s.radius, max(y0, p1[1]) + s.radius)
    for iy in range(first, last + 1):
        y = f.y + (iy + 0.5) * f.cell
        left, right = _capsule(y, p0, p1, ux, uy, length, s.radius)
        if left > right:
            continue
        ia, ib = _columns(f, left, right)
        if ib < ia:
            continue
        if plain:
            _level_row(f, iy, ia, ib, max(lowest, how.bottom), how, out)
            continue
        for ix in range(ia, ib + 1):
            if f.height[iy, ix] <= lowest:
                continue  # nowhere does the underside reach lower
            rx, ry = f.x + (ix + 0.5) * f.cell - x0, y - y0
            if upright:
                z = lowest + _profile(math.hypot(rx, ry), s)
            else:
                along, across = rx * ux + ry * uy, ry * ux - rx * uy
                if level:
                    t = min(max(along, 0.0), length)
                    z = z0 + _profile(math.hypot(across, along - t), s)
                else:
                    z = _lowest_on_line(along, across, length, z0, z1, s)
            _lower(f, iy, ix, z, how, out)


@njit(cache=True, nogil=True, inline="always")
def _from_arc(px: float, py: float, a: Floats, b: Floats, sign: float, total: float, ring: float) -> float:
    """Distance of a place from an arc about the origin, from ``a`` to ``b``."""
    after = sign * (a[0] * py - a[1] * px) >= 0.0
    before = sign * (px * b[1] - py * b[0]) >= 0.0
    beside = (after and before) if total <= math.pi else (after or before)
    if beside or total > 2.0 * math.pi - 1e-9:
        return abs(math.sqrt(px * px + py * py) - ring)
    return math.sqrt(min((px - a[0]) ** 2 + (py - a[1]) ** 2, (px - b[0]) ** 2 + (py - b[1]) ** 2))


@njit(cache=True, nogil=True)
def _arc(
    f: Cells, p0: Floats, p1: Floats, centre: Floats, sweep: float, lift: float, s: Shape, how: Cutting, out: Floats
) -> None:
    """One arc or helix in XY, at most one turn, ``lift`` higher."""
    cx, cy, z0, z1 = centre[0], centre[1], p0[2] + lift, p1[2] + lift
    lowest, level = min(z0, z1), abs(z1 - z0) < 1e-9
    a, b = p0[:2] - centre[:2], p1[:2] - centre[:2]
    ring, total = math.hypot(a[0], a[1]), abs(sweep)
    sign = 1.0 if sweep > 0.0 else -1.0
    start_angle = math.atan2(a[1], a[0])
    outer, inner = ring + s.radius, max(ring - s.radius, 0.0)
    first, last = _rows(f, cy - outer, cy + outer)
    for iy in range(first, last + 1):
        py = f.y + (iy + 0.5) * f.cell - cy
        half = math.sqrt(max(outer * outer - py * py, 0.0))
        ia, ib = _columns(f, cx - half, cx + half)
        for ix in range(ia, ib + 1):
            px = f.x + (ix + 0.5) * f.cell - cx
            rho2 = px * px + py * py
            if rho2 < inner * inner or f.height[iy, ix] <= lowest:
                continue
            if level:
                d = _from_arc(px, py, a, b, sign, total, ring)
                if d > s.radius:
                    continue
                z = z0 + _profile(d, s)
            else:
                phi = (sign * (math.atan2(py, px) - start_angle)) % (2.0 * math.pi)
                z = _lowest_on_helix(math.sqrt(rho2), phi, ring, total, z0, z1, s)
                if z == np.inf:
                    continue
            _lower(f, iy, ix, z, how, out)


@njit(cache=True, nogil=True, inline="always")
def _core(f: Cells, p0: Floats, p1: Floats, bottom: float) -> float:
    """Metal on the tool's axis where a falling move ends, mm."""
    if p1[2] >= p0[2] - 1e-9:
        return 0.0
    ix, iy = int(math.floor((p1[0] - f.x) / f.cell)), int(math.floor((p1[1] - f.y) / f.cell))
    if not (0 <= ix < f.height.shape[1] and 0 <= iy < f.height.shape[0]):
        return 0.0
    return float(max(f.height[iy, ix] - max(p1[2], bottom), 0.0))


@njit(cache=True, nogil=True)
def cut_moves(
    f: Cells, bottom: float, top: float, kind: NDArray[np.int8], start: Floats, end: Floats, centre: Floats, sweep: Floats, row: Numbers,
    shapes: Floats, cylinders: Floats, first_move: int, removed: Floats, deepest: Floats, touched: Floats, places: Numbers, tops: Floats, cores: Floats,
) -> None:  # fmt: skip
    """Run moves over the stock in order.

    ``kind`` is ``LINE`` or ``ARC_XY`` (negative: no motion); ``row`` the tool's row in ``shapes`` (as :class:`Shape`) and in ``cylinders``
    (k, radius and height over the tip, radius 0: none). Out, per move: ``removed`` mm³, ``deepest`` mm cut at one cell, ``touched`` (k) mm of
    metal above the lower end of each non-cutting cylinder, ``places`` (2 + 2k) cells of the deepest cut and of each touch, ``tops`` Z of the
    metal at the deepest cut, ``cores`` mm of metal on the tool's axis where a falling move ends.
    """
    area, out = f.cell * f.cell, np.zeros(5)
    for m in range(len(kind)):
        lowest = min(start[m, 2], end[m, 2])
        if kind[m] < 0 or row[m] < 0 or lowest >= top:
            continue
        v = shapes[row[m]]
        shape, how = Shape(v[0], v[1], v[2], v[3], v[4], v[5]), Cutting(bottom, first_move + m, True)
        out[:] = 0.0
        cores[m] = _core(f, start[m], end[m], bottom)
        if kind[m] == LINE:
            _line(f, start[m], end[m], 0.0, shape, how, out)
        else:
            _arc(f, start[m], end[m], centre[m], sweep[m], 0.0, shape, how, out)
        removed[m], deepest[m], tops[m] = out[0] * area, out[1], out[4]
        places[m, 0], places[m, 1] = int(out[2]), int(out[3])
        for k in range(cylinders.shape[1]):
            radius, over = cylinders[row[m], k, 0], cylinders[row[m], k, 1]
            if radius <= 0.0 or lowest + over >= top:
                continue
            shank, looks = Shape(radius, radius, 0.0, 0.0, 0.0, 0.0), Cutting(-np.inf, 0, False)
            out[:] = 0.0
            if kind[m] == LINE:
                _line(f, start[m], end[m], over, shank, looks, out)
            else:
                _arc(f, start[m], end[m], centre[m], sweep[m], over, shank, looks, out)
            touched[m, k] = out[1]
            places[m, 2 + 2 * k], places[m, 3 + 2 * k] = int(out[2]), int(out[3])
