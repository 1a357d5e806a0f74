"""Half sections of turned parts: polygons in (z, r), r ≥ 0, as areas.

*Half section*: the metal on one side of the axis; turned about the axis it is the part. Areas are shapely geometries; arcs are chords within :data:`CHORD_MM`, and come back as arcs by :func:`as_path`.
"""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from bastler.core.geometry.fitting import through
from bastler.core.geometry.flatsided import FlatBar
from bastler.core.geometry.path import Arc, Path, Point, arc_points

CHORD_MM = 0.0003
FIT_MM = 0.0006
"""A chain of chords is one arc if all its points lie this near."""
LEAST_AREA_MM2 = 1e-7
FAR_MM = 1e4
"""Beyond every part."""
DIRECTIONS = 10
"""Between the middle of a flat and its corner, in which a bar's volume is looked at."""
Polygon = tuple[Point, ...]
Area = BaseGeometry
EMPTY: Area = shapely.Polygon()
NEAR_AXIS_MM = 0.01
"""A bore is wider than this."""


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


def volume(area: Area, prism: FlatBar | None = None) -> float:
    """Volume in mm³ that a half section makes about the axis: 2π ∫ r dA, exact for polygons (Pappus).

    ``prism``: of a bar with flats only what lies within them, the mean over all directions by Gauss's nodes.
    """
    if prism is None or area.is_empty or area.bounds[3] <= prism.half:
        return _about_the_axis(area)
    z0, _, z1, _ = area.bounds
    nodes, weights = np.polynomial.legendre.leggauss(DIRECTIONS)
    reaches = [prism.radius(math.pi / prism.sides * (1 + float(x)) / 2) for x in nodes]
    inside = [_about_the_axis(clipped(area, z0 - 1.0, -FAR_MM, z1 + 1.0, reach)) for reach in reaches]
    return float(weights @ inside) / 2


def _about_the_axis(area: Area) -> float:
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


def clipped(area: Area, z0: float, r0: float, z1: float, r1: float) -> Area:
    """What of an area lies in a rectangle; the short way gives up on some slivers (GEOS makes rings of three points of them)."""
    try:
        return shapely.clip_by_rect(area, z0, r0, z1, r1)
    except shapely.errors.GEOSException:
        return shapely.intersection(area, shapely.box(z0, r0, z1, r1))


def bore_between(area: Area, z0: float, z1: float, samples: int = 5) -> float:
    """The smallest radius of the bore between two Z, mm; 0 where there is metal on the axis, or none at all."""
    least = math.inf
    for k in range(samples):
        z = z0 + (z1 - z0) * k / (samples - 1)
        metal = shapely.intersection(area, shapely.LineString([(z, 0.0), (z, 1e5)]))
        least = min(least, 0.0 if metal.is_empty else float(metal.bounds[1]))
    return least if least > NEAR_AXIS_MM else 0.0


def clean(area: Area) -> Area:
    """Only what has an area."""
    parts = [p for p in shapely.get_parts(area) if p.geom_type == "Polygon" and p.area > LEAST_AREA_MM2]
    return shapely.multipolygons(parts) if len(parts) > 1 else parts[0] if parts else EMPTY


def polygons(area: Area) -> list[shapely.Polygon]:
    """Its parts that have an area."""
    return [p for p in shapely.get_parts(area) if p.geom_type == "Polygon" and p.area > LEAST_AREA_MM2]
