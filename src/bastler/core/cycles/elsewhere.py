"""Where a step is, and the same step elsewhere as a person would type it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from bastler.core.fields import Answers, Field, Values, typed_text
from bastler.core.geometry.path import Point, path_bounds
from bastler.core.geometry.placement import Placement
from bastler.core.planning.patterns import NAMED_FIELDS, used
from bastler.core.problems import Unusable
from bastler.core.quantities import Kind, Units, evaluate, parse_points

if TYPE_CHECKING:
    from bastler.core.planning.work import Work

MIDDLES = (("centre_x", "centre_y"), ("first_x", "first_y"))
PATTERN_KEYS = frozenset(f.key for f in NAMED_FIELDS)


def place_of(typed: Mapping[str, str], work: Work) -> Point | None:
    """The middle (of its contour, if it follows one) or the first hole of a typed step in mm, as far as it says."""
    named = work.patterns.get(typed.get("pattern", ""))
    contour = work.contours.get(typed.get("contour", ""))
    if contour is not None:
        if contour.path is None:
            return None
        x0, x1, y0, y1 = path_bounds(contour.path)
        return ((x0 + x1) / 2, (y0 + y1) / 2)
    try:
        if named is not None:
            return named.used[0] if named.used else None
        for x, y in MIDDLES:
            if typed.get(x) and typed.get(y):
                return (evaluate(typed[x], Kind.LENGTH, work.units), evaluate(typed[y], Kind.LENGTH, work.units))
        points = parse_points(typed.get("points", ""), work.units)
    except Unusable:
        return None
    return points[0] if points else None


def frozen(fields: tuple[Field, ...], answers: Answers, units: Units) -> dict[str, str]:
    """All answers as typed texts, those that were suggested too."""
    return {
        f.key: typed_text(f, value, units)
        for f in fields
        if f.key not in answers.hidden and (value := answers.values.get(f.key)) is not None
    }


def elsewhere(
    fields: tuple[Field, ...], values: Values, typed: dict[str, str], where: Placement, units: Units
) -> dict[str, str]:
    """Typed answers of the same step at another place: middles, angles and holes moved, patterns as points."""
    by_key = {f.key: f for f in fields}
    result = dict(typed)
    if "pattern" in by_key:
        result = {k: t for k, t in typed.items() if k not in PATTERN_KEYS}
        result["points"] = typed_text(by_key["points"], [where.point(p) for p in used(values)], units)
        return result
    for x, y in MIDDLES:
        if x in by_key and values.get(x) is not None and values.get(y) is not None:
            at = where.point((values.get(x), values.get(y)))
            result[x], result[y] = typed_text(by_key[x], at[0], units), typed_text(by_key[y], at[1], units)
    if "angle" in by_key and values.get("angle") is not None:
        result["angle"] = typed_text(by_key["angle"], (where.turn(values.angle) + 180.0) % 360.0 - 180.0, units)
    return result
