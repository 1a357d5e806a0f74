"""Depth, side step and feed of a milling cut, found together: what tool, material and spindle allow at once.

*Width*: how far the tool is in metal sideways, a_e of ISO 3002-3; *wrap*: the angle on its round that is in metal, cos φ = 1 − 2 a_e / D.
The table gives the depth of a full slot (``data/cutting.toml``). A narrower cut may be deeper: the force that bends the tool is
that of all edges in metal, so depth times wrap stays the same. The chip of an edge is h = f_z sin φ, up to half the
tool's width; the feed per tooth is the one that makes it the table's. A tool that stands out farther than usual bends by the
cube of it (a beam), and is allowed as much less. Power is at most :data:`POWER_SHARE` of what the spindle gives at that speed.
"""

from __future__ import annotations

import math

from msgspec import Struct

from bastler.core.quantities import Kind, Units, said, show
from bastler.core.tooling.cuttingdata import feed_per_tooth, tables
from bastler.core.tooling.machines import Machine
from bastler.core.tooling.materials import Material
from bastler.core.tooling.power import available, milling_power, thinning
from bastler.core.tooling.tools import Tool

POWER_SHARE = 0.8
"""A suggested cut takes at most this share of the spindle's power."""
THINNEST_CHIP_SHARE = 0.7
"""A suggested feed keeps at least this share of the table's chip: thinner ones rub."""
DEEPEST_DIAMETERS = 2.5
STIFF_DIAMETERS = 4.0
"""Tables hold for tools that stand out this many diameters."""
SHALLOW_MOST = 1.5
"""A cut much shallower than the table's may feed at most this much faster."""
WIDTHS = tuple(0.05 + 0.025 * k for k in range(31))
"""Widths that are tried, as shares of the diameter."""
LEVEL_COST = 0.03
"""What each further level is thought to cost, as a share of the time in metal: its way down."""
FINE_MM = 0.05
BACK_SHARE = 0.8
"""The way back from a half circle is its diameter, and the tool slows down and speeds up again at both ends."""


class Cut(Struct, frozen=True):
    """A milling cut: mm, mm/min; ``power`` its share of the spindle's at ``speed`` rev/min."""

    depth: float
    width: float
    speed: float
    feed: float
    power: float

    @property
    def rate(self) -> float:
        """Metal in mm³/min."""
        return self.depth * self.width * self.feed

    def reason(self, machine: Machine, units: Units) -> str:
        """``8 deep, 1.5 beside: 78 % of 4 kW at 5700/min``."""
        sizes = f"{show(self.depth, units=units, digits=2)} deep, {show(self.width, units=units, digits=2)} beside"
        has = said(available(machine, self.speed), Kind.NUMBER, units, 1)
        return f"{sizes}: {self.power * 100:.0f} % of {has} kW at {show(self.speed, digits=0)}/min"


def wrap(tool: Tool, width: float) -> float:
    """Angle on the tool's round that is in metal, radians."""
    return math.acos(max(1.0 - 2.0 * width / tool.diameter, -1.0))


def width_for(tool: Tool, angle: float) -> float:
    """The width at which an angle (radians) of the tool is in metal."""
    return tool.radius * (1.0 - math.cos(angle))


def stiffness(tool: Tool) -> float:
    """Share of the usual force that a tool's stick-out allows: a beam bends by the cube of its length."""
    return min((STIFF_DIAMETERS * tool.diameter / max(tool.stick_out, 1e-9)) ** 3, 1.0)


def slot_depth(tool: Tool, material: Material) -> float:
    """How deep it may go at its full width, mm."""
    if tool.kind == "face-mill":
        most = float(tables()["face_depth"][material.group])
    else:
        most = float(tables()["slot_depth"][material.group]) * tool.diameter
    return min(most * stiffness(tool), tool.flute_length)


