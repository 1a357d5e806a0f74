"""Compiled kernels of the height field: the exact swept footprint of a tool on one move.

*Cell*: a point sample of the stock's height at the cell's middle; a cell is cut exactly when the
true tool passes over that point, so walls never gouge by rounding.
*Profile*: height of the tool's underside over the tip at distance d from its axis:
flat 0; corner radius ``r - √(r² - (d - f)²)`` beyond the flat radius f; or a cone ``t d`` inside f and
``s + k (d - f)`` beyond it (:mod:`bastler.core.geometry.underside`).
*Along*, *across*: position of a cell along the move and its distance from the move's line, mm.

Every function is called per move; cost grows with the swept area, once per cell.
"""
# mypy: ignore-errors

from __future__ import annotations

import math

import numpy as np
from numba import njit

LINE, ARC_XY = 0, 1
BISECTIONS = 40
LEAST_CUT_MM = 1e-5


@njit(cache=True, nogil=True, inline="always")
def _profile(d, flat, corner, cone, tip, step):
    over = d - flat
    if corner > 0.0:
        if over <= 0.0:
            return 0.0
        rest = corner * corner - over * over
        return corner - math.sqrt(rest) if rest > 0.0 else corner
    if over <= 0.0:
        return tip * d
    return step + cone * over


@njit(cache=True, nogil=True, inline="always")
def _slope(d, flat, corner, cone, tip):
    """Derivative of the profile."""
    over = d - flat
    if over <= 0.0:
        return tip
    if corner <= 0.0:
        return cone
    rest = corner * corner - over * over
    return over / math.sqrt(rest) if rest > 1e-12 else 1e6


@njit(cache=True, nogil=True)
def _lowest_on_line(along, across, length, z0, z1, radius, flat, corner, cone, tip, step):
    """Lowest underside over a cell while the tool runs a sloped line; the height over t is convex."""
    half = math.sqrt(max(radius * radius - across * across, 0.0))
    low, high = max(along - half, 0.0), min(along + half, length)
    g = (z1 - z0) / length
    if corner <= 0.0 and cone <= 0.0 and tip <= 0.0:
        return z0 + g * (high if g < 0.0 else low)
    if cone > 0.0 and flat <= 0.0:
        if cone > abs(g):
            t = along - g * abs(across) / math.sqrt(cone * cone - g * g)
        else:
            t = high if g < 0.0 else low
        t = min(max(t, low), high)
        return z0 + g * t + cone * math.hypot(across, t - along)
    a, b = low, high
    for _ in range(BISECTIONS):
        t = 0.5 * (a + b)
        d = math.hypot(across, t - along)
        rise = g + (_slope(d, flat, corner, cone, tip) * (t - along) / d if d > 1e-12 else 0.0)
        if rise > 0.0:
            b = t
        else:
            a = t
    t = 0.5 * (a + b)
    return z0 + g * t + _profile(math.hypot(across, t - along), flat, corner, cone, tip, step)


