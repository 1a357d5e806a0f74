"""The contour calculator: what the drawing says, typed fact by fact; what follows from it, at once.

The panel stands in for the form of a step while a contour is edited; the sheet draws the contour through its layer.
"""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QKeyEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from bastler.core.fields import read
from bastler.core.geometry.path import Point
from bastler.core.job.document import ContourRecord
from bastler.core.planning.contourline import AXES, typed_element
from bastler.core.planning.contours import NamedContour, place_words, plane_of, times_of
from bastler.core.planning.imported import typed_length
from bastler.core.problems import Unusable
from bastler.ui.contouredits import ContourEdits
from bastler.ui.drawing.contourlayer import ContourLayer
from bastler.ui.forms.factlines import PLACE_FIELDS, Told, element_fields, facts_as_answers, tell
from bastler.ui.forms.form import Form
from bastler.ui.plain.line import LineEdit
from bastler.ui.session import Session
from bastler.ui.theme.tokens import Theme
from bastler.ui.widgets.angledial import AngleDial
from bastler.ui.widgets.elementlist import LINE_PX, ElementList, TypedLine
from bastler.ui.widgets.page import panel_head

LETTERS = "lra"
"""Add a line, an arc clockwise, an arc counter-clockwise."""
KIND_OF = dict(zip(LETTERS, ("line", "cw", "ccw"), strict=True))
LIST_LINES = 4
ARROW = {"": "", "cw": "↻", "ccw": "↺"}


