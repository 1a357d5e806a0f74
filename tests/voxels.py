"""A stock by brute force, behind the same protocol as the real ones: little cubes, marched through by a tool in short steps."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from bastler.core.gcode.motion import ARC, FEED, RAPID, Motion
from bastler.core.verify.mesh import Mesh
from bastler.core.verify.stock import EDGE, Difference, Happened, Touch

Floats = NDArray[np.float64]
Covers = Callable[[Floats, Floats], NDArray[np.bool_]]
"""Which of some places (n, 3) the edge of a tool covers whose tip is at a place (3,)."""
LEAST_MM3 = 0.5
REACH_MM = 8.0
"""Farther from the box no tool of these tests cuts."""


class Voxels:
    """``inside``: what of the box (2, 3) is metal at first; ``covers``: of the one tool there is."""

    chunk = 1000

    def __init__(
        self, box: Floats, cell: float, inside: Callable[[Floats], NDArray[np.bool_]], covers: Covers, *, turned: bool
    ) -> None:
        counts = np.round((box[1] - box[0]) / cell).astype(int)
        axes = [box[0, k] + cell * (np.arange(n) + 0.5) for k, n in enumerate(counts)]
        self.places = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)
        self.shape, self.cell, self.covers, self.turned = tuple(counts), cell, covers, turned
        self.metal = inside(self.places)
        self.x, self.low, self.high = axes[0], box[0], box[1]

    @property
    def state_bytes(self) -> int:
        return self.metal.size

    def state(self) -> NDArray[np.bool_]:
        return self.metal.copy()

    def shown(self) -> tuple[NDArray[np.float32], NDArray[np.int32]]:
        raise NotImplementedError("nobody looks at voxels")

    def restore(self, state: NDArray[np.bool_]) -> None:
        self.metal = state.copy()

    def volume(self) -> float:
        return float(self.metal.sum()) * self.cell**3

    def cut(self, motion: Motion, low: int = 0, high: int | None = None, first: int = 0) -> Happened:
        high = len(motion) if high is None else high
        found = Happened.none(high - low)
        for i in range(low, high):
            if motion.kind[i] not in (RAPID, FEED, ARC):
                continue
            gone = np.zeros(len(self.metal), bool)
            points = motion.chords(i, 0.01)
            for a, b in zip(points[:-1], points[1:], strict=True):
                for share in np.linspace(0, 1, max(int(np.linalg.norm(b - a) / (0.8 * self.cell)), 1) + 1):
                    tip = a + (b - a) * share
                    if (tip > self.low - REACH_MM).all() and (tip < self.high + REACH_MM).all():
                        left = np.flatnonzero(self.metal & ~gone)
                        gone[left[self.covers(self.places[left], tip)]] = True
            self.metal &= ~gone
            found.removed[i - low] = gone.sum() * self.cell**3
            found.deepest[i - low] = gone.reshape(self.shape).sum(axis=2).max() * self.cell
            if motion.kind[i] == RAPID and found.removed[i - low] > LEAST_MM3:
                x, y, z = self.places[np.flatnonzero(gone)[0]]
                at = (float(np.hypot(x, y)), 0.0, float(z)) if self.turned else (float(x), float(y), float(z))
                found.touches.append(Touch(first + i, EDGE, float(found.deepest[i - low]), at))
        return found

    def compare(self, finished: Callable[[Floats], NDArray[np.bool_]]) -> Difference:
        """``finished``: whether places are metal then."""
        wanted = finished(self.places)
        missing, left = (float(one.sum()) * self.cell**3 for one in (wanted & ~self.metal, self.metal & ~wanted))
        return Difference(missing, left)

    def mesh(self, labels: object = None) -> Mesh:
        """Every face between a full cube and an empty one."""
        solid = np.pad(self.metal.reshape(self.shape), 1)
        low = self.places[0] - self.cell / 2
        corners, normals = [], []
        for axis in range(3):
            step = np.diff(solid.astype(int), axis=axis)
            u, v = [k for k in range(3) if k != axis]
            for sign in (1, -1):
                at = np.argwhere(step == -sign)
                base = low + self.cell * (at - 1 + np.eye(3, dtype=int)[axis])
                ring = [(0, 0), (1, 0), (1, 1), (0, 1)]
                flip = (sign > 0) == (axis == 1)
                for_one = []
                for p, q in ring[::-1] if flip else ring:
                    corner = base.copy()
                    corner[:, u] += p * self.cell
                    corner[:, v] += q * self.cell
                    for_one.append(corner)
                corners.append(np.stack(for_one, axis=1))
                normals.append(np.tile(sign * np.eye(3)[axis], (len(at), 1)))
        whole = np.concatenate(corners).astype(np.float32)
        return Mesh(whole, np.concatenate(normals).astype(np.float32), np.zeros(len(whole), np.int32))

    def section(self, x: float) -> list[Floats]:
        """One square for each cube in the plane."""
        at = int(np.argmin(np.abs(self.x - (0.5 * self.cell if self.turned else x))))
        solid = self.metal.reshape(self.shape)[at]
        places = self.places.reshape(*self.shape, 3)[at][solid]
        y, z = places[:, 1], places[:, 2]
        keep = y > 0 if self.turned else np.ones(len(y), bool)
        middles = np.stack([z, y] if self.turned else [y, z], axis=1)[keep]
        square = self.cell / 2 * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
        return [m + square for m in middles]
