"""The editor of a program: the window's keys stay the window's, Tab goes on, and no key types what can't be seen."""

from __future__ import annotations

from PyQt6.Qsci import QsciScintilla
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence

OWN_LETTERS = (Qt.Key.Key_A, Qt.Key.Key_C, Qt.Key.Key_V, Qt.Key.Key_X)
MOVES = (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down)


class CodeEdit(QsciScintilla):
    """Lines of G-code."""

    def event(self, event: QEvent | None) -> bool:
        """A key that is one of the window's commands is not for the text."""
        if event is None:
            return False
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and self._is_command(event):
            event.ignore()
            return False
        return bool(super().event(event))

    def _is_command(self, event: QKeyEvent) -> bool:
        window = self.window()
        if (
            window is None
            or event.key() in (*MOVES, *OWN_LETTERS)
            or not event.modifiers() & Qt.KeyboardModifier.ControlModifier
        ):
            return False
        keys = QKeySequence(event.keyCombination())
        return any(keys in action.shortcuts() for action in window.actions())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Tab leaves the text; Ctrl with a letter that means nothing here types nothing."""
        assert event is not None
        if event.key() in (Qt.Key.Key_Tab, Qt.Key.Key_Backtab):
            self.focusNextPrevChild(event.key() == Qt.Key.Key_Tab)
            return
        ctrl = event.modifiers() & Qt.KeyboardModifier.ControlModifier
        if ctrl and Qt.Key.Key_A <= event.key() <= Qt.Key.Key_Z and event.key() not in OWN_LETTERS:
            event.ignore()
            return
        super().keyPressEvent(event)

    def focusNextPrevChild(self, forward: bool) -> bool:
        """On to what comes after the text, or before it."""
        window = self.window()
        return bool(window is not None and (window.focusNextChild() if forward else window.focusPreviousChild()))
