"""The window's parts working together: drawing and fields, ribbon, views, code, themes, recovery."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QColor
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from bastler.core.demo import demo_job, new_job
from bastler.ui import recovery
from bastler.ui.theme.tokens import DAY, NIGHT
from bastler.ui.widgets.cards import Cards
from tests.ui.conftest import Asked, Person


def test_drawing_and_field_light_each_other(demo: Person) -> None:
    sheet = demo.steps.sheet
    demo.window.session.select("left")
    demo.steps.form.focus_field("width")
    demo.settle()
    assert sheet.focus_field == "width"
    assert demo.steps.question.text() == "How wide is this pocket, measured across its length?"
    sheet.repaint()
    tag = next(t for t in sheet.tags if t.field == "corner")
    demo.click(sheet, tag.rect.center().toPoint())
    assert demo.focus() is demo.field("corner")
    assert sheet.focus_field == "corner"
    fields = {t.field for t in sheet.tags}
    assert {"length", "width", "corner", "centre_x", "centre_y", "depth"} <= fields


def test_the_drawing_follows_while_typing(demo: Person) -> None:
    demo.window.session.select("left")
    demo.retype("length", "44")
    assert demo.window.session.plan.steps[1].removals[0].bounds()[1] == 48 + 22
    demo.steps.sheet.repaint()
    assert any(t.field == "length" for t in demo.steps.sheet.tags)


def test_a_click_on_a_shape_selects_its_step(demo: Person) -> None:
    sheet = demo.steps.sheet
    sheet.repaint()
    assert sheet._top is not None
    demo.click(sheet, sheet._top.at((160.0, 70.0)).toPoint())
    assert demo.window.session.selected == "right"


def test_cards_by_mouse_and_keys(demo: Person) -> None:
    cards: Cards = demo.steps.cards
    demo.click(cards.viewport(), cards.card_rect(2).center())
    assert demo.window.session.selected == "right"
    demo.control(Qt.Key.Key_Up)
    assert [s.id for s in demo.window.session.steps][:3] == ["face", "right", "left"]
    demo.key(Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    assert demo.window.session.selected == "left"
    demo.control(Qt.Key.Key_Space)
    assert not demo.window.session.current.step.on
    assert cards.state_of(demo.window.session.current)[0] == "off"
    cards.setFocus()
    demo.enter()
    assert demo.focus() is not cards


def test_adding_offers_only_what_exists(demo: Person) -> None:
    demo.control(Qt.Key.Key_T)
    adder = demo.steps.adder
    demo.keys("weld")
    assert not adder.none.isHidden()
    demo.enter()
    assert len(demo.window.session.steps) == len(demo_job().setups[0].steps)
    demo.key(Qt.Key.Key_Escape)
    assert demo.steps.right.currentIndex() == 0


def test_zero_is_picked_by_a_click_on_one_of_the_points(demo: Person) -> None:
    demo.control(Qt.Key.Key_1)
    sheet = demo.station("Setup").sheet  # type: ignore[attr-defined]
    sheet.repaint()
    demo.click(sheet, sheet.point_of("0,0,+", 0).toPoint())
    block = demo.window.session.plan.frame.block
    assert (block.x0 + block.x1, block.y0 + block.y1) == (0.0, 0.0)
    sheet.repaint()
    demo.click(sheet, sheet.point_of("0,0,-", 1).toPoint())
    assert demo.window.session.plan.frame.part.z0 == 0.0
    demo.control(Qt.Key.Key_Z)
    assert demo.window.session.plan.frame.part.z1 == 0.0


def test_the_ribbon_moves_the_moment_and_shows_the_stock_of_then(demo: Person) -> None:
    demo.checked()
    seen: list[float] = []
    demo.window.checker.stock_ready.connect(lambda s: seen.append(float(s[0].sum())))
    demo.control(Qt.Key.Key_3)
    ribbon, check = demo.window.ribbon, demo.station("Check")
    demo.until(lambda: len(seen) >= 1)
    demo.click(ribbon, QPoint(ribbon.width() // 3, 40))
    assert ribbon.total * 0.3 < demo.window.session.time < ribbon.total * 0.36
    demo.until(lambda: len(seen) >= 2)
    assert seen[-1] > seen[0]
    assert check.readings["Tool"].text() == "T2"  # type: ignore[attr-defined]
    assert demo.window.session.selected == "left"
    ribbon.setFocus()
    demo.key(Qt.Key.Key_Home)
    assert demo.window.session.time == 0
    before = demo.window.session.time
    demo.control(Qt.Key.Key_Right)
    assert demo.window.session.time > before
    demo.key(Qt.Key.Key_Right, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    demo.control(Qt.Key.Key_P)
    now = demo.window.session.time
    demo.until(lambda: demo.window.session.time > now + 1)
    demo.control(Qt.Key.Key_P)
    assert not check.timer.isActive()  # type: ignore[attr-defined]


def test_the_solid_view_turns_cuts_open_and_picks_steps(demo: Person) -> None:
    demo.checked()
    solid = demo.window.solid
    pictures: list[int] = []
    solid.view.pictured.connect(pictures.append)
    demo.control(Qt.Key.Key_3)

    def shown() -> bytes:
        number = solid.view.number
        demo.until(lambda: bool(pictures) and pictures[-1] >= number)
        image = solid.view.picture
        return bytes(image.constBits().asarray(image.sizeInBytes()))

    solid.view.send("view", "top")
    first = shown()
    assert len(set(first)) > 20
    solid.section.setCurrentIndex(2)
    opened = shown()
    assert opened != first
    solid.section.setCurrentIndex(0)
    picked: list[int] = []
    solid.step_picked.connect(picked.append)
    shown()
    demo.window.session.select("bolts")
    view = solid.view
    scale_x = view.width() * (48 - 100) / 204 / 1.12
    demo.click(view, QPoint(round(view.width() / 2 + scale_x), view.height() // 2))
    demo.until(lambda: bool(picked))
    assert demo.window.session.selected in ("left", "face")
    view.setFocus()
    demo.key(Qt.Key.Key_Left)
    assert shown() != first


def test_code_and_drawing_follow_each_other(demo: Person) -> None:
    demo.checked()
    demo.control(Qt.Key.Key_4)
    code = demo.station("Code")
    editor = code.editor  # type: ignore[attr-defined]
    lines = editor.text().splitlines()
    first_right = next(i for i, line in enumerate(lines) if line.startswith("(3 "))
    demo.window.session.select("right")
    demo.settle()
    assert editor.getCursorPosition()[0] == first_right
    editor.setCursorPosition(first_right + 14, 0)
    demo.settle()
    layer = code.sheet.paths  # type: ignore[attr-defined]
    assert layer.lit
    assert layer.tool_radius == 5.0
    assert "Pocket right: line" in code.word.text()  # type: ignore[attr-defined]
    editor.foldAll()
    assert not editor.SendScintilla(editor.SCI_GETLINEVISIBLE, first_right + 3)


def test_day_and_night(demo: Person) -> None:
    demo.control(Qt.Key.Key_L)
    assert demo.window.theme is NIGHT
    assert demo.window.grab().toImage().pixelColor(600, 400).lightnessF() < 0.3
    demo.control(Qt.Key.Key_L)
    assert demo.window.theme is DAY
    assert demo.window.grab().toImage().pixelColor(600, 170) == QColor(DAY.paper)


def test_every_command_has_a_place_in_the_overview(demo: Person) -> None:
    demo.control(Qt.Key.Key_H)
    assert demo.window.overview.isVisible()
    demo.window.overview.close()
    keys = [k for c in demo.window.commands for k in c.keys.split(" | ") if k]
    assert len(keys) == len(set(keys))


def test_the_number_pad_types_and_goes_on(demo: Person) -> None:
    demo.window.session.select("left")
    form = demo.steps.form
    form.focus_field("length")
    form._open_pad("length")
    for key in ("⌫", "6", "2", ".", "5"):
        form.pad.press(key)
    assert demo.window.session.steps[1].values["length"] == "62.5"
    form.pad.press("Next")
    assert form.pad.isHidden()


def test_gathering_by_tool_is_a_switch(demo: Person) -> None:
    demo.control(Qt.Key.Key_G)
    assert demo.window.session.setup.gather_by_tool
    demo.control(Qt.Key.Key_Z)
    assert not demo.window.session.setup.gather_by_tool


def test_unsaved_edits_are_asked_about(demo: Person, asked: Asked) -> None:
    demo.retype("overlap", "50")
    demo.control(Qt.Key.Key_N)
    assert "not saved" in asked[0]
    assert demo.window.session.job.name == "Pressure plate"
    assert not demo.window.close()


KILLED = """
import sys
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from bastler.core.demo import demo_job
from bastler.ui.application import application
app = application()
from bastler.ui.window import Window
window = Window(demo_job())
window.show()
window.activateWindow()
app.processEvents()
window.session.select("left")
window.stations["Steps"].form.focus_field("length")
app.processEvents()
QTest.keyClicks(QApplication.focusWidget(), "57")
print("typed", flush=True)
app.exec()
"""


def test_a_killed_window_loses_nothing(open_window, asked: Asked) -> None:  # type: ignore[no-untyped-def]
    process = subprocess.Popen([sys.executable, "-c", KILLED], stdout=subprocess.PIPE, env=dict(os.environ))
    assert process.stdout is not None
    assert process.stdout.readline().strip() == b"typed"
    process.send_signal(signal.SIGKILL)
    process.wait()
    process.stdout.close()
    time.sleep(0.1)
    asked.then = ["Open them"]
    person = open_window(new_job())
    person.window.offer_recovery()
    assert "Pressure plate" in asked[0]
    session = person.window.session
    assert session.job.setups[0].steps[1].values["length"] == "57"
    assert session.dirty
    assert len(recovery.left_behind()) == 0


def test_recent_jobs(demo: Person, tmp_path: Path) -> None:
    assert demo.window.save_to(tmp_path / "mine.bastler")
    assert recovery.recent() == [tmp_path / "mine.bastler"]
    assert demo.window.bar.saved.text() == "saved"


def test_it_is_usable_small_and_scaled(demo: Person) -> None:
    demo.window.resize(1280, 800)
    demo.settle()
    assert (demo.window.width(), demo.window.height()) == (1280, 800)
    for word in ("Setup", "Steps", "Check", "Code"):
        demo.window.show_station(word)
        demo.settle()
        assert demo.window.width() == 1280, word
    fonts = {w.font().pointSizeF() for w in QApplication.allWidgets() if w.isVisible()}
    assert min(f for f in fonts if f > 0) >= 11
    QTest.qWait(1)


def test_a_second_setup_by_keyboard(demo: Person) -> None:
    demo.checked()
    window, session = demo.window, demo.window.session
    one = float(session.checked.volume_after)
    window.actions_by_id["setup.add"].trigger()
    demo.settle()
    assert window.station == "Setup"
    assert "Setup 2 of 2" in window.bar.setups.text()
    assert session.steps == ()
    setup = window.stations["Setup"]
    assert setup.form.rows["stock_kind"].editor.combo.currentData() == "before"
    setup.form.focus_field("turned_over")
    demo.key(Qt.Key.Key_Right)
    assert session.setup.values["turned_over"] == "x"
    setup.sheet.repaint()
    session.add_step("pocket")
    for key, text in {
        "centre_x": "100",
        "centre_y": "60",
        "length": "60",
        "width": "30",
        "corner": "6",
        "depth": "4",
    }.items():
        session.type_value(session.selected, key, text)
    demo.checked()
    assert session.checked.volume_before == pytest.approx(one, rel=1e-3)
    assert [f.text for f in session.checked.findings] == []
    demo.steps.sheet.repaint()
    demo.window.show_station("Steps")
    demo.key(Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier)
    assert session.at == 0
    assert len(session.steps) == 7
    demo.checked()
    demo.key(Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert session.at == 1
    demo.checked()
    window.actions_by_id["setup.delete"].trigger()
    assert (session.at, len(session.job.setups)) == (0, 1)
    window.actions_by_id["setup.delete"].trigger()
    assert len(session.job.setups) == 1
    session.delete_setup()
    assert "one setup at least" in window.status.text()
    demo.control(Qt.Key.Key_Z)
    assert len(session.job.setups) == 2
    window._setups_menu()


def test_word_of_an_old_check_does_not_end_the_new_one(demo: Person) -> None:
    """A check that gave way to a newer one tells so late; the newer one still runs."""
    demo.checked()
    checker, session = demo.window.checker, demo.window.session
    session.type_value("left", "depth", "9")
    demo.until(lambda: not checker._timer.isActive())
    assert session.checking is not None
    checker._answer(("cancelled", checker._number - 1))
    checker._answer(("cancelled", -1))
    assert session.checking is not None
    demo.checked()
    assert session.checked.field.heights.min() < -8.9
    session.type_value("left", "depth", "8")
    checker.cancel()
    assert session.checking is None, "one that had not begun is over at once"
