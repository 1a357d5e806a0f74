"""The person and the task: from an empty window to checked G-code, by keyboard."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog

from bastler.__main__ import main
from tests.ui.conftest import Person

CIRCLE = ("100", "60", "30", "6")


def add(person: Person, word: str) -> None:
    """Ctrl+T, a word, Enter."""
    if person.steps.right.currentWidget() is not person.steps.adder:
        person.control(Qt.Key.Key_T)
    person.answer(word)


def test_from_empty_to_gcode_by_keyboard(empty: Person, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    person, session = empty, empty.window.session
    assert person.window.station == "Setup"
    person.answer("200", "120", "20")
    for key, text in (("over_x", "2"), ("over_y", "2"), ("over_top", "2"), ("grip", "6")):
        person.station("Setup").form.focus_field(key)
        person.settle()
        person.answer(text)
    assert person.window.session.plan.frame.block.size == (204.0, 124.0, 22.0)

    person.control(Qt.Key.Key_2)
    add(person, "face")
    person.enter()
    for centre in ("48", "152"):
        add(person, "pock")
        assert "pocket" in person.steps.question.text().lower()
        person.answer(centre, "120/2", "60", "40", "6", "12")
    add(person, "drill")
    person.steps.form.focus_field("pattern")
    person.keys("c")
    person.steps.form.focus_field("centre_x")
    person.answer(*CIRCLE, "6.8")
    person.retype("start_angle", "90")
    _through(person)
    add(person, "drill")
    person.steps.form.focus_field("points")
    person.answer("12, 12; 188, 12; 188, 108; 12, 108", "8.5")
    _through(person)

    assert [s.cycle for s in session.steps] == ["face", "pocket", "pocket", "drill", "drill"]
    assert all(s.ready for s in session.plan.steps), [s.answers for s in session.plan.steps if not s.ready]
    assert person.findings() == set()
    program = tmp_path / "plate.nc"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(program), ""))
    person.control(Qt.Key.Key_E)
    assert program.read_text() == session.checked.program.text
    job = tmp_path / "plate.bastler"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(job), ""))
    person.control(Qt.Key.Key_S)
    assert person.window.bar.saved.text() == "saved"
    monkeypatch.setattr("sys.argv", ["bastler", "check", str(program), "--job", str(job)])
    assert main() == 0


def _through(person: Person) -> None:
    """Choose “through” in the list by keyboard."""
    person.steps.form.focus_field("depth_to")
    person.settle()
    person.key(Qt.Key.Key_Down)
    person.key(Qt.Key.Key_Down)
    assert person.window.session.current.answers.values.depth_to == "through"
    person.enter()


def test_every_edit_can_be_undone(demo: Person) -> None:
    session = demo.window.session
    start = session.job
    demo.retype("overlap", "45")
    demo.control(Qt.Key.Key_D)
    demo.control(Qt.Key.Key_Down)
    demo.control(Qt.Key.Key_Space)
    demo.control(Qt.Key.Key_Delete)
    edits = 0
    while session.can_undo:
        demo.control(Qt.Key.Key_Z)
        edits += 1
    assert session.job == start
    assert edits == 5
    while session.can_redo:
        demo.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert len(session.steps) == len(start.setups[0].steps)
    assert session.steps[0].values["overlap"] == "45"
