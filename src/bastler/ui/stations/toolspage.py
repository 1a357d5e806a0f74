"""The tool table: lines left, the tool drawn to scale, its fields right."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QVBoxLayout,
)

from bastler.core.exchange.tables import csv_units, read_tools_csv, write_tools
from bastler.core.job.document import ToolRecord
from bastler.core.jobfiles.library import LibraryTool, keep, read_library
from bastler.core.problems import Unusable
from bastler.core.quantities import Units, counted, show, whole_number
from bastler.core.tooling.kinds import KINDS, fields_for, first_answers, kinds_for
from bastler.ui import ask
from bastler.ui.plain.label import Label
from bastler.ui.plain.line import LineEdit
from bastler.ui.recovery import library_file
from bastler.ui.session import Session
from bastler.ui.sheets.toolsheet import ToolSheet
from bastler.ui.stations.records import RecordPage
from bastler.ui.theme.tokens import Theme
from bastler.ui.widgets.page import record_head
from bastler.ui.widgets.table import RecordTable

COLUMNS = ("No.", "Name", "Kind", "Ø", "Flutes to", "Stick-out")
TABLE_PX = 540
NARROW_PX, NARROW_TABLE_PX = 1200, 450
UNITS: tuple[Units, ...] = ("mm", "inch")


class ToolsPage(RecordPage):
    """Add, copy, edit, sort, delete."""

    def __init__(self, session: Session, theme: Theme) -> None:
        table = RecordTable(COLUMNS, "Tool table", 1, (0, 3, 4, 5))
        super().__init__(session, ToolSheet(theme), table, TABLE_PX, {"Cut": "Cutting"}, "Tool name")
        horizontal = table.horizontalHeader()
        assert horizontal is not None
        horizontal.sectionClicked.connect(self.sort)

    def show_tool(self, number: int) -> None:
        """With the cursor in its pocket."""
        self.table.setCurrentCell([t.number for t in self.session.job.tools].index(number), 0)
        self.form.focus_field("pocket")

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a narrow window the kind gives its place to the name."""
        super().resizeEvent(event)
        self.table.setColumnHidden(2, self.width() < NARROW_PX)
        self.table_column.setFixedWidth(TABLE_PX if self.width() >= NARROW_PX else NARROW_TABLE_PX)

    def build_foot(self, box: QVBoxLayout) -> None:
        """See :class:`RecordPage`."""
        row = QHBoxLayout()
        self.add_button = QPushButton("Add a tool")
        self.add_button.clicked.connect(self._offer_kinds)
        row.addWidget(self.add_button, 1)
        self.library_button = QPushButton("Library")
        self.library_button.clicked.connect(self._offer_library)
        row.addWidget(self.library_button)
        for word, run in (("Copy", self.copy), ("Delete", self.delete), ("Sort", lambda: self.sort(0))):
            button = QPushButton(word)
            button.clicked.connect(lambda _, r=run: r())
            row.addWidget(button)
        box.addLayout(row)

    def build_head(self, box: QVBoxLayout) -> None:
        """See :class:`RecordPage`."""
        self.number = LineEdit()
        self.number.setFixedWidth(70)
        self.number.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.number.setAccessibleName("Tool number")
        self.number.textEdited.connect(self._renumber)
        box.addLayout(record_head(Label("T"), self.number, self.name))
        self.trouble = Label()
        self.trouble.setProperty("role", "stop")
        self.trouble.setWordWrap(True)
        self.trouble.setContentsMargins(16, 0, 16, 0)
        box.addWidget(self.trouble)

    def records(self) -> tuple[ToolRecord, ...]:
        """See :class:`RecordPage`."""
        return self.session.job.tools

    def rows(self) -> list[tuple[str, ...]]:
        """See :class:`RecordPage`."""
        rows = []
        for tool, answers in zip(self.records(), self.session.plan.tool_answers, strict=True):
            v = answers.values
            own = {f.key for f in KINDS[tool.kind].fields} if tool.kind in KINDS else set()
            sizes = [
                show(v.get(k), units=self.session.job.units) if v.get(k) is not None else "?" if k in own else "–"
                for k in ("diameter", "flute_length", "stick_out")
            ]
            kind = KINDS[tool.kind].word if tool.kind in KINDS else tool.kind
            mark = "" if answers.complete else " ■" if answers.problems else " ○"
            rows.append((f"{tool.number}{mark}", tool.name, kind, *sizes))
        return rows

    def show_record(self, record: ToolRecord | None) -> None:
        """See :class:`RecordPage`."""
        if record is None:
            self.sheet.show_tool(None, None, self.session.job.units)
            return
        answers = self.session.plan.tool_answers[self.row]
        if self.number.text().strip() != str(record.number) and not (
            self.number.hasFocus() and whole_number(self.number.text()) is None
        ):
            self.number.setText(str(record.number))
        head = [p.text for p in answers.problems if p.field in ("number", "kind")]
        self.trouble.setText("■ " + head[0] if head else "")
        self.trouble.setVisible(bool(head))
        if record.kind in KINDS:
            fields = fields_for(record.kind, driven=self._drives)
            self.form.show_form(fields, record.values, answers, self.session.job.units)
        tool = self.session.plan.tools.get(record.number) if answers.complete else None
        self.sheet.show_tool(tool, answers, self.session.job.units)

    def change(self, what: str, **changes: object) -> None:
        """See :class:`RecordPage`."""
        record = self.record
        if record is not None:
            tools = self.records()
            new = (*tools[: self.row], record.changed(**changes), *tools[self.row + 1 :])
            self.session.edit_tools(new, f"tool.{self.row}.{what}")

    def _renumber(self, text: str) -> None:
        number = whole_number(text)
        if number is not None:
            self.change("number", number=min(number, 99_999))
        else:
            self.trouble.setText("■ A tool number is a whole number from 1.")
            self.trouble.setVisible(True)

    @property
    def _drives(self) -> bool:
        """Whether the machine turns tools of its turret."""
        return self.session.plan.frame.machine.driven is not None

    def _offer_kinds(self) -> None:
        menu = QMenu(self)
        for kind in kinds_for(self.session.plan.frame.machine.kind, driven=self._drives).values():
            action = menu.addAction(kind.word)
            assert action is not None
            action.triggered.connect(lambda _, k=kind.id: self.add(k))
        menu.popup(self.add_button.mapToGlobal(QPoint(0, -menu.sizeHint().height())))

    def _offer_library(self) -> None:
        """Tools to take from the library, and ways to put them there or into a list."""
        menu = QMenu(self)
        for word, run in (
            ("Put this tool into the library", self.keep_tool),
            ("Read a list (CSV) …", self.read_list),
            ("Write the list (CSV) …", self.write_list),
        ):
            action = menu.addAction(word)
            assert action is not None
            action.triggered.connect(lambda _, r=run: r())
        menu.addSeparator()
        units = self.session.job.units
        for one in self._library():
            action = menu.addAction(f"Take: {one.tool.name}")
            assert action is not None
            action.setEnabled(one.units == units)
            action.triggered.connect(lambda _, t=one.tool: self.take(t))
        menu.popup(self.library_button.mapToGlobal(QPoint(0, -menu.sizeHint().height())))

    def _library(self) -> tuple[LibraryTool, ...]:
        try:
            return read_library(library_file())
        except Unusable as error:
            self.session.message.emit(str(error))
            return ()

    def keep_tool(self) -> None:
        """The tool in view goes into the library."""
        if self.record is not None:
            try:
                tools = keep(library_file(), self.record, self.session.job.units)
                self.session.message.emit(
                    f"“{self.record.name}” is in the library now; it holds {counted(len(tools), 'tool')}."
                )
            except (Unusable, OSError) as error:
                self.session.message.emit(str(error))

    def take(self, tool: ToolRecord) -> None:
        """A copy of a library tool, with a free number if its own is taken."""
        record = self.session.numbered(tool)
        self.row = len(self.session.job.tools)
        self.session.edit_tools((*self.session.job.tools, record))

    def read_list(self) -> None:
        """Tools from a CSV file, behind those that are there; damaged lines are told."""
        name, _ = QFileDialog.getOpenFileName(self, "Read tools", "", "Lists (*.csv)")
        if not name:
            return
        try:
            own = csv_units(Path(name))
            given = own if own == self.session.job.units else self._ask_units(Path(name), own)
            if given is None:
                return
            tools, trouble = read_tools_csv(Path(name), self.session.job.units, given)
        except Unusable as error:
            self.session.message.emit(str(error))
            return
        taken = {t.number for t in self.session.job.tools}
        new = tuple(t for t in tools if t.number not in taken)
        self.session.edit_tools((*self.session.job.tools, *new))
        clash = [f"T{t.number}" for t in tools if t.number in taken]
        told = [
            f"{counted(len(new), 'tool')} read.",
            *trouble,
            *(
                [f"{', '.join(clash)} left out: the {'number is' if len(clash) == 1 else 'numbers are'} taken."]
                if clash
                else []
            ),
        ]
        self.session.message.emit(" ".join(told))

    def _ask_units(self, path: Path, named: Units | None) -> Units | None:
        """Ask about a list in other units than the job's, or one that names none; ``None``: leave it."""
        units = self.session.job.units
        title = "Units of the list"
        if named is not None:
            text = f"{path.name} is in {named}, the job in {units}. Shall the tools keep their size?"
            return named if ask.choose(self, title, text, (f"Convert to {units}",)) != "Cancel" else None
        chosen = ask.choose(self, title, f"{path.name} doesn't say its units. In which are its sizes?", UNITS)
        return next((u for u in UNITS if u == chosen), None)

    def write_list(self) -> None:
        """The table as a CSV file."""
        name, _ = QFileDialog.getSaveFileName(self, "Write tools", "tools.csv", "Lists (*.csv)")
        if name:
            try:
                count = write_tools(self.session.job.tools, self.session.job.units, Path(name))
                self.session.message.emit(f"{counted(count, 'tool')} written to {name}.")
            except Unusable as error:
                self.session.message.emit(str(error))

    def add(self, kind: str) -> None:
        """A new line of a kind, with the next free number."""
        values = first_answers(kind, driven=self._drives)
        record = ToolRecord(number=self.session.free_number(), kind=kind, name=KINDS[kind].word.lower(), values=values)
        self.row = len(self.session.job.tools)
        self.session.edit_tools((*self.session.job.tools, record))
        self.form.focus_first()

    def copy(self) -> None:
        """A copy of the line with a free number."""
        record = self.record
        if record is not None:
            new = record.changed(number=self.session.free_number())
            self.row = len(self.session.job.tools)
            self.session.edit_tools((*self.session.job.tools, new))

    def delete(self) -> None:
        """Take the line out; steps that used it will ask."""
        tools = self.session.job.tools
        if self.record is not None:
            self.session.edit_tools((*tools[: self.row], *tools[self.row + 1 :]))

    def sort(self, column: int) -> None:
        """Order the table by a column."""
        answers = self.session.plan.tool_answers
        keys = ("", "", "", "diameter", "flute_length", "stick_out")

        def order(i: int) -> tuple[float, str]:
            tool = self.session.job.tools[i]
            if column >= 3:
                return (answers[i].values.get(keys[column], 0.0), "")
            return (tool.number, "") if column == 0 else (0.0, tool.name if column == 1 else tool.kind)

        tools = self.session.job.tools
        self.session.edit_tools(tuple(tools[i] for i in sorted(range(len(tools)), key=order)))