class ContourPanel(QWidget):
    """Edits the contours of the job, one at a time."""

    left = pyqtSignal()
    shown = pyqtSignal()
    import_asked = pyqtSignal()

    def __init__(self, session: Session, theme: Theme, layer: ContourLayer) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.session, self.layer, self.edits = session, layer, ContourEdits(session)
        self.key, self.element = "", -1
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 14, 8)
        column.setSpacing(6)
        column.addLayout(panel_head("Contour", self.left.emit))
        column.addLayout(self._which_line())
        self.told = Told("", "soft")
        self.pages = QStackedWidget()
        column.addLayout(self._page_switch())
        self.pages.addWidget(self._elements_page(theme))
        self.place_form = Form({"Place": "Where it is", "Size": "Its size"}, jumps=False, letters=LETTERS)
        self.place_form.lettered.connect(self._lettered)
        self.place_form.note.hide()
        self.place_form.walks = True
        self.place_form.typed.connect(lambda k, t: self.edits.type_value(self.key, k, t))
        self.place_form.focused.connect(self._place_focused)
        self.place_form.accepted.connect(self._to_elements)
        self.pages.addWidget(self.place_form)
        column.addWidget(self.pages, 1)
        self.drop_button = QPushButton()
        self.drop_button.clicked.connect(self._drop)
        kept = self.drop_button.sizePolicy()
        kept.setRetainSizeWhenHidden(True)
        self.drop_button.setSizePolicy(kept)
        column.addWidget(self.drop_button)
        session.changed.connect(self.refresh)

    # building

    def _which_line(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(4)
        self.which = QComboBox()
        self.which.setAccessibleName("Contour in view")
        self.which.activated.connect(lambda _: self.open(str(self.which.currentData())))
        self.name = LineEdit()
        self.name.setAccessibleName("Name of the contour")
        self.name.textEdited.connect(lambda t: self.edits.change(self.key, "name", name=t))
        line.addWidget(self.name, 1)
        line.addWidget(self.which)
        for word, do, name in (("New", self.add, "New contour"), ("Delete", self.delete, "Delete the contour")):
            button = QPushButton(word)
            button.setProperty("role", "quiet")
            button.setAccessibleName(name)
            button.clicked.connect(do)
            line.addWidget(button)
        self.which.setFixedWidth(28)
        return line

    def _page_switch(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(0)
        self.page_buttons: list[QPushButton] = []
        for k, word in enumerate(("Lines and arcs", "Start and shape")):
            button = QPushButton(word)
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.setProperty("role", "segment")
            button.clicked.connect(lambda _, n=k: self._show_page(n))
            line.addWidget(button)
            self.page_buttons.append(button)
        line.addStretch(1)
        return line

    def _elements_page(self, theme: Theme) -> QWidget:
        page = QWidget()
        box = QVBoxLayout(page)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        self.list = ElementList()
        self.list.setFixedHeight(LIST_LINES * LINE_PX + 10)
        self.list.setAccessibleName("Lines and arcs")
        self.list.currentRowChanged.connect(self.select)
        self.list.added.connect(self.add_element)
        self.list.removed.connect(self.remove_element)
        self.list.answered.connect(self.step_answer)
        self.list.entered.connect(self._enter_list)
        self.dial = AngleDial(theme)
        self.dial.turned.connect(lambda a: self._typed("angle", f"{a:g}"))
        row = QHBoxLayout()
        row.setSpacing(6)
        row.addWidget(self.list, 1)
        row.addWidget(self.dial, 0, Qt.AlignmentFlag.AlignTop)
        box.addLayout(row)
        box.addLayout(self._bar())
        self.line = TypedLine()
        self.line.setAccessibleName("Type a line or arc")
        self.line.setToolTip(
            "A whole line or arc in one go: ends, a angle, l length, cw or ccw radius, r or c its corner"
        )
        self.line.letters = LETTERS
        self.line.lettered.connect(self._lettered)
        self.line.returnPressed.connect(self._take_line)
        self.line.answered.connect(self.step_answer)
        self.line.moved.connect(lambda by: self.select(min(max(self.element + by, 0), self.list.count() - 1)))
        box.addWidget(self.line)
        self.form = Form({"Size": "What the drawing says"}, jumps=False, letters=LETTERS)
        self.form.lettered.connect(self._lettered)
        self.form.note.hide()  # what is wrong stands above the drawing
        self.form.walks = True
        self.form.typed.connect(self._typed)
        self.form.focused.connect(self._focused)
        self.form.accepted.connect(self._done)
        self.form.passes = self._is_certain
        box.addWidget(self.form, 1)
        return page

    def _bar(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(2)
        for word, kind in (("Line  L", "line"), ("Arc ↻  R", "cw"), ("Arc ↺  A", "ccw")):
            button = QPushButton(word)
            button.setProperty("role", "segment")
            button.setAccessibleName(f"Add: {word}")
            button.clicked.connect(lambda _, k=kind: self.add_element(k))
            line.addWidget(button, 1)
        self.more = QPushButton("More")
        self.more.setProperty("role", "segment")
        menu = QMenu(self.more)
        for text, do in (
            ("Line before this one", self.insert_before), ("Delete it", self.remove_element),
            ("Split it in the middle", lambda: self.edits.split(self.key, self.element)),
            ("Swap its direction", lambda: self.edits.swap_way(self.key, self.element)),
            ("Let the contour start with it", lambda: self.edits.start_here(self.key, self.element)),
            ("Its end by distance and angle …", self.ask_polar),
            ("Copy all points", self.copy_points), ("Import a drawing (DXF) …", self.import_asked.emit),
        ):  # fmt: skip
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _, run=do: run())
        self.more.setMenu(menu)
        line.addWidget(self.more, 1)
        return line

    # state to screen

    @property
    def record(self) -> ContourRecord | None:
        """The contour in view."""
        return self.edits.record(self.key)

    @property
    def solved(self) -> NamedContour | None:
        """What has become of it."""
        return self.edits.solved(self.key)

    def open(self, key: str) -> None:
        """Show a contour, its last element selected; an empty one begins with its start."""
        self.session.end_merge()
        self.key = key
        record = self.record
        self.element = len(record.elements) - 1 if record is not None else -1
        self.layer.offered = 0
        self.refresh()
        chain = record is not None and record.values.get("shape", "chain") == "chain"
        empty = record is not None and not record.elements
        self._show_page(1 if empty or not chain else 0)
        (self.line if chain and not empty else self.place_form).setFocus()
        if empty or not chain:
            self.place_form.focus_field("start_x" if chain else "shape")
        self.shown.emit()

    def refresh(self) -> None:
        """Bring everything to the job."""
        if not self.isVisibleTo(self.parentWidget()) and not self.isVisible():
            return
        record, solved = self.record, self.solved
        self._list_contours()
        if record is None or solved is None:
            self.layer.solved = None
            self.told = Told("The job has no contour yet. Make a new one, or import a drawing.", "missing")
            self.drop_button.hide()
            self.shown.emit()
            return
        if self.name.text() != record.name:
            self.name.setText(record.name)
        self.element = min(self.element, len(record.elements) - 1)
        chain = record.values.get("shape", "chain") == "chain"
        self.page_buttons[0].setEnabled(chain)
        if not chain:
            self._turn_page(1)
        across, along = AXES[plane_of(record.values)]
        self.line.setPlaceholderText(f"{across}24 {along}-40 and Enter: a line to there")
        self._list_elements(record, solved)
        self._show_facts(record, solved)
        answers = read(PLACE_FIELDS, record.values, None, self.session.job.units)
        self.place_form.show_form(PLACE_FIELDS, record.values, answers, self.session.job.units)
        self._tell(tell(solved, self.session.job.units))
        self.layer.solved, self.layer.units, self.layer.element = solved, self.session.job.units, self.element
        self.layer.offered = min(self.layer.offered, max(len(solved.answers) - 1, 0))
        self.shown.emit()

    def _list_contours(self) -> None:
        self.which.blockSignals(True)
        self.which.clear()
        for c in self.session.job.contours:
            self.which.addItem(c.name or "contour", c.id)
        self.which.setCurrentIndex(self.which.findData(self.key))
        view = self.which.view()
        if view is not None:
            view.setMinimumWidth(200)
        self.which.blockSignals(False)

    def _list_elements(self, record: ContourRecord, solved: NamedContour) -> None:
        loose = set(solved.result.loose) if solved.result is not None and solved.result.status == "open" else set()
        wrong = {int(p.field.split(".")[0]) for p in solved.problems if p.field.split(".")[0].isdigit()}
        texts, known = [], self.edits.members(self.key)
        for i, e in enumerate(record.elements):
            member = known.get(i)
            where = ""
            if member is not None:
                digits = 3 if self.session.job.units == "mm" else 4
                where = f"to {place_words(plane_of(record.values), member.end, self.session.job.units, digits)}"
            elif i in wrong and solved.result is not None and solved.result.status != "open":
                where = "contradicts"
            elif i in loose:
                where = "not certain yet"
            kind = "Line" if e.type == "line" else f"Arc {ARROW[e.dir or 'cw']}"
            texts.append("   ".join(w for w in (str(i + 1), kind, "smooth" if e.tangent else "", where) if w))
        self.list.show_texts(texts, self.element)

    def _first_end(self) -> str:
        """The fact that is asked for first: where an element ends along the first axis."""
        return element_fields(plane_of(self.record.values), False)[0].key if self.record is not None else "x"

    def _show_facts(self, record: ContourRecord, solved: NamedContour) -> None:
        chain = record.values.get("shape", "chain") == "chain"
        self.form.setVisible(chain and self.element >= 0)
        arc = chain and self.element >= 0 and record.elements[self.element].type == "arc"
        self.dial.setVisible(chain and self.element >= 0 and not arc)
        if not chain or self.element < 0:
            return
        one = record.elements[self.element]
        typed = {**one.facts, "tangent": "yes" if one.tangent else "no"}
        if arc:
            typed["dir"] = one.dir or "cw"
        member = self.edits.member(self.key, self.element)
        answers = facts_as_answers(one, self.element, solved, member)
        self.form.show_form(element_fields(plane_of(record.values), arc), typed, answers, self.session.job.units)
        if not arc:
            self.dial.show_angle(
                member.value("angle") if member is not None else None, not one.facts.get("angle", "").strip()
            )

    def _tell(self, told: Told) -> None:
        self.told = told
        self.drop_button.setVisible(told.drop is not None)
        if told.drop is not None and self.record is not None:
            element, key = told.drop
            plane = plane_of(self.record.values) if self.record is not None else "XY"
            fields = {f.key: f.label.lower() for arc in (False, True) for f in element_fields(plane, arc)}
            kind = self.record.elements[element].type
            self.drop_button.setText(f"Leave out {fields.get(key, key)} of {kind} {element + 1}")

    # person to job

    def _turn_page(self, which: int) -> None:
        self.page_buttons[which].setChecked(True)
        self.pages.setCurrentIndex(which)

    def _show_page(self, which: int) -> None:
        self._turn_page(which)
        if which == 1:
            self.place_form.focus_first()

    def _to_elements(self) -> None:
        self.session.end_merge()
        if self.record is not None and self.record.values.get("shape", "chain") == "chain":
            self._show_page(0)
            self.line.setFocus()

    def _place_focused(self, key: str) -> None:
        self.session.end_merge()
        self.layer.focus = key
        self.shown.emit()

    def add(self) -> None:
        """A new contour, its start under the cursor."""
        self.open(self.edits.add().id)

    def delete(self) -> None:
        """Take the contour out unless steps use it."""
        if self.key and self.edits.delete(self.key):
            left = self.session.job.contours
            self.open(left[0].id if left else "")

    def select(self, at: int) -> None:
        """Another element comes into view."""
        if at != self.element and at >= 0:
            self.element = at
            self.session.end_merge()
            self.refresh()

    def add_element(self, kind: str) -> None:
        """A line or arc behind the selected one; its first fact is under the cursor."""
        record = self.record
        if record is None:
            return
        self.session.end_merge()
        at = self.element + 1 if self.element >= 0 else len(record.elements)
        self.element = at
        self.edits.insert(self.key, at, kind)
        self._show_page(0)
        first = "radius" if kind != "line" else self._first_end()
        self.form.focus_field(first)

    def _lettered(self, letter: str) -> None:
        """A letter where nothing is typed: one more element."""
        record = self.record
        if record is not None and record.values.get("shape", "chain") == "chain":
            self.add_element(KIND_OF[letter])

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """The letters work wherever the cursor is in the panel."""
        assert event is not None
        if event.text() and event.text().lower() in LETTERS and not event.modifiers():
            self._lettered(event.text().lower())
        else:
            super().keyPressEvent(event)

    def _take_line(self) -> None:
        """What is typed in one go becomes an element behind the selected one."""
        record = self.record
        if record is None:
            return
        if not self.line.text().strip():
            self._enter_list()
            return
        try:
            new = typed_element(self.line.text(), plane_of(record.values))
        except Unusable as error:
            self.told = Told(str(error), "stop")
            self.line.selectAll()
            self.shown.emit()
            return
        self.session.end_merge()
        at = self.element + 1 if self.element >= 0 else len(record.elements)
        self.line.clear()
        self.element = at
        self.edits.put_in(self.key, at, new)

    def insert_before(self) -> None:
        """A line before the selected element."""
        at = max(self.element, 0)
        self.element = at
        self.edits.insert(self.key, at, "line")
        self.form.focus_field(self._first_end())

    def remove_element(self) -> None:
        """Take the selected element out."""
        self.edits.remove(self.key, self.element)
        self.list.setFocus()

    def step_answer(self, by: int) -> None:
        """Arrows go through the answers; 0 takes the one that is lit."""
        solved = self.solved
        if solved is None or len(solved.answers) < 2:
            return
        if by == 0:
            self.edits.choose(self.key, self.layer.offered)
            return
        start = solved.chosen if solved.chosen >= 0 else self.layer.offered
        self.layer.offered = (start + by) % len(solved.answers)
        if solved.chosen >= 0:
            self.edits.choose(self.key, self.layer.offered)
        self.shown.emit()

    def choose(self, which: int) -> None:
        """An answer was clicked."""
        self.layer.offered = which
        self.edits.choose(self.key, which)

    def _enter_list(self) -> None:
        solved = self.solved
        if solved is not None and len(solved.answers) > 1 and solved.chosen < 0:
            self.step_answer(0)
        elif solved is not None and solved.path is not None and self.line.hasFocus():
            self.left.emit()
        else:
            self.form.focus_first()

    def _typed(self, key: str, text: str) -> None:
        self.edits.type_fact(self.key, self.element, key, text)

    def _focused(self, key: str) -> None:
        self.session.end_merge()
        self.layer.focus = f"{self.element}.{key}"
        self.shown.emit()

    def go_to_fact(self, element: int, key: str) -> None:
        """A dimension was clicked."""
        self._show_page(0)
        self.select(element)
        self.form.focus_field(key)

    def go_to_element(self, element: int) -> None:
        """A line or arc of the drawing was clicked."""
        self._show_page(0)
        self.list.setCurrentRow(element)
        self.list.setFocus()

    def _is_certain(self) -> bool:
        return self.edits.member(self.key, self.element) is not None

    def _done(self) -> None:
        self.session.end_merge()
        self.line.setFocus()

    def _drop(self) -> None:
        if self.told.drop is not None:
            self.edits.drop_fact(self.key, *self.told.drop)

    def ask_polar(self) -> None:
        """The end of the selected element by distance and angle."""
        from bastler.ui.widgets.polar import PolarDialog

        dialog = PolarDialog(self)
        if self.element >= 0 and dialog.exec():
            self.edits.type_facts(self.key, self.element, dialog.facts())

    def copy_points(self) -> None:
        """All points that are certain, as text: number, end, centre and radius of each element."""
        units, lines = self.session.job.units, []
        plane = plane_of(self.record.values) if self.record is not None else "XY"
        names = ("Z", "X") if plane == "ZX" else ("X", "Y")

        def place(p: Point) -> list[str]:
            across = p[1] * times_of(plane, "y")
            return [f"{names[0]} {typed_length(p[0], units)}", f"{names[1]} {typed_length(across, units)}"]

        for i, m in sorted(self.edits.members(self.key).items()):
            words = [str(i + 1), *place(m.end)]
            if m.centre is not None:
                words += [
                    f"centre {' '.join(place(m.centre))}",
                    f"radius {typed_length(m.radius, units)}",
                ]
            lines.append("   ".join(words))
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None and lines:
            clipboard.setText("\n".join(lines))
            self.session.message.emit(f"{len(lines)} points copied.")
