"""The number pad that opens when a finger touches a field: 44 px keys, typed into the field like a keyboard."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QApplication, QFrame, QGridLayout, QLineEdit, QPushButton, QWidget

KEYS = ("7", "8", "9", "/", "4", "5", "6", "*", "1", "2", "3", "-", "0", ".", "⌫", "+")
KEY_PX = 48


class NumberPad(QFrame):
    """A panel beside the field it types into."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self.setObjectName("banner")
        self.setAutoFillBackground(True)
        grid = QGridLayout(self)
        self._line: QLineEdit | None = None
        self._done: Callable[[], None] = lambda: None
        for i, key in enumerate((*KEYS, "Next")):
            button = QPushButton(key)
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.setMinimumSize(KEY_PX, KEY_PX)
            button.clicked.connect(lambda _, k=key: self.press(k))
            if key == "Next":
                button.setProperty("role", "main")
                grid.addWidget(button, 4, 0, 1, 4)
            else:
                grid.addWidget(button, i // 4, i % 4)
        self.hide()

    def open_for(self, widget: QWidget, done: Callable[[], None]) -> None:
        """Show beside a line."""
        if not isinstance(widget, QLineEdit):
            return
        self._line, self._done = widget, done
        self.adjustSize()
        window = self.parentWidget()
        assert window is not None
        at = widget.mapTo(window, QPoint(-self.width() - 12, -40))
        self.move(max(at.x(), 8), min(max(at.y(), 8), window.height() - self.height() - 8))
        self.show()
        self.raise_()

    def press(self, key: str) -> None:
        """One key."""
        if self._line is None:
            return
        if key == "Next":
            self.hide()
            self._done()
            return
        code = Qt.Key.Key_Backspace if key == "⌫" else Qt.Key.Key_unknown
        text = "" if key == "⌫" else key
        for kind in (QKeyEvent.Type.KeyPress, QKeyEvent.Type.KeyRelease):
            QApplication.sendEvent(self._line, QKeyEvent(kind, code, Qt.KeyboardModifier.NoModifier, text))
