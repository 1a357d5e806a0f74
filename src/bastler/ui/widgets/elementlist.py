"""The list of a contour's lines and arcs, and the line in which a whole one is typed."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QListWidget

from bastler.ui.forms.editors import LineField

LINE_PX = 27


class ElementList(QListWidget):
    """The elements; keys add and remove them, left and right go through answers."""

    added = pyqtSignal(str)
    removed = pyqtSignal()
    answered = pyqtSignal(int)
    entered = pyqtSignal()

    def show_texts(self, texts: list[str], row: int) -> None:
        """Bring lines and selection up to date."""
        self.blockSignals(True)
        while self.count() > len(texts):
            self.takeItem(self.count() - 1)
        for k, text in enumerate(texts):
            item = self.item(k)
            if item is None:
                self.addItem(text)
            elif item.text() != text:
                item.setText(text)
        for k in range(self.count()):
            item = self.item(k)
            if item is not None:
                item.setSizeHint(QSize(0, LINE_PX))
        self.setCurrentRow(row)
        self.blockSignals(False)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """L, R, A add; Delete removes; left and right go through the answers; Enter takes one, or goes to the facts."""
        assert event is not None
        kinds = {Qt.Key.Key_L: "line", Qt.Key.Key_R: "cw", Qt.Key.Key_A: "ccw"}
        key = Qt.Key(event.key())
        if key in kinds and not event.modifiers():
            self.added.emit(kinds[key])
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.removed.emit()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.answered.emit(1 if key == Qt.Key.Key_Right else -1)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.entered.emit()
        else:
            super().keyPressEvent(event)


class TypedLine(LineField):
    """A whole line or arc in one go. While it is empty, left and right go through the answers, up and down through the elements."""

    answered = pyqtSignal(int)
    moved = pyqtSignal(int)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        signals = {
            Qt.Key.Key_Left: (self.answered, -1), Qt.Key.Key_Right: (self.answered, 1),
            Qt.Key.Key_Up: (self.moved, -1), Qt.Key.Key_Down: (self.moved, 1),
        }  # fmt: skip
        key = Qt.Key(event.key())
        if not self.text() and key in signals and not event.modifiers():
            signal, by = signals[key]
            signal.emit(by)
        else:
            super().keyPressEvent(event)
