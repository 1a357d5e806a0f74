"""Dexels against what the steps of driven tools promise, each on its surface of the part.

Where a ray enters or leaves metal is a place of the cut surface, exact to rounding; so it is compared place by place.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from bastler.core.geometry.shapes import Removal
from bastler.core.geometry.surface import Surface
from bastler.core.verify.dexels import Dexels
from bastler.core.verify.rays import RAW, Rays

SAME_MM = 0.01
"""Nearer than this to its finished place a surface is right."""
Floats = NDArray[np.float64]


class Carved(NamedTuple):
    """A finished shape on a surface, promised by step number ``step`` (from 0)."""

    step: int
    surface: Surface
    removal: Removal


class Spots(NamedTuple):
    """Places of a surface (n, 3) with the moves that cut there (RAW: none of a driven tool)."""

    places: Floats
    who: NDArray[np.int32]


def spots(dexels: Dexels) -> Iterator[Spots]:
    """Every place where a ray enters or leaves metal, family by family: together they are much to hold."""
    return map(_ends, dexels.families)


def _ends(rays: Rays) -> Spots:
    there = np.arange(rays.low.shape[2]) < rays.pieces[:, :, None]
    i, j, _ = np.nonzero(there)
    p, q = rays.first[0] + i * rays.cell, rays.first[1] + j * rays.cell
    places, who = [], []
    for ends, cut_by in ((rays.low, rays.who_low), (rays.high, rays.who_high)):
        at = ends[there].astype(float)
        places.append(
            np.stack([at, p, q] if rays.along == 0 else ([p, at, q] if rays.along == 1 else [p, q, at]), axis=1)
        )
        who.append(cut_by[there])
    return Spots(np.concatenate(places), np.concatenate(who))


def within(one: Carved, places: Floats, by: float) -> NDArray[np.bool_]:
    """Which places lie inside of a finished shape by at least so many mm; less than 0: not outside by more."""
    x, y, z = one.surface.seen(places[:, 0], places[:, 1], places[:, 2])
    x0, x1, y0, y1 = one.removal.bounds()
    low = one.removal.floor + by
    near = (x >= x0 + by) & (x <= x1 - by) & (y >= y0 + by) & (y <= y1 - by) & (z >= low)
    k = np.flatnonzero(near)
    depth = np.asarray(one.removal.depth(np.asarray(x)[k], np.asarray(y)[k]))
    over = np.asarray(z)[k] - low
    near[k] = (depth >= by) & (over >= np.asarray(one.removal.rise(np.maximum(depth, 0.0))))
    return np.asarray(near)


def too_deep(cut: Spots, promised: list[Carved]) -> Spots:
    """Places that a driven tool cut outside of every promised shape."""
    mine = np.flatnonzero(cut.who != RAW)
    for one in promised:
        if not len(mine):
            break
        mine = mine[~within(one, cut.places[mine], -SAME_MM)]
    return Spots(cut.places[mine], cut.who[mine])


def standing(cut: Spots, one: Carved) -> Floats:
    """Places of the surface inside of a promised shape: metal that ought to be gone."""
    found: Floats = cut.places[within(one, cut.places, SAME_MM)]
    return found
