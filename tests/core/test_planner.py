"""The planner: what it asks, the order it keeps, and the stock it believes in."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from bastler.core.demo import TRAY, demo_job
from bastler.core.geometry.shapes import Box, Prism
from bastler.core.job.document import Job, Setup, Step
from bastler.core.jobfiles.store import save
from bastler.core.moves import Feed, Holes, Rapid, Turn
from bastler.core.planner import REMEMBERED, plan
from bastler.core.planning.work import ABOVE_METAL_MM, Work
from bastler.core.tooling.machines import machines, parse_machine
from bastler.core.tooling.materials import materials
from bastler.core.verify.grid import Grid, heights_of
from tests.closed_loop.test_every_cycle import STOCK, TOOLS
from tests.closed_loop.test_whole_jobs import drawn_steps
from tests.jobs import BOLTS, CORNERS, FACE, LEFT, RIGHT, changed, plate
from tests.turned import falling

BLOCK = Box(0, 100, 0, 60, -20, 0)


def work(*done: Prism) -> Work:
    return Work(BLOCK, BLOCK, 20.0, materials()["S235"], machines()["small-mill-mm"], {}, done)


prisms = st.builds(
    Prism,
    st.tuples(st.floats(0, 100), st.floats(0, 60)),
    st.floats(5, 150),
    st.floats(5, 150),
    st.just(0.0),
    st.floats(-180, 180),
    st.floats(-18, -0.5),
    st.sampled_from([0.0, 1.0]),
)


@given(
    done=st.lists(prisms, max_size=4), x=st.floats(0, 90), y=st.floats(0, 50), w=st.floats(1, 60), h=st.floats(1, 60)
)
def test_the_believed_top_is_never_below_metal(done: list[Prism], x: float, y: float, w: float, h: float) -> None:
    bounds = (x, x + w, y, y + h)
    grid = Grid.over(BLOCK, 1.0)
    metal = heights_of(grid, BLOCK, tuple(done))
    rows, columns = grid.window(bounds)
    window = metal[rows, columns]
    inside_x = (grid.xs()[columns] >= x) & (grid.xs()[columns] <= x + w)
    inside_y = (grid.ys()[rows] >= y) & (grid.ys()[rows] <= y + h)
    seen = window[np.ix_(inside_y, inside_x)]
    assert work(*done).top_over(bounds) >= seen.max(initial=-20) - 1e-5


def test_beside_the_block_is_air() -> None:
    assert work().top_over((200, 300, 0, 10)) == -20
    assert work().top_over((-5, 5, 0, 10)) == 0


@given(data=st.data())
@settings(max_examples=15)
def test_no_rapid_goes_below_the_believed_top(data: st.DataObject) -> None:
    job = Job(tools=TOOLS, setups=(Setup(steps=drawn_steps(data, 2), values=STOCK),))
    for step in plan(job).cut:
        reach = [r.bounds() for r in step.removals if not r.wanted]
        if not reach:
            continue
        high = max(step.work.top_over(b) for b in reach)
        for part in step.parts or (step,):
            firsts = [m for m in part.moves if isinstance(m, Rapid) and m.z is not None]
            assert firsts[0].z is not None
            assert firsts[0].z >= min(high, step.work.block.z1) + 0.2 - 1e-9 or part is not step
            assert firsts[-1].z == step.work.clearance
            for move in part.moves:
                assert not isinstance(move, Feed | Turn | Holes) or move.feed > 0


@given(order=st.permutations([FACE, LEFT, RIGHT, BOLTS, CORNERS]))
@settings(max_examples=30)
def test_gathering_keeps_every_step_and_the_order_of_those_that_meet(order: list[Step]) -> None:
    planned = plan(plate(*order, gather=True))
    straight = plan(plate(*order))
    assert sorted(planned.order) == sorted(straight.order)
    place = {index: n for n, index in enumerate(planned.order)}
    face = next(i for i, s in enumerate(order) if s.cycle == "face")
    for i in place:
        if face in place and i != face:
            assert (place[i] < place[face]) == (i < face), "everything meets the face"


@pytest.mark.parametrize(
    ("job", "says"),
    [
        (plate(size_x=""), "The setup asks for Length X"),
        (plate(size_x="1/0"), "divides by zero"),
        (plate(grip="40"), "the jaws can't hold 40"),
        (plate(changed(LEFT, length="")), "Step 1 (Pocket left): Length is not answered yet."),
        (plate(changed(LEFT, length="", width="")), "Length, Width are not answered yet."),
        (plate(changed(LEFT, corner="1")), "No tool in the table fits. Add one"),
        (plate(LEFT.changed(on=False)), "no step that cuts"),
        (plate(LEFT).with_setup(plate(LEFT).setups[0].changed(machine="lost")), "Machine “lost” is unknown"),
        (plate(LEFT).with_setup(plate(LEFT).setups[0].changed(material="wood")), "Material “wood” is unknown"),
    ],
)
def test_what_keeps_a_job_from_being_posted(job: Job, says: str) -> None:
    assert says in (plan(job).first_obstacle() or "")


def test_a_ready_job_has_no_obstacle() -> None:
    assert plan(plate()).first_obstacle() is None


def test_a_step_that_asks_is_left_out_and_the_rest_planned() -> None:
    planned = plan(plate(FACE, changed(LEFT, depth=""), RIGHT))
    assert planned.order == (0, 2)
    assert planned.steps[1].moves == ()
    assert planned.steps[1].removals, "it is drawn all the same"


def test_steps_after_a_switched_off_face_see_the_raw_top() -> None:
    off = plan(plate(FACE.changed(on=False), LEFT)).steps[1]
    assert off.work.top_over(off.removals[0].bounds()) == 2.0
    first = off.moves[1]
    assert isinstance(first, Rapid)
    assert first.z == 2.0 + ABOVE_METAL_MM


def test_a_pocket_longer_across_is_planned_along_its_longer_side() -> None:
    upright = plan(plate(FACE, changed(LEFT, length="40", width="60"))).steps[1]
    turned = plan(plate(FACE, changed(LEFT, angle="90"))).steps[1]
    assert len(upright.moves) == len(turned.moves)
    for a, b in zip(upright.removals[0].bounds(), turned.removals[0].bounds(), strict=True):
        assert a == pytest.approx(b)


def test_the_widest_face_mill_and_the_right_drill_are_suggested() -> None:
    steps = plan(plate(changed(FACE), changed(BOLTS))).steps
    assert steps[0].answers.suggestions["tool"].text == "1"
    assert steps[1].answers.suggestions["tool"].text == "3"
    assert steps[1].answers.suggestions["peck"].text == "none"
    deep = plan(plate(changed(BOLTS, depth_to="full", depth="30"), size_z="60")).steps[0]
    assert deep.answers.suggestions["peck"].text == "retract"
    assert "diameters deep" in deep.answers.suggestions["peck"].reason


def test_profiles_and_materials_are_whole() -> None:
    machine = machines()["small-mill-mm"]
    assert machine.spindle.curve[0][0] <= machine.spindle.lowest
    assert machine.spindle.curve[-1][0] >= machine.spindle.highest
    assert [row[0] for row in machine.spindle.curve] == sorted(row[0] for row in machine.spindle.curve)
    assert {m.group for m in materials().values()} <= set("PMKNSH")
    assert len(materials()) >= 5
    for material in materials().values():
        assert 150 < material.kc11 < 4000
        assert 0 < material.mc < 0.5
    with pytest.raises(ValueError, match="name"):
        parse_machine({"id": "x"})
    assert replace(machine, name="other").travel == machine.travel


def test_a_plan_that_remembers_steps_is_the_plan_made_anew() -> None:
    job = demo_job(TRAY)
    basin = job.setups[0].steps[1]
    rim, *others = job.contours
    wider = rim.changed(
        elements=tuple(
            e.changed(facts={**e.facts, "radius": "160"}) if i % 2 else e for i, e in enumerate(rim.elements)
        )
    )
    edits = (
        job,
        job.changed(contours=(wider, *others)),
        job.with_setup(
            job.setups[0].changed(steps=(job.setups[0].steps[0], changed(basin, depth="6"), *job.setups[0].steps[2:])),
            0,
        ),
        job.with_setup(job.setups[0].changed(steps=job.setups[0].steps[::-1]), 0),
        job,
    )
    for one in edits:
        remembered = plan(one, moves=False)
        REMEMBERED.clear()
        anew = plan(one, moves=False)
        for a, b in zip(remembered.steps, anew.steps, strict=True):
            told = [(s.number, s.answers.missing, s.answers.problems, s.answers.suggestions) for s in (a, b)]
            assert told[0] == told[1]
            assert (a.removals, a.work.done) == (b.removals, b.work.done)
        plan(one, moves=False)


def test_what_moves_show_is_known_as_long_as_the_answers_stay() -> None:
    job = falling()
    REMEMBERED.clear()
    read = plan(job, moves=False)
    assert read.steps[0].ready
    (told,) = plan(job).steps[0].ways
    REMEMBERED.clear()
    read = plan(job, moves=False)
    known = {"turn": (read.steps[0].answers.values, (told,))}
    again = plan(job, moves=False, known=known)
    assert again.steps[0].answers.problems[-1] == told
    assert (again.order, again.steps[0].cleared) == ((), ())
    assert plan(falling("planner"), moves=False, known=known).steps[0].ready


def test_a_repetition_and_the_next_setup_know_what_moves_show() -> None:
    job = falling()
    again = Step(id="again", cycle="repeat_along", values={"steps": "turn", "pitch": "5"})
    first = job.setups[0].changed(steps=(*job.setups[0].steps, again))
    assert plan(job.with_setup(first), moves=False).steps[1].ready
    (told,) = plan(job.with_setup(first)).steps[1].ways
    assert (told.field, "would lead tool 1" in told.text) == ("steps", True)
    values = {**first.values, "stock_kind": "before", "out": "40"}
    two = job.changed(setups=(job.setups[0], job.setups[0].changed(values=values, steps=())))
    (problem,) = [p for p in plan(two, 1).setup_answers.problems if p.field == "stock_kind"]
    assert "Setup 1, which leaves this stock, is not complete" in problem.text
    assert "would lead tool 1" in problem.text
    ways = plan(two).steps[0].ways
    known = {"turn": (plan(two, moves=False).steps[0].answers.values, ways)}
    assert any("is not complete" in p.text for p in plan(two, 1, moves=False, known=known).setup_answers.problems)


def test_a_tool_whose_line_is_wrong_is_named_with_the_reason(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    from bastler.cli import run

    good = plate(FACE)
    wrong = replace(good, tools=tuple(replace(t, values={**t.values, "flutes": "many"}) if t.number == 2 else t for t in good.tools))  # fmt: skip
    assert plan(good).tools_left_out() == []
    save(wrong, tmp_path / "plate.bastler")
    assert run(["check", str(tmp_path / "plate.bastler")]) == 0
    assert "Tool 2 (end mill 10) is left out: Flutes: “many” can't be read" in capsys.readouterr().err
