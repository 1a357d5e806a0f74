"""What a turner would object to: rubbing along finished metal, slivers, a groove cut in full width at last, many pieces for one arc."""

from __future__ import annotations

import math
from itertools import pairwise

import pytest

from bastler.core.engine import Engine
from bastler.core.job.document import Job, Step
from bastler.core.moves import Curve, Feed, Move, Rapid
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.turned import lathe_job, lines

ROUGH, FINISH = 0.3, 0.1
FEEDS = {"feed": str(ROUGH), "feed_finish": str(FINISH)}
NOSE = 0.8


def moves(job: Job) -> list[Move]:
    return list(plan(job).steps[0].moves)


def cuts(job: Job, feed: float) -> list[Feed | Curve]:
    return [m for m in moves(job) if isinstance(m, Feed | Curve) and m.feed == feed]


def shoulder(**values: str) -> Job:
    """Turned down to a shoulder with a chamfer in front."""
    contour = lines("shoulder", 26, (-2, 30), (-30, 30), (-30, 50))
    asked = {"shape": "contour", "contour": "shoulder", "tool": "1", "leave_x": "0.2", "leave_z": "0.1", **FEEDS}
    return lathe_job(Step(id="turn", cycle="turn", values={**asked, **values}), contours=(contour,))


def face(**values: str) -> Job:
    asked = {"face_z": "0", "tool": "1", "leave_z": "0.2", **FEEDS}
    return lathe_job(Step(id="face", cycle="end_face", values={**asked, **values}))


def groove(**values: str) -> Job:
    asked = {
        "where": "outside", "tool": "7", "middle_z": "-15", "width": "8", "surface": "50", "bottom": "40", "feed": str(ROUGH),
        "feed_walls": str(FINISH), "leave": "0.1",
    }  # fmt: skip
    return lathe_job(Step(id="groove", cycle="groove", values={**asked, **values}))


@pytest.mark.parametrize("way", ["in", "out"])
def test_the_face_is_finished_straight_across_the_edge_of_the_bar(way: str) -> None:
    found = cuts(face(finish_way=way), FINISH)
    assert all(isinstance(m, Feed) and m.z == pytest.approx(0.0, abs=1e-6) for m in found)
    assert max(m.x for m in [*found, *(m for m in moves(face(finish_way=way)) if isinstance(m, Rapid) and m.x)]) > 25.0
    along = [m for m in moves(face(finish_way=way)) if isinstance(m, Rapid | Feed) and m.z is not None and m.z < -1e-6]
    assert along == [], "nothing runs along the bar behind its face"


@pytest.mark.parametrize("tool", ["1", "2", "4"])
@pytest.mark.parametrize("way", ["in", "out"])
def test_a_tube_is_faced_into_its_bore_and_no_further(way: str, tool: str) -> None:
    """Past the edge by the nose and a little; the flank doesn't slide along it, and no pass cuts air down to the axis."""
    asked = {"face_z": "0", "tool": tool, "leave_z": "0.2", "finish_way": way, **FEEDS}
    job = lathe_job(Step(id="face", cycle="end_face", values=asked), tube=True)
    nose = {"1": 0.8, "2": 0.4, "4": 0.8}[tool]
    for feed in (ROUGH, FINISH):
        found = cuts(job, feed)
        assert min(m.x for m in found if m.x is not None) >= 11.0 - 2 * nose - 0.2 - 3.01
        assert min((m.z for m in found if m.z is not None), default=0.0) >= -1e-6
    checked = Engine().check(Request(job))
    assert [f.text for f in checked.findings if f.severity != "note"] == []
    assert checked.section.stock.bounds[2] == pytest.approx(0.0, abs=1e-6)


def test_a_shoulder_is_left_straight_outwards() -> None:
    last = cuts(shoulder(), FINISH)[-1]
    assert isinstance(last, Feed)
    assert (last.x, last.z) == (pytest.approx(25.2), pytest.approx(-30.0))
    assert min(m.z for m in cuts(shoulder(), ROUGH) if m.z is not None) == pytest.approx(-29.9)


def test_what_lies_in_front_of_an_edge_is_finished_too() -> None:
    """The nose rolls round the edge of the neck, and the straight line before it still has metal on it."""
    contour = lines("neck", 30, (-15, 30), (-18, 24), (-25, 24), (-28, 30), (-40, 30))
    asked = {"shape": "contour", "contour": "neck", "tool": "4", "leave_x": "0.2", "leave_z": "0.1", **FEEDS}
    first = cuts(lathe_job(Step(id="turn", cycle="turn", values=asked), contours=(contour,)), FINISH)[0]
    assert isinstance(first, Feed)
    assert first.z == pytest.approx(-15.0 - NOSE, abs=1e-3)


