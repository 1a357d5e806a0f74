"""Rows of a list as high as their whole text: nothing that a person must read ends in three dots."""

from __future__ import annotations

from PyQt6.QtCore import QModelIndex, QRect, QSize, Qt
from PyQt6.QtWidgets import QListView, QListWidget, QStyledItemDelegate, QStyleOptionViewItem

BESIDE_PX = 44
"""Icon, gaps and margins beside the text."""
ABOVE_AND_BELOW_PX = 10
HIGHEST_PX = 100_000


class WholeText(QStyledItemDelegate):
    """Measures a row by the width that the list has now, scroll bar and all."""

    def __init__(self, view: QListWidget) -> None:
        super().__init__(view)
        self._view = view
        view.setWordWrap(True)
        view.setResizeMode(QListView.ResizeMode.Adjust)
        view.setItemDelegate(self)

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        """As high as the wrapped text."""
        viewport = self._view.viewport()
        assert viewport is not None
        width = max(viewport.width() - BESIDE_PX - 2 * self._view.spacing(), 1)
        text = str(index.data(Qt.ItemDataRole.DisplayRole))
        flags = int(Qt.TextFlag.TextWordWrap)
        high = option.fontMetrics.boundingRect(QRect(0, 0, width, HIGHEST_PX), flags, text).height()
        return QSize(super().sizeHint(option, index).width(), high + ABOVE_AND_BELOW_PX)
