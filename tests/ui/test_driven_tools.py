"""Steps of driven tools in the window: offered, drawn on their surface, checked, read."""

from __future__ import annotations

import math

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QMenu

from bastler.core.demo import demo_job
from bastler.core.gcode.motion import FEED
from bastler.ui.benches import window_bench
from bastler.ui.drawing.lathe.surfaceview import bounds_of
from tests.hub import hub
from tests.ui.conftest import Person


@pytest.fixture
def person(open_window) -> Person:  # type: ignore[no-untyped-def]
    found: Person = open_window(hub())
    return found


def test_holes_are_drawn_on_the_face_that_they_are_drilled_into(person: Person) -> None:
    session, sheet = person.window.session, person.steps.sheet
    session.select("bolts")
    sheet.grab()
    step, face = session.current, sheet._top
    assert step is not None
    x0, x1, y0, y1 = bounds_of(step)
    assert face.rect(x0, x1, y0, y1).width() > 100
    assert {t.field for t in sheet.tags} >= {"circle_diameter", "diameter", "depth"}
    assert sheet.reading(face.at((21.0, 0.0))) == "X 21   Y 0"
    assert sheet.reading(sheet._front.at((-20.0, 29.0))) == "X 58   Z -20"
    session.select("handles")
    sheet.grab()
    assert {t.field for t in sheet.tags} >= {"diameter", "depth"}


def test_a_dimension_on_the_face_gives_its_field_the_cursor(person: Person) -> None:
    person.window.session.select("bolts")
    person.settle()
    sheet = person.steps.sheet
    sheet.grab()
    tag = next(t for t in sheet.tags if t.field == "circle_diameter")
    person.click(sheet, tag.rect.center().toPoint())
    person.control(Qt.Key.Key_A)
    person.answer("40")
    step = person.window.session.current
    assert step is not None
    assert step.answers.values.circle_diameter == 40


def test_a_hole_in_the_side_is_made_by_keyboard(person: Person) -> None:
    """From the list of cycles to a checked text, each answer where the cursor is."""
    before = len(person.window.session.job.setups[0].steps)
    person.window.session.select("handles")
    person.control(Qt.Key.Key_T)
    person.keys("drill")
    person.enter()
    steps = person.window.session.job.setups[0].steps
    assert len(steps) == before + 1
    step = person.window.session.current
    assert step is not None
    assert [f.key for f in step.cycle.fields[:4]] == ["works_on", "at_angle", "from_axis", "times_round"]
    person.steps.form.focus_field("works_on")
    person.keys("r")
    person.settle()
    assert person.window.session.current.step.values["works_on"] == "round"  # type: ignore[union-attr]
    person.retype("from_axis", "29")
    person.retype("at_angle", "60")
    person.retype("points", "-30, 0")
    person.retype("diameter", "8")
    person.retype("depth", "10")
    person.settle()
    step = person.window.session.current
    assert step is not None
    assert step.answers.complete, (step.answers.missing, step.answers.problems)
    assert step.tool is not None
    assert step.tool.driven == "across"
    assert person.findings() == set()


def test_the_check_shows_c_and_the_milled_part(person: Person) -> None:
    person.checked()
    person.window.show_station("Check")
    person.settle()
    session, check = person.window.session, person.station("Check")
    checked = session.checked
    assert checked is not None
    assert checked.section.surface is not None
    m = checked.motion
    move = int(((m.driver > 0) & (m.kind == FEED)).nonzero()[0][-1])
    session.set_time(float(checked.clock[move]))
    QApplication.processEvents()
    assert not check.readings["C"].isHidden()
    assert check.readings["Spindle"].text().startswith("driven ")
    # In the solid the part has swung by C, and the tool stands over it as at the machine.
    pose = window_bench(session.plan).pose(m, move, 1.0)
    x, y, z = m.end[move]
    assert pose is not None
    assert (pose.along, math.radians(pose.swung)) == ("Z", pytest.approx(float(m.c1[move])))
    assert pose.at == pytest.approx((z, 0.0, math.hypot(x, y)), abs=0.01)
    assert window_bench(session.plan).pose(m, 0, 1.0) is None
    session.set_time(0.0)
    QApplication.processEvents()
    assert check.readings["C"].isHidden()


def type_flats(person: Person) -> None:
    """From the list of cycles to the last answer."""
    person.window.session.select("handles")
    person.control(Qt.Key.Key_T)
    person.keys("flats")
    person.enter()
    for text in ("26", "6", "12"):
        person.answer(text)


def test_flats_and_a_text_by_keyboard(open_window) -> None:  # type: ignore[no-untyped-def]
    """Each answer is typed to whatever has the cursor; Enter leads from question to question."""
    person: Person = open_window(hub(machine="turning-centre-y-mm"))
    type_flats(person)
    flats = person.window.session.current
    assert flats is not None
    assert (flats.cycle.id, flats.answers.complete, len(flats.surfaces)) == ("flats", True, 6)
    person.keys("engrave")
    person.enter()
    for text in ("-12", "hub 58", "4"):
        person.answer(text)
    text = person.window.session.current
    assert text is not None
    assert (text.cycle.id, text.title, text.answers.complete) == ("engrave", "“hub 58”", True)
    assert text.answers.values.moved_by == "y"
    assert person.findings() == set()


