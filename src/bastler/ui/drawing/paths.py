"""The tool's path on the sheet: feed solid, the thicker the more of the tool is in metal, rapid thin dashes, plunge dotted, each in its step's colour."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from bastler.core.checked import Checked
from bastler.core.gcode.motion import ARC, FEED, RAPID
from bastler.ui.drawing import pens
from bastler.ui.drawing.projection import Projection
from bastler.ui.session import Session
from bastler.ui.theme.tokens import Theme, hue

MOST_MOVES = 20_000
LOADS = ((2.0, "air", 0.6), (45.0, "light", 1.0), (95.0, "feed", 1.6), (360.0, "full", 3.0))
"""Up to how many degrees of the tool in metal a way is so thick, px."""
WIDTHS = {word: width for _, word, width in LOADS}


class PathLayer:
    """Moves of the last check; one move may be lit, the tool is drawn at a place."""

    def __init__(self) -> None:
        self.lit: tuple[int, ...] = ()
        self.tool_at: tuple[float, float, float] | None = None
        self.tool_radius = 0.0
        self._of: Checked | None = None
        self._lines: list[np.ndarray] = []
        self._groups: dict[tuple[int, str], list[int]] = {}
        self._drawn: tuple[Projection | None, dict[tuple[int, str], QPainterPath]] = (None, {})

    def _read(self, checked: Checked) -> None:
        """Chords of every move, and the moves by step and kind."""
        self._of, self._lines, self._groups, self._drawn = checked, [], {}, (None, {})
        m = checked.motion
        for i in range(min(len(m), MOST_MOVES)):
            self._lines.append(m.chords(i, 0.05)[:, :2])
            if m.kind[i] in (RAPID, FEED, ARC):
                down = m.kind[i] != RAPID and m.end[i, 2] < m.start[i, 2] - 1e-6
                degrees = float(checked.degrees[i]) if checked.degrees is not None else LOADS[1][0]
                load = next(word for most, word, _ in LOADS if degrees <= most)
                word = "rapid" if m.kind[i] == RAPID else "plunge" if down and m.kind[i] != ARC else load
                self._groups.setdefault((int(checked.step_of_move[i]), word), []).append(i)

    def _path(self, moves: Iterable[int], view: Projection) -> QPainterPath:
        path = QPainterPath()
        for i in moves:
            points = self._lines[i]
            xs = view.left + (points[:, 0] - view.x0) * view.scale
            ys = view.bottom - (points[:, 1] - view.y0) * view.scale
            path.addPolygon(QPolygonF([QPointF(x, y) for x, y in zip(xs.tolist(), ys.tolist(), strict=True)]))
        return path

    def paint(self, p: QPainter, view: Projection, theme: Theme, session: Session) -> None:
        """Draw the moves of the selected step boldly, the rest lightly."""
        checked = session.checked
        if checked is None:
            return
        if checked is not self._of:
            self._read(checked)
        if self._drawn[0] != view:
            self._drawn = (view, {key: self._path(moves, view) for key, moves in self._groups.items()})
        current, slots = session.index_of(session.selected), session.colours.slots(session.checked_ids)
        p.setBrush(Qt.BrushStyle.NoBrush)
        for (step, word), path in self._drawn[1].items():
            slot = slots[step] if 0 <= step < len(slots) else -1
            p.setPen(self._pen(slot, word, step == current, theme))
            p.drawPath(path)
        lit = self._path((i for i in self.lit if i < len(self._lines)), view)
        p.setPen(pens.pen(theme.accent, 4))
        p.drawPath(lit)
        if self.tool_at is not None:
            c, r = view.at(self.tool_at[:2]), max(self.tool_radius * view.scale, 3)
            p.setPen(pens.pen(theme.ink, 2))
            p.setBrush(pens.tint(theme.accent, 0.25))
            p.drawEllipse(QRectF(c.x() - r, c.y() - r, 2 * r, 2 * r))
            p.setBrush(QColor(theme.ink))
            p.drawEllipse(QPointF(c), 2.5, 2.5)

    def _pen(self, slot: int, word: str, strong: bool, theme: Theme) -> QPen:
        """Feed solid and as thick as its load, rapid thin dashes, plunge dotted."""
        colour = hue(slot) if slot >= 0 else theme.soft_ink
        if strong and slot >= 0:
            own = QColor(colour)
            colour = (own.darker(160) if theme.name == "day" else own.lighter(140)).name()
        if word == "rapid":
            return pens.pen(pens.tint(theme.soft_ink, 0.9 if strong else 0.35), 1.0, [4, 5])
        ink = pens.tint(colour, 1.0 if strong else 0.4)
        return pens.pen(ink, 1.8, [1, 2.4]) if word == "plunge" else pens.pen(ink, WIDTHS[word])
