"""A lathe in the window: a job from empty to G-code by keyboard, the section drawn, findings and remedies."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QComboBox, QFileDialog, QPushButton

from bastler.core.benches import post
from bastler.core.demo import BUSH, SPINDLE, demo_job, on_machine, sample_tools
from bastler.core.job.document import ContourRecord, Step
from bastler.core.jobfiles.store import load
from bastler.core.planner import plan
from bastler.core.post.dialect import dialects
from bastler.core.quantities import Kind, show
from tests.turned import UNDERCUT, collar, falling, lathe_job, turned_contours
from tests.ui.conftest import Person

BAD = Path(__file__).parents[2] / "examples" / "bad"
FAULTS = (
    "wrong-turn", "past-the-centre", "bar-backs-off-too-far", "blade-too-deep", "into-the-jaws", "thread-follows-diameter",
    "chuck-opens-too-early", "too-tight-for-the-nose", "cycle-without-its-blocks",
)  # fmt: skip


def add(person: Person, word: str) -> None:
    if person.steps.right.currentWidget() is not person.steps.adder:
        person.control(Qt.Key.Key_T)
    person.answer(word)


def on_the_lathe(person: Person) -> None:
    """Choose the lathe in the list of machines."""
    combo = person.station("Setup").machine
    combo.setCurrentIndex(combo.findData("small-lathe-mm"))
    combo.activated.emit(combo.currentIndex())
    person.settle()


@pytest.fixture
def lathe(empty: Person) -> Person:
    on_the_lathe(empty)
    assert empty.window.session.setup.machine == "small-lathe-mm"
    return empty


def test_an_untouched_job_gets_lathe_tools_with_the_lathe(lathe: Person) -> None:
    session = lathe.window.session
    assert session.job.tools == sample_tools("lathe")
    session.undo()
    assert session.job.tools == sample_tools("mill")
    own = session.job.changed(tools=session.job.tools[:2])
    assert on_machine(own, 0, "small-lathe-mm").tools == own.tools, "own tools stay"


def test_from_empty_to_gcode_by_keyboard(lathe: Person, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    person, session = lathe, lathe.window.session
    setup = person.station("Setup")
    setup.form.focus_field("diameter")
    person.answer("40", "80")
    assert session.plan.frame.chucking.blank == (-103.0, 1.0, 0.0, 20.0)
    person.control(Qt.Key.Key_2)
    add(person, "face")
    person.enter()
    add(person, "turn")
    assert "diameter" in person.steps.question.text().lower()
    person.answer("24", "30")
    add(person, "groove")
    person.answer("-20", "4", "20")
    add(person, "thread")
    for key, text in (("diameter", "24"), ("pitch", "3"), ("end_z", "-15")):
        person.steps.form.focus_field(key)
        person.answer(text)
    add(person, "part off")
    person.answer("-40")
    assert [s.cycle for s in session.steps] == ["end_face", "turn", "groove", "turn_thread", "part_off"]
    assert all(s.ready for s in session.plan.steps), [
        (s.answers.missing, s.answers.problems) for s in session.plan.steps if not s.ready
    ]
    assert person.findings() == set()
    program = tmp_path / "shaft.nc"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(program), ""))
    person.control(Qt.Key.Key_E)
    text = program.read_text()
    assert text == session.checked.program.text
    assert "G96 S" in text
    assert "G32" in text
    assert "T0101" in text


def test_only_what_a_lathe_does_is_offered(lathe: Person) -> None:
    lathe.control(Qt.Key.Key_2)
    steps = lathe.steps
    names = {steps.adder.list.item(i).text().split("\n")[0] for i in range(steps.adder.list.count())}
    assert {"Turn", "Groove", "Thread", "Part off", "Axis hole", "Note"} <= names
    assert "Pocket" not in names


def test_a_contour_is_typed_with_z_and_diameters(lathe: Person) -> None:
    session = lathe.window.session
    lathe.station("Setup").form.focus_field("diameter")
    lathe.answer("40", "80")
    lathe.control(Qt.Key.Key_2)
    add(lathe, "turn")
    lathe.steps.form.focus_field("shape")
    lathe.keys("con")
    lathe.steps.desk.button.setFocus()
    lathe.key(Qt.Key.Key_Space)
    panel = lathe.steps.desk.panel
    assert session.job.contours[0].values["plane"] == "ZX"
    panel.place_form.focus_field("start_x")
    lathe.answer("20", "0")
    panel.list.setFocus()
    lathe.key(Qt.Key.Key_L)
    panel.form.focus_field("z")
    lathe.answer("-30")
    panel.form.focus_field("x")
    lathe.answer("30")
    solved = next(iter(session.plan.contours.values()))
    assert solved.path is not None
    assert solved.path.end == (-30.0, 15.0)
    assert panel.list.item(0).text().endswith("to Z -30 X 30")


@pytest.fixture
def spindle(open_window) -> Person:  # type: ignore[no-untyped-def]
    person: Person = open_window(demo_job(SPINDLE), None)
    person.checked()
    return person


def test_dimensions_and_steps_of_the_section_can_be_clicked(spindle: Person) -> None:
    spindle.control(Qt.Key.Key_2)
    session, sheet = spindle.window.session, spindle.steps.sheet
    session.select("grooves")
    spindle.settle()
    sheet.grab()
    tag = next(t for t in sheet.tags if t.field == "bottom")
    spindle.click(sheet, tag.rect.center().toPoint())
    assert spindle.focus() is spindle.field("bottom") or spindle.field("bottom").isAncestorOf(spindle.focus())
    spot = sheet._top.at((-20.0, 15.0)).toPoint()
    spindle.click(sheet, spot)
    assert session.selected == "rough"
    assert sheet.reading(sheet._top.at((-20.0, 15.0))).startswith("X 30")
    spindle.steps.paths_button.click()
    assert not sheet.grab().isNull()


def test_the_check_shows_the_section_with_the_tool(spindle: Person) -> None:
    spindle.control(Qt.Key.Key_3)
    check, session = spindle.station("Check"), spindle.window.session
    spindle.settle()
    assert check.section is not None
    assert check.section.isVisible()
    assert not check.readings["Y"].isVisible()
    session.set_time(spindle.window.ribbon.total * 0.3)
    spindle.until(
        lambda: check.section.stock is not None and check.section.stock.area < session.checked.section.blank.area
    )
    at = check.section.at
    assert check.readings["X"].text() == f"{2 * at[0]:.3f}", "X is a diameter"
    before = check.section.grab().toImage()
    turn = QPoint(0, 120)
    wheel = QWheelEvent(
        QPointF(50, 50),
        QPointF(50, 50),
        turn,
        turn,
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    check.section.wheelEvent(wheel)
    assert check.section.zoom > 1
    assert check.section.grab().toImage() != before
    session.set_time(spindle.window.ribbon.total)
    spindle.until(lambda: check.section.stock.area < 0.7 * session.checked.section.blank.area)


def test_an_insert_that_cannot_reach_and_the_tool_that_can(open_window) -> None:  # type: ignore[no-untyped-def]
    class First:
        def number(self, low: float, high: float) -> float:
            return round((low + high) / 2, 3)

        def choice(self, options: tuple[str, ...]) -> str:
            return "undercut" if "undercut" in options else options[0]

    step = Step(id="t", cycle="turn", values={"shape": "contour", "contour": "~outer", "tool": "1"})
    person: Person = open_window(lathe_job(step, contours=turned_contours(First())), None)
    person.checked()
    assert "left-standing" in person.findings()
    problem = next(p for p in person.window.session.plan.steps[0].answers.problems if p.field == "tool")
    assert "T2 (VBMT 0.4) reaches it" in problem.text
    person.control(Qt.Key.Key_3)
    check = person.station("Check")
    person.click(check.list.viewport(), check.list.visualItemRect(check.list.item(0)).center())
    assert check.section.marker is not None
    person.control(Qt.Key.Key_2)
    assert "Ctrl+R sets" in person.steps.missing.text()
    person.control(Qt.Key.Key_R)
    assert person.window.session.steps[0].values["tool"] == "2"
    person.checked()
    assert "left-standing" not in person.findings()


def type_field(person: Person, key: str, text: str) -> None:
    """Type an answer, or the beginning of a choice's word."""
    field = next(f for f in person.window.session.current.cycle.fields if f.key == key)
    words = dict(field.choices)
    if person.steps.right.currentWidget() is person.steps.adder:
        person.key(Qt.Key.Key_Escape)
    person.steps.form.focus_field(key)
    person.settle()
    said = words.get(text, f"T{text}" if field.kind is Kind.TOOL else text)
    combo = person.field(key)
    if isinstance(combo, QComboBox):
        texts = [combo.itemText(i) for i in range(combo.count())]
        at = next(i for i, t in enumerate(texts) if t == said or (text not in words and t.startswith(f"{said} ")))
        person.key(Qt.Key.Key_Home)
        for _ in range(at):
            person.key(Qt.Key.Key_Down)
        assert combo.currentIndex() == at
        return
    person.keys(said.split()[0] if text in words else said)
    if field.kind is Kind.CHOICE:
        person.settle()
    else:
        person.enter()


