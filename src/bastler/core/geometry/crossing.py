"""Whether a closed path crosses itself, and where."""

from __future__ import annotations

from functools import lru_cache

from bastler.core.geometry.path import Path, Point

APART_MM = 0.02
"""Meetings this near to a corner are that corner."""


@lru_cache(maxsize=128)
def crossing(path: Path) -> Point | None:
    """A place where a path meets itself between its corners; ``None`` if there is none."""
    import numpy as np

    from bastler.core.geometry.offsets import curves, cut

    source, _ = curves([path])
    pieces = cut(source)
    if len(pieces) == len(source):
        return None
    away = np.hypot(*(pieces.start[:, None] - source.start[None]).transpose(2, 0, 1)).min(axis=1)
    found = np.flatnonzero(away > APART_MM)
    return (float(pieces.start[found[0], 0]), float(pieces.start[found[0], 1])) if len(found) else None
