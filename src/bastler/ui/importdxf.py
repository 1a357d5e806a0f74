"""Importing a DXF drawing: layers chosen, units told, gaps closed, zero set by a click; what was left out is said."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path as File
from typing import TypeVar

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from bastler.core.exchange.dxfread import Drawing, read_dxf
from bastler.core.geometry.fitting import Chains, chained
from bastler.core.geometry.path import Point, path_bounds
from bastler.core.job.document import ContourRecord, PatternRecord
from bastler.core.planning.imported import contour_of, pattern_of
from bastler.core.problems import Unusable
from bastler.core.quantities import Kind, Units, counted, evaluate, show
from bastler.ui.ask import beside
from bastler.ui.drawing import pens
from bastler.ui.drawing.projection import Projection
from bastler.ui.drawing.zoom import ARROWS
from bastler.ui.plain.label import Label
from bastler.ui.plain.line import LineEdit
from bastler.ui.session import Session
from bastler.ui.theme.tokens import Theme, hue
from bastler.ui.widgets.page import bench

SIDE_PX = 320
LEAST_ERROR_MM, MOST_ERROR_MM = 0.0005, 1.0
T = TypeVar("T")
SNAP_PX = 14.0
UNIT_WORDS = (
    ("", "What units does it use?"),
    ("mm", "Millimetres"),
    ("inch", "Inches"),
    ("cm", "Centimetres"),
    ("m", "Metres"),
    ("foot", "Feet"),
)
CIRCLES = (("contours", "Contours"), ("pattern", "One pattern of points"), ("no", "Left out"))


class Preview(QWidget):
    """The chains that would be taken; a click sets zero at the nearest end or centre."""

    zero_set = pyqtSignal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.chains = Chains((), (), 0)
        self.zero: Point = (0.0, 0.0)
        self._view: Projection | None = None
        self.setMinimumSize(480, 420)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The drawing; arrows bring zero from end to end")

    def show_chains(self, chains: Chains) -> None:
        """Draw these."""
        self.chains = chains
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Closed chains in ink, open ones in colour, gaps ringed, zero marked."""
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), QColor(self.theme.paper))
        boxes = [path_bounds(c) for c in self.chains.paths] or [(0.0, 10.0, 0.0, 10.0)]
        box = (min(b[0] for b in boxes), max(b[1] for b in boxes), min(b[2] for b in boxes), max(b[3] for b in boxes))
        self._view = view = Projection.fit(box, QRectF(self.rect()).adjusted(30, 30, -30, -30))
        for k, chain in enumerate(self.chains.paths):
            open_ = chain.start != chain.end
            p.setPen(pens.pen(hue(k) if open_ else self.theme.ink, 2.0))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawPath(view.path(chain))
        p.setPen(pens.pen(self.theme.warn, 2.0))
        for gap in self.chains.gaps:
            p.drawEllipse(view.at(gap.at), 8, 8)
        pens.zero_mark(p, view.at(self.zero), self.theme.ink, self.theme.paper)
        if self.hasFocus():
            pens.focus_ring(p, QRectF(self.rect()), self.theme.focus)
        p.end()

    def _places(self) -> list[Point]:
        """Ends and centres, where zero mostly is."""
        return [
            q
            for c in self.chains.paths
            for q in (c.start, *(e.end for e in c.elements), *(e.centre for e in c.elements if hasattr(e, "centre")))
        ]

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows bring zero to the next end or centre in their direction."""
        assert event is not None
        way = ARROWS.get(Qt.Key(event.key()))
        if way is None:
            super().keyPressEvent(event)
            return
        zero = self.zero

        def cost(q: Point) -> float:
            ahead = (q[0] - zero[0]) * way[0] + (q[1] - zero[1]) * way[1]
            aside = abs((q[0] - zero[0]) * way[1]) + abs((q[1] - zero[1]) * way[0])
            return ahead + 2 * aside if ahead > 1e-6 else math.inf

        found = min(self._places(), key=cost, default=None)
        if found is not None and cost(found) < math.inf:
            self.zero = found
            self.update()
            self.zero_set.emit()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Zero comes to the nearest end or centre, or to the very place."""
        assert event is not None
        if self._view is None:
            return
        places = self._places()

        def away(q: Point) -> float:
            off: QPointF = self._view.at(q) - event.position()  # type: ignore[union-attr]
            return float((off.x() ** 2 + off.y() ** 2) ** 0.5)

        near = min(places, key=away, default=None)
        self.zero = near if near is not None and away(near) < SNAP_PX else self._view.back(event.position())
        self.update()
        self.zero_set.emit()


