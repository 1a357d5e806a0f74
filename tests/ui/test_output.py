"""What leaves is what is in view: after an edit, a cancelled check, a dead process, a file that somebody else has changed."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QPushButton

from bastler.core.benches import post
from bastler.core.demo import demo_job
from bastler.core.engine import Engine
from bastler.core.jobfiles import store
from bastler.core.planner import plan
from bastler.core.post.dialect import dialects
from bastler.ui import ask, recovery
from bastler.ui.output import UNCHECKED
from tests.ui.conftest import Asked, Person


@pytest.fixture
def file(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Where a person saves."""
    path = tmp_path / "out.nc"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    return path


def program(person: Person) -> str:
    """The text of the job in view, posted by the core alone."""
    planned = plan(person.window.session.job)
    return post(planned, dialects()[planned.frame.machine.dialect]).text


def press(person: Person, word: str) -> list[str]:
    """Press a button of the window that waits, as soon as it is there."""
    seen: list[str] = []

    def look() -> None:
        for waiting in person.window.findChildren(ask.Waiting):
            if waiting.isVisible():
                seen.append(waiting.label.text())
                next(b for b in waiting.findChildren(QPushButton) if b.text() == word).click()

    timer = QTimer(person.window)
    timer.timeout.connect(look)
    timer.start(5)
    return seen


def test_saving_right_after_an_edit_waits_for_its_check(demo: Person, file: Path) -> None:
    demo.checked()
    demo.retype("overlap", "40")
    demo.control(Qt.Key.Key_E)
    assert file.read_text() == program(demo)
    assert UNCHECKED not in file.read_text()
    assert "saved as" in demo.window.status.text()
    assert "not checked" not in demo.window.status.text()


def test_saving_after_a_cancelled_check_checks_again(demo: Person, file: Path) -> None:
    demo.checked()
    before = program(demo)
    demo.retype("overlap", "40")
    demo.window.cancel()
    demo.until(lambda: demo.window.session.checking is None)
    assert not demo.window.session.is_checked
    demo.control(Qt.Key.Key_E)
    assert file.read_text() == program(demo) != before


def test_what_is_saved_without_its_check_says_so_in_its_head(demo: Person, file: Path) -> None:
    demo.checked()
    demo.retype("overlap", "40")
    demo.window.cancel()
    demo.window.checker.ask = lambda: None  # type: ignore[method-assign]  # a check that never comes
    seen = press(demo, "Save without the check")
    demo.window.save_code()
    assert "is being checked" in seen[0]
    text = file.read_text()
    assert f"({UNCHECKED})" in text.split("\n")[:4]
    assert text.replace(f"({UNCHECKED})\n", "") == program(demo)
    assert "not checked" in demo.window.status.text()


def test_copying_takes_the_newest_edit_too(demo: Person) -> None:
    demo.checked()
    demo.retype("overlap", "40")
    demo.window.copy_code()
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    assert clipboard.text() == program(demo)


def test_leaving_the_wait_writes_nothing(demo: Person, file: Path) -> None:
    demo.checked()
    demo.retype("overlap", "40")
    demo.window.cancel()
    demo.window.checker.ask = lambda: None  # type: ignore[method-assign]

    def by_accident() -> None:
        for waiting in demo.window.findChildren(ask.Waiting):
            if waiting.isVisible():
                QTest.keyClick(waiting, Qt.Key.Key_Return)

    timer = QTimer(demo.window)
    timer.timeout.connect(by_accident)
    timer.start(20)
    demo.window.save_code()
    assert not file.exists()


def test_an_own_text_leaves_as_it_is_typed(demo: Person, file: Path, asked: Asked) -> None:
    demo.control(Qt.Key.Key_4)
    demo.checked()
    code = demo.station("Code")
    code.editor.setText(code.editor.text().replace("(end mill 10)", "(my mill)"))
    asked.then = ["Save"]
    demo.window.save_code()
    assert "(my mill)" in file.read_text()
    assert file.read_text() == code.editor.text()


def test_stop_findings_are_asked_about_once(demo: Person, file: Path, asked: Asked) -> None:
    demo.control(Qt.Key.Key_4)
    demo.checked()
    code = demo.station("Code")
    code.editor.setText(code.editor.text().replace("Z-12.", "Z-13."))
    demo.until(lambda: demo.window.session.is_checked)
    asked.then = ["Save"]
    demo.window.save_code()
    assert len(asked) == 1
    assert "must be changed" in asked[0]
    assert "Z-13." in file.read_text()


