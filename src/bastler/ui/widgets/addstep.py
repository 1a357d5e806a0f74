"""Adding a step: type a word or click; only what exists is offered."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QIcon, QKeyEvent, QPainter, QPixmap
from PyQt6.QtWidgets import (
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from bastler.core.cycles import cycles
from bastler.core.cycles.base import Cycle
from bastler.core.tooling.machines import Machine, first_of
from bastler.ui.plain.label import Label
from bastler.ui.plain.line import LineEdit
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import DAY, Theme, hue
from bastler.ui.widgets.cards import paint_pictogram, wrapped
from bastler.ui.widgets.page import panel_head

SUMMARY_PX = 220.0


class _Search(LineEdit):
    moved = pyqtSignal(int)
    escaped = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.moved.emit(1 if event.key() == Qt.Key.Key_Down else -1)
        elif event.key() == Qt.Key.Key_Escape:
            self.escaped.emit()
        else:
            super().keyPressEvent(event)


class AddStep(QWidget):
    """A search line over the list of cycles."""

    chosen = pyqtSignal(str)
    left = pyqtSignal()

    def __init__(self, theme: Theme = DAY, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self._offered: list[Cycle] = []
        self.machine = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 16)
        column.addLayout(panel_head("Add a step", self.left.emit))
        self.search = _Search()
        self.search.setPlaceholderText("what is cut: face, pocket, hole …")
        self.search.setAccessibleName("Word for the new step")
        self.search.textChanged.connect(self._filter)
        self.search.returnPressed.connect(self._take)
        self.search.moved.connect(self._move)
        self.search.escaped.connect(self.left)
        column.addWidget(self.search)
        self.none = Label("Nothing here goes by that word.")
        self.none.setProperty("role", "soft")
        self.none.hide()
        column.addWidget(self.none)
        self.list = QListWidget()
        self.list.setIconSize(QSize(56, 48))
        self.list.setSpacing(4)
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setAccessibleName("Kinds of step")
        self.list.itemClicked.connect(lambda item: self.chosen.emit(str(item.data(Qt.ItemDataRole.UserRole))))
        self.list.itemActivated.connect(lambda item: self.chosen.emit(str(item.data(Qt.ItemDataRole.UserRole))))
        column.addWidget(self.list, 1)

    def open(self, slot: int, machine: Machine | None = None) -> None:
        """Fresh list of what a machine can do, cursor in the search line."""
        self.list.clear()
        machine = machine or first_of("mill")
        self.machine = machine.id
        self._offered = cycles().offered(machine)
        for cycle in self._offered:
            item = QListWidgetItem(self._icon(cycle, hue(slot)), f"{cycle.name}\n{cycle.summary}")
            item.setData(Qt.ItemDataRole.UserRole, cycle.id)
            lines = len(wrapped(cycle.summary, QFontMetricsF(font()), SUMMARY_PX))
            item.setSizeHint(QSize(240, 44 + 20 * lines))
            self.list.addItem(item)
        self.search.clear()
        self._filter("")
        self.search.setFocus()

    def _icon(self, cycle: Cycle, colour: str) -> QIcon:
        pixmap = QPixmap(112, 96)
        pixmap.fill(Qt.GlobalColor.transparent)
        painter = QPainter(pixmap)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.scale(2, 2)
        paint_pictogram(painter, QRectF(4, 4, 48, 40), cycle.pictogram, self.theme.ink, colour)
        painter.end()
        return QIcon(pixmap)

    def _filter(self, text: str) -> None:
        wanted = text.lower().split()
        best, rank = -1, len(cycles()) * 100
        for i, cycle in enumerate(self._offered):
            words = (cycle.name.lower(), *cycle.words)
            places = [next((n for n, w in enumerate(words) if w.startswith(part)), -1) for part in wanted]
            fits = -1 not in places
            self.list.item(i).setHidden(not fits)  # type: ignore[union-attr]
            if fits and sum(places) < rank:
                best, rank = i, sum(places)
        self.list.setCurrentRow(best)
        self.none.setVisible(best < 0)

    def _move(self, by: int) -> None:
        row = self.list.currentRow() + by
        while 0 <= row < self.list.count():
            if not self.list.item(row).isHidden():  # type: ignore[union-attr]
                self.list.setCurrentRow(row)
                return
            row += by

    def _take(self) -> None:
        item = self.list.currentItem()
        if item is not None and not item.isHidden():
            self.chosen.emit(str(item.data(Qt.ItemDataRole.UserRole)))
