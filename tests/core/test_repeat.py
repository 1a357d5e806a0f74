"""Steps done again elsewhere: linked to their originals, in the stock as it is there, called or written out."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bastler.core.benches import post
from bastler.core.cycles.elsewhere import elsewhere, place_of
from bastler.core.engine import Engine
from bastler.core.geometry.placement import Placement, about
from bastler.core.geometry.shapes import Prism, RoundHole
from bastler.core.job.document import Step
from bastler.core.moves import Compensate, Turn
from bastler.core.planner import plan
from bastler.core.planning.placing import placed
from bastler.core.post.dialect import dialects
from bastler.core.request import Request
from tests.jobs import BOLTS, FACE, LEFT, TOOLS, changed, plate

angles, sizes = st.floats(-360, 360), st.floats(-100, 100)
places = st.builds(Placement, st.tuples(sizes, sizes), angles, st.booleans())
SMALL = changed(LEFT, centre_x="30", centre_y="30", length="24", width="14", corner="5.5", depth="4")
AGAIN = Step(id="again", cycle="repeat", values={"steps": "left", "points": "90, 30; 150, 30; 90, 90"})


def checked(*steps, dialect=None, **stock):
    return Engine().check(Request(plate(FACE, *steps, **stock), cell=0.3, dialect=dialect))


@given(where=places, p=st.tuples(sizes, sizes))
def test_a_placement_can_be_undone(where: Placement, p: tuple[float, float]) -> None:
    assert where.inverse().point(where.point(p)) == pytest.approx(p, abs=1e-9)
    assert where.point(where.inverse().point(p)) == pytest.approx(p, abs=1e-9)


@given(where=places, x=sizes, y=sizes, angle=angles)
def test_a_shape_goes_where_its_points_go(where: Placement, x: float, y: float, angle: float) -> None:
    shape = Prism((5, -3), 40, 20, 4, angle, -2)
    there = where.point((x, y))
    assert shape.placed(where).depth(*there) == pytest.approx(shape.depth(x, y), abs=1e-6)
    for a, b in zip(
        shape.outlines()[0].points(0.5),
        where.inverse().path(shape.placed(where).outlines()[0]).points(0.5),
        strict=False,
    ):
        assert abs(shape.depth(*a)) < 1e-6
        assert abs(shape.depth(*b)) < 1e-6


def test_mirrored_moves_turn_and_compensate_the_other_way() -> None:
    moves = placed([Compensate("left"), Turn(10, 0, (5, 0), True, 100)], Placement((0, 0), 0.0, True))
    assert moves[0] == Compensate("right")
    assert isinstance(moves[1], Turn)
    assert not moves[1].ccw


@given(to=st.tuples(sizes, sizes), angle=angles, mirror=st.booleans())
def test_about_puts_the_centre_where_it_is_wanted(to: tuple[float, float], angle: float, mirror: bool) -> None:
    assert about((7.0, 9.0), to, angle, mirror).point((7.0, 9.0)) == pytest.approx(to, abs=1e-9)


def test_copies_follow_their_original() -> None:
    job = plate(FACE, SMALL, AGAIN)
    copies = plan(job).steps[2]
    assert [r.centre for r in copies.removals] == [pytest.approx(p) for p in ((90, 30), (150, 30), (90, 90))]
    deeper = plan(plate(FACE, changed(SMALL, depth="6"), AGAIN)).steps[2]
    assert {r.floor for r in deeper.removals} == {-6.0}
    assert checked(SMALL, AGAIN).findings == ()


def test_a_place_where_the_step_already_is_is_left_out() -> None:
    grid = {
        "steps": "left",
        "pattern": "grid",
        "first_x": "30",
        "first_y": "30",
        "columns": "3",
        "rows": "2",
        "pitch_x": "60",
        "pitch_y": "60",
    }
    assert len(plan(plate(FACE, SMALL, AGAIN.changed(values=grid))).steps[2].parts) == 5
    only = AGAIN.changed(values={"steps": "left", "points": "30, 30"})
    assert "already are" in plan(plate(FACE, SMALL, only)).steps[2].answers.problems[0].text


def test_a_group_goes_tool_by_tool_and_turns_round_a_circle() -> None:
    hole = changed(BOLTS, pattern="points", points="45, 30; 30, 45", depth_to="tip", depth="5")
    values = {
        "steps": "left, bolts",
        "pattern": "circle",
        "centre_x": "100",
        "centre_y": "60",
        "circle_diameter": str(2 * math.hypot(70, 30)),
        "count": "2",
        "start_angle": str(math.degrees(math.atan2(-30, -70))),
    }
    found = plan(plate(FACE, SMALL, hole, AGAIN.changed(values=values))).steps[3]
    assert found.answers.complete
    assert [p.cycle.id for p in found.parts] == ["pocket", "drill"]
    pocket, *bores = found.removals
    assert isinstance(pocket, Prism)
    assert pocket.centre == pytest.approx((170, 90))
    assert pocket.angle % 180 == pytest.approx(0, abs=1e-6)
    assert [b.centre for b in bores if isinstance(b, RoundHole)] == [pytest.approx((155, 90)), pytest.approx((170, 75))]


def test_a_copy_sees_the_stock_where_it_lands() -> None:
    """The original lies in a deep pocket, the copy on the uncut top: it must go down in its own passes."""
    big = changed(LEFT, depth="8").changed(id="big")
    inside = changed(SMALL, centre_x="48", centre_y="60", top="-8", depth="4")
    again = AGAIN.changed(values={"steps": "left", "points": "150, 60"})
    assert [f for f in checked(big, inside, again).findings if f.severity == "stop"] == []


def test_a_recipe_is_repeated_tool_by_tool() -> None:
    from tests.jobs import HOLE_TOOLS

    recipe = Step(id="left", cycle="recipe", values={"hole": "fit", "diameter": "8", "points": "20, 20", "depth": "12"})
    job = plate(FACE, recipe, AGAIN, tools=(*TOOLS, *HOLE_TOOLS))
    numbers = [p.tool.number for p in plan(job).steps[2].parts if p.tool]
    assert numbers == sorted(numbers, key=numbers.index)
    assert len(numbers) == 3 * len(set(numbers))


@pytest.mark.parametrize(
    ("step", "sentence"),
    [
        (AGAIN.changed(values={**AGAIN.values, "steps": "gone"}), "is gone, or comes after it"),
        (AGAIN.changed(values={**AGAIN.values, "steps": "again"}), "is gone, or comes after it"),
        (
            AGAIN.changed(values={**AGAIN.values, "steps": "note", "reference_x": "0", "reference_y": "0"}),
            "only steps that cut",
        ),
        (AGAIN.changed(values={**AGAIN.values, "steps": "asks"}), "asks for something"),
        (AGAIN.changed(values={**AGAIN.values, "points": "90, 30; 500, 30"}), "no metal"),
    ],
)
def test_what_can_not_be_repeated_is_told(step: Step, sentence: str) -> None:
    note = Step(id="note", cycle="note", values={"text": "turn the part"})
    asks = changed(LEFT, length="").changed(id="asks")
    problems = plan(plate(FACE, SMALL, note, asks, step)).steps[-1].answers.problems
    assert any(sentence in p.text for p in problems), problems


# called, or written out


def test_copies_that_only_shift_are_called() -> None:
    program = post(plan(plate(FACE, SMALL, AGAIN)), dialects()["iso-mill"])
    lines = program.lines
    assert [line.split(" ", 1)[1] for line in lines if "M98" in line or "G52" in line] == [
        "M98 P8001", "G52 X60. Y0.", "M98 P8001", "G52 X0. Y60.", "M98 P8001", "G52 X0. Y0.",
    ]  # fmt: skip
    head = next(i for i, line in enumerate(lines) if line.startswith("O8001"))
    assert lines[head - 1].endswith("M30")
    assert lines[-2].endswith("M99")
    assert lines[-1] == "%"
    assert set(program.step_of_line[head:-1]) == {2}
    plain = post(plan(plate(FACE, SMALL, AGAIN)), dialects()["iso-mill-plain"]).text
    assert "M98" not in plain
    assert len(plain.splitlines()) > len(lines)


def test_called_and_written_copies_cut_the_same() -> None:
    called, written = checked(SMALL, AGAIN), checked(SMALL, AGAIN, dialect="iso-mill-plain")
    assert called.findings == written.findings == ()
    assert (called.field.heights == written.field.heights).all()
    assert {int(s) for s in called.step_of_move} == {0, 1, 2, -1}


@pytest.mark.parametrize("more", [{"turn": "30"}, {"mirror": "x"}])
def test_turned_copies_are_all_turned_alike_so_they_are_called_too(more: dict[str, str]) -> None:
    again = AGAIN.changed(values={**AGAIN.values, **more})
    assert post(plan(plate(FACE, SMALL, again)), dialects()["iso-mill"]).text.count("M98") == 3
    assert checked(SMALL, again).findings == ()


def test_several_parts_shifted_by_the_program_write_copies_out() -> None:
    stock = {"parts": "list", "parts_at": "260, 0", "parts_by": "shift", "held_in": "free"}
    job = plate(FACE, SMALL, AGAIN, **stock)
    job = job.with_setup(job.setups[0].changed(machine="large-mill-mm"))
    assert "M98" not in post(plan(job), dialects()["iso-mill"]).text
    assert [f for f in Engine().check(Request(job, cell=0.6)).findings if f.severity == "stop"] == []


# own copies


@given(where=st.builds(Placement, st.tuples(st.floats(0, 50), st.floats(0, 50)), st.floats(-90, 90), st.booleans()))
def test_a_step_typed_anew_elsewhere_is_the_same_shape(where: Placement) -> None:
    for step in (SMALL, BOLTS):
        one = plan(plate(FACE, step)).steps[1]
        typed = elsewhere(one.cycle.fields, one.answers.values, dict(step.values), where, "mm")
        other = plan(plate(FACE, step.changed(values=typed)), moves=False).steps[1]
        for a, b in zip(one.removals, other.removals, strict=True):
            assert a.placed(where).bounds() == pytest.approx(b.bounds(), abs=1e-3)


def test_the_place_of_a_step() -> None:
    work = plan(plate(FACE, SMALL)).steps[1].work
    assert place_of(dict(SMALL.values), work) == (30.0, 30.0)
    assert place_of({"points": "4, 5; 6, 7"}, work) == (4.0, 5.0)
    assert place_of({}, work) is None
    assert place_of({"centre_x": "1/0", "centre_y": "2"}, work) is None
