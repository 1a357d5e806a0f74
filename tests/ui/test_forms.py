"""Forms and cards: editors by kind, walking by Enter, states that carry a shape."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit
from pytestqt.qtbot import QtBot

from bastler.core.cycles import cycles
from bastler.core.demo import demo_job
from bastler.core.fields import read
from bastler.core.job.clamping import FIELDS
from bastler.core.quantities import Kind
from bastler.core.tooling.kinds import KINDS
from bastler.ui.application import application
from bastler.ui.forms.editors import (
    ChecksEditor,
    LineEditor,
    ListEditor,
    SegmentEditor,
    TextEditor,
    editor_for,
    shown_suggestion,
)
from bastler.ui.forms.form import Form
from bastler.ui.session import Session
from bastler.ui.theme import style
from bastler.ui.theme.tokens import DAY
from bastler.ui.widgets.cards import Cards, clock, paint_state

EVERYTHING = (
    [f for c in cycles().values() for f in c.fields] + [f for k in KINDS.values() for f in k.fields] + list(FIELDS)
)


@pytest.mark.parametrize("field", EVERYTHING, ids=lambda f: f.key)
def test_every_field_has_an_editor_of_its_kind(field, qtbot: QtBot) -> None:  # type: ignore[no-untyped-def]
    editor = editor_for(field, lambda _: [("1", "T1 a tool")])
    qtbot.addWidget(editor.widget)
    typed: list[str] = []
    editor.typed.connect(typed.append)
    editor.show_state("", "", wrong=False, asks=True)
    if isinstance(editor, LineEditor):
        QTest.keyClicks(editor.line, "12")
        assert typed[-1] == "12"
        editor.show_state("7", "5", wrong=True, asks=False)
        assert editor.line.text() == "7"
        assert editor.line.placeholderText() == "5"
        assert editor.line.property("wrong") is True
    elif isinstance(editor, SegmentEditor):
        editor.buttons[-1].click()
        assert typed == [editor.keys[-1]]
        editor.show_state(editor.keys[0], "", wrong=False, asks=False)
        assert editor.buttons[0].isChecked()
    elif isinstance(editor, TextEditor):
        QTest.keyClicks(editor.box, "G4 P1")
        assert typed[-1] == "G4 P1"
        editor.show_state("a", "b", wrong=True, asks=False)
        assert editor.box.toPlainText() == "a"
    elif isinstance(editor, ChecksEditor):
        QTest.keyClick(editor.boxes["1"], Qt.Key.Key_Space)
        assert typed == ["1"]
        editor.set_choices([("1", "first"), ("2", "second")])
        editor.show_state("2, 1", "", wrong=False, asks=False)
        assert all(box.isChecked() for box in editor.boxes.values())
    else:
        assert isinstance(editor, ListEditor)
        editor.combo.setCurrentIndex(editor.combo.count() - 1)
        editor.combo.activated.emit(editor.combo.count() - 1)
        assert typed == [str(editor.combo.itemData(editor.combo.count() - 1))]
        editor.show_state("", str(editor.combo.itemData(0)), wrong=False, asks=False)
        assert editor.combo.currentIndex() == 0
        assert editor.combo.property("suggested") is True


def test_suggestions_are_shown_in_the_jobs_units() -> None:
    field = next(f for f in cycles()["pocket"].fields if f.key == "leave_walls")
    answers = read((field,), {}, None, "inch")
    assert answers.values.leave_walls == 0.2
    assert shown_suggestion(field, answers, "inch") == "0.0079"
    assert shown_suggestion(field, answers, "mm") == "0.2"


@pytest.fixture
def form(qtbot: QtBot) -> Form:
    style.apply(application(), DAY)
    result = Form(ends=True)
    qtbot.addWidget(result)
    result.resize(340, 600)
    result.show()
    result.activateWindow()
    qtbot.waitExposed(result)
    return result


def fill(form: Form, typed: dict[str, str]) -> None:
    fields = KINDS["end-mill"].fields
    form.show_form(fields, typed, read(fields, typed, None), "mm", [])
    for _ in range(3):
        QApplication.processEvents()


def test_enter_walks_the_open_questions_and_the_last_accepts(form: Form) -> None:
    typed: dict[str, str] = {}
    accepted: list[bool] = []
    form.accepted.connect(lambda: accepted.append(True))

    def take(key: str, text: str) -> None:
        typed[key] = text
        fill(form, typed)

    form.typed.connect(take)
    fill(form, typed)
    assert form.open_questions() == ["diameter", "flute_length"]
    form.focus_first()
    for text in ("10", "22"):
        line = QApplication.focusWidget()
        assert isinstance(line, QLineEdit)
        QTest.keyClicks(line, text)
        QTest.keyClick(line, Qt.Key.Key_Return)
        for _ in range(4):
            QApplication.processEvents()
    assert typed == {"diameter": "10", "flute_length": "22"}
    assert accepted == [True]
    assert form.rows["shank_diameter"].editor.widget.placeholderText() == "10"  # type: ignore[attr-defined]


def test_a_wrong_answer_is_an_open_question(form: Form) -> None:
    fill(form, {"diameter": "-1", "flute_length": "22"})
    assert form.open_questions()[0] == "diameter"
    assert "must be above 0" in form.note_at("diameter")[0]
    fill(form, {"diameter": "10", "flute_length": "22"})
    assert form.open_questions() == []
    assert form.note_at("diameter")[0] == ""


def test_undo_in_a_line_is_left_to_the_window(form: Form) -> None:
    fill(form, {})
    line = form.rows["diameter"].editor.widget
    assert isinstance(line, QLineEdit)
    QTest.keyClicks(line, "5")
    QTest.keyClick(line, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert isinstance(line, QLineEdit)


def test_the_wheel_never_changes_a_choice(qtbot: QtBot) -> None:
    field = next(f for f in FIELDS if f.key == "zero_by")
    editor = editor_for(field, lambda _: [])
    qtbot.addWidget(editor.widget)
    assert isinstance(editor.widget, QComboBox)
    before = editor.widget.currentIndex()
    editor.widget.wheelEvent(None)
    assert editor.widget.currentIndex() == before


def test_touch_targets_and_groups(form: Form) -> None:
    fill(form, {})
    for row in form.rows.values():
        if row.editor.widget.isVisible():
            assert row.editor.widget.height() >= 36, row.field.key
    assert form.jumps.count() == 3
    top = form.area.verticalScrollBar().value()  # type: ignore[union-attr]
    form.resize(340, 220)
    form.focus_field("material")
    QApplication.processEvents()
    form._jump(form._heads[1][1])
    assert form.area.verticalScrollBar().value() > top  # type: ignore[union-attr]


def shape(state: str) -> set[tuple[int, int]]:
    """Pixels that a state's sign covers, whatever its colour."""
    image = QImage(24, 24, QImage.Format.Format_ARGB32)
    image.fill(QColor(0, 0, 0, 0))
    painter = QPainter(image)
    paint_state(painter, QPointF(12, 12), state, DAY)
    painter.end()
    return {(x, y) for x in range(24) for y in range(24) if image.pixelColor(x, y).alpha() > 128}


