"""A lathe's setup as half sections: the blank, and what stands round it."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely

from bastler.core.fields import Values
from bastler.core.geometry.halfsection import (
    FAR_MM,
    Area,
    box,
    clipped,
    mirrored,
    points_of,
    polygon,
    polygons,
    widened,
)
from bastler.core.job.held import Chucking, Section
from bastler.core.planning.work import Chucked
from bastler.core.problems import Problem
from bastler.core.quantities import Units, show

ON_AXIS_MM = 1e-6
ON_JAWS_MM = 0.02
LEAST_GRIP_MM = 3.0
Found = tuple[Section, tuple[Problem, ...]]
"""Outlines of the stock, and what is wrong with it."""


def chucked(held: Chucking) -> Chucked:
    """The stock before the first step, with chuck and tailstock."""
    z0, z1, bore, radius = held.blank
    fixed = shapely.union_all([polygon(b.outline) for b in held.bodies])
    stock = shapely.union_all([polygon(ring) for ring in held.section]) if held.section else box(z0, z1, bore, radius)
    return Chucked(stock, fixed, held.limit, (z1 + held.clearance, radius + held.clearance))


def cast(v: Values) -> Found:
    """A casting by its contour: solid from an open one down to the axis, the ring inside a closed one, with its allowance all round."""
    named: Any = v.get("stock_contour")
    if named is None or named.path is None:
        return (), ()
    if named.values.get("plane", "XY") != "ZX":
        text = f"Contour “{named.name}” lies in XY. Choose one in ZX, or change its plane."
        return (), (Problem("stock_contour", text),)
    points = points_of(named.path)
    if not named.closed:
        points = [(points[0][0], 0.0), *points, (points[-1][0], 0.0)]
    area: Area = polygon(points).buffer(0)
    if area.is_empty or area.bounds[1] < -ON_AXIS_MM:
        text = f"Contour “{named.name}” bounds no metal above the axis. Correct its points."
        return (), (Problem("stock_contour", text),)
    if v.get("over_all", 0.0) > 0:
        whole = area if named.closed else shapely.union(area, mirrored(area))
        area = shapely.intersection(widened(whole, v.over_all, join="mitre"), box(-FAR_MM, FAR_MM, 0.0, FAR_MM))
    return _outlines(area), ()


def left_by(stock: Area, v: Values, units: Units) -> Found:
    """The part that a setup left: its foremost piece, the other end in front if it is turned round."""
    pieces = polygons(stock)
    if not pieces:
        return (), ()
    piece: Area = max(pieces, key=lambda p: p.bounds[2])
    if v.get("turned_round", True):
        piece = shapely.transform(piece, lambda p: p * np.array([-1.0, 1.0]))
    length = float(piece.bounds[2] - piece.bounds[0])
    if v.get("out", 0.0) >= length:
        said = show(length, units=units)
        text = f"What the setup before left is {said} long; it can't stand out by that much. Give less."
        return _outlines(piece), (Problem("out", text),)
    return _outlines(piece), ()


def held_well(held: Chucking, v: Values, units: Units) -> tuple[Problem, ...]:
    """Whether the jaws have enough of their diameter to grip."""
    front, jaws = held.blank[1], held.blank[1] - v.get("out", 0.0)
    whole = shapely.union_all([polygon(ring) for ring in held.section])
    strip = clipped(whole, jaws - v.get("grip", 0.0), held.flats - ON_JAWS_MM, jaws, held.flats + 1.0)
    grips = sum(p.bounds[2] - p.bounds[0] for p in shapely.get_parts(strip))
    if v.get("out", 0.0) >= front - held.blank[0] or grips >= LEAST_GRIP_MM:
        return ()
    text = f"The jaws have only {show(grips, units=units)} of Ø{show(2 * held.flats, units=units)} to grip. Let it stand out further or less far, or turn it round."
    return (Problem("out", text),)


def _outlines(area: Area) -> Section:
    return tuple(tuple((float(z), float(r)) for z, r in p.exterior.coords[:-1]) for p in polygons(area))
