"""The house keeps its rules: the registry, what is loaded where, that a cycle is one file."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
import types
from pathlib import Path

import pytest

import bastler.core.cycles.mill as mill
from bastler.core.cycles import FAMILIES, Registry, cycles
from bastler.core.job.document import Step
from bastler.core.marks import CentreCross, Distance, HoleSpot, PitchCircle, Radius, SectionAt, Sign
from bastler.core.planner import plan
from bastler.core.quantities import Kind
from tests.closed_loop.test_every_cycle import job_of
from tests.contours import CONTOURS
from tests.jobs import plate
from tests.turned import lathe_job


def with_contour(cycle: str, typed: dict[str, str]) -> dict[str, str]:
    """Answers, with a contour where the cycle follows one."""
    asks = any(f.key == "contour" for f in cycles()[cycle].fields)
    return {"contour": "~smooth", **typed} if asks else typed


SOURCE = Path(__file__).parents[2] / "src" / "bastler"


def test_every_file_in_the_folder_is_a_cycle() -> None:
    folders = [SOURCE / "core" / "cycles" / family for family in FAMILIES]
    files = {p.stem for folder in folders for p in folder.glob("*.py")} - {"__init__"}
    assert set(cycles()) == files


def test_no_file_outside_names_a_cycle() -> None:
    one = re.compile(rf"cycles\.({'|'.join(FAMILIES)})(\.| import )({'|'.join(cycles())})\b")
    inside = [SOURCE / "core" / "cycles" / family for family in FAMILIES]
    for path in SOURCE.rglob("*.py"):
        if path.parent not in inside:
            assert one.search(path.read_text("utf-8")) is None, f"{path} imports a cycle"
    assert one.search("from bastler.core.cycles.mill import face")
    assert one.search("import bastler.core.cycles.lathe.groove")


def test_two_cycles_of_one_id_are_refused(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    (tmp_path / "face.py").write_text("")
    (tmp_path / "twin.py").write_text("from bastler.core.cycles.mill.face import CYCLE\n")
    monkeypatch.setattr(mill, "__path__", [*mill.__path__, str(tmp_path)])
    with pytest.raises(ValueError, match=r"two cycles have the id 'face'"):
        Registry()
    (tmp_path / "face.py").unlink()
    with pytest.raises(ValueError, match=r"give it the id 'twin'"):
        Registry()["twin"]
    sys.modules.pop("bastler.core.cycles.mill.twin", None)
    assert cycles()["face"].id == "face", "the registry in use is none the worse for it"


def test_the_window_starts_without_what_the_first_picture_does_not_need() -> None:
    code = "import sys, json; from bastler.ui.app import start; start('--demo'); print(json.dumps(sorted(m for m in sys.modules if m.split('.')[0] in ('numba', 'numpy', 'vtkmodules', 'ezdxf', 'shapely', 'typer', 'pydantic'))))"
    out = subprocess.run(
        [sys.executable, "-c", code],
        capture_output=True,
        text=True,
        check=True,
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
    ).stdout
    assert json.loads(out) == []


@pytest.mark.parametrize("cycle", cycles().ids("mill"))
def test_every_mark_shows_a_declared_field(cycle: str) -> None:
    step = plate().setups[0].steps[0].changed(cycle=cycle, values=with_contour(cycle, {}))
    planned = plan(plate(step).changed(contours=CONTOURS), moves=False).steps[0]
    declared = {f.key for f in planned.cycle.fields}
    marks = planned.cycle.marks(planned.cycle.drawable(planned.answers), planned.work)
    assert any(isinstance(m, SectionAt) for m in marks) or not planned.cycle.tool_kinds
    for mark in marks:
        if not isinstance(mark, CentreCross | HoleSpot | PitchCircle | SectionAt):
            assert mark.field in declared


@pytest.mark.parametrize("cycle", cycles().ids("lathe"))
@pytest.mark.parametrize("bore", [False, True])
def test_every_mark_of_a_lathe_shows_a_declared_field(cycle: str, bore: bool) -> None:
    job = lathe_job(tube=bore)
    step = Step(id="it", cycle=cycle)
    planned = plan(job.with_setup(job.setups[0].changed(steps=(step,))), moves=False).steps[0]
    declared = {f.key for f in planned.cycle.fields}
    assert all(getattr(m, "field", "") in declared | {""} for m in planned.marks())


@pytest.mark.parametrize("cycle", cycles().ids("mill"))
def test_every_size_asked_for_has_its_dimension(cycle: str) -> None:
    """What the person must type as a length is a dimension of the drawing."""
    one = cycles()[cycle]
    shown: set[str] = set()
    for pattern in (
        {},
        {"pattern": "grid"},
        {"pattern": "circle"},
        {"pattern": "frame"},
        {"area": "rectangle"},
        {"by": "depth"},
        {"hole": "fit"},
        {"shape": "round"},
        {"what": "scale"},
        {"line": "points"},
        {"line": "arc"},
    ):
        typed = {k: v for k, v in pattern.items() if any(f.key == k for f in one.fields)}
        step = plate().setups[0].steps[0].changed(cycle=cycle, values=with_contour(cycle, typed))
        planned = plan(plate(step).changed(contours=CONTOURS), moves=False).steps[0]
        for mark in one.marks(one.drawable(planned.answers), planned.work):
            if isinstance(mark, Distance | Radius | Sign):
                shown.add(mark.field)
    essential = {f.key for f in one.fields if f.essential and f.kind is Kind.LENGTH}
    assert essential <= shown


def test_a_sample_is_a_step_that_can_be_typed() -> None:
    class Low:
        def number(self, low: float, high: float) -> float:
            return round(low, 3)

        def choice(self, options: tuple[str, ...]) -> str:
            return options[0]

    for cycle in cycles().in_order("mill"):
        work = (
            plan(job_of(plate().setups[0].steps[0].changed(cycle=cycle.id, values={}), contours=CONTOURS)).steps[0].work
        )
        values = cycle.sample(Low(), work)
        assert set(values) <= {f.key for f in cycle.fields}
        assert all(isinstance(v, str) for v in values.values())


def test_cycles_are_plain_functions() -> None:
    for cycle in cycles().values():
        for name in ("problems", "removals", "plan", "marks", "title", "sample"):
            assert isinstance(getattr(cycle, name), types.FunctionType)
        assert len({f.key for f in cycle.fields}) == len(cycle.fields)
        assert {f.group for f in cycle.fields} <= {"Place", "Size", "Cut", "Entry"}


def test_the_house_is_no_harder_to_live_in_than_it_was() -> None:
    """Questions for the machine's kind, holes in the typing, long functions, shared names, rings of imports."""
    out = subprocess.run([sys.executable, str(SOURCE.parents[1] / "scripts" / "house")], capture_output=True, text=True)
    assert out.returncode == 0, out.stdout


@pytest.mark.parametrize("key", ["depth_per_pass", "side_step"])
def test_more_passes_than_anybody_means_are_refused_before_anything_is_planned(key: str) -> None:
    """In every cycle that asks for it: at once, at the field, as a sentence."""
    asked = 0
    for cycle in (*cycles().ids("mill"), *cycles().ids("lathe")):
        one = cycles()[cycle]
        for field in (f for f in one.fields if f.key == key):
            asked += 1
            assert field.limits is not None
            assert field.limits.low == pytest.approx(0.01)
            assert not field.limits.low_open
    assert asked >= 4


def test_thin_passes_each_beside_and_below_each_other_are_counted() -> None:
    step = Step(id="p", cycle="pocket", values={"centre_x": "60", "centre_y": "60", "length": "60", "width": "40", "corner": "6", "depth": "12", "clear_by": "loops", "depth_per_pass": "0.01", "side_step": "0.01"})  # fmt: skip
    problems = plan(plate(step)).steps[0].answers.problems
    assert any("passes. Give a larger" in p.text and p.blocks for p in problems)
