"""Setup, Check and Code in more detail; the drawings behind them; dragging, menus, cancelling."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QMenu

from bastler.core.demo import demo_job
from bastler.core.geometry.path import rounded_rectangle
from bastler.ui import recovery
from bastler.ui.drawing.projection import Projection
from tests.ui.conftest import Asked, Person

ROOT = Path(__file__).parents[2]


@given(x=st.floats(-50, 300), y=st.floats(-50, 300))
def test_a_projection_goes_there_and_back(x: float, y: float) -> None:
    view = Projection.fit((-10, 210, -5, 125), QRectF(40, 30, 640, 480))
    assert view.back(view.at((x, y))) == pytest.approx((x, y))
    box = view.rect(-10, 210, -5, 125)
    assert QRectF(39, 29, 642, 482).contains(box)


def test_arcs_are_drawn_as_arcs() -> None:
    view = Projection.fit((-30, 30, -20, 20), QRectF(0, 0, 600, 400))
    path = view.path(rounded_rectangle(30, 20, 8))
    assert path.boundingRect().width() == pytest.approx(600, abs=0.5)
    assert not path.contains(QPointF(2, 2))
    assert path.contains(QPointF(300, 2))


def test_setup_dimensions_lead_to_their_fields(demo: Person) -> None:
    demo.control(Qt.Key.Key_1)
    station = demo.station("Setup")
    sheet = station.sheet  # type: ignore[attr-defined]
    sheet.repaint()
    assert {"size_x", "size_y", "size_z", "over_x", "over_y", "over_top", "grip"} <= {t.field for t in sheet.tags}
    tag = next(t for t in sheet.tags if t.field == "size_y")
    demo.click(sheet, tag.rect.center().toPoint())
    assert demo.focus() is station.form.rows["size_y"].editor.widget  # type: ignore[attr-defined]
    assert station.question.text() == "How wide is it along Y?"  # type: ignore[attr-defined]
    demo.answer("130")
    assert demo.window.session.plan.frame.part.size[1] == 130


def test_material_and_offset_change_what_follows(demo: Person) -> None:
    demo.control(Qt.Key.Key_1)
    station = demo.station("Setup")
    before = demo.window.session.plan.steps[1].answers.values.speed
    for combo, row in ((station.material, 2), (station.offset, 1)):  # type: ignore[attr-defined]
        combo.setFocus()
        combo.setCurrentIndex(row)
        combo.activated.emit(row)
    assert demo.window.session.setup.work_offset == "G55"
    assert demo.window.session.plan.steps[1].answers.values.speed < before
    demo.checked()
    assert "G55 G0" in demo.window.session.checked.program.text
    demo.control(Qt.Key.Key_Z)
    assert demo.window.session.setup.work_offset == "G54"


def test_a_typed_zero_and_the_block_by_its_size(demo: Person) -> None:
    demo.control(Qt.Key.Key_1)
    form = demo.station("Setup").form  # type: ignore[attr-defined]
    form.focus_field("stock_by")
    demo.key(Qt.Key.Key_Right)
    assert "over_x" in demo.window.session.plan.setup_answers.hidden
    assert demo.window.session.plan.frame.block.size == (200.0, 120.0, 20.0)
    form.focus_field("zero_by")
    demo.key(Qt.Key.Key_End)
    form.focus_field("zero_z")
    demo.answer("20+1")
    assert demo.window.session.plan.frame.block.z1 == -1.0


def test_a_tool_is_drawn_with_its_dimensions(demo: Person) -> None:
    demo.control(Qt.Key.Key_1)
    station = demo.station("Setup")
    station.show_page("Tools")  # type: ignore[attr-defined]
    page = station.page("Tools")  # type: ignore[attr-defined]
    demo.settle()
    page.table.setCurrentCell(4, 0)
    demo.settle()
    page.sheet.repaint()
    assert page.sheet.tool.name == "drill 6.8"
    tag = next(t for t in page.sheet.tags if t.field == "stick_out")
    demo.click(page.sheet, tag.rect.center().toPoint())
    assert demo.focus() is page.form.rows["stick_out"].editor.widget
    page.form.focus_field("diameter")
    demo.key(Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    demo.key(Qt.Key.Key_Delete)
    page.sheet.repaint()
    assert page.sheet.tool is None
    assert "○" in page.table.item(4, 0).text()
    page.delete()
    assert 5 not in demo.window.session.plan.tools
    assert "No tool in the table fits" in demo.window.session.plan.first_obstacle()


def test_moves_and_steps_of_the_replay(demo: Person) -> None:
    demo.checked()
    demo.control(Qt.Key.Key_3)
    check, session = demo.station("Check"), demo.window.session
    ends = session.checked.ends()
    session.set_time(0.0)
    for i in range(3):
        check.go_move(1)  # type: ignore[attr-defined]
        assert session.time == pytest.approx(ends[i])
    check.go_move(-1)  # type: ignore[attr-defined]
    assert session.time == pytest.approx(ends[1])
    check.go_step(1)  # type: ignore[attr-defined]
    seen = session.time
    check.go_step(1)  # type: ignore[attr-defined]
    assert session.time > seen
    check.go_step(-1)  # type: ignore[attr-defined]
    assert session.time == pytest.approx(seen)
    session.set_time(float(ends[60]))
    demo.settle()
    x = float(check.readings["X"].text())  # type: ignore[attr-defined]
    assert x == pytest.approx(session.checked.motion.end[60, 0], abs=1e-3)
    assert check.readings["Distance to go"].text().startswith("0.00")  # type: ignore[attr-defined]


def test_a_check_can_be_cancelled_in_the_window(demo: Person) -> None:
    demo.checked()
    demo.control(Qt.Key.Key_3)
    demo.window.checker.ask()
    demo.window.checker.cancel()
    demo.until(lambda: demo.window.session.checking is None)
    demo.window.checker.ask()
    demo.checked()
    assert demo.station("Check").verdict.text() == "No findings"  # type: ignore[attr-defined]


def test_the_ribbon_shows_the_step_of_the_moment_while_checking(demo: Person) -> None:
    demo.checked()
    session, ribbon = demo.window.session, demo.window.ribbon
    session.select(session.steps[0].id)
    step, begin, end = next(s for s in session.checked.spans() if s[0] == 2)
    session.set_time((begin + end) / 2)
    assert ribbon._current() == 0
    demo.control(Qt.Key.Key_3)
    assert ribbon._current() == step == 2
    demo.control(Qt.Key.Key_2)
    assert ribbon._current() == 0


def test_the_moment_follows_the_cursor_in_the_code(demo: Person) -> None:
    demo.checked()
    demo.control(Qt.Key.Key_4)
    demo.settle()
    code, session = demo.station("Code"), demo.window.session
    code.go_to_line(60)
    demo.key(Qt.Key.Key_Down)
    move = session.checked.motion.of_line(61)[1]
    assert session.time == pytest.approx(session.checked.ends()[move])
    demo.control(Qt.Key.Key_3)
    demo.settle()
    assert demo.station("Check").readings["Line"].text() == "61"


def test_a_mark_on_the_ribbon_leads_to_its_finding(demo: Person) -> None:
    demo.window.session.type_value("left", "depth", "17")
    demo.window.session.type_value("left", "clear_by", "loops")
    demo.window.session.type_value("left", "depth_per_pass", "17")
    demo.checked()
    ribbon = demo.window.ribbon
    assert ribbon._marks
    seconds, finding = ribbon._marks[0]
    demo.click(ribbon, QPoint(round(ribbon._x(seconds)), 12))
    assert demo.window.station == "Check"
    assert demo.window.session.selected == finding.step == "left"


def test_a_new_order_of_the_cards_is_one_edit(demo: Person) -> None:
    cards = demo.steps.cards
    ids = [s.id for s in demo.window.session.steps]
    model = cards.model()
    assert model is not None
    assert cards.dragDropMode() == cards.DragDropMode.InternalMove
    item = cards.takeItem(4)
    cards.insertItem(1, item)
    spot = QPointF(cards.visualItemRect(item).center())
    action, held = Qt.DropAction.MoveAction, Qt.MouseButton.LeftButton
    let_go = QDropEvent(spot, action, model.mimeData([model.index(1, 0)]), held, Qt.KeyboardModifier.NoModifier)
    cards.dropEvent(let_go)
    assert [s.id for s in demo.window.session.steps] == [ids[0], ids[4], *ids[1:4], *ids[5:]]
    demo.control(Qt.Key.Key_Z)
    assert [s.id for s in demo.window.session.steps] == ids
    assert [str(cards.item(i).data(Qt.ItemDataRole.UserRole)) for i in range(cards.count())] == ids


def test_a_step_can_be_named(demo: Person) -> None:
    demo.window.session.select("left")
    demo.steps.name_edit.setFocus()
    demo.steps.name_edit.selectAll()
    demo.keys("for the lid")
    assert demo.window.session.current.full_name == "Pocket for the lid"
    demo.checked()
    assert "(2 Pocket for the lid)" in demo.window.session.checked.program.text


def test_the_job_menu_offers_files_and_steps(demo: Person, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    demo.window.save_to(tmp_path / "mine.bastler")
    demo.click(demo.window.bar.menu)
    menu = next(w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible())
    words = [a.text() for a in menu.actions()]
    assert any(w.startswith("Save G-code") for w in words)
    recent = next(a.menu() for a in menu.actions() if a.text() == "Recent jobs")
    assert any(a.text().startswith("mine\t") for a in recent.actions())
    assert {"Steps", "View", "Check"} <= set(words)
    steps = next(a.menu() for a in menu.actions() if a.text() == "Steps")
    assert any(a.text().startswith("Gather steps by tool") for a in steps.actions())
    menu.close()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "mine.bastler"), ""))
    demo.control(Qt.Key.Key_O)
    assert demo.window.session.path == tmp_path / "mine.bastler"
    assert demo.window.session.job == demo_job()


def test_a_locked_folder_is_told_when_saving(demo: Person, tmp_path: Path, asked: Asked) -> None:
    assert not demo.window.save_to(tmp_path / "none" / "x.bastler")
    assert "was not saved" in asked[0]
    assert recovery.recent() == []


def test_hand_edited_code_is_checked_as_it_stands(demo: Person) -> None:
    demo.checked()
    demo.control(Qt.Key.Key_4)
    code = demo.station("Code")
    editor = code.editor  # type: ignore[attr-defined]
    row = next(i for i, line in enumerate(editor.text().splitlines()) if "M6 (end mill 10)" in line)
    editor.setCursorPosition(row + 5, 0)
    editor.setFocus()
    QTest.keyClicks(editor, "G12 ")
    demo.until(lambda: any(f.kind == "unknown-word" for f in demo.window.session.checked.findings))
    assert not code.banner.isHidden()  # type: ignore[attr-defined]
    finding = next(f for f in demo.window.session.checked.findings if f.kind == "unknown-word")
    assert finding.line == row + 6
    demo.window.session.type_value("left", "depth", "11")
    demo.checked()
    assert demo.window.session.hand_text is not None, "an edit of the job doesn't throw the copy away"
    demo.click(code.back)  # type: ignore[attr-defined]
    demo.until(lambda: demo.window.session.checked.findings == ())
    assert "Z-11." in editor.text()


def test_step_colours_stand_in_the_margin(demo: Person) -> None:
    demo.checked()
    demo.control(Qt.Key.Key_4)
    code = demo.station("Code")
    editor, steps = code.editor, demo.window.session.checked.program.step_of_line  # type: ignore[attr-defined]
    for line in range(0, len(steps), 17):
        marks = editor.markersAtLine(line)
        assert marks == (1 << (8 + steps[line]) if steps[line] >= 0 else 0)


def test_pictures_in_the_readme_exist_and_are_linked() -> None:
    readme = (ROOT / "README.md").read_text("utf-8")
    pictures = sorted(p.name for p in (ROOT / "docs" / "screenshots").glob("*.png"))
    assert pictures
    assert len(pictures) < 20
    for name in pictures:
        assert f"docs/screenshots/{name}" in readme
    for word in readme.split("docs/screenshots/")[1:]:
        assert word.split(")")[0] in pictures


def test_two_moments_are_compared(demo: Person) -> None:
    demo.checked()
    demo.window.show_station("Check")
    station, session = demo.station("Check"), demo.window.session
    demo.until(lambda: station.solid._stock is not None)
    session.set_time(200.0)
    demo.until(lambda: not demo.window.checker._stock_busy)
    demo.window.actions_by_id["check.hold"].trigger()
    assert station.hold_button.isChecked()
    session.set_time(session.checked.ends()[-1])
    demo.until(lambda: not demo.window.checker._stock_busy)
    gone = (session.checked.gone(1e9) - session.checked.gone(200.0)) / 1000
    assert station.since.text().startswith("Since 3:20:")
    assert f"{gone:.1f} cm³" in station.since.text()
    session.set_time(100.0)
    assert station.since.text().startswith("Before 3:20: 1:40 min")
    demo.window.ribbon.repaint()
    demo.window.actions_by_id["check.hold"].trigger()
    assert session.held is None
    assert station.since.isHidden()
    demo.window.actions_by_id["check.hold"].trigger()
    session.type_value("left", "depth", "11")
    demo.checked()
    assert session.held is None, "another check has other moments"
