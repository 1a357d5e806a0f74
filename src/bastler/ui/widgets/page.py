"""Columns of pages: a narrow bench at a side of the drawing."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget


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
