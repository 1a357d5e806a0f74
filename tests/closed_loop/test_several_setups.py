"""A part in two clampings: what the first leaves is what the second finds, however it lies."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bastler.core.engine import Engine
from bastler.core.fields import Values
from bastler.core.geometry.shapes import Box, Prism, RoundHole
from bastler.core.job.document import Job, Setup
from bastler.core.job.reclamped import lying
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.jobs import BOLTS, CORNERS, FACE, LEFT, RIGHT, TOOLS, changed, plate

BEFORE = {"stock_kind": "before", "grip": "6"}


def two(first: tuple, second: tuple, **values: str) -> Job:
    job = plate(*first)
    setup = Setup(steps=second, values={**BEFORE, **values})
    return job.changed(setups=(*job.setups, setup))


@pytest.mark.parametrize("over", ["no", "x", "y"])
@pytest.mark.parametrize("quarter", ["0", "90", "180", "270"])
def test_nothing_is_lost_between_two_setups(over: str, quarter: str) -> None:
    job = two((FACE, LEFT, CORNERS), (), turned_over=over, quarter=quarter)
    first = Engine().check(Request(job, 0, cell=0.5))
    engine = Engine()
    second = engine.check(Request(job, 1, cell=0.5))
    assert second.volume_before == pytest.approx(first.volume_after, rel=1e-3)
    sizes = plan(job, 1).frame.block.size
    assert sizes == pytest.approx((204, 124, 22) if quarter in ("0", "180") else (124, 204, 22))
    assert plan(job, 1).frame.part.z1 == pytest.approx(0.0), "the zero lies on the part's upper side again"


def test_through_holes_are_there_from_the_other_side_and_pockets_are_not() -> None:
    job = two((FACE, LEFT, CORNERS), (changed(BOLTS, depth_to="tip", depth="3"),), turned_over="y")
    first, second = plan(job, 0), plan(job, 1)
    assert len([r for r in second.start.done if isinstance(r, RoundHole)]) == 4
    assert not [r for r in second.start.done if isinstance(r, Prism)]
    at = first.steps[2].removals[0].bounds()
    middle = ((at[0] + at[1]) / 2, (at[2] + at[3]) / 2)
    there = second.frame.lying.place.point(middle)
    assert second.start.hole_radius(there, -1.0) == pytest.approx(4.25)
    assert second.frame.block.z1 == pytest.approx(0.0)
    checked = Engine().check(Request(job, 1, cell=0.5))
    ix, iy = checked.field.grid.cell_of(*there)
    assert checked.field.heights[iy, ix] == pytest.approx(second.frame.block.z0)
    assert [f for f in checked.findings if f.severity == "stop"] == []


def test_a_second_side_is_faced_and_cut_with_the_first_sides_pocket_below() -> None:
    """20 high once both sides are faced; a pocket from below meets the one from above."""
    first = (FACE, changed(LEFT, depth="12"))
    values = {"turned_over": "x", "over_bottom": "0"}
    job = two(first, (changed(LEFT, length="30", width="20", depth="10", centre_y="60"),), **values)
    engine = Engine()
    checked = engine.check(Request(job, 1, cell=0.5))
    assert [f for f in checked.findings if f.severity == "stop"] == []
    ix, iy = checked.field.grid.cell_of(48, 60)
    assert engine.stock.underside[iy, ix] == pytest.approx(-8.0)
    assert checked.field.heights[iy, ix] == pytest.approx(-10.0), "cut right through into the pocket"
    through = 30 * 20 - (4 - np.pi) * 6**2
    assert checked.volume_before - checked.volume_after == pytest.approx(through * 8, rel=0.01)


def test_the_same_way_up_planning_knows_what_is_gone() -> None:
    job = two((FACE, LEFT), (changed(RIGHT, centre_x="48", depth="12"),))
    assert plan(job, 1).start.top_over((30, 66, 50, 70)) == pytest.approx(-12.0)
    deeper = two((FACE, LEFT), (changed(RIGHT, centre_x="48", depth="16"),))
    assert [f for f in Engine().check(Request(deeper, 1, cell=0.5)).findings if f.severity == "stop"] == []


def test_what_stands_in_the_way_is_told() -> None:
    alone = plate(FACE, stock_kind="before")
    assert "no setup before" in plan(alone).setup_answers.problems[0].text
    asking = two((changed(LEFT, length=""),), (FACE,))
    assert "Setup 1, which leaves this stock, is not complete. Step 1" in plan(asking, 1).setup_answers.problems[0].text
    assert plan(asking, 1).order == ()


def test_an_edit_of_the_second_setup_does_not_check_the_first_again() -> None:
    job = two((FACE, LEFT), (FACE.changed(values={"level": "-1"}),), turned_over="x")
    engine = Engine()
    engine.check(Request(job, 1, cell=1.0))
    kept = engine._before
    again = job.with_setup(job.setups[1].changed(steps=(FACE.changed(values={"level": "-2"}),)), 1)
    engine.check(Request(again, 1, cell=1.0))
    assert engine._before is kept
    other = again.with_setup(again.setups[0].changed(steps=(FACE,)), 0)
    engine.check(Request(other, 1, cell=1.0))
    assert engine._before is not kept


@given(
    x=st.floats(0, 60), y=st.floats(0, 40), z=st.floats(-20, 0), over=st.sampled_from(["no", "x", "y"]),
    quarter=st.sampled_from(["0", "90", "180", "270"]),
)  # fmt: skip
@settings(max_examples=60)
def test_a_turned_box_stays_the_same_box(x: float, y: float, z: float, over: str, quarter: str) -> None:
    block = Box(-3, 60, -2, 40, -20, 1)
    laid = lying(Values({"turned_over": over, "quarter": quarter}), block)
    there = laid.box(block)
    assert (there.x0, there.y0, there.z0) == pytest.approx((0, 0, 0), abs=1e-9)
    assert sorted(there.size) == pytest.approx(sorted(block.size))
    px, py = laid.place.point((x, y))
    assert there.x0 - 1e-9 <= px <= there.x1 + 1e-9
    assert there.y0 - 1e-9 <= py <= there.y1 + 1e-9
    assert laid.z(z) == pytest.approx(1 - z if over != "no" else z + 20)


def test_tools_are_shared_by_all_setups() -> None:
    job = two((FACE,), (LEFT,))
    assert set(plan(job, 1).tools) == {t.number for t in TOOLS}