def draw(person: Person, contour: ContourRecord) -> None:
    """Draw a contour in the calculator, fact by fact, and leave it."""
    person.steps.desk.button.setFocus()
    person.key(Qt.Key.Key_Space)
    panel = person.steps.desk.panel
    for key in ("start_z", "start_x"):
        panel.place_form.focus_field(key)
        person.answer(contour.values[key])
    for one in contour.elements:
        panel.list.setFocus()
        person.key({"line": Qt.Key.Key_L, "cw": Qt.Key.Key_R, "ccw": Qt.Key.Key_A}[one.dir or one.type])
        for key, text in one.facts.items():
            panel.form.focus_field(key)
            person.answer(text)
    next(b for b in panel.findChildren(QPushButton) if b.text() == "Close").setFocus()
    person.key(Qt.Key.Key_Space)


def test_the_spindle_from_an_empty_job_by_keyboard(lathe: Person) -> None:
    example, session = demo_job(SPINDLE), lathe.window.session
    session.edit(session.job.changed(tools=example.tools))
    setup = lathe.station("Setup")
    setup.material.setFocus()
    lathe.key(Qt.Key.Key_Home)
    while setup.material.currentData() != example.setups[0].material:
        lathe.key(Qt.Key.Key_Down)
    for key, text in example.setups[0].values.items():
        setup.form.focus_field(key)
        lathe.answer(text)
    lathe.control(Qt.Key.Key_2)
    for step in example.setups[0].steps:
        add(lathe, {"end_face": "face", "turn_thread": "thread", "part_off": "part off"}.get(step.cycle, step.cycle))
        for key, text in step.values.items():
            if key != "contour":
                type_field(lathe, key, text)
            elif session.job.contours:
                lathe.steps.form.focus_field(key)
                lathe.keys(session.job.contours[0].name.split()[0])
            else:
                draw(lathe, example.contours[0])
    assert lathe.findings() == set()

    def words(text: str) -> list[str]:
        return [line for line in text.splitlines() if "(" not in line]

    expected = post(plan(example), dialects()["iso-lathe-a"]).text
    assert words(session.checked.program.text) == words(expected)


