"""The application as it is, and eyes on it: it answers over a socket what a person could see. It takes no orders.

``python -m tests.hands.watched SOCKET [WORD]``: questions are lines of JSON, ``{"see": NAME, ...}``.
"""

from __future__ import annotations

import json
import socket
import sys
from typing import Any

from PyQt6.QtCore import QObject, QPoint, QSocketNotifier
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QApplication,
    QComboBox,
    QLabel,
    QLineEdit,
    QListWidget,
    QMenu,
    QTableView,
    QWidget,
)


class Eyes(QObject):
    """One person looks, one question at a time."""

    def __init__(self, door: str) -> None:
        super().__init__()
        self._door = socket.socket(socket.AF_UNIX)
        self._door.bind(door)
        self._door.listen()
        self._knock = QSocketNotifier(self._door.fileno(), QSocketNotifier.Type.Read, self)
        self._knock.activated.connect(self._opened)

    def _opened(self) -> None:
        self._knock.setEnabled(False)
        self._line = self._door.accept()[0]
        self._word = QSocketNotifier(self._line.fileno(), QSocketNotifier.Type.Read, self)
        self._word.activated.connect(self._asked)

    def _asked(self) -> None:
        text = self._line.recv(4096)
        if not text:
            self._word.setEnabled(False)
            return
        question = json.loads(text)
        try:
            seen = SEEN[question.pop("see")](**question)
        except Exception as error:  # the eyes' own fault is the test's, not the window's
            seen = {"fault": repr(error)}
        self._line.sendall(json.dumps(seen).encode() + b"\n")


def main() -> int:
    """Open the window and stay."""
    from bastler.ui import app

    app.application()
    eyes = Eyes(sys.argv[1])
    status = app.open_window(sys.argv[2] if len(sys.argv) > 2 else None)
    eyes.deleteLater()
    return status


def _front() -> QWidget | None:
    """What takes the clicks: an open menu, a dialog, or the window."""
    return QApplication.activePopupWidget() or QApplication.activeModalWidget() or _window()


def _window() -> Any:
    return next((w for w in QApplication.topLevelWidgets() if type(w).__name__ == "Window"), None)


def _words(widget: QWidget) -> tuple[str, ...]:
    """By what a person would call a widget."""
    text = widget.text() if isinstance(widget, QAbstractButton | QLabel) else ""
    return tuple(" ".join(w.replace("&", "").split()) for w in (widget.accessibleName(), text) if w)


def _place(word: str, kind: str = "") -> list[int] | None:
    """The middle of what bears a word, in pixels of the screen: a widget (of a ``kind``), an entry of a list or of a menu."""
    front = _front()
    if front is None:
        return None
    if isinstance(front, QMenu):
        for action in front.actions():
            if action.text().replace("&", "").split("\t")[0] == word:
                return _middle(front, front.actionGeometry(action).center())
    for exact in (True, False):
        for widget in sorted(front.findChildren(QWidget), key=lambda w: isinstance(w, QLabel)):
            if (kind and not widget.inherits(kind)) or not widget.isVisible() or widget.visibleRegion().isEmpty():
                continue
            if isinstance(widget, QAbstractItemView):
                found = _entry(widget, word, exact)
                if found is not None:
                    return found
            elif any(w == word if exact else w.startswith(word) for w in _words(widget)):
                proxy = widget.focusProxy() or widget
                return _middle(proxy, proxy.rect().center())
    return None


def _entry(view: QAbstractItemView, word: str, exact: bool) -> list[int] | None:
    model = view.model()
    assert model is not None
    for column in range(model.columnCount() if isinstance(view, QTableView) else 1):
        for row in range(model.rowCount()):
            index = model.index(row, column)
            text = str(model.data(index) or "").split("\n")[0]
            box = view.visualRect(index)
            if (text == word if exact else text.startswith(word)) and view.viewport().rect().contains(box.center()):  # type: ignore[union-attr]
                return _middle(view.viewport(), box.center())  # type: ignore[arg-type]
    return None


def _middle(widget: QWidget, at: QPoint) -> list[int]:
    on_screen = widget.mapToGlobal(at)
    return [on_screen.x(), on_screen.y()]


def _focus() -> dict[str, Any]:
    widget = QApplication.focusWidget()
    if widget is None:
        return {"name": "", "kind": "", "text": "", "selected": ""}
    text, selected = "", ""
    if isinstance(widget, QLineEdit):
        text, selected = widget.text(), widget.selectedText()
    elif isinstance(widget, QComboBox):
        text = widget.currentText()
    elif isinstance(widget, QListWidget):
        item = widget.currentItem()
        text = item.text() if item is not None else ""
    elif isinstance(widget, QAbstractButton):
        text = widget.text()
    return {"name": widget.accessibleName(), "kind": type(widget).__name__, "text": text, "selected": selected}


def _state() -> dict[str, Any]:
    """What the window says."""
    window = _window()
    if window is None or not window.isVisible() or QApplication.activeWindow() is None:
        return {"up": False}
    front = window.stations.get(window.station)
    modal = QApplication.activeModalWidget()
    return {
        "up": True,
        "station": window.station,
        "question": front.question.text() if hasattr(front, "question") else "",
        "missing": front.missing.text() if hasattr(front, "missing") else "",
        "saved": window.bar.saved.text(),
        "status": window.status.text() if window.status.isVisible() else "",
        "checked": window.session.is_checked and not window.checker.busy,
        "dialog": modal.windowTitle() if modal is not None else "",
        "menu": QApplication.activePopupWidget() is not None,
        "step": window.session.current.full_name if window.session.current else "",
        "steps": [s.full_name for s in window.session.plan.steps],
        "findings": [f.kind for f in window.session.checked.findings if f.severity != "note"]
        if window.session.checked
        else [],
    }


def _boxes(*words: str) -> dict[str, Any]:
    """Where things lie: for what must not move."""
    return {word: _place(word) for word in words}


SEEN: dict[str, Any] = {
    "place": _place,
    "focus": _focus,
    "state": _state,
    "boxes": lambda words: _boxes(*words),
}


if __name__ == "__main__":
    sys.exit(main())
