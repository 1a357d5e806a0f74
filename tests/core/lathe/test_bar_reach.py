"""Bars that go deeper than they stand out: what clamps them would touch, and the person reads why."""

from __future__ import annotations

import pytest
import shapely

from bastler.core.engine import Engine
from bastler.core.job.document import Job, Step
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.turned import lathe_job, lines

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
    assert "can't reach" in problem.text or "stands out 40, and goes" in problem.text


def test_a_recess_behind_a_narrow_place_is_cut_and_left() -> None:
    """The bar lifts as far as the narrow place wants, and no further: its back is near the other side of the bore."""
    contour = lines("neck", 28, (-6, 24), (-6.8, 22.4), (-10, 22.4), (-10.8, 24.2), (-22, 24.2), (-25, 23))
    values = {"where": "inside", "shape": "contour", "contour": "neck", "tool": "6", "depth_per_pass": "1"}
    job = lathe_job(Step(id="a", cycle="turn", values=values), contours=(contour,), tube=True)
    assert [p.text for p in plan(job).steps[0].answers.problems if p.blocks] == []
    checked = Engine().check(Request(job))
    assert [f.text for f in checked.findings if f.severity == "stop"] == []
    assert shapely.clip_by_rect(checked.section.stock, -18.1, 0, -18.0, 30).bounds[1] == pytest.approx(12.1, abs=2e-3)
