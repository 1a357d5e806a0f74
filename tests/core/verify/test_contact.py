"""Tool against vise: the touch is found exactly where geometry says, and nowhere else."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bastler.core.engine import Engine
from bastler.core.gcode.control import Control
from bastler.core.gcode.interpreter import interpret
from bastler.core.geometry.shapes import Box
from bastler.core.job.holding import Obstacle
from bastler.core.request import Request
from bastler.core.tooling.tools import Tool
from bastler.core.verify.contact import Contact, contacts
from tests.jobs import CORNERS, FACE, plate

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


@pytest.mark.parametrize(
    ("holding", "touched", "remedy"),
    [
        ({"held_in": "screws", "screws_at": "20, 20"}, "the head of screw 1", "sink or move the screw"),
        ({"held_in": "clamps"}, "the left clamp", "move the clamp"),
        ({"held_in": "soft-jaws", "grip": "4", "ledge": "15", "jaw_width": "220"}, "the ledge of the front jaw", "make the ledge narrower"),
        ({"held_in": "vise", "jaw_height": "7", "grip": "6"}, None, ""),
    ],
)  # fmt: skip
def test_every_way_of_holding_is_in_the_way(holding: dict[str, str], touched: str | None, remedy: str) -> None:
    """Faced over screws and clamps; drilled through above a ledge that reaches under the holes."""
    steps = (CORNERS,) if holding["held_in"] == "soft-jaws" else (FACE,)
    found = [
        f for f in Engine().check(Request(plate(*steps, **holding), cell=1.0)).findings if f.kind == "fixture-contact"
    ]
    if touched is None:
        assert found == []
    else:
        assert any(touched in f.text and remedy in f.text for f in found), found


def test_a_sunk_screw_is_out_of_the_way() -> None:
    job = plate(FACE, held_in="screws", screws_at="20, 20", head_sunk="12")
    assert Engine().check(Request(job, cell=1.0)).findings == ()


def test_a_round_head_is_round() -> None:
    """A tool may pass where the corner of the box round the head would be."""
    job = plate(held_in="screws", screws_at="50, 50", head_diameter="20", head_height="20")
    text = "T2 M6\nG43 H2 G0 X58. Y100. Z40.\nS1000 M3\nZ5.\nY63.\nX{x}\nZ40.\nM30\n"
    kinds = {
        x: [f.kind for f in Engine().check(Request(job, text=text.format(x=x).encode(), cell=1.0)).findings]
        for x in ("58.", "50.")
    }
    assert "fixture-contact" not in kinds["58."]
    assert "fixture-contact" in kinds["50."]
