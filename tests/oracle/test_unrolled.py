"""Round the side, unrolled: closed forms, and a simulator that reads the posted text in its own way."""

from __future__ import annotations

import math

import pytest
from scipy.integrate import quad

from bastler.core.checked import Checked
from bastler.core.engine import Engine
from bastler.core.job.document import ContourRecord, ElementRecord, Step
from bastler.core.jobfiles.units import in_units
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.hub import FACE, TURN, hub
from tests.oracle.unrolled import removed

R, FLOOR, RHO = 29.0, 25.0, 4.0
AT = {"works_on": "unrolled", "from_axis": f"{R:g}", "at_angle": "20"}
SLOT = {**AT, "centre_x": "-25", "centre_y": "0", "width": "8", "measured": "centres", "depth": "4"}
STEPS = {
    "slot aslant": ("slot", {**SLOT, "angle": "35", "length": "40"}),
    "wide slot": ("slot", {**SLOT, "angle": "-60", "length": "30", "width": "13"}),
    "pocket": ("pocket", {**AT, "centre_x": "-25", "centre_y": "12", "length": "22", "width": "30", "corner": "5", "depth": "3", "tool": "18"}),
    "round pocket": ("round", {**AT, "points": "-25, 4", "diameter": "22", "depth": "3"}),
    "contour pocket": ("contour_pocket", {**AT, "contour": "leaf", "depth": "2", "tool": "18", "top": "0"}),
    "outline": ("outline", {**AT, "contour": "leaf", "side": "on", "depth": "1.5", "tool": "18", "top": "0"}),
}  # fmt: skip
LEAF = ContourRecord(
    id="leaf",
    name="leaf",
    values={"start_x": "-40", "start_y": "-10", "closed": "yes"},
    elements=tuple(
        ElementRecord(type="line", facts={"x": str(x), "y": str(y)})
        for x, y in ((-12, -14), (-14, 20), (-38, 12), (-40, -10))
    ),
)
MACHINES = ("turning-centre-mm", "turning-centre-y-inch")


def taken(*steps: Step, machine: str = MACHINES[0]) -> tuple[Checked, float]:
    """What steps take of the turned hub, mm³."""

    def check(*more: Step) -> Checked:
        job = hub(FACE, TURN, *more, machine=machine).changed(contours=(LEAF,))
        return Engine().check(Request(job if machine.endswith("mm") else in_units(job, "inch", keep_size=True)))

    found = check(*steps)
    return found, check().volume_after - found.volume_after


@pytest.mark.parametrize("length", [20, 60, 150])
def test_a_slot_round_the_bar_has_its_closed_form(length: float) -> None:
    """A ring's sector, as wide as the tool, and half a hole at each end: (l / R)(R² - f²)ρ + ∫ (√(R² - y²) - f) 2√(ρ² - y²) dy."""
    found, volume = taken(Step(id="s", cycle="slot", values={**SLOT, "angle": "90", "length": str(length)}))
    hole = quad(lambda y: (math.sqrt(R * R - y * y) - FLOOR) * 2 * math.sqrt(RHO * RHO - y * y), -RHO, RHO)[0]
    assert volume == pytest.approx(length / R * (R * R - FLOOR * FLOOR) * RHO + hole, rel=0.002)
    assert [f.text for f in found.findings if f.severity != "note"] == []


def test_a_keyway_along_the_bar_is_the_same_as_at_a_held_angle() -> None:
    _, unrolled = taken(Step(id="s", cycle="slot", values={**SLOT, "angle": "0", "length": "20"}))
    _, held = taken(Step(id="s", cycle="slot", values={**SLOT, "works_on": "round", "angle": "0", "length": "20"}))
    assert unrolled == pytest.approx(held, abs=0.1)


@pytest.mark.parametrize("machine", MACHINES)
@pytest.mark.parametrize("name", STEPS)
def test_the_check_and_a_simulator_of_the_text_agree(name: str, machine: str) -> None:
    cycle, values = STEPS[name]
    step = Step(id="s", cycle=cycle, values=values)
    found, volume = taken(step, machine=machine)
    assert [f.text for f in found.findings if f.severity != "note"] == []
    job = hub(FACE, TURN, step, machine=machine).changed(contours=(LEAF,))
    tool = plan(job).steps[-1].tool
    assert tool is not None
    assert removed(found.program.text, tool.radius, R) == pytest.approx(volume, rel=0.01)


def test_what_goes_more_than_half_way_round_is_refused_at_the_field() -> None:
    step = Step(id="s", cycle="slot", values={**SLOT, "angle": "90", "length": "190"})
    problems = plan(hub(FACE, TURN, step)).steps[-1].answers.problems
    assert [p.field for p in problems if p.blocks] == ["from_axis"]
    assert "half way round" in problems[0].text


def test_what_a_flat_end_leaves_of_a_floor_is_told() -> None:
    """At Ø6 with its middle 25 from the axis the rim of the end lies 25.18 from it, and half a step of 4 aside 25.08."""
    values = {**STEPS["pocket"][1], "depth": "4", "side_step": "4"}
    step = plan(hub(FACE, TURN, Step(id="s", cycle="pocket", values=values))).steps[-1]
    assert step.tool is not None
    rim = math.hypot(FLOOR, step.tool.radius) - FLOOR
    text = next(p.text for p in step.ways if p.field == "side_step")
    assert f"up to {math.hypot(FLOOR, 2) - FLOOR:.2f} between its ways, {rim:.2f} along walls" in text
