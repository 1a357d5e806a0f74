"""The sheet: the part in progress as an engineering drawing, true to scale.

Top view above, section through the selected step below, one scale for both. What is drawn comes from
the plan (outlines, marks); how it is drawn from the pens. Clicking a dimension emits its field.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QLineF, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QWidget

from bastler.core.fields import Answers, Field, Unanswered
from bastler.core.geometry.section import Profile, between, profile
from bastler.core.geometry.shapes import Bore, height_at
from bastler.core.marks import Angle, CentreCross, Distance, HoleSpot, Mark, PitchCircle, Radius, SectionAt, Sign
from bastler.core.planning.planner import StepPlan
from bastler.core.quantities import Kind, show
from bastler.core.tooling.threads import Thread
from bastler.core.tooling.tools import Tool
from bastler.ui.drawing import pens
from bastler.ui.drawing.dimensions import DimensionPainter, Tag, Words
from bastler.ui.drawing.projection import Projection
from bastler.ui.session import Session
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import DAY, Theme, hue

if TYPE_CHECKING:
    from bastler.ui.drawing.contourlayer import ContourLayer
    from bastler.ui.drawing.measure import Measure
    from bastler.ui.drawing.paths import PathLayer

TOP_PX, BOTTOM_PX, LEFT_PX, RIGHT_PX = 66.0, 88.0, 78.0, 96.0
SECTION_GAP_PX = 30.0
PART_FIELD = ""
MOST_NUMBERS = 60
TOUCH_PX = 14.0


class Sheet(QWidget):
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
        if step is None:
            return []
        try:
            return step.cycle.marks(step.cycle.drawable(step.answers), step.work)
        except (Unanswered, ArithmeticError, ValueError, IndexError):
            return []

    def _words(self, step: StepPlan | None) -> Words:
        return self.words_of(step.cycle.fields, step.answers) if step is not None else Words({}, "", frozenset())

    def words_of(self, fields: tuple[Field, ...], answers: Answers) -> Words:
        """What dimensions say: values, or the name of what is missing or wrong."""
        units = self.session.job.units
        text: dict[str, str] = {}
        for f in fields:
            value = answers.values.get(f.key)
            if f.key in answers.missing:
                text[f.key] = f"{f.label.lower()} ?"
            elif isinstance(value, int | float) and not isinstance(value, bool):
                text[f.key] = show(float(value), f.kind if f.kind is Kind.LENGTH else Kind.ANGLE, units)
            elif isinstance(value, Thread):
                text[f.key] = value.name
            elif f.kind is Kind.TOOL and isinstance(value, Tool):
                text[f.key] = f"T{value.number}"
            elif f.kind is Kind.CHOICE and value:
                text[f.key] = str(value)
            elif any(p.field == f.key for p in answers.problems):
                text[f.key] = f"{f.label.lower()} !"
        return Words(text, self.focus_field, frozenset(answers.missing))

    # painting

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Draw everything; a few milliseconds."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        self.tags, self._spots = [], []
        if self.contour is not None:
            self._contour_view(painter, self.contour)
            painter.end()
            return
        plan, step = self.session.plan, self.subject()
        if plan.frame.chucking is not None:
            from bastler.ui.drawing.turnsheet import paint_turned

            paint_turned(self, painter)
            painter.end()
            return
        block = plan.frame.block
        length, width, height = block.size
        margin_x = LEFT_PX + RIGHT_PX if self.with_dimensions else 40.0
        margin_y = TOP_PX + BOTTOM_PX if self.with_dimensions else 40.0
        gap = SECTION_GAP_PX + 30 if self.with_section else 0.0
        section_share = height if self.with_section else 0.0
        scale = max(
            min((self.width() - margin_x) / length, (self.height() - margin_y - gap) / (width + section_share)), 0.05
        )
        left = LEFT_PX if self.with_dimensions else 20.0
        area_width = self.width() - margin_x
        used = width * scale + gap + section_share * scale
        top_y = (TOP_PX if self.with_dimensions else 20.0) + max(self.height() - margin_y - used, 0) * 0.4
        top_area = QRectF(left, top_y, area_width, width * scale)
        self._top = top = Projection.fit(block.bounds, top_area, scale)
        marks = self._marks(step)
        words = self._words(step)
        self._top_view(painter, top, step, marks)
        frame = top.rect(*block.bounds)
        if self.paths is not None:
            self.paths.paint(painter, top, self.theme, self.session)
        if self.with_dimensions:
            self._top_dimensions(painter, top, frame, marks, words)
        if self.with_section:
            area = QRectF(
                left,
                self.height() - (34.0 if self.with_dimensions else 20.0) - height * scale,
                area_width,
                height * scale,
            )
            self._front = Projection.fit((block.x0, block.x1, block.z0, block.z1), area, scale)
            self._section(painter, self._front, step, marks, words)
        else:
            self._front = None
        if self.measure is not None:
            self.measure.paint(painter, top, self.theme)
        self._readout(painter)
        pens.zero_mark(painter, top.at((0.0, 0.0)), self.theme.ink, self.theme.paper)
        painter.end()

    def _contour_view(self, p: QPainter, layer: ContourLayer) -> None:
        """A contour alone, as large as it fits, the part's edge behind it."""
        frame = self.session.plan.frame
        edge = frame.part.bounds
        if frame.chucking is not None:
            z0, z1, _, r = frame.chucking.blank
            edge = (z0, z1, 0.0, r)
        box = layer.bounds() or edge
        room = max(box[1] - box[0], box[3] - box[2], 1.0) * 0.08
        box = (box[0] - room, box[1] + room, box[2] - room, box[3] + room)
        area = QRectF(LEFT_PX, TOP_PX, self.width() - LEFT_PX - RIGHT_PX, self.height() - TOP_PX - BOTTOM_PX)
        self._top, self._front = Projection.fit(box, area), None
        p.setPen(pens.thin(self.theme.soft_ink))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(self._top.rect(*edge))
        layer.paint(p, self._top, self.theme)
        pens.zero_mark(p, self._top.at((0.0, 0.0)), self.theme.ink, self.theme.paper)
        if self.measure is not None:
            self.measure.paint(p, self._top, self.theme)
        self._readout(p)

    def _top_view(self, p: QPainter, view: Projection, step: StepPlan | None, marks: list[Mark]) -> None:
        t, plan = self.theme, self.session.plan
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(pens.dashed(t.soft_ink))
        frame = plan.frame
        if frame.round:
            p.setPen(pens.edge(t.ink))
            p.drawPath(view.path(frame.pieces[0].outline.outlines()[0]))
            if frame.pieces[0].hole is not None:
                p.drawPath(view.path(frame.pieces[0].hole.outlines()[0]))
        else:
            p.drawRect(view.rect(*frame.block.bounds))
            p.setPen(pens.edge(t.ink))
            p.drawRect(view.rect(*frame.part.bounds))
        p.save()
        p.setClipRect(view.rect(*plan.frame.block.bounds).adjusted(-2, -2, 2, 2))
        p.setPen(pens.thin(t.ink))
        p.setBrush(Qt.BrushStyle.NoBrush)
        for gone in plan.start.done:
            for outline in gone.outlines():
                p.drawPath(view.path(outline))
        self._centres: set[tuple[float, float]] = set()
        for one in plan.steps:
            if one.step.on:
                self._outlines(p, view, one, one is step)
        p.restore()
        for mark in marks:
            if isinstance(mark, CentreCross):
                self._cross(p, view, mark)
            elif isinstance(mark, PitchCircle):
                p.setPen(pens.chain(t.soft_ink))
                p.setBrush(Qt.BrushStyle.NoBrush)
                r = mark.radius * view.scale
                p.drawEllipse(view.at(mark.centre), r, r)

    def _outlines(self, p: QPainter, view: Projection, one: StepPlan, selected: bool) -> None:
        colour = hue(one.number - 1)
        seen = self._centres
        covers_all = [r for r in one.removals if r.covers(self.session.plan.frame.part.bounds)]
        for removal in one.removals:
            if removal.wanted:
                continue
            whole = removal in covers_all
            p.setBrush(pens.tint(colour, (0.10 if whole else 0.42) if selected else (0.0 if whole else 0.20)))
            dash = not one.answers.complete
            within = isinstance(removal, Bore) and removal.centre in seen
            if isinstance(removal, Bore):
                seen.add(removal.centre)
            p.setPen(
                Qt.PenStyle.NoPen
                if whole and not selected
                else pens.dashed(colour)
                if dash
                else pens.thin(self.theme.ink)
                if within
                else pens.edge(self.theme.ink)
                if not whole
                else pens.pen(colour, 2)
            )
            path = QPainterPath()
            for outline in removal.outlines():
                path.addPath(view.path(outline))
            path.setFillRule(Qt.FillRule.OddEvenFill)
            p.drawPath(path)

    def _cross(self, p: QPainter, view: Projection, mark: CentreCross) -> None:
        p.save()
        p.setPen(pens.chain(self.theme.soft_ink))
        p.translate(view.at(mark.centre))
        p.rotate(-mark.angle)
        a, b = mark.reach[0] * view.scale, mark.reach[1] * view.scale
        p.drawLine(QLineF(-a, 0, a, 0))
        p.drawLine(QLineF(0, -b, 0, b))
        p.restore()

    def _top_dimensions(self, p: QPainter, view: Projection, frame: QRectF, marks: list[Mark], words: Words) -> None:
        part = self.session.plan.frame.part
        words.text[PART_FIELD] = ""
        painter = DimensionPainter(p, self.theme, view, frame, words)
        placed: list[tuple[Distance, str]] = []
        for mark in marks:
            if isinstance(mark, Distance) and mark.view == "top":
                if abs(mark.a[0] - mark.b[0]) + abs(mark.a[1] - mark.b[1]) < 1e-6 and mark.field not in words.missing:
                    continue
                side = {0.0: "top", 90.0: "right"}.get(mark.angle % 180, "beside")
                if mark.field in ("centre_x", "first_x"):
                    side = "bottom"
                elif mark.field in ("centre_y", "first_y"):
                    side = "left"
                placed.append((mark, side))
        painter.distances(placed)
        self._spots = [m for m in marks if isinstance(m, HoleSpot)]
        for spot in self._spots:
            self._hole_spot(p, view, spot)
        for mark in marks:
            if isinstance(mark, Sign) and mark.view == "top":
                painter.sign(mark, small=mark.text.isdigit())
        for mark in marks:
            if isinstance(mark, Radius):
                painter.radius(mark)
            elif isinstance(mark, Angle):
                painter.angle(mark)
        self.tags += painter.tags
        units = self.session.job.units
        overall = DimensionPainter(p, self.theme, view, frame, Words({}, "none", frozenset()))
        overall._taken = painter._taken
        for text, mark, side in (
            (show(part.size[0], units=units), Distance("", (part.x0, part.y0), (part.x1, part.y0)), "bottom"),
            (show(part.size[1], units=units), Distance("", (part.x1, part.y0), (part.x1, part.y1), 90.0), "right"),
        ):
            overall.words.text[""] = text
            overall.distances([(mark, side)])

    def _hole_spot(self, p: QPainter, view: Projection, spot: HoleSpot) -> None:
        """A hole's number beside it; one left out is crossed."""
        t, at, r = self.theme, view.at(spot.at), max(spot.radius * view.scale, 4.0)
        if spot.skipped:
            p.setPen(pens.thin(t.soft_ink))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawEllipse(at, r, r)
            p.drawLine(QLineF(at.x() - r, at.y() - r, at.x() + r, at.y() + r))
            p.drawLine(QLineF(at.x() - r, at.y() + r, at.x() + r, at.y() - r))
        if len(self._spots) > MOST_NUMBERS:
            return
        p.setFont(font())
        p.setPen(QColor(t.accent if self.focus_field == "skip" else t.soft_ink))
        p.drawText(QPointF(at.x() + r * 0.75 + 2, at.y() - r * 0.75 - 1), str(spot.number))

    # the section

    def _section(self, p: QPainter, view: Projection, step: StepPlan | None, marks: list[Mark], words: Words) -> None:
        t, plan = self.theme, self.session.plan
        block = plan.frame.block
        y = next((m.y for m in marks if isinstance(m, SectionAt)), (plan.frame.part.y0 + plan.frame.part.y1) / 2)
        y = min(max(y, block.y0 + 1e-6), block.y1 - 1e-6)
        before = list(plan.start.done)
        before += [r for s in plan.steps if s.step.on and (step is None or s.number < step.number) for r in s.removals]
        mine = list(step.removals) if step is not None and step.step.on else []
        old, new = profile(block, before, y), profile(block, before + mine, y)
        p.setPen(pens.dashed(t.soft_ink))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(view.rect(block.x0, block.x1, block.z0, block.z1))
        if step is not None and mine:
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(pens.tint(hue(step.number - 1), 0.45))
            p.drawPath(self._band(view, new, old))
        solid = self._band(view, [(block.x0, block.z0), (block.x1, block.z0)], new)
        p.setBrush(QColor(t.well))
        p.drawPath(solid)
        pens.hatch(p, solid, t.hatch)
        p.setPen(pens.edge(t.ink))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPath(solid)
        p.setPen(QColor(t.soft_ink))
        p.setFont(font())
        frame = view.rect(block.x0, block.x1, block.z0, block.z1)
        p.drawText(
            QPointF(frame.left(), frame.top() - 12), f"Section at Y {show(y, units=self.session.job.units, digits=2)}"
        )
        if not self.with_dimensions:
            return
        painter = DimensionPainter(p, t, view, frame, words)
        painter.distances(
            [(m, "right" if m.field != "top" else "left") for m in marks
             if isinstance(m, Distance) and m.view == "section" and (abs(m.a[1] - m.b[1]) > 1e-6 or m.field in words.missing)]
        )  # fmt: skip
        self.tags += painter.tags

    def _band(self, view: Projection, low: Profile, high: Profile) -> QPainterPath:
        """The area between two surfaces of the section, ``high`` nowhere below ``low``."""
        path = QPainterPath()
        for area in between(low, high):
            path.addPolygon(QPolygonF([view.at(p) for p in area]))
            path.closeSubpath()
        return path

    # the cursor

    def reading(self, at: QPointF) -> str:
        """Where a place on the sheet is: X, Y and Z of the metal in the top view, X and Z in the section."""
        plan, units = self.session.plan, self.session.job.units
        block, step = plan.frame.block, self.subject()
        if plan.frame.chucking is not None:
            from bastler.ui.drawing.turnsheet import reading

            return reading(self, at)

        def word(axis: str, value: float) -> str:
            return f"{axis} {show(value, units=units, digits=2 if units == 'mm' else 3)}"

        if self._top is not None and self._top.rect(*block.bounds).contains(at):
            x, y = self._top.back(at)
            done = [s for s in plan.steps if s.step.on and (step is None or s.number <= step.number)]
            cut = [*plan.start.done, *(r for s in done for r in s.removals if not r.wanted)]
            z = min([block.z1, *(height_at(r, x, y) for r in cut)])
            return "   ".join((word("X", x), word("Y", y), word("Z", max(z, block.z0))))
        if self._front is not None and self._front.rect(block.x0, block.x1, block.z0, block.z1).contains(at):
            x, z = self._front.back(at)
            return "   ".join((word("X", x), word("Z", z)))
        return ""

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
        from bastler.ui.drawing.measure import Measure

        self.measure = Measure(self.session) if on else None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus if on else Qt.FocusPolicy.NoFocus)
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
        from bastler.ui.drawing.measure import ARROWS

        if event.key() in ARROWS:
            self.measure.step(ARROWS[event.key()])
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.measure.take()
        elif event.key() == Qt.Key.Key_Escape:
            self.set_measuring(False)
        else:
            super().keyPressEvent(event)
        self._measured()

    def leaveEvent(self, _: QEvent | None) -> None:
        """No reading without a cursor."""
        self._under = None
        self.update(self._reading_place())

    # mouse

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """A hand over what can be clicked, and where the cursor is."""
        assert event is not None
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

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """A dimension gives its field the cursor; a shape selects its step."""
        assert event is not None
        if self.measure is not None and self._top is not None:
            self.measure.hover(self._top, event.position())
            self.measure.take()
            self._measured()
            return
        if self.contour is not None and self._top is not None:
            what, index, key = self.contour.at(self._top, event.position())
            if what:
                self.contour_clicked.emit(what, index, key)
            return
        for tag in reversed(self.tags):
            if tag.rect.contains(event.position()):
                self.field_clicked.emit(tag.field)
                return
        if self._top is None:
            return
        if self.focus_field == "skip":
            for spot in self._spots:
                off = self._top.at(spot.at) - event.position()
                if math.hypot(off.x(), off.y()) < max(spot.radius * self._top.scale, TOUCH_PX):
                    self.hole_clicked.emit(spot.number)
                    return
        if self.session.plan.frame.chucking is not None:
            from bastler.ui.drawing.turnsheet import step_at

            found = step_at(self, event.position())
            if found is not None:
                self.step_clicked.emit(found)
            return
        x, y = self._top.back(event.position())
        part = self.session.plan.frame.part.bounds
        for one in reversed(self.session.plan.steps):
            if any(not r.wanted and not r.covers(part) and height_at(r, x, y) < math.inf for r in one.removals):
                self.step_clicked.emit(one.step.id)
                return
