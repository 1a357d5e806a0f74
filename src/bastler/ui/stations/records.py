"""A page of records: their list left, the one in view drawn in the middle, its form right."""

from __future__ import annotations

from typing import Any, TypeAlias

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout

from bastler.ui.edits import with_value
from bastler.ui.forms.form import Form
from bastler.ui.plain.line import LineEdit
from bastler.ui.session import Session
from bastler.ui.stations.station import Page
from bastler.ui.theme.tokens import Theme
from bastler.ui.widgets.page import bench
from bastler.ui.widgets.table import RecordTable

FORM_PX = 344


Record: TypeAlias = Any
"""A tool, a pattern: whatever a page has a table of."""


class RecordPage(Page):
    """The frame: which record is in view, its name and its form. A page says what its records are.

    ``sheet`` draws a record and has ``set_focus_field``, ``set_theme`` and ``field_clicked``.
    """

    def __init__(
        self, session: Session, sheet: Any, table: RecordTable, table_px: int, groups: dict[str, str], name_word: str
    ) -> None:
        super().__init__()
        self.session, self.sheet, self.table = session, sheet, table
        self.row = 0
        self.name = LineEdit()
        self.name.setAccessibleName(name_word)
        self.name.textEdited.connect(lambda text: self.change("name", name=text))
        self.form: Form = Form(groups)
        self.form.typed.connect(self._typed)
        self.form.focused.connect(self._focused)
        table.currentCellChanged.connect(self._picked)
        sheet.field_clicked.connect(self.form.focus_field)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(0)
        left, box = bench(table_px, (12, 4, 12, 12))
        self.table_column = left
        box.addWidget(table, 1)
        self.build_foot(box)
        right, box = bench(FORM_PX, (0, 4, 0, 0))
        self.build_head(box)
        box.addWidget(self.form, 1)
        line.addWidget(left)
        line.addWidget(sheet, 1)
        line.addWidget(right)
        session.changed.connect(self.refresh)
        self.refresh()

    # what a page says of its records

    def build_foot(self, box: QVBoxLayout) -> None:
        """What stands under the list."""
        raise NotImplementedError

    def build_head(self, box: QVBoxLayout) -> None:
        """What stands above the form."""
        raise NotImplementedError

    def records(self) -> tuple[Record, ...]:
        """All of them, in the order of the list."""
        raise NotImplementedError

    def rows(self) -> list[tuple[str, ...]]:
        """The texts of the list."""
        raise NotImplementedError

    def show_record(self, record: Record | None) -> None:
        """Bring form and drawing to a record."""
        raise NotImplementedError

    def change(self, what: str, **changes: object) -> None:
        """Change entries of the record in view; edits of the same ``what`` are one step back."""
        raise NotImplementedError

    # the same for all

    @property
    def record(self) -> Record | None:
        """The one in view."""
        records = self.records()
        return records[self.row] if 0 <= self.row < len(records) else None

    def refresh(self) -> None:
        """Bring list, drawing and form to the job."""
        self.row = min(max(self.row, 0), max(len(self.records()) - 1, 0))
        self.table.show_rows(self.rows(), self.row)
        self._show()

    def _show(self) -> None:
        record = self.record
        self.form.setEnabled(record is not None)
        self.name.setEnabled(record is not None)
        name = record.name if record is not None else ""
        if self.name.text() != name:
            self.name.setText(name)
        self.show_record(record)

    def enter(self) -> None:
        """The page comes to the front."""
        self.table.setFocus()

    def set_theme(self, theme: Theme) -> None:
        """Redraw in a theme."""
        self.sheet.set_theme(theme)

    def _picked(self, row: int, *_: int) -> None:
        if row >= 0 and row != self.row:
            self.row = row
            self.session.end_merge()
            self._show()

    def _typed(self, key: str, text: str) -> None:
        if self.record is not None:
            self.change(key, values=with_value(self.record.values, key, text))

    def _focused(self, key: str) -> None:
        self.session.end_merge()
        self.sheet.set_focus_field(key)
