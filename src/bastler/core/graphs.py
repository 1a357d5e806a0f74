"""Curves to be drawn."""

from __future__ import annotations

import math

from msgspec import Struct


class GraphCurve(Struct, frozen=True):
    """One curve: its label with the unit, the end of its scale, its points."""

    label: str
    top: float
    points: tuple[tuple[float, float], ...]


class Graph(Struct, frozen=True):
    """One or two curves over the same X, which runs from 0 to ``end``."""

    title: str
    x_label: str
    end: float
    curves: tuple[GraphCurve, ...]


def curve(label: str, points: list[tuple[float, float]]) -> GraphCurve:
    """Points with a scale that holds them."""
    return GraphCurve(label, nice(max(y for _, y in points)), tuple(points))


def nice(value: float) -> float:
    """The next round number for the end of a scale."""
    step = 10.0 ** math.floor(math.log10(max(value, 1e-3)))
    return next(k * step for k in (1.0, 2.0, 4.0, 6.0, 8.0, 10.0, 20.0) if k * step >= value)
