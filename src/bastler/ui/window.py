"""The window: stations along the top, the time ribbon below, files, undo, themes and keys."""

from __future__ import annotations

import importlib
import sys
import threading
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtGui import QAction, QCloseEvent
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from bastler.core.job.document import Job
from bastler.ui import recovery
from bastler.ui.app import application
from bastler.ui.checker import Checker
from bastler.ui.commands import Command, make_actions
from bastler.ui.files import FileDesk
from bastler.ui.session import Session
from bastler.ui.stations.steps import StepsStation
from bastler.ui.theme import style
from bastler.ui.theme.tokens import DAY, NIGHT, THEMES, Theme
from bastler.ui.widgets.ribbon import Ribbon

if TYPE_CHECKING:
    from bastler.ui.widgets.overview import Overview
    from bastler.ui.widgets.solid import SolidPane

STATIONS = ("Setup", "Steps", "Check", "Code")
CARD_MENU = (
    "step.add",
    "step.copy",
    "step.switch",
    "step.up",
    "step.down",
    "step.pattern",
    "step.single",
    "step.delete",
)
MESSAGE_MS = 8000
PREPARE_MS = 1500


class Window(FileDesk):
    """One job in one window. Stations other than Steps are built when they are first opened."""

    def __init__(self, job: Job, path: Path | None = None) -> None:
        super().__init__()
        self.theme: Theme = THEMES.get(str(self._settings().value("theme", "day")), DAY)
        style.apply(application(), self.theme)
        self.setMinimumSize(1100, 680)
        self.resize(1280, 800)
        self._central: QWidget | None = None
        self._open(job, path)

    # building

    def _open(self, job: Job, path: Path | None) -> None:
        """Build everything around a job."""
        self._close_job()
        self.session = Session(job, path)
        self.checker = Checker(self.session)
        self.checker.trouble.connect(self.say)
        self.session.message.connect(self.say)
        self._solid: SolidPane | None = None
        self.stations: dict[str, QWidget] = {}
        self._front = ""
        self.actions_by_id: dict[str, QAction] = {}
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._bar())
        self.stack = QStackedWidget()
        column.addWidget(self.stack, 1)
        foot = QFrame()
        foot.setObjectName("foot")
        box = QVBoxLayout(foot)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        self.ribbon = Ribbon(self.session, self.theme)
        self.ribbon.finding_clicked.connect(self._finding)
        self.checker.progress.connect(self.ribbon.set_progress)
        box.addWidget(self.ribbon)
        self.status = QLabel()
        self.status.setContentsMargins(24, 0, 24, 6)
        self.status.setWordWrap(True)
        box.addWidget(self.status)
        self.status.hide()
        column.addWidget(foot)
        self.setCentralWidget(body)
        for action in self.actions():
            self.removeAction(action)
        self.commands = self._commands()
        self.actions_by_id = make_actions(self.commands, self)
        self._overview: Overview | None = None
        cards = self._steps().cards
        cards.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        cards.addActions([self.actions_by_id[c.id] for c in self.commands if c.id in CARD_MENU])
        self.session.changed.connect(self._titles)
        self.session.checked_changed.connect(self._finding_line)
        self._message_timer = QTimer(self)
        self._message_timer.setSingleShot(True)
        self._message_timer.timeout.connect(self._finding_line)
        self._titles()
        self.show_station("Steps" if self.session.steps else "Setup")
        QTimer.singleShot(0, self.checker.soon)
        self._idle = QTimer(self)
        self._idle.setSingleShot(True)
        self._idle.timeout.connect(self._prepare)
        self._idle.start(PREPARE_MS)

    def _bar(self) -> QFrame:
        bar = QFrame()
        bar.setObjectName("bar")
        bar.setFixedHeight(54)
        whole = QHBoxLayout(bar)
        whole.setContentsMargins(14, 0, 10, 0)
        left, right = QWidget(), QWidget()
        row = QHBoxLayout(left)
        row.setContentsMargins(0, 0, 0, 0)
        for side in (left, right):
            side.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        whole.addWidget(left, 1)
        self.menu_button = QPushButton("Bastler")
        self.menu_button.setProperty("role", "quiet")
        self.menu_button.setAccessibleName("Job menu")
        self.menu_button.setFont(style.font(15, bold=True))
        self.menu_button.setStyleSheet(f"color: {self.theme.accent};")
        self.menu_button.clicked.connect(self._menu)
        row.addWidget(self.menu_button)
        self.job_name = QLabel()
        self.job_name.setFont(style.font(12.5, bold=True))
        self.saved = QLabel()
        self.saved.setProperty("role", "soft")
        row.addWidget(self.job_name)
        row.addWidget(self.saved)
        row.addStretch(1)
        row = whole
        self.station_buttons: dict[str, QPushButton] = {}
        for word in STATIONS:
            button = QPushButton(word)
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.setProperty("role", "station")
            button.setMinimumHeight(52)
            button.clicked.connect(lambda _, w=word: self.show_station(w))
            row.addWidget(button)
            self.station_buttons[word] = button
        whole.addWidget(right, 1)
        row = QHBoxLayout(right)
        row.setContentsMargins(0, 0, 0, 0)
        row.addStretch(1)
        self.about = QLabel()
        self.about.setProperty("role", "soft")
        row.addWidget(self.about)
        for word, tip, run in (("↶", "Undo", lambda: self.session.undo()), ("↷", "Redo", lambda: self.session.redo()),
                               ("◐", "Day or night", lambda: self.switch_theme())):  # fmt: skip
            button = QPushButton(word)
            button.setProperty("role", "quiet")
            button.setFixedWidth(40)
            button.setToolTip(tip)
            button.setAccessibleName(tip)
            button.clicked.connect(lambda _, r=run: r())
            row.addWidget(button)
            if tip == "Undo":
                self.undo_button = button
            elif tip == "Redo":
                self.redo_button = button
        return bar

    def _prepare(self) -> None:
        """While nobody waits: load the code editor, build the other stations, one a turn."""
        if "Setup" not in self.stations:
            threading.Thread(target=importlib.import_module, args=("PyQt6.Qsci",), daemon=True).start()
            self._station("Setup")
            self._idle.start(PREPARE_MS)
        elif "PyQt6.Qsci" in sys.modules:
            self._station("Code")

    def _station(self, word: str) -> QWidget:
        """A station, built at its first use."""
        if word not in self.stations:
            widget: QWidget
            if word == "Steps":
                widget = StepsStation(self.session, self.theme, lambda: self.solid)
            elif word == "Setup":
                from bastler.ui.stations.setup import SetupStation

                widget = SetupStation(self.session, self.theme, self.solid)
            elif word == "Check":
                from bastler.ui.stations.check import CheckStation

                widget = CheckStation(self.session, self.theme, self.solid, self.checker)
                widget.line_wanted.connect(self._line_wanted)
            else:
                from bastler.ui.stations.code import CodeStation

                widget = CodeStation(self.session, self.theme, self.checker)
            self.stations[word] = widget
            self.stack.addWidget(widget)
        return self.stations[word]

    @property
    def solid(self) -> SolidPane:
        """The solid view that the stations share, made at its first use: it needs NumPy."""
        if self._solid is None:
            from bastler.ui.widgets.solid import SolidPane

            self._solid = SolidPane(self.session, self.theme)
            self._solid.hide()
            self._solid.step_picked.connect(self._select_hue)
        return self._solid

    def show_station(self, word: str) -> None:
        """Bring a station to the front."""
        if word == self._front:
            return
        old = self.stations.get(self._front)
        if old is not None and hasattr(old, "leave"):
            old.leave()
        self._front = word
        widget = self._station(word)
        self.stack.setCurrentWidget(widget)
        self.station_buttons[word].setChecked(True)
        widget.enter()  # type: ignore[attr-defined]

    @property
    def station(self) -> str:
        """The station in front."""
        return self._front

    # commands

    def _commands(self) -> list[Command]:
        s = self.session

        def has_step() -> bool:
            return s.current is not None

        steps = self._steps

        def add() -> None:
            self.show_station("Steps")
            steps().open_add()

        def to_form() -> None:
            self.show_station("Steps")
            steps().close_add()
            steps().form.focus_first()

        def check(run: str, *args: object) -> None:
            self.show_station("Check")
            getattr(self._station("Check"), run)(*args)

        return [
            *(Command(f"station.{w}", f"{w} station", "Stations", f"Ctrl+{i}", partial(self.show_station, w)) for i, w in enumerate(STATIONS, 1)),
            Command("job.new", "New job", "Job", "Ctrl+N", self.new),
            Command("job.open", "Open …", "Job", "Ctrl+O", self.open_file),
            Command("job.save", "Save", "Job", "Ctrl+S", self.save),
            Command("job.save_as", "Save as …", "Job", "Ctrl+Shift+S", self.save_as),
            Command("job.output", "Save G-code …", "Job", "Ctrl+E", self.save_code),
            Command("job.copy", "Copy the G-code", "Job", "Ctrl+Shift+C", self.copy_code, lambda: s.checked is not None),
            Command("job.compare", "Compare with the saved G-code", "Job", "Ctrl+Shift+K", self.compare_code, lambda: s.checked is not None),
            Command("job.paper", "Setup sheet …", "Job", "Ctrl+Shift+E", self.save_paper),
            Command("job.picture", "Save the picture …", "Job", "Ctrl+Shift+G", lambda: self.save_picture(self._picture())),
            Command("job.units", "Change units …", "Job", "", self.change_units),
            Command("edit.undo", "Undo", "Edit", "Ctrl+Z", s.undo, lambda: s.can_undo),
            Command("edit.redo", "Redo", "Edit", "Ctrl+Shift+Z | Ctrl+Y", s.redo, lambda: s.can_redo),
            Command("step.add", "Add a step", "Steps", "Ctrl+T", add),
            Command("step.next", "Next step", "Steps", "Alt+Down", lambda: self._walk(1), has_step),
            Command("step.before", "Step before", "Steps", "Alt+Up", lambda: self._walk(-1), has_step),
            Command("step.down", "Move the step down", "Steps", "Ctrl+Down", lambda: s.move_step(1), has_step),
            Command("step.up", "Move the step up", "Steps", "Ctrl+Up", lambda: s.move_step(-1), has_step),
            Command("step.copy", "Copy the step", "Steps", "Ctrl+D", s.copy_step, has_step),
            Command("step.switch", "Switch the step on or off", "Steps", "Ctrl+Space", s.switch_step, has_step),
            Command("step.delete", "Delete the step", "Steps", "Ctrl+Del", s.delete_step, has_step),
            Command("step.single", "Open the recipe into single steps", "Steps", "Ctrl+Shift+R", s.open_recipe, lambda: s.current is not None and bool(s.current.parts)),
            Command("step.pattern", "Name the step's pattern for other steps", "Steps", "Ctrl+Shift+P", self._name_pattern, has_step),
            Command("setup.patterns", "Patterns", "Stations", "Ctrl+Shift+1", lambda: self._setup_page(2)),
            Command("setup.machine", "Machine profile", "Stations", "Ctrl+Shift+4", lambda: self._setup_page(3)),
            Command("setup.tools", "Tools", "Stations", "Ctrl+Shift+2", lambda: self._setup_page(1)),
            Command("step.form", "To the form", "Steps", "Ctrl+Return", to_form, has_step),
            Command("steps.gather", "Gather steps by tool", "Steps", "Ctrl+G", self.gather),
            Command("view.sheet", "Sheet, solid or both", "View", "Ctrl+B", self._next_view),
            Command("view.theme", "Day or night", "View", "Ctrl+L", self.switch_theme),
            Command("check.play", "Play or stop", "Check", "Ctrl+P", lambda: check("play")),
            Command("check.move", "Next move", "Check", "Ctrl+Right", lambda: check("go_move", 1)),
            Command("check.move_back", "Move before", "Check", "Ctrl+Left", lambda: check("go_move", -1)),
            Command("check.step", "Next step of the replay", "Check", "Ctrl+Shift+Right", lambda: check("go_step", 1)),
            Command("check.step_back", "Step before of the replay", "Check", "Ctrl+Shift+Left", lambda: check("go_step", -1)),
            Command("check.cancel", "Cancel the check", "Check", "Ctrl+.", self.checker.cancel),
            Command("help.keys", "All shortcuts", "Help", "Ctrl+H | F1", self.show_overview),
        ]  # fmt: skip

    def _menu(self) -> None:
        menu = QMenu(self)
        for group in ("Job", "Steps", "View", "Help"):
            if group != "Job":
                menu.addSeparator()
            for command in (c for c in self.commands if c.group == group):
                action = menu.addAction(command.title)
                assert action is not None
                action.setEnabled(command.enabled())
                if command.id == "steps.gather":
                    action.setCheckable(True)
                    action.setChecked(self.session.setup.gather_by_tool)
                action.setText(f"{command.title}\t{command.keys.split(' | ')[0]}")
                action.triggered.connect(lambda _=False, c=command: c.run())
            if group == "Job":
                demo = menu.addAction("Open the demo job")
                assert demo is not None
                demo.triggered.connect(self.open_demo)
                for path in recovery.recent():
                    action = menu.addAction(f"{path.stem}  ({path.parent.name})")
                    assert action is not None
                    action.triggered.connect(lambda _=False, p=path: self._leave_job() and self.open_path(p))
        menu.popup(self.menu_button.mapToGlobal(QPoint(0, self.menu_button.height())))

    def _walk(self, by: int) -> None:
        i = self.session.index_of(self.session.selected) + by
        if 0 <= i < len(self.session.steps):
            self.session.select(self.session.steps[i].id)

    def _select_hue(self, label: int) -> None:
        """A surface was clicked: the step of that colour that cut it."""
        for step in self.session.plan.steps:
            if step.ready and (step.number - 1) % 8 == label:
                self.session.select(step.step.id)
                return

    def _steps(self) -> StepsStation:
        widget = self._station("Steps")
        assert isinstance(widget, StepsStation)
        return widget

    def _next_view(self) -> None:
        self.show_station("Steps")
        station = self._steps()
        words = list(station.view_buttons)
        now = next(i for i, w in enumerate(words) if station.view_buttons[w].isChecked())
        station.show_view(words[(now + 1) % len(words)])

    def _setup_page(self, index: int) -> None:
        self.show_station("Setup")
        self._station("Setup").show_page(index)  # type: ignore[attr-defined]

    def _name_pattern(self) -> None:
        record = self.session.name_pattern()
        if record is not None:
            self.say(f"Pattern “{record.name}” can be used by other steps now. Rename or change it in Setup, Patterns.")

    def _picture(self) -> QWidget:
        """The drawing that is in front: the sheet of the station, or the solid view."""
        front = self._station(self._front)
        sheet = getattr(front, "sheet", None)
        if self._solid is not None and self._solid.isVisible() and (sheet is None or not sheet.isVisible()):
            return self._solid.view
        return sheet if isinstance(sheet, QWidget) else self.stack

    def gather(self) -> None:
        """Steps of one tool one after another where the order allows."""
        setup = self.session.setup
        self.session.edit(self.session.job.with_setup(setup.changed(gather_by_tool=not setup.gather_by_tool)))
        word = "gathered by tool" if self.session.setup.gather_by_tool else "cut in the order of the list"
        self.say(f"Steps are {word}.")

    def show_overview(self) -> None:
        """All shortcuts over the window."""
        self.overview.open()

    @property
    def overview(self) -> Overview:
        """The overview, made at its first use."""
        if self._overview is None:
            from bastler.ui.widgets.overview import Overview

            self._overview = Overview(self.commands, self)
        return self._overview

    # texts

    def say(self, text: str) -> None:
        """A sentence for the person, shown for a while."""
        self.status.setText(text)
        self.status.show()
        self._message_timer.start(MESSAGE_MS)

    def _finding_line(self) -> None:
        """The worst finding under the ribbon, in one line."""
        if self._message_timer.isActive():
            return
        checked = self.session.checked
        worst = next((f for f in checked.findings if f.severity != "note"), None) if checked else None
        self.status.setVisible(worst is not None)
        if worst is not None:
            more = sum(f.severity != "note" for f in checked.findings) - 1
            mark = "■" if worst.severity == "stop" else "▲"
            self.status.setText(f"{mark} {worst.text}" + (f"  (+{more} more)" if more else ""))
            self.status.setProperty("role", worst.severity)
            style.redress(self.status)

    def _titles(self) -> None:
        s = self.session
        self.job_name.setText(s.job.name or "Without a name")
        self.saved.setText("saved" if s.path and not s.dirty else "not saved" if s.dirty else "")
        self.about.setText(f"{s.job.units}  ·  {s.plan.frame.machine.name.split(',')[0]}  ")
        self.undo_button.setEnabled(s.can_undo)
        self.redo_button.setEnabled(s.can_redo)
        self.setWindowTitle(f"{s.job.name}{' *' if s.dirty else ''} – Bastler")

    def _finding(self, finding: object) -> None:
        self.show_station("Check")
        self._station("Check").show_finding(finding)  # type: ignore[attr-defined]

    def _line_wanted(self, line: int) -> None:
        if "Code" in self.stations:
            self.stations["Code"].go_to_line(line)  # type: ignore[attr-defined]

    def switch_theme(self) -> None:
        """Day to night and back."""
        self.theme = NIGHT if self.theme is DAY else DAY
        self._settings().setValue("theme", self.theme.name)
        style.apply(application(), self.theme)
        self.menu_button.setStyleSheet(f"color: {self.theme.accent};")
        self.ribbon.set_theme(self.theme)
        if self._solid is not None:
            self._solid.set_theme(self.theme)
        for station in self.stations.values():
            station.set_theme(self.theme)  # type: ignore[attr-defined]

    def _close_job(self) -> None:
        if hasattr(self, "checker"):
            self._idle.stop()
            self.checker.close()
            if self._solid is not None:
                self._solid.view.close_worker()
            self.session.blockSignals(True)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Ask about unsaved edits, end the processes."""
        assert event is not None
        if not self._leave_job():
            event.ignore()
            return
        self._close_job()
        event.accept()
