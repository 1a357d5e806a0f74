"""The contour calculator in the window: typed by keyboard, answers picked by click, a conflict mended, a drawing imported."""

from __future__ import annotations

import math
import time
from pathlib import Path

import ezdxf
import pytest
from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtWidgets import QFileDialog, QProgressDialog

from bastler.core.job.document import ContourRecord, ElementRecord, Job, Step
from bastler.core.problems import Unusable
from bastler.ui import ask, importdxf
from bastler.ui.theme.tokens import DAY
from tests.jobs import plate
from tests.ui.conftest import Person


def element(kind: str, way: str = "", *, smooth: bool = False, **facts: object) -> ElementRecord:
    return ElementRecord(type=kind, dir=way, tangent=smooth, facts={k: str(v) for k, v in facts.items()})  # type: ignore[arg-type]


LINK = ContourRecord(
    id="~link", name="link", values={"start_x": "-20", "start_y": "0", "closed": "no"},
    elements=(element("line", angle=0), element("arc", "ccw", smooth=True, radius=8),
              element("arc", "cw", smooth=True, cx=40, cy=25, radius=12, x=40, y=37)),
)  # fmt: skip


def following(*contours: ContourRecord) -> Job:
    """The plate with an outline on the first contour."""
    job: Job = plate(Step(id="o", cycle="outline", values={"contour": contours[0].id, "depth": "2"}))
    result: Job = job.changed(contours=contours)
    return result


@pytest.fixture
def editing(open_window) -> Person:  # type: ignore[no-untyped-def]
    """A window with the calculator open on a contour with two answers."""
    person: Person = open_window(following(LINK), None)
    person.control(Qt.Key.Key_2)
    person.click(person.steps.desk.button)
    return person


def new_contour(person: Person) -> None:
    """An outline step, and a new contour for it, by keyboard."""
    person.control(Qt.Key.Key_2)
    if person.steps.right.currentWidget() is not person.steps.adder:
        person.control(Qt.Key.Key_T)
    person.answer("outl")
    person.steps.desk.button.setFocus()
    person.key(Qt.Key.Key_Space)
    assert person.steps.right.currentWidget() is person.steps.desk.panel


def test_the_cam_flank_by_keyboard(empty: Person) -> None:
    new_contour(empty)
    empty.answer("-20", "0")
    empty.enter()  # mirrored: no
    empty.key(Qt.Key.Key_Right)  # closed: no
    empty.enter()
    panel = empty.steps.desk.panel
    assert empty.focus() is panel.line
    empty.key(Qt.Key.Key_R)
    empty.answer("20")
    for key, text in (("cx", "0"), ("cy", "0")):
        panel.form.focus_field(key)
        empty.answer(text)
    panel.list.setFocus()
    empty.key(Qt.Key.Key_R)
    empty.answer("60")
    panel.form.focus_field("tangent")
    empty.key(Qt.Key.Key_Left)  # smooth: yes
    empty.key(Qt.Key.Key_R)
    empty.answer("8", "43", "0")
    panel.form.focus_field("tangent")
    empty.key(Qt.Key.Key_Left)
    empty.answer("", "35", "0")
    solved = panel.solved
    assert solved is not None
    assert len(solved.answers) == 2, solved.lacks
    panel.list.setFocus()
    empty.enter()
    path = panel.solved.path
    assert path.elements[0].end == pytest.approx((-0.864286, 19.981317), abs=1e-6)
    assert path.elements[1].end == pytest.approx((40.118681, 6.148097), abs=1e-6)
    assert "Complete" in empty.steps.missing.text()
    assert empty.window.session.current.answers.values.contour.path == path


def test_a_started_contour_says_what_lacks_and_stops_no_other_step(open_window) -> None:  # type: ignore[no-untyped-def]
    open_one = LINK.changed(elements=LINK.elements[:2])
    job = following(open_one)
    face = Step(id="face", cycle="face")
    job = job.with_setup(job.setups[0].changed(steps=(face, *job.setups[0].steps)), 0)
    person: Person = open_window(job, None)
    session = person.window.session
    assert session.plan.steps[0].ready
    assert not session.plan.steps[1].ready
    person.control(Qt.Key.Key_2)
    session.select("o")
    person.click(person.steps.desk.button)
    assert "facts missing" in person.steps.missing.text()
    assert person.steps.desk.panel.layer.known() == ()


def test_an_answer_is_picked_by_click_and_kept(editing: Person) -> None:
    panel, sheet = editing.steps.desk.panel, editing.steps.sheet
    assert panel.solved.path is None
    sheet.grab()
    number, rect = sheet.contour._labels[1]
    assert number == 1
    editing.click(sheet, QPoint(round(rect.center().x()), round(rect.center().y())))
    assert panel.solved.chosen == 1
    assert panel.solved.path.elements[0].end[0] == pytest.approx(50.535654, abs=1e-5)
    panel.go_to_fact(1, "radius")
    editing.settle()
    editing.control(Qt.Key.Key_A)
    editing.keys("7.5")
    editing.settle()
    assert panel.solved.chosen == 1
    assert panel.solved.path.elements[0].end[0] > 45, "the choice is kept while a fact changes"


