"""Depth and feed of a roughing cut on a lathe, found together: as few passes as the tool's depth, its force and the spindle's power allow.

Passes are equally deep. Cutting power P = a f v_c k_c / 60 000 kW with k_c = k_c1.1 f^-m_c (Kienzle), by the drive's efficiency that of the spindle; force goes with the
chip's area a f. A pass may be a little deeper than usual, if it feeds as much less; where the power of the whole feed is missing, it feeds less, or there is a pass more.
"""

from __future__ import annotations

import math
from collections.abc import Callable

from msgspec import Struct

from bastler.core.cycles.lathefields import turning_feed
from bastler.core.cycles.loading import own_value
from bastler.core.fields import Suggest, Suggestion, Unanswered, Values
from bastler.core.planning.work import Work
from bastler.core.quantities import Kind, said, show
from bastler.core.tooling.cutting import POWER_SHARE, THINNEST_CHIP_SHARE, rounded_up
from bastler.core.tooling.power import EFFICIENCY, available, cutting_force
from bastler.core.tooling.tools import Tool

DEPTH_SHARE_OF_EDGE, DEEPEST_MM, SHALLOWEST_MM = 0.2, 2.5, 0.5
BAR_SHARE, DEEPEST_BORE_MM = 0.12, 1.5
DEEPER_SHARE = 1.1
"""A pass may be so many times the usual depth, if that spares one."""
MOST_MORE_PASSES = 6


class Roughing(Struct, frozen=True):
    """A pass: mm, mm per turn, its share of the spindle's power at ``speed`` rev/min, and how many are alike."""

    depth: float
    feed: float
    power: float
    speed: float
    count: int


def depth_of(tool: Tool) -> float:
    """Depth of a roughing cut to start with, mm."""
    if tool.kind == "boring-tool":
        return round(min(BAR_SHARE * tool.diameter, DEEPEST_BORE_MM), 1)
    return min(DEEPEST_MM, max(round(DEPTH_SHARE_OF_EDGE * tool.shank_diameter / 2, 1), SHALLOWEST_MM))


def cut_at(v: Values, w: Work, depth: float, feed: float, count: int = 1) -> Roughing:
    """A pass with a feed, or as much of it as force and power allow at the stock's diameter."""
    feed *= min(depth_of(v.tool) / depth, 1.0)
    across = 2 * w.lathe.stock.bounds[3] if not w.lathe.stock.is_empty else 1.0
    if v.get("speed_by", "rev") == "surface":
        speed = min(1000 * v.cutting_speed / (math.pi * across), v.get("speed_limit") or w.lathe.limit)
    else:
        speed = v.speed
    surface, has = math.pi * across * speed / 1000, max(available(w.machine, speed), 1e-9)

    def power(f: float) -> float:
        return float(depth * f * surface * cutting_force(w.material, f) / 60_000 / EFFICIENCY / has)

    if (most := power(feed)) > POWER_SHARE:
        feed *= (POWER_SHARE / most) ** (1 / (1 - w.material.mc))
    return Roughing(depth, feed, power(feed), speed, count)


def best(v: Values, w: Work, metal: float) -> Roughing:
    """The passes of ``metal`` mm that take least time."""
    own = own_value(v, w, "feed")
    given = v.ahead("feed") or (float(own.text) if own is not None else None)
    feed = given or turning_feed(v.tool, w)
    fewest = max(math.ceil(metal / (DEEPER_SHARE * depth_of(v.tool)) - 1e-6), 1)
    tried = [cut_at(v, w, metal / n, feed, n) for n in range(fewest, fewest + MOST_MORE_PASSES)]
    least = feed - 1e-9 if given else THINNEST_CHIP_SHARE * feed
    whole = [one for one in tried if one.feed >= least] or tried[-1:]
    return min(whole, key=lambda one: (one.count / one.feed, one.count))


def suggest_depth(metal: Callable[[Values, Work], float]) -> Suggest:
    """Depth of a pass; ``metal``: how thick it stands over what is cut, mm."""

    def suggest(v: Values, w: Work) -> Suggestion:
        if (mine := own_value(v, w, "depth")) is not None:
            return mine
        try:
            thick = metal(v, w)
        except Unanswered:
            thick = 0.0
        one = best(v, w, thick if thick > 1e-3 else depth_of(v.tool))
        depth = rounded_up(one.depth)
        if one.power > POWER_SHARE - 0.01:
            return Suggestion(show(depth), f"{show(depth, units=w.units)} deep, {_said(one, w)}")
        return Suggestion(show(depth), f"{one.count} equal passes" if one.count > 1 else "by the size of tool and bar")

    return suggest


def _said(one: Roughing, w: Work) -> str:
    """``0.32 per turn: 80 % of 4 kW at 1150/min``."""
    has = said(available(w.machine, one.speed), Kind.NUMBER, w.units, 1)
    feed = show(one.feed, units=w.units, digits=2 if w.units == "mm" else 4)
    return f"{feed} per turn: {one.power * 100:.0f} % of {has} kW at {show(one.speed, digits=0)}/min"


def suggest_feed(table: Suggest) -> Suggest:
    """The table's feed, or as much of it as the depth of a pass leaves force and power for."""

    def suggest(v: Values, w: Work) -> Suggestion | None:
        usual, depth = table(v, w), v.get("depth_per_pass")
        if usual is None or not depth or own_value(v, w, "feed") is not None:
            return usual
        one = cut_at(v, w, depth, turning_feed(v.tool, w))
        if one.feed >= float(usual.text):
            return usual
        return Suggestion(
            show(math.floor(1000 * one.feed) / 1000), f"{show(depth, units=w.units)} deep, {_said(one, w)}"
        )

    return suggest
