"""Blades that lean into the corner of a shoulder, and parting blades whose edge slants."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from bastler.core.engine import Engine
from bastler.core.geometry.halfsection import box, polygons
from bastler.core.job.document import Step, ToolRecord
from bastler.core.planner import plan
from bastler.core.planning.lathe.space import View, edge_along, real, seen
from bastler.core.plans.plan import Plan
from bastler.core.request import Request
from bastler.core.tooling.cutters import Reach, blade_cutter
from tests.turned import UNDERCUT, collar, lathe_job


def told(p: Plan) -> str:
    return " ".join(q.text for s in p.steps for q in s.answers.problems if q.blocks)


@given(st.floats(5, 80), st.sampled_from([1, -1]), st.sampled_from(["out", "in"]), st.floats(1, 6))
def test_the_reference_point_of_a_leaning_blade_is_where_x_and_z_touch(
    lean: float, way: int, reach: Reach, width: float
) -> None:
    cutter = blade_cutter(width, 0.2, 10.0, reach, 20.0, 40.0, way * lean)
    edge = np.array(cutter.outline(1e-5))
    up = 1 if reach == "out" else -1
    assert (way * edge[:, 0]).min() == pytest.approx(0.0, abs=1e-4)
    assert (up * edge[:, 1]).min() == pytest.approx(0.0, abs=1e-4)


@given(st.floats(-80, 80), st.sampled_from(["out", "in", "face"]), st.tuples(st.floats(-50, 50), st.floats(-50, 50)))
def test_what_a_leaning_blade_sees_is_where_it_was(lean: float, reach: Reach, p: tuple[float, float]) -> None:
    view = View(reach, lean=lean)
    assert real(seen(p, view), view) == pytest.approx(p, abs=1e-9)


@pytest.mark.parametrize("lean", [20.0, 45.0, 70.0, -30.0])
def test_a_leaning_blade_points_straight_down_as_it_sees_itself(lean: float) -> None:
    cutter = blade_cutter(2.0, 0.2, 8.0, "out", 20.0, 40.0, lean)
    edge = np.array([seen(p, View("out", lean=lean)) for p in cutter.skeleton])
    flat = edge[edge[:, 1] < edge[:, 1].min() + 1e-9]
    assert np.ptp(flat[:, 0]) == pytest.approx(2.0 - 2 * cutter.nose)
    assert np.ptp(edge[:, 0]) == pytest.approx(2.0 - 2 * cutter.nose)


def test_the_metal_of_a_corner_groove_is_what_its_sizes_say() -> None:
    cleared = shapely.union_all([c.area for c in plan(collar()).steps[1].cleared if not c.wanted])
    w, deep, r, left = 2.5, 1.5, 0.4, 0.05
    between_walls = w * deep + (w / 2) ** 2 - 2 * (1 - math.pi / 4) * r**2
    # The nose of the turning tool left its fillet in the corner before.
    fillet = (1 - math.pi / 4) * 0.8**2
    assert cleared.area == pytest.approx(between_walls + fillet, abs=left)
    reach = cleared.bounds
    assert reach[0] < -31.0 < -30.0 + w / math.sqrt(2) < reach[2] + 0.3


def test_a_corner_groove_is_cut_at_its_angle_without_a_finding() -> None:
    job = collar()
    result = Engine().check(Request(job))
    assert not result.findings
    motion = result.motion
    fed = [i for i in range(len(motion)) if motion.kind[i] == 1 and motion.tool[i] == 21]
    way = np.array([motion.end[i] - motion.start[i] for i in fed])[:, [0, 2]]
    slanted = np.abs(np.abs(way[:, 0]) - np.abs(way[:, 1])) < 0.002
    assert slanted.sum() > 0.6 * len(way)


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"tool": "7"}, "is straight. Take one that leans by 45°"),
        ({"tool": "22"}, "leans by -30°, the groove by 45°"),
        ({"tool": "23"}, "doesn't point at the outside"),
        ({"where": "outside", "middle_z": "-10", "surface": "30", "bottom": "27"}, "leans by 45°. Take a straight one"),
        ({"lean": "0"}, "A groove into a corner leans"),
        ({"depth": "9"}, "the blade goes 8"),
        ({"width": "1.5"}, "The blade is 2 wide, the groove 1.5"),
    ],
)
def test_a_blade_that_does_not_fit_is_told(values: dict[str, str], words: str) -> None:
    assert words in told(plan(collar(**values)))


def test_the_leaning_blade_and_its_angle_are_proposed() -> None:
    job = collar()
    values = {k: v for k, v in UNDERCUT.items() if k not in ("tool", "lean")}
    groove = Step(id="groove", cycle="groove", values=values)
    setup = job.setups[0].changed(steps=(job.setups[0].steps[0], groove))
    p = plan(job.with_setup(setup))
    assert p.steps[1].answers.values.tool.number == 21
    assert p.steps[1].answers.values.lean == 45


def test_a_slanted_edge_comes_through_beside_the_part_first() -> None:
    slanted = blade_cutter(3.0, 0.2, 28.0, "out", 20.0, 40.0, slant=8.0)
    rise = 2.6 * math.tan(math.radians(8.0))
    assert slanted.past == pytest.approx(0.2 + rise)
    bar = box(-60.0, 0.0, -15.0, 15.0)
    left = bar.difference(edge_along(slanted, [(-33.0, 20.0), (-33.0, -0.2)]))
    left = left.intersection(box(-60.0, 0.0, 0.0, 20.0))
    bar_side, part_side = sorted(polygons(left), key=lambda p: p.bounds[0])
    assert part_side.bounds[0] == pytest.approx(-30.0, abs=1e-3)
    assert bar_side.bounds[2] > -33.0 + 0.1


def test_a_slanted_blade_parts_off_right_through() -> None:
    part = Step(id="off", cycle="part_off", values={"tool": "30", "back_z": "-30"})
    job = lathe_job(part)
    blade = ToolRecord(
        number=30, kind="parting-tool", name="slanted", values={"width": "3", "deep": "28", "slant": "8"}
    )
    job = job.changed(tools=(*job.tools, blade))
    result = Engine().check(Request(job))
    assert not result.findings
    assert result.motion.end[:, 0].min() == pytest.approx(-plan(job).tools[30].in_plane.past, abs=1e-3)
