"""Start values for speed and feed from material and tool, each with its reason.

n = 1000 vc / (π D) and vf = n z fz, the definitions of DIN 6580.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

from msgspec import Struct

from bastler.core.fields import Suggestion
from bastler.core.quantities import Kind, Units, said, show
from bastler.core.tooling.machines import Machine
from bastler.core.tooling.materials import Material
from bastler.core.tooling.power import available, milling_power, thinning
from bastler.core.tooling.tools import Tool

LARGEST_FEED_PER_TOOTH_MM = 0.25
LARGEST_FEED_PER_REV_MM = 0.4
PLUNGE_SHARE = 0.3
FULL_WIDTH_SHARE = 0.6
POWER_SHARE = 0.8
"""A suggested feed takes at most this share of the spindle's power."""


class Way(Struct, frozen=True):
    """How a kind of tool cuts, against the table values of mills or drills: shares of speed and of feed."""

    table: str
    speed: float
    feed: float


WAYS: Mapping[str, Way] = {
    "face-mill": Way("mill", 1.0, 0.35),
    "end-mill": Way("mill", 1.0, 1.0),
    "ball-mill": Way("mill", 1.0, 0.8),
    "taper-mill": Way("mill", 0.9, 0.7),
    "chamfer-mill": Way("mill", 0.9, 0.6),
    "thread-mill": Way("mill", 0.8, 0.5),
    "boring-bar": Way("mill", 0.7, 0.2),
    "drill": Way("drill", 1.0, 1.0),
    "insert-drill": Way("drill", 1.6, 0.3),
    "spot-drill": Way("drill", 0.9, 0.6),
    "centre-drill": Way("drill", 0.8, 0.4),
    "countersink": Way("drill", 0.5, 0.5),
    "reamer": Way("drill", 0.4, 1.2),
    "tap": Way("drill", 0.4, 1.0),
}
"""Shares by kind: rules of thumb of the trade, on top of the material table."""


def cutting_speed(tool: Tool, material: Material) -> float:
    """Cutting speed to start with, m/min."""
    way = WAYS[tool.kind]
    table = material.vc_drill if way.table == "drill" else material.vc_mill
    return table[tool.material] * way.speed


def feed_per_tooth(tool: Tool, material: Material) -> float:
    """Feed per tooth to start with, mm (per edge of a drill too)."""
    way = WAYS[tool.kind]
    if way.table == "drill":
        return min(material.f_drill * tool.diameter * way.feed, LARGEST_FEED_PER_REV_MM) / tool.flutes
    return min(material.fz_mill * tool.diameter * way.feed, LARGEST_FEED_PER_TOOTH_MM)


def suggest_speed(tool: Tool, material: Material, machine: Machine, units: Units = "mm") -> Suggestion:
    """Spindle speed in rev/min, within the machine's range."""
    vc = cutting_speed(tool, material)
    wanted = 1000 * vc / (math.pi * tool.diameter)
    speed = min(max(wanted, machine.lowest_speed), machine.highest_speed)
    reason = f"{said(vc, Kind.CUTTING_SPEED, units, 0)} in {material.name}"
    if speed < wanted:
        reason += f", held to the machine's {show(speed)}/min"
    return Suggestion(show(_round(speed), digits=0), reason)


def suggest_feed(
    tool: Tool, material: Material, machine: Machine, speed: float, share: float = 1.0, units: Units = "mm"
) -> Suggestion:
    """Feed in mm/min at ``speed`` rev/min, within the machine's limit."""
    fz = feed_per_tooth(tool, material) * share
    feed = speed * tool.flutes * fz
    reason = f"{said(fz, units=units)} per edge × {tool.flutes} at {show(speed, digits=0)}/min"
    if feed > machine.feed_limit:
        feed, reason = machine.feed_limit, reason + ", held to the machine's limit"
    return Suggestion(show(_round(feed), digits=0), reason)


def suggest_milling_feed(
    tool: Tool, material: Material, machine: Machine, speed: float, depth: float, width: float, units: Units = "mm"
) -> Suggestion:
    """Feed of a mill whose cut is ``depth`` by ``width``: more for thin chips, less where power runs out."""
    plain = suggest_feed(tool, material, machine, speed, factor := thinning(tool, width), units)
    feed, reason = float(plain.text), plain.reason
    if factor > 1.05:
        reason += f"; {factor:.1f} × for the narrow side step"
    has = available(machine, speed) * POWER_SHARE
    need = milling_power(tool, material, depth, width, speed, feed)
    if need > has:
        # power grows with feed to the power of 1 - mc
        feed *= (has / need) ** (1 / (1 - material.mc))
        reason += f"; held to {POWER_SHARE * 100:.0f} % of the spindle's power"
    return Suggestion(show(_round(feed), digits=0), reason)


def _round(value: float) -> float:
    """To two figures and a half, as one would say it: 5730 → 5700, 342 → 340."""
    step = 10.0 ** max(math.floor(math.log10(max(value, 1.0))) - 1, 0)
    return max(math.floor(value / step) * step, 1.0)
