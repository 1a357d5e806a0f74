"""How jobs begin, what is said while the setup asks, steps carried between windows, colours that stay, where undo goes."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QInputDialog

from bastler.core.demo import DEMO, SAMPLE_JOBS, SPINDLE, demo_job, new_job
from bastler.core.jobfiles import starts
from bastler.core.jobfiles.store import save
from bastler.ui.about import words
from bastler.ui.clipboard import copy_steps, paste_steps
from bastler.ui.theme.tokens import HUES
from tests.ui.conftest import Asked, Person

CONTROL_SHIFT = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier


def test_the_setup_that_still_asks_is_told_on_every_station(empty: Person) -> None:
    window = empty.window
    assert window.status.text() == "", "in Setup itself the fields ask"
    for station in ("Steps", "Check", "Code"):
        window.show_station(station)
        empty.settle()
        assert window.status.text() == "The setup still asks for Length X, Width Y and Height Z."
        assert window.answer_setup.isVisible()
    empty.control(Qt.Key.Key_1)
    assert empty.focus().accessibleName() == "Length X"
    empty.answer("100", "60", "20")
    window.show_station("Steps")
    assert window.status.text() == ""
    assert not window.answer_setup.isVisible()


def test_a_new_job_is_not_warned_that_it_moves_nothing(empty: Person) -> None:
    empty.answer("100", "60", "20")
    empty.checked_or_refused()
    assert empty.window.status.text() == ""


def test_enter_goes_on_through_the_setup_and_then_to_the_steps(empty: Person) -> None:
    empty.answer("100", "60", "20")
    names = []
    for _ in range(60):
        if empty.window.station != "Setup":
            break
        names.append(empty.focus().accessibleName())
        empty.enter()
    assert empty.window.station == "Steps"
    assert names[0] == "Over each X side"
    assert len(set(names)) == len(names), "each field once"
    assert empty.window.session.setup.values == {"size_x": "100", "size_y": "60", "size_z": "20"}


def test_a_wrong_value_stays_selected(empty: Person) -> None:
    empty.keys("-5")
    empty.enter()
    assert empty.focus().accessibleName() == "Length X"
    assert empty.focus().selectedText() == "-5"  # type: ignore[attr-defined]
    assert "must be above 0" in empty.station("Setup").form.note.text()


def test_messages_move_nothing(demo: Person) -> None:
    demo.checked()
    window = demo.window
    window.show_station("Steps")
    demo.settle()
    watched = (demo.steps.sheet, window.ribbon, demo.steps.add_button, demo.steps.form.area)
    before = [w.geometry() for w in watched]
    window.say("A sentence that is long enough to need two lines of the place that is kept for it. " * 3)
    demo.settle()
    assert [w.geometry() for w in watched] == before
    demo.retype("depth", "999")
    demo.settle()
    assert [w.geometry() for w in watched] == before


def test_samples_open_from_the_menus_entries(empty: Person, asked: Asked) -> None:
    asked.then = []
    names = [e.name for e in empty.window.entries() if e.kind == "sample"]
    assert names == [s.name for s in SAMPLE_JOBS]
    assert all(e.picture.exists() for e in empty.window.entries())
    next(e for e in empty.window.entries() if e.name == "Spindle").run()
    assert empty.window.session.job.name == "Spindle"
    assert empty.window.session.path is None


def test_a_starting_point_begins_the_next_jobs(demo: Person, monkeypatch) -> None:  # type: ignore[no-untyped-def]
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("Plates: 20 mm / S235", True))
    demo.window.keep_start()
    assert starts.names() == ["Plates 20 mm S235"]
    demo.window.new_from("Plates 20 mm S235")
    session = demo.window.session
    assert (session.job.name, session.path) == ("New job", None)
    assert session.setup.values == demo_job(DEMO).setups[0].values
    demo.window.new_empty()
    assert not demo.window.session.steps
    demo.window.new_from("Plates 20 mm S235")
    demo.window.new()
    assert len(demo.window.session.steps) == 7, "the last used one"
    starts.forget("Plates 20 mm S235")
    demo.window.new()
    assert not demo.window.session.steps


def test_a_saved_job_has_a_picture_among_the_recent_ones(demo: Person, tmp_path: Path) -> None:
    demo.window.show_station("Steps")
    demo.settle()
    assert demo.window.save_to(tmp_path / "plate.bastler")
    recent = next(e for e in demo.window.entries() if e.kind == "recent")
    assert recent.name == "plate"
    assert not recent.icon.isNull()
    assert recent.picture.exists()


def test_steps_go_from_window_to_window(open_window: Callable[..., Person], asked: Asked) -> None:
    """With the contour that they follow; a number that is another tool is asked about."""
    source, target = open_window(demo_job(SPINDLE), None), open_window(new_job(), None)
    copy_steps(source.window.session, ("rough", "finish"))
    paste_steps(target.window, target.window.session)
    assert "for a lathe" in target.window.status.text()
    lathe = open_window(demo_job(SPINDLE).with_setup(demo_job(SPINDLE).setups[0].changed(steps=()), 0), None)
    session = lathe.window.session
    tools = tuple(t.changed(values={**t.values, "nose": "1.2"}) if t.number == 2 else t for t in session.job.tools)
    session.edit(session.job.changed(contours=(), tools=tools))
    asked.then = ["Add theirs"]
    paste_steps(lathe.window, session)
    assert "T2 is" in asked[-1]
    assert [s.cycle for s in session.steps] == ["turn", "turn"]
    assert len(session.job.contours) == 1
    new = int(session.steps[1].values["tool"])
    assert new != 2
    assert all(s.ready for s in session.plan.steps)
    session.undo()
    assert not session.steps


def test_several_cards_are_copied_cut_and_deleted(demo: Person) -> None:
    demo.control(Qt.Key.Key_2)
    session, cards = demo.window.session, demo.steps.cards
    cards.setFocus()
    demo.key(Qt.Key.Key_Down)
    demo.key(Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert len(cards.picked_ids()) == 2
    demo.control(Qt.Key.Key_C)
    demo.control(Qt.Key.Key_V)
    assert len(session.steps) == 9
    demo.window.undo()
    assert len(session.steps) == 7
    cards.setCurrentRow(1)
    demo.key(Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    demo.control(Qt.Key.Key_X)
    assert len(session.steps) == 5
    assert demo.focus() is cards


def test_text_fields_keep_copy_and_paste(demo: Person) -> None:
    demo.control(Qt.Key.Key_2)
    demo.window.session.select("left")
    demo.steps.form.focus_field("length")
    demo.settle()
    demo.control(Qt.Key.Key_C)
    demo.steps.form.focus_field("width")
    demo.settle()
    demo.control(Qt.Key.Key_V)
    assert demo.window.session.current.step.values["width"] == "60"
    assert len(demo.window.session.steps) == 7


def test_a_step_keeps_its_colour(demo: Person) -> None:
    session = demo.window.session
    before = {s.id: session.colours.slot(s.id) for s in session.steps}
    session.select("face")
    session.add_step("pocket")
    new = session.selected
    assert {i: session.colours.slot(i) for i in before} == before
    assert session.colours.slot(new) == len(HUES) - 1, "the one hue that nobody had"
    session.delete_steps((session.selected,))
    session.undo()
    assert session.colours.slot(new) == len(HUES) - 1


def test_undo_goes_to_the_step_concerned(demo: Person) -> None:
    session = demo.window.session
    session.select("right")
    session.delete_steps((session.selected,))
    session.select("face")
    session.undo()
    assert session.selected == "right"
    session.select("left")
    session.type_value("left", "depth", "9")
    session.select("face")
    session.undo()
    assert session.selected == "left"


def test_an_empty_job_takes_the_machines_units_and_one_with_numbers_asks(empty: Person, asked: Asked) -> None:
    setup, session = empty.station("Setup"), empty.window.session
    setup.machine.setCurrentIndex(setup.machine.findData("knee-mill-inch"))
    setup._pick_machine()
    assert (session.job.units, asked) == ("inch", [])
    assert empty.focus() is setup.machine
    session.undo()
    assert (session.job.units, session.setup.machine) == ("mm", "small-mill-mm")
    assert setup.machine.currentData() == "small-mill-mm"
    session.type_setup("size_x", "100")
    for word, units, size in (("Keep", "mm", "100"), ("Convert", "inch", "3.93701")):
        asked.then = [word]
        setup.machine.setCurrentIndex(setup.machine.findData("knee-mill-inch"))
        setup._pick_machine()
        assert (session.job.units, session.setup.values["size_x"]) == (units, size)
        session.undo()
    setup.machine.setCurrentIndex(setup.machine.findData("knee-mill-inch"))
    setup._pick_machine()
    assert session.setup.machine == "small-mill-mm", "left as it was"


def test_a_program_opens_as_an_own_text(open_window: Callable[..., Person], tmp_path: Path) -> None:
    person = open_window(new_job(), None)
    person.window.show_program("G21 G90 G54\nT1 M6\nS1000 M3\nG0 X0 Y0 Z50\nM30\n")
    person.checked()
    assert person.window.station == "Code"
    assert "G0 X0 Y0 Z50" in person.station("Code").editor.text()
    assert person.window.session.job.name == "New job"
    save(person.window.session.job, tmp_path / "x.bastler")


def test_about_names_licences() -> None:
    assert "GPL" in words()
    assert "Open Font License" in words()
