"""Roughing passes that run as the contour does: for castings, whose metal lies evenly over it."""

from __future__ import annotations

import pytest
import shapely

from bastler.core.engine import Engine
from bastler.core.job.document import ContourRecord, Job, Step
from bastler.core.moves import Curve, Feed
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.turned import element, lathe_job

CONE = ContourRecord(
    id="cone",
    name="cone",
    values={"plane": "ZX", "start_z": "0", "start_x": "20", "closed": "no"},
    elements=(element("line", z=-10, x=20), element("line", z=-30, x=36), element("line", z=-40, x=36)),
)
FEED, FINISH = 0.3, 0.1


def job(along: str, over: str = "3", **values: str) -> Job:
    asked = {
        "shape": "contour", "contour": "cone", "tool": "1", "along": along, "depth_per_pass": "1.5", "leave_x": "0.2", "leave_z": "0.1",
        "feed": str(FEED), "feed_finish": str(FINISH), **values,
    }  # fmt: skip
    setup = {"stock_kind": "contour", "stock_contour": "cone", "over_all": over, "out": "60"}
    return lathe_job(Step(id="turn", cycle="turn", values=asked), contours=(CONE,), **setup)


def passes(one: Job) -> int:
    """Runs of cuts at the roughing feed."""
    moves = plan(one).steps[0].moves
    cuts = [isinstance(m, Feed | Curve) and m.feed == FEED for m in moves]
    return sum(now and not before for before, now in zip([False, *cuts], cuts, strict=False))


def section(one: Job) -> shapely.Geometry:
    checked = Engine().check(Request(one))
    assert [f.text for f in checked.findings if f.severity == "stop"] == []
    return checked.section.stock


def test_a_casting_takes_as_many_passes_as_its_metal_is_thick() -> None:
    assert passes(job("contour")) == 2
    assert passes(job("contour", depth_per_pass="5")) == 1
    assert passes(job("contour", over="6")) > passes(job("contour"))


def test_both_ways_of_roughing_end_at_one_surface() -> None:
    follows, slices = section(job("contour")), section(job("axis"))
    assert shapely.symmetric_difference(follows, slices).area < 0.02


def test_roughing_alone_leaves_its_allowance() -> None:
    stands = shapely.clip_by_rect(section(job("contour", work="rough")), -9, 0, -1, 30)
    assert stands.bounds[3] == pytest.approx(10.1, abs=3e-3)
