"""One property over the cycles of a lathe: any valid step, planned, posted, read back and cut, gives its finished section."""

from __future__ import annotations

import pytest
import shapely
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from bastler.core.cycles import cycles
from bastler.core.engine import Engine
from bastler.core.job.document import Job, Step
from bastler.core.planner import plan
from bastler.core.post.dialect import dialects_for
from bastler.core.quantities import Kind
from bastler.core.request import Request
from tests.closed_loop.stops import unexpected
from tests.closed_loop.test_every_cycle import Draw
from tests.turned import lathe_job, turned_contours

BELOW_MM = {"mm": 0.002, "inch": 0.004}
"""An inch program has four decimals: its numbers lie up to 0.0013 mm off in Z."""
AREA_SHARE = 0.001
LEAST_MM2 = {"mm": 20.0, "inch": 40.0}
"""Of a smaller cut, rounding to the program's digits alone may be more than that share."""
LATHE_CYCLES = [c for c in cycles().ids("lathe") if cycles().family(c) == "lathe"]


def turned_sample(cycle: str, draw, tube: bool) -> Job:  # type: ignore[no-untyped-def]
    """A job with a sample step of a cycle, and the steps that must come before it."""
    one = cycles()[cycle]
    needs = any(f.kind is Kind.CONTOUR for f in one.fields)
    contours = turned_contours(draw) if needs else ()
    work = plan(lathe_job(Step(id="first", cycle=cycle), contours=contours, tube=tube), moves=False).steps[0].work
    typed = one.sample(draw, work)
    before = one.sample_before(typed, work) if one.sample_before else ()
    steps = [Step(id=f"before{i}", cycle=s.cycle, name=s.name, values=s.values) for i, s in enumerate(before)]
    return lathe_job(*steps, Step(id="only", cycle=cycle, values=typed), contours=contours, tube=tube)


def check_turned(job: Job, dialect: str) -> None:
    """No stop finding; the section within a thousandth of the finished one; nothing below it."""
    planned = plan(job)
    engine = Engine()
    checked = engine.check(Request(job, dialect=dialect))
    assert unexpected(checked, planned) == []
    whole = shapely.union_all([checked.section.stock, checked.section.fallen])
    below = shapely.difference(checked.section.target, whole)
    assert below.buffer(-BELOW_MM[job.units] / 2).is_empty, "cut too deep"
    asked = sum(c.area.area for s in planned.cut for c in s.cleared if not c.wanted)
    differs = shapely.symmetric_difference(whole, checked.section.target).area
    assert differs <= AREA_SHARE * max(asked, LEAST_MM2[job.units]), f"{differs} of {asked} mm² differ"


@pytest.mark.parametrize("cycle", LATHE_CYCLES)
@given(data=st.data())
@settings(max_examples=16)
def test_the_section_matches_the_finished_one(cycle: str, data: st.DataObject) -> None:
    draw = Draw(data)
    job = turned_sample(cycle, draw, data.draw(st.booleans()))
    assume(all(s.answers.complete for s in plan(job).steps))
    check_turned(job, draw.choice(tuple(dialects_for("lathe"))))