@njit(cache=True, nogil=True)
def _lowest_on_helix(rho, phi, ring, total, z0, z1, radius, flat, corner, cone, tip, step):
    """Lowest underside over a cell at (``rho``, ``phi`` from the start along the sweep); ``inf`` if never over it."""
    best = np.inf
    if rho < 1e-9 or ring < 1e-9:
        alpha = math.pi if abs(rho - ring) <= radius else -1.0
    else:
        c = (ring * ring + rho * rho - radius * radius) / (2.0 * ring * rho)
        alpha = -1.0 if c > 1.0 else (math.pi if c < -1.0 else math.acos(c))
    if alpha < 0.0:
        return best
    g = (z1 - z0) / total
    for lap in range(-1, 2):
        middle = phi + lap * 2.0 * math.pi
        low, high = max(middle - alpha, 0.0), min(middle + alpha, total)
        if low > high:
            continue
        if corner <= 0.0 and cone <= 0.0 and tip <= 0.0:
            z = z0 + g * (high if g < 0.0 else low)
        else:
            a, b = low, high
            for _ in range(2 * BISECTIONS):
                t1, t2 = a + (b - a) * 0.382, a + (b - a) * 0.618
                d1 = math.sqrt(max(ring * ring + rho * rho - 2.0 * ring * rho * math.cos(t1 - middle), 0.0))
                d2 = math.sqrt(max(ring * ring + rho * rho - 2.0 * ring * rho * math.cos(t2 - middle), 0.0))
                if z0 + g * t1 + _profile(d1, flat, corner, cone, tip, step) < z0 + g * t2 + _profile(
                    d2, flat, corner, cone, tip, step
                ):
                    b = t2
                else:
                    a = t1
            t = 0.5 * (a + b)
            d = math.sqrt(max(ring * ring + rho * rho - 2.0 * ring * rho * math.cos(t - middle), 0.0))
            z = z0 + g * t + _profile(d, flat, corner, cone, tip, step)
        best = min(best, z)
    return best


@njit(cache=True, nogil=True, inline="always")
def _lower(height, cut_by, iy, ix, z, bottom, move, cuts, out):
    """Cut one cell to ``z``, or only measure; ``out``: cells' height removed, deepest, its place and what stood there."""
    z = max(z, bottom)
    before = height[iy, ix]
    gone = before - z
    if gone > LEAST_CUT_MM:
        out[0] += gone
        if gone > out[1]:
            out[1] = gone
            out[2] = ix
            out[3] = iy
            out[4] = before
        if cuts:
            height[iy, ix] = z
            cut_by[iy, ix] = move


@njit(cache=True, nogil=True)
def _line(
    height, cut_by, x_low, y_low, cell, bottom, p0, p1, lift, radius, flat, corner, cone, tip, step, move, cuts, out
):
    """One straight move. Rows of cells are cut in the one span that the tool's capsule covers."""
    ny, nx = height.shape
    x0, y0, z0 = p0[0], p0[1], p0[2] + lift
    x1, y1, z1 = p1[0], p1[1], p1[2] + lift
    dx, dy = x1 - x0, y1 - y0
    length = math.hypot(dx, dy)
    upright = length < 1e-9
    level = abs(z1 - z0) < 1e-9
    plain = corner <= 0.0 and cone <= 0.0 and tip <= 0.0 and step <= 0.0 and (level or upright)
    ux, uy = (1.0, 0.0) if upright else (dx / length, dy / length)
    lowest = min(z0, z1)
    first = max(int(math.ceil((min(y0, y1) - radius - y_low) / cell - 0.5)), 0)
    last = min(int(math.floor((max(y0, y1) + radius - y_low) / cell - 0.5)), ny - 1)
    for iy in range(first, last + 1):
        y = y_low + (iy + 0.5) * cell
        left, right = np.inf, -np.inf
        a = radius * radius - (y - y0) * (y - y0)
        if a >= 0.0:
            half = math.sqrt(a)
            left, right = x0 - half, x0 + half
        if not upright:
            a = radius * radius - (y - y1) * (y - y1)
            if a >= 0.0:
                half = math.sqrt(a)
                left, right = min(left, x1 - half), max(right, x1 + half)
            low, high = -np.inf, np.inf
            ry = y - y0
            if abs(uy) > 1e-12:
                e, f = (ry * ux - radius) / uy, (ry * ux + radius) / uy
                low, high = max(low, min(e, f)), min(high, max(e, f))
            elif abs(ry) > radius:
                high = -np.inf
            if abs(ux) > 1e-12:
                e, f = (-ry * uy) / ux, (length - ry * uy) / ux
                low, high = max(low, min(e, f)), min(high, max(e, f))
            elif not 0.0 <= ry * uy <= length:
                high = -np.inf
            if low <= high:
                left, right = min(left, x0 + low), max(right, x0 + high)
        if left > right:
            continue
        ia = max(int(math.ceil((left - x_low) / cell - 0.5)), 0)
        ib = min(int(math.floor((right - x_low) / cell - 0.5)), nx - 1)
        if ib < ia:
            continue
        if plain:
            z = max(lowest, bottom)
            row, owner = height[iy, ia : ib + 1], cut_by[iy, ia : ib + 1]
            gone_sum, most, most_at = 0.0, out[1], -1
            for i in range(row.size):
                gone = row[i] - z
                if gone > LEAST_CUT_MM:
                    gone_sum += gone
                    if gone > most:
                        most = gone
                        most_at = i
                    if cuts:
                        row[i] = z
                        owner[i] = move
            out[0] += gone_sum
            if most_at >= 0:
                out[1], out[2], out[3] = most, ia + most_at, iy
            continue
        for ix in range(ia, ib + 1):
            if height[iy, ix] <= lowest:
                continue  # nowhere does the underside reach lower
            rx, ry = x_low + (ix + 0.5) * cell - x0, y - y0
            if upright:
                z = lowest + _profile(math.hypot(rx, ry), flat, corner, cone, tip, step)
            else:
                along, across = rx * ux + ry * uy, ry * ux - rx * uy
                if level:
                    t = min(max(along, 0.0), length)
                    z = z0 + _profile(math.hypot(across, along - t), flat, corner, cone, tip, step)
                else:
                    z = _lowest_on_line(along, across, length, z0, z1, radius, flat, corner, cone, tip, step)
            _lower(height, cut_by, iy, ix, z, bottom, move, cuts, out)


