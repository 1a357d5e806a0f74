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


CORNER_MM = 9.0
"""In a corner there is no room for the arc: it begins so far beside it."""
PLACES = ("60, 95", "140, 60", "100, 20", "135, 95")
CASES = {
    "pocket": {"centre_x": "100", "centre_y": "60", "length": "60", "width": "50", "corner": "8", "depth": "6", "angle": "20"},
    "round": {"points": "100, 60", "diameter": "50", "depth": "6"},
    "outside": {"centre_x": "100", "centre_y": "60", "length": "90", "width": "60", "corner": "8", "depth": "6", "angle": "20"},
    "contour_pocket": {"contour": "~outline", "depth": "6", "top": "0"},
}  # fmt: skip


@pytest.mark.parametrize("compensation", ["planner", "control"])
@pytest.mark.parametrize("place", PLACES)
@pytest.mark.parametrize("cycle", CASES)
def test_a_wall_s_pass_begins_and_ends_near_the_place_that_was_chosen(
    cycle: str, place: str, compensation: str
) -> None:
    values = {**CASES[cycle], "compensation": compensation, "joint": place}
    moves = wall(cycle, **values)
    near = tuple(float(x) for x in place.split(","))
    # In the wall's pass only the straight moves on to the arc and off it, and straight walls, have its feed as it was typed.
    first = next(k for k, m in enumerate(moves) if m.feed == FEED and m.x is not None)
    points = [(m.x, m.y) for m in moves[first:] if m.x is not None and m.y is not None]
    nearest = min(math.dist(p, near) for p in points)
    on, off = points[1], points[-3]
    assert math.dist(on, near) < nearest + CORNER_MM
    assert math.dist(off, near) < nearest + CORNER_MM


def test_one_place_is_enough() -> None:
    asked = {"tool": "2", "joint": "1, 2; 3, 4", **CASES["pocket"]}
    answers = plan(plate(Step(id="p", cycle="pocket", values=asked))).steps[0].answers
    assert [p.field for p in answers.problems if p.blocks] == ["joint"]
