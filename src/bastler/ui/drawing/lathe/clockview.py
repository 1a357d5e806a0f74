"""The bar seen from the front in the setup's drawing: where C 0 of the part lies, and where the spindle's own mark."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen

from bastler.core.job.held import Chucking
from bastler.core.marks import Angle
from bastler.core.quantities import show
from bastler.ui.drawing import pens
from bastler.ui.drawing.dimensions import DimensionPainter, DimensionText
from bastler.ui.drawing.projection import Projection
from bastler.ui.theme.style import font

if TYPE_CHECKING:
    from bastler.ui.sheets.setupdrawing import SetupSheet

DEGREES = 3
REACH_PX, TEXT_PX = 34.0, 14.0
ABOVE_PX, BELOW_PX = 16.0, 40.0
"""Room over and under the bar, for its words."""
ANGLE_SHARE = 1.25


def paint_clock(sheet: SetupSheet, p: QPainter, held: Chucking, area: QRectF) -> None:
    """The bar's outline, and both directions with the angle between them."""
    t, away, bore, r = sheet.theme, held.c_zero, held.blank[2], held.blank[3]
    around = area.adjusted(0, ABOVE_PX, 0, -BELOW_PX)
    view = Projection.fit((-r, r, -r, r), around)
    middle = view.at((0.0, 0.0))
    p.setPen(pens.edge(t.ink))
    p.setBrush(pens.tint(t.stock, 0.35))
    outline = _outline(view, held)
    p.drawPath(outline)
    sheet.texts.edge(outline)
    if bore:
        p.setBrush(pens.tint(t.paper, 1.0))
        p.drawEllipse(middle, bore * view.scale, bore * view.scale)
    p.setBrush(Qt.BrushStyle.NoBrush)
    for degrees, name, pen in ((-away, "Spindle 0", pens.dashed(t.soft_ink)), (0.0, "C 0", pens.pen(t.ink, 1.6))):
        if name == "C 0" or away:
            _direction(sheet, p, middle, r * view.scale + REACH_PX, degrees, name, pen)
    said = "C 0 at the spindle’s own 0" if not away else "Seen from the front"
    sheet.texts.write(p, said, QPointF(middle.x(), area.bottom() - TEXT_PX), t.soft_ink, font())
    if away:
        words = DimensionText({"c_zero": show(away)}, sheet.focus_field, frozenset())
        d = DimensionPainter(sheet, p, view, QRectF(area), words)
        d.angle(Angle("c_zero", (0.0, 0.0), ANGLE_SHARE * r, -away, away))
        sheet.tags += d.tags


def _direction(sheet: SetupSheet, p: QPainter, middle: QPointF, reach: float, degrees: float, words: str, pen: QPen) -> None:  # fmt: skip
    way = QPointF(math.cos(math.radians(degrees)), -math.sin(math.radians(degrees)))
    p.setPen(pen)
    p.drawLine(QLineF(middle, middle + way * reach))
    sheet.texts.write(p, words, middle + way * (reach + 1.6 * TEXT_PX), sheet.theme.soft_ink, font())


def _outline(view: Projection, held: Chucking) -> QPainterPath:
    path = QPainterPath()
    for k in range(0, 360 + DEGREES, DEGREES):
        turn = math.radians(k)
        r = held.prism.radius(turn) if held.prism is not None else held.blank[3]
        at = view.at((r * math.cos(turn), r * math.sin(turn)))
        path.lineTo(at) if k else path.moveTo(at)
    return path
