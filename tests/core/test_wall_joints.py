"""The pass that finishes a wall runs a little past the place where it began, in arcs on and off."""

from __future__ import annotations

import math

import pytest

from bastler.core.engine import Engine
from bastler.core.job.document import Step
from bastler.core.moves import Feed, Move, Turn
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.contours import CONTOURS
from tests.jobs import plate

FEED = 444.0


def wall(cycle: str, **values: str) -> list[Move]:
    """Moves at the finishing feed, between the arcs on and off."""
    asked = {"tool": "2", "feed_finish": str(FEED), "lead_radius": "2", "clear_by": "loops", **values}
    job = plate(Step(id="p", cycle=cycle, values=asked)).changed(contours=CONTOURS)
    assert [f.text for f in Engine().check(Request(job, cell=0.5)).findings if f.severity == "stop"] == []
    return [m for m in plan(job).steps[0].moves if isinstance(m, Feed | Turn)]


@pytest.mark.parametrize("compensation", ["planner", "control"])
def test_a_pocket_s_wall_is_cut_once_and_a_millimetre_more(compensation: str) -> None:
    moves = wall(
        "pocket",
        centre_x="60",
        centre_y="60",
        length="60",
        width="40",
        corner="8",
        depth="6",
        compensation=compensation,
    )
    arcs = [k for k, m in enumerate(moves) if isinstance(m, Turn) and math.dist(m.centre, (60.0, 60.0)) > 8 and m.ccw]
    off = moves[arcs[-1]]
    before = moves[arcs[-1] - 1]
    assert isinstance(before, Feed)
    assert before.x == pytest.approx(61.0)
    assert isinstance(off, Turn)
    assert off.centre[0] == pytest.approx(61.0)


def test_a_round_pocket_s_wall_has_no_straight_place_to_run_on() -> None:
    moves = wall("round", points="60, 60", diameter="40", depth="6")
    assert max(abs(m.centre[0] - 60.0) for m in moves if isinstance(m, Turn)) < 1e-6


@pytest.mark.parametrize("compensation", ["planner", "control"])
def test_the_wall_outside_too(compensation: str) -> None:
    moves = wall(
        "outside",
        length="100",
        width="60",
        corner="8",
        depth="6",
        centre_x="100",
        centre_y="60",
        compensation=compensation,
    )
    off = [m for m in moves if isinstance(m, Turn) and m.ccw][-1]
    assert off.centre[0] == pytest.approx(99.0)
