"""Steps of driven tools done again along the axis and round it."""

from __future__ import annotations

import pytest

from bastler.core.engine import Engine
from bastler.core.job.document import Job, Step
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.hub import FACE, TURN, hub

SIDE = {"from_axis": "29", "at_angle": "15"}
HOLE = Step(id="hole", cycle="drill", values={**SIDE, "works_on": "round", "points": "-8, 0", "diameter": "8", "depth": "9"})  # fmt: skip
SLOT = Step(id="slot", cycle="slot", values={**SIDE, "works_on": "unrolled", "centre_x": "-12", "centre_y": "4", "width": "8", "measured": "centres", "depth": "3", "angle": "35", "length": "12"})  # fmt: skip
POCKET = Step(id="pocket", cycle="pocket", values={"works_on": "end", "moved_by": "c", "length": "14", "width": "10", "corner": "3", "depth": "2", "centre_x": "16", "centre_y": "2"})  # fmt: skip
THREAD = Step(id="thread", cycle="recipe", values={"works_on": "end", "hole": "thread", "thread": "M5", "points": "20, 3", "depth": "8"})  # fmt: skip


def repeated(one: Step, pitch: str, turn: str, times: str) -> Job:
    """The hub with a step and its repetition."""
    again = Step(id="again", cycle="repeat_along", values={"steps": one.id, "pitch": pitch, "turn": turn, "times": times})  # fmt: skip
    return hub(FACE, TURN, one, again)


@pytest.mark.parametrize(("one", "pitch", "turn"), [(HOLE, "12", "40"), (HOLE, "11", "0"), (SLOT, "13", "75"), (POCKET, "0", "120"), (THREAD, "0", "50")])  # fmt: skip
def test_each_copy_takes_as_much_metal(one: Step, pitch: str, turn: str) -> None:
    """Three in all take three times as much of the bar as one, and the check has nothing to say."""
    bare, single, all_three = (
        Engine().check(Request(job)) for job in (hub(FACE, TURN), hub(FACE, TURN, one), repeated(one, pitch, turn, "2"))
    )
    assert all_three.findings == ()
    taken = bare.volume_after - single.volume_after
    assert bare.volume_after - all_three.volume_after == pytest.approx(3 * taken, rel=0.005 if one is THREAD else 0.002)


def test_copies_lie_where_they_were_sent() -> None:
    parts = plan(repeated(HOLE, "12", "40", "2")).steps[-1].parts
    assert [p.surfaces[0].angle for p in parts] == [55.0, 95.0]
    assert [p.moves[0].x for p in parts] == [-20.0, -32.0]  # type: ignore[union-attr]
    # As a person would type them.
    assert [(p.step.values["at_angle"], p.step.values["points"]) for p in parts] == [("55", "-20, 0"), ("95", "-32, 0")]


def test_what_lies_nowhere_else_is_said_at_the_pitch() -> None:
    both = repeated(HOLE, "0", "30", "1")
    steps = both.setups[0].steps
    both = hub(*steps[:-1], steps[-1].changed(values={**steps[-1].values, "steps": "turn, hole"}))
    for job, said in ((repeated(POCKET, "5", "30", "1"), "is on the end face"), (both, "the same all round")):
        problems = [p for p in plan(job).steps[-1].answers.problems if p.blocks]
        assert [p.field for p in problems] == ["pitch"]
        assert said in problems[0].text
