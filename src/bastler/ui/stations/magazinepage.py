"""The magazine page: the pockets drawn, what is to be done beside them."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout

from bastler.core.plans.magazine import magazine
from bastler.ui.plain.label import Label
from bastler.ui.session import Session
from bastler.ui.sheets.magazinesheet import MagazineSheet
from bastler.ui.stations.station import Page
from bastler.ui.theme.style import redress
from bastler.ui.theme.tokens import Theme
from bastler.ui.widgets.page import bench

NOTES_PX = 320
MARKS = {"stop": "■ ", "warn": "▲ ", "note": ""}


class MagazinePage(Page):
    """Shows; a click on a pocket asks for its tool's line in the table."""

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self.session = session
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(0)
        column, box = bench(NOTES_PX, (16, 8, 16, 12))
        self.remarks = QVBoxLayout()
        self.remarks.setSpacing(12)
        box.addLayout(self.remarks)
        box.addStretch(1)
        self.hint = Label(
            "Click a pocket to change its tool. A tool for which no pocket is typed sits in the pocket of its own number."
        )
        self.hint.setWordWrap(True)
        self.hint.setProperty("role", "soft")
        box.addWidget(self.hint)
        line.addWidget(column)
        self.sheet = MagazineSheet(theme)
        self.sheet.tool_clicked.connect(self.tool_wanted)
        line.addWidget(self.sheet, 1)
        session.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Bring it to the job."""
        found = magazine(self.session.plan)
        self.sheet.show_magazine(found)
        while self.remarks.count():
            item = self.remarks.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        for severity, text in found.remarks or (("note", "Every tool that is used has a pocket of its own."),):
            label = Label(MARKS[severity] + text)
            label.setWordWrap(True)
            label.setProperty("role", severity if severity != "note" else "plain")
            redress(label)
            self.remarks.addWidget(label)

    def enter(self) -> None:
        """The page comes to the front."""
        self.sheet.setFocus()

    def set_theme(self, theme: Theme) -> None:
        """Redraw in a theme."""
        self.sheet.set_theme(theme)
