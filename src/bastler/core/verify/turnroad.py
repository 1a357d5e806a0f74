"""The check of a lathe's program: motion against the half section."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np
import shapely
from msgspec import structs

from bastler.core.checked import Checked, Turned
from bastler.core.gcode.control import Interpreted
from bastler.core.gcode.motion import Motion
from bastler.core.geometry.halfsection import Area, clean, volume
from bastler.core.planning.plan import Plan
from bastler.core.post.program import Program
from bastler.core.request import Cancelled
from bastler.core.tooling.power import EFFICIENCY, available, cutting_force
from bastler.core.verify.grid import Grid
from bastler.core.verify.lathejudge import TurnJudge
from bastler.core.verify.latherules import rules
from bastler.core.verify.section import Marks, TurnedStock
from bastler.core.verify.timing import move_times

CHUNK = 200
MOST_SNAPSHOTS = 400


class TurnedRoad:
    """One checked program of a lathe, with its stock at any moment."""

    def __init__(self, p: Plan, motion: Motion) -> None:
        turning = p.start.lathe
        held = p.frame.chucking
        assert turning is not None
        assert held is not None
        self.plan, self.motion, self.fixed = p, motion, turning.fixed
        self.blank: Area = turning.stock
        grip = max(b[0] for body in held.bodies for b in body.outline if body.role != "tailstock") + 1e-6
        self.prism = held.prism
        self.stock = TurnedStock(self.blank, self.fixed, dict(p.tools), grip, self.prism)
        self.snapshots: dict[int, Area] = {0: self.blank}

    def check(
        self, program: Program, read: Interpreted, step_of_move: np.ndarray, owner: np.ndarray,
        progress: Callable[[float], None], cancelled: Callable[[], bool], began: float, *, edited: bool = False,
    ) -> Checked:  # fmt: skip
        """Everything that a check knows."""
        p, motion = self.plan, self.motion
        marks = Marks(np.zeros(len(motion)))
        judge = TurnJudge(p, motion, step_of_move, edited=edited)
        _, _, judge.front, judge.thickest = self.blank.bounds
        starts = set((np.flatnonzero(np.diff(step_of_move)) + 1).tolist())
        chunk = max(CHUNK, len(motion) // MOST_SNAPSHOTS)
        edges = sorted({*range(0, len(motion), chunk), *(starts if len(starts) < 60 else ()), len(motion)})
        for low, high in zip(edges, edges[1:], strict=False):
            if cancelled():
                raise Cancelled
            self.stock.cut(motion, marks, low, high)
            self.snapshots[high] = self.stock.area
            progress(0.3 + 0.6 * high / max(len(motion), 1))
        target = self._target(marks)
        judge.moves(marks)
        judge.machine()
        judge.bar(marks)
        rules(judge, marks, self._with_fallen(marks))
        judge.shape(self._with_fallen(marks), target)
        judge.advice()
        names = tuple(s.full_name for s in p.steps)
        told = tuple(structs.replace(f, step=judge.step_id(int(owner[f.line]))) if f.line else f for f in read.findings)
        progress(1.0)
        none, times = np.zeros((1, 1)), move_times(motion, p.frame.machine)
        power = self._power(marks, times)
        judge.powers(power, times)
        judge.dry(read.cooled, marks.removed)
        return Checked(
            program, motion, read.lines, read.units, times, step_of_move,
            tuple(s.step.id for s in p.steps), names, {n: t.name for n, t in p.tools.items()}, judge.done(told),
            Grid(0.0, 0.0, 1.0, 1, 1), none.astype(np.float32), none.astype(np.int32), none.astype(np.float32), marks.removed,
            power, volume(self.blank, self.prism), volume(self._with_fallen(marks), self.prism), time.perf_counter() - began,
            Turned(self.blank, next((b for _, b in marks.fed.values()), self.stock.area), target, self._fallen(marks), self.prism),
        )  # fmt: skip

    def _power(self, marks: Marks, times: np.ndarray) -> np.ndarray:
        """Share of the spindle's power that each move takes: metal per second times the specific cutting force (Kienzle)."""
        m, frame = self.motion, self.plan.frame
        share = np.zeros(len(m), np.float32)
        for i in np.flatnonzero((marks.removed > 0) & (times > 0) & (m.speed > 0)).tolist():
            force = cutting_force(frame.material, float(m.feed[i] / m.speed[i]))
            need = marks.removed[i] / times[i] * force / 1e6 / EFFICIENCY
            share[i] = need / max(available(frame.machine, float(m.speed[i])), 1e-9)
        return share

    def _fallen(self, marks: Marks) -> Area:
        return shapely.union_all(list(marks.parted.values())) if marks.parted else shapely.Polygon()

    def _with_fallen(self, marks: Marks) -> Area:
        """All metal at the end, or as the first of several pieces is done."""
        stands = next((before for _, before in marks.fed.values()), self.stock.area)
        return shapely.union_all([stands, self._fallen(marks)])

    def _target(self, marks: Marks) -> Area:
        cleared = [c.area for s in self.plan.cut for c in s.cleared if not c.wanted and c.thread is None]
        return clean(shapely.difference(self.blank, shapely.union_all(cleared))) if cleared else self.blank

    def at(self, move: int, share: float) -> Area:
        """The half section once ``share`` of a move is done."""
        from dataclasses import replace

        motion = self.motion
        move = min(max(move, 0), max(len(motion) - 1, 0))
        near = max(k for k in self.snapshots if k <= move)
        stock = TurnedStock(self.snapshots[near], self.fixed, dict(self.plan.tools), self.stock.grip)
        # With the move before the snapshot: whether a tool leaves a thread is seen from where it comes.
        first = max(near - 1, 0)
        part = motion.part(first, move + 1)
        if move >= near and len(part):
            part = replace(part, end=part.end.copy(), sweep=part.sweep.copy())
            part.end[-1] = motion.at(move, share)
            part.sweep[-1] *= share
            stock.cut(part, Marks(np.zeros(len(part))), near - first, len(part))
        return stock.area
