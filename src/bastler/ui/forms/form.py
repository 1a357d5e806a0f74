"""A form made from declared fields: four groups, units behind, reasons and problems under a field."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from bastler.core.fields import Answers, Field
from bastler.core.quantities import Kind, Units, unit_word
from bastler.ui.forms.editors import Editor, ListEditor, editor_for, shown_suggestion
from bastler.ui.forms.numberpad import NumberPad

FIELD_WIDTH_PX = 132
WIDE_KINDS = (Kind.POINTS, Kind.CYLINDERS, Kind.TEXT, Kind.TOOL)


class _Row:
    """The widgets of one field."""

    def __init__(self, field: Field, editor: Editor, label: QLabel, unit: QLabel | None, note: QLabel) -> None:
        self.field, self.editor, self.label, self.unit, self.note = field, editor, label, unit, note

    def set_visible(self, visible: bool) -> None:
        for widget in (self.label, self.editor.widget, self.unit):
            if widget is not None:
                widget.setVisible(visible)
        if not visible:
            self.note.setVisible(False)


class Form(QWidget):
    """Shows typed texts against fields; says what is typed and where the cursor is.

    Words above it jump to a group, so the last one is never far; the reason of a suggestion is shown for
    the tool and for the field with the cursor.
    """

    typed = pyqtSignal(str, str)
    focused = pyqtSignal(str)
    accepted = pyqtSignal()

    def __init__(self, groups: dict[str, str] | None = None, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._groups = groups or {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.jumps = QHBoxLayout()
        self.jumps.setContentsMargins(10, 2, 10, 2)
        self.jumps.setSpacing(0)
        column.addLayout(self.jumps)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        column.addWidget(self.area, 1)
        self._cursor = ""
        self._typed: dict[str, str] = {}
        self._fields: tuple[Field, ...] = ()
        self.rows: dict[str, _Row] = {}
        self._heads: list[tuple[str, QWidget]] = []
        self._answers: Answers | None = None
        self.pad: NumberPad | None = None

    def show_form(
        self, fields: tuple[Field, ...], typed: dict[str, str], answers: Answers, units: Units, tools: list[tuple[str, str]]
    ) -> None:  # fmt: skip
        """Build the form if its fields are new; then bring every row up to date."""
        if fields is not self._fields:
            self._build(fields, units, tools)
        self._answers, self._typed = answers, typed
        flagged = {p.field: p for p in reversed(answers.problems)}
        for key, row in self.rows.items():
            visible = key not in answers.hidden
            row.set_visible(visible)
            if not visible:
                continue
            if isinstance(row.editor, ListEditor) and row.field.kind is Kind.TOOL:
                row.editor.set_choices(tools)
            problem = flagged.get(key)
            asks = key in answers.missing
            row.editor.show_state(
                typed.get(key, ""),
                shown_suggestion(row.field, answers, units),
                wrong=problem is not None and problem.blocks,
                asks=asks,
            )
            if row.unit is not None:
                row.unit.setText(unit_word(row.field.kind, units))
            self._note(row, typed, answers, problem.text if problem else "", problem.blocks if problem else False, asks)
        for group, head in self._heads:
            head.setVisible(any(r.field.group == group and k not in answers.hidden for k, r in self.rows.items()))

    def _note(self, row: _Row, typed: dict[str, str], answers: Answers, problem: str, blocks: bool, asks: bool) -> None:
        text, role = problem, "stop" if blocks else "warn"
        if text:
            text = ("■ " if blocks else "▲ ") + text
        elif row.field.kind is Kind.TOOL and asks:
            text, role = "No tool in the table fits yet.", "soft"
        elif (
            row.field.key in answers.suggestions
            and not typed.get(row.field.key)
            and (row.field.kind is Kind.TOOL or row.field.key == self._cursor)
        ):
            text, role = answers.suggestions[row.field.key].reason, "reason"
        if row.note.text() != text:
            row.note.setText(text)
        if row.note.property("role") != role:
            row.note.setProperty("role", role)
            style = row.note.style()
            assert style is not None
            style.unpolish(row.note)
            style.polish(row.note)
        row.note.setVisible(bool(text))

    def _build(self, fields: tuple[Field, ...], units: Units, tools: list[tuple[str, str]]) -> None:
        self._fields = fields
        self.rows, self._heads = {}, []
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(16, 4, 16, 16)
        column.setSpacing(4)
        for group in dict.fromkeys(f.group for f in fields):
            head = self._head(self._groups.get(group, group))
            self._heads.append((group, head))
            column.addWidget(head)
            grid = QGridLayout()
            grid.setHorizontalSpacing(8)
            grid.setVerticalSpacing(4)
            grid.setColumnStretch(0, 1)
            for field in (f for f in fields if f.group == group):
                self._add_row(grid, field, units, tools)
            column.addLayout(grid)
        column.addStretch(1)
        old = self.area.takeWidget()
        if old is not None:
            old.deleteLater()
        self.area.setWidget(body)
        self._build_jumps()
        previous: QWidget | None = None
        for row in self.rows.values():
            if previous is not None:
                QWidget.setTabOrder(previous, row.editor.widget)
            previous = row.editor.widget

    def _build_jumps(self) -> None:
        while self.jumps.count():
            item = self.jumps.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        for group, head in self._heads:
            button = QPushButton(self._groups.get(group, group))
            button.setProperty("role", "quiet")
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.clicked.connect(lambda _, h=head: self._jump(h))
            self.jumps.addWidget(button)
        self.jumps.addStretch(1)

    def _jump(self, head: QWidget) -> None:
        bar = self.area.verticalScrollBar()
        if bar is not None:
            bar.setValue(head.y())

    def _head(self, text: str) -> QWidget:
        head = QWidget()
        line = QHBoxLayout(head)
        line.setContentsMargins(0, 8, 0, 2)
        label = QLabel(text)
        label.setProperty("role", "group")
        rule = QFrame()
        rule.setObjectName("rule")
        line.addWidget(label)
        line.addWidget(rule, 1)
        return head

    def _add_row(self, grid: QGridLayout, field: Field, units: Units, tools: list[tuple[str, str]]) -> None:
        editor = editor_for(field, tools)
        editor.setParent(self)
        label, note = QLabel(field.label), QLabel()
        unit: QLabel | None = QLabel(unit_word(field.kind, units))
        label.setBuddy(editor.widget)
        note.setWordWrap(True)
        editor.widget.setAccessibleName(field.label)
        editor.widget.setToolTip(field.question)
        at = grid.rowCount()
        grid.addWidget(label, at, 0)
        if field.kind in WIDE_KINDS or (field.choices and not isinstance(editor, ListEditor)):
            grid.addWidget(editor.widget, at, 1, 1, 2)
            editor.widget.setMinimumWidth(FIELD_WIDTH_PX + 50)
            unit = None
        else:
            editor.widget.setFixedWidth(FIELD_WIDTH_PX)
            grid.addWidget(editor.widget, at, 1)
            assert unit is not None
            unit.setProperty("role", "soft")
            unit.setMinimumWidth(46)
            grid.addWidget(unit, at, 2)
        grid.addWidget(note, at + 1, 0, 1, 3)
        row = _Row(field, editor, label, unit, note)
        self.rows[field.key] = row
        editor.typed.connect(lambda text, k=field.key: self.typed.emit(k, text))
        editor.focused.connect(lambda k=field.key: self._on_focus(k))
        editor.entered.connect(lambda k=field.key: self.advance(k))
        editor.touched.connect(lambda k=field.key: self._open_pad(k))

    # walking

    def _on_focus(self, key: str) -> None:
        before, self._cursor = self._cursor, key
        for one in (before, key):
            row = self.rows.get(one)
            if row is not None and self._answers is not None and one not in self._answers.hidden:
                problem = next((p for p in self._answers.problems if p.field == one), None)
                self._note(
                    row,
                    self._typed,
                    self._answers,
                    problem.text if problem else "",
                    bool(problem and problem.blocks),
                    one in self._answers.missing,
                )
        self.area.ensureWidgetVisible(self.rows[key].editor.widget, 0, 60)
        self.focused.emit(key)

    def focus_field(self, key: str) -> None:
        """Put the cursor into a field."""
        row = self.rows.get(key)
        if row is not None and self._answers is not None and key not in self._answers.hidden:
            row.editor.focus()

    def open_questions(self) -> list[str]:
        """Fields that must be answered or corrected, in order."""
        if self._answers is None:
            return []
        wrong = {p.field for p in self._answers.problems if p.blocks}
        return [k for k in self.rows if (k in self._answers.missing or k in wrong) and k not in self._answers.hidden]

    def advance(self, key: str) -> None:
        """Enter: on to the next open question; none left: accepted."""
        QTimer.singleShot(0, lambda: self._advance(key))

    def _advance(self, key: str) -> None:
        order = list(self.rows)
        waiting = [k for k in self.open_questions() if k != key]
        after = [k for k in waiting if order.index(k) > order.index(key)]
        if after or waiting:
            self.focus_field((after or waiting)[0])
        elif not self.open_questions():
            self.accepted.emit()

    def focus_first(self) -> None:
        """The first open question, or the first field."""
        order = self.open_questions() or [
            k for k in self.rows if self._answers is None or k not in self._answers.hidden
        ]
        if order:
            self.focus_field(order[0])

    def _open_pad(self, key: str) -> None:
        if self.pad is None:
            self.pad = NumberPad(self.window() or self)
        self.pad.open_for(self.rows[key].editor.widget, lambda: self.advance(key))
