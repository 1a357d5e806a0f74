"""A height field as a closed surface of triangles: every edge belongs to exactly two of them.

*Face*: a rectangle on the grid, by whole-number corners (column, row, level of Z). *T-junction*: a corner of one face that
lies within the edge of another; here each face takes such corners into its own outline, and is cut into triangles about its middle.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]


def closed_triangles(heights: NDArray[np.float32], bottom: float, xs: Floats, ys: Floats) -> Floats:
    """Triangles (n, 3, 3) of the solid between ``bottom`` and ``heights`` (ny, nx), whose cells lie between the lines ``xs`` (nx + 1) and
    ``ys`` (ny + 1); cells at the bottom are empty. Counter-clockwise seen from outside."""
    z = _without_pinches(np.maximum(heights, np.float32(bottom)))
    levels, index = np.unique(np.append(z.ravel(), np.float32(bottom)), return_inverse=True)
    level = index[:-1].reshape(z.shape).astype(np.int64)
    faces = np.concatenate([_level_faces(level), _walls(level, across_x=True), _walls(level, across_x=False)])
    if not len(faces):
        return np.zeros((0, 3, 3))
    corner, owner = _with_junctions(faces)
    points = np.stack([xs[corner[:, 0]], ys[corner[:, 1]], levels.astype(float)[corner[:, 2]]], axis=1)
    first, count = np.unique(owner, return_index=True)[1], np.bincount(owner)
    middle = np.stack([np.bincount(owner, points[:, k]) / count for k in range(3)], axis=1)
    following = np.arange(1, len(points) + 1)
    following[np.append(first[1:], len(points)) - 1] = first
    return np.stack([middle[owner], points, points[following]], axis=1)


def _without_pinches(z: NDArray[np.float32]) -> NDArray[np.float32]:
    """Where solids would touch along an upright line only, one more cell is filled: such a line would have four faces."""
    z = z.copy()
    while True:
        a, b, c, d = z[:-1, :-1], z[:-1, 1:], z[1:, :-1], z[1:, 1:]
        one, other = np.minimum(a, d) > np.maximum(b, c), np.minimum(b, c) > np.maximum(a, d)
        if not (one.any() or other.any()):
            return z
        iy, ix = np.nonzero(one)
        up = np.minimum(a, d)[iy, ix]
        np.maximum.at(z, (iy, ix + 1), up)
        iy, ix = np.nonzero(other & ~one)
        up = np.minimum(z[iy, ix + 1], z[iy + 1, ix])
        np.maximum.at(z, (iy, ix), up)


def _rows(change: NDArray[np.bool_]) -> tuple[Ints, Ints, Ints]:
    """Runs along each row of a mask that says where a run begins: row, first column, column behind."""
    iy, first = np.nonzero(change)
    last = np.append(first[1:], 0)
    ends = np.append(iy[1:] != iy[:-1], True)
    last[ends] = change.shape[1]
    return iy.astype(np.int64), first.astype(np.int64), last.astype(np.int64)


def _level_faces(level: Ints) -> Ints:
    """Tops, and the bottom below what is solid: corners (n, 4, 3)."""
    begins = np.ones(level.shape, bool)
    begins[:, 1:] = level[:, 1:] != level[:, :-1]
    iy, a, b = _rows(begins)
    k = level[iy, a]
    solid = k > 0
    iy, a, b, k = iy[solid], a[solid], b[solid], k[solid]
    top = _quads((a, iy, k), (b, iy, k), (b, iy + 1, k), (a, iy + 1, k))
    filled = level > 0
    begins = np.ones(level.shape, bool)
    begins[:, 1:] = filled[:, 1:] != filled[:, :-1]
    iy, a, b = _rows(begins)
    solid = filled[iy, a]
    iy, a, b = iy[solid], a[solid], b[solid]
    zero = np.zeros_like(a)
    return np.concatenate([top, _quads((a, iy, zero), (a, iy + 1, zero), (b, iy + 1, zero), (b, iy, zero))])


def _walls(level: Ints, *, across_x: bool) -> Ints:
    """Upright faces between neighbours along a row (or a column), one per cell edge."""
    h = level if across_x else level.T
    padded = np.pad(h, ((0, 0), (1, 1)))
    iy, ix = np.nonzero(padded[:, 1:] != padded[:, :-1])
    left, right = padded[iy, ix], padded[iy, ix + 1]
    low, high = np.minimum(left, right), np.maximum(left, right)
    # The outside lies towards the lower one; seen from there the corners run counter-clockwise.
    outward = (left > right) == across_x
    p, q = np.where(outward, iy, iy + 1), np.where(outward, iy + 1, iy)
    if across_x:
        return _quads((ix, p, low), (ix, q, low), (ix, q, high), (ix, p, high))
    return _quads((p, ix, low), (q, ix, low), (q, ix, high), (p, ix, high))


def _quads(*corners: tuple[Ints, Ints, Ints]) -> Ints:
    return np.stack([np.stack(c, axis=1) for c in corners], axis=1).astype(np.int64)


def _with_junctions(faces: Ints) -> tuple[Ints, Ints]:
    """Outlines of the faces with every corner of another face that lies within one of their edges; and which face each point is of."""
    n = len(faces)
    corners = np.unique(faces.reshape(-1, 3), axis=0)
    size = corners.max(axis=0) + 1
    start = faces.reshape(-1, 3)
    end = np.roll(faces, -1, axis=1).reshape(-1, 3)
    inner = np.zeros(4 * n, np.int64)
    first = np.zeros(4 * n, np.int64)
    backward = np.zeros(4 * n, bool)
    along = np.argmax(start != end, axis=1)
    sorted_of: list[Ints] = []
    for axis in range(3):
        others = [k for k in range(3) if k != axis]

        def key(p: Ints, axis: int = axis, others: list[int] = others) -> Ints:
            line = p[:, others[0]] * size[others[1]] + p[:, others[1]]
            return np.asarray(line * size[axis] + p[:, axis])

        order = np.argsort(key(corners), kind="stable")
        keys = key(corners)[order]
        mine = np.flatnonzero(along == axis)
        a, b = np.searchsorted(keys, key(start[mine])), np.searchsorted(keys, key(end[mine]))
        inner[mine] = np.abs(b - a) - 1
        first[mine] = a
        backward[mine] = b < a
        sorted_of.append(order)
    counts = inner + 1
    edge = np.repeat(np.arange(4 * n), counts)
    step = np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts)
    at = first[edge] + np.where(backward[edge], -step, step)
    points = np.empty((len(edge), 3), np.int64)
    for axis in range(3):
        mine = along[edge] == axis
        points[mine] = corners[sorted_of[axis][at[mine]]]
    return points, edge // 4
