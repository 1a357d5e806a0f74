"""One property over the registry: any valid step, planned, posted, read back and cut, gives its finished shape."""

from __future__ import annotations

from random import Random

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from bastler.core.cycles import cycles
from bastler.core.engine import Engine
from bastler.core.job.document import ContourRecord, Job, Setup, Step
from bastler.core.planner import plan
from bastler.core.post.dialect import dialects, dialects_for
from bastler.core.quantities import Kind
from bastler.core.request import Request
from bastler.core.verify.grid import heights_of
from bastler.core.verify.target import too_low
from tests.closed_loop.stops import unexpected
from tests.contours import job_contours
from tests.jobs import BULL_MILL, DRILL_68, DRILL_85, END_MILL, FACE_MILL, HOLE_TOOLS, SMALL_MILL
from tests.stocks import height_field

TOOLS = (FACE_MILL, END_MILL, DRILL_68, DRILL_85, BULL_MILL, SMALL_MILL, *HOLE_TOOLS)
STOCK = {"stock_by": "block", "size_x": "110", "size_y": "80", "size_z": "19", "zero_by": "block",
         "anchor": "0,-,+", "held_in": "free"}  # fmt: skip
CELL_MM = 0.25
SIMPLE = {"compensation": "planner", "holder": "floating"}
"""Answers for a control without compensation and without rigid tapping."""


class Draw:
    """Sample answers drawn by Hypothesis."""

    def __init__(self, data: st.DataObject) -> None:
        self.data = data

    def number(self, low: float, high: float) -> float:
        return round(self.data.draw(st.floats(low, max(low, high))), 3)

    def choice(self, options: tuple[str, ...]) -> str:
        return self.data.draw(st.sampled_from(options))


def job_of(*steps: Step, contours: tuple[ContourRecord, ...] = ()) -> Job:
    return Job(name="loop", tools=TOOLS, contours=contours, setups=(Setup(steps=steps, values=STOCK),))


def contours_for(cycle: str, draw: Draw) -> tuple[ContourRecord, ...]:
    """Random contours for a cycle that needs one."""
    needs = any(f.kind in (Kind.CONTOUR, Kind.CONTOURS) for f in cycles()[cycle].fields)
    return job_contours(draw) if needs else ()


def sampled(cycle: str, draw: Draw, contours: tuple[ContourRecord, ...]) -> tuple[Step, ...]:
    """A sample step of a cycle, with the steps that must come before it."""
    one = cycles()[cycle]
    work = plan(job_of(Step(id="first", cycle=cycle), contours=contours), moves=False).steps[0].work
    typed = one.sample(draw, work)
    before = one.sample_before(typed, work) if one.sample_before else ()
    steps = [Step(id=f"before{i}", cycle=s.cycle, name=s.name, values=s.values) for i, s in enumerate(before)]
    if "retreat" in {f.key for f in one.fields}:
        typed["retreat"] = draw.choice(("clearance", "top"))
    return (*steps, Step(id="only", cycle=cycle, values=typed))


@pytest.mark.parametrize("cycle", cycles().ids("mill"))
@given(data=st.data())
@settings(max_examples=12)
def test_stock_matches_the_finished_shape(cycle: str, data: st.DataObject) -> None:
    dialect = data.draw(st.sampled_from(dialects_for("mill")))
    contours = contours_for(cycle, Draw(data))
    steps = sampled(cycle, Draw(data), contours)
    if not dialects()[dialect].words.compensate_left:
        steps = tuple(s.changed(values={**s.values, **SIMPLE}) for s in steps)
    job = job_of(*steps, contours=contours)
    planned = plan(job)
    assume(all(s.answers.complete for s in planned.steps))

    engine = Engine()
    checked = engine.check(Request(job, cell=CELL_MM, dialect=dialect))

    assert unexpected(checked, planned) == []
    stock = height_field(engine)
    shape = tuple(r for s in planned.steps for r in s.removals if not r.wanted)
    assert too_low(stock, shape)[2].size == 0
    target = heights_of(stock.grid, stock.block, shape)
    asked = float((stock.block.z1 - target).sum(dtype=np.float64))
    differs = float(np.abs(stock.heights - target).sum(dtype=np.float64))
    assert differs <= 0.005 * asked + 2.0, "more than 0.5 % of the removed volume differs"


class Seeded(Draw):
    """Sample answers from a seed."""

    def __init__(self, seed: int) -> None:
        self.dice = Random(seed)

    def number(self, low: float, high: float) -> float:
        return round(self.dice.uniform(low, max(low, high)), 3)

    def choice(self, options: tuple[str, ...]) -> str:
        return self.dice.choice(options)


@pytest.mark.parametrize("cycle", cycles().ids("mill"))
def test_most_samples_are_valid(cycle: str) -> None:
    """The samples explore the cycle: the loop above would prove nothing if its input were mostly refused."""
    taken = []
    for seed in range(12):
        draw = Seeded(seed)
        contours = contours_for(cycle, draw)
        answers = plan(job_of(*sampled(cycle, draw, contours), contours=contours), moves=False).steps[-1].answers
        assert not answers.missing
        assert all(p.field in {f.key for f in cycles()[cycle].fields} for p in answers.problems)
        taken.append(answers.complete)
    assert sum(taken) >= 7, "more than half can be cut"
