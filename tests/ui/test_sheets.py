"""Sheets that can be looked at more closely, and texts that find their place."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPainterPath, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from bastler.core.demo import SPINDLE, demo_job
from bastler.ui.drawing.texts import Texts
from bastler.ui.theme.style import font
from tests.ui.conftest import Person


def wheel(person: Person, sheet, at: QPointF, notches: int) -> None:  # type: ignore[no-untyped-def]
    event = QWheelEvent(
        at, sheet.mapToGlobal(at), QPoint(), QPoint(0, 120 * notches), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(sheet, event)
    person.settle()
    sheet.grab()


@pytest.fixture
def spindle(open_window) -> Person:  # type: ignore[no-untyped-def]
    person: Person = open_window(demo_job(SPINDLE), None)
    person.window.show_station("Steps")
    person.settle()
    return person


@pytest.mark.parametrize("station", ["Steps", "Setup", "Code"])
def test_the_wheel_keeps_what_is_under_the_pointer(demo: Person, station: str) -> None:
    demo.checked()
    demo.window.show_station(station)
    demo.settle()
    sheet = demo.station(station).sheet
    sheet.grab()
    pane = sheet._panes[0]
    at = pane.area.center() + QPointF(23, 11)
    before = pane.view.back(at)
    wheel(demo, sheet, at, 5)
    assert sheet.closer > 2.5
    assert sheet._panes[0].view.back(at) == pytest.approx(before, abs=1e-6)
    wheel(demo, sheet, at, -40)
    assert sheet.closer == 1.0
    assert sheet._panes[0].view == pane.whole


def test_a_drag_moves_and_a_click_still_clicks(demo: Person) -> None:
    demo.control(Qt.Key.Key_2)
    sheet = demo.steps.sheet
    sheet.grab()
    wheel(demo, sheet, sheet._panes[0].area.center(), 4)
    middle = sheet.rect().center()
    before, selected = sheet._panes[0].view.back(QPointF(middle)), demo.window.session.selected
    QTest.mousePress(sheet, Qt.MouseButton.LeftButton, pos=middle)
    for k in range(1, 6):
        here = QPointF(middle + QPoint(12 * k, 0))
        move = QMouseEvent(
            QEvent.Type.MouseMove, here, sheet.mapToGlobal(here), Qt.MouseButton.NoButton, Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )  # fmt: skip
        QApplication.sendEvent(sheet, move)
    QTest.mouseRelease(sheet, Qt.MouseButton.LeftButton, pos=middle + QPoint(60, 0))
    sheet.grab()
    after = sheet._panes[0].view.back(QPointF(middle + QPoint(60, 0)))
    assert after[0] == pytest.approx(before[0], abs=1.0)
    assert demo.window.session.selected == selected


def test_a_groove_of_2_in_a_long_bar_can_be_seen(spindle: Person) -> None:
    """One key brings the selected step up, one everything back; dimensions are laid out for what is in view."""
    sheet = spindle.steps.sheet
    spindle.window.session.select("grooves")
    spindle.settle()
    sheet.grab()
    whole = sheet._panes[0].view.scale
    spindle.control(Qt.Key.Key_9)
    sheet.grab()
    pane = sheet._panes[0]
    assert pane.view.scale > 4 * whole
    z0, z1, r0, r1 = sheet.selected_box()
    assert pane.area.contains(pane.view.rect(z0, z1, r0, r1))
    for placed in sheet.texts.placed:
        assert sheet.texts.sheet.contains(placed.rect), placed.text
    assert any("3.2" in p.text for p in sheet.texts.placed)
    spindle.control(Qt.Key.Key_0)
    assert sheet.closer == 1.0


def test_keys_look_closer_and_move(demo: Person) -> None:
    demo.control(Qt.Key.Key_2)
    sheet = demo.steps.sheet
    sheet.grab()
    sheet.setFocus()
    demo.key(Qt.Key.Key_Plus)
    demo.key(Qt.Key.Key_Plus)
    assert sheet.closer > 1.5
    sheet.grab()
    before = sheet._panes[0].view.back(QPointF(200, 200))
    demo.key(Qt.Key.Key_Right)
    sheet.grab()
    assert sheet._panes[0].view.back(QPointF(200, 200))[0] > before[0]
    demo.key(Qt.Key.Key_Home)
    assert sheet.closer == 1.0


def test_texts_find_free_places(qtbot) -> None:  # type: ignore[no-untyped-def]
    """Forty wanted at one point, with an edge through it: none on another, none on the edge, none off the sheet."""
    image = QImage(600, 400, QImage.Format.Format_ARGB32)
    texts, painter = Texts(QRectF(0, 0, 600, 400)), QPainter(image)
    edge = QPainterPath(QPointF(0, 200))
    edge.lineTo(600, 200)
    texts.edge(edge)
    texts.keep_round(QPointF(300, 180), 20)
    for k in range(40):
        texts.write(painter, f"{k}.5", QPointF(300, 190), "#000000", font())
    painter.end()
    rects = [p.rect for p in texts.placed]
    assert not [1 for i, a in enumerate(rects) for b in rects[i + 1 :] if a.intersects(b)]
    assert all(texts.sheet.contains(r) for r in rects)
    assert not any(texts.on_edge(r) for r in rects)
    assert not any(r.intersects(QRectF(280, 160, 40, 40)) for r in rects)