def test_arrows_go_through_the_answers(editing: Person) -> None:
    panel = editing.steps.desk.panel
    panel.list.setFocus()
    editing.key(Qt.Key.Key_Right)
    assert panel.layer.offered == 1
    editing.enter()
    assert panel.solved.chosen == 1
    editing.key(Qt.Key.Key_Left)
    assert panel.solved.chosen == 0


def test_a_conflict_is_mended(open_window) -> None:  # type: ignore[no-untyped-def]
    bad = LINK.changed(
        values={"start_x": "0", "start_y": "0", "closed": "no"},
        elements=(element("line", x=20, y=0), element("arc", "cw", radius=5, x=50, y=0)),
    )
    person: Person = open_window(following(bad), None)
    person.control(Qt.Key.Key_2)
    person.click(person.steps.desk.button)
    panel = person.steps.desk.panel
    assert "at least 15 is needed" in person.steps.missing.text()
    assert panel.form.rows["radius"].editor.widget.property("wrong")
    assert [m.end for m in panel.layer.known()] == [(20.0, 0.0)], "what comes before it is drawn"
    assert "radius of arc 2" in panel.drop_button.text()
    person.click(panel.drop_button)
    assert "One more fact" in person.steps.missing.text()
    person.window.session.undo()
    assert "at least 15" in panel.told.text
    panel.go_to_fact(1, "radius")
    person.settle()
    person.control(Qt.Key.Key_A)
    person.answer("15")
    assert panel.solved.path is not None, panel.told.text


def test_list_and_drawing_select_each_other(editing: Person) -> None:
    panel, sheet = editing.steps.desk.panel, editing.steps.sheet
    panel.choose(0)
    editing.settle()
    sheet.grab()
    member = panel.layer.known()[0]
    middle = member.middle
    at = sheet._top.at((middle[0] + 6, middle[1]))
    editing.click(sheet, QPoint(round(at.x()), round(at.y())))
    assert panel.element == 0
    assert panel.list.currentRow() == 0
    panel.list.setCurrentRow(2)
    assert panel.layer.element == 2
    assert panel.form.rows["dx"].editor.widget.placeholderText() != "", "derived values are shown lightly"
    assert panel.form.rows["radius"].editor.widget.text() == "12"


def test_split_swap_insert_delete_and_undo(editing: Person) -> None:
    panel, session = editing.steps.desk.panel, editing.window.session
    panel.choose(0)
    length = panel.solved.path.length
    panel.select(0)
    panel.edits.split(panel.key, 0)
    assert len(panel.record.elements) == 4
    assert panel.solved.path is not None, panel.told.text
    assert panel.solved.path.length == pytest.approx(length)
    session.undo()
    assert len(panel.record.elements) == 3
    panel.insert_before()
    assert len(panel.record.elements) == 4
    panel.remove_element()
    assert panel.record.elements == LINK.elements
    panel.edits.swap_way(panel.key, 1)
    assert panel.record.elements[1].dir == "cw"


def test_a_contour_in_use_is_not_deleted(editing: Person) -> None:
    panel = editing.steps.desk.panel
    told: list[str] = []
    editing.window.session.message.connect(told.append)
    panel.delete()
    assert panel.record is not None
    assert "used by step 1" in told[0]
    panel.add()
    panel.delete()
    assert len(editing.window.session.job.contours) == 1


def test_the_dial_turns_a_line(editing: Person) -> None:
    panel = editing.steps.desk.panel
    panel.select(0)
    panel.dial.setFocus()
    editing.key(Qt.Key.Key_Up)
    assert panel.record.elements[0].facts["angle"] == "5"


def test_a_drawing_is_imported_and_pocketed(empty: Person, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    document = ezdxf.new()
    document.units = 4
    space = document.modelspace()
    space.add_lwpolyline([(100, 100, 0), (140, 100, 0.3), (140, 130, 0), (100, 130, 0)], format="xyb", close=True)
    space.add_circle((115, 115), 5, dxfattribs={"layer": "island"})
    file = tmp_path / "tray.dxf"
    document.saveas(file)
    empty.answer("200", "120", "20")
    empty.control(Qt.Key.Key_2)
    if empty.steps.right.currentWidget() is not empty.steps.adder:
        empty.control(Qt.Key.Key_T)
    empty.answer("islan")
    empty.click(empty.steps.desk.button)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(file), ""))

    def take(dialog: importdxf.ImportDialog) -> int:
        dialog.grab()
        corner = dialog.preview._view.at((100.0, 100.0))
        empty.click(dialog.preview, QPoint(round(corner.x()) + 3, round(corner.y()) - 3))
        assert dialog.preview.zero == (100.0, 100.0)
        dialog.preview.zero = (60.0, 60.0)
        assert "2 closed and 0 open" in dialog.summary.text()
        empty.click(dialog.take)
        return dialog.result()

    monkeypatch.setattr(importdxf.ImportDialog, "exec", take)
    empty.steps.desk.panel.import_asked.emit()
    session = empty.window.session
    outline, island = session.job.contours[-2:]
    empty.steps.desk.close()
    session.edit_step(session.selected, values={"contour": outline.id, "islands": island.id, "depth": "6"})
    current = session.current
    assert current.ready, (current.answers.missing, current.answers.problems)
    assert empty.findings() == set()


