"""Choosing a tool: those that fit, best first, each with what speaks for it; then the others and why they don't."""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from bastler.core.plans.choices import Choice
from bastler.ui.plain.label import Label
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import Theme
from bastler.ui.widgets.page import panel_head

LINE_PX = 300


class _List(QListWidget):
    escaped = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape:
            self.escaped.emit()
        else:
            super().keyPressEvent(event)


class ToolChoice(QWidget):
    """A list to pick from; ``chosen`` has the place in the list that was shown."""

    chosen = pyqtSignal(int)
    left = pyqtSignal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 8, 16)
        column.addLayout(panel_head("Which tool?", self.left.emit))
        self.list = _List()
        self.list.setWordWrap(True)
        self.list.setSpacing(2)
        self.list.setAccessibleName("Tools")
        self.list.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.escaped.connect(self.left)
        self.list.itemClicked.connect(self._take)
        self.list.itemActivated.connect(self._take)
        column.addWidget(self.list, 1)

    def open(self, choices: list[Choice], now: int | None, from_library: set[int]) -> None:
        """Show these; ``now`` is the number in use, ``from_library`` the places of tools that the job doesn't have yet."""
        self.list.clear()
        for i, choice in enumerate(choices):
            tool = choice.tool
            where = "library" if i in from_library else f"T{tool.number}"
            mark = "" if choice.fits else "✕  "
            label = Label(f"<b>{mark}{where}  {_plain(tool.name)}</b><br>{_plain(choice.sentence)}.", rich=True)
            label.setWordWrap(True)
            label.setFont(font())
            label.setContentsMargins(8, 6, 8, 6)
            label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            if not choice.fits:
                label.setStyleSheet(f"color: {self.theme.soft_ink};")
            item = QListWidgetItem()
            item.setData(Qt.ItemDataRole.UserRole, i)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{where} {tool.name}: {choice.sentence}")
            if not choice.fits:
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEnabled)
                item.setForeground(QColor(self.theme.soft_ink))
            self.list.addItem(item)
            height = label.heightForWidth(LINE_PX)
            item.setSizeHint(label.sizeHint().expandedTo(label.minimumSizeHint()))
            hint = item.sizeHint()
            hint.setWidth(LINE_PX)
            hint.setHeight(height)
            item.setSizeHint(hint)
            self.list.setItemWidget(item, label)
            if choice.fits and i not in from_library and tool.number == now:
                self.list.setCurrentItem(item)
        if self.list.currentRow() < 0 and choices and choices[0].fits:
            self.list.setCurrentRow(0)
        self.list.setFocus()

    def _take(self, item: QListWidgetItem) -> None:
        if item.flags() & Qt.ItemFlag.ItemIsEnabled:
            self.chosen.emit(int(item.data(Qt.ItemDataRole.UserRole)))


def _plain(text: str) -> str:
    """A sentence inside rich text, without its full stop."""
    return escape(text.rstrip("."))
