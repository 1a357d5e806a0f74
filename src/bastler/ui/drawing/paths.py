"""The tool's path on the sheet: feed solid, rapid thin dashes, plunge dotted, each in its step's colour."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath

from bastler.core.engine_types import Checked
from bastler.core.gcode.motion import ARC, FEED, RAPID
from bastler.ui.drawing import pens
from bastler.ui.drawing.projection import Projection
from bastler.ui.session import Session
from bastler.ui.theme.tokens import Theme, hue

MOST_MOVES = 20_000


class PathLayer:
    """Moves of the last check; one move may be lit, the tool is drawn at a place."""

    def __init__(self) -> None:
        self.lit: tuple[int, ...] = ()
        self.tool_at: tuple[float, float, float] | None = None
        self.tool_radius = 0.0
        self._of: Checked | None = None
        self._chords: list[tuple[int, int, np.ndarray]] = []

    def _read(self, checked: Checked) -> None:
        self._of = checked
        self._chords = []
        m = checked.motion
        for i in range(min(len(m), MOST_MOVES)):
            if m.kind[i] in (RAPID, FEED, ARC):
                self._chords.append((i, int(checked.step_of_move[i]), m.chords(i, 0.05)[:, :2]))

    def paint(self, p: QPainter, view: Projection, theme: Theme, session: Session) -> None:
        """Draw the moves of the selected step boldly, the rest lightly."""
        checked = session.checked
        if checked is None:
            return
        if checked is not self._of:
            self._read(checked)
        current = session.index_of(session.selected)
        kind, m = checked.motion.kind, checked.motion
        p.setBrush(Qt.BrushStyle.NoBrush)
        lit = set(self.lit)
        for i, step, points in self._chords:
            path = QPainterPath(view.at((points[0, 0], points[0, 1])))
            for x, y in points[1:]:
                path.lineTo(view.at((x, y)))
            strong = step == current
            colour = hue(step) if step >= 0 else theme.soft_ink
            if strong and step >= 0:
                own = QColor(colour)
                colour = (own.darker(160) if theme.name == "day" else own.lighter(140)).name()
            if i in lit:
                p.setPen(pens.pen(theme.accent, 4))
            elif kind[i] == RAPID:
                p.setPen(pens.pen(pens.tint(theme.soft_ink, 0.9 if strong else 0.35), 1.0, [4, 5]))
            elif m.end[i, 2] < m.start[i, 2] - 1e-6:
                p.setPen(pens.pen(pens.tint(colour, 1.0 if strong else 0.4), 1.8, [1, 2.4]))
            else:
                p.setPen(pens.pen(pens.tint(colour, 1.0 if strong else 0.4), 1.6))
            p.drawPath(path)
        if self.tool_at is not None:
            c, r = view.at(self.tool_at[:2]), max(self.tool_radius * view.scale, 3)
            p.setPen(pens.pen(theme.ink, 2))
            p.setBrush(pens.tint(theme.accent, 0.25))
            p.drawEllipse(QRectF(c.x() - r, c.y() - r, 2 * r, 2 * r))
            p.setBrush(QColor(theme.ink))
            p.drawEllipse(QPointF(c), 2.5, 2.5)
