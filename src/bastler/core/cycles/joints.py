"""Where the pass along walls begins and ends: near a place that the person chose, or where there is most room."""

from __future__ import annotations

from collections.abc import Callable

from bastler.core.fields import Field, Values
from bastler.core.geometry.path import Point
from bastler.core.geometry.placement import Placement
from bastler.core.problems import Problem
from bastler.core.quantities import Kind

KEY = "joint"


def joint_field(shown: Callable[[Values], bool]) -> Field:
    """The place, which may stay empty."""
    question = "Near which point, X, Y, does the pass along the walls begin and end? Empty: where there is most room."
    return Field(KEY, "Walls begin near", "Entry", Kind.POINTS, question, optional=True, shown=shown)


def joint_of(v: Values, place: Placement | None = None) -> Point | None:
    """The place that was chosen, as it looks from a feature's own frame."""
    chosen = v.get(KEY) or ()
    if not chosen:
        return None
    return place.inverse().point(chosen[0]) if place else (float(chosen[0][0]), float(chosen[0][1]))


def joint_problems(v: Values) -> list[Problem]:
    """More than one place can't be it."""
    if len(v.get(KEY) or ()) > 1:
        return [Problem(KEY, "The pass along a wall begins at one place only. Give one point, X, Y.")]
    return []