def test_unequal_allowances_leave_arcs_as_arcs() -> None:
    """Round the chamfer's ends goes one arc each, of the nose and the smaller allowance."""
    every = moves(shoulder())
    arcs = [(every[k - 1], m) for k, m in enumerate(every) if isinstance(m, Curve) and m.feed == ROUGH]
    assert len(arcs) == 2, "each of two passes runs round a part of it"
    for before, arc in arcs:
        assert isinstance(before, Feed)
        assert math.dist((before.z or 0.0, before.x or 0.0), arc.centre) == pytest.approx(NOSE + 0.1, abs=0.04)


def test_no_pass_is_a_sliver() -> None:
    """The lowest place of the nose is beside the chamfer, below what a pass along the floor takes."""
    every = moves(shoulder(depth_per_pass="2"))
    starts = [
        m.x
        for k, m in enumerate(every)
        if isinstance(m, Feed) and m.feed == ROUGH and isinstance(every[k - 1], Rapid) and m.x is not None
    ]
    steps = [a - b for a, b in pairwise(starts)]
    assert len(starts) == 6
    assert max(steps) == pytest.approx(min(steps))


@pytest.mark.parametrize("edge", ["0", "0.2"])
@pytest.mark.parametrize("width", ["3", "3.003", "3.01", "3.05", "3.1", "3.15", "3.19", "3.2"])
def test_a_groove_hardly_wider_than_its_blade_is_plunged_to_its_bottom(width: str, edge: str) -> None:
    deep = [m.x for m in cuts(groove(width=width, edge=edge), ROUGH)]
    assert len(deep) == 1
    assert 20.0 - 1e-9 <= deep[0] <= 20.1 + 1e-9


def test_plunges_lie_evenly_and_none_only_scratches() -> None:
    job = groove(width="20", edge="0.4", edge_form="radius", corner="0.2")
    every = moves(job)
    plunges = [
        (next(b.z for b in reversed(every[:k]) if getattr(b, "z", None) is not None), m.x)
        for k, m in enumerate(every)
        if isinstance(m, Feed) and m.feed == ROUGH
    ]
    across = sorted(z for z, _ in plunges)
    assert all(x == pytest.approx(20.1, abs=0.01) for _, x in plunges)
    # From wall to wall less what stays there, with the blade of 3.
    assert across[-1] - across[0] == pytest.approx(20 - 3 - 0.2, abs=0.05)
    assert max(b - a for a, b in pairwise(across)) < 0.85 * 3 + 1e-6
    assert min(b - a for a, b in pairwise(across)) > 0.5 * 3
    first = plunges[0][0] + 1.5
    assert abs(first - -15) < 1.5, "the middle one first"


@pytest.mark.parametrize("edge", ["0", "0.4"])
def test_a_wall_is_finished_without_rubbing_along_the_land_beside_it(edge: str) -> None:
    every = moves(groove(edge=edge, edge_form="radius"))
    for k, m in enumerate(every):
        if not isinstance(m, Feed) or m.feed != FINISH or m.x < 25.0 - 0.01:
            continue
        before = every[k - 1]
        sideways = m.z is not None and getattr(before, "z", m.z) not in (None, pytest.approx(m.z))
        assert not sideways, "along the bar's surface the blade only comes down"


@pytest.mark.parametrize(("feed", "held"), [("0.15", False), ("0.4", True)])
def test_a_suggested_depth_is_within_the_power_of_the_spindle(feed: str, held: bool) -> None:
    job = shoulder(feed=feed, cutting_speed="260")
    assert ("kW" in plan(job).steps[0].answers.suggestions["depth_per_pass"].reason) == held
    power = float(Engine().check(Request(job)).power.max())
    assert 0.3 < power < 0.95


@pytest.mark.parametrize("depth", ["0.5", "2"])
def test_a_slim_insert_leaves_no_cone_at_the_axis(depth: str) -> None:
    job = face(tool="2", face_z="-0.5", depth_per_pass=depth, leave_z="0")
    assert [f.text for f in Engine().check(Request(job)).findings if f.severity != "note"] == []
