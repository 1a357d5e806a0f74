"""Tools compared for a step: those that fit, best first; the others with the reason."""

from __future__ import annotations

import pytest

from bastler.core.planner import plan
from bastler.core.plans.choices import Choice, tool_choices
from tests.jobs import BOLTS, BULL_MILL, FACE, LEFT, MORE_DRILLS, SMALL_MILL, TOOLS, changed, plate


def choices(*steps, key="tool", tools=(*TOOLS, BULL_MILL, SMALL_MILL)) -> list[Choice]:
    planned = plan(plate(*steps, tools=tools))
    step = planned.steps[-1]
    return tool_choices(step, step.cycle.field(key), planned.tools.values())


def test_mills_come_by_what_they_take_away() -> None:
    found = choices(FACE, LEFT)
    assert [(c.tool.number, c.fits) for c in found] == [(2, True), (5, True), (13, True)]
    assert found[0].suggested
    assert "the largest that fits radius 6" in found[0].sentence
    assert all("cm³/min with" in c.sentence and "% of the power" in c.sentence for c in found)
    assert found[1].rate > found[2].rate


@pytest.mark.parametrize(
    ("answers", "number", "why"),
    [
        ({"corner": "4.5"}, 2, "leaves radius 5 in the corners"),
        ({"depth": "15"}, 13, "its shank would rub"),
        ({"width": "9", "corner": "4.5"}, 2, "too big for a pocket 9 wide"),
        ({"entry": "plunge"}, 2, "may not plunge"),
    ],
)
def test_the_others_say_why(answers: dict[str, str], number: int, why: str) -> None:
    found = choices(FACE, changed(LEFT, **answers))
    out = next(c for c in found if c.tool.number == number)
    assert not out.fits
    assert why in out.sentence
    assert [c.fits for c in found] == sorted((c.fits for c in found), reverse=True)


def test_drills_must_have_the_size() -> None:
    found = choices(BOLTS, tools=(*TOOLS, *MORE_DRILLS))
    assert [c.tool.diameter for c in found if c.fits] == [6.8]
    assert all("the hole is 6.8" in c.sentence for c in found if not c.fits)


def test_a_step_that_still_asks_is_judged_as_drawn() -> None:
    found = choices(FACE, changed(LEFT, length="", corner="3"))
    assert [c.tool.number for c in found if c.fits] == [13]


def test_a_tool_that_the_job_lacks_is_judged_like_one_of_its_own() -> None:
    planned = plan(plate(FACE, LEFT, tools=TOOLS))
    other = plan(plate(FACE, LEFT, tools=(*TOOLS, BULL_MILL))).tools[5]
    step = planned.steps[-1]
    found = tool_choices(step, step.cycle.field("tool"), [other])
    assert [(c.tool.number, c.fits) for c in found] == [(5, True)]
