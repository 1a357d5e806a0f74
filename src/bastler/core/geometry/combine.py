"""Areas taken out of areas: islands out of an outline, also where they overlap or stick out."""

from __future__ import annotations

import numpy as np

from bastler.core.geometry.offsets import Curves, Floats, closed_paths, curves, cut_each_other, joined
from bastler.core.geometry.path import Path, short_arcs
from bastler.core.geometry.region import inside

ASIDE_MM = 1e-5
"""A piece is judged by what lies this far to its left, so that edges that run along each other are told apart."""


def without(outline: list[Path], islands: list[Path]) -> list[Path]:
    """The edge of what is left of ``outline`` once ``islands`` are taken out (all closed, counter-clockwise)."""
    # A path that meets no other lies wholly on one side of each: one of its points tells.
    holes = [p.reversed() for p in islands]
    sources = [curves([p])[0] for p in (*outline, *holes)]
    keep: list[Curves] = []
    shapes = [(short_arcs(p),) for p in (*outline, *islands)]
    for n, (pieces, meets) in enumerate(cut_each_other(sources)):
        points = _aside(pieces)
        x, y = (points[:, 0], points[:, 1]) if meets else points[0].tolist()
        good = np.ones(len(pieces), bool)
        for k, shape in enumerate(shapes):
            if k != n or n >= len(outline):
                good &= np.asarray(inside(shape, x, y)) == (k < len(outline))
        keep.append(pieces.take(good))
    return closed_paths(joined(keep))


def _aside(c: Curves) -> Floats:
    """A point just left of the middle of each piece."""
    half = np.full(len(c), 0.5)
    middle = c.at(half)
    begin, finish = c.directions()
    along = np.where(c.arcs[:, None], begin + finish, begin)
    along = along / np.maximum(np.hypot(*along.T), 1e-12)[:, None]
    return np.asarray(middle + ASIDE_MM * np.stack([-along[:, 1], along[:, 0]], axis=1))
