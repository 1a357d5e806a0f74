"""Bars that go deeper than they stand out: what clamps them would touch, and the person reads why."""

from __future__ import annotations

import pytest

from bastler.core.job.document import Job, Step
from bastler.core.planning.planner import plan
from tests.turned import lathe_job

STEPS = {
    "turn": {"where": "inside", "shape": "cylinder", "diameter": "30", "tool": "5"},
    "groove": {"where": "inside", "width": "4", "surface": "22", "bottom": "26", "corner": "0.2", "tool": "8"},
    "turn_thread": {"where": "inside", "diameter": "24", "pitch": "2", "tool": "12"},
}
DEEP = {"turn": "length", "groove": "middle_z", "turn_thread": "end_z"}


def job(cycle: str, deep: float) -> Job:
    at = deep if cycle == "turn" else -deep
    return lathe_job(Step(id="a", cycle=cycle, values={**STEPS[cycle], DEEP[cycle]: f"{at}"}), tube=True)


def told(cycle: str, deep: float) -> list[str]:
    return [p.text for p in plan(job(cycle, deep)).steps[0].answers.problems if p.blocks]


@pytest.mark.parametrize("cycle", STEPS)
def test_as_deep_as_the_bar_stands_out(cycle: str) -> None:
    assert told(cycle, 30.0) == []


@pytest.mark.parametrize("cycle", ["groove", "turn_thread"])
def test_deeper_than_the_bar_stands_out(cycle: str) -> None:
    (text,) = told(cycle, 60.0)
    assert "stands out 45, and goes" in text
    assert "Clamp it longer" in text


def test_a_bore_that_is_too_deep_for_its_bar_stays_partly_uncut() -> None:
    step = plan(job("turn", 60.0)).steps[0]
    (problem,) = [p for p in step.answers.problems if p.field == "tool"]
    assert "doesn't get to" in problem.text or "stands out 40, and goes" in problem.text
