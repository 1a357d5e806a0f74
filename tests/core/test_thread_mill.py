"""Threads by a helix: one turn of the right hand and pitch, in a hole that suits."""

from __future__ import annotations

import math

import pytest

from bastler.core.engine import Engine
from bastler.core.job.document import Step
from bastler.core.moves import Turn
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.jobs import MORE_DRILLS, THREAD_MILL, TOOLS, changed, plate

HOLE = Step(id="hole", cycle="drill", values={"points": "50, 50", "diameter": "8.75", "depth": "16", "top": "2"})
MILL = Step(id="mill", cycle="threadmill", values={"points": "50, 50", "thread": "M10x1.25", "depth": "14", "top": "2"})


def planned(*steps):
    return plan(plate(*steps, tools=(*TOOLS, *MORE_DRILLS, THREAD_MILL)))


@pytest.mark.parametrize(("hand", "sign"), [("right", 1), ("left", -1)])
def test_one_turn_makes_one_pitch_of_the_right_hand(hand: str, sign: int) -> None:
    turns = [m for m in planned(HOLE, changed(MILL, hand=hand)).steps[1].moves if isinstance(m, Turn)]
    z = [m.z for m in turns]
    whole = [m for m in turns if math.dist((m.x, m.y), m.centre) == pytest.approx(10 / 2 - 7.5 / 2)]
    assert len(whole) == 3, "14 deep with threads of 6.25: three rounds"
    assert all(m.ccw for m in turns)
    for i in range(0, len(turns), 3):
        assert z[i + 1] - z[i] == pytest.approx(sign * 1.25)
        assert z[i + 2] - z[i + 1] == pytest.approx(sign * 0.625)
    assert min(z) == pytest.approx(-12.0 + (0.625 if sign > 0 else 0.0))
    starts = [z[i] - sign * 0.625 for i in range(0, len(turns), 3)]
    assert starts[1] - starts[0] == pytest.approx(6.25), "whole pitches apart"


def test_it_checks_clean_and_cuts_next_to_nothing_of_the_core_hole() -> None:
    job = plate(HOLE, MILL, tools=(*TOOLS, *MORE_DRILLS, THREAD_MILL))
    checked = Engine().check(Request(job, cell=0.1))
    assert checked.findings == ()
    assert checked.removed[checked.step_of_move == 1].sum() < 0.01 * checked.removed[checked.step_of_move == 0].sum()


@pytest.mark.parametrize(
    ("hole", "answers", "field", "sentence"),
    [
        ({}, {"thread": "M10"}, "tool", "Tool 14 has pitch 1.25; M10 has 1.5"),
        ({}, {"thread": "M8"}, "tool", "too thick for M8"),
        ({"depth": "8"}, {}, "depth", "Hole 1 is too shallow"),
        ({"diameter": "6.6"}, {}, "depth", "Hole 1 is too narrow"),
        ({"diameter": "9"}, {}, "thread", "Hole 1 is 9, too wide for M10x1.25: drill 8.8"),
        ({}, {"tool": "3"}, "tool", "of another kind: thread mill"),
    ],
)
def test_what_does_not_suit_is_told(hole: dict, answers: dict, field: str, sentence: str) -> None:
    problems = (
        planned(
            changed(HOLE, **hole),
            changed(MILL, tool="14", **answers) if "tool" not in answers else changed(MILL, **answers),
        )
        .steps[1]
        .answers.problems
    )
    assert any(p.field == field and sentence in p.text for p in problems), problems


def test_the_mill_is_suggested_by_its_pitch() -> None:
    found = planned(HOLE, MILL).steps[1]
    assert found.answers.values.tool.number == 14
    assert "the thickest of this pitch that fits" in found.answers.suggestions["tool"].reason
    assert planned(HOLE, changed(MILL, thread="M10")).steps[1].answers.missing == ("tool",)
