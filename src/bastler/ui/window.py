"""The window: stations along the top, the time ribbon below, files, undo, themes and keys."""

from __future__ import annotations

import importlib
import sys
import threading
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtCore import QByteArray, QPoint, Qt, QTimer
from PyQt6.QtGui import QAction, QCloseEvent
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from bastler.core.findings import Finding
from bastler.core.job.document import Job
from bastler.ui import ask
from bastler.ui.application import application
from bastler.ui.begin import BeginDesk
from bastler.ui.checker import Checker
from bastler.ui.commands import make_actions
from bastler.ui.plain.label import Label
from bastler.ui.session import Session
from bastler.ui.stations.station import PLACES, STATIONS, Station, station_kind
from bastler.ui.stations.steps import StepsStation
from bastler.ui.theme import style
from bastler.ui.theme.tokens import DAY, NIGHT, THEMES, Theme
from bastler.ui.widgets.ribbon import Ribbon
from bastler.ui.widgets.topbar import TopBar
from bastler.ui.windowcommands import commands_of

if TYPE_CHECKING:
    from bastler.ui.widgets.overview import Overview
    from bastler.ui.widgets.solid import SolidPane

AnyStation = TypeVar("AnyStation", bound=Station)
CARD_MENU = (
    "step.add",
    "step.copy",
    "steps.copy",
    "steps.cut",
    "steps.paste",
    "step.repeat",
    "step.switch",
    "step.up",
    "step.down",
    "step.pattern",
    "step.single",
    "step.delete",
)
MESSAGE_MS = 8000
STATUS_PX = 42
"""Two lines kept for what is said, so that nothing moves when it is."""
PREPARE_MS = 1500


