"""The turret's disc beside a driven tool that points to the axis."""

from __future__ import annotations

import pytest
from msgspec.structs import replace

from bastler.core.checked import Checked
from bastler.core.engine import Engine
from bastler.core.job.document import Step
from bastler.core.request import Request
from tests.hub import FACE, TOOLS, TURN, hub

HOLE = {"works_on": "round", "from_axis": "29", "diameter": "8", "depth": "20", "tool": "13"}


def checked(z: str, stick_out: str, jaw_height: str = "25") -> Checked:
    """A cross hole at a Z, by a drill that stands so far out of a holder 5 high."""
    tools = tuple(replace(t, values={**t.values, "flute_length": "30", "stick_out": stick_out, "holder": "20 x 5"}) if t.number == 13 else t for t in TOOLS)  # fmt: skip
    job = hub(FACE, TURN, Step(id="hole", cycle="drill", values={**HOLE, "points": f"{z}, 0"}))
    setup = job.setups[0].changed(values={**job.setups[0].values, "jaw_height": jaw_height})
    return Engine().check(Request(job.changed(tools=tools, setups=(setup,))))


def test_the_disc_meets_the_jaws_beside_a_deep_hole() -> None:
    """35 wide to each side of Z -45 it reaches Z -80; the jaws begin at -69. The rim goes down to 6.6 + 40 + 5 = 51.6 from the axis, and the jaws reach 30 + 25 = 55."""
    found = [f for f in checked("-45", "40").findings if f.severity == "stop"]
    assert {f.kind for f in found} == {"fixture-contact"}
    assert found[0].text.startswith("The turret’s disc meets the jaws at X 110 Z -45, with T13 ")


@pytest.mark.parametrize(
    ("z", "stick_out", "jaw_height"), [("-33", "40", "25"), ("-45", "44", "25"), ("-45", "40", "20")]
)
def test_farther_along_or_longer_or_lower_it_passes(z: str, stick_out: str, jaw_height: str) -> None:
    """Z -33 - 35 = -68 stays off the jaws; 49 out of the disc, or jaws 50 from the axis, leave room."""
    assert "disc" not in " ".join(f.text for f in checked(z, stick_out, jaw_height).findings)