def deepest(tool: Tool, material: Material, width: float) -> float:
    """How deep it may go at a width, mm."""
    if tool.kind == "face-mill":
        return slot_depth(tool, material)
    share = math.pi / max(wrap(tool, width), 1e-3)
    most = min(slot_depth(tool, material) * share, DEEPEST_DIAMETERS * tool.diameter)
    return min(most, tool.flute_length)


def shallow(tool: Tool, material: Material, depth: float) -> float:
    """By how much a cut shallower than the table's may feed faster: its chip is short, so its force is small."""
    return min((slot_depth(tool, material) / max(depth, 1e-6)) ** 0.25, SHALLOW_MOST) if depth > 0 else 1.0


def table_chip(tool: Tool, material: Material, depth: float) -> float:
    """Thickest chip that an edge may cut at a depth, mm."""
    return feed_per_tooth(tool, material) * max(shallow(tool, material, depth), 1.0)


def cut_at(
    tool: Tool, material: Material, machine: Machine, speed: float, depth: float, width: float, share: float = 1.0
) -> Cut:
    """The cut with the table's chip, or as much of it as power and machine allow; ``share``: of that feed at most."""
    width = min(width, tool.diameter)
    fz = table_chip(tool, material, depth) * thinning(tool, width) * share
    feed = min(fz * tool.flutes * speed, machine.feed_limit)
    has = max(available(machine, speed), 1e-9)
    need = milling_power(tool, material, depth, width, speed, feed)
    if need > has * POWER_SHARE:
        # power grows with feed to the power of 1 - mc
        feed *= (has * POWER_SHARE / need) ** (1 / (1 - material.mc))
        need = milling_power(tool, material, depth, width, speed, feed)
    return Cut(depth, width, speed, feed, need / has)


def best_cut(
    tool: Tool, material: Material, machine: Machine, speed: float, height: float, widest: float,
    slots: bool = False, depth: float | None = None, back: float = 0.0, width: float | None = None,
) -> Cut:  # fmt: skip
    """The cut that takes most metal from ``height`` mm at up to ``widest`` beside.

    ``slots``: somewhere on its way the tool is in metal all round, so that it may go no deeper than in a slot.
    ``depth``, ``width``: one that is given. ``back``: from each pass it goes back through air with this feed, mm/min.
    """
    found: list[tuple[float, Cut]] = []
    for share in WIDTHS if width is None else (width / tool.diameter,):
        wide = min(share * tool.diameter, widest)
        most = slot_depth(tool, material) if slots else deepest(tool, material, wide)
        most = min(most, height)
        first = max(math.ceil(height / max(most, 1e-3) - 1e-6), 1)
        for levels in [first, first + 1, first + 2] if depth is None else [first]:
            one = cut_at(tool, material, machine, speed, depth or height / levels, wide)
            full = table_feed(tool, material, machine, one)
            thin = min(one.feed / max(full * THINNEST_CHIP_SHARE, 1e-9), 1.0)
            fits = 1.0 if depth is None or depth <= most + 1e-6 else most / depth
            air = 1 + BACK_SHARE * one.feed / back if back else 1.0
            found.append((one.rate / air * thin**2 * fits**4 / (1 + LEVEL_COST * (levels - 1)), one))
        if wide >= widest:
            break
    return max(found, key=lambda f: f[0])[1]


def table_feed(tool: Tool, material: Material, machine: Machine, cut: Cut) -> float:
    """Feed at the table's whole chip, as far as the machine feeds."""
    fz = table_chip(tool, material, cut.depth) * thinning(tool, cut.width)
    return min(fz * tool.flutes * cut.speed, machine.feed_limit)


def rounded_up(depth: float) -> float:
    """A depth as it is written, never so little less that one more level would be needed."""
    return math.ceil(depth * 100 - 0.01) / 100


def rounded_down(width: float) -> float:
    """A side step as one would say it."""
    return max(math.floor(width / FINE_MM + 0.01) * FINE_MM, min(width, FINE_MM))
