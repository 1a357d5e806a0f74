"""The time ribbon: each step a bar as long as its time, findings as marks, the handle a moment of the check."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import QWidget

from bastler.core.findings import Finding
from bastler.ui.drawing import pens
from bastler.ui.session import Session
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import DAY, Theme, hue, mixed, outline, readable_on
from bastler.ui.widgets.cards import clock, paint_pictogram, paint_state

SIDE_PX, BAR_TOP_PX, BAR_PX = 24.0, 26.0, 32.0
HEIGHT_PX, GRAPH_PX, GRAPH_GAP_PX = 86, 46, 8
COLUMN_PX = 2
LEAST_DEGREES, DOT_PX = 2.0, 1.1
PICTOGRAM_PX, FILL = 25.0, 0.62
MOST_POWER = 1.25
"""The graph's upper edge, as a share of the spindle's power."""
NICE_MINUTES = (0.25, 0.5, 1, 2, 5, 10, 20, 30, 60, 120)


class Ribbon(QWidget):
    """Shows the last check along time; dragging sets the session's moment."""

    finding_clicked = pyqtSignal(object)

    def __init__(self, session: Session, theme: Theme = DAY, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.theme = session, theme
        self.progress: float | None = None
        self._spans: list[tuple[int, float, float]] = []
        self._marks: list[tuple[float, Finding]] = []
        self.total = 0.0
        self.with_graph = False
        self._graph: tuple[list[float], list[float], list[float]] = ([], [], [])
        self.setFixedHeight(HEIGHT_PX)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Time ribbon")
        session.checked_changed.connect(self.read)
        session.time_changed.connect(lambda _: self.update())
        session.selection_changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(800, 100)

    def set_theme(self, theme: Theme) -> None:
        """Repaint in a theme."""
        self.theme = theme
        self.update()

    def show_graph(self, on: bool) -> None:
        """Draw power and removed metal under the bars, or not."""
        self.with_graph = on
        self.setFixedHeight(HEIGHT_PX + on * (GRAPH_PX + GRAPH_GAP_PX))
        self._read_graph()

    def _read_graph(self) -> None:
        checked = self.session.checked
        self._graph = ([], [], [])
        if self.with_graph and checked is not None and self.total:
            columns = max(int(self.width() - 2 * SIDE_PX) // COLUMN_PX, 1)
            power, gone = checked.over_time(columns)
            degrees = checked.degrees_over_time(columns).tolist() if checked.degrees is not None else []
            self._graph = (power.tolist(), (gone / max(gone[-1], 1e-9)).tolist(), degrees)
        self.update()

    def resizeEvent(self, _: QResizeEvent | None) -> None:
        """The graph has a value per column."""
        self._read_graph()

    def set_progress(self, share: float) -> None:
        """A check runs: how far it is; 1 ends it."""
        self.progress = share if share < 1.0 else None
        self.update()

    def read(self) -> None:
        """Take the bars from the check."""
        checked = self.session.checked
        self._spans, self._marks, self.total = [], [], 0.0
        self.progress = None
        if checked is not None:
            self._spans = checked.spans()
            self.total = self._spans[-1][2] if self._spans else 0.0
            moments = ((checked.moment(f), f) for f in checked.findings if f.severity != "note")
            self._marks = [(at, f) for at, f in moments if at is not None]
        self._read_graph()

    # geometry

    def _x(self, seconds: float) -> float:
        return SIDE_PX + (self.width() - 2 * SIDE_PX) * (seconds / self.total if self.total else 0.0)

    def _seconds(self, x: float) -> float:
        share = (x - SIDE_PX) / max(self.width() - 2 * SIDE_PX, 1)
        return min(max(share, 0.0), 1.0) * self.total

    def _current(self) -> int | None:
        """The step that stands out: with the graph the one of the moment, else the selected one."""
        if not self.with_graph:
            ids = self.session.checked_ids if self.session.checked is not None else ()
            return ids.index(self.session.selected) if self.session.selected in ids else None
        return next((step for step, begin, end in self._spans if begin <= self.session.time <= end), None)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        p, t = QPainter(self), self.theme
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(font())
        if not self._spans:
            p.setPen(QColor(t.soft_ink))
            text = (
                "The time of every step appears here once one is complete." if self.progress is None else "Checking …"
            )
            p.drawText(QRectF(0, BAR_TOP_PX, self.width(), BAR_PX), Qt.AlignmentFlag.AlignCenter, text)
        current = self._current()
        names = self.session.checked.step_names if self.session.checked else ()
        for step, begin, end in self._spans:
            box = QRectF(self._x(begin) + 0.8, BAR_TOP_PX, max(self._x(end) - self._x(begin) - 1.6, 1.0), BAR_PX)
            colour = hue(self._slot(step)) if step >= 0 else t.stock
            fill = colour if step == current else mixed(colour, t.paper, FILL)
            p.setPen(pens.pen(t.ink, 2) if step == current and step >= 0 else pens.pen(outline(colour, t), 1.0))
            p.setBrush(QColor(fill))
            p.drawRoundedRect(box, 3, 3)
            if 0 <= step < len(names):
                self._name(p, box, step, names[step], fill)
        self._paint_graph(p)
        self._scale(p)
        self._handle(p)
        for seconds, finding in self._marks:
            paint_state(p, QPointF(self._x(seconds), 12), finding.severity, t)
        if self.progress is not None:
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(QColor(t.accent))
            p.drawRect(QRectF(0, 0, self.width() * self.progress, 3))
        if self.hasFocus():
            pens.focus_ring(p, QRectF(self.rect()), t.focus)
        p.end()

    def _slot(self, step: int) -> int:
        ids = self.session.checked_ids
        return self.session.colours.slot(ids[step]) if step < len(ids) else 0

    def _name(self, p: QPainter, box: QRectF, step: int, name: str, fill: str) -> None:
        """A step's whole title where there is room, else its own name, else its pictogram."""
        p.setFont(font(11, bold=True))
        ids = self.session.checked_ids
        here = self.session.index_of(ids[step]) if step < len(ids) else -1
        own = self.session.steps[here].name if here >= 0 else ""
        ink = readable_on(fill)
        for text in (name, own):
            if text and QFontMetricsF(p.font()).horizontalAdvance(text) + 14 < box.width():
                p.setPen(QColor(ink))
                p.drawText(box.adjusted(8, 0, -4, 0), Qt.AlignmentFlag.AlignVCenter, text)
                return
        if box.width() > PICTOGRAM_PX + 4 and here >= 0:
            place = QRectF(0, 0, PICTOGRAM_PX, PICTOGRAM_PX * 0.9)
            place.moveCenter(box.center())
            paint_pictogram(p, place, self.session.plan.steps[here].cycle.pictogram, ink, fill)

    def _paint_graph(self, p: QPainter) -> None:
        """Power as an area, more than the spindle has in the colour of a stop; the metal gone as a line to the whole of it."""
        power, gone, degrees = self._graph
        if not power:
            return
        t, top = self.theme, BAR_TOP_PX + BAR_PX + GRAPH_GAP_PX
        bottom, wide = top + GRAPH_PX, (self.width() - 2 * SIDE_PX) / len(power)
        p.setPen(Qt.PenStyle.NoPen)
        for most, colour in ((1.0, pens.tint(t.accent, 0.55)), (math.inf, QColor(t.stop))):
            area = [QPointF(SIDE_PX, bottom)]
            for i, share in enumerate(power):
                shown = share if share > 1.0 or most <= 1.0 else 0.0
                y = bottom - min(shown, most, MOST_POWER) / MOST_POWER * GRAPH_PX
                area += [QPointF(SIDE_PX + i * wide, y), QPointF(SIDE_PX + (i + 1) * wide, y)]
            p.setBrush(colour)
            p.drawPolygon(QPolygonF([*area, QPointF(self.width() - SIDE_PX, bottom)]))
        full = bottom - GRAPH_PX / MOST_POWER
        p.setPen(pens.dashed(t.soft_ink))
        p.drawLine(QPointF(SIDE_PX, full), QPointF(self.width() - SIDE_PX, full))
        p.setPen(QColor(t.soft_ink))
        p.setFont(font())
        words = QRectF(SIDE_PX, full + 1, self.width() - 2 * SIDE_PX - 4, 18)
        p.drawText(
            words,
            Qt.AlignmentFlag.AlignRight,
            "power (dashes: all of it), metal removed (line)"
            + (", tool in metal (dots: 180° at the dashes)" if degrees else ""),
        )
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(t.ink))
        for i, value in enumerate(degrees):
            if value > LEAST_DEGREES:
                at = bottom - value / 180.0 * GRAPH_PX / MOST_POWER
                p.drawEllipse(QPointF(SIDE_PX + (i + 0.5) * wide, at), DOT_PX, DOT_PX)
        p.setPen(pens.pen(t.ink, 1.6))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPolyline(
            QPolygonF([QPointF(SIDE_PX + (i + 1) * wide, bottom - g * GRAPH_PX) for i, g in enumerate(gone)])
        )
        p.setPen(pens.thin(t.line))
        p.drawLine(QPointF(SIDE_PX, bottom), QPointF(self.width() - SIDE_PX, bottom))

    def _below(self) -> float:
        """Upper edge of what stands under bars and graph."""
        return BAR_TOP_PX + BAR_PX + (GRAPH_PX + GRAPH_GAP_PX if self._graph[0] else 0) + 6

    def _scale(self, p: QPainter) -> None:
        p.setFont(font())
        p.setPen(QColor(self.theme.soft_ink))
        minutes = self.total / 60
        if not minutes:
            return
        step = next((n for n in NICE_MINUTES if minutes / n <= 9), 240)
        i = 0
        while i * step <= minutes:
            x = self._x(i * step * 60)
            text = f"{i * step:g} min" if i else "0"
            width = 80.0
            left = min(max(x - width / 2, 4), self.width() - width - 4)
            if i == 0:
                left = SIDE_PX
            if self.session.time > 0 and abs(self._x(self.session.time) - (x if i else SIDE_PX + 5)) < 58:
                i += 1
                continue
            p.drawText(
                QRectF(left, self._below(), width, 20),
                Qt.AlignmentFlag.AlignLeft if i == 0 else Qt.AlignmentFlag.AlignHCenter,
                text,
            )
            i += 1

    def _handle(self, p: QPainter) -> None:
        if not self.total:
            return
        x, t = self._x(self.session.time), self.theme
        if self.session.held is not None:
            from_ = self._x(self.session.held)
            p.setPen(pens.pen(t.accent, 4))
            p.drawLine(QPointF(from_, BAR_TOP_PX - 2), QPointF(x, BAR_TOP_PX - 2))
            p.setBrush(QColor(t.paper))
            p.setPen(pens.pen(t.accent, 2))
            p.drawEllipse(QPointF(from_, BAR_TOP_PX - 8), 6, 6)
        p.setPen(pens.pen(t.ink, 3 if self.hasFocus() else 2))
        p.drawLine(QPointF(x, BAR_TOP_PX - 6), QPointF(x, self._below() - 1))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(t.accent if self.hasFocus() else t.ink))
        p.drawEllipse(QPointF(x, BAR_TOP_PX - 8), 6, 6)
        if self.session.time > 0:
            p.setFont(font(11, bold=True))
            text = clock(self.session.time)
            width = QFontMetricsF(p.font()).horizontalAdvance(text) + 10
            left = min(max(x - width / 2, 4), self.width() - width - 4)
            p.fillRect(QRectF(left, self._below(), width, 20), QColor(t.paper))
            p.setPen(QColor(t.ink))
            p.drawText(QRectF(left, self._below(), width, 20), Qt.AlignmentFlag.AlignCenter, text)

    # input

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        for seconds, finding in self._marks:
            if abs(event.position().x() - self._x(seconds)) < 10 and event.position().y() < BAR_TOP_PX - 2:
                self.session.set_time(seconds)
                self.finding_clicked.emit(finding)
                return
        self._drag(event)
        for step, begin, end in self._spans:
            if begin <= self.session.time <= end and step >= 0:
                ids = self.session.checked_ids
                if step < len(ids) and self.session.index_of(ids[step]) >= 0:
                    self.session.select(ids[step])
                break

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._drag(event)

    def _drag(self, event: QMouseEvent) -> None:
        if self.total:
            self.session.set_time(self._seconds(event.position().x()))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows move by a hundredth, Home and End to the ends."""
        assert event is not None
        by = {Qt.Key.Key_Left: -0.01, Qt.Key.Key_Right: 0.01, Qt.Key.Key_PageDown: 0.1, Qt.Key.Key_PageUp: -0.1}.get(
            Qt.Key(event.key())
        )
        if by is not None:
            self.session.set_time(min(max(self.session.time + by * self.total, 0.0), self.total))
        elif event.key() == Qt.Key.Key_Home:
            self.session.set_time(0.0)
        elif event.key() == Qt.Key.Key_End:
            self.session.set_time(self.total)
        else:
            super().keyPressEvent(event)