def test_what_only_a_y_axis_reaches_is_said_at_the_field(person: Person) -> None:
    """The same flats on a machine without one."""
    type_flats(person)
    step = person.window.session.current
    assert step is not None
    assert [p.field for p in step.answers.problems if p.blocks] == ["tool"]


def test_an_end_mill_is_added_where_tools_are_driven_and_begins_so(person: Person) -> None:
    session = person.window.session
    person.window.actions_by_id["setup.tools"].trigger()
    person.settle()
    page = person.station("Setup").page("Tools")
    page.add_button.click()
    menus = [m for m in page.findChildren(QMenu) if m.isVisible()]
    assert {"End mill", "Drill"} <= {action.text() for action in menus[0].actions()}
    menus[0].close()
    page.add("end-mill")
    person.settle()
    assert session.job.tools[-1].values == {"driven": "along"}
    assert "driven" in page.form.rows
    page.add("drill")
    assert session.job.tools[-1].values == {}


def test_a_mill_does_not_ask_whether_a_tool_is_driven(demo: Person) -> None:
    demo.window.actions_by_id["setup.tools"].trigger()
    demo.settle()
    page = demo.station("Setup").page("Tools")
    assert "diameter" in page.form.rows
    assert "driven" not in page.form.rows


def test_a_keyway_is_moved_to_the_end_face(open_window) -> None:  # type: ignore[no-untyped-def]
    """Another surface, another tool, another middle; width, length and depth stay."""
    person: Person = open_window(demo_job("handle-hub.bastler"))
    session = person.window.session
    session.select("key")
    person.steps.form.focus_field("works_on")
    person.keys("e")
    person.settle()
    assert session.current is not None
    assert [p.field for p in session.current.answers.problems if p.blocks] == ["tool"]
    person.retype("centre_x", "21")
    person.retype("length", "5")
    person.retype("width", "6")
    person.retype("depth", "2")
    person.steps.form.focus_field("tool")
    person.keys("T9")
    person.settle()
    step = session.current
    assert step.answers.complete, (step.answers.missing, step.answers.problems)
    assert step.tool is not None
    assert step.tool.driven == "along"
    assert [s.on for s in step.surfaces] == ["end"]


def test_the_zero_of_c_is_changed(open_window) -> None:  # type: ignore[no-untyped-def]
    """Typed in the setup: the text counts C from the part, the check agrees, and the drawing has the angle to click; without an axis C nobody asks."""
    person: Person = open_window(demo_job("handle-hub.bastler"))
    session, setup = person.window.session, person.station("Setup")
    person.checked()
    assert "G50 C0." not in session.checked.program.text
    person.window.show_station("Setup")
    setup.form.focus_field("c_zero")
    person.answer("45")
    person.checked()
    lines = session.checked.program.text.splitlines()
    told = [i for i, line in enumerate(lines) if line.endswith("G50 C0.")]
    assert told
    assert all(lines[i - 1].endswith("C45.") for i in told)
    assert person.findings() == set()
    setup.sheet.grab()
    tag = next(t for t in setup.sheet.tags if t.field == "c_zero")
    setup.form.focus_field("grip")
    person.click(setup.sheet, tag.rect.center().toPoint())
    person.settle()
    assert person.focus() is setup.form.rows["c_zero"].editor.widget
    index = setup.machine.findData("small-lathe-mm")
    setup.machine.setCurrentIndex(index)
    setup.machine.activated.emit(index)
    person.settle()
    assert "c_zero" not in setup.form.rows


def test_a_middle_is_typed_as_radius_and_angle(person: Person) -> None:
    """At X, with Enter: X and Y are filled, and the cursor is at the next question."""
    session = person.window.session
    session.select("bolts")
    person.control(Qt.Key.Key_T)
    person.keys("pocket")
    person.enter()
    person.steps.form.focus_field("centre_x")
    person.answer("21 at 60")
    person.settle()
    step = session.current
    assert step is not None
    assert (step.answers.values.centre_x, step.answers.values.centre_y) == (pytest.approx(10.5), pytest.approx(21 * math.sin(math.pi / 3)))  # fmt: skip
    assert step.step.values["centre_y"] == "21*sin(60)"
    assert person.focus() is person.field("length")


def test_a_step_is_repeated_round_the_axis(open_window) -> None:  # type: ignore[no-untyped-def]
    """By the command that repeats a step: on a lathe along the axis and round it, here the keyway twice more."""
    person: Person = open_window(demo_job("handle-hub.bastler"))
    session = person.window.session
    session.select("key")
    person.window.actions_by_id["step.repeat"].trigger()
    person.settle()
    assert session.current is not None
    assert session.current.cycle.id == "repeat_along"
    person.retype("pitch", "0")
    person.retype("turn", "120")
    person.retype("times", "2")
    assert [p.surfaces[0].angle for p in session.current.parts] == [150.0, 270.0]
