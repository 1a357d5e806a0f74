"""The magazine as a drawing: a field per pocket with its tool to one scale."""

from __future__ import annotations

import math

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QWidget

from bastler.core.plans.magazine import Magazine, Pocket
from bastler.core.tooling.tools import Tool
from bastler.ui.drawing import pens
from bastler.ui.drawing.projection import Projection
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import DAY, Theme

MARGIN_PX, GAP_PX, NARROWEST_PX, LINE_PX = 24, 10, 96, 20


class MagazineSheet(QWidget):
    """Pockets in rows; a click on one gives its tool's number."""

    tool_clicked = pyqtSignal(int)

    def __init__(self, theme: Theme = DAY) -> None:
        super().__init__()
        self.theme = theme
        self.magazine: Magazine | None = None
        self._cells: list[tuple[QRectF, Pocket]] = []
        self.setMinimumSize(QSize(420, 300))
        self.setAccessibleName("Pockets of the magazine")

    def show_magazine(self, magazine: Magazine) -> None:
        """Draw this one."""
        self.magazine = magazine
        self.update()

    def set_theme(self, theme: Theme) -> None:
        """Redraw in a theme."""
        self.theme = theme
        self.update()

    def _place(self, count: int) -> list[QRectF]:
        """The fields, as large as they all fit."""
        wide, high = self.width() - 2 * MARGIN_PX, self.height() - 2 * MARGIN_PX
        most = max(int((wide + GAP_PX) // (NARROWEST_PX + GAP_PX)), 1)
        columns = min(most, max(math.ceil(math.sqrt(count * wide / max(high, 1) * 1.4)), 1), count)
        rows = math.ceil(count / columns)
        columns = math.ceil(count / rows)
        w, h = (wide - GAP_PX * (columns - 1)) / columns, (high - GAP_PX * (rows - 1)) / rows
        return [
            QRectF(MARGIN_PX + (i % columns) * (w + GAP_PX), MARGIN_PX + (i // columns) * (h + GAP_PX), w, h)
            for i in range(count)
        ]

    def paintEvent(self, _: QPaintEvent | None) -> None:
        p, t = QPainter(self), self.theme
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), QColor(t.paper))
        p.setFont(font())
        self._cells = []
        pockets = self.magazine.pockets if self.magazine is not None else ()
        if not pockets:
            p.setPen(QColor(t.soft_ink))
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "No magazine: tools are put in by hand.")
            return
        places = self._place(len(pockets))
        tools = [tool for pocket in pockets for tool in pocket.tools]
        longest = max((tool.gauge_length for tool in tools), default=100.0)
        widest = max((r for tool in tools for r, _ in tool.silhouette()), default=25.0)
        inner = places[0].adjusted(8, LINE_PX + 10, -8, -2 * LINE_PX - 8)
        scale = min(inner.height() / longest, inner.width() / (2 * widest))
        for place, pocket in zip(places, pockets, strict=True):
            self._cells.append((place, pocket))
            self._pocket(p, place, pocket, scale)
        p.end()

    def _pocket(self, p: QPainter, place: QRectF, pocket: Pocket, scale: float) -> None:
        t, clash = self.theme, len(pocket.tools) > 1
        empty = not pocket.tools
        p.setPen(pens.pen(t.stop, 2.4) if clash else pens.dashed(t.line) if empty else pens.pen(t.line, 1.6))
        p.setBrush(QColor(t.well) if pocket.needed else Qt.BrushStyle.NoBrush)
        p.drawRoundedRect(place, 6, 6)
        p.setPen(QColor(t.soft_ink))
        p.drawText(place.adjusted(10, 6, -6, 0), Qt.AlignmentFlag.AlignLeft, str(pocket.number))
        if empty:
            return
        tool = pocket.tools[0]
        self._tool(p, place.adjusted(8, LINE_PX + 10, -8, -2 * LINE_PX - 8), tool, scale, pocket.needed)
        p.setPen(QColor(t.stop if clash else t.ink if pocket.needed else t.soft_ink))
        word = " + ".join(f"T{one.number}" for one in pocket.tools)
        first, second = (
            place.adjusted(6, place.height() - 2 * LINE_PX - 4, -6, -LINE_PX - 4),
            place.adjusted(6, place.height() - LINE_PX - 4, -6, -4),
        )
        p.setFont(font(bold=True))
        p.drawText(first, Qt.AlignmentFlag.AlignHCenter, ("■ " if clash else "") + word)
        p.setFont(font())
        name = "two tools" if clash else tool.name if pocket.needed else "not needed"
        p.drawText(
            second,
            Qt.AlignmentFlag.AlignHCenter,
            p.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(second.width())),
        )

    def _tool(self, p: QPainter, area: QRectF, tool: Tool, scale: float, needed: bool) -> None:
        """The half outlines of a tool, tip down, to the scale of all."""
        widest = max(r for r, _ in tool.silhouette())
        high = tool.gauge_length * scale
        box = QRectF(area.left(), area.bottom() - high, area.width(), high)
        view = Projection.fit((-widest, widest, 0.0, tool.gauge_length), box, scale)
        outline = [*tool.silhouette(), *((-r, z) for r, z in reversed(tool.silhouette()))]
        p.setPen(pens.thin(self.theme.ink if needed else self.theme.soft_ink))
        p.setBrush(pens.tint(self.theme.accent if needed else self.theme.hatch, 0.28))
        p.drawPolygon(QPolygonF([view.at(q) for q in outline]))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        for place, pocket in self._cells:
            if place.contains(event.position()) and pocket.tools:
                self.tool_clicked.emit(pocket.tools[0].number)
