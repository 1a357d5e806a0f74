"""Measuring on the sheet: from one point of the part to another, by mouse or by arrow keys."""

from __future__ import annotations

import math

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter

from bastler.core.geometry.path import Point
from bastler.core.geometry.snaps import nearest, snaps, towards
from bastler.core.quantities import show
from bastler.ui.drawing import pens
from bastler.ui.drawing.projection import Projection
from bastler.ui.session import Session
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import Theme

SNAP_PX = 16.0
MARK_PX = 5.0
ARROWS: dict[int, Point] = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}  # fmt: skip


class Measure:
    """Two points of the part; ``here`` is the one under the cursor."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.first: Point | None = None
        self.second: Point | None = None
        self.here: Point = (0.0, 0.0)

    def points(self) -> list[Point]:
        """What the cursor snaps to."""
        plan = self.session.plan
        removals = [*plan.start.done, *(r for s in plan.steps if s.step.on for r in s.removals if not r.wanted)]
        paths = [c.path for c in plan.contours.values() if c.path is not None]
        return snaps((plan.frame.part, plan.frame.block), removals, paths)

    def hover(self, view: Projection, at: QPointF) -> None:
        """The mouse has moved."""
        place = view.back(at)
        self.here = nearest(self.points(), place, SNAP_PX / view.scale) or place

    def step(self, way: Point) -> None:
        """An arrow key."""
        self.here = towards(self.points(), self.here, way)

    def take(self) -> None:
        """Set the first point, then the second; a third starts anew."""
        if self.first is None or self.second is not None:
            self.first, self.second = self.here, None
        else:
            self.second = self.here

    def sentence(self) -> str:
        """What is measured, or what to do."""
        units = self.session.job.units

        def word(value: float) -> str:
            return show(value, units=units)

        if self.first is None:
            return "Click the point to measure from; arrow keys and Enter do as well."
        x, y = self.second if self.second is not None else self.here
        dx, dy = x - self.first[0], y - self.first[1]
        angle = f", at {show(math.degrees(math.atan2(dy, dx)), digits=2)}°" if math.hypot(dx, dy) > 1e-6 else ""
        return f"{word(math.hypot(dx, dy))} {units}{angle}:  X {word(dx)}  Y {word(dy)}"

    def paint(self, p: QPainter, view: Projection, theme: Theme) -> None:
        """The points and the line between them."""
        p.setBrush(Qt.BrushStyle.NoBrush)
        end = self.second if self.second is not None else self.here
        p.setPen(pens.pen(theme.accent, 2.0))
        for point in (self.first, end):
            if point is not None:
                at = view.at(point)
                p.drawRect(QRectF(at.x() - MARK_PX, at.y() - MARK_PX, 2 * MARK_PX, 2 * MARK_PX))
        if self.first is None or end == self.first:
            return
        a, b = view.at(self.first), view.at(end)
        p.drawLine(QLineF(a, b))
        p.setPen(pens.thin(theme.accent))
        corner = QPointF(b.x(), a.y())
        p.drawLine(QLineF(a, corner))
        p.drawLine(QLineF(corner, b))
        p.setFont(font(bold=True))
        text = show(math.dist(self.first, end), units=self.session.job.units)
        box = QRectF(0, 0, p.fontMetrics().horizontalAdvance(text) + 12, 22)
        box.moveCenter((a + b) / 2)
        p.fillRect(box, QColor(theme.paper))
        p.setPen(QColor(theme.accent))
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
