"""Several steps in one job: each sees the stock before it, tools are gathered, units change, and the part is right."""

from __future__ import annotations

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from bastler.core.cycles import cycles
from bastler.core.engine import Engine
from bastler.core.job.document import Job, Setup, Step
from bastler.core.jobfiles.units import in_units
from bastler.core.planner import plan
from bastler.core.quantities import show
from bastler.core.request import Request
from bastler.core.verify.target import standing, too_low
from tests.closed_loop.stops import unexpected
from tests.closed_loop.test_every_cycle import STOCK, TOOLS, Draw, contours_for, sampled
from tests.contours import CONTOURS, rectangle
from tests.stocks import height_field

CELL_MM = 0.3


def drawn_steps(data: st.DataObject, count: int) -> tuple[Step, ...]:
    """Steps that each fit the stock as those before left it."""
    steps: tuple[Step, ...] = ()
    for i in range(count):
        one = cycles()[data.draw(st.sampled_from(cycles().ids("mill")))]
        probe = Job(
            tools=TOOLS,
            contours=CONTOURS,
            setups=(Setup(steps=(*steps, Step(id="probe", cycle=one.id)), values=STOCK),),
        )
        work = plan(probe, moves=False).steps[-1].work
        values = one.sample(Draw(data), work)
        before = one.sample_before(values, work) if one.sample_before else ()
        steps += tuple(Step(id=f"s{i}-{k}", cycle=s.cycle, values=s.values) for k, s in enumerate(before))
        values = {k: t.replace("before", f"s{i}-") if k == "steps" else t for k, t in values.items()}
        steps += (Step(id=f"s{i}", cycle=one.id, values=values),)
    return steps


def check(job: Job) -> None:
    """No stop finding, nothing cut too deep, nothing left that a step promised."""
    planned = plan(job)
    engine = Engine()
    checked = engine.check(Request(job, cell=CELL_MM))
    assert unexpected(checked, planned) == []
    stock = height_field(engine)
    shape = tuple(r for s in planned.cut for r in s.removals if not r.wanted)
    assert too_low(stock, shape)[2].size == 0
    for removal in shape:
        assert standing(stock, removal) is None


@given(data=st.data(), gather=st.booleans())
@settings(max_examples=14)
def test_a_job_of_several_steps(data: st.DataObject, gather: bool) -> None:
    steps = drawn_steps(data, 3)
    job = Job(
        name="several",
        tools=TOOLS,
        contours=CONTOURS,
        setups=(Setup(steps=steps, values=STOCK, gather_by_tool=gather),),
    )
    planned = plan(job)
    assume(len(planned.order) >= 2)
    assume(
        not any(
            p.finding == "tap-bottom" or (p.finding == "no-hole" and s.cycle.id == "tap")
            for s in planned.cut
            for p in s.answers.problems
        )
    )
    check(job)


def in_inches(job: Job) -> Job:
    """The same job with its sizes kept, in inches."""
    return in_units(job, "inch", keep_size=True)


@pytest.mark.parametrize("cycle", cycles().ids("mill"))
@given(data=st.data())
@settings(max_examples=4)
def test_an_inch_job_cuts_the_same_part(cycle: str, data: st.DataObject) -> None:
    contours = contours_for(cycle, Draw(data))
    steps = sampled(cycle, Draw(data), contours)
    job = in_inches(Job(tools=TOOLS, contours=contours, setups=(Setup(steps=steps, values=STOCK),)))
    assume(plan(job).order)
    check(job)


@pytest.mark.parametrize("width", [10.4, 10.8, 30.0])
def test_a_wall_that_the_control_can_not_offset_is_cut_to_its_size_all_the_same(width: float) -> None:
    """Where the arc on and off doesn't fit, Bastler offsets; a tool of 10 in a slot leaves nothing on its walls."""
    values = {
        "contour": "~slot", "depth": "4", "corners": "tool", "tool": "2", "compensation": "control", "leave_walls": "0.1", "finish_walls": "yes",
    }  # fmt: skip
    slot = rectangle("slot", 0, 40, 60, width, angle=20.0, corner="5.05")
    steps = (Step(id="only", cycle="contour_pocket", values=values),)
    job = Job(tools=TOOLS, contours=(slot,), setups=(Setup(steps=steps, values=STOCK),))
    assert plan(job).order
    check(job)


def test_suggestions_mean_the_same_in_both_units() -> None:
    values = {"centre_x": "0", "centre_y": "40", "length": "60", "width": "40", "corner": "6", "depth": "12"}
    metric = Job(tools=TOOLS, setups=(Setup(steps=(Step(id="a", cycle="pocket", values=values),), values=STOCK),))
    one, other = plan(metric).steps[0].answers, plan(in_inches(metric)).steps[0].answers
    for key in ("depth_per_pass", "leave_walls", "side_step", "lead_radius", "feed", "feed_full", "feed_down", "speed"):
        assert other.values.get(key) == pytest.approx(one.values.get(key)), key
    assert show(one.values.leave_walls, units="inch") == "0.0079"
