"""The Steps station: cards left, the sheet in the middle with the question above it, the form right."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from bastler.core.fields import Field
from bastler.core.problems import Unusable
from bastler.core.quantities import Kind
from bastler.core.tooling.tools import Tool
from bastler.ui.forms.form import Form
from bastler.ui.plain.label import Label
from bastler.ui.plain.line import LineEdit
from bastler.ui.recovery import library_file
from bastler.ui.session import Session
from bastler.ui.sheets.sheet import Sheet
from bastler.ui.stations.contourdesk import NEW, ContourDesk
from bastler.ui.stations.station import Station
from bastler.ui.theme.tokens import Theme, hue
from bastler.ui.widgets.cards import Cards, clock
from bastler.ui.widgets.powerbar import PowerBar
from bastler.ui.widgets.question import Question

if TYPE_CHECKING:
    from bastler.core.job.document import ToolRecord
    from bastler.core.plans.choices import Choice
    from bastler.ui.widgets.addstep import AddStep
    from bastler.ui.widgets.joblist import Entry, JobList
    from bastler.ui.widgets.solid import SolidPane
    from bastler.ui.widgets.toolchoice import ToolChoice
    from bastler.ui.window import Window

PLAN_PX, FORM_PX, NARROW_PX = 282, 370, 1200
MISSING_PX = 58
"""Kept free for what is said, so that the drawing stays where it is."""
LIBRARY_FROM = 10_000
"""Tools of the library are compared under numbers from here."""


class StepsStation(Station):
    """Where a job is made. ``solid`` gives the pane that the stations share; it is made at its first use."""

    @classmethod
    def built(cls, window: Window) -> StepsStation:
        """With the jobs that an empty one offers."""
        return cls(window.session, window.theme, lambda: window.solid, window.entries, window.stack)

    def picked(self) -> tuple[str, ...]:
        """Those whose cards are."""
        return self.cards.picked_ids()

    def drawing(self) -> QWidget:
        """The sheet."""
        return self.sheet

    def __init__(
        self,
        session: Session,
        theme: Theme,
        solid: Callable[[], SolidPane],
        jobs: Callable[[], list[Entry]],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.session, self.theme = session, theme
        self._solid, self._jobs = solid, jobs
        self._with_solid = False
        self._choices: list[Choice] = []
        self._choosing: tuple[str, dict[int, tuple[ToolRecord, Tool]]] = ("", {})
        self.desk = ContourDesk(self)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self._plan_column())
        row.addWidget(self._sheet_column(), 1)
        self.stripe = QWidget()
        self.stripe.setFixedWidth(6)
        row.addWidget(self.stripe)
        row.addWidget(self._form_column())
        session.changed.connect(self.refresh)
        session.judged.connect(self.refresh)
        session.selection_changed.connect(self._selected)
        session.checked_changed.connect(self._times)
        session.checked_changed.connect(self._check_came)
        self.refresh()

    def _plan_column(self) -> QWidget:
        column = QWidget()
        column.setObjectName("bench")
        column.setFixedWidth(PLAN_PX)
        box = QVBoxLayout(column)
        box.setContentsMargins(8, 10, 8, 12)
        head = QHBoxLayout()
        head.setContentsMargins(8, 0, 8, 0)
        title = Label("Plan")
        title.setProperty("role", "title")
        self.total = Label()
        self.total.setProperty("role", "soft")
        head.addWidget(title, 1)
        head.addWidget(self.total)
        box.addLayout(head)
        self.cards = Cards(self.session, self.theme)
        self.cards.opened.connect(lambda: self.form.focus_first())
        box.addWidget(self.cards, 1)
        self.begin_box = QVBoxLayout()
        box.addLayout(self.begin_box, 4)
        self.add_button = QPushButton("Add a step")
        self.add_button.setMinimumHeight(44)
        self.add_button.clicked.connect(self.open_add)
        box.addWidget(self.add_button)
        return column

    def _sheet_column(self) -> QWidget:
        column = QWidget()
        column.setObjectName("paper")
        box = QVBoxLayout(column)
        box.setContentsMargins(18, 8, 12, 0)
        box.setSpacing(2)
        self.question = Question()
        box.addWidget(self.question)
        head = QHBoxLayout()
        self.missing = Label()
        self.missing.setProperty("role", "missing")
        self.missing.setWordWrap(True)
        self.missing.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.missing.setFixedHeight(MISSING_PX)
        head.addWidget(self.missing, 1)
        self.view_buttons: dict[str, QPushButton] = {}
        switch = QHBoxLayout()
        switch.setSpacing(0)
        for word in ("Sheet", "Solid", "Both"):
            button = QPushButton(word)
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.setProperty("role", "segment")
            button.clicked.connect(lambda _, w=word: self.show_view(w))
            switch.addWidget(button)
            self.view_buttons[word] = button
        self.view_buttons["Sheet"].setChecked(True)
        self.measure_button = QPushButton("Measure")
        self.measure_button.setCheckable(True)
        self.measure_button.setProperty("role", "segment")
        self.measure_button.clicked.connect(self.measure)
        self.paths_button = QPushButton("Paths")
        self.paths_button.setCheckable(True)
        self.paths_button.setProperty("role", "segment")
        self.paths_button.clicked.connect(self.show_paths)
        head.addWidget(self.paths_button, 0, Qt.AlignmentFlag.AlignTop)
        head.addWidget(self.measure_button, 0, Qt.AlignmentFlag.AlignTop)
        head.addSpacing(6)
        head.addLayout(switch)
        head.setAlignment(switch, Qt.AlignmentFlag.AlignTop)
        box.addLayout(head)
        self.sheet = Sheet(self.session, self.theme)
        self.sheet.field_clicked.connect(self.go_to_field)
        self.sheet.step_clicked.connect(self.session.select)
        self.sheet.hole_clicked.connect(self.session.toggle_hole)
        self.sheet.measured.connect(self._measured)
        self.sheet.contour_clicked.connect(self.desk.clicked)
        self.views = QVBoxLayout()
        self.views.setSpacing(0)
        self.views.addWidget(self.sheet, 3)
        box.addLayout(self.views, 1)
        return column

    def _form_column(self) -> QWidget:
        self.right = QStackedWidget()
        self.right.setObjectName("bench")
        self.right.setFixedWidth(FORM_PX)
        page = QWidget()
        page.setObjectName("bench")
        box = QVBoxLayout(page)
        box.setContentsMargins(0, 10, 0, 0)
        head = QHBoxLayout()
        head.setContentsMargins(16, 0, 16, 0)
        self.form_title = Label()
        self.form_title.setProperty("role", "title")
        self.name_edit = LineEdit()
        self.name_edit.setAccessibleName("Name of the step")
        self.name_edit.textEdited.connect(self._rename)
        head.addWidget(self.form_title)
        head.addWidget(self.name_edit, 1)
        box.addLayout(head)
        line = QHBoxLayout()
        line.setContentsMargins(16, 0, 16, 0)
        line.addWidget(self.desk.button)
        box.addLayout(line)
        self.form = Form(ends=True)
        self.form.typed.connect(self._typed)
        self.form.focused.connect(self._focused)
        self.form.accepted.connect(self._accepted)
        self.form.choices_asked.connect(self.offer_tools)
        box.addWidget(self.form, 1)
        self.power = PowerBar(self.theme)
        box.addWidget(self.power)
        self.right.addWidget(page)
        return self.right

    @cached_property
    def adder(self) -> AddStep:
        """The panel that offers the kinds of step, made at its first use."""
        from bastler.ui.widgets.addstep import AddStep

        adder = AddStep(self.theme)
        adder.chosen.connect(self._add)
        adder.left.connect(self.close_add)
        self.right.addWidget(adder)
        return adder

    @cached_property
    def chooser(self) -> ToolChoice:
        """The panel that compares tools, made at its first use."""
        from bastler.ui.widgets.toolchoice import ToolChoice

        chooser = ToolChoice(self.theme)
        chooser.left.connect(self._close_chooser)
        chooser.chosen.connect(self._take_tool)
        self.right.addWidget(chooser)
        return chooser

    # state to screen

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a narrow window what has a key and a menu entry leaves its place to the sentences."""
        super().resizeEvent(event)
        for button in (self.paths_button, self.measure_button):
            button.setVisible(self.width() >= NARROW_PX)

    def set_theme(self, theme: Theme) -> None:
        """Redraw in a theme."""
        self.theme = theme
        for part in (self.cards, self.sheet):
            part.set_theme(theme)
        for panel in ("adder", "chooser"):
            if panel in self.__dict__:
                getattr(self, panel).theme = theme
        self.power.theme = theme
        self.refresh()

    def offers(self, field: Field) -> list[tuple[str, str]]:
        """Tools that a field of the selected step can use, the patterns it can lie on, the steps it can repeat."""
        current, plan = self.session.current, self.session.plan
        if field.kind is Kind.PATTERN:
            return [*field.choices, *((p.id, f"{p.name or 'pattern'}  (shared)") for p in plan.patterns.values())]
        if field.kind is Kind.CONTOUR:
            return [*((c.id, c.name) for c in plan.contours.values()), (NEW, "New contour …")]
        if field.kind is Kind.CONTOURS:
            main = current.step.values.get("contour") if current else None
            return [(c.id, c.name) for c in plan.contours.values() if c.id != main]
        if field.kind is Kind.STEPS:
            before = plan.steps[: current.number - 1] if current else ()
            return [(s.step.id, f"{s.number}  {s.full_name}") for s in before if s.cycle.repeat is None]
        kinds = field.tool_kinds or (current.cycle.tool_kinds if current else ())
        return [(str(t.number), f"T{t.number}  {t.name}") for t in plan.tools.values() if t.kind in kinds]

    def refresh(self) -> None:
        """Bring form and texts to the session."""
        current = self.session.current
        if self.desk.is_open:
            return
        machine = self.session.plan.frame.machine
        if "adder" in self.__dict__ and self.adder.list.count() and self.adder.machine != machine.id:
            self.adder.open(self._next_slot(), machine)
        self._offer_jobs(not self.session.steps and self.session.path is None)
        if current is None:
            self.stripe.setStyleSheet("")
            self.question.setText("What is cut first?")
            self.missing.setText("Add a step: type a word, or click one.")
            self.right.setCurrentWidget(self.adder)
            if self.adder.machine != machine.id:
                self.adder.open(0, machine)
            return
        self.stripe.setStyleSheet(f"background: {hue(self.session.colours.slot(current.step.id))};")
        self.form_title.setText(current.cycle.name)
        if self.name_edit.text() != current.step.name:
            self.name_edit.setText(current.step.name)
        self.name_edit.setPlaceholderText(current.own_title)
        self.form.show_form(
            current.cycle.fields, current.step.values, current.answers, self.session.job.units, self.offers
        )
        self.desk.follow()
        self.power.show_share(current.cycle.power_share(current.answers.values, current.work))
        self._question()
        self._times()

    def _offer_jobs(self, on: bool) -> None:
        """Under an empty plan: jobs to look at or to go on with."""
        if on and "joblist" not in self.__dict__:
            self.begin_box.addWidget(self.joblist)
        if "joblist" in self.__dict__:
            self.joblist.setVisible(on)

    @cached_property
    def joblist(self) -> JobList:
        """Samples, recent jobs and starting points."""
        from bastler.ui.widgets.joblist import JobList

        return JobList(self._jobs())

    def _selected(self) -> None:
        if self.desk.is_open:
            self.desk.close()
        self.refresh()

    def _question(self) -> None:
        current = self.session.current
        if current is None:
            return
        key = self.sheet.focus_field
        known = {f.key: f for f in current.cycle.fields}
        if key not in known or key in current.answers.hidden:
            key = next(iter(current.answers.missing), "")
        self.question.setText(known[key].question if key else current.full_name)
        n = len(current.answers.missing)
        problem = next((p for p in current.answers.problems if p.blocks), None)
        if problem is not None:
            text = problem.text
        elif n:
            begun = next(iter(current.answers.begun.values()), "")
            text = begun or f"{n} answer{'s are' if n > 1 else ' is'} still missing"
        else:
            asks = self.session.plan.setup_asks()
            done = f"This step is complete. {asks}" if asks else "Complete."
            text = done if current.step.on else "Switched off."
        if self.session.remedy is not None and current.step.on:
            field, value = self.session.remedy
            text += f" Ctrl+R sets {known[field].label} to {value}, which mends this."
        self.missing.setText(text)

    def _times(self) -> None:
        checked = self.session.checked
        self.total.setText(
            f"{clock(float(checked.times.sum()))} min" if checked is not None and self.session.plan.order else ""
        )

    # person to session

    def _typed(self, key: str, text: str) -> None:
        if text == NEW:
            self.desk.new(key)
        elif self.session.selected is not None:
            self.session.type_value(self.session.selected, key, text)

    def _rename(self, text: str) -> None:
        if self.session.selected is not None:
            self.session.edit_step(self.session.selected, f"{self.session.selected}.name", name=text)

    def _focused(self, key: str) -> None:
        self.session.end_merge()
        self.sheet.set_focus_field(key)
        self._question()

    def _accepted(self) -> None:
        self.session.end_merge()
        self.sheet.set_focus_field("")
        self._question()
        self.add_button.setFocus()
        self.open_add()

    def go_to_field(self, key: str) -> None:
        """A dimension was clicked."""
        self.close_add()
        self.form.focus_field(key)

    def show_paths(self, on: bool) -> None:
        """Draw the way of the tool on the sheet, as the check has it, or not."""
        self.paths_button.setChecked(on)
        from bastler.ui.drawing.paths import PathLayer

        self.sheet.paths = PathLayer() if on else None
        self.sheet.update()

    def _check_came(self) -> None:
        if self.sheet.paths is not None:
            self.sheet.update()

    def measure(self, on: bool) -> None:
        """Begin or end measuring on the sheet."""
        if on and not self.sheet.isVisible():
            self.show_view("Sheet")
        self.sheet.set_measuring(on)

    def _measured(self, sentence: str) -> None:
        self.measure_button.setChecked(self.sheet.measure is not None)
        if sentence:
            self.question.setText("Measure")
            self.missing.setText(sentence)
        else:
            self._question()

    def offer_tools(self, key: str) -> None:
        """Compare the tools of the job and of the library for a field of the selected step."""
        from bastler.core.plans.choices import tool_choices

        current = self.session.current
        if current is None:
            return
        library = self._library_tools()
        tools = {**self.session.plan.tools, **{n: tool for n, (_, tool) in library.items()}}
        self._choices = tool_choices(current, current.cycle.field(key), tools.values())
        self._choosing = (key, library)
        now = current.answers.values.get(key)
        self.right.setCurrentWidget(self.chooser)
        self.chooser.open(
            self._choices,
            now.number if now is not None else None,
            {i for i, c in enumerate(self._choices) if c.tool.number in library},
        )

    def _library_tools(self) -> dict[int, tuple[ToolRecord, Tool]]:
        from bastler.core.jobfiles.library import tools_beside

        try:
            return tools_beside(library_file(), self.session.job, LIBRARY_FROM)
        except Unusable as error:
            self.session.message.emit(str(error))
            return {}

    def _take_tool(self, place: int) -> None:
        key, library = self._choosing
        number = self._choices[place].tool.number
        self._close_chooser()
        if number in library:
            self.session.take_tool(library[number][0], key)
        elif self.session.selected is not None:
            self.session.type_value(self.session.selected, key, str(number))
        self.form.focus_field(key)

    def _close_chooser(self) -> None:
        self.right.setCurrentIndex(0)
        self.form.focus_field(self._choosing[0])

    def open_add(self) -> None:
        """Offer the kinds of step."""
        self.right.setCurrentWidget(self.adder)
        self.adder.open(self._next_slot(), self.session.plan.frame.machine)

    def _next_slot(self) -> int:
        return self.session.colours.next(s.id for s in self.session.steps)

    def close_add(self) -> None:
        """Back to the form."""
        if self.session.current is not None:
            self.desk.close()

    def _add(self, cycle: str) -> None:
        self.desk.close()
        self.sheet.set_focus_field("")
        self.session.add_step(cycle)
        self.right.setCurrentIndex(0)
        self.form.focus_first()

    def show_view(self, word: str) -> None:
        """Sheet, solid, or both."""
        self.view_buttons[word].setChecked(True)
        self.sheet.with_section = word == "Sheet"
        if word != "Sheet":
            self._with_solid = True
            self.views.addWidget(self._solid(), 2)
            self._solid().show()
            self._solid().wake()
        elif self._with_solid:
            self._solid().hide()
        self.sheet.setVisible(word != "Solid")

    def enter(self) -> None:
        """The station comes to the front."""
        word = next(w for w, b in self.view_buttons.items() if b.isChecked())
        self.show_view(word)
        if self.session.current is None:
            self.open_add()
        else:
            self.cards.setFocus()
