"""Whether a closed path crosses itself, and where."""

from __future__ import annotations

import math
from functools import lru_cache

from bastler.core.geometry.path import Arc, Path, Point, arc_points

CHORD_MM = 0.005
APART_MM = 0.02
"""Ends this near to each other are one corner, and no crossing."""


@lru_cache(maxsize=128)
def crossing(path: Path) -> Point | None:
    """A place where a closed path meets itself, other than at its own ends; ``None`` if it doesn't."""
    import shapely

    points, here = [path.start], path.start
    for e in path.elements:
        points += arc_points(here, e, CHORD_MM) if isinstance(e, Arc) else [e.end]
        here = e.end
    ring = shapely.LinearRing(points)
    if ring.is_simple:
        return None
    pieces = shapely.get_parts(shapely.node(ring))
    ends: dict[tuple[float, float], int] = {}
    for piece in pieces:
        for end in (piece.coords[0], piece.coords[-1]):
            key = (round(end[0], 6), round(end[1], 6))
            ends[key] = ends.get(key, 0) + 1
    many = [p for p, count in ends.items() if count > 2]
    return next((p for p in many if math.dist(p, path.start) > APART_MM), many[0] if many else path.start)
