"""A lathe's program tried on a half section."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
import shapely
from numpy.typing import NDArray

from bastler.core.cycles.surfacing import with_driven_tools
from bastler.core.gcode.motion import DWELL, Motion
from bastler.core.geometry.halfsection import Area, clean, volume
from bastler.core.plans.plan import Plan
from bastler.core.tooling.power import EFFICIENCY, available, cutting_force
from bastler.core.verify.drivenjudge import DrivenJudge
from bastler.core.verify.lathejudge import LatheJudge
from bastler.core.verify.latherules import rules
from bastler.core.verify.lathestock import LatheStock
from bastler.core.verify.netmesh import net
from bastler.core.verify.pictures import Carving, SectionPicture
from bastler.core.verify.section import SectionStock
from bastler.core.verify.stock import Floats, Happened

MOST_STATES = 400


class LatheTrial:
    """See :class:`bastler.core.verify.trial.Trial`."""

    def __init__(self, plan: Plan, motion: Motion, step_of_move: NDArray[np.int32], *, edited: bool) -> None:
        held, start = plan.frame.held, plan.start.lathe
        self.plan, self.motion, self.blank = plan, motion, start.stock
        grip = max(b[0] for body in held.bodies for b in body.outline if body.role != "tailstock") + 1e-6
        self.round = SectionStock(self.blank, start.fixed, dict(plan.tools), grip, held.prism)
        self.stock: SectionStock | LatheStock = self.round
        self.milled: LatheStock | None = None
        self.driven: DrivenJudge | None = None
        by_main = motion
        if motion.driver.any() or any(s.surfaces for s in plan.cut):
            self.stock = self.milled = LatheStock(self.round, start.fixed, dict(plan.tools))
            self.driven = DrivenJudge(plan, motion, step_of_move, edited=edited)
            # What a driven tool does is none of the turning rules' business.
            by_main = replace(motion, kind=np.where(motion.driver > 0, np.uint8(DWELL), motion.kind))
        self.judge = LatheJudge(plan, by_main, step_of_move, edited=edited)
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
        stands = next((before for _, before in happened.fed.values()), self.round.area)
        self._at_end = _AtEnd(stands, fallen, self._finished())
        if self.driven is not None and self.milled is not None:
            self.driven.moves(happened)
            self.driven.shape(self.milled.finished())
            judge.findings += self.driven.findings
        judge.moves(self._of_main(happened))
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
            machine = frame.machine if not m.driver[i] else with_driven_tools(frame.machine)
            share[i] = need / max(available(machine, float(m.speed[i])), 1e-9)
        return share, None

    def _of_main(self, happened: Happened) -> Happened:
        """What the tools did that the main spindle works with."""
        if self.driven is None:
            return happened
        driven = self.motion.driver > 0
        touches = [t for t in happened.touches if not driven[t.move]]
        return replace(happened, removed=np.where(driven, 0.0, happened.removed), touches=touches)

    def picture(self) -> SectionPicture:
        """Blank, stock, target, what has come off."""
        end = self._at_end
        picture = SectionPicture(self.blank, end.stands, end.target, end.fallen, self.round.prism)
        shown = self.milled.shown() if self.milled is not None else None
        if not isinstance(shown, Carving) or self.milled is None:
            return picture
        whole = net(self.milled.finished(), opened=False)
        closed = (whole.corners, whole.normals, whole.labels)
        return replace(picture, surface=shown.surface, cell=self.milled.metal().cell, closed=closed)

    def without_threads(self, happened: Happened) -> Happened:
        """Threads don't cut a section; what a driven tap takes of the hole's wall is left out."""
        tapped = self._tapped()
        return replace(happened, removed=np.where(tapped, 0.0, happened.removed)) if tapped.any() else happened

    def _tapped(self) -> NDArray[np.bool_]:
        taps = [n for n, t in self.plan.tools.items() if t.kind == "tap"]
        return np.asarray((self.motion.driver > 0) & np.isin(self.motion.tool, taps))

    def volumes(self, happened: Happened) -> tuple[float, float]:
        """Of the blank, and of one piece with what came off."""
        prism = self.round.prism
        milled = self.milled.taken() - float(happened.removed[self._tapped()].sum()) if self.milled is not None else 0.0
        return volume(self.blank, prism), volume(self._at_end.metal, prism) - milled

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
