"""Runs of plain lines (N, F, X, Y, Z, G0, G1) in compiled code, with the same meaning as line by line."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from bastler.core.gcode.lexer import SIMPLE

Floats = NDArray[np.float64]


@njit(cache=True, nogil=True)
def run_ends(flags: NDArray[np.uint8]) -> NDArray[np.int64]:  # pragma: no cover
    """For each line, where the run of simple lines that it belongs to ends."""
    n = len(flags)
    ends = np.empty(n + 1, np.int64)
    ends[n] = n
    for i in range(n - 1, -1, -1):
        if flags[i] & SIMPLE:
            ends[i] = ends[i + 1] if i + 1 < n and flags[i + 1] & SIMPLE else i + 1
        else:
            ends[i] = i
    return ends


@njit(cache=True, nogil=True)
def run_plain(
    first: int, last: int, word_first: NDArray[np.int64], letter: NDArray[np.uint8], value: Floats, nose: Floats, motion: int, rate: float,
    scale: float, length: float, gauge: float, kind: NDArray[np.uint8], feed: Floats, points: Floats, line: NDArray[np.int32],
) -> tuple[int, int, int, float]:  # pragma: no cover  # fmt: skip
    """Plain lines ``first`` to ``last``; stops before a cutting move without feed."""
    moves = 0
    x, y, z = nose[0], nose[1], nose[2]
    i = first
    while i < last:
        nx, ny, nz, new_rate, new_motion = x, y, z, rate, motion
        for k in range(word_first[i], word_first[i + 1]):
            c, v = letter[k], value[k]
            if c == 88:
                nx = v * scale
            elif c == 89:
                ny = v * scale
            elif c == 90:
                nz = v * scale + length
            elif c == 70:
                new_rate = v * scale
            elif c == 71:
                new_motion = int(v)
        if abs(nx - x) + abs(ny - y) + abs(nz - z) > 1e-9:
            if new_motion == 1 and new_rate <= 0.0:
                break
            kind[moves] = new_motion
            feed[moves] = new_rate if new_motion == 1 else 0.0
            line[moves] = i + 1
            points[moves + 1, 0] = nx
            points[moves + 1, 1] = ny
            points[moves + 1, 2] = nz - gauge
            moves += 1
        x, y, z, rate, motion = nx, ny, nz, new_rate, new_motion
        i += 1
    nose[0] = x
    nose[1] = y
    nose[2] = z
    return i, moves, motion, rate
