"""The surface of dexels as faces: a net over a coarse lattice, whose knots lie where the rays beside them enter and leave metal.

In every cell of the lattice that the surface goes through lies one corner: the middle of the places where its edges meet the surface. Each edge that does is the
middle of one face.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from bastler.core.verify.dexels import Dexels
from bastler.core.verify.mesh import Mesh
from bastler.core.verify.rays import RAW, Rays

MOST_KNOTS = 130
"""Along the longest side."""
OPENED = -2
AROUND = ((-1, -1), (0, -1), (0, 0), (-1, 0))
"""Cells round an edge, counter-clockwise seen from its upper end, in the order of the other two axes."""
Floats = NDArray[np.float64]
Numbers = NDArray[np.int64]


class _Knots(NamedTuple):
    """A lattice: which rays of the dexels, where along each axis, and which of them lie in metal."""

    step: int
    at: list[Floats]
    inside: NDArray[np.bool_]


class _Edges(NamedTuple):
    """Edges of the lattice along one axis that the surface goes through: their lower knots (3, n), where on them, whose cut, and whether the metal is below."""

    along: int
    knots: Numbers
    at: Floats
    who: NDArray[np.int32]
    below: NDArray[np.bool_]


def net(dexels: Dexels, *, opened: bool = True) -> Mesh:
    """Faces with the moves that cut them as labels (RAW: none of a driven tool); ``opened``: without the quarter between +X and +Y, whose faces are OPENED."""
    knots = _knots(dexels, opened=opened)
    edges = [_crossed(dexels.families[k], knots, k, opened=opened) for k in range(3)]
    shape = [n - 1 for n in knots.inside.shape]
    total, count = np.zeros((int(np.prod(shape)), 3)), np.zeros(int(np.prod(shape)))
    for one in edges:
        place = np.stack([knots.at[k][one.knots[k]] for k in range(3)], axis=1)
        place[:, one.along] = one.at
        for cell in _cells(one, shape):
            np.add.at(total, cell, place)
            np.add.at(count, cell, 1.0)
    corners = total / np.maximum(count, 1.0)[:, None]
    faces = [corners[np.stack(_cells(one, shape), axis=1)] for one in edges]
    faces = [np.where(one.below[:, None, None], f, f[:, ::-1]) for one, f in zip(edges, faces, strict=True)]
    every = np.concatenate(faces)
    normals = np.cross(every[:, 2] - every[:, 0], every[:, 3] - every[:, 1])
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    labels = np.concatenate([one.who for one in edges])
    return Mesh(every.astype(np.float32), normals.astype(np.float32), labels.astype(np.int32))


def _knots(dexels: Dexels, *, opened: bool) -> _Knots:
    sizes = (dexels.families[1].pieces.shape[0], dexels.families[0].pieces.shape[0], dexels.families[0].pieces.shape[1])
    firsts = (dexels.families[1].first[0], dexels.families[0].first[0], dexels.families[0].first[1])
    step = max(-(-max(sizes) // MOST_KNOTS), 1)
    index = [np.arange(0, size + step, step) for size in sizes]
    at = [first + dexels.cell * i for first, i in zip(firsts, index, strict=True)]
    rays = dexels.families[2]
    inside = np.zeros([len(i) for i in index], bool)
    known = tuple(slice(0, -(-size // step)) for size in sizes)
    low, high, pieces = (a[::step, ::step] for a in (rays.low, rays.high, rays.pieces))
    for k in range(rays.low.shape[2]):
        there = (pieces > k)[:, :, None]
        inside[known] |= there & (low[:, :, k, None] <= at[2][known[2]]) & (high[:, :, k, None] >= at[2][known[2]])
    if opened:
        inside[np.ix_(at[0] > 0, at[1] > 0)] = False
    for k in range(3):
        inside[(slice(None),) * k + ([0, -1],)] = False
    return _Knots(step, at, inside)


def _crossed(rays: Rays, knots: _Knots, along: int, *, opened: bool) -> _Edges:
    inside = knots.inside
    lower = inside[(slice(None),) * along + (slice(0, -1),)]
    upper = inside[(slice(None),) * along + (slice(1, None),)]
    found = np.array(np.nonzero(lower != upper))
    below = lower[tuple(found)]
    p, q = knots.at[along][found[along]], knots.at[along][found[along] + 1]
    u, v = (k for k in range(3) if k != along)
    i, j = (np.minimum(found[k] * knots.step, n - 1) for k, n in zip((u, v), rays.pieces.shape, strict=True))
    there = np.arange(rays.low.shape[2]) < rays.pieces[i, j][:, None]
    ends = np.where(below[:, None], rays.high[i, j], rays.low[i, j]).astype(float)
    who = np.where(below[:, None], rays.who_high[i, j], rays.who_low[i, j])
    fits = there & (ends >= p[:, None]) & (ends <= q[:, None])
    first = fits.argmax(axis=1)
    rows = np.arange(len(first))
    hit = fits[rows, first]
    at, by = np.where(hit, ends[rows, first], (p + q) / 2), np.where(hit, who[rows, first], RAW)
    if opened and along < 2:
        other = knots.at[1 - along][found[1 - along]]
        cut = (p <= 0) & (q > 0) & (other > 0) & ~hit
        at, by = np.where(cut, 0.0, at), np.where(cut, OPENED, by)
    return _Edges(along, found, at, by.astype(np.int32), below)


def _cells(one: _Edges, shape: list[int]) -> list[Numbers]:
    """The four cells round each edge."""
    u, v = ((1, 2), (2, 0), (0, 1))[one.along]
    found = []
    for du, dv in AROUND:
        cell = [one.knots[0], one.knots[1], one.knots[2]]
        cell[u], cell[v] = cell[u] + du, cell[v] + dv
        found.append((cell[0] * shape[1] + cell[1]) * shape[2] + cell[2])
    return found
