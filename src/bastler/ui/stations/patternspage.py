"""The patterns of the job: list left, the pattern drawn on the part, its fields right."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout

from bastler.core.fields import Field
from bastler.core.job.document import PatternRecord
from bastler.core.planning.patterns import NAMED_FIELDS
from bastler.core.quantities import Kind
from bastler.ui.plain.label import Label
from bastler.ui.session import Session
from bastler.ui.sheets.patternsheet import PatternSheet
from bastler.ui.stations.records import RecordPage
from bastler.ui.theme.tokens import Theme
from bastler.ui.widgets.page import record_head
from bastler.ui.widgets.table import RecordTable

COLUMNS = ("Name", "Kind", "Holes", "Used by")
TABLE_PX = 400


class PatternsPage(RecordPage):
    """Add, name, change, delete."""

    def __init__(self, session: Session, theme: Theme) -> None:
        table = RecordTable(COLUMNS, "Patterns", 0, (2,))
        sheet = PatternSheet(session, theme)
        super().__init__(session, sheet, table, TABLE_PX, {"Place": "Positions"}, "Name of the pattern")
        sheet.hole_clicked.connect(self._toggle)

    def build_foot(self, box: QVBoxLayout) -> None:
        """See :class:`RecordPage`."""
        hint = Label("A pattern made here can be used by any number of steps; changing it changes them all.")
        hint.setWordWrap(True)
        hint.setProperty("role", "soft")
        box.addWidget(hint)
        row = QHBoxLayout()
        self.add_button = QPushButton("Add a pattern")
        self.add_button.clicked.connect(self.add)
        delete = QPushButton("Delete")
        delete.clicked.connect(self.delete)
        row.addWidget(self.add_button, 1)
        row.addWidget(delete)
        box.addLayout(row)

    def build_head(self, box: QVBoxLayout) -> None:
        """See :class:`RecordPage`."""
        box.addLayout(record_head(Label("Name"), self.name))

    def records(self) -> tuple[PatternRecord, ...]:
        """See :class:`RecordPage`."""
        return self.session.job.patterns

    def rows(self) -> list[tuple[str, ...]]:
        """See :class:`RecordPage`."""
        words = dict(next(f for f in NAMED_FIELDS if f.key == "pattern").choices)
        rows: list[tuple[str, ...]] = []
        for record in self.records():
            known = self.session.plan.patterns.get(record.id)
            users = len(self.session.pattern_users(record.id))
            kind = words.get(record.values.get("pattern", "points"), "?")
            rows.append(
                (
                    record.name,
                    kind,
                    str(len(known.used)) if known and not known.lacks else "?",
                    f"{users} step{'s' if users != 1 else ''}",
                )
            )
        return rows

    def show_record(self, record: PatternRecord | None) -> None:
        """See :class:`RecordPage`."""
        if record is None:
            self.sheet.show_pattern(None)
            return
        answers = self.session.plan.pattern_answers[self.row]
        self.form.show_form(NAMED_FIELDS, record.values, answers, self.session.job.units, self._offers)
        self.sheet.show_pattern(answers)

    def change(self, what: str, **changes: object) -> None:
        """See :class:`RecordPage`."""
        if self.record is not None:
            self.session.edit_pattern(self.record.id, what, **changes)

    def enter(self) -> None:
        """See :class:`RecordPage`."""
        (self.table if self.records() else self.add_button).setFocus()

    def _offers(self, field: Field) -> list[tuple[str, str]]:
        assert field.kind is Kind.PATTERN
        mine = self.record.id if self.record is not None else ""
        return [(p.id, p.name) for p in self.records() if p.id != mine]

    def _toggle(self, number: int) -> None:
        if self.record is not None:
            self.session.toggle_hole(number, self.record.id)

    def add(self) -> None:
        """A new pattern, its name under the cursor."""
        self.row = len(self.records())
        self.session.add_pattern()
        self.name.setFocus()
        self.name.selectAll()

    def delete(self) -> None:
        """Take it out unless steps use it."""
        if self.record is not None:
            self.session.delete_pattern(self.record.id)
