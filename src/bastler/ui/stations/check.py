"""The Check station: the cut stock in 3-D, findings left, the moment's readings right, replay below."""

from __future__ import annotations

import bisect
from html import escape
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QIcon, QPainter, QPixmap
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bastler.core.findings import Finding
from bastler.core.gcode.motion import ARC, FEED, THREAD, MoveKind
from bastler.core.quantities import Kind, counted, metal, scale, unit_word
from bastler.ui.benches import WindowBench, window_bench
from bastler.ui.checker import Checker
from bastler.ui.plain.label import Label
from bastler.ui.session import Session
from bastler.ui.stations.station import Station
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import THEMES, Theme
from bastler.ui.widgets.cards import clock, paint_state
from bastler.ui.widgets.ribbon import LEAST_DEGREES
from bastler.ui.widgets.solid import SolidPane
from bastler.ui.widgets.wholetext import WholeText

if TYPE_CHECKING:
    from bastler.core.checked import Checked
    from bastler.core.verify.pictures import State
    from bastler.ui.drawing.lathe.lathemoment import LatheMoment
    from bastler.ui.window import Window

LEFT_PX, RIGHT_PX = 300, 274
FRAME_MS = 60
SPEEDS = (1, 5, 20, 100)


class CheckStation(Station):
    """What the control will do."""

    line_wanted = pyqtSignal(int)
    shows_graph = True

    @classmethod
    def built(cls, window: Window) -> CheckStation:
        """With solid view and checker; a finding's line is shown in Code."""
        made = cls(window.session, window.theme, window.solid, window.checker)
        made.line_wanted.connect(window.line_wanted)
        return made

    def __init__(
        self, session: Session, theme: Theme, solid: SolidPane, checker: Checker, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session, self.theme, self.solid, self.checker = session, theme, solid, checker
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self._left())
        middle = QWidget()
        middle.setObjectName("paper")
        self.place = QVBoxLayout(middle)
        self.place.setContentsMargins(0, 0, 0, 0)
        self.place.setSpacing(0)
        self._section: LatheMoment | None = None
        row.addWidget(middle, 1)
        row.addWidget(self._right())
        self.timer = QTimer(self)
        self.timer.setInterval(FRAME_MS)
        self.timer.timeout.connect(self._tick)
        session.checked_changed.connect(self.refresh)
        session.time_changed.connect(self._moment)
        checker.stock_ready.connect(self._stock_came)
        checker.progress.connect(self._progress)
        self.refresh()

    def _stock_came(self, state: State) -> None:
        """The stock at the moment that was asked for."""
        self.solid.show_stock(state)
        if self.section is not None:
            from bastler.core.verify.pictures import section

            self.section.show_stock(section(state))

    @property
    def bench(self) -> WindowBench:
        """How this machine's moments are told."""
        return window_bench(self.session.plan)

    @property
    def section(self) -> LatheMoment | None:
        """The drawing of the moment, where the machine in view has one and its check is in hand."""
        checked = self.session.checked
        seen = self._section if self._section is not None and not self._section.isHidden() else None
        return seen if checked is None or self.bench.fits(checked.picture) else None

    def _show_section(self) -> None:
        """The drawing of the moment over the solid view, if this machine has one."""
        self._section = self._section or self.bench.moment(self.session, self.theme)
        if self._section is not None:
            self.place.insertWidget(0, self._section, 3)
            self._section.setVisible(not self.bench.sections)
            self._section.show_finding(None)
        for axis in "XYZ":
            for label in (self.readings[axis], self._labels[axis]):
                label.setVisible(axis in self.bench.axes)

    def _left(self) -> QWidget:
        column = QWidget()
        column.setObjectName("bench")
        column.setFixedWidth(LEFT_PX)
        box = QVBoxLayout(column)
        box.setContentsMargins(14, 10, 10, 10)
        self.verdict = Label()
        self.verdict.setProperty("role", "title")
        self.verdict.setWordWrap(True)
        box.addWidget(self.verdict)
        self.detail = Label()
        self.detail.setProperty("role", "soft")
        self.detail.setWordWrap(True)
        box.addWidget(self.detail)
        self.since = Label()
        self.since.setWordWrap(True)
        self.since.setProperty("role", "missing")
        self.since.hide()
        box.addWidget(self.since)
        self.cancel_button = QPushButton("Cancel the check")
        self.cancel_button.clicked.connect(self.checker.cancel)
        self.cancel_button.hide()
        box.addWidget(self.cancel_button)
        self.list = QListWidget()
        self.list.setSpacing(3)
        WholeText(self.list)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setAccessibleName("Findings")
        self.list.itemClicked.connect(self._show_item)
        self.list.itemActivated.connect(self._show_item)
        self.list.currentItemChanged.connect(
            lambda item, _: self._show_item(item) if self.list.hasFocus() and item else None
        )
        box.addWidget(self.list, 1)
        self.tools = Label(rich=True)
        self.tools.setWordWrap(True)
        box.addWidget(self.tools)
        return column

    def _right(self) -> QWidget:
        column = QWidget()
        column.setObjectName("bench")
        column.setFixedWidth(RIGHT_PX)
        box = QVBoxLayout(column)
        box.setContentsMargins(16, 8, 16, 8)
        box.setSpacing(4)
        self.now = Label("At the start")
        self.now.setProperty("role", "title")
        self.now.setWordWrap(True)
        box.addWidget(self.now)
        grid = QGridLayout()
        grid.setVerticalSpacing(0)
        grid.setColumnStretch(1, 1)
        self.readings: dict[str, Label] = {}
        self._labels: dict[str, Label] = {}
        for i, word in enumerate(
            ("X", "Y", "Z", "C", "Distance to go", "Feed", "Spindle", "Power", "Removed", "Tool", "Line")
        ):
            label, value = Label(word), Label("–")
            label.setProperty("role", "soft")
            value.setFont(font(14 if i < 4 else 12, bold=i < 4))
            value.setAlignment(Qt.AlignmentFlag.AlignRight)
            grid.addWidget(label, i, 0)
            grid.addWidget(value, i, 1)
            self.readings[word] = value
            self._labels[word] = label
        box.addLayout(grid)
        box.addStretch(1)
        self.hold_button = QPushButton("Compare with this moment")
        self.hold_button.setCheckable(True)
        self.hold_button.clicked.connect(self.hold)
        box.addWidget(self.hold_button)
        self.speed = 20
        self.play_button = QPushButton("Play")
        self.play_button.setProperty("role", "main")
        self.play_button.setMinimumHeight(44)
        self.play_button.clicked.connect(self.play)
        box.addWidget(self.play_button)
        ways, speeds = QHBoxLayout(), QHBoxLayout()
        ways.setSpacing(2)
        for word, by, whole in (("‹ Move", -1, False), ("Move ›", 1, False), ("‹ Step", -1, True), ("Step ›", 1, True)):
            button = QPushButton(word)
            button.setProperty("role", "segment")
            button.clicked.connect(lambda _, b=by, w=whole: self.go_step(b) if w else self.go_move(b))
            ways.addWidget(button, 1)
        box.addLayout(ways)
        speeds.setSpacing(0)
        for factor in SPEEDS:
            button = QPushButton(f"{factor}×")
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.setChecked(factor == self.speed)
            button.setProperty("role", "segment")
            button.clicked.connect(lambda _, f=factor: setattr(self, "speed", f))
            speeds.addWidget(button)
        box.addLayout(speeds)
        return column

    # the verdict

    def _progress(self, share: float) -> None:
        running = self.session.checking is not None
        self.cancel_button.setVisible(running)
        if running:
            self.verdict.setText("Checking …")
            self.detail.setText(f"{share:.0%} done".replace("%", " %"))
        else:
            self.refresh()

    def _not_checked(self) -> None:
        """What is in view is not what the check in hand is of."""
        seen = self.session.checked is not None
        old = " What is shown here is the program before the last edit." if seen else ""
        self.verdict.setText("Not checked")
        self.detail.setText(f"The check was cancelled, or could not be done.{old} The next edit starts it anew.")

    def refresh(self) -> None:
        """Show the last check."""
        self.cancel_button.hide()
        checked = self.session.checked
        chosen = self.list.currentItem()
        kept = chosen.data(Qt.ItemDataRole.UserRole) if chosen is not None else None
        self.list.clear()
        if self.session.held is not None:
            self.session.held = None
            self._since(0.0)
        self.solid.show_marker(None)
        if checked is None and self.session.plan.order and not self.checker.busy:
            self._not_checked()
            self.tools.setText("")
            return
        if checked is None or not len(checked.motion):
            self._no_moment()
            self.verdict.setText("Nothing to check yet")
            self.detail.setText(self.session.plan.setup_asks() or "Complete a step first.")
            self.tools.setText("")
            return
        counts = {s: sum(f.severity == s for f in checked.findings) for s in ("stop", "warn", "note")}
        if counts["stop"]:
            n = counts["stop"]
            self.verdict.setText(f"{n} thing{'s' if n > 1 else ''} must be changed")
        elif counts["warn"]:
            n = counts["warn"]
            self.verdict.setText(f"{n} thing{'s' if n > 1 else ''} to look at")
        else:
            n = counts["note"]
            self.verdict.setText(f"Nothing to change, {n} note{'s' if n > 1 else ''}" if n else "No findings")
        removed = metal(checked.taken, self.session.job.units)
        asking = sum(1 for s in self.session.plan.steps if s.step.on and not s.answers.complete)
        left_out = (
            f" {counted(asking, 'step is', 'steps are')} incomplete and {'was' if asking == 1 else 'were'} left out."
            if asking
            else ""
        )
        if self.session.hand_text is not None:
            left_out = " This is your own text, not the job’s."
        self.detail.setText(
            f"{clock(float(checked.times.sum()))} min, {removed} removed, {checked.picture.how}.{left_out}"
        )
        for f in checked.findings:
            item = QListWidgetItem(self._icon(f.severity), (f"Line {f.line}: " if f.line else "") + f.text)
            item.setData(Qt.ItemDataRole.UserRole, f)
            self.list.addItem(item)
            if kept is not None and (f.kind, f.step, f.text) == (kept.kind, kept.step, kept.text):
                self.list.blockSignals(True)
                self.list.setCurrentItem(item)
                self.list.blockSignals(False)
                kept = None
        # An empty list is no place to stop at.
        self.list.setFocusPolicy(Qt.FocusPolicy.StrongFocus if checked.findings else Qt.FocusPolicy.NoFocus)
        self._tool_times(checked)
        if not self.session.is_checked and not self.checker.busy:
            self._not_checked()
        self._moment(self.session.time)

    def _tool_times(self, checked: Checked) -> None:
        rows = []
        for number in dict.fromkeys(checked.motion.tool.tolist()):
            if number:
                seconds = float(checked.times[checked.motion.tool == number].sum())
                rows.append(
                    f"<tr><td>T{number} {escape(checked.tool_names.get(number, ''))}</td><td align='right'>&nbsp;&nbsp;{clock(seconds)}</td></tr>"
                )
        self.tools.setText(f"<table width='100%'>{''.join(rows)}</table>")

    def _icon(self, severity: str) -> QIcon:
        pixmap = QPixmap(40, 40)
        pixmap.fill(Qt.GlobalColor.transparent)
        p = QPainter(pixmap)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.scale(2, 2)
        paint_state(p, QPointF(10, 10), severity if severity != "note" else "ready", self.theme)
        p.end()
        return QIcon(pixmap)

    def _show_item(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.show_finding(item.data(Qt.ItemDataRole.UserRole))

    def show_finding(self, finding: Finding) -> None:
        """Go to a finding's step and moment."""
        if finding.step is not None and self.session.index_of(finding.step) >= 0:
            self.session.select(finding.step)
        self.solid.show_marker(finding.at)
        if self.section is not None:
            self.section.show_finding(finding)
        checked = self.session.checked
        if finding.line is not None and checked is not None:
            at = bisect.bisect_right(checked.motion.line.tolist(), finding.line) - 1
            if at >= 0:
                self.session.set_time(self._ends[at])
            self.line_wanted.emit(finding.line)

    # the moment

    @property
    def _ends(self) -> list[float]:
        """When each move of the check in view ends; none without a check."""
        checked = self.session.checked
        return checked.clock if checked is not None else []

    def _where(self, seconds: float) -> tuple[int, float]:
        """Move and share of it at a time."""
        move = min(bisect.bisect_left(self._ends, seconds), len(self._ends) - 1)
        begin = self._ends[move - 1] if move else 0.0
        span = self._ends[move] - begin
        return move, (seconds - begin) / span if span > 0 else 1.0

    def _moment(self, seconds: float) -> None:
        checked = self.session.checked
        if checked is None or not self._ends or not self.isVisible():
            return
        move, share = self._where(seconds)
        m = checked.motion
        at = m.at(move, share)
        self.checker.want_stock(move, share)
        self.solid.show_moment(m, move, share)
        units = self.session.job.units
        digits = 3 if units == "mm" else 4
        if self.section is not None:
            self.section.show_moment(int(m.tool[move]), at)
        told = self.bench.told(m, move, share)
        for axis, value, kind in told:
            self.readings[axis].setText(f"{value / scale(kind, units):.{digits}f}")
        for label in (self.readings["C"], self._labels["C"]):
            label.setVisible(len(told) > len(self.bench.axes))
        length = float(m.run(move, move + 1).lengths()[0])
        cutting = m.kind[move] in (FEED, ARC, THREAD)
        self.readings["Distance to go"].setText(
            f"{length * (1 - share) / scale(Kind.LENGTH, units):.{digits - 1}f} {unit_word(Kind.LENGTH, units)}"
        )
        feed = (
            f"{m.feed[move] / scale(Kind.FEED, units):.0f} {unit_word(Kind.FEED, units)}"
            if cutting
            else MoveKind(int(m.kind[move])).word
        )
        self.readings["Feed"].setText(feed)
        turned = "driven " if m.driver[move] else ""
        self.readings["Spindle"].setText(f"{turned}{m.speed[move]:.0f} /min" if m.speed[move] else "stands")
        degrees = float(checked.degrees[move]) if checked.degrees is not None else 0.0
        wrapped = f", {degrees:.0f}° in metal" if degrees > LEAST_DEGREES else ""
        self.readings["Power"].setText(f"{checked.power[move] * 100:.0f} %{wrapped}")
        self.readings["Removed"].setText(metal(checked.gone(seconds), self.session.job.units))
        self._since(seconds)
        self.readings["Tool"].setText(f"T{m.tool[move]}" if m.tool[move] else "none")
        self.readings["Line"].setText(str(int(m.line[move])))
        step = int(checked.step_of_move[move])
        self.now.setText(checked.step_names[step] if step >= 0 else f"{clock(seconds)} min")

    def _no_moment(self) -> None:
        """There is nothing to be read."""
        self.now.setText("At the start")
        for value in self.readings.values():
            value.setText("–")

    def _since(self, seconds: float) -> None:
        """What happened between the moment that is held and the one shown."""
        held, checked = self.session.held, self.session.checked
        self.hold_button.setChecked(held is not None)
        self.since.setVisible(held is not None)
        if held is not None and checked is not None:
            between = metal(abs(checked.gone(seconds) - checked.gone(held)), self.session.job.units)
            word = "Since" if seconds >= held else "Before"
            self.since.setText(
                f"{word} {clock(held)}: {clock(abs(seconds - held))} min, {between}. Only what was cut between is coloured."
            )

    def hold(self) -> None:
        """Compare other moments with the one shown, or stop that."""
        on = self.session.held is None and bool(self._ends)
        self.solid.hold(on)
        self.session.hold(self.session.time if on else None)
        self._since(self.session.time)

    # replay

    def play(self) -> None:
        """Run or stop the replay."""
        if self.timer.isActive():
            self._stop()
        elif self._ends:
            if self.session.time >= self._ends[-1] - 1e-6:
                self.session.set_time(0.0)
            self.timer.start()
            self.play_button.setText("Stop")

    def _stop(self) -> None:
        self.timer.stop()
        self.play_button.setText("Play")

    def _tick(self) -> None:
        if not self._ends:
            self._stop()
            return
        after = self.session.time + self.speed * FRAME_MS / 1000
        self.session.set_time(min(after, self._ends[-1]))
        if after >= self._ends[-1]:
            self._stop()

    def go_move(self, by: int) -> None:
        """To the end of the next or the move before."""
        if self._ends:
            move, share = self._where(self.session.time)
            to = move + by if share > 1 - 1e-9 or by < 0 else move
            self.session.set_time(self._ends[to] if 0 <= to < len(self._ends) else 0.0 if to < 0 else self._ends[-1])

    def go_step(self, by: int) -> None:
        """To the start of the next or this or the step before."""
        checked = self.session.checked
        if checked is None or not self._ends:
            return
        starts = [self._ends[i - 1] if i else 0.0 for i in checked.step_edges] + [self._ends[-1]]
        now = self.session.time
        if by > 0:
            self.session.set_time(next((s for s in starts if s > now + 1e-6), self._ends[-1]))
        else:
            self.session.set_time(next((s for s in reversed(starts) if s < now - 1e-6), 0.0))

    def set_theme(self, theme: Theme) -> None:
        """Redraw in a theme."""
        self.theme = THEMES[theme.name]
        if self._section is not None:
            self._section.theme = self.theme
        self.refresh()

    def enter(self) -> None:
        """The station comes to the front: at the end of the program unless a moment was chosen."""
        self._show_section()
        self.place.addWidget(self.solid, 2)
        self.solid.show()
        self.solid.wake(tools=True)
        if self._ends and self.session.time == 0.0:
            self.session.set_time(self._ends[-1])
        else:
            self._moment(self.session.time)

    def leave(self) -> None:
        """The station goes to the back."""
        self._stop()
        self.solid.show_marker(None)
