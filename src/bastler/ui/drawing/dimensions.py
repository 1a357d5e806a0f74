"""Laying out dimensions: which go on which side, on which tier, and where their text stands.

*Tier*: a line parallel to the view's edge on which dimensions stand; the shortest dimension is
nearest. *Tag*: the text of a dimension with its rectangle, for clicking and for lighting up.
Level and upright dimensions go outside the view; turned ones stay beside their feature.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from msgspec import Struct
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter

from bastler.core.marks import Angle, Distance, Radius, Sign
from bastler.ui.drawing.pens import arrow, thin
from bastler.ui.drawing.projection import Projection
from bastler.ui.drawing.texts import lead
from bastler.ui.theme.style import font

if TYPE_CHECKING:
    from bastler.ui.drawing.zoom import ZoomSheet

TIER_PX = 30.0
SIDE_TIER_PX = 42.0
FIRST_TIER_PX = 24.0
GAP_PX = 4.0
OVERSHOOT_PX = 6.0
BESIDE_PX = 22.0
SHORT_PX = 26.0
TEXT_PX = 22.0
ALONG = (0.25, -0.25, 0.4, -0.4)
"""Where on its line a text goes that finds its middle taken, as shares of the line."""


class Tag(Struct, frozen=True):
    """A dimension's text on the sheet."""

    field: str
    rect: QRectF


class DimensionText(Struct):
    """What a dimension says: text by field, which one is in focus, which are missing."""

    text: dict[str, str]
    focus: str
    missing: frozenset[str]


