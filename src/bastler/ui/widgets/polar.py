"""An end given by distance and angle: asked for, and typed into the two fields as expressions, so it can be seen and changed."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QFormLayout, QWidget

from bastler.ui.plain.label import Label
from bastler.ui.plain.line import LineEdit

ORIGINS = (("zero", "zero"), ("start", "its start"))


class PolarDialog(QDialog):
    """Distance, angle, and from where."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("End by distance and angle")
        form = QFormLayout(self)
        self.distance, self.angle, self.origin = LineEdit(), LineEdit(), QComboBox()
        for key, word in ORIGINS:
            self.origin.addItem(word, key)
        for word, widget in (("Distance", self.distance), ("Angle", self.angle), ("From", self.origin)):
            widget.setAccessibleName(word)
            form.addRow(Label(word), widget)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        form.addRow(buttons)

    def facts(self) -> dict[str, str]:
        """The facts of the end: from zero its place, from the start the way there."""
        far, angle = self.distance.text().strip(), self.angle.text().strip()
        if not far or not angle:
            return {}
        x, y = ("x", "y") if self.origin.currentData() == "zero" else ("dx", "dy")
        return {x: f"({far})*cos({angle})", y: f"({far})*sin({angle})"}
