"""The Setup station: stock, zero and holding with their drawing and the solid view; the tool table."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from bastler.core.job.document import WORK_OFFSETS
from bastler.core.job.frame import FIELDS
from bastler.core.quantities import show
from bastler.core.tooling.machines import machines
from bastler.core.tooling.materials import materials
from bastler.ui.drawing.setupsheet import SetupSheet
from bastler.ui.forms.form import Form
from bastler.ui.session import Session
from bastler.ui.stations.tools import ToolsPage
from bastler.ui.theme.tokens import Theme
from bastler.ui.widgets.solid import SolidPane

if TYPE_CHECKING:
    from bastler.ui.stations.machine import MachinePage
    from bastler.ui.stations.patterns import PatternsPage

FORM_PX = 350
PAGES = ("Stock and zero", "Tools", "Patterns", "Machine")
PAGE_WORDS = ("", "What is in the magazine", "Where holes and copies lie", "What the machine can do")
GROUPS = {"Size": "Stock", "Place": "Zero", "Entry": "Travel", "Cut": "Holding", "Parts": "Parts"}


class SetupStation(QWidget):
    """Two pages: the block, the tools."""

    def __init__(self, session: Session, theme: Theme, solid: SolidPane, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.solid = session, solid
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        head = QWidget()
        head.setObjectName("bench")
        row = QHBoxLayout(head)
        row.setContentsMargins(14, 8, 14, 4)
        row.setSpacing(0)
        self.page_buttons: list[QPushButton] = []
        for i, word in enumerate(PAGES):
            button = QPushButton(word)
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.setProperty("role", "segment")
            button.clicked.connect(lambda _, n=i: self.show_page(n))
            row.addWidget(button)
            self.page_buttons.append(button)
        self.page_buttons[0].setChecked(True)
        row.addSpacing(18)
        self.question = QLabel()
        self.question.setProperty("role", "question")
        row.addWidget(self.question, 1)
        column.addWidget(head)
        self.pages = QStackedWidget()
        self.pages.addWidget(self._block_page(theme))
        self.theme = theme
        self._tools: ToolsPage | None = None
        self._patterns: PatternsPage | None = None
        self._machine: MachinePage | None = None
        column.addWidget(self.pages, 1)
        session.changed.connect(self.refresh)
        self.refresh()

    @property
    def tools(self) -> ToolsPage:
        """The tool table, built at its first use."""
        if self._tools is None:
            self._tools = ToolsPage(self.session, self.theme)
            self._tools.form.focused.connect(lambda k: self._say(self._tool_question(k)))
            self.pages.addWidget(self._tools)
        return self._tools

    @property
    def patterns(self) -> PatternsPage:
        """The patterns, built at their first use."""
        if self._patterns is None:
            from bastler.ui.stations.patterns import PatternsPage

            self._patterns = PatternsPage(self.session, self.theme)
            self._patterns.form.focused.connect(
                lambda k: self._say(self._patterns.form.rows[k].field.question if self._patterns else "")
            )
            self.pages.addWidget(self._patterns)
        return self._patterns

    @property
    def machine_page(self) -> MachinePage:
        """The machine's profile, built at its first use."""
        if self._machine is None:
            from bastler.ui.stations.machine import MachinePage

            page = self._machine = MachinePage(self.session, self.theme)
            page.form.focused.connect(lambda k: self._say(page.form.rows[k].field.question))
            self.pages.addWidget(page)
        return self._machine

    def _block_page(self, theme: Theme) -> QWidget:
        page = QWidget()
        row = QHBoxLayout(page)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        left = QWidget()
        left.setObjectName("bench")
        left.setFixedWidth(FORM_PX)
        box = QVBoxLayout(left)
        box.setContentsMargins(0, 0, 0, 0)
        grid = QGridLayout()
        grid.setContentsMargins(16, 6, 16, 0)
        grid.setColumnStretch(1, 1)
        self.name = QLineEdit()
        self.name.textEdited.connect(lambda t: session_edit_name(self.session, t))
        self.machine, self.material, self.offset = QComboBox(), QComboBox(), QComboBox()
        for m in machines().values():
            self.machine.addItem(m.name, m.id)
        for material in materials().values():
            self.material.addItem(material.name, material.id)
        for offset in WORK_OFFSETS:
            self.offset.addItem(offset, offset)
        self.machine.activated.connect(lambda _: self._pick("machine", self.machine))
        self.material.activated.connect(lambda _: self._pick("material", self.material))
        self.offset.activated.connect(lambda _: self._pick("work_offset", self.offset))
        for i, (word, widget) in enumerate(
            (("Job", self.name), ("Machine", self.machine), ("Material", self.material), ("Work offset", self.offset))
        ):
            label = QLabel(word)
            label.setBuddy(widget)
            widget.setAccessibleName(word)
            grid.addWidget(label, i, 0)
            grid.addWidget(widget, i, 1)
        box.addLayout(grid)
        self.form = Form(GROUPS)
        self.form.typed.connect(self.session.type_setup)
        self.form.focused.connect(self._focused)
        self.form.accepted.connect(lambda: self._say("The setup is complete. On to the steps."))
        box.addWidget(self.form, 1)
        row.addWidget(left)
        self.sheet = SetupSheet(self.session, theme)
        self.sheet.field_clicked.connect(self.form.focus_field)
        self.sheet.anchor_clicked.connect(lambda a: self.session.type_setup("anchor", a))
        row.addWidget(self.sheet, 5)
        self.solid_place = QVBoxLayout()
        row.addLayout(self.solid_place, 4)
        return page

    def _pick(self, what: str, combo: QComboBox) -> None:
        self.session.edit(self.session.job.with_setup(self.session.setup.changed(**{what: combo.currentData()})))

    def _say(self, text: str) -> None:
        self.question.setText(text)

    def _focused(self, key: str) -> None:
        self.session.end_merge()
        self.sheet.set_focus_field(key)
        self._say(next(f.question for f in FIELDS if f.key == key))

    def _tool_question(self, key: str) -> str:
        rows = self.tools.form.rows
        return rows[key].field.question if key in rows else ""

    def refresh(self) -> None:
        """Bring everything to the job."""
        setup, answers = self.session.setup, self.session.plan.setup_answers
        if self.name.text() != self.session.job.name:
            self.name.setText(self.session.job.name)
        if self.machine.count() != len(machines()) or self.machine.findText(self.session.plan.frame.machine.name) < 0:
            self.machine.clear()
            for m in machines().values():
                self.machine.addItem(m.name, m.id)
        for combo, value in (
            (self.machine, setup.machine),
            (self.material, setup.material),
            (self.offset, setup.work_offset),
        ):
            combo.setCurrentIndex(combo.findData(value))
        self.form.show_form(FIELDS, setup.values, answers, self.session.job.units)
        missing = [f for f in FIELDS if f.key in answers.missing]
        if not self.page_buttons[0].isChecked():
            return
        if missing:
            self._say(missing[0].question)
        elif not self.question.text():
            b = self.session.plan.frame.block
            self._say("Block " + " × ".join(show(s, units=self.session.job.units) for s in b.size))

    def set_theme(self, theme: Theme) -> None:
        """Redraw in a theme."""
        self.theme = theme
        self.sheet.set_theme(theme)
        for page in (self._tools, self._patterns, self._machine):
            if page is not None:
                page.set_theme(theme)

    def show_page(self, index: int) -> None:
        """Block or tools."""
        self.page_buttons[index].setChecked(True)
        page = (
            self.pages.widget(0)
            if index == 0
            else (self.tools if index == 1 else self.patterns if index == 2 else self.machine_page)
        )
        self.pages.setCurrentWidget(page)
        self._say(PAGE_WORDS[index])
        self.refresh()
        if index == 1:
            self.tools.table.setFocus()
        elif index == 2:
            (self.patterns.table if self.session.job.patterns else self.patterns.add_button).setFocus()

    def enter(self) -> None:
        """The station comes to the front."""
        self.solid_place.addWidget(self.solid)
        self.solid.show()
        QTimer.singleShot(0, self._wake)
        if self.form.open_questions():
            self.form.focus_first()

    def _wake(self) -> None:
        if self.isVisible():
            self.solid.wake(raw=True)


def session_edit_name(session: Session, text: str) -> None:
    """Name the job."""
    session.edit(session.job.changed(name=text), "job.name")
