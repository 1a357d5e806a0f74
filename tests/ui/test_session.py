"""The session without a window: history, selection, merging, recovery; and drawings without a screen."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PyQt6.QtGui import QColor
from pytestqt.qtbot import QtBot

from bastler.core.cycles import cycles
from bastler.core.demo import demo_job, new_job
from bastler.ui import recovery
from bastler.ui.application import application
from bastler.ui.edits import with_value
from bastler.ui.session import Session
from bastler.ui.sheets.sheet import Sheet
from bastler.ui.theme import style
from bastler.ui.theme.tokens import DAY, HUES, NIGHT, hue
from tests.turned import lathe_job

EDITS = ("add", "copy", "delete", "move", "switch", "type", "tool")


def do(session: Session, word: str, n: int) -> None:
    """One edit of a kind."""
    if word == "add":
        session.add_step(cycles().ids("mill")[n % len(cycles().ids("mill"))])
    elif word == "copy":
        session.copy_step()
    elif word == "delete":
        session.delete_steps((session.selected,))
    elif word == "move":
        session.move_step(1 if n % 2 else -1)
    elif word == "switch":
        session.switch_step()
    elif word == "type" and session.selected:
        session.end_merge()
        session.type_value(session.selected, "tool", str(n))
    elif word == "tool":
        session.edit_tools(session.job.tools[n % 3 :] + session.job.tools[: n % 3])


@given(edits=st.lists(st.tuples(st.sampled_from(EDITS), st.integers(0, 9)), max_size=25))
@settings(max_examples=20)
def test_undo_goes_back_to_the_start_and_redo_to_the_end(edits: list[tuple[str, int]]) -> None:
    application()
    session = Session(demo_job())
    start = session.job
    for word, n in edits:
        do(session, word, n)
        assert session.index_of(session.selected) >= 0 or not session.steps
        assert len(session.plan.steps) == len(session.steps)
    end = session.job
    while session.can_undo:
        session.undo()
    assert session.job == start
    while session.can_redo:
        session.redo()
    assert session.job == end
    session.recovery.clear()


def test_typing_into_one_field_is_one_edit(qtbot: QtBot) -> None:
    session = Session(demo_job())
    for text in ("5", "57", "57.5"):
        session.type_value("left", "length", text)
    session.type_value("left", "width", "4")
    session.undo()
    assert session.steps[1].values["length"] == "57.5"
    session.undo()
    assert session.steps[1].values["length"] == "60"
    session.type_value("left", "length", "61")
    assert not session.can_redo


def test_an_edit_that_changes_nothing_is_none(qtbot: QtBot) -> None:
    session = Session(demo_job())
    session.type_value("left", "length", "60")
    assert not session.can_undo
    assert not session.dirty


def test_an_emptied_field_leaves_the_file() -> None:
    assert with_value({"a": "1", "b": "2"}, "a", "  ") == {"b": "2"}
    assert with_value({"a": "1"}, "c", "3") == {"a": "1", "c": "3"}


def test_recovery_follows_every_edit_and_ends_with_saving(qtbot: QtBot, tmp_path) -> None:  # type: ignore[no-untyped-def]
    session = Session(demo_job())
    session.type_value("left", "length", "58")
    text = session.recovery.file.read_text()
    assert "58" in text
    session.save(tmp_path / "mine.bastler")
    assert not session.recovery.file.exists()
    assert recovery.recent() == [tmp_path / "mine.bastler"]
    (tmp_path / "mine.bastler").unlink()
    assert recovery.recent() == []


def test_a_full_disk_does_not_stop_editing(qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    session = Session(demo_job())
    said: list[str] = []
    session.message.connect(said.append)

    def full(*_: object, **__: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("pathlib.Path.write_bytes", full)
    session.type_value("left", "length", "58")
    assert "not kept for recovery: the disk is full" in said[0]
    assert session.steps[1].values["length"] == "58"


@pytest.mark.parametrize("step", ["face", "left", "bolts", "corners"])
@pytest.mark.parametrize("size", [(640, 560), (420, 460), (1400, 900)])
def test_no_two_dimensions_stand_on_each_other(step: str, size: tuple[int, int], qtbot: QtBot) -> None:
    session = Session(demo_job())
    sheet = Sheet(session)
    qtbot.addWidget(sheet)
    sheet.resize(*size)
    session.select(step)
    sheet.grab()
    tags = [t for t in sheet.tags if t.field not in ("pattern", "skip")]
    assert tags
    for a, b in itertools.combinations(tags, 2):
        assert not a.rect.adjusted(6, 8, -6, -8).intersects(b.rect.adjusted(6, 8, -6, -8)), (a.field, b.field)
    if size[0] > 600:
        for tag in tags:
            assert sheet.rect().contains(tag.rect.center().toPoint()), tag.field


@pytest.mark.parametrize("cycle", cycles().ids("mill"))
def test_an_empty_step_is_drawn_with_stand_ins(cycle: str, qtbot: QtBot) -> None:
    session = Session(new_job())
    sheet = Sheet(session)
    qtbot.addWidget(sheet)
    sheet.resize(700, 600)
    session.add_step(cycle)
    image = sheet.grab().toImage()
    assert {image.pixelColor(x, y).name() for x in range(0, 700, 7) for y in range(0, 600, 7)} > {
        QColor(DAY.paper).name()
    }
    missing = {k for k in session.current.answers.missing if cycles()[cycle].field(k).kind.value == "length"}
    marked = {t.field for t in sheet.tags}
    asks_contour = "contour" in session.current.answers.missing
    assert marked or asks_contour or not cycles()[cycle].tool_kinds
    missing = set() if asks_contour else missing
    assert missing <= marked | {"pitch_x", "pitch_y", "centre_x", "centre_y", "first_x", "first_y"}


@pytest.mark.parametrize("cycle", cycles().ids("lathe"))
def test_an_empty_step_of_a_lathe_is_drawn_with_stand_ins(cycle: str, qtbot: QtBot) -> None:
    session = Session(lathe_job())
    sheet = Sheet(session)
    qtbot.addWidget(sheet)
    sheet.resize(700, 600)
    session.add_step(cycle)
    session.type_setup("diameter", "2**9")
    image = sheet.grab().toImage()
    colours = {image.pixelColor(x, y).name() for x in range(0, 700, 7) for y in range(0, 600, 7)}
    assert colours > {QColor(DAY.paper).name()}


def test_both_themes_have_every_colour_and_readable_ink(qtbot: QtBot) -> None:
    def light(colour: str) -> float:
        parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
        r, g, b = (c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in parts)
        return 0.2126 * r + 0.7152 * g + 0.0722 * b

    for theme in (DAY, NIGHT):
        style.apply(application(), theme)
        for paper in (theme.paper, theme.bench, theme.well):
            for ink, ratio in (
                (theme.ink, 7.0),
                (theme.soft_ink, 4.5),
                (theme.accent, 4.5),
                (theme.stop, 4.5),
                (theme.warn, 4.5),
            ):
                a, b = sorted((light(paper), light(ink)))
                assert (b + 0.05) / (a + 0.05) >= ratio, (theme.name, ink, paper)
    style.apply(application(), DAY)
    assert len(set(HUES)) == 8
    assert hue(8) == hue(0)
    assert style.font().family().startswith("Atkinson")
    assert style.font(mono=True).family().startswith("Atkinson")
