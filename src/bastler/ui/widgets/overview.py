"""The overview of shortcuts, made from the table of commands."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialog, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from bastler.ui.commands import Command

MORE = (
    ("In a form", (("Enter", "next open question; the last one accepts"), ("Tab", "next field"))),
    ("On the ribbon", (("Left, Right", "a moment back or on"), ("Home, End", "start or end"))),
    ("In the solid view", (("Arrows", "turn"), ("Shift + arrows", "pan"), ("+  −", "zoom"))),
)


class Overview(QDialog):
    """Groups side by side."""

    def __init__(self, commands: list[Command], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("All shortcuts")
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 18, 24, 18)
        row = QHBoxLayout()
        row.setSpacing(36)
        groups = [
            (g, tuple((c.keys.split(" | ")[0], c.title) for c in commands if c.group == g))
            for g in dict.fromkeys(c.group for c in commands)
        ]
        everything = [*groups, *MORE]
        half = sum(len(rows) + 2 for _, rows in everything) / 2
        box, used = QVBoxLayout(), 0
        row.addLayout(box)
        for name, rows in everything:
            if used > half:
                box.addStretch(1)
                box, used = QVBoxLayout(), -1000
                row.addLayout(box)
            title = QLabel(name)
            title.setProperty("role", "group")
            box.addWidget(title)
            grid = QGridLayout()
            grid.setHorizontalSpacing(18)
            for i, (keys, what) in enumerate(rows):
                grid.addWidget(QLabel(f"<b>{keys}</b>"), i, 0)
                grid.addWidget(QLabel(what), i, 1)
            box.addLayout(grid)
            used += len(rows) + 2
        box.addStretch(1)
        column.addLayout(row)
        close = QPushButton("Close")
        close.setDefault(True)
        close.clicked.connect(self.accept)
        column.addWidget(close)
