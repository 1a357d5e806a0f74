"""Cutting data of one's own: read, written, before the tables, and kept from what was typed in a step."""

from __future__ import annotations

import pytest

from bastler.core.job.document import Step
from bastler.core.planner import plan
from bastler.core.plans.keeping import typed_values
from bastler.core.problems import Unusable
from bastler.core.tooling.cuttingdata import cutting_speed, feed_per_tooth
from bastler.core.tooling.kinds import read_tool
from bastler.core.tooling.materials import materials
from bastler.core.tooling.owndata import Own, kept, own_for, parse_own, written
from tests.jobs import END_MILL, TOOLS, changed, plate

POCKET = Step(id="p", cycle="pocket", values={"centre_x": "60", "centre_y": "60", "length": "60", "width": "40", "corner": "6", "depth": "10", "tool": "2"})  # fmt: skip


def mill(**values: str):  # type: ignore[no-untyped-def]
    tool, answers = read_tool(2, "end-mill", "end mill 10", {**END_MILL.values, **values})
    assert tool is not None, answers.problems
    return tool


@pytest.mark.parametrize(
    "text", ["C45: 120 m/min, 0.06 per edge, 5 deep, 3 beside", "P: 90 m/min; C45: 4 deep", "AW-6082: 0.1 per edge"]
)
def test_what_is_written_is_read_again(text: str) -> None:
    assert written(parse_own(text)) == text


@pytest.mark.parametrize("text", ["steel: 5 deep", "C45: fast", "C45: 5 wide", "C45: -3 deep", "C45 5 deep"])
def test_what_cannot_be_read_says_an_example(text: str) -> None:
    with pytest.raises(Unusable, match="C45: 120 m/min"):
        parse_own(text)
    tool, answers = read_tool(2, "end-mill", "end mill 10", {**END_MILL.values, "own": text})
    assert tool is None
    assert [p.field for p in answers.problems] == ["own"]


def test_a_material_comes_before_its_group_and_both_before_the_tables() -> None:
    tool, c45, s235 = mill(own="P: 90 m/min, 0.03 per edge; C45: 120 m/min"), materials()["C45"], materials()["S235"]
    assert own_for(tool, c45) == Own("C45", 120.0)
    assert cutting_speed(tool, c45) == 120
    assert cutting_speed(tool, s235) == 90
    assert feed_per_tooth(tool, s235) == pytest.approx(0.03)
    assert feed_per_tooth(tool, c45) == pytest.approx(c45.fz_mill * 10)


def test_a_coating_shifts_the_speed_of_the_tables() -> None:
    c45 = materials()["C45"]
    assert cutting_speed(mill(coating="bare"), c45) == pytest.approx(0.75 * cutting_speed(mill(), c45))
    assert cutting_speed(mill(material="hss", coating="coated"), c45) > cutting_speed(mill(material="hss"), c45)


def test_a_step_takes_them_and_says_so() -> None:
    tools = tuple(t.changed(values={**t.values, "own": "S235: 100 m/min, 0.05 per edge, 4 deep, 2 beside"}) if t.number == 2 else t for t in TOOLS)  # fmt: skip
    answers = plan(plate(POCKET, tools=tools)).steps[0].answers
    assert (answers.values.depth_per_pass, answers.values.side_step) == (4, 2)
    for key in ("depth_per_pass", "side_step", "speed"):
        assert "your own for end mill 10 in S235" in answers.suggestions[key].reason


def test_typed_values_are_kept_and_come_back_as_suggestions() -> None:
    typed = changed(POCKET, speed="3000", feed="600", depth_per_pass="5", side_step="3")
    new = typed_values(plan(plate(typed)).steps[0])
    assert new is not None
    assert new.of == "S235"
    assert new.depth == 5
    text = written(kept((), new))
    tools = tuple(t.changed(values={**t.values, "own": text}) if t.number == 2 else t for t in TOOLS)
    again = plan(plate(POCKET, tools=tools)).steps[0].answers.values
    assert again.speed == pytest.approx(3000, rel=0.03)
    assert (again.depth_per_pass, again.side_step) == (5, 3)
    assert again.feed / again.speed == pytest.approx(0.2, rel=0.05)


def test_without_typed_values_there_is_nothing_to_keep() -> None:
    assert typed_values(plan(plate(POCKET)).steps[0]) is None
