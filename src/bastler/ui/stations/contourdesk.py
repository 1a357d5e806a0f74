"""Contours in the Steps station: the button that opens the calculator, its panel in place of the form, its drawing on the sheet."""

from __future__ import annotations

from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QPushButton

from bastler.core.quantities import Kind

if TYPE_CHECKING:
    from bastler.ui.stations.steps import StepsStation
    from bastler.ui.widgets.contourpanel import ContourPanel

NEW = "new"
"""What the list of contours says for one that is not there yet."""


class ContourDesk(QObject):
    """Belongs to the station; ``button`` stands above the form of a step that follows a contour."""

    def __init__(self, station: StepsStation) -> None:
        super().__init__(station)
        self.station, self.session = station, station.session
        self.button = QPushButton("Edit the contour")
        self.button.clicked.connect(lambda _: self.edit())

    @cached_property
    def panel(self) -> ContourPanel:
        """The contour calculator, made at its first use."""
        from bastler.ui.drawing.contourlayer import ContourLayer
        from bastler.ui.widgets.contourpanel import ContourPanel

        panel = ContourPanel(self.session, self.station.theme, ContourLayer())
        panel.left.connect(self.close)
        panel.shown.connect(self._shown)
        panel.import_asked.connect(self.import_drawing)
        self.station.right.addWidget(panel)
        return panel

    @property
    def is_open(self) -> bool:
        """Whether a contour is being edited."""
        return self.station.sheet.contour is not None

    def _fields(self) -> list[str]:
        current = self.session.current
        return [f.key for f in current.cycle.fields if f.kind is Kind.CONTOUR] if current is not None else []

    def follow(self) -> None:
        """Bring the button to the selected step."""
        current, keys = self.session.current, self._fields()
        seen = current is not None and any(k not in current.answers.hidden for k in keys)
        self.button.setVisible(seen)
        named = current.step.values.get(keys[0], "") if seen and current is not None else ""
        known = self.session.plan.contours.get(named)
        self.button.setText(f"Edit contour “{known.name}”" if known is not None else "Draw a contour")

    def new(self, field: str) -> None:
        """A new contour for a field of the selected step."""
        from bastler.ui.contouredits import ContourEdits

        record = ContourEdits(self.session).add()
        if self.session.selected is not None:
            self.session.type_value(self.session.selected, field, record.id)
        self.edit(record.id)

    def edit(self, key: str = "") -> None:
        """Open the calculator, on the selected step's contour unless another is given."""
        current, keys, station = self.session.current, self._fields(), self.station
        own = current.step.values.get(keys[0], "") if current is not None and keys else ""
        known = self.session.plan.contours
        if not key and keys and own not in known:
            self.new(keys[0])
            return
        if station.sheet.isHidden():
            station.show_view("Sheet")
        station.right.setCurrentWidget(self.panel)
        station.sheet.contour = self.panel.layer
        station.paths_button.setEnabled(False)
        self.panel.open(key or (own if own in known else next(iter(known), "")))

    def import_drawing(self, file: Path | None = None) -> None:
        """Contours from a DXF file; the first one comes into view."""
        from bastler.ui.importdxf import import_drawing

        made = import_drawing(self.session, self.station.theme, self.station, file)
        if made:
            self.panel.open(made[0].id)

    def close(self) -> None:
        """Back to the step."""
        station = self.station
        station.sheet.contour = None
        station.paths_button.setEnabled(True)
        there = station.right.currentWidget() is station.right.widget(0)
        station.right.setCurrentIndex(0)
        station.refresh()
        station.sheet.update()
        if not there:
            station.form.focus_first()

    def clicked(self, what: str, index: int, key: str) -> None:
        """Something of the drawing was clicked: an answer, the dimension of a fact, an element."""
        if what == "answer":
            self.panel.choose(index)
        elif what == "fact":
            self.panel.go_to_fact(index, key)
        else:
            self.panel.go_to_element(index)

    def _shown(self) -> None:
        if self.station.right.currentWidget() is self.panel:
            form = self.panel.form if self.panel.pages.currentIndex() == 0 else self.panel.place_form
            self.station.question.setText(form.focused_question() or self.panel.name.text() or "Contour")
            self.station.missing.setText(self.panel.told.text)
        self.station.sheet.update()
