"""Start values for speed and feed from material and tool, each with its reason.

n = 1000 vc / (π D) and vf = n z fz, the definitions of DIN 6580.
"""

from __future__ import annotations

import math
from typing import Protocol

from bastler.core.fields import Suggestion
from bastler.core.quantities import Kind, Units, said, show
from bastler.core.tooling.cutting import POWER_SHARE, Cut, cut_at
from bastler.core.tooling.cuttingdata import cutting_speed, feed_per_tooth
from bastler.core.tooling.machines import Machine
from bastler.core.tooling.materials import Material
from bastler.core.tooling.owndata import own_for, said_own
from bastler.core.tooling.power import available, drilling_power
from bastler.core.tooling.tools import Tool

PLUNGE_SHARE = 0.3
DRILLS = ("drill", "insert-drill")
FULL_WIDTH_SHARE = 0.6


class FedFor(Protocol):
    """What a feed is said for."""

    @property
    def units(self) -> Units:
        """The job's."""

    @property
    def material(self) -> Material:
        """What is cut."""

    @property
    def machine(self) -> Machine:
        """Where."""


def suggest_speed(tool: Tool, material: Material, machine: Machine, units: Units = "mm") -> Suggestion:
    """Spindle speed in rev/min, within the machine's range."""
    vc = cutting_speed(tool, material)
    wanted = 1000 * vc / (math.pi * tool.diameter)
    speed = min(max(wanted, machine.spindle.lowest), machine.spindle.highest)
    own = own_for(tool, material)
    where = said_own(tool, material) if own is not None and own.speed is not None else f"in {material.name}"
    reason = f"{said(vc, Kind.CUTTING_SPEED, units, 0)} {where}"
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
    if tool.kind in DRILLS:
        has = available(machine, speed) * POWER_SHARE
        need = drilling_power(tool, material, speed, feed)
        if need > has:
            feed *= (has / need) ** (1 / (1 - material.mc))
            reason = f"{said(feed / max(speed * tool.flutes, 1e-9), units=units)} per edge × {tool.flutes} at {show(speed, digits=0)}/min; held to {POWER_SHARE * 100:.0f} % of the spindle's power"
    if feed > machine.feed_limit:
        feed, reason = machine.feed_limit, reason + ", held to the machine's limit"
    return Suggestion(show(_round(feed), digits=0), reason)


def suggest_milling_feed(
    tool: Tool, material: Material, machine: Machine, speed: float, depth: float, width: float, units: Units = "mm"
) -> Suggestion:
    """Feed of a mill whose cut is ``depth`` by ``width``: more for thin and for short chips, less where power runs out."""
    cut = cut_at(tool, material, machine, speed, depth, width)
    plain = feed_per_tooth(tool, material) * tool.flutes * speed
    feed = _round(cut.feed)
    reason = f"{said(feed / max(speed * tool.flutes, 1e-9), units=units)} per edge × {tool.flutes} at {show(speed, digits=0)}/min"
    if cut.feed > machine.feed_limit * 0.999:
        reason += ", held to the machine's limit"
    elif cut.power > POWER_SHARE * 0.99:
        reason += f"; held to {POWER_SHARE * 100:.0f} % of the spindle's power"
    elif cut.feed > 1.05 * plain:
        reason += f"; {cut.feed / plain:.1f} × for the thin chip"
    return Suggestion(show(feed, digits=0), reason)


def said_feed(cut: Cut, tool: Tool, w: FedFor, what: str = "", share: float = 1.0) -> Suggestion:
    """The feed of a cut as one would say it, with what it is per edge."""
    feed = _round(cut.feed * share)
    fz = feed / max(cut.speed * tool.flutes, 1e-9)
    reason = f"{said(fz, units=w.units)} per edge × {tool.flutes} at {show(cut.speed, digits=0)}/min"
    own = own_for(tool, w.material)
    if own is not None and own.feed is not None:
        reason += f", {said_own(tool, w.material)}"
    elif what:
        reason += f", {what}"
    if cut.feed > w.machine.feed_limit * 0.999:
        reason += ", held to the machine's limit"
    elif cut.power > POWER_SHARE * 0.99:
        reason += f"; held to {POWER_SHARE * 100:.0f} % of the spindle's power"
    return Suggestion(show(feed, digits=0), reason)


def _round(value: float) -> float:
    """To two figures and a half, as one would say it: 5730 → 5700, 342 → 340."""
    step = 10.0 ** max(math.floor(math.log10(max(value, 1.0))) - 1, 0)
    return max(math.floor(value / step) * step, 1.0)
