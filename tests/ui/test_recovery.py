"""What a crash left: every job is offered by name and time, one by one, and nothing is dropped that was not dropped on purpose."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

import msgspec
import pytest

from bastler.core.demo import demo_job, new_job
from bastler.core.job.document import Job
from bastler.core.jobfiles import store
from bastler.core.problems import Unusable
from bastler.ui import recovery, session
from tests.ui.conftest import Asked, Person


def left(name: str, path: Path | None = None, **more: object) -> Path:
    """A slot as a dead window leaves it."""
    slot = recovery.Slot()
    slot.write(demo_job().changed(name=name), path, recovery.stamp_of(path))
    data = msgspec.json.decode(slot.file.read_bytes())
    file = slot.file.with_name(f"{name}.json")
    file.write_bytes(msgspec.json.encode({**data, "pid": 4_000_000, "born": "gone:1", **more}))
    slot.clear()
    return file


def test_every_job_is_offered_and_no_drops_only_that_one(empty: Person, asked: Asked) -> None:
    files = [left(name) for name in ("one", "two", "three")]
    for i, file in enumerate(files):
        os.utime(file, (1000.0 + i, 1000.0 + i))
    asked.then = ["Delete them", "Decide later", "Open them"]
    empty.window.offer_recovery()
    assert ["three" in asked[0], "two" in asked[1], "one" in asked[2]] == [True] * 3
    assert "1 January" in asked[0]
    assert [f.exists() for f in files] == [False, True, False]
    assert empty.window.session.job.name == "one"
    assert empty.window.session.dirty


def test_escape_keeps_them_for_later(empty: Person, asked: Asked) -> None:
    files = [left("one"), left("two")]
    empty.window.offer_recovery()
    assert len(asked) == 2
    assert all(f.exists() for f in files)


def test_a_number_given_again_after_a_restart_hides_nothing() -> None:
    """The process of that number is another one: born at another time, or in another run of the machine."""
    mine = os.getppid()
    left("reused", pid=mine, born="another-boot:17")
    left("alive", pid=mine, born=recovery._born(mine))
    assert [one.job.name for one in recovery.left_behind()] == ["reused"]


def test_a_slot_that_cannot_be_read_is_left_alone(empty: Person, asked: Asked) -> None:
    whole = left("whole")
    for i, data in enumerate((b"{", b"[]", b'{"pid": "x"}', b'{"pid": 4000000, "job": 5, "path": null}')):
        whole.with_name(f"bad{i}.json").write_bytes(data)
    empty.window.offer_recovery()
    assert len(asked) == 1
    assert len(list(whole.parent.glob("bad*.json"))) == 4


def test_a_job_that_cannot_be_worked_out_is_told_and_kept(
    empty: Person, asked: Asked, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It ended the window at every start."""
    file = left("poison")
    real = session.plan

    def plan(job: Job, *args: object, **more: object) -> object:
        if job.name == "poison":
            raise LookupError("on purpose")
        return real(job, *args, **more)  # type: ignore[arg-type]

    monkeypatch.setattr(session, "plan", plan)
    asked.then = ["Open them"]
    empty.window.offer_recovery()
    assert "could not be worked out" in asked[1]
    assert file.exists()
    assert empty.window.session.job.name != "poison"
    assert "on purpose" in session.faults.log_file().read_text()
    session.faults.log_file().unlink()
    with pytest.raises(Unusable):
        session.Session(demo_job().changed(name="poison"))


def test_an_edit_that_cannot_be_worked_out_is_not_taken(demo: Person, monkeypatch: pytest.MonkeyPatch) -> None:
    """The window goes on with the last good state, which is also what is kept for a recovery."""
    before, real = demo.window.session.job, session.plan

    def plan(job: Job, *args: object, **more: object) -> object:
        if any(s.values.get("depth") == "7.77" for s in job.setups[0].steps):
            raise LookupError("on purpose")
        return real(job, *args, **more)  # type: ignore[arg-type]

    monkeypatch.setattr(session, "plan", plan)
    demo.window.session.type_value("left", "depth", "7.77")
    assert demo.window.session.job is before
    assert not demo.window.session.can_undo
    assert "is not taken" in demo.window.status.text()
    demo.window.session.type_value("left", "depth", "8")
    assert demo.window.session.job is not before
    session.faults.log_file().unlink()


def test_a_text_that_no_file_would_take_back_is_not_taken(demo: Person, tmp_path: Path) -> None:
    session = demo.window.session
    session.edit_step("left", name="x" * 30_000)
    assert "more than 20000 characters" in demo.window.status.text()
    session.type_value("left", "depth", "1" * 20_000)
    session.save(tmp_path / "it.bastler")
    assert store.load(tmp_path / "it.bastler") == session.job


def test_a_recovered_job_asks_before_it_overwrites_what_was_saved_since(
    open_window: Callable[..., Person], tmp_path: Path, asked: Asked
) -> None:
    path = tmp_path / "plate.bastler"
    store.save(demo_job(), path)
    left("edited", path)
    store.save(demo_job().changed(name="saved since"), path)
    person = open_window(new_job())
    asked.then = ["Open them"]
    person.window.offer_recovery()
    assert person.window.session.path == path
    assert not person.window.save()
    assert "was changed by another window" in asked[1]
    assert store.load(path).name == "saved since"
