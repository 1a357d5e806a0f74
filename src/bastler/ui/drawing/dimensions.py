"""Laying out dimensions: which go on which side, on which tier, and where their text stands.

*Tier*: a line parallel to the view's edge on which dimensions stand; the shortest dimension is
nearest. *Tag*: the text of a dimension with its rectangle, for clicking and for lighting up.
Level and upright dimensions go outside the view; turned ones stay beside their feature.
"""

from __future__ import annotations

import math

from msgspec import Struct
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter

from bastler.core.marks import Angle, Distance, Radius, Sign
from bastler.ui.drawing.pens import arrow, thin
from bastler.ui.drawing.projection import Projection
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import Theme

TIER_PX = 30.0
SIDE_TIER_PX = 42.0
FIRST_TIER_PX = 24.0
GAP_PX = 4.0
OVERSHOOT_PX = 6.0
BESIDE_PX = 22.0
SHORT_PX = 26.0


class Tag(Struct, frozen=True):
    """A dimension's text on the sheet."""

    field: str
    rect: QRectF


class Words(Struct):
    """What a dimension says: text by field, which one is in focus, which are missing."""

    text: dict[str, str]
    focus: str
    missing: frozenset[str]


class DimensionPainter:
    """Paints the dimensions of one view and remembers the tags."""

    def __init__(self, painter: QPainter, theme: Theme, view: Projection, frame: QRectF, words: Words) -> None:
        self.p, self.theme, self.view, self.frame, self.words = painter, theme, view, frame, words
        self.tags: list[Tag] = []
        self._taken: dict[str, list[list[tuple[float, float]]]] = {"top": [], "bottom": [], "left": [], "right": []}
        self._labels: list[QRectF] = []

    def keep_clear(self, rect: QRectF) -> None:
        """A place where no label may stand."""
        self._labels.append(rect)

    # straight dimensions

    def distances(self, marks: list[tuple[Distance, str]]) -> None:
        """Straight dimensions, each with its side: ``top``, ``bottom``, ``left``, ``right`` or ``beside``."""
        order = sorted(marks, key=lambda m: (m[0].field != self.words.focus and 0, self._span(m[0])))
        for mark, side in order:
            if side == "beside":
                self._beside(mark)
            else:
                self._tiered(mark, side)

    def _span(self, mark: Distance) -> float:
        return math.dist(mark.a, mark.b)

    def _look(self, field: str) -> tuple[str, bool]:
        lit = bool(field) and field == self.words.focus
        return (self.theme.accent if lit else self.theme.ink if field else self.theme.soft_ink), lit

    def _tiered(self, mark: Distance, side: str) -> None:
        level = side in ("top", "bottom")
        a, b = self.view.at(mark.a), self.view.at(mark.b)
        low, high = sorted((a.x(), b.x()) if level else (a.y(), b.y()))
        width = self._width(mark.field, "")
        need = width + 10 if level else 26.0
        middle = (low + high) / 2
        span = (min(low, middle - need / 2) - 8, max(high, middle + need / 2) + 8)
        tier = self._free_tier(side, span)
        away = FIRST_TIER_PX + tier * (TIER_PX if level else SIDE_TIER_PX)
        f = self.frame
        at = {"top": f.top() - away, "bottom": f.bottom() + away, "left": f.left() - away, "right": f.right() + away}[
            side
        ]
        colour, lit = self._look(mark.field)
        self.p.setPen(thin(colour if lit else self.theme.soft_ink))
        sign = 1.0 if side in ("bottom", "right") else -1.0
        for end in (a, b):
            start = (end.y() if level else end.x()) + sign * GAP_PX
            stop = at + sign * OVERSHOOT_PX
            self.p.drawLine(QLineF(end.x(), start, end.x(), stop) if level else QLineF(start, end.y(), stop, end.y()))
        p0, p1 = (QPointF(low, at), QPointF(high, at)) if level else (QPointF(at, low), QPointF(at, high))
        self._line(p0, p1, colour, lit)
        self._tag(mark.field, QPointF((p0.x() + p1.x()) / 2, (p0.y() + p1.y()) / 2), colour, lit)

    def _free_tier(self, side: str, span: tuple[float, float]) -> int:
        tiers = self._taken[side]
        for i, used in enumerate(tiers):
            if all(span[1] < s[0] or span[0] > s[1] for s in used):
                used.append(span)
                return i
        tiers.append([span])
        return len(tiers) - 1

    def _beside(self, mark: Distance) -> None:
        a, b = self.view.at(mark.a), self.view.at(mark.b)
        line = QLineF(a, b)
        if line.length() < 1:
            return
        normal = line.normalVector().unitVector()
        shift = QPointF(normal.dx(), normal.dy()) * BESIDE_PX
        colour, lit = self._look(mark.field)
        self.p.setPen(thin(colour))
        for end in (a, b):
            self.p.drawLine(QLineF(end + shift * 0.2, end + shift * 1.25))
        self._line(a + shift, b + shift, colour, lit)
        at = (a + b) / 2 + shift
        if line.length() <= SHORT_PX:
            # There is no room for the text between the arrows: it stands behind them.
            half = (abs(normal.dx()) * self._width(mark.field, "") + abs(normal.dy()) * 24) / 2
            at += QPointF(normal.dx(), normal.dy()) * (half + GAP_PX)
        self._tag(mark.field, at, colour, lit)

    def _line(self, p0: QPointF, p1: QPointF, colour: str, lit: bool) -> None:
        pen = thin(colour)
        pen.setWidthF(1.8 if lit else 1.0)
        self.p.setPen(pen)
        line = QLineF(p0, p1)
        angle = -line.angle()
        if line.length() > SHORT_PX:
            self.p.drawLine(line)
            arrow(self.p, p0, angle + 180, colour)
            arrow(self.p, p1, angle, colour)
        else:
            unit = line.unitVector()
            out = QPointF(unit.dx(), unit.dy()) * 16
            self.p.drawLine(QLineF(p0 - out, p1 + out))
            arrow(self.p, p0, angle, colour)
            arrow(self.p, p1, angle + 180, colour)

    # round ones

    def radius(self, mark: Radius) -> None:
        """A radius or diameter with a leader to its label."""
        colour, lit = self._look(mark.field)
        angle = math.radians(mark.angle)
        rim = (mark.centre[0] + mark.radius * math.cos(angle), mark.centre[1] + mark.radius * math.sin(angle))
        p = self.view.at(rim)
        out = QPointF(math.cos(angle), -math.sin(angle))
        sign = "Ø" if mark.diameter else "R"
        if self.words.text.get(mark.field, "")[:1].isalpha() and mark.field not in self.words.missing:
            sign = ""  # a thread's or a screw's own name
        text = self._text(mark.field, sign)
        metrics = QFontMetricsF(font(bold=lit))
        size = metrics.horizontalAdvance(text) + 14
        best = p + out * 24
        for turn, reach in ((0, 24), (25, 26), (-25, 26), (0, 44), (45, 34), (-45, 34), (0, 70), (180, 40)):
            a = angle + math.radians(turn)
            direction = QPointF(math.cos(a), -math.sin(a))
            at = p + direction * reach + QPointF(math.copysign(size / 2, direction.x()), 0)
            rect = QRectF(at.x() - size / 2, at.y() - 11, size, 22)
            best = at
            if not any(rect.intersects(r) for r in self._labels):
                break
        pen = thin(colour)
        pen.setWidthF(1.8 if lit else 1.0)
        self.p.setPen(pen)
        near = best - QPointF(math.copysign(size / 2, best.x() - p.x()), 0)
        self.p.drawLine(QLineF(p, near))
        line = QLineF(near, p)
        arrow(self.p, p, -line.angle(), colour)
        self._tag(mark.field, best, colour, lit, sign)

    def angle(self, mark: Angle) -> None:
        """An angle with its arc."""
        colour, lit = self._look(mark.field)
        c, r = self.view.at(mark.centre), mark.radius * self.view.scale
        self.p.setPen(thin(colour))
        self.p.setBrush(Qt.BrushStyle.NoBrush)
        self.p.drawArc(QRectF(c.x() - r, c.y() - r, 2 * r, 2 * r), round(mark.start * 16), round(mark.sweep * 16))
        middle = math.radians(mark.start + mark.sweep / 2)
        self._tag(mark.field, c + QPointF(math.cos(middle), -math.sin(middle)) * r, colour, lit, suffix="°")

    def sign(self, mark: Sign, *, small: bool = True) -> None:
        """A short text beside a point."""
        colour, lit = self._look(mark.field)
        at = self.view.at(mark.at)
        self.p.setFont(font(11 if small else 16, bold=lit))
        metrics = QFontMetricsF(self.p.font())
        width = metrics.horizontalAdvance(mark.text)
        rect = (
            QRectF(at.x() + 7, at.y() - 22, width + 4, 18)
            if small
            else QRectF(at.x() - width / 2 - 6, at.y() - 16, width + 12, 32)
        )
        self.p.setPen(QColor(colour if lit else self.theme.soft_ink))
        self.p.drawText(rect, Qt.AlignmentFlag.AlignCenter, mark.text)
        self.tags.append(Tag(mark.field, rect))

    # texts

    def _text(self, field: str, prefix: str, suffix: str = "") -> str:
        said = self.words.text.get(field, "")
        return f"{prefix}{said}{suffix}"

    def _width(self, field: str, prefix: str) -> float:
        return QFontMetricsF(font(bold=True)).horizontalAdvance(self._text(field, prefix)) + 14

    def _tag(self, field: str, at: QPointF, colour: str, lit: bool, prefix: str = "", suffix: str = "") -> None:
        text = self._text(field, prefix, suffix)
        missing = field in self.words.missing
        self.p.setFont(font(12 if lit else 11, bold=lit or missing))
        width = QFontMetricsF(self.p.font()).horizontalAdvance(text) + 12
        rect = QRectF(at.x() - width / 2, at.y() - 12, width, 24)
        self.p.setPen(Qt.PenStyle.NoPen)
        if lit or missing:
            self.p.setBrush(QColor(self.theme.accent_fill))
            self.p.setPen(thin(self.theme.accent))
            self.p.drawRoundedRect(rect, 5, 5)
            colour = self.theme.accent
        else:
            self.p.fillRect(rect.adjusted(2, 3, -2, -3), QColor(self.theme.paper))
        self.p.setPen(QColor(colour))
        self.p.drawText(rect, Qt.AlignmentFlag.AlignCenter, text)
        self._labels.append(rect)
        if field:
            self.tags.append(Tag(field, rect.adjusted(-4, -6, 4, 6)))
