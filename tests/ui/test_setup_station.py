"""The Setup station: every way of holding drawn, every stock, and a second setup down to its papers."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog

from bastler.core.job.holding import HOLDINGS
from tests.ui.conftest import Person


def test_every_way_of_holding_is_drawn_differently(demo: Person) -> None:
    demo.window.show_station("Setup")
    sheet, session = demo.station("Setup").sheet, demo.window.session
    session.type_setup("screws_at", "20, 20; 180, 100")
    seen = []
    for way in HOLDINGS:
        session.type_setup("held_in", way)
        demo.settle()
        assert session.plan.setup_answers.complete, way
        seen.append(sheet.grab().toImage())
    assert all(a != b for i, a in enumerate(seen) for b in seen[:i])
    for _ in HOLDINGS:
        session.undo()
    assert session.setup.values.get("held_in", "vise") == "vise"


def test_fields_of_a_holding_are_asked_only_for_it(demo: Person) -> None:
    demo.window.show_station("Setup")
    form, session = demo.station("Setup").form, demo.window.session
    own = {key for way in HOLDINGS.values() for key in way.fields}
    for name, way in HOLDINGS.items():
        session.type_setup("held_in", name)
        demo.settle()
        shown = {k for k in form.rows if k not in session.plan.setup_answers.hidden}
        assert shown & own == set(way.fields)
        for key in way.fields:
            form.focus_field(key)
            assert demo.station("Setup").question.text() == form.rows[key].field.question


@pytest.mark.parametrize("kind", ["round", "tube"])
def test_a_bar_in_the_chuck_is_drawn(demo: Person, kind: str) -> None:
    demo.window.show_station("Setup")
    session = demo.window.session
    for key, text in {"stock_kind": kind, "diameter": "80", "bore": "30", "held_in": "chuck"}.items():
        session.type_setup(key, text)
    demo.settle()
    demo.station("Setup").sheet.repaint()
    assert session.plan.frame.round
    demo.window.show_station("Steps")
    demo.steps.sheet.repaint()


def test_a_second_setup_has_files_of_its_own(demo: Person, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    window, session = demo.window, demo.window.session
    window.actions_by_id["setup.add"].trigger()
    session.type_setup("turned_over", "y")
    session.add_step("drill")
    for key, text in {"points": "100, 20", "diameter": "8.5", "depth": "5"}.items():
        session.type_value(session.selected, key, text)
    demo.checked()
    offered: list[str] = []

    def name(_: object, title: str, start: str, *__: object) -> tuple[str, str]:
        offered.append(Path(start).name)
        return str(tmp_path / Path(start).name), ""

    monkeypatch.setattr(QFileDialog, "getSaveFileName", name)
    window.save_code()
    window.save_paper()
    demo.until(lambda: "Setup sheet saved" in window.status.text())
    assert offered == ["pressure-plate-2.nc", "pressure-plate-2-setup.pdf"]
    text = (tmp_path / "pressure-plate-2.nc").read_text()
    assert "Drill" in text
    assert "Face" not in text
    window.show_station("Code")
    demo.settle()
    assert window.stations["Code"].editor.text() == text


def test_undo_crosses_setups(demo: Person) -> None:
    window, session = demo.window, demo.window.session
    session.type_value("left", "depth", "11")
    window.actions_by_id["setup.add"].trigger()
    session.add_step("face")
    assert (session.at, len(session.steps)) == (1, 1)
    window.show_station("Steps")
    for _ in range(3):
        demo.control(Qt.Key.Key_Z)
    assert (session.at, len(session.job.setups)) == (0, 1)
    assert session.steps[1].values["depth"] == "12"
    demo.checked()
    for _ in range(3):
        window.actions_by_id["edit.redo"].trigger()
    assert len(session.job.setups) == 2
    assert session.job.setups[1].steps[0].cycle == "face"


def test_the_second_setup_keeps_how_the_first_is_held(demo: Person) -> None:
    session = demo.window.session
    session.type_setup("jaw_height", "38")
    session.type_setup("held_in", "soft-jaws")
    session.add_setup()
    carried = {key: session.setup.values.get(key) for key in ("jaw_height", "held_in", "stock_kind")}
    assert carried == {"jaw_height": "38", "held_in": "soft-jaws", "stock_kind": "before"}
    assert "size_x" not in session.setup.values
    assert session.plan.setup_answers.complete
    assert session.plan.frame.obstacles[0].box.size[2] == pytest.approx(38)
