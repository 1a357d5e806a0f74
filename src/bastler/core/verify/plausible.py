"""Numbers that can't be meant, on any machine: feeds, dwells and pecks a thousand times off, and turns the wrong way round."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from bastler.core.gcode.motion import DWELL
from bastler.core.quantities import Kind, said
from bastler.core.tooling.tools import Tool
from bastler.core.verify.verdict import Verdict

LEAST_FEED_MM_PER_MIN = 1.0
LEAST_PER_EDGE_MM = 0.0004
MOST_PER_EDGE_MM = 2.0
MOST_PER_EDGE_DIAMETERS = 0.5
"""What one edge takes in one turn: outside of this no table of cutting data goes, whatever the tool."""
MOST_PER_TURN_LATHE_MM = 2.0
LEAST_PER_TURN_LATHE_MM = 0.003
LONGEST_DWELL_S = 60.0
SHORTEST_DWELL_S = 0.01
CUTS_MM3 = 1e-3
"""A move that takes less cuts nothing."""


def dwells(judge: Verdict) -> None:
    """Waits that no machinist means."""
    m = judge.motion
    long = np.flatnonzero((m.kind == DWELL) & (m.seconds > LONGEST_DWELL_S))
    if len(long):
        text = f"The tool waits {m.seconds[long[0]] / 60:.1f} minutes here. Check the time: P counts milliseconds, X seconds."
        judge.gathered("value", "warn", text, long)
    short = np.flatnonzero((m.kind == DWELL) & (m.seconds > 0) & (m.seconds < SHORTEST_DWELL_S))
    if len(short):
        text = f"The tool waits only {1000 * m.seconds[short[0]]:g} ms here. Check the time: P counts milliseconds, X seconds."
        judge.gathered("value", "warn", text, short)


def feeds(judge: Verdict, cuts: NDArray[np.bool_]) -> None:
    """Feeds of cutting moves that are far too small or far too large for the tool, once per tool."""
    m = judge.motion
    live = cuts & (m.speed > 0) & (m.feed > 0)
    per_turn = np.divide(m.feed, m.speed, out=np.zeros(len(m)), where=m.speed > 0)
    for number, tool in judge.plan.tools.items():
        mine = live & (m.tool == number)
        if not mine.any() or tool.kind == "tap":
            continue
        low, high = _bounds(tool)
        little = np.flatnonzero(mine & ((per_turn < low) | (m.feed < LEAST_FEED_MM_PER_MIN)))
        much = np.flatnonzero(mine & (per_turn > high))
        for moves, word in ((little, "little"), (much, "much")):
            if len(moves):
                i = int(moves[0])
                text = f"{judge.name(tool)} feeds {_said(judge, float(per_turn[i]), float(m.feed[i]))}: far too {word}. Check F, and whether it is meant per minute or per turn."
                judge.gathered("value", "warn", text, moves)


def _said(judge: Verdict, per_turn: float, feed: float) -> str:
    units = judge.plan.job.units
    return f"{said(per_turn, Kind.LENGTH, units, 5)} per turn, {said(feed, Kind.FEED, units, 2)}"


def _bounds(tool: Tool) -> tuple[float, float]:
    """Least and most feed per turn, mm."""
    if tool.cutter is not None:
        return LEAST_PER_TURN_LATHE_MM, MOST_PER_TURN_LATHE_MM
    edges = max(tool.flutes, 1)
    return LEAST_PER_EDGE_MM * edges, edges * min(MOST_PER_EDGE_MM, MOST_PER_EDGE_DIAMETERS * tool.diameter)


def wrong_turns(judge: Verdict, cuts: NDArray[np.bool_]) -> None:
    """Cuts while the spindle turns against the tool's edges, once per tool."""
    m = judge.motion
    for number, tool in judge.plan.tools.items():
        wants = -1 if tool.left_hand or tool.upside_down else 1
        moves = np.flatnonzero(cuts & (m.tool == number) & (m.turn == -wants) & (m.speed > 0))
        if len(moves):
            has, right = ("M4", "M3") if wants > 0 else ("M3", "M4")
            text = f"With {has} {judge.name(tool)} cuts with the back of its edge. Write {right}."
            judge.gathered("wrong-turn", "stop", text, moves)
