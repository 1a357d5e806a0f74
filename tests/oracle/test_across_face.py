"""The same step of an end face by the polar interpolation, in X and C written out, and by the Y axis: one way of the tool, as a reader of its own says."""

from __future__ import annotations

import pytest
from scipy.spatial import KDTree

from bastler.core.engine import Engine
from bastler.core.job.document import Step
from bastler.core.request import Request
from tests.closed_loop.test_every_surface import job_of
from tests.oracle.acrossface import STEP_MM, places

SAME_MM = 0.008
STEPS = {
    "beside the axis": ("pocket", {"length": "24", "width": "18", "corner": "3", "depth": "4", "centre_x": "3", "centre_y": "2"}),
    "over the axis": ("pocket", {"length": "20", "width": "14", "corner": "3.5", "depth": "2", "centre_x": "0", "centre_y": "0"}),
    "round": ("round", {"diameter": "18", "depth": "3", "points": "-20, 11"}),
    "through the axis": ("slot", {"length": "40", "width": "6", "depth": "2", "angle": "30", "centre_x": "0", "centre_y": "0"}),
}  # fmt: skip


@pytest.mark.parametrize("what", STEPS)
@pytest.mark.parametrize(("machine", "other"), [("turning-centre-y-mm", "written"), ("turning-centre-y-inch", "written"), ("turning-centre-y-mm", "y")])  # fmt: skip
def test_the_tool_goes_the_same_way(what: str, machine: str, other: str) -> None:
    """Each place of the one lies on the way of the other, and the other way round."""
    cycle, values = STEPS[what]
    ways = []
    for by in ("c", other):
        step = Step(id="s", cycle=cycle, values={"works_on": "end", "moved_by": by, **values})
        checked = Engine().check(Request(job_of(step, machine=machine)))
        assert not [f for f in checked.findings if f.severity == "stop"]
        ways.append(places(checked.program.text))
    for one, two in (ways, ways[::-1]):
        away, _ = KDTree(two).query(one)
        assert away.max() < SAME_MM + STEP_MM / 2
