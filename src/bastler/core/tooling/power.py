"""Cutting power from material, tool and engagement, after Kienzle.

k_c = k_c1.1 h^-m_c with the mean chip thickness h. Milling (VDI 3323 terms): h = f_z √(a_e/D) for a cut up to half
the diameter, P = a_p a_e v_f k_c / 60e6 kW. Drilling: h = f/2 sin(κ), P = f v_c D k_c / 240e3 kW. Spindle
power is that by the efficiency of the drive. All lengths mm, feeds mm/min, speeds 1/min.
"""

from __future__ import annotations

import math

from bastler.core.tooling.machines import Machine
from bastler.core.tooling.materials import Material
from bastler.core.tooling.tools import Tool

EFFICIENCY = 0.8
THINNEST_CHIP_MM = 0.003
MOST_THINNING = 2.5
"""Feed per tooth is raised at most by this factor for narrow side steps."""


def cutting_force(material: Material, chip: float) -> float:
    """Specific cutting force in N/mm² for a chip thickness in mm."""
    return float(material.kc11 * max(chip, THINNEST_CHIP_MM) ** -material.mc)


def milling_power(tool: Tool, material: Material, depth: float, width: float, speed: float, feed: float) -> float:
    """Spindle power in kW of a cut ``depth`` deep and ``width`` wide."""
    width = min(width, tool.diameter)
    per_tooth = feed / max(speed * tool.flutes, 1e-9)
    chip = per_tooth * math.sqrt(width / tool.diameter) if width > 0 else per_tooth
    return depth * width * feed * cutting_force(material, chip) / 60e6 / EFFICIENCY


def drilling_power(tool: Tool, material: Material, speed: float, feed: float) -> float:
    """Spindle power in kW of a drill in the full."""
    per_rev = feed / max(speed, 1e-9)
    half_point = math.radians(min(tool.point_angle, 178.0) / 2)
    chip = per_rev / max(tool.flutes, 1) * math.sin(half_point)
    speed_m = math.pi * tool.diameter * speed / 1000
    return per_rev * speed_m * tool.diameter * cutting_force(material, chip) / 240e3 / EFFICIENCY


def available(machine: Machine, speed: float) -> float:
    """Power in kW that the spindle gives at a speed, by its torque and by its power."""
    return min(machine.spindle.power(speed), machine.spindle.torque(speed) * speed / 9549.3)


def thinning(tool: Tool, width: float) -> float:
    """By how much the feed per tooth may rise because a narrow cut makes thin chips; 1 from half the diameter on."""
    share = min(max(width / tool.diameter, 1e-3), 0.5)
    return min(1.0 / (2.0 * math.sqrt(share * (1.0 - share))), MOST_THINNING)


def times_power(share: float) -> str:
    """A share of the spindle's power in words: ``120 % of the spindle's power``, ``10 times the spindle's power``."""
    return f"{share:.0f} times the spindle's power" if share >= 2 else f"{share * 100:.0f} % of the spindle's power"
