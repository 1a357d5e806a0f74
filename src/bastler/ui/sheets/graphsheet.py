"""One or two curves over one scale, drawn as a graph."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QWidget

from bastler.core.graphs import Graph
from bastler.core.quantities import show
from bastler.ui.drawing import pens
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import DAY, HUES, Theme

PARTS = 4
LOOKS: tuple[tuple[str, list[float] | None, str], ...] = ((HUES[0], None, "solid"), (HUES[5], [8.0, 4.0], "dashes"))


class GraphSheet(QWidget):
    """The first curve is solid with its scale on the left, the second dashed with its scale on the right."""

    def __init__(self, theme: Theme = DAY) -> None:
        super().__init__()
        self.theme = theme
        self.graph: Graph | None = None
        self.setMinimumSize(QSize(300, 240))

    def show_graph(self, graph: Graph | None) -> None:
        """Draw this one; ``None`` while its values are not complete."""
        self.graph = graph
        self.setAccessibleName(graph.title if graph else "")
        self.update()

    def set_theme(self, theme: Theme) -> None:
        """Redraw in a theme."""
        self.theme = theme
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        p, t, graph = QPainter(self), self.theme, self.graph
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), QColor(t.paper))
        p.setFont(font())
        p.setPen(QColor(t.soft_ink))
        if graph is None:
            wait = "The curve is drawn as soon as the values are complete."
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, wait)
            return
        area = QRectF(70, 70, self.width() - 140, self.height() - 150)
        self._scales(p, graph, area)
        for curve, (colour, dash, _word) in zip(graph.curves, LOOKS, strict=False):
            points = [
                QPointF(area.left() + area.width() * x / graph.end, area.bottom() - area.height() * y / curve.top)
                for x, y in curve.points
            ]
            p.setPen(pens.pen(colour, 2.4, dash))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawPolyline(QPolygonF(points))
        p.end()

    def _scales(self, p: QPainter, graph: Graph, area: QRectF) -> None:
        """Grid, numbers and labels."""
        t, right = self.theme, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for i in range(PARTS + 1):
            x, y = area.left() + area.width() * i / PARTS, area.bottom() - area.height() * i / PARTS
            p.setPen(pens.thin(t.line))
            p.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            p.setPen(QColor(t.soft_ink))
            at = QRectF(x - 50, area.bottom() + 6, 100, 20)
            p.drawText(at, Qt.AlignmentFlag.AlignHCenter, show(graph.end * i / PARTS, digits=2))
            p.drawText(QRectF(4, y - 10, 58, 20), right, f"{graph.curves[0].top * i / PARTS:g}")
            for other in graph.curves[1:]:
                p.drawText(
                    QRectF(area.right() + 8, y - 10, 58, 20),
                    Qt.AlignmentFlag.AlignVCenter,
                    f"{other.top * i / PARTS:g}",
                )
        p.setPen(QColor(t.ink))
        several = len(graph.curves) > 1
        for curve, (_, _, word), side in zip(graph.curves, LOOKS, ("left", "right"), strict=False):
            label = f"{curve.label} ({word})" if several else curve.label
            box = QRectF(area.left() - 60 if side == "left" else area.right() - 190, 34, 250, 22)
            p.drawText(box, Qt.AlignmentFlag.AlignLeft if side == "left" else Qt.AlignmentFlag.AlignRight, label)
        p.drawText(
            QRectF(area.left(), area.bottom() + 32, area.width(), 22), Qt.AlignmentFlag.AlignHCenter, graph.x_label
        )
