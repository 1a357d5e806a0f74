"""How long moves take while the spindle is an axis: by closed forms of each axis."""

from __future__ import annotations

import math

import pytest

from bastler.core.gcode.control import Control
from bastler.core.gcode.interpreter import interpret
from bastler.core.planner import plan
from bastler.core.tooling.machines import machines
from bastler.core.verify.timing import move_times
from tests.hub import hub

HEAD = "%\nO0001\nG21 G18 G40 G80 G97 G99\nT1212\nM5\nM45\nG0 G98 C0.\nG97 S1000 M33\nG0 X80. Z5.\nX40.\n"


def seconds(line: str) -> float:
    """What the last line takes on the turning centre."""
    text = f"{HEAD}{line}\nM35\nM46\nM30\n%\n"
    control = Control(plan(hub()).tools, reading="lathe-a", has_brake=True, bar_radius=30.0, machine_origin=(110.0, 0.0, 150.0))  # fmt: skip
    read = interpret(text.encode(), control)
    at = HEAD.count("\n") + 1
    return float(move_times(read.motion, machines()["turning-centre-mm"])[read.motion.line == at].sum())


def alone(way: float, rate: float, gain: float) -> float:
    """A trapezoid, or a triangle: units a second."""
    return way / rate + rate / gain if way > rate**2 / gain else 2 * math.sqrt(way / gain)


C, X, Z = (600.0, 1800.0), (8000 / 60, 2000.0), (200.0, 2000.0)


@pytest.mark.parametrize("degrees", [20, 180, 300])
@pytest.mark.parametrize("x", ["", "X0. "])
def test_c_turns_as_fast_as_it_does_wherever_the_tool_is(degrees: int, x: str) -> None:
    way = alone(degrees, *C)
    assert seconds(f"{x}C{degrees}.") == pytest.approx(max(way, alone(20, *X)) if x else way, rel=1e-3)


def test_the_slowest_axis_of_a_rapid_counts() -> None:
    assert seconds("Z-295. C10.") == pytest.approx(alone(300, *Z), rel=1e-3)


def test_a_feed_is_no_faster_than_c_follows() -> None:
    """Round at X40. by G1: F10000 of degrees and millimetres; 600 degrees a second at most, so at least the turn by itself."""
    assert seconds("G1 C360. F100000") >= 360 / 600
    assert seconds("G1 C360. F3600") == pytest.approx(6.0, rel=0.05)
