"""A small dial for angles: turned by mouse or arrow keys, 5 degrees a step."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from bastler.ui.drawing import pens
from bastler.ui.theme.tokens import Theme

STEP_DEG = 5.0
TURNS = {Qt.Key.Key_Up: STEP_DEG, Qt.Key.Key_Right: -STEP_DEG, Qt.Key.Key_Down: -STEP_DEG, Qt.Key.Key_Left: STEP_DEG}


class AngleDial(QWidget):
    """Shows an angle counter-clockwise from the right, and says when it is turned."""

    turned = pyqtSignal(float)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.angle: float | None = None
        self.derived = False
        self.setFixedSize(QSize(64, 64))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Angle dial")

    def show_angle(self, angle: float | None, derived: bool) -> None:
        """Point there; ``derived`` ones are drawn lightly."""
        self.angle, self.derived = angle, derived
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """A ring with a mark every 30 degrees and a hand."""
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        c, r = QPointF(self.width() / 2, self.height() / 2), min(self.width(), self.height()) / 2 - 4
        p.setPen(pens.pen(self.theme.accent if self.hasFocus() else self.theme.line, 2))
        p.setBrush(QColor(self.theme.paper))
        p.drawEllipse(c, r, r)
        p.setPen(pens.thin(self.theme.soft_ink))
        for k in range(12):
            way = QPointF(math.cos(math.radians(30 * k)), -math.sin(math.radians(30 * k)))
            p.drawLine(c + way * (r - (7 if k % 3 == 0 else 4)), c + way * (r - 1))
        if self.angle is not None:
            way = QPointF(math.cos(math.radians(self.angle)), -math.sin(math.radians(self.angle)))
            p.setPen(pens.pen(self.theme.soft_ink if self.derived else self.theme.accent, 2.6))
            p.drawLine(c, c + way * (r - 8))
        p.end()

    def _turn_to(self, place: QPointF) -> None:
        x, y = place.x() - self.width() / 2, self.height() / 2 - place.y()
        if math.hypot(x, y) > 4:
            self.turned.emit(round(math.degrees(math.atan2(y, x)) / STEP_DEG) * STEP_DEG % 360)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Point with the mouse."""
        assert event is not None
        self.setFocus()
        self._turn_to(event.position())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Turn while it is held."""
        assert event is not None
        self._turn_to(event.position())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows turn it."""
        assert event is not None
        by = TURNS.get(Qt.Key(event.key()))
        if by is None:
            super().keyPressEvent(event)
        else:
            self.turned.emit(((self.angle or 0.0) + by) % 360)
