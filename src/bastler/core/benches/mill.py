"""The bench of a three-axis mill: a block in a vice or on the table, cut from above."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING

from bastler.core.benches.bench import Seen, refuse, unfinished_before
from bastler.core.cycles.base import Cycle
from bastler.core.fields import Answers
from bastler.core.geometry.path import Line, Path
from bastler.core.geometry.shapes import Box
from bastler.core.job.clamping import clamping_frame, read_clamping
from bastler.core.job.document import Setup
from bastler.core.job.frame import Frame
from bastler.core.job.holding import HOLDINGS
from bastler.core.planning.contours import NamedContour
from bastler.core.planning.work import Work
from bastler.core.plans.plan import Plan
from bastler.core.quantities import Kind, Units, show, unit_word

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from bastler.core.gcode.motion import Motion
    from bastler.core.post.dialect import Dialect
    from bastler.core.post.program import Program
    from bastler.core.request import Request
    from bastler.core.verify.trial import LeftStock, Trial


ZERO_WORDS = {"part": "a point of the part", "block": "a point of the block", "typed": "typed"}


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

    def seen(self, cycle: Cycle, typed: Mapping[str, str], work: Work) -> Seen:
        """As they are."""
        return Seen(cycle, work)

    def most_turns(self, f: Frame) -> float:
        """None but the spindle's own."""
        return 0.0

    def bar_radius(self, f: Frame) -> float:
        """None is there."""
        return 0.0

    def c_zero(self, f: Frame) -> float:
        """Nothing turns."""
        return 0.0

    def fits(self, dialect: Dialect) -> None:
        """A mill's."""
        refuse(dialect, self.kind)

    def post(self, plan: Plan, dialect: Dialect) -> Program:
        """Moves in X, Y and Z."""
        from bastler.core.post.millwriter import post_milled

        return post_milled(plan, dialect)

    def facts(self, plan: Plan, weight: float) -> tuple[tuple[str, str], ...]:
        """Block, zero, vice, clearance."""
        units, f, v = plan.job.units, plan.frame, plan.setup_answers.values
        block = " × ".join(show(s, units=units) for s in f.block.size)
        zero = ZERO_WORDS[v.get("zero_by", "part")]
        x, y, z, clearance = (show(value, units=units) for value in (f.block.x0, f.block.y0, f.block.z1, f.clearance))
        return (
            ("Block", f"{block} {unit_word(Kind.LENGTH, units)}, {weight:.1f} kg"),
            ("Zero", f"{zero}: X {x}, Y {y}, Z {z} is the block's left, front, top"),
            ("Held in", _held(plan)),
            ("Clearance", f"Z {clearance}"),
        )

    def outlines(self, plan: Plan) -> Iterator[tuple[str, Path]]:
        """From above."""
        for piece in plan.frame.pieces:
            for loop in (piece.outline, piece.hole):
                for outline in loop.outlines() if loop is not None else ():
                    yield "stock", outline
        if not plan.frame.pieces:
            yield "stock", _edge(plan.frame.block)
        yield "part", _edge(plan.frame.part)

    def trial(
        self, plan: Plan, motion: Motion, steps: NDArray[np.int32], request: Request, left: LeftStock | None
    ) -> Trial:
        """A height field."""
        from bastler.core.verify.milltrial import MillTrial

        return MillTrial(plan, motion, steps, edited=request.text is not None, cell=request.cell, left=left)


def _held(plan: Plan) -> str:
    """How the block is held, in words."""
    v, units = plan.setup_answers.values, plan.job.units
    way = HOLDINGS[v.get("held_in", "vise")]
    word = "as the drawing shows" if v.get("held_in") == "free" else way.title.lower()
    if "jaws_along" in way.fields:
        word += f", jaws press along {str(v.get('jaws_along', 'y')).upper()}"
    return f"{word}, {show(v.get('grip', 0.0), units=units)} held" if "grip" in way.fields else word


def _edge(b: Box) -> Path:
    """A box from above."""
    return Path((b.x0, b.y0), (Line((b.x1, b.y0)), Line((b.x1, b.y1)), Line((b.x0, b.y1)), Line((b.x0, b.y0))))
