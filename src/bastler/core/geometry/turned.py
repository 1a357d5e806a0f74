"""Half sections of turned parts: polygons in (z, r), r ≥ 0, and what rolls along them.

*Half section*: the metal on one side of the axis; turned about the axis it is the part. *Sweep*: all that a convex
polygon passes over. *Grown*: a shape with a convex polygon at each of its points (Minkowski sum). Areas are shapely
geometries; arcs are chords within :data:`CHORD_MM`, and come back as arcs by :func:`as_path`.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Literal

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from bastler.core.geometry.fitting import through
from bastler.core.geometry.path import Arc, Path, Point, arc_points

CHORD_MM = 0.0003
FIT_MM = 0.0006
"""A chain of chords is one arc if all its points lie this near."""
LEAST_AREA_MM2 = 1e-7
FAR_MM = 5000.0
Polygon = tuple[Point, ...]
Area = BaseGeometry
EMPTY: Area = shapely.Polygon()


def polygon(points: list[Point] | Polygon) -> Area:
    """A polygon from its corners."""
    return shapely.Polygon(points)


def box(z0: float, z1: float, r0: float, r1: float) -> Area:
    """A rectangle."""
    return shapely.box(z0, r0, z1, r1)


def points_of(path: Path, chord: float = CHORD_MM) -> list[Point]:
    """Points along a path, its arcs as chords."""
    points, here = [path.start], path.start
    for e in path.elements:
        points += arc_points(here, e, chord) if isinstance(e, Arc) else [e.end]
        here = e.end
    return points


def mirrored(area: Area) -> Area:
    """The other side of the axis."""
    return shapely.transform(area, lambda p: p * [1.0, -1.0])


def moved(area: Area, z: float, r: float) -> Area:
    """Shifted."""
    return shapely.transform(area, lambda p: p + np.array([z, r]))


def volume(area: Area) -> float:
    """Volume in mm³ that a half section makes about the axis: 2π ∫ r dA, exact for polygons (Pappus)."""
    total = 0.0
    for one in shapely.get_parts(area):
        if one.geom_type != "Polygon":
            continue
        for k, ring in enumerate((one.exterior, *one.interiors)):
            p = np.asarray(ring.coords)
            z, r = p[:, 0], p[:, 1]
            cross = z[:-1] * r[1:] - z[1:] * r[:-1]
            moment = abs(float((cross * (r[:-1] + r[1:])).sum()) / 6)
            total += moment if k == 0 else -moment
    return 2 * math.pi * total


def sweeps(corners: NDArray[np.float64], starts: NDArray[np.float64], ends: NDArray[np.float64]) -> NDArray[np.object_]:
    """For each straight way of a convex polygon all that it passes over: n areas."""
    n, k = len(starts), len(corners)
    points = np.concatenate([corners[None] + starts[:, None], corners[None] + ends[:, None]], axis=1)
    return np.asarray(
        shapely.convex_hull(shapely.multipoints(points.reshape(-1, 2), indices=np.repeat(np.arange(n), 2 * k)))
    )


@lru_cache(maxsize=256)
def grown(area: Area, shape: Polygon) -> Area:
    """Where the origin of a convex polygon may not be if it must not reach into an area: area ⊕ (−shape)."""
    back = -np.asarray(shape, float)
    if len(back) == 1:
        return moved(area, *back[0])
    found = []
    for one in shapely.get_parts(area):
        if one.geom_type != "Polygon" or one.is_empty:
            continue
        rings = [np.asarray(r.coords) for r in (one.exterior, *one.interiors)]
        found.append(moved(one, *back[0]))
        for ring in rings:
            found += list(sweeps(back, ring[:-1], ring[1:]))
    return shapely.union_all(found) if found else EMPTY


def rounded(area: Area, radius: float) -> Area:
    """All within a radius of an area, its round corners as chords that lie inside by :data:`CHORD_MM` at most."""
    if radius <= 0:
        return area
    quarter = max(math.ceil((math.pi / 4) / math.acos(1 - CHORD_MM / max(radius, 2 * CHORD_MM))), 4)
    return widened(area, radius, quarter)


def widened(area: Area, by: float, quarter: int = 8, join: Literal["round", "mitre"] = "round") -> Area:
    """An area with a border; below 0 without one. Numbers that GEOS divides on the way are none of ours."""
    with np.errstate(all="ignore"):
        return area.buffer(by, quad_segs=quarter, join_style=join)


def as_path(points: list[Point]) -> Path:
    """A chain of chords as lines and arcs within :data:`FIT_MM`."""
    return through(points, FIT_MM, chords=True)[0]


def clean(area: Area) -> Area:
    """Only what has an area."""
    parts = [p for p in shapely.get_parts(area) if p.geom_type == "Polygon" and p.area > LEAST_AREA_MM2]
    return shapely.union_all(parts) if len(parts) > 1 else parts[0] if parts else EMPTY


def polygons(area: Area) -> list[shapely.Polygon]:
    """Its parts that have an area."""
    return [p for p in shapely.get_parts(area) if p.geom_type == "Polygon" and p.area > LEAST_AREA_MM2]
