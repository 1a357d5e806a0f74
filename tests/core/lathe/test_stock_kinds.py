"""What a lathe starts from: castings by their contour, and the part that the setup before left."""

from __future__ import annotations

import math

import pytest

from bastler.core.engine import Engine
from bastler.core.geometry.halfsection import volume
from bastler.core.job.document import ContourRecord, Job, Setup, Step
from bastler.core.planner import plan
from bastler.core.plans.plan import Plan
from bastler.core.request import Request
from tests.turned import BAR, LATHE_TOOLS, element, lathe_job

CASTING = ContourRecord(
    id="raw",
    name="raw",
    values={"plane": "ZX", "start_z": "0", "start_x": "30", "closed": "no"},
    elements=(element("line", z=-30, x=30), element("line", z=-35, x=50), element("line", z=-80, x=50)),
)
FACE = Step(id="face", cycle="end_face", values={"face_z": "0", "tool": "1"})
TURN = Step(id="turn", cycle="turn", values={"shape": "cylinder", "diameter": "26", "length": "28", "tool": "1"})
OFF = Step(id="off", cycle="part_off", values={"back_z": "-50", "tool": "10"})
SECOND = (
    Step(id="face2", cycle="end_face", values={"face_z": "0", "tool": "1"}),
    Step(id="turn2", cycle="turn", values={"shape": "cylinder", "diameter": "44", "length": "12", "tool": "1"}),
)


def casting(**setup: str) -> Job:
    values = {"stock_kind": "contour", "stock_contour": "raw", "over_all": "1.5", "out": "60", **setup}
    return lathe_job(FACE, TURN, contours=(CASTING,), **values)


def two(first: tuple[Step, ...] = (FACE, TURN, OFF), **second: str) -> Job:
    """Turned and parted off, then chucked by the turned end."""
    values = {"stock_kind": "before", "out": "16", "over_front": "0.5", "jaw_height": "20", **second}
    return Job(
        name="two",
        tools=LATHE_TOOLS,
        setups=(
            Setup(machine="small-lathe-mm", values=BAR, steps=first),
            Setup(machine="small-lathe-mm", values=values, steps=SECOND),
        ),
    )


def said(planned: Plan) -> list[tuple[str, str]]:
    return [(p.field, p.text) for p in planned.setup_answers.problems]


def test_a_casting_is_its_contour_with_metal_over_it() -> None:
    stock = plan(casting()).start.lathe.stock
    assert stock.bounds == pytest.approx((-81.5, 0.0, 1.5, 26.5))
    bare = plan(casting(over_all="0")).start.lathe.stock
    cone = math.pi * 5 / 3 * (15**2 + 15 * 25 + 25**2)
    assert volume(bare) == pytest.approx(math.pi * 15**2 * 30 + cone + math.pi * 25**2 * 45)


def test_a_casting_is_turned_where_it_has_metal() -> None:
    checked = Engine().check(Request(casting()))
    assert [f.text for f in checked.findings] == []
    assert checked.section.stock.bounds[2] == pytest.approx(0.0, abs=2e-3)


@pytest.mark.parametrize(
    ("values", "told"),
    [
        ({"plane": "XY"}, "lies in XY"),
        ({"plane": "ZX", "start_z": "0", "start_x": "0", "closed": "no"}, "bounds no metal"),
    ],
)
def test_a_contour_that_is_no_casting_says_why(values: dict[str, str], told: str) -> None:
    flat = (element("line", z=-30, x=0),)
    wrong = ContourRecord(id="raw", name="raw", values=values, elements=flat)
    if values["plane"] == "XY":
        wrong = ContourRecord(id="raw", name="raw", values={"plane": "XY", "start_x": "0", "start_y": "0", "closed": "no"},
                              elements=(element("line", x=10, y=5),))  # fmt: skip
    job = lathe_job(FACE, contours=(wrong,), stock_kind="contour", stock_contour="raw", out="20")
    assert any(field == "stock_contour" and told in text for field, text in said(plan(job)))


def test_the_second_side_starts_from_what_the_first_left() -> None:
    planned = plan(two(), 1)
    assert said(planned) == []
    first = plan(two(), 0)
    piece = max(
        first.start.lathe.less(tuple(c.area for s in first.steps for c in s.cleared)).stock.geoms,
        key=lambda p: p.bounds[2],
    )
    stock = planned.start.lathe.stock
    assert volume(stock) == pytest.approx(volume(piece))
    assert stock.bounds[2] == pytest.approx(0.5)
    checked = Engine().check(Request(two(), 1))
    assert [f.text for f in checked.findings if f.severity == "stop"] == []


def test_turned_round_the_turned_end_is_in_the_jaws() -> None:
    assert plan(two(grip="15"), 1).frame.chucking.flats == pytest.approx(25.0)  # type: ignore[union-attr]
    round_ = plan(two(grip="27", out="22"), 1).frame.chucking
    assert round_ is not None
    assert round_.blank[0] == pytest.approx(-49.5)
    same = plan(two(turned_round="no", out="30"), 1).start.lathe
    assert same is not None
    front = same.stock.bounds[2]
    near = [r for z, r in same.stock.exterior.coords if z > front - 20]
    assert max(near) == pytest.approx(13.0, abs=0.01)


def test_what_can_t_be_held_or_was_never_left_is_told() -> None:
    assert any("can't stand out by that much" in t for _, t in said(plan(two(out="60"), 1)))
    unfinished = two((FACE, Step(id="turn", cycle="turn", values={"shape": "cylinder"})))
    assert any(t.startswith("Setup 1, which leaves this stock, is not complete") for _, t in said(plan(unfinished, 1)))
    alone = lathe_job(FACE, stock_kind="before", out="20")
    assert said(plan(alone)) == [
        ("stock_kind", "There is no turned setup before this one. Choose a bar, a tube or a casting.")
    ]


def test_a_shoulder_that_the_jaws_hardly_meet_is_told() -> None:
    short = two((FACE, TURN, OFF), out="21", grip="26")
    assert any("only 1 of Ø50 to grip" in t for _, t in said(plan(short, 1)))
    assert said(plan(two(out="18"), 1)) == []
