"""From millimetres to pixels: one scale, Y up."""

from __future__ import annotations

from msgspec import Struct
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainterPath

from bastler.core.geometry.path import Arc, Path, arc_sweep


class Projection(Struct, frozen=True):
    """``px = left + (x - x0) * scale``, ``py = bottom - (y - y0) * scale``."""

    x0: float
    y0: float
    left: float
    bottom: float
    scale: float

    @classmethod
    def fit(cls, bounds: tuple[float, float, float, float], area: QRectF, scale: float | None = None) -> Projection:
        """Centre ``bounds`` (x0, x1, y0, y1, mm) in an area, as large as fits unless ``scale`` is given."""
        x0, x1, y0, y1 = bounds
        wide, high = max(x1 - x0, 1e-6), max(y1 - y0, 1e-6)
        s = scale if scale is not None else min(area.width() / wide, area.height() / high)
        return cls(
            x0, y0, area.left() + (area.width() - wide * s) / 2, area.bottom() - (area.height() - high * s) / 2, s
        )

    def at(self, p: tuple[float, float]) -> QPointF:
        """A point in pixels."""
        return QPointF(self.left + (p[0] - self.x0) * self.scale, self.bottom - (p[1] - self.y0) * self.scale)

    def back(self, p: QPointF) -> tuple[float, float]:
        """A pixel in millimetres."""
        return (self.x0 + (p.x() - self.left) / self.scale, self.y0 + (self.bottom - p.y()) / self.scale)

    def rect(self, x0: float, x1: float, y0: float, y1: float) -> QRectF:
        """A rectangle in pixels."""
        return QRectF(self.at((x0, y1)), self.at((x1, y0)))

    def path(self, path: Path) -> QPainterPath:
        """A path of lines and arcs, arcs kept as arcs."""
        import math

        result = QPainterPath(self.at(path.start))
        here = path.start
        for e in path.elements:
            if isinstance(e, Arc):
                r = math.dist(here, e.centre) * self.scale
                c = self.at(e.centre)
                start = math.degrees(math.atan2(here[1] - e.centre[1], here[0] - e.centre[0]))
                result.arcTo(QRectF(c.x() - r, c.y() - r, 2 * r, 2 * r), start, math.degrees(arc_sweep(here, e)))
            else:
                result.lineTo(self.at(e.end))
            here = e.end
        return result
