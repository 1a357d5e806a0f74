"""Tool against vise: the touch is found exactly where geometry says, and nowhere else."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bastler.core.gcode.control import Control
from bastler.core.gcode.interpreter import interpret
from bastler.core.geometry.shapes import Box
from bastler.core.job.frame import Obstacle
from bastler.core.tooling.tools import Tool
from bastler.core.verify.contact import Contact, contacts

TOOL = Tool(1, "end-mill", "mill", 10, 3, 20, 8, 30, holder=((40, 25),))
JAW = Obstacle("the jaw", Box(0, 50, 20, 40, -30, -10))


def touches(text: str) -> list[Contact]:
    head = "G21 G90 T1 M6\nG43 H1 G0 X-100. Y0. Z50.\nS1000 M3 F100\n"
    motion = interpret((head + text).encode(), Control({1: TOOL})).motion
    return contacts(motion, {1: TOOL}, (JAW,))


@given(y=st.floats(-20, 19.9), z=st.floats(-29, 20))
def test_a_pass_beside_the_jaw(y: float, z: float) -> None:
    found = {c.part for c in touches(f"G0 Y{y:.3f}\nZ{z:.3f}\nG1 X100.")}
    expected = set()
    for part, radius, low in (("tool", 5, 0), ("shank", 4, 20), ("holder", 20, 30)):
        if z + low < -10 - 1e-3 and 20 - y < radius - 2e-3:
            expected.add(part)
    near_edge = any(abs(20 - y - r) < 0.01 for r in (4, 5, 20)) or any(abs(z + low + 10) < 0.01 for low in (0, 20, 30))
    if not near_edge:
        assert found <= {"tool", "shank", "holder"}
        assert bool(found) == bool(expected)


def test_what_is_told() -> None:
    found = touches("G0 Y30.\nG1 Z-14.\nX100.")
    assert found[0].part == "tool"
    assert found[0].obstacle is JAW
    assert max(c.lift for c in found) == pytest.approx(4.0)


def test_a_slope_that_ends_above_is_free_and_one_that_dips_is_not() -> None:
    assert touches("G0 X25. Y30. Z10.\nG1 X40. Z-9.99") == []
    assert touches("G0 X25. Y30. Z10.\nG1 X40. Z-10.5")


def test_arcs_touch_where_they_pass() -> None:
    assert touches("G0 X25. Y-10. Z-15.\nG3 X25. Y10. I0. J10.") == []
    assert touches("G0 X25. Y-10. Z-15.\nG3 X25. Y16. I0. J13.")


def test_a_rapid_counts_too() -> None:
    assert touches("G0 Y30. Z-12.\nX100.")[0].part == "tool"
