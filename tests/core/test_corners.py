"""A pocket by a large tool, its corners by a small one: what is asked, refused, left and found."""

from __future__ import annotations

import pytest

from bastler.core.engine import Engine
from bastler.core.jobfiles.units import in_units
from bastler.core.planner import plan
from bastler.core.planning.rest import corner_paths
from bastler.core.request import Request
from tests.jobs import FACE, LEFT, SMALL_MILL, TOOLS, changed, plate

BIG = changed(LEFT, corner="3", corners="left", tool="2")
SMALL = changed(LEFT, corner="3", corners="rest", tool="13").changed(id="small")


def job(*steps):
    return plate(FACE, *steps, tools=(*TOOLS, SMALL_MILL))


def standing(*steps):
    return [f.text for f in Engine().check(Request(job(*steps), cell=0.3)).findings if f.kind == "left-standing"]


def test_corners_left_are_found_until_a_step_clears_them():
    (text,) = standing(BIG)
    assert "metal stands after step 2" in text
    assert "Copy this step behind it with a smaller tool" in text
    assert standing(BIG, SMALL) == []


def test_what_is_there_is_known():
    small = plan(job(BIG, SMALL)).steps[2]
    assert small.answers.complete
    assert small.answers.values.left_radius == pytest.approx(5.0)
    assert small.answers.values.leave_walls == 0.0
    rough = plan(job(changed(BIG, finish_walls="no", leave_walls="0.3"), SMALL)).steps[2]
    assert rough.answers.values.left_radius == pytest.approx(5.3)
    assert rough.answers.values.leave_walls == pytest.approx(0.3)


def test_the_tool_is_suggested_by_the_corner():
    assert plan(job(changed(BIG, tool=""))).steps[1].answers.values.tool.number == 2
    assert plan(job(BIG, changed(SMALL, tool=""))).steps[2].answers.values.tool.number == 13


@pytest.mark.parametrize(
    ("steps", "field", "sentence"),
    [
        ((SMALL,), "corners", "No step before has cleared this pocket"),
        ((BIG, changed(SMALL, tool="2", corner="5")), "tool", "Take a smaller tool"),
        ((changed(BIG, finish_floor="no", leave_floor="0.5"), SMALL), "tool", "Finish the floor before"),
        ((changed(BIG, finish_walls="no"), changed(SMALL, finish_walls="no", leave_walls="0.05")), "leave_walls", "still have 0.2 on them"),
        ((changed(BIG, corners="size"),), "tool", "Or leave the corners to a smaller tool"),
    ],
)  # fmt: skip
def test_what_can_not_be_cut_is_told(steps, field, sentence):
    # without a radius suggested by a step before, the person types one
    steps = tuple(s.changed(values={"left_radius": "5", **s.values}) if s.id == "small" else s for s in steps)
    problems = plan(job(*steps)).steps[-1].answers.problems
    assert any(p.field == field and sentence in p.text for p in problems), problems


def test_passes_come_closer_to_the_walls_and_start_in_air():
    for paths in corner_paths(30, 20, 2.0, 10.0, 1.5, 0.1, 0.8):
        nearest = []
        for path in paths:
            assert path.start == path.end
            assert (abs(path.start[0]), abs(path.start[1])) == pytest.approx((20, 10))
            x = max(abs(p[0]) for p in path.points())
            nearest.append(30 - x)
        assert nearest == sorted(nearest, reverse=True)
        assert nearest[-1] == pytest.approx(1.6)
        assert max(a - b for a, b in zip(nearest, nearest[1:], strict=False)) <= 0.8 + 1e-9


def test_a_thin_finishing_pass_may_be_deep():
    tall = TOOLS[1].changed(values={**TOOLS[1].values, "flute_length": "26", "stick_out": "36"})
    deep = changed(LEFT, depth="18", tool="2", depth_per_pass="9")

    def told(step):
        job_ = plate(FACE, step, tools=(TOOLS[0], tall, *TOOLS[2:]))
        return [f.kind for f in Engine().check(Request(job_, cell=0.3)).findings if f.kind == "depth-of-cut"]

    assert told(deep) == []
    assert told(changed(deep, depth_per_pass="18", clear_by="loops")) != []


@pytest.mark.parametrize("more", [0.0, 0.0029, 0.003, 0.01, 0.1])
def test_a_pocket_almost_as_round_as_wide_is_still_compensated(more):
    """A side of a few micrometres between two corners is lost in an inch program."""
    width = 8.37
    step = changed(
        LEFT,
        length="32.256",
        width=str(width),
        corner=str(width / 2 - more),
        depth="1.6",
        tool="13",
        angle="82.604",
        compensation="control",
        lead_radius="0.7",
    )
    inch = in_units(plate(FACE, step, tools=(*TOOLS, SMALL_MILL)), "inch", keep_size=True)
    assert [
        f.text
        for f in Engine().check(Request(inch, cell=0.4, dialect="iso-mill-inch")).findings
        if f.severity == "stop"
    ] == []
