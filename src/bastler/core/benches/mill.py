"""The bench of a three-axis mill: a block in a vice or on the table, cut from above."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from bastler.core.benches.bench import refuse, unfinished_before
from bastler.core.fields import Answers
from bastler.core.job.clamping import clamping_frame, read_clamping
from bastler.core.job.document import Setup
from bastler.core.job.frame import Frame
from bastler.core.planning.contours import NamedContour
from bastler.core.planning.plan import Plan
from bastler.core.planning.work import Work
from bastler.core.quantities import Units

if TYPE_CHECKING:
    from bastler.core.post.dialect import Dialect
    from bastler.core.post.program import Program


class MillBench:
    """See :class:`bastler.core.benches.bench.Bench`."""

    kind = "mill"
    word = "a mill"

    def set_up(
        self, setup: Setup, units: Units, earlier: Plan | None, contours: Mapping[str, NamedContour]
    ) -> tuple[Answers, Frame]:
        """Block or bar, zero, what holds it."""
        before = earlier.frame if earlier is not None else None
        answers = read_clamping(setup, units, before)
        f = clamping_frame(setup, answers, before)
        if earlier is not None and f.lying is not None:
            answers = answers.with_problems((*answers.problems, *unfinished_before(earlier)))
        return answers, f

    def start(self, work: Work, f: Frame, earlier: Plan | None) -> Work:
        """The block, less what the setup before cut of it."""
        if earlier is None or f.lying is None:
            return work
        cut = (*earlier.start.done, *(r for s in earlier.cut for r in s.removals))
        return work.after(f.lying.removals([r for r in cut if not r.wanted], earlier.frame.block))

    def most_turns(self, f: Frame) -> float:
        """None but the spindle's own."""
        return 0.0

    def fits(self, dialect: Dialect) -> None:
        """A mill's."""
        refuse(dialect, self.kind)

    def post(self, plan: Plan, dialect: Dialect) -> Program:
        """Moves in X, Y and Z."""
        from bastler.core.post.millwriter import post_milled

        return post_milled(plan, dialect)
