"""A fault of ours inside one step is that step's problem; the rest of the job is planned, posted and checked."""

from __future__ import annotations

from pathlib import Path

import pytest
from msgspec.structs import replace

from bastler.core import faults
from bastler.core.cycles import cycles
from bastler.core.engine import Engine
from bastler.core.planner import REMEMBERED, plan
from bastler.core.request import Request
from tests.jobs import FACE, LEFT, RIGHT, plate


def lost(*_: object) -> None:
    raise LookupError("a fault on purpose")


@pytest.fixture
def fault(monkeypatch: pytest.MonkeyPatch) -> object:
    """Puts a fault into a function of the pocket, and takes the log away afterwards."""
    REMEMBERED.clear()
    known = cycles()
    pocket = known["pocket"]

    def put(function: str) -> None:
        monkeypatch.setitem(known._loaded, "pocket", replace(pocket, **{function: lost}))

    yield put
    REMEMBERED.clear()
    faults.log_file().unlink(missing_ok=True)


@pytest.mark.parametrize("function", ["problems", "plan", "removals", "title", "marks", "ways"])
def test_a_fault_in_one_step_leaves_the_others(function: str, fault) -> None:  # type: ignore[no-untyped-def]
    fault(function)
    planned = plan(plate(FACE, LEFT))
    face, pocket = planned.steps
    assert face.ready
    assert face.moves
    assert pocket.own_title is not None
    assert pocket.marks() is not None
    if function not in ("title", "marks"):
        assert not pocket.ready
        assert "could not be worked out" in pocket.answers.problems[0].text
        assert str(faults.log_file()) in pocket.answers.problems[0].text
        assert "could not be worked out" in (planned.first_obstacle() or "")
        checked = Engine().check(Request(plate(FACE, LEFT), cell=1.0))
        assert checked.step_seconds()[0] > 0
    log = faults.log_file().read_text()
    assert log.count("--- ") == 1, "the same fault is written once, however often it comes up"
    assert "LookupError" in log


def test_a_log_that_cannot_be_written_stops_nothing(fault, monkeypatch: pytest.MonkeyPatch) -> None:  # type: ignore[no-untyped-def]
    monkeypatch.setattr(faults, "log_file", lambda: Path("/proc/no/faults.log"))
    fault("plan")
    assert not plan(plate(FACE, LEFT, RIGHT)).steps[1].ready


def test_the_log_does_not_grow_for_ever(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    log = tmp_path / "faults.log"
    monkeypatch.setattr(faults, "log_file", lambda: log)
    monkeypatch.setattr(faults, "LARGEST_LOG_BYTES", 10)
    for kind in (ValueError, KeyError, IndexError):
        try:
            raise kind("on purpose")
        except Exception as error:
            assert faults.record(error, "here")
            assert not faults.record(error, "here")
    assert "IndexError" in log.read_text()
    assert sorted(f.name for f in tmp_path.iterdir()) == ["faults.log", "faults.old"]
    log.unlink()
