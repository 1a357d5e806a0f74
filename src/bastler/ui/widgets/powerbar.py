"""How much of the spindle's power a cut takes: a bar with its words, under the form."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from bastler.ui.drawing import pens
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import Theme

MUCH = 0.85


class PowerBar(QWidget):
    """Hidden while there is nothing to show."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.share: float | None = None
        self.setFixedHeight(46)
        self.setAccessibleName("Share of the spindle's power")
        self.hide()

    def sizeHint(self) -> QSize:
        return QSize(300, 46)

    def show_share(self, share: float | None) -> None:
        """Show a share of 1, or nothing."""
        self.share = share
        self.setVisible(share is not None)
        self.setToolTip("" if share is None else f"{share * 100:.0f} % of the spindle's power at this speed")
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        if self.share is None:
            return
        p, t = QPainter(self), self.theme
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        colour = t.stop if self.share > 1 else t.warn if self.share > MUCH else t.accent
        p.setFont(font())
        p.setPen(QColor(t.soft_ink))
        p.drawText(QRectF(16, 4, 200, 20), Qt.AlignmentFlag.AlignVCenter, "Spindle power")
        p.setPen(QColor(colour if self.share > MUCH else t.ink))
        mark = "■ " if self.share > 1 else "▲ " if self.share > MUCH else ""
        p.drawText(
            QRectF(self.width() - 116, 4, 100, 20),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            f"{mark}{self.share * 100:.0f} %",
        )
        whole = QRectF(16, 28, self.width() - 32, 8)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(t.line))
        p.drawRoundedRect(whole, 4, 4)
        p.setBrush(pens.tint(colour, 0.9))
        p.drawRoundedRect(QRectF(whole.left(), whole.top(), whole.width() * min(self.share, 1.0), whole.height()), 4, 4)
        p.end()