@njit(cache=True, nogil=True)
def _arc(
    height,
    cut_by,
    x_low,
    y_low,
    cell,
    bottom,
    p0,
    p1,
    centre,
    sweep,
    lift,
    radius,
    flat,
    corner,
    cone,
    tip,
    step,
    move,
    cuts,
    out,
):
    """One arc or helix in XY, at most one turn."""
    ny, nx = height.shape
    cx, cy = centre[0], centre[1]
    z0, z1 = p0[2] + lift, p1[2] + lift
    lowest = min(z0, z1)
    sx, sy = p0[0] - cx, p0[1] - cy
    ex, ey = p1[0] - cx, p1[1] - cy
    ring = math.hypot(sx, sy)
    total = abs(sweep)
    sign = 1.0 if sweep > 0.0 else -1.0
    level = abs(z1 - z0) < 1e-9
    full = total > 2.0 * math.pi - 1e-9
    start_angle = math.atan2(sy, sx)
    outer = ring + radius
    inner = max(ring - radius, 0.0)
    first = max(int(math.ceil((cy - outer - y_low) / cell - 0.5)), 0)
    last = min(int(math.floor((cy + outer - y_low) / cell - 0.5)), ny - 1)
    reach = radius * radius
    for iy in range(first, last + 1):
        py = y_low + (iy + 0.5) * cell - cy
        half = math.sqrt(max(outer * outer - py * py, 0.0))
        ia = max(int(math.ceil((cx - half - x_low) / cell - 0.5)), 0)
        ib = min(int(math.floor((cx + half - x_low) / cell - 0.5)), nx - 1)
        for ix in range(ia, ib + 1):
            px = x_low + (ix + 0.5) * cell - cx
            rho2 = px * px + py * py
            if rho2 < inner * inner or height[iy, ix] <= lowest:
                continue
            if level:
                if full:
                    beside = True
                else:
                    after = sign * (sx * py - sy * px) >= 0.0
                    before = sign * (px * ey - py * ex) >= 0.0
                    beside = (after and before) if total <= math.pi else (after or before)
                if beside:
                    d = abs(math.sqrt(rho2) - ring)
                    if d > radius:
                        continue
                else:
                    d2 = min((px - sx) ** 2 + (py - sy) ** 2, (px - ex) ** 2 + (py - ey) ** 2)
                    if d2 > reach:
                        continue
                    d = math.sqrt(d2)
                z = z0 + _profile(d, flat, corner, cone, tip, step)
            else:
                phi = (sign * (math.atan2(py, px) - start_angle)) % (2.0 * math.pi)
                z = _lowest_on_helix(math.sqrt(rho2), phi, ring, total, z0, z1, radius, flat, corner, cone, tip, step)
                if z == np.inf:
                    continue
            _lower(height, cut_by, iy, ix, z, bottom, move, cuts, out)


