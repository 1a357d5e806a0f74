"""A lathe's program tried on a half section."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import shapely
from numpy.typing import NDArray

from bastler.core.gcode.motion import Motion
from bastler.core.geometry.halfsection import Area, clean, volume
from bastler.core.plans.plan import Plan
from bastler.core.tooling.power import EFFICIENCY, available, cutting_force
from bastler.core.verify.lathejudge import LatheJudge
from bastler.core.verify.latherules import rules
from bastler.core.verify.pictures import SectionPicture
from bastler.core.verify.section import SectionStock
from bastler.core.verify.stock import Floats, Happened

MOST_STATES = 400


class LatheTrial:
    """See :class:`bastler.core.verify.trial.Trial`."""

    def __init__(self, plan: Plan, motion: Motion, step_of_move: NDArray[np.int32], *, edited: bool) -> None:
        held, start = plan.frame.held, plan.start.lathe
        self.plan, self.motion, self.blank = plan, motion, start.stock
        grip = max(b[0] for body in held.bodies for b in body.outline if body.role != "tailstock") + 1e-6
        self.stock = SectionStock(self.blank, start.fixed, dict(plan.tools), grip, held.prism)
        self.judge = LatheJudge(plan, motion, step_of_move, edited=edited)
        _, _, self.judge.front, self.judge.thickest = self.blank.bounds
        self.chunk = max(self.stock.chunk, len(motion) // MOST_STATES)
        self._at_end = _AtEnd(self.blank)

    def cut(self, now: Happened, low: int) -> None:
        """Nothing: the judge looks at the whole."""

    def whole(self, happened: Happened) -> None:
        """What was touched, machine, bar, rules, shape, advice."""
        judge = self.judge
        fallen = shapely.union_all(list(happened.parted.values())) if happened.parted else shapely.Polygon()
        # As the first of several pieces is done.
        stands = next((before for _, before in happened.fed.values()), self.stock.area)
        self._at_end = _AtEnd(stands, fallen, self._finished())
        judge.moves(happened)
        judge.machine()
        judge.bar(happened)
        rules(judge, happened, self._at_end.metal)
        judge.shape(self._at_end.metal, self._at_end.target)
        judge.advice()

    def load(self, happened: Happened, times: Floats) -> tuple[NDArray[np.float32], None]:
        """Metal per second times the specific cutting force (Kienzle)."""
        m, frame = self.motion, self.plan.frame
        share = np.zeros(len(m), np.float32)
        for i in np.flatnonzero((happened.removed > 0) & (times > 0) & (m.speed > 0)).tolist():
            force = cutting_force(frame.material, float(m.feed[i] / m.speed[i]))
            need = happened.removed[i] / times[i] * force / 1e6 / EFFICIENCY
            share[i] = need / max(available(frame.machine, float(m.speed[i])), 1e-9)
        return share, None

    def picture(self) -> SectionPicture:
        """Blank, stock, target, what has come off."""
        end = self._at_end
        return SectionPicture(self.blank, end.stands, end.target, end.fallen, self.stock.prism)

    def without_threads(self, happened: Happened) -> Happened:
        """Threads don't cut a section."""
        return happened

    def volumes(self, happened: Happened) -> tuple[float, float]:
        """Of the blank, and of one piece with what came off."""
        prism = self.stock.prism
        return volume(self.blank, prism), volume(self._at_end.metal, prism)

    def _finished(self) -> Area:
        cleared = [c.area for s in self.plan.cut for c in s.cleared if not c.wanted and c.thread is None]
        return clean(shapely.difference(self.blank, shapely.union_all(cleared))) if cleared else self.blank


@dataclass(frozen=True)
class _AtEnd:
    """What stands at the end, what has come off, and what should be there."""

    stands: Area
    fallen: Area = field(default_factory=shapely.Polygon)
    target: Area = field(default_factory=shapely.Polygon)

    @property
    def metal(self) -> Area:
        """All of it."""
        return shapely.union_all([self.stands, self.fallen])