def test_a_derived_point_is_measured_and_copied(editing: Person) -> None:
    from PyQt6.QtWidgets import QApplication

    panel, sheet = editing.steps.desk.panel, editing.steps.sheet
    panel.choose(0)
    panel.copy_points()
    clipboard = QApplication.clipboard()
    assert "X 33.678608   Y 14.8" in clipboard.text()
    editing.steps.measure(True)
    for point in ((-20.0, 0.0), (29.464346, 0.0)):
        at = sheet._top.at(point)
        editing.click(sheet, QPoint(round(at.x()) + 3, round(at.y()) + 2))
    assert "49.464" in editing.steps.missing.text()
    editing.steps.measure(False)


def test_an_end_by_distance_and_angle(editing: Person, monkeypatch: pytest.MonkeyPatch) -> None:
    from bastler.ui.widgets.polar import PolarDialog

    panel = editing.steps.desk.panel
    panel.add()
    panel.edits.type_value(panel.key, "start_x", "0")
    panel.edits.type_value(panel.key, "start_y", "0")
    panel.edits.type_value(panel.key, "closed", "no")
    panel.add_element("line")

    def fill(dialog: PolarDialog) -> int:
        dialog.distance.setText("20")
        dialog.angle.setText("30")
        return 1

    monkeypatch.setattr(PolarDialog, "exec", fill)
    panel.ask_polar()
    assert panel.record.elements[0].facts == {"x": "(20)*cos(30)", "y": "(20)*sin(30)"}
    assert panel.solved.path.end == pytest.approx((17.320508, 10))


def test_long_work_goes_on_beside_the_window(editing: Person, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(ask, "MOMENT_S", 0.0)
    seen: list[str] = []

    def work() -> int:
        deadline = time.monotonic() + 10
        while not seen and time.monotonic() < deadline:
            time.sleep(0.01)
        return 7

    def look() -> None:
        seen.extend(d.labelText() for d in editing.window.findChildren(QProgressDialog) if d.isVisible())

    timer = QTimer()
    timer.timeout.connect(look)
    timer.start(5)
    assert ask.beside(work, "It takes long …", editing.window) == 7
    timer.stop()
    assert seen[0] == "It takes long …"

    def fail() -> int:
        raise Unusable("It can't be.")

    with pytest.raises(Unusable, match="can't be"):
        ask.beside(fail, "", editing.window)


def test_the_persons_units_win_and_a_bad_number_is_told(editing: Person, tmp_path: Path) -> None:
    document = ezdxf.new()
    document.units = 4
    document.modelspace().add_circle((10, 10), 5)
    document.saveas(tmp_path / "plate.dxf")
    dialog = importdxf.ImportDialog(editing.window.session, DAY, tmp_path / "plate.dxf", editing.window)
    assert dialog.units.currentData() == "mm"
    assert dialog.preview.chains.paths[0].length == pytest.approx(10 * math.pi)
    dialog.units.setCurrentIndex(dialog.units.findData("inch"))
    dialog.units.activated.emit(dialog.units.currentIndex())
    assert dialog.units.currentData() == "inch"
    assert dialog.preview.chains.paths[0].length == pytest.approx(254 * math.pi)
    dialog.gap.setText("wide")
    dialog.gap.editingFinished.emit()
    assert "wide" in dialog.summary.text()
    assert not dialog.take.isEnabled()
    dialog.gap.setText("0.05")
    dialog.gap.editingFinished.emit()
    assert "1 closed" in dialog.summary.text()
    assert dialog.take.isEnabled()


def test_a_circle_has_no_lines_and_arcs_and_a_mirror_asks_for_its_line(empty: Person) -> None:
    new_contour(empty)
    panel = empty.steps.desk.panel
    panel.edits.type_value(panel.key, "mirror", "yes")
    shown = {k for k, r in panel.place_form.rows.items() if r.built and r.editor.widget.isVisibleTo(panel)}
    assert "mirror_angle" in shown
    assert "closed" not in shown
    panel.edits.type_value(panel.key, "shape", "circle")
    assert not panel.page_buttons[0].isEnabled()
    assert panel.pages.currentIndex() == 1
    assert not empty.steps.paths_button.isEnabled()
    empty.steps.desk.close()
    assert empty.steps.paths_button.isEnabled()