class Window(BeginDesk):
    """One job in one window. Stations other than Steps are built when they are first opened."""

    def __init__(self, job: Job, path: Path | None = None) -> None:
        super().__init__()
        self.theme: Theme = THEMES.get(str(self._settings().value("theme", "day")), DAY)
        style.apply(application(), self.theme)
        self.setMinimumSize(1024, 700)
        self.resize(1280, 800)
        self._opened = False
        self._open(job, path)

    # building

    def _open(self, job: Job, path: Path | None) -> None:
        """Build everything around a job. Raises :class:`Unusable` for one that can't be worked out; the job before stays then."""
        session = Session(job, path)
        self._close_job()
        self._opened, self.session = True, session
        self.checker = Checker(self.session)
        self.checker.trouble.connect(self.say)
        self.session.message.connect(self.say)
        self._message_timer = QTimer(self)
        self._message_timer.setSingleShot(True)
        self._message_timer.timeout.connect(self._finding_line)
        self._solid: SolidPane | None = None
        self.stations: dict[str, Station] = {}
        self._front = ""
        self.actions_by_id: dict[str, QAction] = {}
        self.setCentralWidget(self._body())
        for action in self.actions():
            self.removeAction(action)
        self.commands = commands_of(self)
        self.actions_by_id = make_actions(self.commands, self)
        self._overview: Overview | None = None
        cards = self._steps().cards
        cards.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        cards.addActions([self.actions_by_id[c.id] for c in self.commands if c.id in CARD_MENU])
        self._listen()
        self._titles()
        self.show_station("Steps" if self.session.steps else "Setup")
        QTimer.singleShot(0, self.checker.soon)
        QTimer.singleShot(0, self.claim)
        self._idle = QTimer(self)
        self._idle.setSingleShot(True)
        self._idle.timeout.connect(self._prepare)
        self._idle.start(PREPARE_MS)

    def _listen(self) -> None:
        """To what changes."""
        self.session.changed.connect(self._titles)
        self.session.changed.connect(self._finding_line)
        self.session.judged.connect(self._titles)
        self.session.checked_changed.connect(self._finding_line)

    def _body(self) -> QWidget:
        """Bar, stations, foot."""
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._bar())
        self.stack = QStackedWidget()
        column.addWidget(self.stack, 1)
        column.addWidget(self._foot())
        return body

    def _foot(self) -> QFrame:
        """The ribbon, and the line of what is said."""
        foot = QFrame()
        foot.setObjectName("foot")
        box = QVBoxLayout(foot)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        self.ribbon = Ribbon(self.session, self.theme)
        self.ribbon.finding_clicked.connect(self._finding)
        self.checker.progress.connect(self.ribbon.set_progress)
        box.addWidget(self.ribbon)
        line = QHBoxLayout()
        line.setContentsMargins(24, 0, 14, 2)
        self.status = Label()
        self.status.setWordWrap(True)
        self.status.setFixedHeight(STATUS_PX)
        line.addWidget(self.status, 1)
        self.answer_setup = QPushButton("To the setup  Ctrl+1")
        self.answer_setup.setProperty("role", "quiet")
        self.answer_setup.clicked.connect(lambda _: self.show_station("Setup"))
        self.answer_setup.hide()
        line.addWidget(self.answer_setup)
        box.addLayout(line)
        return foot

    def _bar(self) -> TopBar:
        self.bar = bar = TopBar(STATIONS)
        bar.station_asked.connect(self.show_station)
        bar.menu.clicked.connect(self._menu)
        bar.setups.clicked.connect(self._setups_menu)
        runs = {"Undo": self.undo, "Redo": lambda: self.undo(again=True), "Day or night": self.switch_theme}
        bar.sign_clicked.connect(lambda word: runs[word]())
        return bar

    def _prepare(self) -> None:
        """While nobody waits: load the code editor, build the other stations, one a turn."""
        if "Setup" not in self.stations:
            threading.Thread(target=importlib.import_module, args=("PyQt6.Qsci",), daemon=True).start()
            self._station("Setup")
            self._idle.start(PREPARE_MS)
        elif "Check" not in self.stations:
            self._station("Check")
            self._idle.start(PREPARE_MS)
        elif "PyQt6.Qsci" in sys.modules:
            self._station("Code")

    def _station(self, word: str) -> Station:
        """A station, built at its first use."""
        if word not in self.stations:
            self.stations[word] = station_kind(word).built(self)
            self.stack.addWidget(self.stations[word])
        return self.stations[word]

    def station_of(self, kind: type[AnyStation]) -> AnyStation:
        """A station by its class."""
        word = next(w for w, place in PLACES.items() if place.endswith(f".{kind.__name__}"))
        found = self._station(word)
        assert isinstance(found, kind)
        return found

    @property
    def solid(self) -> SolidPane:
        """The solid view that the stations share, made at its first use: it needs NumPy."""
        if self._solid is None:
            from bastler.ui.widgets.solid import SolidPane

            self._solid = SolidPane(self.session, self.theme)
            self._solid.hide()
            self._solid.view.trouble.connect(self.say)
            self._solid.step_picked.connect(self._select_hue)
        return self._solid

    def show_station(self, word: str) -> None:
        """Bring a station to the front."""
        if word == self._front:
            return
        old = self.stations.get(self._front)
        if old is not None:
            old.leave()
        self._front = word
        widget = self._station(word)
        self.stack.setCurrentWidget(widget)
        self.bar.stations[word].setChecked(True)
        self.ribbon.show_graph(widget.shows_graph)
        self._finding_line()
        widget.enter()

    @property
    def station(self) -> str:
        """The station in front."""
        return self._front

    # commands

    def _menu(self) -> None:
        menu = QMenu(self)
        self._offer(menu, "Job")
        menu.addSeparator()
        self.offer_jobs(menu)
        menu.addSeparator()
        for group in ("Steps", "View", "Check"):
            further = menu.addMenu(group)
            assert further is not None
            self._offer(further, group)
        self._offer(menu, "Help")
        menu.popup(self.bar.menu.mapToGlobal(QPoint(0, self.bar.menu.height())))

    def _offer(self, menu: QMenu, group: str) -> None:
        """The commands of a group with their keys."""
        for command in (c for c in self.commands if c.group == group):
            action = menu.addAction(f"{command.title}\t{command.keys.split(' | ')[0]}")
            assert action is not None
            action.setEnabled(command.enabled())
            if command.id == "steps.gather":
                action.setCheckable(True)
                action.setChecked(self.session.setup.gather_by_tool)
            action.triggered.connect(lambda _=False, c=command: c.run())

    def _setups_menu(self) -> None:
        menu, s = QMenu(self), self.session
        for i, setup in enumerate(s.job.setups):
            steps = len(setup.steps)
            action = menu.addAction(f"Setup {i + 1}  ({steps} step{'s' if steps != 1 else ''})")
            assert action is not None
            action.setCheckable(True)
            action.setChecked(i == s.at)
            action.triggered.connect(lambda _=False, n=i: s.show_setup(n))
        menu.addSeparator()
        for command in (c for c in self.commands if c.id in ("setup.add", "setup.delete")):
            action = menu.addAction(f"{command.title}\t{command.keys}")
            assert action is not None
            action.setEnabled(command.enabled())
            action.triggered.connect(lambda _=False, c=command: c.run())
        menu.popup(self.bar.setups.mapToGlobal(QPoint(0, self.bar.setups.height())))

    def _walk(self, by: int) -> None:
        i = self.session.index_of(self.session.selected) + by
        if 0 <= i < len(self.session.steps):
            self.session.select(self.session.steps[i].id)

    def _select_hue(self, label: int) -> None:
        """A surface was clicked: the step of that colour that cut it."""
        for step in self.session.plan.steps:
            if step.ready and self.session.colours.slot(step.step.id) == label:
                self.session.select(step.step.id)
                return

    @property
    def front(self) -> Station:
        """The station in front."""
        return self._station(self._front)

    def _steps(self) -> StepsStation:
        return self.station_of(StepsStation)

    def _next_view(self) -> None:
        self.show_station("Steps")
        station = self._steps()
        words = list(station.view_buttons)
        now = next(i for i, w in enumerate(words) if station.view_buttons[w].isChecked())
        station.show_view(words[(now + 1) % len(words)])

    def _add_setup(self) -> None:
        self.session.add_setup()
        self._setup_page("Stock and zero")

    def _paths(self) -> None:
        self.show_station("Steps")
        self._steps().show_paths(self._steps().sheet.paths is None)

    def cancel(self) -> None:
        """Stop the check and the setup sheet that are being made."""
        self.checker.cancel()
        self.cancel_paper()

    def _measure(self) -> None:
        self.show_station("Steps")
        self._steps().measure(self._steps().sheet.measure is None)

    def _setup_page(self, word: str) -> None:
        self.show_station("Setup")
        from bastler.ui.stations.setup import SetupStation

        self.station_of(SetupStation).show_page(word)

    def _name_pattern(self) -> None:
        record = self.session.name_pattern()
        if record is not None:
            self.say(f"Pattern “{record.name}” can be used by other steps now. Rename or change it in Setup, Patterns.")

    def _picture(self) -> QWidget:
        """The drawing that is in front: the sheet of the station, or the solid view."""
        sheet = self.front.drawing()
        if self._solid is not None and self._solid.isVisible() and (sheet is None or not sheet.isVisible()):
            return self._solid.view
        return sheet or self.stack

    def undo(self, *, again: bool = False) -> None:
        """The last edit back, or forth ``again``: of the own text that is being typed, else of the job."""
        text = self.front.own_text(again=again)
        if text is not None:
            text.redo() if again else text.undo()
        else:
            self.session.redo() if again else self.session.undo()

    def can_undo(self, *, again: bool = False) -> bool:
        """Whether there is one."""
        return self.front.own_text(again=again) is not None or (
            self.session.can_redo if again else self.session.can_undo
        )

    def look(self, word: str) -> None:
        """Closer to the sheet in front, farther, at everything, at the selected step."""
        from bastler.ui.drawing.zoom import STEP, ZoomSheet

        sheets = [s for s in self._station(self._front).findChildren(ZoomSheet) if s.isVisible()]
        if sheets:
            sheet = sheets[0]
            run = {"closer": lambda: sheet.zoom(STEP), "farther": lambda: sheet.zoom(1 / STEP), "whole": sheet.whole}
            run.get(word, sheet.look_at_selected)()

    def gather(self) -> None:
        """Steps of one tool one after another where the order allows."""
        setup = self.session.setup
        self.session.edit(self.session.with_setup(setup.changed(gather_by_tool=not setup.gather_by_tool)))
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

            self._overview = Overview(self.commands, self.theme, self)
        return self._overview

    # texts

    def say(self, text: str) -> None:
        """A sentence for the person, shown for a while."""
        self._status(text, "")
        self._message_timer.start(MESSAGE_MS)

    def _status(self, text: str, role: str) -> None:
        self.status.setText(text)
        if self.status.property("role") != role:
            self.status.setProperty("role", role)
            style.redress(self.status)

    def _finding_line(self) -> None:
        """Under the ribbon: what the setup still asks, else the worst finding."""
        asks = self.session.plan.setup_asks()
        self.answer_setup.setVisible(bool(asks) and self._front != "Setup")
        if self._message_timer.isActive():
            return
        if asks:
            self._status("" if self._front == "Setup" else asks, "missing")
            return
        checked, has_program = self.session.checked, self.session.plan.order or self.session.hand_text is not None
        found = [f for f in checked.findings if f.severity != "note"] if checked and has_program else []
        if not found:
            self._status("", "")
            return
        more = f"  (+{len(found) - 1} more)" if len(found) > 1 else ""
        self._status(f"{'■' if found[0].severity == 'stop' else '▲'} {found[0].text}{more}", found[0].severity)

    def _titles(self) -> None:
        s = self.session
        self.bar.name.setText(s.job.name or "Without a name")
        self.bar.saved.setText("saved" if s.path and not s.dirty else "not saved" if s.dirty else "")
        several = f"Setup {s.at + 1} of {len(s.job.setups)}  ·  " if len(s.job.setups) > 1 else ""
        self.bar.setups.setText(f"{several}{s.job.units}  ·  {s.plan.frame.machine.name.split(',')[0]}")
        self.bar.signs["Undo"].setEnabled(s.can_undo)
        self.bar.signs["Redo"].setEnabled(s.can_redo)
        self.setWindowTitle(f"{s.job.name}{' *' if s.dirty else ''} – Bastler")

    def _finding(self, finding: Finding) -> None:
        self.show_station("Check")
        from bastler.ui.stations.check import CheckStation

        self.station_of(CheckStation).show_finding(finding)

    def line_wanted(self, line: int) -> None:
        """A line in Code, if that has been opened."""
        if "Code" in self.stations:
            from bastler.ui.stations.code import CodeStation

            self.station_of(CodeStation).go_to_line(line)

    def switch_theme(self) -> None:
        """Day to night and back."""
        self.theme = NIGHT if self.theme is DAY else DAY
        self._settings().setValue("theme", self.theme.name)
        style.apply(application(), self.theme)
        self._overview = None
        self.ribbon.set_theme(self.theme)
        if self._solid is not None:
            self._solid.set_theme(self.theme)
        for station in self.stations.values():
            station.set_theme(self.theme)

    def _close_job(self) -> None:
        if self._opened:
            self._idle.stop()
            self.session.recovery.release()
            self.checker.close()
            if self._solid is not None:
                self._solid.view.close_worker()
            self.session.blockSignals(True)

    def as_it_was_left(self) -> None:
        """Size and station of the last time; an empty job begins in its setup."""
        settings = self._settings()
        shape = settings.value("window")
        if isinstance(shape, QByteArray):
            self.restoreGeometry(shape)
        station = str(settings.value("station", ""))
        if station in STATIONS and self.session.steps:
            self.show_station(station)

    def show_program(self, text: str) -> None:
        """A program that comes from elsewhere, as an own text."""
        self.session.hand_text = text
        self.show_station("Code")
        self.checker.soon()

    def about_bastler(self) -> None:
        """Version, licences."""
        from bastler.ui.about import words

        ask.tell(self, words())

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Ask about unsaved edits, end the processes."""
        assert event is not None
        if not self._leave_job():
            event.ignore()
            return
        settings = self._settings()
        settings.setValue("window", self.saveGeometry())
        settings.setValue("station", self._front)
        self._close_job()
        event.accept()
