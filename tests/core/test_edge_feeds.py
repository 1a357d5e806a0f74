"""Feeds on arcs are the edge's: D − d over D inside, and the other way round outside."""

from __future__ import annotations

import math

import pytest

from bastler.core.job.document import Step
from bastler.core.moves import Compensate, Move, Turn
from bastler.core.planner import plan
from bastler.core.planning.edgefeed import at_the_edge, share_on
from tests.jobs import HOLE_TOOLS, TOOLS, plate


@pytest.mark.parametrize(("bore", "mill"), [(14.0, 10.0), (26.0, 10.0), (100.0, 20.0)])
def test_a_bore_feeds_its_diameter_less_the_tools_over_its_diameter(bore: float, mill: float) -> None:
    way = (bore - mill) / 2
    round_ = Turn(way, 0.0, (0.0, 0.0), True, 1000.0)
    assert share_on(round_, mill / 2, "right") == pytest.approx((bore - mill) / bore)
    assert share_on(round_, mill / 2, "both") == pytest.approx((bore - mill) / bore)


def test_a_post_feeds_more_than_its_edge() -> None:
    round_ = Turn(25.0, 0.0, (0.0, 0.0), False, 1000.0)
    assert share_on(round_, 5.0, "right") == pytest.approx(math.sqrt(25 / 20))
    assert share_on(round_, 5.0, "left") == pytest.approx(25 / 30)


def test_a_wall_that_the_control_offsets_counts_as_the_way_beside_it() -> None:
    moves: list[Move] = [Compensate("left"), Turn(20.0, 0.0, (0.0, 0.0), True, 300.0), Compensate(None)]
    assert at_the_edge(moves, 5.0, "right", 1000.0)[1] == Turn(20.0, 0.0, (0.0, 0.0), True, 300.0 * 15 / 20)


@pytest.mark.parametrize(
    "step",
    [
        Step(id="round", cycle="round", values={"points": "60, 60", "diameter": "14", "depth": "6", "tool": "2"}),
        Step(id="pocket", cycle="pocket", values={"centre_x": "60", "centre_y": "60", "length": "40", "width": "30", "corner": "6", "depth": "6", "tool": "2"}),
    ],
)  # fmt: skip
def test_no_arc_in_a_pocket_gives_its_edge_more_than_the_steps_feed(step: Step) -> None:
    planned = plan(plate(step)).steps[0]
    v = planned.answers.values
    arcs = [m for m in planned.moves if isinstance(m, Turn) and not m.centred]
    assert arcs
    for m in arcs:
        path = math.dist((m.x, m.y), m.centre)
        assert m.feed * (path + v.tool.radius) / path <= max(v.feed, v.feed_finish, v.feed_floor) * 1.0001


def test_a_thread_mill_keeps_the_tables_feed_per_tooth_at_its_edge() -> None:
    drill = {"points": "50, 60", "diameter": "8.75", "depth": "15", "depth_to": "full"}
    thread = {"points": "50, 60", "thread": "M10x1.25", "depth": "10"}
    job = plate(Step(id="d", cycle="drill", values=drill), Step(id="t", cycle="threadmill", values=thread), tools=(*TOOLS, *HOLE_TOOLS))  # fmt: skip
    planned = plan(job).steps[1]
    v, material = planned.answers.values, planned.work.material
    whole = [m for m in planned.moves if isinstance(m, Turn) and math.dist((m.x, m.y), m.centre) > 1.0]
    assert whole
    for m in whole:
        edge = m.feed * v.thread.major / (v.thread.major - v.tool.diameter)
        assert edge / v.speed / v.tool.flutes <= 0.5 * material.fz_mill * v.tool.diameter * 1.001
