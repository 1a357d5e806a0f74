"""Rays with sorted intervals of metal: what one is, what is taken from it, how it is kept.

Compiled; see :mod:`bastler.core.verify.sweeps` for what a tool takes of them, and :mod:`bastler.core.verify.turnedrays` for what turning leaves.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

RAW = -1
"""Who cut an end that nobody cut."""
LEVEL_CELLS = 0.25
"""A face is across rays if the next ones meet it so near."""
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


@njit(cache=True, nogil=True)
def taken(rays: Rays, i: int, j: int, a: float, b: float, move: int, cut: bool) -> float:  # pragma: no cover
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
def lengths_of(rays: Rays) -> tuple[float, float, float]:  # pragma: no cover
    """Metal on all rays, mm; and how much more it would be counted by the places where rays of other families cross: at ends on faces across the rays, and at
    those on faces that lean towards one family only."""
    total, across, leaning = 0.0, 0.0, 0.0
    pieces, level = rays.pieces, LEVEL_CELLS * rays.cell
    wide, high = pieces.shape
    for ends, sign in ((rays.low, -1.0), (rays.high, 1.0)):
        for i in range(wide):
            for j in range(high):
                for k in range(pieces[i, j]):
                    at = ends[i, j, k]
                    total += sign * at
                    beside = at / rays.cell - MIDDLE
                    more = (math.floor(beside) + 0.5 - beside) * rays.cell * sign
                    flat = 0
                    for way in range(2):
                        found = False
                        for step in (-1, 1):
                            a, b = (i + step, j) if way == 0 else (i, j + step)
                            if found or not (0 <= a < wide and 0 <= b < high):
                                continue
                            for n in range(pieces[a, b]):
                                found = found or abs(ends[a, b, n] - at) < level
                        flat += found
                    if flat == 2:
                        across += more
                    elif flat == 1:
                        leaning += more
    return total, across, leaning


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
