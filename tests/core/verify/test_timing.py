"""Time per move: never faster than feed and acceleration allow, and closed forms where there are some."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bastler.core.gcode.control import Control
from bastler.core.gcode.interpreter import interpret
from bastler.core.gcode.motion import ARC, CHANGE, FEED, RAPID, Motion
from bastler.core.tooling.machines import machines
from bastler.core.verify.timing import move_times

MACHINE = machines()["small-mill-mm"]
ORIGIN = Control(with_job=False, machine_origin=(0.0, 0.0, 0.0))


def read(text: str) -> Motion:
    return interpret(("G21 G90 G94 S1000 M3\n" + text).encode(), ORIGIN).motion


def seconds(text: str) -> np.ndarray:
    return move_times(read(text), MACHINE)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("G1 X100. F600", 10.0 + 10 / 1500),  # long: v = 10 mm/s, two ramps
        ("G0 X400.", 400 / (8000 / 60) + (8000 / 60) / 1500),  # rapid at 8 m/min
        ("G1 X0.04 F6000", 2 * math.sqrt(0.04 / 1500)),  # short: a triangle, never reaches the feed
        ("G0 Z-100.", 100 / (5000 / 60) + (5000 / 60) / 1000),  # the slow axis decides
        ("G1 Z-50. F300", 10.0 + 5 / 1000),
    ],
)
def test_single_moves(text: str, expected: float) -> None:
    assert seconds(text)[-1] == pytest.approx(expected, rel=1e-6)


def test_a_diagonal_rapid_uses_both_axes() -> None:
    straight, diagonal = seconds("G0 X300.")[-1], seconds("G0 X300. Y300.")[-1]
    assert diagonal == pytest.approx(straight, rel=1e-6)


def test_feeds_above_the_machines_limit_run_at_the_limit() -> None:
    assert seconds("G1 X100. F99999")[-1] == pytest.approx(seconds("G1 X100. F5000")[-1])


def test_arcs_are_held_by_their_centripetal_acceleration() -> None:
    slow = seconds("G3 I1. J0. F5000")[-1]
    assert slow >= math.tau / math.sqrt(1500 * 1.0) - 1e-9


@given(
    st.lists(
        st.tuples(st.floats(-99, 99), st.floats(-99, 99), st.floats(-9, 9), st.integers(50, 5000), st.booleans()),
        min_size=1,
        max_size=25,
    )
)
@settings(max_examples=80)
def test_no_move_is_faster_than_its_feed(rows: list[tuple[float, float, float, int, bool]]) -> None:
    text = "\n".join(f"G{int(cut)} X{x:.3f} Y{y:.3f} Z{z:.3f} F{f}" for x, y, z, f, cut in rows)
    motion = read(text)
    times = move_times(motion, MACHINE)
    length = motion.lengths()
    assert np.isfinite(times).all()
    assert (times >= 0).all()
    cut = motion.kind == FEED
    assert (times[cut] >= length[cut] / (np.minimum(motion.feed[cut], 5000) / 60) - 1e-9).all()
    for axis in range(3):
        moved = np.abs(motion.end[:, axis] - motion.start[:, axis])
        assert (times[motion.kind == RAPID] >= moved[motion.kind == RAPID] / (MACHINE.rapid[axis] / 60) - 1e-9).all()


@given(st.integers(2, 40))
@settings(max_examples=20)
def test_splitting_a_straight_cut_costs_nothing(pieces: int) -> None:
    whole = seconds("G1 X120. F1800").sum()
    parts = seconds("\n".join(f"G1 X{120 * (i + 1) / pieces:.6f} F1800" for i in range(pieces))).sum()
    assert parts == pytest.approx(whole, rel=1e-5)


def test_tool_changes_dwells_and_arcs_count() -> None:
    text = "T1 M6\nG4 P1500\nG1 X10. F600\nG2 X20. Y0. I5. J0."
    motion = read(text)
    times = move_times(motion, MACHINE)
    assert times[motion.kind == CHANGE] == pytest.approx(8.0)
    assert 1.5 in times
    assert times[motion.kind == ARC][0] > 5 * math.pi / 10


def test_no_moves_no_time() -> None:
    assert move_times(read("M30"), MACHINE).size == 0