def test_the_groove_at_the_bottom_of_a_bore_by_keyboard(open_window) -> None:  # type: ignore[no-untyped-def]
    job = demo_job(BUSH)
    steps = job.setups[0].steps
    at = next(i for i, s in enumerate(steps) if s.cycle == "groove" and s.values.get("where") == "inside")
    person: Person = open_window(job.with_setup(job.setups[0].changed(steps=steps[:at])), None)
    person.control(Qt.Key.Key_2)
    person.window.session.select(steps[at - 1].id)
    add(person, "groove")
    for key, text in steps[at].values.items():
        type_field(person, key, text)
    made = person.window.session.steps[at]
    assert {**made.values, "tool": steps[at].values["tool"]} == steps[at].values, "a tool that is proposed is not typed"
    assert person.findings() == set()
    step = person.window.session.plan.steps[at]
    assert step.ready
    assert step.cleared[0].area.bounds[3] > step.work.lathe.stock.bounds[1]


def test_a_groove_into_the_corner_of_a_shoulder_by_keyboard(open_window) -> None:  # type: ignore[no-untyped-def]
    job = collar()
    person: Person = open_window(job.with_setup(job.setups[0].changed(steps=job.setups[0].steps[:1])), None)
    person.control(Qt.Key.Key_2)
    person.window.session.select("turn")
    add(person, "groove")
    for key, text in UNDERCUT.items():
        type_field(person, key, text)
    step = person.window.session.plan.steps[1]
    assert step.ready
    assert step.answers.values.tool.number == 21, "the blade that leans is proposed"
    person.checked()
    assert person.findings() == set()
    sheet = person.steps.sheet
    sheet.grab()
    tag = next(t for t in sheet.tags if t.field == "depth")
    person.click(sheet, tag.rect.center().toPoint())
    assert person.field("depth").isAncestorOf(person.focus()) or person.focus() is person.field("depth")


