"""Damaged jobs of both machines and damaged programs: read, drawn, planned, checked, and nothing raises. More of them: ``make soak``."""

from __future__ import annotations

import pytest

from bastler.core.engine import Engine
from bastler.core.job.document import Setup, Step
from bastler.core.jobfiles.store import dump, parse
from bastler.core.planner import plan
from bastler.core.problems import Unusable
from bastler.core.request import Request
from tests.damage import damaged_job, damaged_text, demo_jobs, drawn, posted_demos

CELL = 2.0


@pytest.mark.parametrize("block", range(4))
def test_damaged_jobs_are_read_and_drawn(block: int) -> None:
    """No guard is needed: a fault in the log fails the test."""
    for seed in range(1000 * block, 1000 * block + 30):
        job = damaged_job(seed)
        if job is None:
            continue
        assert parse(dump(job), "again") == job
        for index in range(len(job.setups)):
            drawn(plan(job, index, moves=False))


@pytest.mark.parametrize("machine", ["mill", "lathe"])
def test_damaged_programs_are_checked_and_told(machine: str) -> None:
    job, data = posted_demos()[machine]
    for seed in range(12 if machine == "mill" else 6):
        try:
            checked = Engine().check(Request(job, text=damaged_text(data, seed), cell=CELL))
        except Unusable as error:
            assert str(error).endswith(".")
            continue
        assert all(f.text.rstrip()[-1] in ".)?!" for f in checked.findings)


@pytest.mark.parametrize(
    ("machine", "arc"),
    [("mill", "G1 X40. Y40. F100.\nG3 X90. Y40. I-4.8 J0."), ("lathe", "G1 X40. Z-10. F0.1\nG3 X40. Z-2. I0. K-4.")],
)
def test_an_arc_that_ends_on_the_ray_it_began_on_is_told_and_is_no_fault(machine: str, arc: str) -> None:
    """It swept nothing over some length: a division by zero in the stock."""
    job, data = posted_demos()[machine]
    head = data.split(b"M3", 1)[0].rsplit(b"\n", 1)[0] + b"\nM3 S800\nG0 Z2.\n"
    checked = Engine().check(Request(job, text=head + arc.encode() + b"\nM30\n", cell=CELL))
    assert any("off its circle" in f.text for f in checked.findings)


def lathe() -> tuple:  # type: ignore[type-arg]
    """The spindle and its setup."""
    job = next(j for j in demo_jobs() if j.setups[0].machine == "small-lathe-mm")
    return job, job.setups[0]


@pytest.mark.parametrize(
    "values",
    [
        {"part_length": "60", "out": "20", "over_front": "1,5,"},
        {"stock_kind": "contour", "stock_contour": "~gone", "over_front": "x", "zero_by": "?"},
        {"stock_kind": "tube", "bore": "x", "diameter": "½"},
        {"held_in": "collet", "diameter": "200", "jaw_height": "x"},
        {"tailstock": "yes", "centre_hole": "0x10", "speed_limit": "-"},
        {"stock_kind": "before", "turned_round": "maybe"},
    ],
)
def test_a_lathe_setup_waits_for_what_is_wrong(values: dict[str, str]) -> None:
    job, setup = lathe()
    planned = plan(job.with_setup(setup.changed(values={**setup.values, **values})), moves=False)
    assert not planned.setup_answers.complete
    drawn(planned)


def test_a_stock_too_thick_for_the_collet_is_told_and_drawn() -> None:
    job, setup = lathe()
    for thick in ("6", "60", "600"):
        values = {**setup.values, "held_in": "collet", "diameter": thick}
        planned = plan(job.with_setup(setup.changed(machine="slide-lathe-mm", values=values)), moves=False)
        assert (thick == "6") == planned.setup_answers.complete
        drawn(planned)
    assert "holds 56 at most" in " ".join(
        p.text for p in plan(job.with_setup(setup.changed(machine="slide-lathe-mm", values={**setup.values, "held_in": "collet", "diameter": "58"})), moves=False).setup_answers.problems
    )  # fmt: skip


def test_a_casting_whose_contour_crosses_itself_is_told() -> None:
    job, setup = lathe()
    from bastler.core.job.document import ContourRecord, ElementRecord

    points = ((0, 0), (0, 40), (-40, 0), (-40, 40), (0, 0))
    elements = tuple(ElementRecord(type="line", facts={"z": str(z), "x": str(x)}) for z, x in points[1:])
    crossing = ContourRecord(
        id="~bow",
        name="bow",
        values={"plane": "ZX", "start_z": "0", "start_x": "0", "closed": "yes"},
        elements=elements,
    )
    values = {**setup.values, "stock_kind": "contour", "stock_contour": "~bow"}
    broken = job.with_setup(setup.changed(values=values)).changed(contours=(*job.contours, crossing))
    planned = plan(broken, moves=False)
    assert not planned.setup_answers.complete
    drawn(planned)


def test_a_puller_in_the_table_and_the_tools_of_the_bar_feed() -> None:
    from bastler.core.job.document import ToolRecord

    job, setup = lathe()
    tools = (
        *job.tools,
        ToolRecord(number=91, kind="bar-puller", name="puller"),
        ToolRecord(number=92, kind="bar-stop", name="stop"),
    )
    for comes in ("stop", "pull"):
        step = Step(id="feed", cycle="bar_feed", values={"comes": comes, "tool": "91"})
        drawn(plan(job.changed(tools=tools).with_setup(setup.changed(steps=(*setup.steps, step))), moves=False))


@pytest.mark.parametrize("machine", ["small-mill-mm", "small-lathe-mm"])
def test_a_number_that_is_now_another_tool_is_told_at_the_field(machine: str) -> None:
    job = next(j for j in demo_jobs() if j.setups[0].machine == machine)
    setup: Setup = job.setups[0]
    other = "tap" if machine == "small-mill-mm" else "parting-tool"
    tools = tuple(t.changed(kind=other) if t.kind not in (other,) else t.changed(kind="drill") for t in job.tools)
    typed = tuple(
        s.changed(values={**s.values, "tool": str(p.tool.number)}) if p.tool else s
        for s, p in zip(setup.steps, plan(job, moves=False).steps, strict=True)
    )
    planned = plan(job.changed(tools=tools).with_setup(setup.changed(steps=typed)), moves=False)
    told = [p.text for s in planned.steps for p in s.answers.problems if p.field == "tool"]
    assert told
    assert all("can't be used here" in text or "usable" in text for text in told)
    drawn(planned)


def test_a_shared_pattern_of_too_many_holes_is_not_gone() -> None:
    from bastler.core.job.document import PatternRecord
    from tests.jobs import FACE, plate

    record = PatternRecord(
        id="#many",
        name="many",
        values={
            "pattern": "grid",
            "first_x": "1",
            "first_y": "1",
            "columns": "100",
            "rows": "51",
            "pitch_x": "1",
            "pitch_y": "1",
        },
    )
    step = Step(id="spot", cycle="spot", values={"pattern": "#many", "diameter": "1"})
    text = " ".join(
        p.text for p in plan(plate(FACE, step).changed(patterns=(record,)), moves=False).steps[1].answers.problems
    )
    assert "Pattern “many”: 5100 positions are more than Bastler draws (5000)" in text
