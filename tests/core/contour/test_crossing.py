"""Closed contours that cross themselves are refused where they are used, with the place."""

from __future__ import annotations

import pytest
from msgspec.structs import replace

from bastler.core.geometry.crossing import crossing
from bastler.core.geometry.path import Arc, Line, Path, rounded_rectangle
from bastler.core.job.document import ContourRecord, Step
from bastler.core.planner import plan
from tests.jobs import plate
from tests.turned import element

BOW = Path((0.0, 0.0), (Line((40.0, 30.0)), Line((40.0, 0.0)), Line((0.0, 30.0)), Line((0.0, 0.0))))


def test_a_bow_tie_crosses_in_its_middle() -> None:
    assert crossing(BOW) == (pytest.approx(20.0), pytest.approx(15.0))


@pytest.mark.parametrize(
    "path",
    [
        rounded_rectangle(30, 20, 6),
        rounded_rectangle(30, 6, 6),
        Path((10.0, 0.0), (Arc((-10.0, 0.0), (0.0, 0.0), True), Arc((10.0, 0.0), (0.0, 0.0), True))),
        Path((0.0, 0.0), (Line((40.0, 0.0)), Line((20.0, 1.0)), Line((0.0, 30.0)), Line((0.0, 0.0)))),
    ],
)
def test_a_plain_loop_does_not(path: Path) -> None:
    assert crossing(path) is None


@pytest.mark.parametrize("cycle", ["contour_pocket", "outside", "outline", "face"])
def test_a_step_says_where(cycle: str) -> None:
    record = ContourRecord(
        id="bow",
        name="bow",
        values={"start_x": "60", "start_y": "40"},
        elements=tuple(element("line", x=x, y=y) for x, y in ((100, 70), (100, 40), (60, 70), (60, 40))),
    )
    values = {"contour": "bow", "depth": "4", "tool": "2", "shape": "contour", "area": "contour", "level": "-1"}
    job = replace(plate(Step(id="a", cycle=cycle, values=values)), contours=(record,))
    texts = [p.text for p in plan(job).steps[0].answers.problems if p.blocks]
    assert any("crosses itself at 80, 55" in t for t in texts), texts
