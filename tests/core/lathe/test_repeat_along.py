"""Steps of a lathe done again further along the axis."""

from __future__ import annotations

import pytest
import shapely

from bastler.core.engine import Engine
from bastler.core.job.document import Job, Step
from bastler.core.moves import Curve, Either, Feed, Rapid, ThreadCut, ThreadCycle, TurnCycle
from bastler.core.planner import plan
from bastler.core.planning.placing import moved_along
from bastler.core.plans.plan import StepPlan
from bastler.core.request import Request
from tests.turned import lathe_job

GROOVE = Step(
    id="groove",
    cycle="groove",
    values={"where": "outside", "middle_z": "-8", "width": "4", "surface": "50", "bottom": "44", "tool": "7"},
)
THREAD = Step(
    id="thread",
    cycle="turn_thread",
    values={"diameter": "50", "pitch": "1.5", "tool": "11", "start_z": "0", "end_z": "-5"},
)


def again(**values: str) -> Step:
    return Step(id="again", cycle="repeat_along", values={"steps": "groove", "pitch": "9", "times": "3", **values})


def last(job: Job) -> StepPlan:
    return plan(job).steps[-1]


def test_each_copy_is_as_far_from_the_one_before() -> None:
    job = lathe_job(GROOVE, again())
    checked = Engine().check(Request(job))
    assert [f.text for f in checked.findings] == []
    for k in range(4):
        middle = shapely.clip_by_rect(checked.section.stock, -9.5 - 9 * k, 0, -6.5 - 9 * k, 30)
        assert middle.bounds[3] == pytest.approx(22.0, abs=2e-3)
    assert shapely.clip_by_rect(checked.section.stock, -80, 0, -40, 30).bounds[3] == pytest.approx(25.0)


def test_several_steps_are_done_again_tool_by_tool() -> None:
    step = last(lathe_job(GROOVE, THREAD, again(steps="groove, thread", pitch="12", times="2")))
    assert [p.cycle.id for p in step.parts] == ["groove", "groove", "turn_thread", "turn_thread"]
    threads = [c.thread for c in step.cleared if c.thread]
    assert [t.start[0] for t in threads if t] == pytest.approx([-12.0, -24.0])


def test_a_copy_that_has_no_metal_or_no_room_says_so() -> None:
    nowhere = last(lathe_job(GROOVE, again(pitch="-30", times="1")))
    assert any("finds no metal here" in p.text for p in nowhere.answers.problems)
    in_the_jaws = last(lathe_job(GROOVE, again(pitch="85", times="1")))
    assert not in_the_jaws.answers.complete


def test_what_can_t_be_repeated_is_told() -> None:
    unfinished = GROOVE.changed(values={"where": "outside"})
    assert any("asks for something" in p.text for p in last(lathe_job(unfinished, again())).answers.problems)
    assert any("already are" in p.text for p in last(lathe_job(GROOVE, again(pitch="0"))).answers.problems)


def test_every_kind_of_move_is_moved() -> None:
    moves = [
        Rapid(1, None, 2), Rapid(1), Feed(1, None, 2, 0.1), Curve(1, 2, (3, 4), True, 0.1), ThreadCut(None, 2, 1.5),
        Either((TurnCycle(False, (Rapid(1), Feed(1, None, 2, 0.1)), 1, 1, (0, 0), 0.1),), (ThreadCycle(1, 2, 1, 1, 1, 1, 60, 0, 1),)),
    ]  # fmt: skip
    there = moved_along(moves, 10)
    assert [getattr(m, "z", None) for m in there[:5]] == [12, None, 12, 12, 12]
    assert there[3].centre == (13, 4)  # type: ignore[union-attr]
    cycle = there[5]
    assert isinstance(cycle, Either)
    assert cycle.short[0].profile[1].z == 12  # type: ignore[union-attr]
    assert cycle.long[0].z == 12  # type: ignore[union-attr]
    assert moved_along(there, -10) == moves
