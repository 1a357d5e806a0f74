"""The everyday job by keyboard: a recipe from an empty job, a pattern shared and changed, several parts, an inch job."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtPrintSupport import QPrintDialog
from PyQt6.QtWidgets import QFileDialog

from bastler.core.jobfiles import store
from bastler.core.jobfiles.library import keep
from bastler.core.quantities import show
from bastler.core.tooling.machines import machines
from bastler.core.tooling.materials import materials
from bastler.ui.recovery import library_file
from tests.ui.conftest import Asked, Person

EXAMPLES = Path(__file__).parents[2] / "examples"
SHIFT = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier


def add(person: Person, word: str) -> None:
    """Ctrl+T, a word, Enter."""
    if person.steps.right.currentWidget() is not person.steps.adder:
        person.control(Qt.Key.Key_T)
    person.answer(word)


def stock(person: Person, *sizes: str) -> None:
    person.answer(*sizes)
    person.control(Qt.Key.Key_2)


def test_a_recipe_from_an_empty_job(empty: Person) -> None:
    stock(empty, "100", "80", "20")
    session = empty.window.session
    add(empty, "recipe")
    empty.steps.form.focus_field("points")
    empty.answer("20, 20; 80, 20; 80, 60", "M6", "12")
    assert session.current.answers.missing == ()
    assert [p.cycle.id for p in session.current.parts] == ["spot", "drill", "tap"]
    assert empty.findings() == set()
    text = session.checked.program.text
    assert "G84" in text
    assert "M29" in text
    empty.steps.close_add()
    empty.key(Qt.Key.Key_R, SHIFT)
    assert [s.cycle for s in session.steps] == ["spot", "drill", "tap"]
    assert empty.findings() == set()
    empty.control(Qt.Key.Key_Z)
    assert [s.cycle for s in session.steps] == ["recipe"]


def test_the_first_step_of_an_empty_plan_shows_its_form_and_asks(empty: Person) -> None:
    stock(empty, "100", "80", "20")
    add(empty, "drill")
    assert empty.steps.right.currentIndex() == 0
    empty.answer("20, 20", "8.5", "12")
    assert empty.window.session.current.answers.values.points == ((20.0, 20.0),)


def test_one_pattern_for_three_steps_then_changed(empty: Person) -> None:
    stock(empty, "100", "80", "20")
    session = empty.window.session
    add(empty, "spot")
    empty.steps.form.focus_field("pattern")
    empty.keys("c")
    empty.steps.form.focus_field("centre_x")
    empty.answer("50", "40", "40", "4", "8")
    empty.steps.close_add()
    empty.key(Qt.Key.Key_P, SHIFT)
    assert len(session.job.patterns) == 1
    shared = session.job.patterns[0].id
    assert session.current.step.values["pattern"] == shared
    for word, answers in (("drill", ("6.8", "15")), ("tap", ("M8", "8"))):
        add(empty, word)
        empty.steps.form.focus_field("pattern")
        combo = empty.steps.form.rows["pattern"].editor.combo
        assert combo.itemData(combo.count() - 1) == shared
        empty.key(Qt.Key.Key_End)
        empty.steps.form.focus_first()
        empty.answer(*answers)
        assert session.current.step.values["pattern"] == shared
    assert empty.findings() == set()
    assert [len(s.removals) for s in session.plan.steps] == [4, 4, 4]

    empty.window.actions_by_id["setup.patterns"].trigger()
    empty.settle()
    page = empty.station("Setup").page("Patterns")
    assert page.table.item(0, 3).text() == "3 steps"
    page.form.focus_field("count")
    empty.control(Qt.Key.Key_A)
    empty.keys("6")
    empty.settle()
    assert [len(s.removals) for s in session.plan.steps] == [6, 6, 6]
    page.delete()
    assert len(session.job.patterns) == 1
    assert "used by step 1" in empty.window.status.text()
    assert "step 3 (Tap" in empty.window.status.text()


def test_holes_are_left_out_by_a_click(demo: Person) -> None:
    session = demo.window.session
    session.select("bolts")
    demo.settle()
    session.toggle_hole(2)
    assert session.job.patterns[1].values["skip"] == "2"
    session.select("spots")
    add(demo, "spot")
    demo.steps.form.focus_field("pattern")
    demo.keys("c")
    demo.steps.form.focus_field("centre_x")
    demo.answer("100", "60", "70", "5", "3")
    demo.steps.close_add()
    demo.steps.form.focus_field("skip")
    sheet = demo.steps.sheet
    sheet.repaint()
    spot = next(s for s in sheet._spots if s.number == 3)
    demo.click(sheet, sheet._top.at(spot.at).toPoint())
    assert session.current.step.values["skip"] == "3"
    sheet.repaint()
    demo.click(sheet, sheet._top.at(spot.at).toPoint())
    assert "skip" not in session.current.step.values


def test_four_parts(demo: Person) -> None:
    demo.control(Qt.Key.Key_1)
    form = demo.station("Setup").form
    session = demo.window.session
    form.focus_field("held_in")
    demo.keys("n")
    form.focus_field("parts")
    demo.settle()
    form.rows["parts"].editor.buttons[1].click()
    demo.settle()
    for key, text in (("parts_pitch_x", "210"), ("parts_rows", "2"), ("parts_pitch_y", "130")):
        form.focus_field(key)
        demo.settle()
        demo.control(Qt.Key.Key_A)
        demo.keys(text)
        demo.settle()
    assert len(session.plan.frame.parts) == 4
    assert session.plan.setup_answers.complete
    form.focus_field("parts_pitch_y")
    demo.control(Qt.Key.Key_A)
    demo.keys("100")
    demo.settle()
    assert "overlap on the table" in form.note_at("parts_pitch_x")[0]


def test_the_inch_job_in_the_window(open_window) -> None:  # type: ignore[no-untyped-def]
    person: Person = open_window(store.load(EXAMPLES / "frame-foot-inch.bastler"))
    session = person.window.session
    assert person.findings() == set()
    assert "G20" in session.checked.program.text
    session.select("recess")
    person.settle()
    person.retype("depth", "1/4")
    assert session.current.answers.values.depth == pytest.approx(6.35)
    assert "in" in person.window.bar.setups.text()
    person.retype("depth", "0.3")


def test_units_are_changed_only_as_asked(demo: Person, asked: Asked) -> None:
    session = demo.window.session
    before = session.job
    asked.then = ["Keep the size", "Keep the numbers", "Cancel"]
    demo.window.change_units()
    assert session.job.units == "inch"
    assert session.plan.frame.block.size[0] == pytest.approx(204.0, abs=1e-3)
    demo.control(Qt.Key.Key_Z)
    assert session.job == before
    demo.window.change_units()
    assert session.job.setups == before.setups
    demo.window.change_units()
    assert session.job.units == "inch"


def test_own_lines_and_pauses_stand_in_the_program(demo: Person) -> None:
    session = demo.window.session
    add(demo, "pause")
    demo.answer("measure the pockets")
    add(demo, "own")
    demo.steps.form.focus_field("text")
    demo.keys("G4 P100")
    demo.settle()
    assert demo.findings() == set()
    text = session.checked.program.text
    assert "(measure the pockets)" in text
    assert "\nG4 P100\n" in text
    demo.enter()
    demo.keys("M30")
    demo.settle()
    assert "would end the program" in demo.steps.form.note_at("text")[0]


def test_every_page_of_the_setup_can_be_reached(demo: Person) -> None:
    for command, index in (("setup.patterns", 3), ("setup.tools", 1)):
        demo.window.actions_by_id[command].trigger()
        demo.settle()
        assert demo.window.station == "Setup"
        assert demo.station("Setup").page_buttons[index].isChecked()
    page = demo.station("Setup").page("Tools")
    for row in range(page.table.rowCount()):
        page.table.setCurrentCell(row, 0)
        demo.settle()
        page.sheet.repaint()
        assert page.sheet.tool is not None
    demo.window.switch_theme()
    demo.window.switch_theme()
    patterns = demo.station("Setup").page("Patterns")
    demo.window.actions_by_id["setup.patterns"].trigger()
    patterns.add()
    demo.keys("dowels")
    assert demo.window.session.job.patterns[-1].name == "dowels"
    patterns.form.focus_field("points")
    demo.keys("1, 2; 3, 4")
    demo.settle()
    assert demo.window.session.plan.patterns[demo.window.session.job.patterns[-1].id].points == ((1.0, 2.0), (3.0, 4.0))
    patterns.delete()
    assert len(demo.window.session.job.patterns) == 2
    demo.click(patterns.table.viewport(), QPoint(30, 20))


def test_tools_go_to_the_library_and_into_lists(
    demo: Person, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, asked: Asked
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    demo.window.actions_by_id["setup.tools"].trigger()
    page, session = demo.station("Setup").page("Tools"), demo.window.session
    page.table.setCurrentCell(9, 0)
    page.keep_tool()
    page.keep_tool()
    kept = page._library()
    assert [(t.units, t.tool.name) for t in kept] == [("mm", "tap M6")]
    page.take(kept[0].tool)
    assert session.job.tools[-1].number == 14
    assert session.job.tools[-1].values == kept[0].tool.values
    file = tmp_path / "tools.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(file), ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(file), ""))
    page.write_list()
    assert "14 tools written" in demo.window.status.text()
    file.write_text(file.read_text().replace("14,tap,tap M6", "30,tap,tap M6 again"))
    page.read_list()
    assert session.job.tools[-1].number == 30
    assert "1 tool read." in demo.window.status.text()
    assert "T13 left out: the numbers are taken" in demo.window.status.text()
    file.write_text("number,kind\n")
    asked.then = ["mm"]
    page.read_list()
    assert "doesn't say its units" in asked[-1]
    assert "needs the columns" in demo.window.status.text()
    file.write_text("units,inch\nnumber,kind,name,diameter,flute_length\n50,drill,quarter,1/4,2\n")
    page.read_list()
    assert "is in inch, the job in mm" in asked[-1]
    assert session.job.tools[-1].number == 30
    asked.then = ["Convert"]
    page.read_list()
    assert session.plan.tools[50].diameter == pytest.approx(6.35)
    (tmp_path / "bastler" / "tools.json").write_text("{")
    assert page._library() == ()
    assert "is damaged" in demo.window.status.text()


def test_the_code_is_copied_and_compared(demo: Person, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    demo.checked()
    demo.window._settings().remove("output")
    demo.window.compare_code()
    assert "nothing to compare" in demo.window.status.text()
    file = tmp_path / "plate.nc"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(file), ""))
    demo.control(Qt.Key.Key_E)
    demo.window.copy_code()
    assert QGuiApplication.clipboard().text() == file.read_text()
    demo.window.compare_code()
    assert "is the same" in demo.window.status.text()
    demo.window.session.type_value("left", "depth", "11")
    demo.checked()
    lines = demo.window.difference()
    assert lines is not None
    assert any(line.startswith("+") and "Z-11." in line for line in lines)


def test_the_setup_sheet_is_made_beside_the_window(
    demo: Person, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, asked: Asked
) -> None:
    file = tmp_path / "sheet.html"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(file), ""))
    demo.window.save_paper()
    demo.until(lambda: "Setup sheet saved" in demo.window.status.text())
    assert "Pressure plate" in file.read_text()
    demo.window.session.type_value("left", "length", "")
    demo.window.save_paper()
    assert "Length is not answered yet" in asked[0]


def test_an_own_machine_profile(demo: Person, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    demo.window.actions_by_id["setup.machine"].trigger()
    demo.settle()
    page, session = demo.station("Setup").page("Machine"), demo.window.session
    assert not page.form.isEnabled()
    page.copy_button.setFocus()
    demo.key(Qt.Key.Key_Space)
    assert page.form.isEnabled()
    assert session.setup.machine == "own-small-mill-mm-own"
    demo.keys("Corner mill")
    page.form.focus_field("highest")
    demo.control(Qt.Key.Key_A)
    demo.keys("4000")
    demo.settle()
    assert session.plan.frame.machine.spindle.highest == 4000
    assert session.plan.frame.machine.name == "Corner mill"
    assert (
        "S4000" in str(session.plan.steps[1].answers.suggestions["speed"].text)
        or float(session.plan.steps[1].answers.suggestions["speed"].text) <= 4000
    )
    page.form.focus_field("curve")
    demo.control(Qt.Key.Key_A)
    demo.keys("100, 1")
    demo.settle()
    assert "needs rev/min, kW and Nm" in page.form.note_at("curve")[0]
    page.sheet.repaint()
    assert machines()["own-small-mill-mm-own"].spindle.highest == 4000
    assert demo.station("Setup").machine.findText("Corner mill") >= 0
    demo.control(Qt.Key.Key_Z)
    assert session.setup.machine == "small-mill-mm"


def test_an_own_material(demo: Person, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    demo.window.actions_by_id["setup.material"].trigger()
    demo.settle()
    page, session = demo.station("Setup").page("Material"), demo.window.session
    before = session.plan.steps[1].answers.values.speed
    demo.key(Qt.Key.Key_Space)
    assert session.setup.material == "own-structural-steel-s235-own"
    demo.keys("Gear steel")
    page.form.focus_field("vc_mill_carbide")
    demo.control(Qt.Key.Key_A)
    demo.keys("60")
    demo.settle()
    assert session.plan.frame.material.name == "Gear steel"
    assert session.plan.steps[1].answers.values.speed < before
    assert "60 m/min in Gear steel" in session.plan.steps[1].answers.suggestions["speed"].reason
    page.form.focus_field("mc")
    demo.control(Qt.Key.Key_A)
    demo.keys("2")
    demo.settle()
    assert "at most 0.9" in page.form.note_at("mc")[0]
    assert materials()["own-structural-steel-s235-own"].mc == 0.17, "what is wrong is not kept"
    page.sheet.repaint()
    assert demo.station("Setup").material.findText("Gear steel") >= 0


def test_tools_are_compared_and_chosen_by_keyboard(
    demo: Person, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    session, steps = demo.window.session, demo.steps
    long = session.job.tools[1].changed(number=2, name="long mill 10")
    keep(library_file(), long, "mm")
    session.select("left")
    steps.form.focus_field("tool")
    demo.key(Qt.Key.Key_Space)
    assert steps.right.currentWidget() is steps.chooser
    words = [
        steps.chooser.list.item(i).data(Qt.ItemDataRole.AccessibleTextRole) for i in range(steps.chooser.list.count())
    ]
    assert words[0].startswith("T2 end mill 10: the largest that fits radius 6")
    assert any(word.startswith("library long mill 10") for word in words)
    demo.key(Qt.Key.Key_Escape)
    assert steps.right.currentIndex() == 0
    assert "tool" not in session.steps[1].values
    demo.key(Qt.Key.Key_Space)
    while not words[steps.chooser.list.currentRow()].startswith("library"):
        demo.key(Qt.Key.Key_Down)
    demo.key(Qt.Key.Key_Return)
    assert session.job.tools[-1].name == "long mill 10"
    assert session.steps[1].values["tool"] == str(session.job.tools[-1].number)
    demo.control(Qt.Key.Key_Z)
    assert "tool" not in session.steps[1].values
    assert len(session.job.tools) == 13
    session.type_value("left", "corner", "4")
    steps.offer_tools("tool")
    grey = next(i for i, c in enumerate(steps._choices) if not c.fits)
    demo.click(steps.chooser.list.viewport(), steps.chooser.list.visualItemRect(steps.chooser.list.item(grey)).center())
    assert steps.right.currentWidget() is steps.chooser, "what doesn't fit can't be taken"
    demo.window.switch_theme()
    demo.window.switch_theme()


def test_the_magazine_leads_to_the_tool(demo: Person) -> None:
    demo.window.actions_by_id["setup.magazine"].trigger()
    demo.settle()
    setup = demo.station("Setup")
    page = setup.page("Magazine")
    place, pocket = page.sheet._cells[1]
    assert [t.number for t in pocket.tools] == [2]
    demo.click(page.sheet, place.center().toPoint())
    assert setup.page_buttons[1].isChecked()
    assert setup.page("Tools").record.number == 2
    demo.keys("1")
    demo.settle()
    assert "Pocket 1 is given to T1 and T2" in page.remarks.itemAt(0).widget().text()
    demo.window.actions_by_id["setup.magazine"].trigger()
    demo.window.session.edit(
        demo.window.session.job.with_setup(demo.window.session.setup.changed(machine="knee-mill-inch"))
    )
    demo.settle()
    page.sheet.repaint()
    assert page.sheet._cells == []
    demo.window.switch_theme()
    demo.window.switch_theme()


def test_measuring_by_keys_and_by_mouse(demo: Person) -> None:
    sheet, steps = demo.steps.sheet, demo.steps
    demo.control(Qt.Key.Key_M)
    assert steps.measure_button.isChecked()
    assert "Click the point" in steps.missing.text()
    demo.key(Qt.Key.Key_Return)
    demo.key(Qt.Key.Key_Right)
    demo.key(Qt.Key.Key_Right)
    first = sheet.measure.here
    demo.key(Qt.Key.Key_Return)
    assert first != (0.0, 0.0)
    assert steps.missing.text().startswith(f"{show(math.hypot(*first))} mm, at ")
    for place in ((48, 60), (152, 60)):
        demo.click(sheet, (sheet._top.at(place) + QPointF(3, -4)).toPoint())
    assert steps.missing.text() == "104 mm, at 0°:  X 104  Y 0"
    sheet.repaint()
    demo.key(Qt.Key.Key_Escape)
    assert not steps.measure_button.isChecked()
    assert sheet.measure is None
    assert steps.missing.text() == "Complete."


def test_the_sheet_reads_the_place_under_the_cursor(demo: Person) -> None:
    sheet, session = demo.steps.sheet, demo.window.session
    session.select("left")
    sheet.repaint()
    pocket, corner = sheet._top.at((48, 60)), sheet._top.at((100, 5))
    assert sheet.reading(pocket).split("   ")[2] == "Z -12"
    assert sheet.reading(corner).split("   ")[2] == "Z 0"
    session.select(session.steps[0].id)
    sheet.repaint()
    assert sheet.reading(pocket).split("   ")[2] == "Z 0", "steps behind the selected one have not cut yet"
    assert sheet.reading(sheet._front.at((48, -7))).startswith("X 4")
    assert sheet.reading(QPointF(1, 1)) == ""


def test_a_step_is_repeated_elsewhere_and_made_its_own(demo: Person) -> None:
    session, steps = demo.window.session, demo.steps
    session.select("right")
    session.delete_steps((session.selected,))
    session.select("left")
    demo.window.actions_by_id["step.repeat"].trigger()
    demo.settle()
    repeat = session.selected
    assert steps.form.rows["steps"].editor.boxes["left"].isChecked()
    steps.form.focus_field("points")
    demo.keys("152, 60")
    demo.settle()
    assert session.current.answers.complete
    assert len(session.current.parts) == 1
    assert demo.steps.cards.state_of(session.current)[1] == "T2"
    session.type_value("left", "depth", "10")
    assert session.current.removals[0].floor == -10.0
    steps.form.focus_field("steps")
    demo.key(Qt.Key.Key_Space)
    assert len(session.current.step.values["steps"].split(",")) == 2, "the face is ticked too"
    demo.key(Qt.Key.Key_Space)
    demo.window.actions_by_id["step.single"].trigger()
    own = session.current
    assert own.cycle.id == "pocket"
    assert own.removals[0].centre == (152.0, 60.0)
    session.type_value("left", "depth", "9")
    assert session.plan.steps[2].removals[0].floor == -10.0, "a copy of its own stays as it is"
    demo.control(Qt.Key.Key_Z)
    demo.control(Qt.Key.Key_Z)
    assert session.index_of(repeat) >= 0
    session.select("left")
    session.delete_steps((session.selected,))
    assert "Step 3 (Repeat" in demo.window.status.text()


def test_paths_are_drawn_on_the_sheet(demo: Person) -> None:
    demo.checked()
    sheet, selected = demo.steps.sheet, demo.window.session.selected
    plain = sheet.grab().toImage()
    demo.window.actions_by_id["view.paths"].trigger()
    assert sheet.grab().toImage() != plain
    demo.window.session.type_value("left", "depth", "8")
    demo.checked()
    sheet.repaint()
    demo.window.session.undo()
    demo.window.session.select(selected)
    demo.checked()
    demo.window.actions_by_id["view.paths"].trigger()
    assert not demo.steps.paths_button.isChecked()
    assert sheet.grab().toImage() == plain


def test_a_picture_is_printed(demo: Person, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    file = tmp_path / "sheet.pdf"

    def accept(dialog: QPrintDialog) -> QPrintDialog.DialogCode:
        dialog.printer().setOutputFileName(str(file))
        return QPrintDialog.DialogCode.Accepted

    monkeypatch.setattr(QPrintDialog, "exec", accept)
    demo.window.actions_by_id["job.print"].trigger()
    assert file.read_bytes().startswith(b"%PDF")
    assert "on its way to the printer" in demo.window.status.text()


def test_the_setup_sheet_can_be_cancelled(demo: Person, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    file = tmp_path / "sheet.pdf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(file), ""))
    demo.window.save_paper()
    demo.until(lambda: demo.window._paper.state() == demo.window._paper.ProcessState.Running)
    demo.window.cancel()
    demo.until(lambda: "was cancelled" in demo.window.status.text())
    assert not file.exists()
    assert demo.window._paper is None
