"""Curves to be drawn: what a spindle gives, what a material asks for."""

from __future__ import annotations

import math

from msgspec import Struct

from bastler.core.tooling.machines import Machine
from bastler.core.tooling.materials import Material
from bastler.core.tooling.power import cutting_force

SAMPLES = 120
THICKEST_CHIP_MM = 0.4


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


def _curve(label: str, points: list[tuple[float, float]]) -> GraphCurve:
    return GraphCurve(label, nice(max(y for _, y in points)), tuple(points))


def machine_graph(m: Machine) -> Graph:
    """Power and torque over the spindle's speed."""
    speeds = [m.spindle.highest * i / SAMPLES for i in range(1, SAMPLES + 1)]
    power = _curve("Power, kW", [(n, m.spindle.power(n)) for n in speeds])
    torque = _curve("Torque, Nm", [(n, m.spindle.torque(n)) for n in speeds])
    return Graph("Power and torque of the spindle", "Spindle speed, 1/min", m.spindle.highest, (power, torque))


def material_graph(m: Material) -> Graph:
    """Specific cutting force over the thickness of the chip, after Kienzle."""
    chips = [THICKEST_CHIP_MM * i / SAMPLES for i in range(2, SAMPLES + 1)]
    force = _curve("Cutting force, N/mm²", [(h, cutting_force(m, h)) for h in chips])
    return Graph("Specific cutting force of the material", "Thickness of the chip, mm", THICKEST_CHIP_MM, (force,))


def nice(value: float) -> float:
    """The next round number for the end of a scale."""
    step = 10.0 ** math.floor(math.log10(max(value, 1e-3)))
    return next(k * step for k in (1.0, 2.0, 4.0, 6.0, 8.0, 10.0, 20.0) if k * step >= value)
