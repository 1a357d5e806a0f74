"""A mill's program tried on a height field."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from bastler.core.gcode.motion import Motion
from bastler.core.plans.plan import Plan
from bastler.core.verify.grid import COARSEST_MM, Grid
from bastler.core.verify.heightfield import HeightField, Heights
from bastler.core.verify.leftbefore import laid
from bastler.core.verify.milljudge import MillJudge
from bastler.core.verify.millrules import Effects, rules
from bastler.core.verify.pictures import HeightPicture
from bastler.core.verify.spindleload import in_metal, power_shares
from bastler.core.verify.stock import Floats, Happened
from bastler.core.verify.trial import LeftStock


class MillTrial:
    """See :class:`bastler.core.verify.trial.Trial`. ``cell``: asked for, mm; ``left``: the stock as the setup before left it."""

    def __init__(
        self, plan: Plan, motion: Motion, step_of_move: NDArray[np.int32], *, edited: bool, cell: float | None, left: LeftStock | None
    ) -> None:  # fmt: skip
        frame = plan.frame
        self.plan, self.motion, self._asked = plan, motion, cell
        self.stock = HeightField(frame.bed, dict(plan.tools), cell, frame.pieces, self._start(left))
        self.judge = MillJudge(plan, motion, step_of_move, edited=edited)
        self.chunk = self.stock.chunk
        self._target = self.stock.heights
        self._before = left.volume if left else frame.stock_volume()
        self._cells = self.stock.volume()
        # Threads are marks here as on a lathe: what a tap takes of its hole's wall counts as no metal.
        self._tapped = np.isin(motion.tool, [n for n, t in plan.tools.items() if t.kind == "tap"])

    def _start(self, left: LeftStock | None) -> Callable[[Grid], tuple[Heights, Heights]] | None:
        """How the stock begins, where it isn't the raw block."""
        f = self.plan.frame
        if left is None or f.lying is None or not isinstance(left.stock, HeightField):
            return None
        return partial(laid, left.stock, f.lying, f.block)

    def cut(self, now: Happened, low: int) -> None:
        """Rapids, depths, taps, bodies in metal."""
        self.judge.cuts(now, self.stock, low)

    def whole(self, happened: Happened) -> None:
        """Machine, rules, shape, advice."""
        judge, stock = self.judge, self.stock
        judge.machine()
        rules(judge, Effects(happened.removed, happened.cores, judge.tap_radii, stock.grid.cell))
        self._target = stock.target(judge.wanted())
        judge.shape(stock, self._target)
        judge.advice()
        if self._asked is None and stock.grid.cell > COARSEST_MM:
            judge.coarse(stock.grid.cell)

    def load(self, happened: Happened, times: Floats) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """By chip and way."""
        p = self.plan
        power = power_shares(self.motion, times, happened.removed, p.tools, p.frame.material, p.frame.machine)
        return power, in_metal(self.motion, happened.removed, happened.deepest, p.tools)

    def picture(self) -> HeightPicture:
        """Heights, owners, target."""
        return HeightPicture(self.stock.grid, self.stock.heights, self.stock.cut_by, self._target)

    def without_threads(self, happened: Happened) -> Happened:
        """What happened, but for what taps took."""
        return replace(happened, removed=np.where(self._tapped, 0.0, happened.removed))

    def volumes(self, happened: Happened) -> tuple[float, float]:
        """The exact volume before, less what the cells lost."""
        threads = float(happened.removed[self._tapped].sum())
        return self._before, self._before - (self._cells - self.stock.volume()) + threads
