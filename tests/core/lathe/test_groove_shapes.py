"""Grooves by a contour, edges and corners of both forms, and which wall comes first."""

from __future__ import annotations

import math

import pytest
import shapely

from bastler.core.engine import Engine
from bastler.core.job.document import ContourRecord, Job, Step
from bastler.core.moves import Feed
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.turned import element, lathe_job

ROUND = ContourRecord(
    id="round",
    name="round",
    values={"plane": "ZX", "start_z": "-10", "start_x": "50", "closed": "no"},
    elements=(
        element("line", z=-11, x=44),
        element("arc", way="cw", z=-19, x=44, cz=-15, cx=46),
        element("line", z=-20, x=50),
    ),
)
IN_FACE = ContourRecord(
    id="face",
    name="face",
    values={"plane": "ZX", "start_z": "1.5", "start_x": "40", "closed": "no"},
    elements=(element("line", z=-1, x=38), element("line", z=-1, x=28), element("line", z=1.5, x=24)),
)


def groove(**values: str) -> Step:
    return Step(id="groove", cycle="groove", values={"where": "outside", "tool": "7", **values})


def straight(**values: str) -> Step:
    return groove(**{"middle_z": "-15", "width": "8", "surface": "50", "bottom": "40", **values})


def section(job: Job, dialect: str = "iso-lathe-a") -> shapely.Geometry:
    """The half section that the text leaves, which nothing stops."""
    checked = Engine().check(Request(job, dialect=dialect))
    assert [f.text for f in checked.findings if f.severity == "stop"] == []
    return checked.section.stock


def taken(job: Job) -> float:
    """mm² of the half section that a job takes."""
    return float(plan(job).start.lathe.stock.area - section(job).area)


def test_a_contour_gives_the_groove_its_shape() -> None:
    stock = section(lathe_job(groove(shape="contour", contour="round"), contours=(ROUND,)))
    # The blade, 3 wide with corners of 0.2, stands on these in the arc of radius √17 about (−15, 23).
    deep = math.sqrt((math.sqrt(17) - 0.2) ** 2 - 1.3**2) + 0.2
    assert shapely.clip_by_rect(stock, -15.01, 0, -14.99, 30).bounds[3] == pytest.approx(23 - deep, abs=3e-3)
    assert shapely.clip_by_rect(stock, -9.9, 0, -9.8, 30).bounds[3] == pytest.approx(25.0)


def test_contours_repeat_by_their_pitch() -> None:
    job = lathe_job(groove(shape="contour", contour="round", count="2", pitch="20"), contours=(ROUND,))
    stock = section(job)
    low = [shapely.clip_by_rect(stock, z - 0.01, 0, z + 0.01, 30).bounds[3] for z in (-15, -35)]
    assert low[0] == pytest.approx(low[1], abs=2e-3)
    narrow = lathe_job(groove(shape="contour", contour="round", count="2", pitch="8"), contours=(ROUND,))
    assert any("Give a pitch of at least 10" in p.text for p in plan(narrow).steps[0].answers.problems)


def test_a_contour_in_a_face_runs_either_way() -> None:
    for one in (IN_FACE, IN_FACE.changed(values={**IN_FACE.values, "start_x": "24"}, elements=(
        element("line", z=-1, x=28), element("line", z=-1, x=38), element("line", z=1.5, x=40)))):  # fmt: skip
        stock = section(lathe_job(groove(where="face", shape="contour", contour="face", tool="9"), contours=(one,)))
        assert shapely.clip_by_rect(stock, -5, 16.4, 5, 16.6).bounds[2] == pytest.approx(-1.0, abs=2e-3)
        assert shapely.clip_by_rect(stock, -5, 22, 5, 23).bounds[2] == pytest.approx(1.5)


@pytest.mark.parametrize(
    ("values", "told"),
    [
        ({"plane": "XY", "start_x": "0", "start_y": "0", "closed": "no"}, "lies in XY"),
        ({"plane": "ZX", "start_z": "-10", "start_x": "50", "closed": "no"}, "begins and ends at one place"),
    ],
)
def test_a_contour_that_is_no_groove_says_why(values: dict[str, str], told: str) -> None:
    way = element("line", x=5, y=5) if values["plane"] == "XY" else element("line", z=-10, x=40)
    wrong = ContourRecord(id="round", name="round", values=values, elements=(way,))
    (problem,) = plan(lathe_job(groove(shape="contour", contour="round"), contours=(wrong,))).steps[0].answers.problems
    assert problem.field == "contour"
    assert told in problem.text


def test_edges_and_corners_take_and_leave_what_their_form_says() -> None:
    plain = taken(lathe_job(straight(corner="0.5", tool="7")))
    chamfered = taken(lathe_job(straight(corner="0.5", edge="1")))
    rounded = taken(lathe_job(straight(corner="0.5", edge="1", edge_form="radius")))
    assert chamfered - plain == pytest.approx(2 * 0.5, abs=0.01)
    assert rounded - plain == pytest.approx(2 * (1 - math.pi / 4), abs=0.01)
    round_bottom = taken(lathe_job(straight(corner="1.5")))
    flat_bottom = taken(lathe_job(straight(corner="1.5", corner_form="chamfer")))
    assert plain - round_bottom == pytest.approx(2 * (1 - math.pi / 4) * (1.5**2 - 0.5**2), abs=0.02)
    assert plain - flat_bottom == pytest.approx(2 * (1.5**2 / 2 - (1 - math.pi / 4) * 0.5**2), abs=0.05)


@pytest.mark.parametrize("first", ["right", "left"])
def test_the_wall_that_is_wanted_comes_first(first: str) -> None:
    step = plan(lathe_job(straight(corner="0.5", first_wall=first, feed="0.05", feed_walls="0.08"))).steps[0]
    moves = list(step.moves)
    k = next(i for i, m in enumerate(moves) if isinstance(m, Feed) and m.feed == 0.08)
    at = next(m.z for m in reversed(moves[:k]) if getattr(m, "z", None) is not None)
    # The blade's left corner is steered, the blade is 3 wide, the groove's middle at −15.
    assert (at + 1.5 > -15) == (first == "right")
