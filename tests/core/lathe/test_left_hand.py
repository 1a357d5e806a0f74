"""Turning tools that cut away from the chuck: the wall of a recess that faces it, which no right-hand one reaches."""

import pytest
import shapely

from bastler.core.engine import Engine
from bastler.core.geometry.halfsection import volume
from bastler.core.job.document import ContourRecord, Job, Step
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.turned import element, lathe_job

SHAFT = Step(id="shaft", cycle="turn", values={"shape": "cylinder", "diameter": "40", "length": "45", "tool": "1"})
RECESS = ContourRecord(
    id="recess",
    name="recess",
    values={"plane": "ZX", "start_z": "-10", "start_x": "40", "closed": "no"},
    elements=(element("line", z=-11, x=30), element("line", z=-30, x=30), element("line", z=-36, x=40)),
)


def job(*tools: str) -> Job:
    steps = [
        Step(id=f"with{t}", cycle="turn", values={"shape": "contour", "contour": "recess", "tool": t}) for t in tools
    ]
    return lathe_job(SHAFT, *steps, contours=(RECESS,))


def left_by(*tools: str) -> float:
    """mm³ that stay in the recess."""
    return sum(volume(c.area) for c in plan(job(*tools)).steps[-1].cleared if c.wanted)


def test_each_hand_leaves_the_wall_that_the_other_reaches() -> None:
    right, left = left_by("4"), left_by("18")
    assert right > 1000
    assert left_by("4", "18") < 0.01 * right
    assert left < right  # 6 mm of wall lean to the chuck, 1 mm to the front


def test_what_a_right_hand_tool_leaves_is_offered_to_a_left_hand_one() -> None:
    found = [p for p in plan(job("4")).steps[-1].answers.problems if p.remedy]
    assert [p.remedy for p in found] == [("tool", "18")]


@pytest.mark.parametrize("dialect", ["iso-lathe-a", "iso-lathe-b"])
def test_both_hands_together_check_without_a_stop(dialect: str) -> None:
    checked = Engine().check(Request(job("4", "18"), dialect=dialect))
    assert [f.text for f in checked.findings if f.severity == "stop"] == []
    stands = shapely.clip_by_rect(checked.section.stock, -28.0, 0.0, -12.0, 30.0)
    assert stands.bounds[3] == pytest.approx(15.0, abs=0.01)


def test_its_passes_run_away_from_the_chuck() -> None:
    step = plan(job("18")).steps[-1]
    cuts = [(m.z, n.z) for m, n in zip(step.moves, step.moves[1:], strict=False) if type(n).__name__ == "Feed"]
    runs = [b - a for a, b in cuts if a is not None and b is not None and abs(b - a) > 5]
    assert runs
    assert min(runs) > 0


def test_facing_asks_for_a_right_hand_one() -> None:
    (problem,) = (
        plan(lathe_job(Step(id="f", cycle="end_face", values={"face_z": "0", "tool": "18"}))).steps[0].answers.problems
    )
    assert "right-hand" in problem.text
