"""The one kind of line to type into: the window's own keys go to the window, wherever the cursor is.

On X11 a line takes Ctrl+E and Ctrl+D for itself (to the end, delete), so that saving the G-code or copying a step did nothing.
"""

from __future__ import annotations

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QLineEdit, QWidget

CHARACTERS = range(Qt.Key.Key_Space.value, Qt.Key.Key_ydiaeresis.value)
"""Keys that are characters; arrows and Delete with Ctrl move and delete words in the line."""

OWN_LETTERS = (Qt.Key.Key_C, Qt.Key.Key_V, Qt.Key.Key_X)
"""With Ctrl they copy and paste text where there is a text."""


class LineEdit(QLineEdit):
    """A line of text."""

    def event(self, event: QEvent | None) -> bool:
        """A key that is one of the window's commands is not for the text."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and is_command(self, event):
            event.ignore()
            return False
        return super().event(event)


def is_command(widget: QWidget, event: QKeyEvent) -> bool:
    """Whether a key is one of the commands of a widget's window."""
    if (
        event.key() not in CHARACTERS
        or event.key() in OWN_LETTERS
        or not event.modifiers() & Qt.KeyboardModifier.ControlModifier
    ):
        return False
    keys, window = QKeySequence(event.keyCombination()), widget.window()
    return window is not None and any(keys in action.shortcuts() for action in window.actions())
