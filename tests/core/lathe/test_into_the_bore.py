"""Cross holes that end in the bore of a turned part."""

from __future__ import annotations

import math

import pytest
from scipy.integrate import quad

from bastler.core.checked import Checked
from bastler.core.engine import Engine
from bastler.core.job.document import Job, Step, ToolRecord
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.hub import FACE, TOOLS, TURN, hub

BORE = Step(id="bore", cycle="axis_hole", values={"do": "drill", "depth": "60", "tool": "60"})
HOLE = {"works_on": "round", "from_axis": "29", "at_angle": "40", "points": "-20, 0; -36, 0", "diameter": "8"}


def job(hollow: bool, **values: str) -> Job:
    drill = ToolRecord(
        number=60,
        kind="insert-drill",
        name="insert drill 20",
        values={"diameter": "20", "flute_length": "80", "stick_out": "90"},
    )
    hole = Step(id="hole", cycle="drill", values={**HOLE, **values})
    return hub(FACE, TURN, *([BORE] if hollow else []), hole, tools=(*TOOLS, drill))


def checked(one: Job) -> Checked:
    return Engine().check(Request(one))


def test_two_holes_through_the_wall_take_what_the_integral_says() -> None:
    """Each √(29² - y²) - √(10² - y²) deep over its width: ∫ … 2√(4² - y²) dy."""
    bored, whole = job(True), job(True, depth_to="bore", break_through="2")
    step = plan(whole).steps[-1]
    assert step.answers.complete, (step.answers.missing, step.answers.problems)
    taken = checked(bored.changed(setups=(bored.setups[0].changed(steps=bored.setups[0].steps[:-1]),))).volume_after - checked(whole).volume_after  # fmt: skip
    each = quad(lambda y: (math.sqrt(29**2 - y * y) - math.sqrt(10**2 - y * y)) * 2 * math.sqrt(16 - y * y), -4, 4)[0]
    assert taken == pytest.approx(2 * each, rel=0.002)
    assert checked(whole).findings == ()


def test_where_there_is_no_bore_it_is_said_at_the_field() -> None:
    problems = plan(job(False, depth_to="bore")).steps[-1].answers.problems
    assert [(p.field, p.blocks) for p in problems] == [("depth_to", True)]
    assert problems[0].text.startswith("There is no bore under each of the holes")


def test_a_depth_that_comes_out_into_the_bore_is_noted() -> None:
    for depth, told in (("20", True), ("15", False)):
        problems = [p for p in plan(job(True, depth=depth)).steps[-1].answers.problems if p.field == "depth_to"]
        assert [(p.blocks, "Into the bore" in p.text) for p in problems] == ([(False, True)] if told else [])
        found = [(f.kind, f.severity) for f in checked(job(True, depth=depth)).findings]
        assert found == ([("comes-out", "note")] if told else [])


def test_holes_in_the_face_have_no_bore_to_come_out_into() -> None:
    at = job(True, works_on="end", points="20, 0", depth="12")
    assert plan(at).steps[-1].answers.problems == ()
