"""The Setup station: stock, zero and holding with their drawing and the solid view; the tool table."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from bastler.core.fields import Field
from bastler.core.job.document import WORK_OFFSETS
from bastler.core.job.setupfields import setup_fields
from bastler.core.quantities import Kind
from bastler.core.tooling.machines import Machine, machines
from bastler.core.tooling.materials import materials
from bastler.ui import ask
from bastler.ui.benches import window_bench
from bastler.ui.forms.form import Form
from bastler.ui.plain.label import Label
from bastler.ui.plain.line import LineEdit
from bastler.ui.session import Session
from bastler.ui.sheets.setupdrawing import SetupSheet
from bastler.ui.stations.station import Page, Station
from bastler.ui.theme.tokens import Theme
from bastler.ui.widgets.question import Question
from bastler.ui.widgets.solid import SolidPane

if TYPE_CHECKING:
    from bastler.ui.window import Window

FORM_PX = 362
PAGES = {
    "Stock and zero": "",
    "Tools": "What the tools are like",
    "Magazine": "Which pocket holds what",
    "Patterns": "Where holes and copies lie",
    "Machine": "What the machine can do",
    "Material": "What is cut, and how fast",
}
"""Pages by the word on their button, with what they are about."""
GROUPS = {"Size": "Stock", "Place": "Zero", "Entry": "Travel", "Cut": "Holding", "Parts": "Parts", "Output": "Program"}


class SetupStation(Station):
    """The block with its zero and holding; tools, patterns, machine and material on pages of their own."""

    finished = pyqtSignal()

    @classmethod
    def built(cls, window: Window) -> SetupStation:
        """With the solid view; behind it come the steps."""
        made = cls(window.session, window.theme, window.solid)
        made.finished.connect(lambda: window.show_station("Steps"))
        return made

    def drawing(self) -> QWidget:
        """Block or bar as it is held."""
        return self.sheet

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
        for word in PAGES:
            button = QPushButton(word)
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.setProperty("role", "segment")
            button.clicked.connect(lambda _, w=word: self.show_page(w))
            row.addWidget(button)
            self.page_buttons.append(button)
        self.page_buttons[0].setChecked(True)
        row.addSpacing(18)
        self.question = Question()
        row.addWidget(self.question, 1)
        column.addWidget(head)
        self.pages = QStackedWidget()
        self.pages.addWidget(self._block_page(theme))
        self.theme = theme
        self._built: dict[str, Page] = {}
        column.addWidget(self.pages, 1)
        session.changed.connect(self.refresh)
        self.refresh()

    def page(self, word: str) -> Page:
        """A page, built at its first use."""
        if word not in self._built:
            page = self._built[word] = _BUILDERS[word](self.session, self.theme)
            self.pages.addWidget(page)
            if (form := page.form) is not None:
                form.focused.connect(lambda k: self._say(form.rows[k].field.question if k in form.rows else ""))
            page.tool_wanted.connect(self._show_tool)
        return self._built[word]

    def _show_tool(self, number: int) -> None:
        """The line of a tool in the table, with the cursor in its pocket."""
        self.show_page("Tools")
        self.page("Tools").show_tool(number)

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
        self.name = LineEdit()
        self.name.textEdited.connect(lambda t: session_edit_name(self.session, t))
        self.machine, self.material, self.offset = QComboBox(), QComboBox(), QComboBox()
        for offset in WORK_OFFSETS:
            self.offset.addItem(offset, offset)
        self.machine.activated.connect(lambda _: self._pick_machine())
        self.material.activated.connect(lambda _: self._pick("material", self.material))
        self.offset.activated.connect(lambda _: self._pick("work_offset", self.offset))
        for i, (word, widget) in enumerate(
            (("Job", self.name), ("Machine", self.machine), ("Material", self.material), ("Work offset", self.offset))
        ):
            label = Label(word)
            label.setBuddy(widget)
            widget.setAccessibleName(word)
            grid.addWidget(label, i, 0)
            grid.addWidget(widget, i, 1)
        box.addLayout(grid)
        self.form = Form(GROUPS)
        self.form.typed.connect(self.session.type_setup)
        self.form.focused.connect(self._focused)
        self.form.accepted.connect(self._done)
        box.addWidget(self.form, 1)
        row.addWidget(left)
        self.sheet = SetupSheet(self.session, theme)
        self.sheet.field_clicked.connect(self.form.focus_field)
        self.sheet.anchor_clicked.connect(lambda a: self.session.type_setup("anchor", a))
        row.addWidget(self.sheet, 5)
        self.solid_place = QVBoxLayout()
        row.addLayout(self.solid_place, 4)
        return page

    def _done(self) -> None:
        """Enter behind the last field: on to the steps, unless something is asked or wrong."""
        self.session.end_merge()
        self.sheet.set_focus_field("")
        if self.form.open_questions():
            self.form.focus_first()
        else:
            self.finished.emit()

    def _pick(self, what: str, combo: QComboBox) -> None:
        self.session.edit(self.session.with_setup(self.session.setup.changed(**{what: combo.currentData()})))

    def _pick_machine(self) -> None:
        """Another machine; one of another kind brings its own sample tools into a job that has none of its own yet."""
        from bastler.core.demo import is_blank, on_machine
        from bastler.core.jobfiles.units import in_units

        job, key = self.session.job, str(self.machine.currentData())
        new, convert = machines()[key], "keep"
        if new.units != job.units:
            convert = "convert" if is_blank(job) else self._ask_units(new)
        if convert:
            changed = on_machine(job, self.session.at, key)
            self.session.edit(
                in_units(changed, "inch" if new.units == "inch" else "mm", keep_size=True)
                if convert == "convert"
                else changed
            )
        self.refresh()
        self.machine.setFocus()

    def _ask_units(self, machine: Machine) -> str:
        """A machine that counts in other units than a job with numbers: ``convert``, ``keep``, or nothing to leave it."""
        units = self.session.job.units
        text = f"{machine.name} counts in {machine.units}; the numbers of this job are in {units}."
        convert, keep = f"Convert to {machine.units}", f"Keep {units}"
        word = ask.choose(self, "Units", text, (convert, keep))
        return {convert: "convert", keep: "keep"}.get(word, "")

    def _say(self, text: str) -> None:
        self.question.setText(text)

    def _focused(self, key: str) -> None:
        self.session.end_merge()
        self.sheet.set_focus_field(key)
        self._say(next(f.question for f in setup_fields(self.session.setup) if f.key == key))

    def refresh(self) -> None:
        """Bring everything to the job."""
        setup, answers = self.session.setup, self.session.plan.setup_answers
        if self.name.text() != self.session.job.name:
            self.name.setText(self.session.job.name)
        for combo, known in ((self.machine, machines()), (self.material, materials())):
            names = [one.name for one in known.values()]
            if names != [combo.itemText(i) for i in range(combo.count())]:
                combo.clear()
                for one in known.values():
                    combo.addItem(one.name, one.id)
        for combo, value in (
            (self.machine, setup.machine),
            (self.material, setup.material),
            (self.offset, setup.work_offset),
        ):
            combo.setCurrentIndex(combo.findData(value))
        fields = setup_fields(setup)
        self.form.show_form(fields, setup.values, answers, self.session.job.units, self.offers)
        missing = [f for f in fields if f.key in answers.missing]
        if not self.page_buttons[0].isChecked():
            return
        if missing:
            self._say(missing[0].question)
        elif not self.question.text():
            plan = self.session.plan
            self._say(window_bench(plan).stock_said(plan, self.session.job.units))

    def offers(self, field: Field) -> list[tuple[str, str]]:
        """The contours that a casting may have."""
        every = self.session.plan.contours.values()
        return (
            [(c.id, c.name) for c in every if c.values.get("plane", "XY") == "ZX"] if field.kind is Kind.CONTOUR else []
        )

    def set_theme(self, theme: Theme) -> None:
        """Redraw in a theme."""
        self.theme = theme
        self.sheet.set_theme(theme)
        for page in self._built.values():
            page.set_theme(theme)

    def show_page(self, word: str) -> None:
        """Bring a page to the front, with the cursor where work on it starts."""
        next(b for b in self.page_buttons if b.text() == word).setChecked(True)
        page = self.page(word) if word in _BUILDERS else None
        self.pages.setCurrentWidget(page or self.pages.widget(0))
        self._say(PAGES[word])
        self.refresh()
        if page is not None:
            page.enter()

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


def _tools(session: Session, theme: Theme) -> Page:
    from bastler.ui.stations.toolspage import ToolsPage

    return ToolsPage(session, theme)


def _magazine(session: Session, theme: Theme) -> Page:
    from bastler.ui.stations.magazinepage import MagazinePage

    return MagazinePage(session, theme)


def _patterns(session: Session, theme: Theme) -> Page:
    from bastler.ui.stations.patternspage import PatternsPage

    return PatternsPage(session, theme)


def _machine(session: Session, theme: Theme) -> Page:
    from bastler.ui.stations.ownpage import machine_page

    return machine_page(session, theme)


def _material(session: Session, theme: Theme) -> Page:
    from bastler.ui.stations.ownpage import material_page

    return material_page(session, theme)


_BUILDERS: dict[str, Callable[[Session, Theme], Page]] = {
    "Tools": _tools,
    "Magazine": _magazine,
    "Patterns": _patterns,
    "Machine": _machine,
    "Material": _material,
}


def session_edit_name(session: Session, text: str) -> None:
    """Name the job."""
    session.edit(session.job.changed(name=text), "job.name")
