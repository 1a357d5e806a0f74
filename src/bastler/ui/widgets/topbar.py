"""The bar along the top: the job's menu and name, the stations, the setup in view, undo and the theme."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QSizePolicy, QWidget

from bastler.ui.plain.label import Label
from bastler.ui.theme.style import font

BAR_PX, STATION_PX, SIGN_PX = 54, 52, 40
SIGNS = (("↶", "Undo"), ("↷", "Redo"), ("◐", "Day or night"))


class TopBar(QFrame):
    """What it says and offers; the window does it."""

    station_asked = pyqtSignal(str)
    sign_clicked = pyqtSignal(str)

    def __init__(self, stations: tuple[str, ...]) -> None:
        super().__init__()
        self.setObjectName("bar")
        self.setFixedHeight(BAR_PX)
        line = QHBoxLayout(self)
        line.setContentsMargins(14, 0, 10, 0)
        line.addWidget(self._left(), 1)
        self.stations = {word: self._station(word) for word in stations}
        for button in self.stations.values():
            line.addWidget(button)
        line.addWidget(self._right(), 1)

    def _left(self) -> QWidget:
        side, row = _side()
        brand = Label("Bastler")
        brand.setProperty("role", "brand")
        self.menu = QPushButton("Job ▾")
        self.menu.setAccessibleName("Job menu")
        self.name = Label()
        self.name.setFont(font(12.5, bold=True))
        self.saved = Label()
        self.saved.setProperty("role", "soft")
        for widget, gap in ((brand, 8), (self.menu, 8), (self.name, 0), (self.saved, 0)):
            row.addWidget(widget)
            row.addSpacing(gap)
        row.addStretch(1)
        return side

    def _station(self, word: str) -> QPushButton:
        button = QPushButton(word)
        button.setCheckable(True)
        button.setAutoExclusive(True)
        button.setProperty("role", "station")
        button.setMinimumHeight(STATION_PX)
        button.clicked.connect(lambda _: self.station_asked.emit(word))
        return button

    def _right(self) -> QWidget:
        side, row = _side()
        row.addStretch(1)
        self.setups = QPushButton()
        self.setups.setProperty("role", "quiet")
        self.setups.setAccessibleName("Setups")
        self.setups.setToolTip("The setup in view; click for others")
        row.addWidget(self.setups)
        self.signs: dict[str, QPushButton] = {}
        for sign, word in SIGNS:
            button = self.signs[word] = QPushButton(sign)
            button.setProperty("role", "quiet")
            button.setFixedWidth(SIGN_PX)
            button.setToolTip(word)
            button.setAccessibleName(word)
            button.clicked.connect(lambda _, w=word: self.sign_clicked.emit(w))
            row.addWidget(button)
        return side


def _side() -> tuple[QWidget, QHBoxLayout]:
    """Half of the bar, as wide as the other half whatever it holds."""
    side = QWidget()
    side.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
    row = QHBoxLayout(side)
    row.setContentsMargins(0, 0, 0, 0)
    return side, row
