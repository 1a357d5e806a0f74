"""Gather by tool: a tool comes in once for all that it can do then, in recipes too, and nothing is cut before what it stands on."""

from __future__ import annotations

from itertools import groupby

import pytest

from bastler.core.benches import post
from bastler.core.engine import Engine
from bastler.core.job.document import Job, Step
from bastler.core.planner import plan
from bastler.core.post.dialect import dialects
from bastler.core.request import Request
from tests.jobs import HOLE_TOOLS, TOOLS, plate


def recipe(key: str, points: str, **more: str) -> Step:
    return Step(
        id=key, cycle="recipe", values={"hole": "thread", "thread": "M8", "points": points, "depth": "12", **more}
    )


def tools(job: Job) -> list[int]:
    """Tools in the order in which the program takes them, from its text."""
    program = post(plan(job), dialects()["iso-mill"])
    words = [w for line in program.lines for w in line.split() if w[0] == "T" and w[1:].isdigit()]
    return [int(word[1:]) for word, _ in groupby(words)]


def job_of(*steps: Step, gather: bool = False) -> Job:
    return plate(*steps, tools=(*TOOLS, *HOLE_TOOLS), gather=gather)


def apart(gather: bool) -> Job:
    return job_of(recipe("a", "20, 20; 40, 20"), recipe("b", "120, 60; 150, 60"), gather=gather)


def test_two_recipes_of_one_thread_change_each_tool_once() -> None:
    alone, twice, gathered = tools(job_of(recipe("a", "20, 20"))), tools(apart(False)), tools(apart(True))
    assert len(alone) > 1
    assert twice == [*alone, *alone]
    assert gathered == alone


def test_every_part_is_cut_once_and_in_its_own_order() -> None:
    planned = plan(apart(True))
    for index, step in enumerate(planned.steps):
        seen = [k for stint in planned.stints if stint.index == index for k in stint.parts]
        assert seen == list(range(len(step.parts)))


@pytest.mark.parametrize("gather", [False, True])
def test_the_stock_is_the_same_either_way(gather: bool) -> None:
    checked = Engine().check(Request(apart(gather), cell=0.5))
    assert [f.text for f in checked.findings if f.severity == "stop"] == []
    other = Engine().check(Request(apart(not gather), cell=0.5))
    assert (checked.field.heights == other.field.heights).all()


def test_holes_in_one_place_keep_their_order() -> None:
    """The second recipe's spot would stand in the first one's thread."""
    job = job_of(recipe("a", "20, 20"), recipe("b", "20, 20", thread="M10"), gather=True)
    planned = plan(job)
    assert list(dict.fromkeys(s.index for s in planned.stints)) == [0, 1]
    assert all(not stint.parts for stint in planned.stints)
