"""Cutting data of every kind of tool: speed and feed to start with, from the material's row and ``data/cutting.toml``."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache

from msgspec import Struct

from bastler.core.data import DATA, Table, table
from bastler.core.tooling.materials import Material
from bastler.core.tooling.owndata import own_for
from bastler.core.tooling.tools import Tool

LARGEST_FEED_PER_TOOTH_MM = 0.25
LARGEST_FEED_PER_REV_MM = 0.4


@lru_cache(maxsize=1)
def tables() -> Table:
    """``data/cutting.toml``."""
    return table(DATA / "cutting.toml")


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


COATINGS = {("carbide", "bare"): 0.75, ("hss", "coated"): 1.3}
"""Cutting speed beside the tables', which take carbide as coated and high-speed steel as bare: usual shares for TiN and TiAlN."""


def coating_share(tool: Tool) -> float:
    """What a coating, or its lack, changes of the cutting speed."""
    return COATINGS.get((tool.material, tool.coating), 1.0)


def cutting_speed(tool: Tool, material: Material) -> float:
    """Cutting speed to start with, m/min: one's own, else the table's."""
    own = own_for(tool, material)
    if own is not None and own.speed is not None:
        return float(own.speed)
    way = WAYS[tool.kind]
    table = material.vc_drill if way.table == "drill" else material.vc_mill
    return table[tool.material] * way.speed * coating_share(tool)


def feed_per_tooth(tool: Tool, material: Material) -> float:
    """Feed per tooth to start with, mm (per edge of a drill too): by the table of its kind, else by the material's row."""
    mine = own_for(tool, material)
    if mine is not None and mine.feed is not None:
        return float(mine.feed)
    own = tables()
    if tool.kind in own["tooth"]:
        return float(own["tooth"][tool.kind][material.group])
    if tool.kind in own["turn"]:
        return float(own["turn"][tool.kind][material.group]) / tool.flutes
    if tool.kind in own["share"]:
        return float(own["share"][tool.kind][material.group]) * tool.diameter / tool.flutes
    way = WAYS[tool.kind]
    if way.table == "drill":
        return min(material.f_drill * tool.diameter * way.feed, LARGEST_FEED_PER_REV_MM) / tool.flutes
    return min(material.fz_mill * tool.diameter * way.feed, LARGEST_FEED_PER_TOOTH_MM)
