"""The question above a drawing: in one line as large as it fits, else in two smaller ones. Its height never changes."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFontMetricsF, QResizeEvent

from bastler.ui.plain.label import Label
from bastler.ui.theme.style import font

HEIGHT_PX = 40
LARGE_PT, SMALL_PT = 14.0, 11.0


class Question(Label):
    """A sentence to be read from a step away."""

    def __init__(self) -> None:
        super().__init__()
        self.setWordWrap(True)
        self.setFixedHeight(HEIGHT_PX)
        self.setAlignment(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft)

    def setText(self, text: str | None) -> None:
        super().setText(text)
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        large = font(LARGE_PT, bold=True)
        fits = QFontMetricsF(large).horizontalAdvance(self.text()) <= self.contentsRect().width()
        face = large if fits else font(SMALL_PT, bold=True)
        if self.font() != face:
            self.setFont(face)
