"""Start values for speed and feed from material and tool, each with its reason.

n = 1000 vc / (π D) and vf = n z fz, the definitions of DIN 6580.
"""

from __future__ import annotations

import math

from bastler.core.fields import Suggestion
from bastler.core.quantities import show
from bastler.core.tooling.machines import Machine
from bastler.core.tooling.materials import Material
from bastler.core.tooling.tools import Tool

LARGEST_FEED_PER_TOOTH_MM = 0.25
FACE_MILL_FEED_PER_TOOTH_SHARE = 0.35
PLUNGE_SHARE = 0.3
FULL_WIDTH_SHARE = 0.6


def cutting_speed(tool: Tool, material: Material) -> float:
    """Cutting speed to start with, m/min."""
    table = material.vc_drill if tool.kind == "drill" else material.vc_mill
    return table[tool.material]


def feed_per_tooth(tool: Tool, material: Material) -> float:
    """Feed per tooth to start with, mm (per edge of a drill too)."""
    if tool.kind == "drill":
        return min(material.f_drill * tool.diameter, 0.4) / tool.flutes
    share = FACE_MILL_FEED_PER_TOOTH_SHARE if tool.kind == "face-mill" else 1.0
    return min(material.fz_mill * tool.diameter * share, LARGEST_FEED_PER_TOOTH_MM)


def suggest_speed(tool: Tool, material: Material, machine: Machine) -> Suggestion:
    """Spindle speed in rev/min, within the machine's range."""
    vc = cutting_speed(tool, material)
    wanted = 1000 * vc / (math.pi * tool.diameter)
    speed = min(max(wanted, machine.lowest_speed), machine.highest_speed)
    reason = f"{show(vc, digits=0)} m/min in {material.name}"
    if speed < wanted:
        reason += f", held to the machine's {show(speed)}/min"
    return Suggestion(show(_round(speed), digits=0), reason)


def suggest_feed(tool: Tool, material: Material, machine: Machine, speed: float) -> Suggestion:
    """Feed in mm/min at ``speed`` rev/min, within the machine's limit."""
    fz = feed_per_tooth(tool, material)
    feed = speed * tool.flutes * fz
    reason = f"{show(fz)} mm per edge × {tool.flutes} at {show(speed, digits=0)}/min"
    if feed > machine.feed_limit:
        feed, reason = machine.feed_limit, reason + ", held to the machine's limit"
    return Suggestion(show(_round(feed), digits=0), reason)


def _round(value: float) -> float:
    """To two figures and a half, as one would say it: 5730 → 5700, 342 → 340."""
    step = 10.0 ** max(math.floor(math.log10(max(value, 1.0))) - 1, 0)
    return max(math.floor(value / step) * step, 1.0)