def test_states_differ_by_shape_not_only_by_colour(qtbot: QtBot) -> None:
    shapes = [shape(s) for s in ("ready", "asks", "warn", "stop", "off")]
    for i, a in enumerate(shapes):
        for b in shapes[i + 1 :]:
            assert len(a ^ b) > 0.3 * min(len(a), len(b))


def test_cards_say_their_state_aloud(qtbot: QtBot) -> None:
    session = Session(demo_job())
    cards = Cards(session)
    qtbot.addWidget(cards)
    session.type_value("left", "length", "")
    session.edit_step("right", on=False)
    session.type_value("bolts", "thread", "1/0")
    spoken = [str(cards.item(i).data(Qt.ItemDataRole.AccessibleTextRole)) for i in range(5)]  # type: ignore[union-attr]
    assert spoken[0].endswith("ready")
    assert "asks for 1 answer" in spoken[1]
    assert "switched off" in spoken[2]
    assert spoken[3].endswith("stop")
    cards.grab()
    assert [clock(s) for s in (0, 59.6, 61, 3600)] == ["0:00", "1:00", "1:01", "60:00"]


def test_numbers_are_right_aligned_and_lists_left(qtbot: QtBot) -> None:
    for field in EVERYTHING:
        editor = editor_for(field, lambda _: [])
        qtbot.addWidget(editor.widget)
        if isinstance(editor, LineEditor):
            right = bool(editor.line.alignment() & Qt.AlignmentFlag.AlignRight)
            assert right == (field.kind not in (Kind.TEXT, Kind.POINTS, Kind.CYLINDERS, Kind.THREAD))
