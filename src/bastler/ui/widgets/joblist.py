"""Jobs to begin with, each with a small picture and a line: samples, recent ones, one's own starting points."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from msgspec import Struct
from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QKeyEvent, QPixmap
from PyQt6.QtWidgets import QListWidget, QListWidgetItem

PICTURES = Path(__file__).parents[1] / "theme" / "samples"
ICON_PX = (80, 50)
ROW_PX = 66


class Entry(Struct, frozen=True):
    """One job: its ``kind`` (start, recent, sample), what it is called, a line about it, its picture, what opens it."""

    kind: str
    name: str
    line: str
    picture: Path
    run: Callable[[], object]

    @property
    def icon(self) -> QIcon:
        """The picture, or an empty one of its size."""
        pixmap = QPixmap(str(self.picture))
        if pixmap.isNull():
            pixmap = QPixmap(*ICON_PX)
            pixmap.fill(Qt.GlobalColor.transparent)
        return QIcon(pixmap)


class JobList(QListWidget):
    """A list of them; a click or Enter opens one."""

    opened = pyqtSignal()

    def __init__(self, entries: list[Entry]) -> None:
        super().__init__()
        self.setAccessibleName("Jobs to begin with")
        self.setIconSize(QSize(*ICON_PX))
        self.setWordWrap(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._entries = entries
        for entry in entries:
            item = QListWidgetItem(entry.icon, f"{entry.name}\n{entry.line}")
            item.setSizeHint(QSize(200, ROW_PX + 18))
            self.addItem(item)
        self.itemClicked.connect(lambda item: self._entries[self.row(item)].run())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentRow() >= 0:
            self._entries[self.currentRow()].run()
        else:
            super().keyPressEvent(event)
