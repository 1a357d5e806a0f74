"""Paths of a drawing as contours and patterns of a job, their facts typed in the job's units."""

from __future__ import annotations

import math

from bastler.core.geometry.contour.facts import MOST_ELEMENTS
from bastler.core.geometry.path import Arc, Path, Point
from bastler.core.job.document import ContourRecord, ElementRecord, PatternRecord
from bastler.core.quantities import Units, show

DIGITS = 6


def typed_length(value: float, units: Units) -> str:
    """Millimetres as a person would type them in a job's units."""
    return show(value, units=units, digits=DIGITS)


def contour_of(path: Path, name: str, zero: Point, units: Units) -> ContourRecord | None:
    """A path as a contour whose facts are end points and centres; ``None`` if it has too many elements."""
    if len(path.elements) > MOST_ELEMENTS:
        return None

    def x(p: Point) -> str:
        return typed_length(p[0] - zero[0], units)

    def y(p: Point) -> str:
        return typed_length(p[1] - zero[1], units)

    first = path.elements[0]
    if len(path.elements) == 1 and isinstance(first, Arc) and math.dist(first.end, path.start) < 1e-9:
        wide = typed_length(2 * math.dist(first.centre, path.start), units)
        values = {"shape": "circle", "centre_x": x(first.centre), "centre_y": y(first.centre), "diameter": wide}
        return ContourRecord(name=name, values=values)
    closed = math.dist(path.start, path.end) < 1e-9
    elements = []
    for e in path.elements:
        facts = {"x": x(e.end), "y": y(e.end)}
        if isinstance(e, Arc):
            facts |= {"cx": x(e.centre), "cy": y(e.centre)}
        way = "" if not isinstance(e, Arc) else "ccw" if e.ccw else "cw"
        elements.append(ElementRecord(type="arc" if way else "line", dir=way, facts=facts))  # type: ignore[arg-type]
    values = {"start_x": x(path.start), "start_y": y(path.start), "closed": "yes" if closed else "no"}
    return ContourRecord(name=name, values=values, elements=tuple(elements))


def pattern_of(centres: list[Point], name: str, zero: Point, units: Units) -> PatternRecord:
    """Centres of circles as a pattern of points."""
    points = "; ".join(f"{typed_length(p[0] - zero[0], units)}, {typed_length(p[1] - zero[1], units)}" for p in centres)
    return PatternRecord(name=name, values={"pattern": "points", "points": points})
