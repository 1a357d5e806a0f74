"""The one kind of label: it shows text as it is, so that a name in a stranger's job is a name and no picture to be loaded."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QWidget


class Label(QLabel):
    """Plain text. ``rich``: text with marks of our own, in which everything else has been escaped (``html.escape``)."""

    def __init__(self, text: str = "", parent: QWidget | None = None, *, rich: bool = False) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.RichText if rich else Qt.TextFormat.PlainText)
        self.setText(text)
