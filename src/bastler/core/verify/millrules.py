"""What the tool table says against a mill's text, whoever wrote it: which tool may go how, and where it is changed."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bastler.core.gcode.motion import ARC, CHANGE, FEED
from bastler.core.quantities import show
from bastler.core.tooling.tools import Tool
from bastler.core.verify.plausible import CUTS_MM3, dwells, feeds, wrong_turns
from bastler.core.verify.taps import taps
from bastler.core.verify.verdict import Verdict

ONLY_DOWN = ("drill", "insert-drill", "centre-drill", "reamer", "tap", "boring-bar")
"""Tools that can't cut sideways."""
MILLS = ("face-mill", "end-mill", "ball-mill", "taper-mill", "thread-mill")
RAMPERS = ("end-mill", "ball-mill", "taper-mill", "face-mill")
SIDEWAYS_MM = 0.05
CORE_MM = 0.05
"""Metal on a tool's axis of which less is rounding."""
RAMP_MARGIN_DEG = 0.3


@dataclass(frozen=True)
class Effects:
    """Per move of a program: mm³ removed, and metal on the axis where a falling move ends; holes that taps found; the cells they were measured in."""

    removed: NDArray[np.float64]
    cores: NDArray[np.float64]
    tap_radii: Mapping[int, float]
    cell: float


def rules(judge: Verdict, did: Effects) -> None:
    """Every rule over the whole program."""
    m = judge.motion
    cutting = (m.kind == FEED) | (m.kind == ARC)
    cuts = cutting & (did.removed > CUTS_MM3)
    tapping = np.isin(m.tool, [n for n, t in judge.plan.tools.items() if t.kind == "tap"])
    falling = m.end[:, 2] < m.start[:, 2] - 1e-9
    wrong_turns(judge, cuts & (~tapping | falling))
    feeds(judge, cuts)
    dwells(judge)
    _empty_spindle(judge, cutting)
    _sideways(judge, cuts)
    _down(judge, did, cutting & falling)
    taps(judge, did.tap_radii, did.cell)
    _changes(judge)


def _empty_spindle(judge: Verdict, cutting: NDArray[np.bool_]) -> None:
    moves = np.flatnonzero(cutting & (judge.motion.tool == 0))
    if len(moves):
        text = "No tool is in the spindle, so nothing is cut here. Call one by T and M6 before."
        judge.add("unknown-tool", "stop", text, int(moves[0]))


def _of(judge: Verdict, kinds: tuple[str, ...]) -> list[tuple[int, Tool]]:
    return [(n, t) for n, t in judge.plan.tools.items() if t.kind in kinds]


def _sideways(judge: Verdict, cuts: NDArray[np.bool_]) -> None:
    m = judge.motion
    aside = np.hypot(*(m.end - m.start)[:, :2].T) + np.where(m.kind == ARC, m.lengths(), 0.0)
    for number, tool in _of(judge, ONLY_DOWN):
        moves = np.flatnonzero(cuts & (m.tool == number) & (aside > SIDEWAYS_MM))
        if len(moves):
            text = (
                f"{judge.name(tool)} cuts sideways here; it only cuts along its axis. Take a mill, or go straight down."
            )
            judge.gathered("wrong-tool", "stop", text, moves)


def _down(judge: Verdict, did: Effects, falling: NDArray[np.bool_]) -> None:
    """Tools that go down into metal under their middle: plunging, ramping, reaming."""
    m = judge.motion
    drop = m.start[:, 2] - m.end[:, 2]
    way = np.where(
        m.kind == ARC, np.sqrt(np.maximum(m.lengths() ** 2 - drop**2, 0.0)), np.hypot(*(m.end - m.start)[:, :2].T)
    )
    metal = falling & (did.cores > CORE_MM)
    for number, tool in _of(judge, RAMPERS):
        if tool.plunges:
            continue
        mine = metal & (m.tool == number)
        straight = np.flatnonzero(mine & (way < SIDEWAYS_MM))
        if len(straight):
            text = f"{judge.name(tool)} plunges {judge.mm(float(did.cores[straight[0]]))} straight down into metal and doesn't cut across its centre. Ramp in, or drill there first."
            judge.gathered("plunge", "stop", text, straight)
        steepest = math.tan(math.radians(tool.ramp_angle + RAMP_MARGIN_DEG))
        steep = np.flatnonzero(mine & (way >= SIDEWAYS_MM) & (drop > steepest * way))
        if len(steep):
            angle = math.degrees(math.atan2(float(drop[steep[0]]), float(way[steep[0]])))
            text = f"{judge.name(tool)} goes down at {show(angle, digits=1)}°; it may ramp at {show(tool.ramp_angle, digits=1)}°. Make the ramp longer."
            judge.gathered("ramp", "stop", text, steep)
    for number, tool in _of(judge, ("reamer", "boring-bar")):
        moves = np.flatnonzero(metal & (m.tool == number))
        if len(moves):
            text = f"{judge.name(tool)} goes down where there is no hole. Drill it first."
            judge.gathered("no-hole", "stop", text, moves)


def _changes(judge: Verdict) -> None:
    """Tools that are changed while the old or the new one stands in or beside the part."""
    m, block = judge.motion, judge.plan.frame.bed
    before = None
    for i in np.flatnonzero(m.kind == CHANGE).tolist():
        for tip, number in ((m.start[i], before), (m.end[i], int(m.tool[i]))):
            tool = judge.plan.tools.get(number or 0)
            reach = tool.radius if tool is not None else 0.0
            x, y, z = (float(c) for c in tip)
            inside = block.x0 - reach < x < block.x1 + reach and block.y0 - reach < y < block.y1 + reach
            if tool is not None and inside and z < block.z1 and i > 0:
                text = f"The tool is changed where {judge.name(tool)} reaches down to Z {show(z, units=judge.plan.job.units, digits=2)}, into the part. Lift it clear before, as by G53 G0 Z0."
                judge.add("change-place", "stop", text, i)
                break
        before = int(m.tool[i])
