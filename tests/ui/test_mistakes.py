"""Each mistake that milling people make: made in the window, seen as its finding or refused at its field."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt

from bastler.ui.stations.check import CheckStation
from tests.ui.conftest import Asked, Person


def note(person: Person, key: str) -> str:
    """What is said of a field."""
    text: str = person.steps.form.note_at(key)[0]
    return text


def test_the_face_was_the_part_and_not_the_stock(demo: Person) -> None:
    demo.checked()
    demo.window.session.select("face")
    demo.steps.form.focus_field("area")
    demo.settle()
    demo.key(Qt.Key.Key_Down)
    demo.steps.form.focus_field("centre_x")
    demo.answer("100", "60", "200", "120")
    assert demo.findings() == {"left-standing"}
    demo.control(Qt.Key.Key_3)
    station = demo.station("Check")
    assert isinstance(station, CheckStation)
    assert "204 × 124" in station.list.item(0).text()
    assert demo.window.status.text().startswith("▲ Up to 2 mm")
    station.list.setFocus()
    station.list.setCurrentRow(0)
    demo.enter()
    assert demo.window.session.selected == "face"


def test_an_empty_essential_answer_is_asked_for(demo: Person) -> None:
    demo.window.session.select("left")
    demo.retype("depth", " ")
    demo.key(Qt.Key.Key_Backspace)
    assert demo.steps.missing.text() == "1 answer is still missing"
    assert demo.steps.question.text() == "How deep is the pocket below its top?"
    assert demo.steps.sheet.focus_field == "depth"
    assert "asks for 1 answer" in demo.steps.cards.state_of(demo.window.session.current)[1]
    assert demo.findings() == set()
    assert "left out" in _detail(demo)


def _detail(demo: Person) -> str:
    demo.control(Qt.Key.Key_3)
    text: str = demo.station("Check").detail.text()  # type: ignore[attr-defined]
    return text


def test_a_cut_deeper_than_sensible(demo: Person) -> None:
    demo.window.session.select("left")
    demo.window.session.type_value("left", "clear_by", "loops")
    demo.retype("depth_per_pass", "17")
    assert "17 per pass is much" in note(demo, "depth_per_pass")
    demo.retype("depth", "17")
    assert "depth-of-cut" in demo.findings()
    demo.retype("depth_per_pass", "50")
    assert "at most that per pass" in note(demo, "depth_per_pass")
    assert demo.steps.cards.state_of(demo.window.session.current)[0] == "stop"


def test_nonsense_in_a_field_is_told_at_the_field(demo: Person) -> None:
    demo.window.session.select("left")
    for text, says in (
        ("1/0", "divides by zero"),
        ("1e99", "beyond"),
        ("__import__('os')", "can't be read"),
        ("nan", "can't be read"),
    ):
        demo.retype("length", text)
        assert says in note(demo, "length")
    demo.retype("length", "2*30")
    assert note(demo, "length") == ""
    assert demo.window.session.steps[1].values["length"] == "2*30"


def test_a_tool_too_big_names_the_largest(demo: Person) -> None:
    demo.window.session.select("left")
    demo.retype("corner", "3.5")
    assert demo.window.session.current.answers.suggestions["tool"].text == "3"
    demo.window.session.type_value("left", "tool", "2")
    demo.settle()
    assert "The largest that fits is 7" in note(demo, "tool")


def test_a_block_held_too_high_touches_the_vise(demo: Person) -> None:
    demo.control(Qt.Key.Key_1)
    form = demo.station("Setup").form  # type: ignore[attr-defined]
    form.focus_field("jaws_along")
    demo.key(Qt.Key.Key_Right)
    form.focus_field("grip")
    demo.answer("21.5")
    assert "fixture-contact" in demo.findings()


def test_stop_findings_are_asked_about_before_output(demo: Person, asked: Asked) -> None:
    demo.control(Qt.Key.Key_4)
    demo.checked()
    code = demo.station("Code")
    code.editor.setText(code.editor.text().replace("Z-12.", "Z-13."))  # type: ignore[attr-defined]
    demo.until(lambda: demo.window.session.checked.stops > 0)
    assert not code.banner.isHidden()  # type: ignore[attr-defined]
    demo.window.save_code()
    assert "things that must be changed, the first: T2 (end mill 10) goes down at" in asked[0]
    assert any("deeper than the finished shape" in f.text for f in demo.window.session.checked.findings)
    demo.click(code.back)  # type: ignore[attr-defined]
    demo.until(lambda: demo.window.session.checked.stops == 0)
    assert code.banner.isHidden()  # type: ignore[attr-defined]


def test_output_of_an_incomplete_job_says_what_is_missing(demo: Person, asked: Asked) -> None:
    demo.window.session.type_value("right", "width", "")
    demo.control(Qt.Key.Key_E)
    assert "Step 3 (Pocket right): Width is not answered yet" in asked[0]


def test_tools_are_refused_in_words_at_the_field(demo: Person) -> None:
    demo.control(Qt.Key.Key_1)
    setup = demo.station("Setup")
    setup.show_page("Tools")  # type: ignore[attr-defined]
    page = setup.page("Tools")  # type: ignore[attr-defined]
    page.add("end-mill")
    demo.settle()
    assert demo.window.session.job.tools[-1].number == 14
    demo.answer("8")
    page.form.focus_field("flute_length")
    demo.answer("20")
    assert demo.window.session.plan.tools[14].diameter == 8
    page.form.focus_field("flutes")
    demo.keys("0")
    assert "at least 1" in page.form.note_at("flutes")[0]
    page.form.focus_field("flutes")
    demo.keys("3")
    page.number.setFocus()
    page.number.selectAll()
    demo.keys("2")
    assert "used twice" in page.trouble.text()
    page.number.selectAll()
    demo.keys("20")
    assert page.trouble.isHidden()
    page.copy()
    page.sort(0)
    assert [t.number for t in demo.window.session.job.tools] == [*range(1, 15), 20]
    demo.click(page.table.viewport(), QPoint(40, 20))


def test_a_damaged_file_leaves_the_job_in_view(demo: Person, tmp_path, asked: Asked) -> None:  # type: ignore[no-untyped-def]
    bad = tmp_path / "bad.bastler"
    bad.write_text('{"schema": 1,')
    assert not demo.window.open_path(bad)
    assert "damaged at line 1" in asked[0]
    assert demo.window.session.job.name == "Pressure plate"
