"""The sheet: the part in progress as an engineering drawing, true to scale.

How the part is drawn its machine's bench knows; what is drawn comes from
the plan (outlines, marks), and how lines look from the pens. Clicking a dimension emits its field.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from bastler.core.fields import Answers, Field
from bastler.core.geometry.path import path_bounds
from bastler.core.marks import HoleSpot, Mark
from bastler.core.plans.plan import StepPlan
from bastler.core.quantities import Kind, drawn, show
from bastler.core.threads.threadsizes import Thread
from bastler.core.tooling.tools import Tool
from bastler.ui.benches import WindowBench, window_bench
from bastler.ui.drawing import pens
from bastler.ui.drawing.dimensions import DimensionText, Tag
from bastler.ui.drawing.projection import Projection
from bastler.ui.drawing.zoom import Box, ZoomSheet
from bastler.ui.session import Session
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import DAY, Theme

if TYPE_CHECKING:
    from bastler.ui.drawing.contourlayer import ContourLayer
    from bastler.ui.drawing.measuring import Measure
    from bastler.ui.drawing.paths import PathLayer

TOUCH_PX = 14.0
LEFT_PX, TOP_PX, RIGHT_PX, BOTTOM_PX = 78.0, 66.0, 96.0, 88.0
"""Room round a contour."""


class Sheet(ZoomSheet):
    """Draws the session's selected step."""

    field_clicked = pyqtSignal(str)
    step_clicked = pyqtSignal(str)
    hole_clicked = pyqtSignal(int)
    measured = pyqtSignal(str)
    contour_clicked = pyqtSignal(str, int, str)

    def __init__(self, session: Session, theme: Theme = DAY, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.theme = session, theme
        self.focus_field = ""
        self.tags: list[Tag] = []
        self.with_section = True
        self.with_dimensions = True
        self.paths: PathLayer | None = None
        self.contour: ContourLayer | None = None
        self.measure: Measure | None = None
        self._top: Projection | None = None
        self._front: Projection | None = None
        self._under: QPointF | None = None
        self._spots: list[HoleSpot] = []
        self.setMinimumSize(QSize(360, 300))
        self.setMouseTracking(True)
        self.setAccessibleName("Drawing of the part")
        for signal in (session.changed, session.selection_changed):
            signal.connect(self.update)

    def set_theme(self, theme: Theme) -> None:
        """Redraw in a theme."""
        self.theme = theme
        self.update()

    def set_focus_field(self, key: str) -> None:
        """Light up a field's dimension."""
        self.focus_field = key
        self.update()

    # what there is to draw

    def subject(self) -> StepPlan | None:
        """The step whose dimensions are drawn."""
        return self.session.current

    def _marks(self, step: StepPlan | None) -> list[Mark]:
        return step.marks() if step is not None else []

    def _words(self, step: StepPlan | None) -> DimensionText:
        return (
            self.words_of(step.cycle.fields, step.answers) if step is not None else DimensionText({}, "", frozenset())
        )

    def words_of(self, fields: tuple[Field, ...], answers: Answers) -> DimensionText:
        """What dimensions say: values, or the name of what is missing or wrong."""
        units = self.session.job.units
        text: dict[str, str] = {}
        for f in fields:
            value = answers.values.get(f.key)
            if f.key in answers.missing:
                text[f.key] = f"{f.label.lower()} ?"
            elif isinstance(value, int | float) and not isinstance(value, bool):
                kind = f.kind if f.kind is Kind.LENGTH else Kind.ANGLE
                text[f.key] = drawn(float(value), units, kind) if kind is Kind.LENGTH else show(float(value), kind)
            elif isinstance(value, Thread):
                text[f.key] = value.name
            elif f.kind is Kind.TOOL and isinstance(value, Tool):
                text[f.key] = f"T{value.number}"
            elif f.kind is Kind.CHOICE and value:
                text[f.key] = dict(f.choices).get(str(value), str(value))
            elif any(p.field == f.key for p in answers.problems):
                text[f.key] = f"{f.label.lower()} !"
        return DimensionText(text, self.focus_field, frozenset(answers.missing))

    # painting

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Draw everything; a few milliseconds."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        self.tags, self._spots = [], []
        self.begin_panes()
        if self.contour is not None:
            self._contour_view(painter, self.contour)
        else:
            self.bench.paint_part(self, painter)
        self.paint_overview(painter, self.theme)
        self.paint_box(painter, self.theme)
        self.paint_focus(painter, self.theme)
        painter.end()

    @property
    def bench(self) -> WindowBench:
        """How this machine's parts are drawn."""
        return window_bench(self.session.plan)

    def selected_box(self) -> Box | None:
        """The selected step, or the selected element of a contour."""
        if self.contour is not None:
            return self.contour.selected_box()
        step, edge = self.subject(), self.bench.edge(self.session.plan)
        if step is None:
            return None
        found = [path_bounds(o) for r in step.removals if not r.wanted for o in r.outlines()]
        areas = [c.area.bounds for c in step.cleared if not c.wanted and not c.area.is_empty]
        found += [(b[0], b[2], b[1], b[3]) for b in areas]
        if not found:
            return edge
        return (min(b[0] for b in found), max(b[1] for b in found), min(b[2] for b in found), max(b[3] for b in found))

    def _contour_view(self, p: QPainter, layer: ContourLayer) -> None:
        """A contour in its part, which sets the scale: block or bar, axis, jaws and zero stay in view."""
        edge = self.bench.round_contour(self.session.plan)
        own = layer.bounds() or edge
        box = (min(own[0], edge[0]), max(own[1], edge[1]), min(own[2], edge[2]), max(own[3], edge[3]))
        area = QRectF(LEFT_PX, TOP_PX, self.width() - LEFT_PX - RIGHT_PX, self.height() - TOP_PX - BOTTOM_PX)
        self._top, self._front = self.looked(Projection.fit(box, area), area), None
        view = self._top
        self.bench.paint_stock(self, p, view)
        self.texts.keep_round(view.at((0.0, 0.0)), 9.0)
        layer.edges(self.texts, view)
        layer.paint(self, p, view)
        pens.zero_mark(p, view.at((0.0, 0.0)), self.theme.ink, self.theme.paper)
        if self.measure is not None:
            self.measure.paint(p, self._top, self.theme)
        self._readout(p)

    def reading(self, at: QPointF) -> str:
        """Where a place on the sheet is, in words."""
        return self.bench.reading(self, at)

    def _readout(self, p: QPainter) -> None:
        text = self.reading(self._under) if self._under is not None else ""
        if text and self.with_dimensions:
            p.setFont(font())
            p.setPen(QColor(self.theme.soft_ink))
            p.drawText(
                self._reading_place().adjusted(0, 4, -12, 0),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                text,
            )

    def _reading_place(self) -> QRect:
        return QRect(0, 0, self.width(), 28)

    def set_measuring(self, on: bool) -> None:
        """Measure between points of the part, until it is left."""
        from bastler.ui.drawing.measuring import Measure

        self.measure = Measure(self.session) if on else None
        if self.measure is not None:
            self.setFocus()
            self.measured.emit(self.measure.sentence())
        else:
            self.measured.emit("")
        self.update()

    def _measured(self) -> None:
        if self.measure is not None:
            self.measured.emit(self.measure.sentence())
            self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows go from point to point while measuring, Enter takes one, Escape ends it."""
        assert event is not None
        if self.measure is None:
            super().keyPressEvent(event)
            return
        from bastler.ui.drawing.measuring import ARROWS

        if event.key() in ARROWS:
            self.measure.step(ARROWS[event.key()])
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.measure.take()
        elif event.key() == Qt.Key.Key_Escape:
            self.set_measuring(False)
        else:
            super().keyPressEvent(event)
            return
        self._measured()

    def leaveEvent(self, _: QEvent | None) -> None:
        """No reading without a cursor."""
        self._under = None
        self.update(self._reading_place())

    # mouse

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """A hand over what can be clicked, and where the cursor is."""
        assert event is not None
        super().mouseMoveEvent(event)
        if self.dragging:
            return
        self._under = event.position()
        self.update(self._reading_place())
        if self.measure is not None and self._top is not None:
            self.measure.hover(self._top, event.position())
            self.setCursor(Qt.CursorShape.CrossCursor)
            self._measured()
            return
        if self.contour is not None and self._top is not None:
            what = self.contour.at(self._top, event.position())[0]
            self.setCursor(Qt.CursorShape.PointingHandCursor if what else Qt.CursorShape.ArrowCursor)
            return
        over = any(t.rect.contains(event.position()) for t in self.tags)
        self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)

    def clicked(self, at: QPointF) -> None:
        """A dimension gives its field the cursor; a shape selects its step."""
        if self.measure is not None and self._top is not None:
            self.measure.hover(self._top, at)
            self.measure.take()
            self._measured()
            return
        if self.contour is not None and self._top is not None:
            what, index, key = self.contour.at(self._top, at)
            if what:
                self.contour_clicked.emit(what, index, key)
            return
        for tag in reversed(self.tags):
            if tag.rect.contains(at):
                self.field_clicked.emit(tag.field)
                return
        if self._top is None:
            return
        if self.focus_field == "skip":
            for spot in self._spots:
                off = self._top.at(spot.at) - at
                if math.hypot(off.x(), off.y()) < max(spot.radius * self._top.scale, TOUCH_PX):
                    self.hole_clicked.emit(spot.number)
                    return
        found = self.bench.step_at(self, at)
        if found is not None:
            self.step_clicked.emit(found)
