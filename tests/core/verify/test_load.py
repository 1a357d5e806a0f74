"""Power from the metal that went, and how it is spread over time."""

from __future__ import annotations

import numpy as np
import pytest

from bastler.core.engine import Engine
from bastler.core.planner import plan
from bastler.core.request import Request
from bastler.core.tooling.power import cutting_force
from tests.jobs import FACE, LEFT, changed, plate


def test_a_full_slot_takes_the_power_of_its_section() -> None:
    """10 wide, 3 deep, 400 mm/min: Q = 12 cm³/min; the chip is 0.7 of the feed per tooth."""
    text = b"T2 M6\nG43 H2 G0 X20. Y60. Z5.\nS4000 M3\nG1 Z-1. F50\nX180. F400\nG0 Z50.\nM30\n"
    job = plate(over_top="0")
    checked = Engine().check(Request(job, text=text, cell=0.25))
    move = int(np.argmax(checked.removed))
    machine, material = plan(job).frame.machine, plan(job).frame.material
    chip = 0.7 * 400 / 4000 / 3
    kw = 10 * 1 * 400 * cutting_force(material, chip) / 60e6 / 0.8
    assert checked.power[move] == pytest.approx(kw / machine.spindle.power(4000), rel=0.04)
    assert checked.power[checked.removed == 0].max() == 0


def test_the_planner_and_the_check_agree_on_roughing() -> None:
    job = plate(FACE, changed(LEFT, finish_walls="no", finish_floor="no"))
    checked = Engine().check(Request(job, cell=0.25))
    pocket = checked.step_of_move == 1
    said = plan(job).steps[1].cycle.power_share(plan(job).steps[1].answers.values, plan(job).steps[1].work)
    assert said is not None
    power, gone = checked.power[pocket], checked.removed[pocket]
    order = np.argsort(power)
    share = np.cumsum(gone[order]) / gone.sum()
    most = float(power[order][np.searchsorted(share, 0.8)])
    assert most == pytest.approx(said, rel=0.12), "four fifths of the metal go with no more than what the planner says"
    assert power.max() < 1.5 * said, "where the tool is wrapped round, corners load more"


def test_over_time_nothing_is_lost() -> None:
    checked = Engine().check(Request(plate(), cell=0.4))
    power, gone = checked.over_time(400)
    assert gone[-1] == pytest.approx(checked.removed.sum())
    assert (np.diff(gone) >= -1e-9).all()
    assert power.max() == pytest.approx(float(checked.power.max()))
    fine, _ = checked.over_time(4000)
    assert (fine.reshape(400, 10).max(axis=1) <= power + 1e-6).all()
    seconds = float(checked.times.sum())
    idle = checked.times[checked.power < 1e-3].sum() / seconds
    assert (fine < 1e-3).mean() == pytest.approx(idle, abs=0.06)


def test_a_cut_that_the_spindle_cannot_take_is_found() -> None:
    text = b"T2 M6\nG43 H2 G0 X-10. Y60. Z5.\nS1000 M3\nZ-%d.\nG1 X180. F%d\nG0 Z50.\nM30\n"
    job = plate(over_top="0")
    found = {
        (deep, feed): [f for f in Engine().check(Request(job, text=text % (deep, feed), cell=0.25)).findings if f.kind == "power"]
        for deep, feed in ((1, 200), (9, 2000))
    }  # fmt: skip
    assert found[1, 200] == []
    (power,) = found[9, 2000]
    assert (power.severity, power.line) == ("warn", 5)
    assert "1000 /min" in power.text


def test_what_the_planner_said_of_power_is_not_said_twice() -> None:
    job = plate(changed(LEFT, depth_per_pass="6", feed="3000"))
    found = [f for f in Engine().check(Request(job, cell=0.4)).findings if f.kind == "power"]
    assert len(found) == 1
    assert found[0].text.startswith("Step 1")
