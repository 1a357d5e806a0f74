"""What a spindle gives and what a material asks for, as curves to be drawn."""

from __future__ import annotations

from bastler.core.graphs import Graph, curve
from bastler.core.tooling.machines import Machine
from bastler.core.tooling.materials import Material
from bastler.core.tooling.power import cutting_force

SAMPLES = 120
THICKEST_CHIP_MM = 0.4


def machine_graph(m: Machine) -> Graph:
    """Power and torque over the spindle's speed."""
    speeds = [m.spindle.highest * i / SAMPLES for i in range(1, SAMPLES + 1)]
    power = curve("Power, kW", [(n, m.spindle.power(n)) for n in speeds])
    torque = curve("Torque, Nm", [(n, m.spindle.torque(n)) for n in speeds])
    return Graph("Power and torque of the spindle", "Spindle speed, 1/min", m.spindle.highest, (power, torque))


def material_graph(m: Material) -> Graph:
    """Specific cutting force over the thickness of the chip, after Kienzle."""
    chips = [THICKEST_CHIP_MM * i / SAMPLES for i in range(2, SAMPLES + 1)]
    force = curve("Cutting force, N/mm²", [(h, cutting_force(m, h)) for h in chips])
    return Graph("Specific cutting force of the material", "Thickness of the chip, mm", THICKEST_CHIP_MM, (force,))
