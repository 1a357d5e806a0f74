"""Taps on the axis: by the control's own cycle, or fed a little less in a floating holder."""

from __future__ import annotations

import pytest

from bastler.core.engine import Engine
from bastler.core.job.document import Job, Step
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.turned import lathe_job

DRILL = Step(id="drill", cycle="axis_hole", values={"start_z": "1.5", "depth": "45", "tool": "17", "measured": "full"})


def tapped(**values: str) -> Job:
    step = Step(id="tap", cycle="axis_hole", values={"start_z": "1.5", "depth": "20", "tool": "16", **values})
    return lathe_job(DRILL, step)


@pytest.mark.parametrize(
    ("values", "down"),
    [
        ({"holder": "floating"}, "G1 Z-18.5 F1.663"),
        ({"holder": "floating", "feed_share": "100"}, "G1 Z-18.5 F1.75"),
    ],
)
def test_a_tap_goes_in_and_out_with_the_spindle_turned_back(values: dict[str, str], down: str) -> None:
    checked = Engine().check(Request(tapped(**values), dialect="iso-lathe-a"))
    assert [f.text for f in checked.findings] == []
    lines = [line.split(" ", 1)[1] for line in checked.program.text.splitlines() if line.startswith("N")]
    at = lines.index(down)
    assert lines[at + 1] == "M4"
    assert lines[at + 2].lstrip("G132 ").startswith("Z2.5")
    assert lines[at + 3] == "M3"


def test_a_rigid_tap_leaves_turning_back_to_the_control() -> None:
    checked = Engine().check(Request(tapped(), dialect="iso-lathe-a"))
    assert [f.text for f in checked.findings] == []
    lines = [line.split(" ", 1)[1] for line in checked.program.text.splitlines() if line.startswith("N")]
    at = lines.index("G84 Z-18.5 F1.75")
    assert lines[at - 1].startswith("M29 S")
    assert lines[at + 1] == "G80"


def test_its_share_is_asked_only_in_a_floating_holder() -> None:
    assert "feed_share" in plan(tapped()).steps[-1].answers.hidden
    assert plan(tapped(holder="floating")).steps[-1].answers.values.feed_share == 95
