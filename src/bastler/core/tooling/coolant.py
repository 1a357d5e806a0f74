"""Coolant: what a machine has, what a tool and a material ask for.

*Way*: ``flood``, ``mist``, ``air``, ``through`` the tool, or ``off``. Suggested by the usual advice of textbooks: cast iron and hardened steel dry with air, plastics
with air, all else flooded; a tool that is made for it through the tool.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from bastler.core.tooling.materials import Material

if TYPE_CHECKING:
    from bastler.core.tooling.tools import Tool


WAYS = (("flood", "Flood"), ("mist", "Mist"), ("air", "Air"), ("through", "Through the tool"), ("off", "Off"))
MEANINGS = {
    "flood": "coolant",
    "mist": "mist",
    "air": "coolant_air",
    "through": "coolant_through",
    "off": "coolant_off",
}
"""The meaning of each way in the readings of controls."""
DRY_GROUPS = ("K", "H")
PLASTIC_DENSITY = 2.0
"""Lighter materials are plastics, kg/dm³."""


def suggested(tool: Tool, material: Material, has: Sequence[str]) -> tuple[str, str]:
    """A way that the machine has, and why."""
    if tool.coolant:
        way, why = tool.coolant, f"as {tool.name} wants it"
    elif material.group in DRY_GROUPS or material.density < PLASTIC_DENSITY:
        way, why = "air", f"{material.name} is cut dry"
    else:
        way, why = "flood", f"usual in {material.name}"
    if way == "off" or way in has:
        return way, why
    if way == "air":
        return "off", f"{why}, and the machine has no air"
    other = next((w for w in ("flood", "mist", "air") if w in has), "off")
    return other, f"the machine has no {dict(WAYS)[way].lower()}"
