"""Columns of pages: a narrow bench at a side of the drawing."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from bastler.ui.plain.label import Label


def bench(width: int, margins: tuple[int, int, int, int]) -> tuple[QWidget, QVBoxLayout]:
    """A column of fixed width in the bench's colour, and its layout."""
    column = QWidget()
    column.setObjectName("bench")
    column.setFixedWidth(width)
    box = QVBoxLayout(column)
    box.setContentsMargins(*margins)
    return column, box


def record_head(*widgets: QWidget) -> QHBoxLayout:
    """The line above a record's form; the last widget takes the room left."""
    head = QHBoxLayout()
    head.setContentsMargins(16, 0, 16, 0)
    for i, widget in enumerate(widgets):
        head.addWidget(widget, int(i == len(widgets) - 1))
    return head


def panel_head(word: str, leave: Callable[[], None]) -> QHBoxLayout:
    """The line above a panel that stands in for the form: its title, and the way out."""
    head = QHBoxLayout()
    title = Label(word)
    title.setProperty("role", "title")
    close = QPushButton("Close")
    close.setProperty("role", "quiet")
    close.clicked.connect(lambda _: leave())
    head.addWidget(title, 1)
    head.addWidget(close)
    return head
