"""Questions to the person, and long work beside the window. Whatever a text holds is shown as it is, never read as marks."""

from __future__ import annotations

from collections.abc import Callable
from threading import Thread
from typing import TypeVar

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QMessageBox,
    QProgressBar,
    QProgressDialog,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bastler.ui.plain.label import Label

T = TypeVar("T")
MOMENT_S = 0.25
LOOK_MS = 40
WAITING_PX = 380


def tell(parent: QWidget, text: str) -> None:
    """Something that has to be read before going on."""
    box = _box(parent, "Bastler", text)
    box.addButton("Close", QMessageBox.ButtonRole.RejectRole)
    box.exec()


def choose(
    parent: QWidget, title: str, text: str, answers: tuple[str, ...], *, leave: str = "Cancel", more: str = "", details: str = ""
) -> str:  # fmt: skip
    """One of ``answers``, or ``leave``, which Escape gives too. ``more`` stands below; ``details`` behind a button."""
    box = _box(parent, title, text)
    box.setInformativeText(more)
    if details:
        box.setDetailedText(details)
    words = {box.addButton(word, QMessageBox.ButtonRole.AcceptRole): word for word in answers}
    out = box.addButton(leave, QMessageBox.ButtonRole.RejectRole)
    box.setEscapeButton(out)
    box.setDefaultButton(out)
    box.exec()
    return next((word for button, word in words.items() if button is box.clickedButton()), leave)


def _box(parent: QWidget, title: str, text: str) -> QMessageBox:
    box = QMessageBox(parent)
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setWindowTitle(title)
    box.setText(text)
    return box


def beside(work: Callable[[], T], sentence: str, parent: QWidget) -> T:
    """What some work gives; if it takes longer than a moment, a sentence says so and the window lives meanwhile."""
    found: list[T] = []
    failed: list[Exception] = []

    def run() -> None:
        try:
            found.append(work())
        except Exception as trouble:
            failed.append(trouble)

    thread = Thread(target=run, daemon=True)
    thread.start()
    thread.join(MOMENT_S)
    if thread.is_alive():
        waiting = progress(sentence, parent)
        waiting.setCancelButton(None)
        timer = QTimer(waiting)
        timer.timeout.connect(lambda: None if thread.is_alive() else waiting.accept())
        timer.start(LOOK_MS)
        waiting.exec()
        thread.join()
    if failed:
        raise failed[0]
    return found[0]


class Waiting(QDialog):
    """Something is waited for that shows how far it is; one may go on without it, or leave."""

    def __init__(self, parent: QWidget, sentence: str, without: str) -> None:
        super().__init__(parent)
        self.setWindowTitle("Bastler")
        self.setModal(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(12)
        self.label, self.bar = Label(sentence), QProgressBar()
        self.label.setWordWrap(True)
        self.label.setMinimumWidth(WAITING_PX)
        self.bar.setTextVisible(False)
        column.addWidget(self.label)
        column.addWidget(self.bar)
        row = QHBoxLayout()
        row.addStretch(1)
        self.went_on = False
        self.without, leave = QPushButton(without), QPushButton("Cancel")
        self.without.setAutoDefault(False)
        self.without.clicked.connect(self._go_on)
        leave.clicked.connect(self.reject)
        row.addWidget(self.without)
        row.addWidget(leave)
        column.addLayout(row)
        leave.setDefault(True)
        leave.setFocus()

    def _go_on(self) -> None:
        self.went_on = True
        self.accept()


def progress(sentence: str, parent: QWidget) -> QProgressDialog:
    """A window that says what is waited for."""
    waiting = QProgressDialog(parent)
    waiting.setLabel(Label(sentence))
    waiting.setRange(0, 0)
    waiting.setMinimumDuration(0)
    waiting.setWindowModality(Qt.WindowModality.ApplicationModal)
    return waiting
