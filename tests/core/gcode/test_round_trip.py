"""What the post writes, the interpreter reads back as the same moves."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from bastler.core.benches import post
from bastler.core.gcode.control import Control
from bastler.core.gcode.interpreter import interpret
from bastler.core.gcode.motion import ARC, FEED, RAPID
from bastler.core.moves import Drill, Feed, Move, Pecks, Rapid, Turn
from bastler.core.planner import plan
from bastler.core.post.dialect import dialects
from tests.jobs import FACE, plate

ROUNDED_MM = 0.002
place = st.floats(-80, 80).map(lambda v: round(v, 3))


@st.composite
def moves(draw: st.DrawFn) -> list[Move]:
    result: list[Move] = [Rapid(0.0, 0.0), Rapid(z=10.0)]
    x, y = 0.0, 0.0
    for _ in range(draw(st.integers(1, 15))):
        kind = draw(st.sampled_from(("rapid", "feed", "turn", "circle")))
        if kind in ("rapid", "feed"):
            x, y, z = draw(place), draw(place), draw(place)
            result.append(Rapid(x, y, z) if kind == "rapid" else Feed(x, y, z, draw(st.integers(10, 3000))))
            continue
        cx, cy = x + draw(st.floats(1, 30)), y + draw(st.floats(-30, 30))
        ccw, z = draw(st.booleans()), draw(st.none() | place)
        if kind == "turn":
            angle = math.atan2(y - cy, x - cx) + draw(st.floats(0.3, 5.9)) * (1 if ccw else -1)
            radius = math.dist((x, y), (cx, cy))
            x, y = cx + radius * math.cos(angle), cy + radius * math.sin(angle)
        result.append(Turn(x, y, (cx, cy), ccw, 500, z))
    return result


def read_back(steps: list[Move]):  # type: ignore[no-untyped-def]
    planned = plan(plate(FACE))
    one = planned.steps[0]
    planned = replace(planned, steps=(replace(one, moves=tuple(steps)),))
    program = post(planned, dialects()["iso-mill"])
    result = interpret(program.text.encode(), Control(planned.tools, machine_origin=planned.frame.machine_origin))
    assert [f.text for f in result.findings] == []
    return result.motion, program


@given(moves())
@settings(max_examples=150)
def test_moves_come_back(steps: list[Move]) -> None:
    motion, _ = read_back(steps)
    x, y, z = 0.0, 0.0, 22.0
    expected = []
    for m in steps:
        assert isinstance(m, Rapid | Feed | Turn)
        x, y = (m.x if m.x is not None else x), (m.y if m.y is not None else y)
        z = m.z if m.z is not None else z
        expected.append((x, y, z))
    ends = motion.end[np.isin(motion.kind, (RAPID, FEED, ARC))]
    assert np.abs(ends[-2] - expected[-1]).max() < ROUNDED_MM  # the last move of all goes home
    found = [tuple(e) for e in ends]
    for want in expected:
        assert any(np.abs(np.subtract(e, want)).max() < ROUNDED_MM for e in found)
    for arc in np.flatnonzero(motion.kind == ARC):
        r0 = math.dist(motion.start[arc, :2], motion.centre[arc, :2])
        r1 = math.dist(motion.end[arc, :2], motion.centre[arc, :2])
        assert r0 == pytest.approx(r1, abs=ROUNDED_MM)


@given(moves())
@settings(max_examples=60)
def test_arcs_keep_their_turn(steps: list[Move]) -> None:
    motion, _ = read_back(steps)
    turns = [m for m in steps if isinstance(m, Turn)]
    arcs = np.flatnonzero(motion.kind == ARC)
    assert len(arcs) == len(turns)
    for i, m in zip(arcs, turns, strict=True):
        assert (motion.sweep[i] > 0) == m.ccw
        assert motion.feed[i] == 500


@given(
    first=st.floats(1, 9), less=st.sampled_from([0.0, 0.7]), retract=st.booleans(), dwell=st.sampled_from([0.0, 0.25])
)
@settings(max_examples=40)
def test_every_way_of_drilling_reaches_the_bottom_at_every_point(
    first: float, less: float, retract: bool, dwell: float
) -> None:
    points = ((10.0, 10.0), (30.0, 12.5), (50.0, -3.0))
    hole = Drill(
        points=points,
        start=2.0,
        bottom=-17.5,
        feed=120.0,
        back=2.0,
        pecks=Pecks(retract, round(first, 3), less=less, smallest=0.5),
        dwell_s=dwell,
    )
    motion, program = read_back([Rapid(*points[0]), Rapid(z=2.0), hole, Rapid(z=22.0)])
    for x, y in points:
        here = (np.abs(motion.end[:, 0] - x) < 1e-6) & (np.abs(motion.end[:, 1] - y) < 1e-6)
        assert motion.end[here, 2].min() == pytest.approx(-17.5)
        feeds = here & (motion.kind == FEED)
        deepest = np.minimum.accumulate(motion.end[feeds, 2])
        steps = -np.diff([2.0, *np.unique(deepest)[::-1]])
        assert steps.max() <= max(first, 0.5) + 0.002
    assert ("G83" in program.text or "G73" in program.text) == (less == 0 and dwell == 0)