@njit(cache=True, nogil=True)
def cut_moves(
    height, cut_by, x_low, y_low, cell, bottom, top, kind, start, end, centre, sweep, row, shapes, cylinders, first_move,
    removed, deepest, touched, places, tops, cores,
):  # fmt: skip
    """Run moves over the stock in order.

    ``height`` (ny, nx) float32 Z and ``cut_by`` int32 move numbers are changed in place. ``kind`` is
    ``LINE`` or ``ARC_XY`` (negative: no motion); ``row`` the tool's row in ``shapes`` (radius, flat radius,
    corner, slope, tip slope, step) and in ``cylinders`` (k, radius and height over the tip, radius 0: none).
    Out, per move: ``removed`` mm³, ``deepest`` mm cut at one cell, ``touched`` (k) mm of metal above the lower end
    of each non-cutting cylinder, ``places`` (2 + 2k) cells of the deepest cut and of each touch, ``tops`` Z of the metal at the
    deepest cut, ``cores`` mm of metal on the tool's axis where a falling move ends.
    """
    area = cell * cell
    out = np.zeros(5)
    ny, nx = height.shape
    for m in range(len(kind)):
        if kind[m] < 0 or row[m] < 0:
            continue
        lowest = min(start[m, 2], end[m, 2])
        if lowest >= top:
            continue
        shape = shapes[row[m]]
        out[:] = 0.0
        if end[m, 2] < start[m, 2] - 1e-9:
            ix = int(math.floor((end[m, 0] - x_low) / cell))
            iy = int(math.floor((end[m, 1] - y_low) / cell))
            if 0 <= ix < nx and 0 <= iy < ny:
                cores[m] = max(height[iy, ix] - max(end[m, 2], bottom), 0.0)
        if kind[m] == LINE:
            _line(height, cut_by, x_low, y_low, cell, bottom, start[m], end[m], 0.0,
                  shape[0], shape[1], shape[2], shape[3], shape[4], shape[5], first_move + m, True, out)  # fmt: skip
        else:
            _arc(height, cut_by, x_low, y_low, cell, bottom, start[m], end[m], centre[m], sweep[m], 0.0,
                 shape[0], shape[1], shape[2], shape[3], shape[4], shape[5], first_move + m, True, out)  # fmt: skip
        removed[m] = out[0] * area
        deepest[m] = out[1]
        places[m, 0] = out[2]
        places[m, 1] = out[3]
        tops[m] = out[4]
        for k in range(cylinders.shape[1]):
            radius, over = cylinders[row[m], k, 0], cylinders[row[m], k, 1]
            if radius <= 0.0 or lowest + over >= top:
                continue
            out[:] = 0.0
            if kind[m] == LINE:
                _line(
                    height,
                    cut_by,
                    x_low,
                    y_low,
                    cell,
                    -np.inf,
                    start[m],
                    end[m],
                    over,
                    radius,
                    radius,
                    0.0,
                    0.0,
                    0.0,
                    0.0,
                    0,
                    False,
                    out,
                )
            else:
                _arc(
                    height,
                    cut_by,
                    x_low,
                    y_low,
                    cell,
                    -np.inf,
                    start[m],
                    end[m],
                    centre[m],
                    sweep[m],
                    over,
                    radius,
                    radius,
                    0.0,
                    0.0,
                    0.0,
                    0.0,
                    0,
                    False,
                    out,
                )
            touched[m, k] = out[1]
            places[m, 2 + 2 * k] = out[2]
            places[m, 3 + 2 * k] = out[3]
