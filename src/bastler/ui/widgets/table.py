"""Tables of records (tools, patterns): whole lines are selected, nothing is edited in place."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

ROW_PX = 40


class RecordTable(QTableWidget):
    """A table with named columns; ``wide`` is the column that takes the room left, ``right`` those of numbers."""

    def __init__(self, columns: tuple[str, ...], name: str, wide: int, right: tuple[int, ...]) -> None:
        super().__init__(0, len(columns))
        self._right = right
        self.setHorizontalHeaderLabels(list(columns))
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        self.setAccessibleName(name)
        vertical, horizontal = self.verticalHeader(), self.horizontalHeader()
        assert vertical is not None
        assert horizontal is not None
        vertical.hide()
        vertical.setDefaultSectionSize(ROW_PX)
        horizontal.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        horizontal.setSectionResizeMode(wide, QHeaderView.ResizeMode.Stretch)
        horizontal.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)

    def show_rows(self, rows: list[tuple[str, ...]], current: int) -> None:
        """Fill the table and keep a line selected, without telling anybody."""
        self.blockSignals(True)
        self.setRowCount(len(rows))
        for i, texts in enumerate(rows):
            for j, text in enumerate(texts):
                item = QTableWidgetItem(text)
                if j in self._right:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.setItem(i, j, item)
        self.setCurrentCell(current, max(self.currentColumn(), 0))
        self.blockSignals(False)
