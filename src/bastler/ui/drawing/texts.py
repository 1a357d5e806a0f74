"""The one placer of a drawing's texts: none on another, on a thick edge, on zero or its handles, or off the sheet.

*Keep*: a place that is taken. *Edge*: a thick line that texts avoid. A text goes where it is wanted, else to the nearest
free place round it; one that had to move away gets a leader.
"""

from __future__ import annotations

import math
from collections.abc import Iterable

from msgspec import Struct
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPainterPath

from bastler.ui.drawing.pens import thin

CELL_PX = 5.0
MARGIN_PX = 2.0
LEADER_PX = 16.0
"""A text that stands farther than this from where it was wanted is tied to it."""
RINGS_PX = (14.0, 26.0, 40.0, 58.0, 80.0, 106.0, 140.0, 180.0, 230.0)
WAYS = tuple((math.cos(math.tau * k / 16), math.sin(math.tau * k / 16)) for k in range(16))


class Placed(Struct, frozen=True):
    """A text and where it stands."""

    text: str
    rect: QRectF


class Texts:
    """Places of one painting of a sheet."""

    def __init__(self, sheet: QRectF) -> None:
        self.sheet = sheet.adjusted(MARGIN_PX, MARGIN_PX, -MARGIN_PX, -MARGIN_PX)
        self.placed: list[Placed] = []
        self._kept: list[QRectF] = []
        self._edges: set[tuple[int, int]] = set()

    # what is taken

    def keep(self, rect: QRectF) -> None:
        """Nothing is written here."""
        self._kept.append(rect)

    def keep_round(self, at: QPointF, radius: float) -> None:
        """Nothing is written round a point."""
        self.keep(QRectF(at.x() - radius, at.y() - radius, 2 * radius, 2 * radius))

    def edge(self, path: QPainterPath) -> None:
        """No text lies on these lines."""
        for polygon in path.toSubpathPolygons():
            points = [(q.x(), q.y()) for q in map(polygon.value, range(polygon.size()))]
            for a, b in zip(points, points[1:], strict=False):
                self.line(a, b)

    def edges(self, paths: Iterable[QPainterPath]) -> None:
        """No text lies on these."""
        for path in paths:
            self.edge(path)

    def line(self, a: tuple[float, float], b: tuple[float, float]) -> None:
        """One straight piece of an edge."""
        wide, high = self.sheet.right() + CELL_PX, self.sheet.bottom() + CELL_PX
        if max(a[0], b[0]) < 0 or max(a[1], b[1]) < 0 or min(a[0], b[0]) > wide or min(a[1], b[1]) > high:
            return
        count = min(int(math.dist(a, b) / CELL_PX) + 1, 2000)
        for k in range(count + 1):
            x, y = a[0] + (b[0] - a[0]) * k / count, a[1] + (b[1] - a[1]) * k / count
            self._edges.add((int(x // CELL_PX), int(y // CELL_PX)))

    def on_edge(self, rect: QRectF) -> bool:
        """Whether a place lies on an edge."""
        x0, x1 = int((rect.left() + 1) // CELL_PX), int((rect.right() - 1) // CELL_PX)
        y0, y1 = int((rect.top() + 3) // CELL_PX), int((rect.bottom() - 3) // CELL_PX)
        return any((x, y) in self._edges for x in range(x0, x1 + 1) for y in range(y0, y1 + 1))

    def free(self, rect: QRectF, *, edges: bool = True) -> bool:
        """Whether a text may stand here."""
        return (
            self.sheet.contains(rect)
            and not any(rect.intersects(k) for k in self._kept)
            and not any(rect.intersects(one.rect) for one in self.placed)
            and not (edges and self.on_edge(rect))
        )

    # texts

    def find(self, wanted: QPointF, size: tuple[float, float], others: Iterable[QPointF] = ()) -> QRectF:
        """A free place of a size, its middle at ``wanted``, at one of the ``others``, or as near as can be."""
        wide, high = size

        def at(middle: QPointF) -> QRectF:
            return QRectF(middle.x() - wide / 2, middle.y() - high / 2, wide, high)

        def ring() -> Iterable[QPointF]:
            for far in RINGS_PX:
                for dx, dy in WAYS:
                    yield wanted + QPointF(dx * (far + wide / 4), dy * far)

        tried = [at(q) for q in (wanted, *others)]
        for rect in tried:
            if self.free(rect):
                return rect
        for place in ring():
            if self.free(at(place)):
                return at(place)
        for rect in (*tried, *(at(q) for q in ring())):
            if self.free(rect, edges=False):
                return rect
        return tried[0]

    def take(self, text: str, rect: QRectF) -> QRectF:
        """Write down that a text stands somewhere."""
        self.placed.append(Placed(text, rect))
        return rect

    def write(
        self, p: QPainter, text: str, wanted: QPointF, colour: str, font: QFont, others: Iterable[QPointF] = ()
    ) -> QRectF:
        """Write a text with its middle at a point, or as near as it finds room; with a leader if that is far."""
        metrics = QFontMetricsF(font)
        size = (metrics.horizontalAdvance(text) + 4, min(metrics.height(), 20.0))
        rect = self.take(text, self.find(wanted, size, others))
        lead(p, rect, wanted, colour)
        p.setFont(font)
        p.setPen(QColor(colour))
        p.drawText(rect, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextDontClip, text)
        return rect


def lead(p: QPainter, rect: QRectF, wanted: QPointF, colour: str) -> None:
    """A thin line from where a text was wanted to where it stands, if that is far."""
    edge = QPointF(min(max(wanted.x(), rect.left()), rect.right()), min(max(wanted.y(), rect.top()), rect.bottom()))
    if QLineF(edge, wanted).length() > LEADER_PX:
        p.setPen(thin(colour))
        p.drawLine(QLineF(edge, wanted))
