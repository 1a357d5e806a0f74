"""C 0 of the part lies at another angle of the spindle than its own mark: said in the setup, posted, read back."""

from __future__ import annotations

import pytest

from bastler.core.checked import Checked
from bastler.core.engine import Engine
from bastler.core.job.document import Step
from bastler.core.request import Request
from tests.hub import FACE, TURN, hub

POCKET = {"works_on": "end", "length": "16", "width": "10", "corner": "3", "depth": "2", "centre_x": "14", "centre_y": "5"}  # fmt: skip
STEPS = {
    "polar": Step(id="s", cycle="pocket", values={**POCKET, "moved_by": "c"}),
    "written out": Step(id="s", cycle="pocket", values={**POCKET, "moved_by": "written"}),
    "by Y": Step(id="s", cycle="pocket", values={**POCKET, "moved_by": "y"}),
    "a cross hole": Step(id="s", cycle="drill", values={"works_on": "round", "at_angle": "72", "from_axis": "29", "points": "-20, 0", "diameter": "8", "depth": "9"}),
    "unrolled": Step(id="s", cycle="slot", values={"works_on": "unrolled", "from_axis": "29", "at_angle": "20", "centre_x": "-25", "centre_y": "0", "width": "8", "measured": "centres", "depth": "4", "angle": "35", "length": "20"}),
}  # fmt: skip
MACHINES = ("turning-centre-y-mm", "turning-centre-y-inch")


def checked(step: Step, machine: str, zero: str, text: bytes | None = None) -> Checked:
    """A step on the turned hub."""
    job = hub(FACE, TURN, step, machine=machine)
    setup = job.setups[0].changed(values={**job.setups[0].values, "c_zero": zero})
    return Engine().check(Request(job.changed(setups=(setup,)), text=text))


@pytest.mark.parametrize("machine", MACHINES)
@pytest.mark.parametrize("what", STEPS)
def test_the_same_metal_from_another_zero(what: str, machine: str) -> None:
    """The words that count from the part stand once, right after the axis is on; the metal is the same."""
    plain, turned = (checked(STEPS[what], machine, zero) for zero in ("0", "30"))
    words = "G50 C" if "mm" in machine else "G92 C"
    lines = turned.program.text.splitlines()
    assert [line.split(" C")[1] for line in lines if words in line] == ["0.", "30."]
    assert words not in plain.program.text
    assert turned.findings == plain.findings == ()
    assert turned.volume_after == pytest.approx(plain.volume_after, abs=0.01)


@pytest.mark.parametrize("what", STEPS)
def test_a_text_that_counts_from_the_spindle_is_told(what: str) -> None:
    """It would cut at another angle: said where it begins to cut, and seen in the metal."""
    right = checked(STEPS[what], MACHINES[0], "30").program.text
    lines = right.splitlines()
    at = next(i for i, line in enumerate(lines) if "G50 C0." in line)
    assert lines[at - 1].endswith("C30.")
    wrong = "\n".join((*lines[: at - 1], *lines[at + 1 :])).encode()
    found = checked(STEPS[what], MACHINES[0], "30", wrong)
    kinds = {f.kind for f in found.findings if f.severity == "stop"}
    assert {"axis-mode", "gouge"} <= kinds
    text = next(f.text for f in found.findings if f.kind == "axis-mode")
    assert "lies at 30° of the spindle. Write G0 C30. and G50 C0. before." in text


def test_a_zero_that_is_set_twice_is_told() -> None:
    """Two steps with turning between them: C is set back to the spindle's zero in between; without that the second would be cut from another one."""
    job = hub(FACE, STEPS["a cross hole"], TURN, STEPS["polar"], machine=MACHINES[0])
    setup = job.setups[0].changed(values={**job.setups[0].values, "c_zero": "30"})
    job = job.changed(setups=(setup,))
    right = Engine().check(Request(job))
    assert [f for f in right.findings if f.severity != "note"] == []
    assert right.program.text.count("G50 C0.") == right.program.text.count("G50 C30.") == 2
    wrong = right.program.text.replace("G50 C30.", "", 1)
    assert "axis-mode" in {f.kind for f in Engine().check(Request(job, text=wrong.encode())).findings}
