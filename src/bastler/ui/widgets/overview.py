"""The overview of shortcuts, made from the table of commands."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from bastler.ui.commands import Command
from bastler.ui.plain.label import Label
from bastler.ui.theme.tokens import Theme

MORE = (
    ("In a form", (("Enter", "next open question; after the last one the step is done"), ("Tab", "next field"))),
    ("On the ribbon", (("Left, Right", "a moment back or on"), ("Home, End", "start or end"))),
    ("While measuring", (("Arrows", "to the next point"), ("Enter", "take it"), ("Escape", "end"))),
    ("In the solid view", (("Arrows", "turn"), ("Shift + arrows", "pan"), ("+  −", "zoom"))),
)


COLUMNS = 3
HEAD_ROWS = 2
"""A group's head and the gap before it count as so many rows."""


class Overview(QDialog):
    """Groups in columns of about the same height."""

    def __init__(self, commands: list[Command], theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("All shortcuts")
        column = QVBoxLayout(self)
        column.setContentsMargins(28, 18, 28, 18)
        row = QHBoxLayout()
        row.setSpacing(40)
        groups = [
            (g, tuple((c.keys.split(" | ")[0], c.title) for c in commands if c.group == g and c.keys))
            for g in dict.fromkeys(c.group for c in commands)
        ]
        for part in _columns([*groups, *MORE]):
            label = Label("".join(_table(name, rows, theme.accent) for name, rows in part), rich=True)
            label.setAlignment(Qt.AlignmentFlag.AlignTop)
            row.addWidget(label)
        column.addLayout(row)
        close = QPushButton("Close")
        close.setDefault(True)
        close.clicked.connect(self.accept)
        column.addWidget(close)


Group = tuple[str, tuple[tuple[str, str], ...]]


def _columns(groups: list[Group]) -> list[list[Group]]:
    """Groups in their order, the largest column as small as may be."""
    sizes = [len(rows) + HEAD_ROWS for _, rows in groups]
    most = max(sizes)
    while True:
        parts: list[list[Group]] = [[]]
        used = 0
        for group, size in zip(groups, sizes, strict=True):
            if used + size > most and parts[-1]:
                parts.append([])
                used = 0
            parts[-1].append(group)
            used += size
        if len(parts) <= COLUMNS:
            return parts
        most += 1


def _table(name: str, rows: tuple[tuple[str, str], ...], colour: str) -> str:
    """A group as rich text."""
    lines = "".join(f"<tr><td><b>{keys}</b>&nbsp;&nbsp;&nbsp;</td><td>{what}</td></tr>" for keys, what in rows)
    return f"<h4 style='color: {colour}; margin: 8px 0 2px 0'>{name}</h4><table cellspacing='0' cellpadding='1'>{lines}</table>"
