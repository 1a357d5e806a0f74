"""The turret's disc where a driven tool points to the axis: its rim stands over the holder, wider along Z than that, and may meet what turns beside the place of work."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import cache
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from bastler.core.gcode.motion import Motion
from bastler.core.geometry.halfsection import Area, polygon
from bastler.core.plans.plan import Plan

SAME_MM = 0.01


class Meeting(NamedTuple):
    """A move in which the disc is as near to the axis as something reaches: ``what`` in words, and where, X (a radius) and Z."""

    move: int
    what: str
    at: tuple[float, float]


def meetings(plan: Plan, motion: Motion, step_of_move: NDArray[np.int32]) -> Iterator[Meeting]:
    """The first for each line and thing; none on a machine whose disc nobody has measured."""
    wide = plan.frame.machine.turret.disc_width
    held, told = plan.frame.held, set[tuple[int, str]]()
    bodies = [(b.word, polygon(b.outline)) for b in held.bodies]
    high = max((r for b in held.bodies for _, r in b.outline), default=0.0)
    reaches = cache(_reaches)
    for i in np.flatnonzero((motion.driver > 0) & (motion.axis[:, 2] < SAME_MM)).tolist() if wide else ():
        tool = plan.tools.get(int(motion.tool[i]))
        if tool is None:
            continue
        step = int(step_of_move[i])
        stock = (plan.steps[step].work if step >= 0 else plan.start).lathe.stock
        for place, c in ((motion.start[i], motion.c0[i]), (motion.end[i], motion.c1[i])):
            rim = float(place[0] * math.cos(c) + place[1] * math.sin(c)) + tool.gauge_length
            if rim >= max(high, stock.bounds[3] if not stock.is_empty else 0.0):
                continue
            window = (round(float(place[2]) - wide / 2, 2), round(float(place[2]) + wide / 2, 2))
            for what, area in (*bodies, ("the part", stock)):
                out = reaches(area, window)
                key = (int(motion.line[i]), what)
                if out > rim + SAME_MM and key not in told:
                    told.add(key)
                    yield Meeting(i, what, (out, float(place[2])))


def _reaches(area: Area, window: tuple[float, float]) -> float:
    """How far from the axis an area reaches between two Z."""
    if area.is_empty:
        return 0.0
    z0, _, z1, high = area.bounds
    if z1 < window[0] or z0 > window[1]:
        return 0.0
    part = shapely.intersection(area, shapely.box(window[0], 0.0, window[1], high + 1.0))
    return 0.0 if part.is_empty else float(part.bounds[3])
