"""Line kinds of the drawing after ISO 128: what each line means decides how it looks."""

from __future__ import annotations

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

ARROW_PX = 9.0
HATCH_PX = 7.0


def pen(colour: str | QColor, width: float = 1.0, pattern: list[float] | None = None) -> QPen:
    """A pen with round joins; ``pattern`` in multiples of the width."""
    result = QPen(QColor(colour), width)
    result.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    if pattern:
        result.setDashPattern(pattern)
        result.setCapStyle(Qt.PenCapStyle.FlatCap)
    return result


def edge(colour: str) -> QPen:
    """Visible edge: thick, continuous."""
    return pen(colour, 2.2)


def thin(colour: str) -> QPen:
    """Dimension and projection line: thin, continuous."""
    return pen(colour, 1.0)


def chain(colour: str) -> QPen:
    """Centre line: thin long-dash dot."""
    return pen(colour, 1.0, [14, 4, 2, 4])


def dashed(colour: str) -> QPen:
    """Raw outline: thin dashes."""
    return pen(colour, 1.2, [6, 4])


def tint(colour: str, alpha: float) -> QColor:
    """A colour laid thinly."""
    result = QColor(colour)
    result.setAlphaF(alpha)
    return result


def arrow(painter: QPainter, tip: QPointF, angle_deg: float, colour: str) -> None:
    """A slim filled arrowhead pointing along ``angle_deg`` (screen, clockwise from +x)."""
    painter.save()
    painter.translate(tip)
    painter.rotate(angle_deg)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(colour))
    painter.drawPolygon(QPolygonF([QPointF(0, 0), QPointF(-ARROW_PX, -2.6), QPointF(-ARROW_PX, 2.6)]))
    painter.restore()


def hatch(painter: QPainter, shape: QPainterPath, colour: str) -> None:
    """Section hatching at 45°."""
    painter.save()
    painter.setClipPath(shape, Qt.ClipOperation.IntersectClip)
    painter.setPen(thin(colour))
    box = shape.boundingRect()
    start = int((box.left() - box.height()) // HATCH_PX)
    stop = int(box.right() // HATCH_PX) + 1
    lines = [QLineF(i * HATCH_PX, box.bottom(), i * HATCH_PX + box.height(), box.top()) for i in range(start, stop + 1)]
    for line in lines:
        painter.drawLine(line)
    painter.restore()


def zero_mark(painter: QPainter, at: QPointF, ink: str, paper: str, radius: float = 7.0) -> None:
    """The zero point: a quartered disc."""
    painter.save()
    box = QRectF(at.x() - radius, at.y() - radius, 2 * radius, 2 * radius)
    painter.setPen(pen(ink, 1.6))
    painter.setBrush(QColor(paper))
    painter.drawEllipse(box)
    painter.setBrush(QColor(ink))
    painter.drawPie(box, 0, 90 * 16)
    painter.drawPie(box, 180 * 16, 90 * 16)
    painter.restore()


def focus_ring(painter: QPainter, rect: QRectF, colour: str) -> None:
    """What says that keys go here."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    painter.setPen(pen(colour, 2.0))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(rect.adjusted(1, 1, -1, -1))
