"""The demo jobs and several equal parts: checked whole, and every part comes out the same."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from bastler.core.benches import post
from bastler.core.engine import Engine
from bastler.core.job.document import Job
from bastler.core.jobfiles import store
from bastler.core.planner import plan
from bastler.core.post.dialect import dialects
from bastler.core.problems import Unusable
from bastler.core.request import Request
from tests.jobs import CORNERS, FACE, LEFT, plate

EXAMPLES = Path(__file__).parents[2] / "examples"


@pytest.mark.parametrize(
    "name",
    [
        "pressure-plate",
        "frame-foot-inch",
        "foot-pad",
        "drain-tray-insert",
        "spindle",
        "guide-bush-inch",
        "handle-hub",
        "handle-hub-inch",
    ],
)
def test_a_demo_job_has_nothing_to_change(name: str) -> None:
    job = store.load(EXAMPLES / f"{name}.bastler")
    checked = Engine().check(Request(job, cell=0.3))
    assert [f.text for f in checked.findings if f.severity != "note"] == []
    assert checked.volume_after < checked.volume_before


def copies(**more: str) -> Job:
    values = {
        "parts": "grid",
        "parts_columns": "2",
        "parts_rows": "2",
        "parts_pitch_x": "260",
        "parts_pitch_y": "180",
        "held_in": "free",
        **more,
    }
    job = plate(FACE, LEFT, CORNERS, **values)
    return job.with_setup(job.setups[0].changed(machine="large-mill-mm"))


@pytest.mark.parametrize("by", ["offsets", "shift"])
@pytest.mark.parametrize("order", ["tool", "part"])
def test_four_parts_come_out_alike(by: str, order: str) -> None:
    job = copies(parts_by=by, parts_order=order)
    engine = Engine()
    checked = engine.check(Request(job, cell=0.5))
    assert [f.text for f in checked.findings] == []
    one = Engine().check(Request(plate(FACE, LEFT, CORNERS, held_in="free"), cell=0.5))
    assert checked.volume_before == pytest.approx(4 * one.volume_before, rel=1e-6)
    assert checked.volume_before - checked.volume_after == pytest.approx(
        4 * (one.volume_before - one.volume_after), rel=1e-3
    )
    changes = checked.program.text.count(" M6 ")
    assert changes == (3 if order == "tool" else 12)
    grid, h = checked.field.grid, checked.field.heights
    for dx, dy in plan(job).frame.parts:
        ix, iy = grid.cell_of(48 + dx, 60 + dy)
        assert h[iy, ix] == pytest.approx(-12.0)
        ix, iy = grid.cell_of(230 + dx, 60 + dy)
        assert not grid.holds(ix, iy) or h[iy, ix] == pytest.approx(-20.0), "between the parts there is nothing"


def test_offsets_are_counted_on_from_the_setups_own() -> None:
    job = copies()
    job = job.with_setup(job.setups[0].changed(work_offset="G58"))
    assert plan(job).frame.offset_names("G58") == ("G58", "G59", "G54.1 P1", "G54.1 P2")
    text = post(plan(job), dialects()["iso-mill"]).text
    assert [text.count(n) > 0 for n in ("G58", "G59", "G54.1 P1", "G54.1 P2", "G54 ")] == [
        True,
        True,
        True,
        True,
        False,
    ]
    assert [f for f in Engine().check(Request(job, cell=1.0)).findings if f.severity == "stop"] == []


def test_parts_that_overlap_are_told() -> None:
    tight = plan(copies(parts_pitch_x="150"))
    assert (
        "Parts 1 and 2 overlap on the table. Give at least 204 along X or 124 along Y"
        in tight.setup_answers.problems[0].text
    )
    assert tight.order == ()
    listed = plan(copies(parts="list", parts_at="300, 0; 310, 10"))
    assert "Parts 2 and 3 overlap" in listed.setup_answers.problems[0].text
    many = plan(copies(parts="grid", parts_columns="11", parts_rows="6"))
    assert "more work offsets than there are" in many.setup_answers.problems[0].text


def test_a_plain_control_can_not_shift() -> None:
    with pytest.raises(Unusable, match="can't shift the zero by the program"):
        post(plan(copies(parts_by="shift")), dialects()["iso-mill-plain"])


@pytest.mark.parametrize(("kind", "area"), [("round", np.pi * 40**2), ("tube", np.pi * (40**2 - 15**2))])
def test_round_stock_and_tubes(kind: str, area: float) -> None:
    job = plate(FACE, stock_kind=kind, diameter="80", bore="30", held_in="chuck", grip="8")
    checked = Engine().check(Request(job, cell=0.2))
    assert checked.volume_before == pytest.approx(area * 22, rel=0.005)
    assert checked.volume_after == pytest.approx(area * 20, rel=0.005)
    assert [f for f in checked.findings if f.severity == "stop"] == []


def test_clamps_and_jaws_are_in_the_way() -> None:
    clamped = Engine().check(Request(plate(FACE, held_in="clamps"), cell=1.0))
    assert {f.kind for f in clamped.findings if f.severity == "stop"} == {"fixture-contact"}
    assert any("the left clamp" in f.text for f in clamped.findings)
    pocket = Engine().check(Request(plate(LEFT, held_in="clamps"), cell=1.0))
    assert [f for f in pocket.findings if f.severity == "stop"] == []
    thick = plan(plate(FACE, stock_kind="tube", diameter="80", bore="90"))
    assert "as wide as the tube" in thick.setup_answers.problems[0].text