def test_what_only_the_moves_show_comes_with_the_check(open_window) -> None:  # type: ignore[no-untyped-def]
    person: Person = open_window(falling(), None)
    person.control(Qt.Key.Key_2)
    session = person.window.session
    assert session.plan.steps[0].ready
    person.checked()
    (told,) = session.plan.steps[0].ways
    assert "The control would lead tool 1" in told.text
    assert not session.plan.steps[0].ready
    person.settle()
    assert "The control would lead" in person.steps.missing.text()
    session.type_value("turn", "depth_per_pass", "1.5")
    person.checked()
    assert not session.plan.steps[0].ready, "it is judged again"
    session.type_value("turn", "compensation", "planner")
    assert session.plan.steps[0].ready
    assert person.findings() == {"left-standing"}


def test_the_line_under_the_cursor_has_its_place_in_diameters(spindle: Person) -> None:
    spindle.control(Qt.Key.Key_4)
    code, session = spindle.station("Code"), spindle.window.session
    motion = session.checked.motion
    move = next(i for i in range(len(motion)) if motion.kind[i] == 1)
    code.editor.setCursorPosition(int(motion.line[move]) - 1, 0)
    spindle.settle()
    x, _, z = motion.end[motion.of_line(int(motion.line[move]))[1]]
    assert code.word.text().endswith(f"X {show(2 * x)}  Z {show(z)}")


def test_faults_of_typed_programs_are_listed_and_shown(open_window) -> None:  # type: ignore[no-untyped-def]
    person: Person = open_window(load(BAD / "lathe.bastler"), BAD / "lathe.bastler")
    person.checked()
    person.control(Qt.Key.Key_4)
    code, check, session = (person.station("Code"), person.station("Check"), person.window.session)
    for name in FAULTS:
        text = (BAD / f"{name}.nc").read_text()
        kind = text.splitlines()[2][1:].split(":")[0]
        code.editor.setText(text)
        person.until(lambda: session.checked is not None and session.checked.program.text == text)  # noqa: B023
        person.checked()
        at = next(i for i, f in enumerate(session.checked.findings) if f.kind == kind)
        person.control(Qt.Key.Key_3)
        shown = [check.list.item(i).text() for i in range(check.list.count())]
        assert any(session.checked.findings[at].text[:40] in line for line in shown), (name, shown)
        person.control(Qt.Key.Key_4)
