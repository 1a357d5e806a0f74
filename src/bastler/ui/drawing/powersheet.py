"""Power and torque of a spindle over its speed, as a graph."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QWidget

from bastler.core.tooling.machines import Machine
from bastler.ui.drawing import pens
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import DAY, HUES, Theme

SAMPLES = 120


class PowerSheet(QWidget):
    """Two curves over one scale of speed: power solid, torque in long dashes."""

    def __init__(self, theme: Theme = DAY) -> None:
        super().__init__()
        self.theme = theme
        self.machine: Machine | None = None
        self.setMinimumSize(QSize(300, 240))
        self.setAccessibleName("Power and torque of the spindle")

    def show_machine(self, machine: Machine | None) -> None:
        """Draw this one."""
        self.machine = machine
        self.update()

    def set_theme(self, theme: Theme) -> None:
        """Redraw in a theme."""
        self.theme = theme
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        p, t, m = QPainter(self), self.theme, self.machine
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), QColor(t.paper))
        p.setFont(font())
        if m is None:
            p.setPen(QColor(t.soft_ink))
            p.drawText(
                self.rect(), Qt.AlignmentFlag.AlignCenter, "The curve is drawn as soon as the values are complete."
            )
            return
        area = QRectF(70, 70, self.width() - 140, self.height() - 150)
        top_kw, top_nm = (_nice(max(r[i] for r in m.curve)) for i in (1, 2))
        speeds = [m.highest_speed * i / SAMPLES for i in range(1, SAMPLES + 1)]
        p.setPen(pens.thin(t.line))
        for i in range(5):
            y = area.bottom() - area.height() * i / 4
            p.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
        for i in range(5):
            x = area.left() + area.width() * i / 4
            p.setPen(QColor(t.soft_ink))
            p.drawText(
                QRectF(x - 50, area.bottom() + 6, 100, 20),
                Qt.AlignmentFlag.AlignHCenter,
                f"{m.highest_speed * i / 4:.0f}",
            )
            y = area.bottom() - area.height() * i / 4
            right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            p.drawText(QRectF(4, y - 10, 58, 20), right, f"{top_kw * i / 4:g}")
            p.drawText(QRectF(area.right() + 8, y - 10, 58, 20), Qt.AlignmentFlag.AlignVCenter, f"{top_nm * i / 4:g}")
        for value, top, colour, dash in ((m.power, top_kw, HUES[0], None), (m.torque, top_nm, HUES[5], [8.0, 4.0])):
            points = [
                QPointF(
                    area.left() + area.width() * n / m.highest_speed, area.bottom() - area.height() * value(n) / top
                )
                for n in speeds
            ]
            p.setPen(pens.pen(colour, 2.4, dash))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawPolyline(QPolygonF(points))
        p.setPen(QColor(t.ink))
        p.drawText(QRectF(area.left() - 60, 34, 200, 22), Qt.AlignmentFlag.AlignLeft, "Power, kW (solid)")
        p.drawText(QRectF(area.right() - 140, 34, 200, 22), Qt.AlignmentFlag.AlignRight, "Torque, Nm (dashes)")
        p.drawText(
            QRectF(area.left(), area.bottom() + 32, area.width(), 22),
            Qt.AlignmentFlag.AlignHCenter,
            "Spindle speed, 1/min",
        )
        p.end()


def _nice(value: float) -> float:
    """The next round number for the end of a scale."""
    step = 10.0 ** math.floor(math.log10(max(value, 1e-3)))
    return next(k * step for k in (1.0, 2.0, 4.0, 6.0, 8.0, 10.0, 20.0) if k * step >= value)
