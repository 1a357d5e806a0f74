"""The patterns of the job: list left, the pattern drawn on the part, its fields right."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QWidget

from bastler.core.fields import Field
from bastler.core.job.document import PatternRecord
from bastler.core.planning.patterns import NAMED_FIELDS
from bastler.core.quantities import Kind
from bastler.ui.drawing.patternsheet import PatternSheet
from bastler.ui.forms.form import Form
from bastler.ui.session import Session, with_value
from bastler.ui.theme.tokens import Theme
from bastler.ui.widgets.page import bench, record_head
from bastler.ui.widgets.table import RecordTable

COLUMNS = ("Name", "Kind", "Holes", "Used by")
TABLE_PX = 400
FORM_PX = 344


class PatternsPage(QWidget):
    """Add, name, change, delete."""

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self.session = session
        self.row = 0
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(0)
        line.addWidget(self._table_column())
        self.sheet = PatternSheet(session, theme)
        line.addWidget(self.sheet, 1)
        line.addWidget(self._form_column())
        self.sheet.field_clicked.connect(self.form.focus_field)
        self.sheet.hole_clicked.connect(self._toggle)
        session.changed.connect(self.refresh)
        self.refresh()

    def _table_column(self) -> QWidget:
        column, box = bench(TABLE_PX, (12, 4, 12, 12))
        self.table = RecordTable(COLUMNS, "Patterns", 0, (2,))
        self.table.currentCellChanged.connect(self._picked)
        box.addWidget(self.table, 1)
        self.hint = QLabel("A pattern made here can be used by any number of steps; changing it changes them all.")
        self.hint.setWordWrap(True)
        self.hint.setProperty("role", "soft")
        box.addWidget(self.hint)
        row = QHBoxLayout()
        self.add_button = QPushButton("Add a pattern")
        self.add_button.clicked.connect(self.add)
        delete = QPushButton("Delete")
        delete.clicked.connect(self.delete)
        row.addWidget(self.add_button, 1)
        row.addWidget(delete)
        box.addLayout(row)
        return column

    def _form_column(self) -> QWidget:
        column, box = bench(FORM_PX, (0, 4, 0, 0))
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the pattern")
        self.name.textEdited.connect(self._rename)
        box.addLayout(record_head(QLabel("Name"), self.name))
        self.form = Form({"Place": "Positions"})
        self.form.typed.connect(self._typed)
        self.form.focused.connect(self._focused)
        box.addWidget(self.form, 1)
        return column

    # state to screen

    @property
    def record(self) -> PatternRecord | None:
        """The pattern in view."""
        patterns = self.session.job.patterns
        return patterns[self.row] if 0 <= self.row < len(patterns) else None

    def refresh(self) -> None:
        """Bring list, drawing and form to the job."""
        patterns, plan = self.session.job.patterns, self.session.plan
        self.row = min(max(self.row, 0), max(len(patterns) - 1, 0))
        words = dict(next(f for f in NAMED_FIELDS if f.key == "pattern").choices)
        rows: list[tuple[str, ...]] = []
        for record in patterns:
            known = plan.patterns.get(record.id)
            users = len(self.session.pattern_users(record.id))
            kind = words.get(record.values.get("pattern", "points"), "?")
            rows.append(
                (record.name, kind, str(len(known.used)) if known else "?", f"{users} step{'s' if users != 1 else ''}")
            )
        self.table.show_rows(rows, self.row)
        self._show(self.record)

    def _show(self, record: PatternRecord | None) -> None:
        self.form.setEnabled(record is not None)
        self.name.setEnabled(record is not None)
        if record is None:
            self.name.clear()
            self.sheet.show_pattern(None)
            return
        if self.name.text() != record.name:
            self.name.setText(record.name)
        answers = self.session.plan.pattern_answers[self.row]
        self.form.show_form(NAMED_FIELDS, record.values, answers, self.session.job.units, self._offers)
        self.sheet.show_pattern(answers)

    def _offers(self, field: Field) -> list[tuple[str, str]]:
        assert field.kind is Kind.PATTERN
        mine = self.record.id if self.record is not None else ""
        return [(p.id, p.name) for p in self.session.job.patterns if p.id != mine]

    def set_theme(self, theme: Theme) -> None:
        """Redraw in a theme."""
        self.sheet.set_theme(theme)

    # person to session

    def _picked(self, row: int, *_: int) -> None:
        if row >= 0 and row != self.row:
            self.row = row
            self.session.end_merge()
            self.refresh()

    def _rename(self, text: str) -> None:
        if self.record is not None:
            self.session.edit_pattern(self.record.id, "name", name=text)

    def _typed(self, key: str, text: str) -> None:
        if self.record is not None:
            self.session.edit_pattern(self.record.id, key, values=with_value(self.record.values, key, text))

    def _focused(self, key: str) -> None:
        self.session.end_merge()
        self.sheet.set_focus_field(key)

    def _toggle(self, number: int) -> None:
        if self.record is not None:
            self.session.toggle_hole(number, self.record.id)

    def add(self) -> None:
        """A new pattern, its name under the cursor."""
        self.row = len(self.session.job.patterns)
        self.session.add_pattern()
        self.name.setFocus()
        self.name.selectAll()

    def delete(self) -> None:
        """Take it out unless steps use it."""
        if self.record is not None:
            self.session.delete_pattern(self.record.id)