class ImportDialog(QDialog):
    """Asks what of a drawing becomes contours. ``contours`` and ``pattern`` are the answer."""

    def __init__(self, session: Session, theme: Theme, file: File, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Import {file.name}")
        self.resize(1000, 640)
        self.session, self.file = session, file
        self.drawing: Drawing | None = None
        self.contours: list[ContourRecord] = []
        self.pattern: PatternRecord | None = None
        self.preview = Preview(theme)
        self.preview.zero_set.connect(self._say)
        side, box = bench(SIDE_PX, (14, 12, 14, 12))
        box.setSpacing(8)
        self.units = QComboBox()
        for key, word in UNIT_WORDS:
            self.units.addItem(word, key)
        self.units.activated.connect(lambda _: self.read())
        self.gap = self._line("0.05", "Ends closer than this are joined", self.refresh)
        self.error = self._line("0.01", "Curves become arcs within this", self.read)
        self.circles = QComboBox()
        for key, word in CIRCLES:
            self.circles.addItem(word, key)
        self.circles.activated.connect(lambda _: self.refresh())
        for word, widget in (
            ("Units", self.units),
            ("Join ends closer than (mm)", self.gap),
            ("Curves as arcs within (mm)", self.error),
            ("Circles become", self.circles),
        ):
            label = Label(word)
            label.setBuddy(widget)
            widget.setAccessibleName(word)
            box.addWidget(label)
            box.addWidget(widget)
        box.addWidget(Label("Layers"))
        self.layer_box = QVBoxLayout()
        self.layers: dict[str, QCheckBox] = {}
        inner = QWidget()
        inner.setLayout(self.layer_box)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(inner)
        box.addWidget(area, 1)
        self.summary = Label()
        self.summary.setWordWrap(True)
        box.addWidget(self.summary)
        self.take = QPushButton("Import")
        self.take.setProperty("role", "main")
        self.take.clicked.connect(self._take)
        cancel = QPushButton("Cancel")
        cancel.clicked.connect(self.reject)
        foot = QHBoxLayout()
        foot.addWidget(cancel)
        foot.addWidget(self.take, 1)
        box.addLayout(foot)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(0)
        line.addWidget(self.preview, 1)
        line.addWidget(side)
        self.read()

    def _line(self, text: str, tip: str, then: Callable[[], object]) -> LineEdit:
        line = LineEdit(text)
        line.setToolTip(tip)
        line.editingFinished.connect(then)
        return line

    def _numbers(self) -> tuple[float, float] | None:
        """Gap and error as typed; ``None``, and a sentence on the screen, if they can't be read."""
        try:
            gap, error = (evaluate(line.text(), Kind.LENGTH, "mm") for line in (self.gap, self.error))
        except Unusable as trouble:
            self._refuse(str(trouble))
            return None
        return max(gap, 0.0), min(max(error, LEAST_ERROR_MM), MOST_ERROR_MM)

    def _refuse(self, sentence: str) -> None:
        self.summary.setText(sentence)
        self.take.setEnabled(False)

    def read(self) -> None:
        """Read the file with the units and the error as they are now."""
        numbers = self._numbers()
        if numbers is None:
            return
        units, error = str(self.units.currentData()), numbers[1]
        try:
            self.drawing = beside(
                lambda: read_dxf(self.file, units, error), f"{self.file.name} is large; it is being read …", self
            )
        except Unusable as trouble:
            self.drawing = None
            self._refuse(str(trouble))
            return
        self.units.setCurrentIndex(max(self.units.findData(self.drawing.units), 0))
        self._list_layers(self.drawing)
        self.refresh()

    def _list_layers(self, drawing: Drawing) -> None:
        for name, count in drawing.layers.items():
            if name not in self.layers:
                box = QCheckBox()
                box.setChecked(True)
                box.toggled.connect(lambda _: self.refresh())
                self.layers[name] = box
                self.layer_box.addWidget(box)
            self.layers[name].setText(f"{name}  ({count})")

    def refresh(self) -> None:
        """Find the chains of the chosen layers."""
        numbers = self._numbers()
        if self.drawing is None or numbers is None:
            return
        chosen = [s for s in self.drawing.strokes if self.layers[s.layer].isChecked()]
        if self.circles.currentData() != "contours":
            chosen = [s for s in chosen if s.circle is None]
        self.preview.show_chains(
            beside(lambda: chained([s.path for s in chosen], numbers[0]), "Lines are joined to contours …", self)
        )
        self._say()

    def _say(self) -> None:
        drawing, chains = self.drawing, self.preview.chains
        if drawing is None:
            return
        closed = sum(c.start == c.end for c in chains.paths)
        told = [f"{closed} closed and {len(chains.paths) - closed} open contours."]
        if not drawing.units:
            told.insert(0, "The file doesn't say its units. Choose them.")
        if chains.gaps:
            widest = show(max(g.size for g in chains.gaps), digits=4)
            told.append(f"{counted(len(chains.gaps), 'gap')} closed, the widest {widest} mm.")
        if chains.doubles:
            told.append(f"{counted(chains.doubles, 'line')} drawn twice, taken once.")
        if drawing.error:
            told.append(f"Curves are off by up to {show(drawing.error, digits=4)} mm.")
        if drawing.damaged:
            told.append("The file is damaged. What could be read is shown.")
        told += drawing.left_out
        x, y = self.preview.zero
        told.append(f"Zero at {show(x, digits=3)}, {show(y, digits=3)} of the drawing: click to change.")
        self.summary.setText(" ".join(told))
        circles = self._centres()
        self.take.setEnabled(bool(drawing.units) and bool(chains.paths or circles))
        self.take.setText(
            f"Import {counted(len(chains.paths), 'contour')}"
            + (f" and {counted(len(circles), 'point')}" if circles else "")
        )

    def _centres(self) -> list[Point]:
        if self.drawing is None or self.circles.currentData() != "pattern":
            return []
        return [s.circle[0] for s in self.drawing.strokes if s.circle is not None and self.layers[s.layer].isChecked()]

    def _take(self) -> None:
        units: Units = self.session.job.units
        stem = self.file.stem
        made = [
            contour_of(p, f"{stem} {k}", self.preview.zero, units) for k, p in enumerate(self.preview.chains.paths, 1)
        ]
        self.contours = [c for c in made if c is not None]
        if len(self.contours) < len(made):
            self.session.message.emit(
                f"{counted(len(made) - len(self.contours), 'contour has', 'contours have')} too many elements and {'was' if len(made) - len(self.contours) == 1 else 'were'} left out."
            )
        centres = self._centres()
        if centres:
            self.pattern = pattern_of(centres, f"{stem} circles", self.preview.zero, units)
        self.accept()


def import_drawing(session: Session, theme: Theme, parent: QWidget, file: File | None = None) -> list[ContourRecord]:
    """Ask for a drawing and put what is chosen of it into the job; returns the new contours."""
    if file is None:
        name, _ = QFileDialog.getOpenFileName(parent, "Import a drawing", "", "DXF drawings (*.dxf)")
        if not name:
            return []
        file = File(name)
    dialog = ImportDialog(session, theme, file, parent)
    if not dialog.exec():
        return []
    job = session.job
    patterns = (*job.patterns, dialog.pattern) if dialog.pattern is not None else job.patterns
    session.edit(job.changed(contours=(*job.contours, *dialog.contours), patterns=patterns))
    return dialog.contours