class DimensionPainter:
    """Paints the dimensions of one view and remembers the tags."""

    def __init__(
        self, sheet: ZoomSheet, painter: QPainter, view: Projection, frame: QRectF, words: DimensionText
    ) -> None:
        self.p, self.view, self.frame, self.words = painter, view, frame, words
        self.theme, self.texts, self.window = sheet.theme, sheet.texts, sheet.window_of(view)
        self.tags: list[Tag] = []
        self._taken: dict[str, list[list[tuple[float, float]]]] = {"top": [], "bottom": [], "left": [], "right": []}

    def after(self, other: DimensionPainter) -> None:
        """Stand behind the dimensions of another painter on the same view."""
        self._taken = other._taken

    # straight dimensions

    def distances(self, marks: list[tuple[Distance, str]]) -> None:
        """Straight dimensions, each with its side: ``top``, ``bottom``, ``left``, ``right`` or ``beside``.

        One that has nothing to say is left out.
        """
        marks = [m for m in marks if self.words.text.get(m[0].field)]
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
        seen = self._seen(low, high, level=level)
        if seen is None:
            return
        low, high = seen
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
            if not low - 1 <= (end.x() if level else end.y()) <= high + 1:
                continue
            start = self._on_paper(end.y() if level else end.x(), level=not level) + sign * GAP_PX
            stop = at + sign * OVERSHOOT_PX
            self.p.drawLine(QLineF(end.x(), start, end.x(), stop) if level else QLineF(start, end.y(), stop, end.y()))
        p0, p1 = (QPointF(low, at), QPointF(high, at)) if level else (QPointF(at, low), QPointF(at, high))
        self._line(p0, p1, colour, lit)
        self._tag(mark.field, (p0 + p1) / 2, colour, lit, along=p1 - p0)

    def _seen(self, low: float, high: float, *, level: bool) -> tuple[float, float] | None:
        """What is in view of a stretch along the sheet; ``None`` if nothing is."""
        if self.window is None:
            return low, high
        first, last = (self.window.left(), self.window.right()) if level else (self.window.top(), self.window.bottom())
        return None if high < first or low > last else (max(low, first), min(high, last))

    def _on_paper(self, value: float, *, level: bool) -> float:
        if self.window is None:
            return value
        first, last = (self.window.left(), self.window.right()) if level else (self.window.top(), self.window.bottom())
        return min(max(value, first), last)

    def _out_of_view(self, at: QPointF) -> bool:
        return self.window is not None and not self.window.contains(at)

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
        if line.length() < 1 or self._out_of_view((a + b) / 2):
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
        self._tag(mark.field, at, colour, lit, along=b - a)

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
        if self._out_of_view(p):
            return
        if not self.words.text.get(mark.field):
            return
        sign = "Ø" if mark.diameter else "R"
        size = self._width(mark.field, sign)
        places = []
        for turn, reach in ((0, 24), (25, 26), (-25, 26), (0, 44), (45, 34), (-45, 34), (0, 70), (180, 40)):
            a = angle + math.radians(turn)
            direction = QPointF(math.cos(a), -math.sin(a))
            places.append(p + direction * reach + QPointF(math.copysign(size / 2, direction.x()), 0))
        best = self.texts.find(places[0], (size, TEXT_PX), places[1:]).center()
        pen = thin(colour)
        pen.setWidthF(1.8 if lit else 1.0)
        self.p.setPen(pen)
        near = best - QPointF(math.copysign(size / 2, best.x() - p.x()), 0)
        self.p.drawLine(QLineF(p, near))
        line = QLineF(near, p)
        arrow(self.p, p, -line.angle(), colour)
        self._tag(mark.field, best, colour, lit, sign, led=True)

    def angle(self, mark: Angle) -> None:
        """An angle with its arc."""
        colour, lit = self._look(mark.field)
        c, r = self.view.at(mark.centre), mark.radius * self.view.scale
        if self._out_of_view(c) or not self.words.text.get(mark.field):
            return
        self.p.setPen(thin(colour))
        self.p.setBrush(Qt.BrushStyle.NoBrush)
        self.p.drawArc(QRectF(c.x() - r, c.y() - r, 2 * r, 2 * r), round(mark.start * 16), round(mark.sweep * 16))
        middle = math.radians(mark.start + mark.sweep / 2)
        self._tag(mark.field, c + QPointF(math.cos(middle), -math.sin(middle)) * r, colour, lit, suffix="°")

    def sign(self, mark: Sign, *, small: bool = True) -> None:
        """A short text beside a point."""
        colour, lit = self._look(mark.field)
        at = self.view.at(mark.at)
        if self._out_of_view(at):
            return
        face = font(11 if small else 16, bold=lit)
        width = QFontMetricsF(face).horizontalAdvance(mark.text)
        wanted = at + QPointF(9 + width / 2, -13) if small else at
        rect = self.texts.write(self.p, mark.text, wanted, colour if lit else self.theme.soft_ink, face)
        self.tags.append(Tag(mark.field, rect))

    # texts

    def _text(self, field: str, prefix: str, suffix: str = "") -> str:
        """A size without its sign; what asks, or names itself (a thread), stands as it is."""
        said = self.words.text.get(field, "")
        if field in self.words.missing or said[-1:] in ("?", "!") or said[:1].isalpha():
            return said
        plain = said.lstrip("-")
        return plain if plain.startswith(prefix) and prefix else f"{prefix}{plain}{suffix}"

    def _width(self, field: str, prefix: str) -> float:
        return QFontMetricsF(font(12, bold=True)).horizontalAdvance(self._text(field, prefix)) + 14

    def _tag(
        self, field: str, at: QPointF, colour: str, lit: bool, prefix: str = "", suffix: str = "",
        along: QPointF | None = None, led: bool = False,
    ) -> None:  # fmt: skip
        """A dimension's text: on its line, else shifted along it, else as near as there is room, with a leader."""
        text = self._text(field, prefix, suffix)
        missing = field in self.words.missing
        self.p.setFont(font(12 if lit else 11, bold=lit or missing))
        width = QFontMetricsF(self.p.font()).horizontalAdvance(text) + 12
        shifts = [at + along * share for share in ALONG] if along is not None else []
        rect = self.texts.take(text, self.texts.find(at, (width, TEXT_PX), shifts))
        on_line = along is not None and any(rect.contains(q) for q in (at, *shifts))
        if not led and not on_line:
            lead(self.p, rect, at, colour)
        self.p.setFont(font(12 if lit else 11, bold=lit or missing))
        self.p.setPen(Qt.PenStyle.NoPen)
        if lit or missing:
            self.p.setBrush(QColor(self.theme.accent_fill))
            self.p.setPen(thin(self.theme.accent))
            self.p.drawRoundedRect(rect, 5, 5)
            colour = self.theme.accent
        else:
            self.p.fillRect(rect.adjusted(2, 1, -2, -1), QColor(self.theme.paper))
        self.p.setPen(QColor(colour))
        self.p.drawText(rect, Qt.AlignmentFlag.AlignCenter, text)
        if field:
            self.tags.append(Tag(field, rect.adjusted(-4, -6, 4, 6)))