def test_a_cancelled_check_is_said_on_every_station_that_shows_it(demo: Person) -> None:
    demo.checked()
    demo.control(Qt.Key.Key_3)
    demo.window.session.type_value("left", "depth", "9")
    demo.window.cancel()
    demo.until(lambda: demo.window.session.checking is None)
    assert demo.station("Check").verdict.text() == "Not checked"
    assert "before the last edit" in demo.station("Check").detail.text()
    demo.control(Qt.Key.Key_4)
    demo.settle()
    assert "before the last edit" in demo.station("Code").told.text()
    assert not demo.station("Code").banner.isHidden()
    demo.window.session.type_value("left", "depth", "8")
    demo.checked()
    assert demo.station("Code").banner.isHidden()


def test_a_shorter_program_than_the_one_shown_before(demo: Person) -> None:
    """It ended the window: the end times of the longer program were asked for the moment in the shorter one."""
    demo.control(Qt.Key.Key_3)
    demo.checked()
    demo.control(Qt.Key.Key_2)
    demo.window.session.select("left")
    demo.retype("depth", "4")
    demo.control(Qt.Key.Key_3)
    demo.checked()
    assert demo.window.session.time <= demo.window.session.checked.seconds_whole
    demo.window.session.copy_step()
    demo.checked()
    demo.window.session.set_time(demo.window.session.checked.seconds_whole)
    demo.control(Qt.Key.Key_Z)
    demo.checked()
    demo.window.session.switch_step()
    demo.checked()
    assert demo.window.session.time <= demo.window.session.checked.seconds_whole


def test_the_engine_keeps_the_moments_of_what_is_in_view(demo: Person) -> None:
    """A check that is cancelled half way leaves the stock of the one before."""
    from bastler.core.request import Cancelled, Request

    engine, job = Engine(), demo_job()
    first = engine.check(Request(job, cell=1.0))
    share: list[float] = []
    other = job.with_setup(job.setups[0].changed(steps=job.setups[0].steps[:2]))
    with pytest.raises(Cancelled):
        engine.check(Request(other, cell=0.7), progress=share.append, cancelled=lambda: bool(share) and share[-1] > 0.4)
    heights, _ = engine.stock_at(len(first.motion) - 1, 1.0)
    assert (heights == first.field.heights).all()


# job files


def test_a_file_that_somebody_else_saved_is_never_overwritten_silently(
    open_window, tmp_path: Path, asked: Asked
) -> None:  # type: ignore[no-untyped-def]
    path = tmp_path / "plate.bastler"
    store.save(demo_job(), path)
    person = open_window(store.load(path), path)
    person.window.session.type_value("left", "length", "57")
    other = demo_job().changed(name="Plate of the other window")
    time.sleep(0.01)
    store.save(other, path)
    assert not person.window.save()
    assert "was changed by another window" in asked[0]
    assert "Plate of the other window" in asked.details[0]
    assert store.load(path).name == "Plate of the other window"
    asked.then = ["Keep both"]
    assert person.window.save()
    assert store.load(path).name == "Plate of the other window"
    assert person.window.session.path == tmp_path / "plate 2.bastler"
    assert store.load(tmp_path / "plate 2.bastler").setups[0].steps[1].values["length"] == "57"
    count = len(asked)
    person.window.session.type_value("left", "length", "58")
    assert person.window.save()
    assert len(asked) == count, "its own file nobody else has changed"


def test_a_file_that_was_only_touched_is_no_question(open_window, tmp_path: Path, asked: Asked) -> None:  # type: ignore[no-untyped-def]
    path = tmp_path / "plate.bastler"
    store.save(demo_job(), path)
    person = open_window(store.load(path), path)
    person.window.session.type_value("left", "length", "57")
    os.utime(path, (1, 1))
    assert person.window.save()
    assert asked == []


def test_a_file_that_was_damaged_meanwhile_is_asked_about(open_window, tmp_path: Path, asked: Asked) -> None:  # type: ignore[no-untyped-def]
    path = tmp_path / "plate.bastler"
    store.save(demo_job(), path)
    person = open_window(store.load(path), path)
    person.window.session.type_value("left", "length", "57")
    path.write_text("{")
    asked.then = ["Overwrite"]
    assert person.window.save()
    assert "damaged" in asked.details[0]
    assert store.load(path).setups[0].steps[1].values["length"] == "57"


def test_a_job_that_is_open_in_another_window_is_told(open_window, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    path = tmp_path / "plate.bastler"
    store.save(demo_job(), path)
    code = "import sys, time; from pathlib import Path; from bastler.ui.recovery import Slot; Slot().claim(Path(sys.argv[1])); print('open', flush=True); time.sleep(60)"
    other = subprocess.Popen([sys.executable, "-c", code, str(path)], stdout=subprocess.PIPE)
    assert other.stdout is not None
    assert other.stdout.readline() == b"open\n"
    person = open_window(store.load(path), path)
    person.until(lambda: "open in another window" in person.window.status.text())
    other.kill()
    other.wait()
    other.stdout.close()
    assert not recovery.open_elsewhere(path), "a dead window has nothing open"
