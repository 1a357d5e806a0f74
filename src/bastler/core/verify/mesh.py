"""The surface of a height field as few rectangles: for the 3-D view and for STL.

*Face*: an upright or level rectangle with a label (the step that cut it, -1 for raw stock). Equal
neighbours are merged along rows and columns, so a flat floor is a handful of faces.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from bastler.core.verify.grid import Grid

Heights = NDArray[np.float32]
Labels = NDArray[np.int32]
Floats = NDArray[np.float64]
RAW = -1
SMOOTHING_CELLS = 3


@dataclass(frozen=True)
class Mesh:
    """``corners`` (n, 4, 3) mm counter-clockwise seen from outside, ``normals`` (n, 3), ``labels`` (n,)."""

    corners: NDArray[np.float32]
    normals: NDArray[np.float32]
    labels: NDArray[np.int32]


@njit(cache=True, nogil=True)
def _level(
    height: Heights, label: Labels, solid_above: np.float32, out: Floats, labels: Labels
) -> int:  # pragma: no cover
    """Level rectangles ``(ix0, ix1, iy0, iy1, z)`` of cells higher than ``solid_above``; returns their number."""
    ny, nx = height.shape
    count = 0
    above = np.full(nx, -1, np.int64)
    here = np.full(nx, -1, np.int64)
    for iy in range(ny):
        here[:] = -1
        ix = 0
        while ix < nx:
            z, what = height[iy, ix], label[iy, ix]
            end = ix + 1
            while end < nx and height[iy, end] == z and label[iy, end] == what:
                end += 1
            if z > solid_above:
                up = above[ix]
                if up >= 0 and out[up, 1] == end and out[up, 4] == z and labels[up] == what:
                    out[up, 3] = iy + 1
                    here[ix] = up
                else:
                    out[count, 0], out[count, 1], out[count, 2], out[count, 3], out[count, 4] = ix, end, iy, iy + 1, z
                    labels[count] = what
                    here[ix] = count
                    count += 1
            ix = end
        above, here = here, above
    return count


@njit(cache=True, nogil=True)
def _walls(height: Heights, label: Labels, bottom: np.float32, out: Floats, labels: Labels) -> int:  # pragma: no cover
    """Upright rectangles across X between neighbours in a row: ``(ix, iy0, iy1, low, high, sign)``."""
    ny, nx = height.shape
    count = 0
    for ix in range(nx + 1):
        iy = 0
        while iy < ny:
            left = height[iy, ix - 1] if ix > 0 else bottom
            right = height[iy, ix] if ix < nx else bottom
            if left == right:
                iy += 1
                continue
            lower_left = left < right
            what = -1
            if lower_left and ix > 0:
                what = label[iy, ix - 1]
            elif not lower_left and ix < nx:
                what = label[iy, ix]
            start = iy
            iy += 1
            while iy < ny:
                a = height[iy, ix - 1] if ix > 0 else bottom
                b = height[iy, ix] if ix < nx else bottom
                w = -1
                if lower_left and ix > 0:
                    w = label[iy, ix - 1]
                elif not lower_left and ix < nx:
                    w = label[iy, ix]
                if a != left or b != right or w != what:
                    break
                iy += 1
            out[count, 0], out[count, 1], out[count, 2] = ix, start, iy
            out[count, 3], out[count, 4] = min(left, right), max(left, right)
            out[count, 5] = -1.0 if lower_left else 1.0
            labels[count] = what
            count += 1
    return count


def _smooth(height: Heights) -> Floats:
    """Box-blurred heights: their gradient gives round walls a round shade."""
    n = SMOOTHING_CELLS
    padded = np.pad(height.astype(np.float64), n, mode="edge")
    total = np.pad(padded.cumsum(0).cumsum(1), ((1, 0), (1, 0)))
    k = 2 * n + 1
    return np.asarray((total[k:, k:] - total[:-k, k:] - total[k:, :-k] + total[:-k, :-k]) / k**2)


def _rectangles(
    function: Callable[..., int], height: Heights, label: Labels, width: int, edge: np.float32
) -> tuple[Floats, Labels]:
    """What a kernel finds, in arrays as long as there can be of them."""
    capacity = 4096
    while True:
        out, labels = np.empty((capacity, width)), np.empty(capacity, np.int32)
        if capacity >= height.size + height.shape[0] + height.shape[1] + 4:
            break
        changes = np.count_nonzero(np.diff(height, axis=1)) + np.count_nonzero(np.diff(label, axis=1))
        needed = changes + np.count_nonzero(np.diff(height, axis=0)) + 4 * sum(height.shape) + 16
        if capacity >= needed:
            break
        capacity = int(needed)
    count = function(height, label, edge, out, labels)
    return out[:count], labels[:count]


def mesh_of(
    grid: Grid, heights: NDArray[np.float32], labels: NDArray[np.int32], bottom: float, seam: float = 0.0
) -> Mesh:
    """Faces of the solid between ``bottom`` and the heights; cells at the bottom are holes.

    ``seam`` (cells) makes faces that much larger on each side, for pictures; 0 is exact.
    """
    heights, labels = np.ascontiguousarray(heights), np.ascontiguousarray(labels.astype(np.int32))
    low = np.float32(bottom)
    parts: list[Floats] = []
    normals: list[Floats] = []
    names: list[Labels] = []
    g = grid

    def add(corners: list[Floats], normal: Floats, label: Labels) -> None:
        parts.append(np.stack(corners, axis=1))
        normals.append(normal)
        names.append(label)

    def level(found: tuple[Floats, Labels], up: bool) -> None:
        rects, label = found
        xa, xb = g.x0 + (rects[:, 0] - seam) * g.cell, g.x0 + (rects[:, 1] + seam) * g.cell
        ya, yb = g.y0 + (rects[:, 2] - seam) * g.cell, g.y0 + (rects[:, 3] + seam) * g.cell
        z = rects[:, 4] if up else np.full(len(rects), float(low))
        ring = [(xa, ya), (xb, ya), (xb, yb), (xa, yb)]
        corners = [np.stack([x, y, z], axis=1) for x, y in (ring if up else ring[::-1])]
        add(corners, np.tile([0.0, 0.0, 1.0 if up else -1.0], (len(rects), 1)), label)

    level(_rectangles(_level, heights, labels, 5, low), True)
    solid = np.where(heights > low, np.float32(1.0), np.float32(0.0))
    level(_rectangles(_level, solid, np.full_like(labels, RAW), 5, np.float32(0.5)), False)

    blurred = _smooth(heights)
    gy, gx = (np.asarray(one) for one in np.gradient(blurred, g.cell))
    for across_x in (True, False):
        h, name = (heights, labels) if across_x else (heights.T.copy(), labels.T.copy())
        rects, label = _rectangles(_walls, h, name, 6, low)
        at = (g.x0 if across_x else g.y0) + rects[:, 0] * g.cell
        other = g.y0 if across_x else g.x0
        a, b = other + (rects[:, 1] - seam) * g.cell, other + (rects[:, 2] + seam) * g.cell
        z0, z1, sign = rects[:, 3], rects[:, 4], rects[:, 5]
        flip = sign < 0 if across_x else sign > 0
        p, q = np.where(flip, b, a), np.where(flip, a, b)
        corners = [
            np.stack([at, s, z] if across_x else [s, at, z], axis=1) for s, z in ((p, z0), (q, z0), (q, z1), (p, z1))
        ]
        middle = ((rects[:, 1] + rects[:, 2] - 1) / 2).astype(int)
        line = np.clip(rects[:, 0].astype(int), 0, h.shape[1] - 1)
        iy, ix = (middle, line) if across_x else (line, middle)
        slope = -np.stack([gx[iy, ix], gy[iy, ix]], axis=1)
        plain = np.zeros_like(slope)
        plain[:, 0 if across_x else 1] = sign
        long = (rects[:, 2] - rects[:, 1]) > 4 * SMOOTHING_CELLS
        edge = (rects[:, 0] == 0) | (rects[:, 0] == h.shape[1])
        norm = np.linalg.norm(slope, axis=1, keepdims=True)
        smooth = np.where((norm > 1e-6) & ~(long | edge)[:, None], slope / np.maximum(norm, 1e-6), plain)
        add(corners, np.concatenate([smooth, np.zeros((len(smooth), 1))], axis=1), label)
    return Mesh(
        np.concatenate(parts).astype(np.float32), np.concatenate(normals).astype(np.float32), np.concatenate(names).astype(np.int32)
    )  # fmt: skip
