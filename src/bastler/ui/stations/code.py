"""The Code station: the G-code with step colours and folding, its line on the sheet, and free editing of a copy."""

from __future__ import annotations

import bisect
from typing import TYPE_CHECKING

from PyQt6.Qsci import QsciScintilla
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QSplitter, QVBoxLayout, QWidget

from bastler.core.quantities import show
from bastler.ui.benches import window_bench
from bastler.ui.checker import Checker
from bastler.ui.drawing.paths import PathLayer
from bastler.ui.plain.label import Label
from bastler.ui.session import Session
from bastler.ui.sheets.sheet import Sheet
from bastler.ui.stations.station import Station, Undoable
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import HUES, Theme
from bastler.ui.widgets.codeedit import CodeEdit

if TYPE_CHECKING:
    from bastler.core.gcode.motion import Motion
    from bastler.ui.window import Window

STEP_MARGIN, NUMBER_MARGIN, FOLD_MARGIN = 1, 0, 2
FIRST_MARKER = 8
LONGEST_SHOWN = 2_000_000
FOLD_BASE, FOLD_HEADER = 0x400, 0x2000
SETTLE_MS = 400
OWN = "This is your own copy of the text: it is checked as it stands, and it is no longer the job’s."
OLD = (
    "This is the program before the last edit: the check of the newest one was cancelled. The next edit starts it anew."
)


class CodeStation(Station):
    """Text left, drawing right."""

    @classmethod
    def built(cls, window: Window) -> CodeStation:
        """With the checker."""
        return cls(window.session, window.theme, window.checker)

    def drawing(self) -> QWidget:
        """The sheet beside the text."""
        return self.sheet

    def own_text(self, *, again: bool) -> Undoable | None:
        """The person's own program while they type it."""
        if self.session.hand_text is None or not self.editor.hasFocus():
            return None
        return self.editor if (self.editor.isRedoAvailable() if again else self.editor.isUndoAvailable()) else None

    def __init__(self, session: Session, theme: Theme, checker: Checker, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.theme, self.checker = session, theme, checker
        self._filling = False
        self._steps: tuple[int, ...] = ()
        self._shown = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._banner())
        split = QSplitter()
        self.editor = CodeEdit()
        self.editor.setUtf8(True)
        self.editor.setAccessibleName("G-code")
        self.editor.setCaretLineVisible(True)
        self.editor.setMarginType(STEP_MARGIN, QsciScintilla.MarginType.SymbolMargin)
        self.editor.setMarginWidth(STEP_MARGIN, 10)
        self.editor.setMarginMarkerMask(STEP_MARGIN, 0xFF << FIRST_MARKER)
        for i, colour in enumerate(HUES):
            self.editor.markerDefine(QsciScintilla.MarkerSymbol.FullRectangle, FIRST_MARKER + i)
            self.editor.setMarkerBackgroundColor(QColor(colour), FIRST_MARKER + i)
            self.editor.setMarkerForegroundColor(QColor(colour), FIRST_MARKER + i)
        self.editor.SendScintilla(QsciScintilla.SCI_SETSCROLLWIDTHTRACKING, 1)
        self.editor.SendScintilla(QsciScintilla.SCI_SETSCROLLWIDTH, 200)
        self.editor.setFolding(QsciScintilla.FoldStyle.PlainFoldStyle, FOLD_MARGIN)
        self.editor.cursorPositionChanged.connect(self._on_line)
        self.editor.textChanged.connect(self._edited)
        split.addWidget(self.editor)
        right = QWidget()
        right.setObjectName("paper")
        box = QVBoxLayout(right)
        box.setContentsMargins(8, 8, 8, 0)
        self.word = Label()
        self.word.setWordWrap(True)
        box.addWidget(self.word)
        self.sheet = Sheet(session, theme)
        self.sheet.with_dimensions = False
        self._paths = self.sheet.paths = PathLayer()
        self.sheet.step_clicked.connect(session.select)
        box.addWidget(self.sheet, 1)
        split.addWidget(right)
        split.setSizes([560, 720])
        column.addWidget(split, 1)
        self.settle = QTimer(self)
        self.settle.setSingleShot(True)
        self.settle.setInterval(SETTLE_MS)
        self.settle.timeout.connect(self.checker.ask)
        session.checked_changed.connect(self.refresh)
        checker.progress.connect(lambda share: self._say_which() if share >= 1.0 else None)
        session.selection_changed.connect(self._follow_step)
        session.time_changed.connect(self._follow_time)
        self.set_theme(theme)

    def _banner(self) -> QFrame:
        self.banner = QFrame()
        self.banner.setObjectName("banner")
        row = QHBoxLayout(self.banner)
        row.setContentsMargins(16, 6, 16, 6)
        self.told = Label()
        self.told.setWordWrap(True)
        row.addWidget(self.told, 1)
        self.back = QPushButton("Back to the job’s text")
        self.back.clicked.connect(self.drop_copy)
        row.addWidget(self.back)
        self.banner.hide()
        return self.banner

    def set_theme(self, theme: Theme) -> None:
        """Colours of text, margins and caret."""
        self.theme = theme
        e = self.editor
        mono = font(12, mono=True)
        e.setFont(mono)
        e.setMarginsFont(font(11, mono=True))
        e.setPaper(QColor(theme.well))
        e.setColor(QColor(theme.ink))
        e.setCaretForegroundColor(QColor(theme.ink))
        e.setCaretLineBackgroundColor(QColor(theme.accent_fill))
        e.setMarginsBackgroundColor(QColor(theme.bench))
        e.setMarginsForegroundColor(QColor(theme.soft_ink))
        e.setFoldMarginColors(QColor(theme.bench), QColor(theme.bench))
        e.setSelectionBackgroundColor(QColor(theme.accent))
        e.setSelectionForegroundColor(QColor(theme.on_accent))
        self.sheet.set_theme(theme)

    # text

    def refresh(self) -> None:
        """Show the last check's text."""
        checked = self.session.checked
        self._say_which()
        if checked is None or not self.isVisible():
            return
        text = checked.program.text
        too_long = len(text) > LONGEST_SHOWN
        self.editor.setReadOnly(too_long)
        if too_long:
            text = "(The text is too long to be shown here; it was checked whole.)"
        self._steps = checked.program.step_of_line
        if text != self._shown or self.editor.text() != text:
            if self.session.hand_text is None or self.editor.text() != self.session.hand_text:
                self._filling = True
                line, column = self.editor.getCursorPosition()
                self.editor.setText(text)
                self.editor.setCursorPosition(min(line, self.editor.lines() - 1), 0)
                self._filling = False
                del column
            self._shown = text
        self.editor.setMarginType(NUMBER_MARGIN, QsciScintilla.MarginType.NumberMargin)
        self.editor.setMarginWidth(NUMBER_MARGIN, "0" * (len(str(self.editor.lines())) + 1))
        self._paint_steps()
        self.sheet.update()
        line, _ = self.editor.getCursorPosition()
        self._on_line(line, 0)

    def _say_which(self) -> None:
        """Whose text this is, where it isn't simply the job's."""
        own = self.session.hand_text is not None
        old = not own and self.session.checked is not None and not self.session.is_checked and not self.checker.busy
        self.banner.setVisible(own or old)
        self.back.setVisible(own)
        self.told.setText(OWN if own else OLD)

    def _paint_steps(self) -> None:
        e = self.editor
        e.markerDeleteAll()
        checked = self.session.checked
        slots = self.session.colours.slots(checked.step_ids) if checked is not None else []
        for line, step in enumerate(self._steps):
            if step >= 0:
                e.markerAdd(line, FIRST_MARKER + (slots[step] if step < len(slots) else 0))
            head = step >= 0 and (line == 0 or self._steps[line - 1] != step)
            level = FOLD_BASE + (0 if step < 0 or head else 1)
            e.SendScintilla(QsciScintilla.SCI_SETFOLDLEVEL, line, level | (FOLD_HEADER if head else 0))

    def _edited(self) -> None:
        if self._filling:
            return
        self.session.hand_text = self.editor.text()
        self._say_which()
        self.settle.start()

    def drop_copy(self) -> None:
        """Forget the copy; the job's text comes back."""
        self.session.hand_text = None
        self.banner.hide()
        self.checker.ask()

    # line, step, moment

    def _on_line(self, line: int, _: int) -> None:
        checked = self.session.checked
        if checked is None or self._filling:
            return
        lines = checked.motion.line
        layer = self._paths
        layer.lit, at = checked.motion.of_line(line + 1)
        if len(lines):
            layer.tool_at = checked.motion.at(at, 1.0)
            tool = self.session.plan.tools.get(int(checked.motion.tool[at]))
            layer.tool_radius = tool.radius if tool else 0.0
            names = checked.step_names
            step = self._steps[line] if line < len(self._steps) else -1
            who = names[step] if 0 <= step < len(names) else "Program"
            self.word.setText(f"{who}: line {line + 1} ends at {self._place(checked.motion, at)}")
            if 0 <= step < len(checked.step_ids) and self.isVisible():
                self.session.select(checked.step_ids[step])
            if self.editor.hasFocus():
                self.session.set_time(checked.clock[at])
        self.sheet.update()

    def _place(self, motion: Motion, move: int) -> str:
        """Where a move ends in the job's units, as the machine's axes are counted."""
        units = self.session.job.units
        told = window_bench(self.session.plan).told(motion, move, 1.0)
        return "  ".join(f"{axis} {show(value, kind, units)}" for axis, value, kind in told)

    def go_to_line(self, line: int) -> None:
        """Show a line (from 1)."""
        self.editor.setCursorPosition(max(line - 1, 0), 0)
        self.editor.ensureLineVisible(max(line - 1, 0))

    def _follow_step(self) -> None:
        step = self.session.index_of(self.session.selected)
        here = self.editor.getCursorPosition()[0]
        if step in self._steps and (here >= len(self._steps) or self._steps[here] != step):
            self.go_to_line(self._steps.index(step) + 1)

    def _follow_time(self, seconds: float) -> None:
        checked = self.session.checked
        if checked is None or not self.isVisible() or self.editor.hasFocus():
            return
        move = min(bisect.bisect_left(checked.clock, seconds), len(checked.clock) - 1)
        if move >= 0:
            self.go_to_line(int(checked.motion.line[move]))

    def enter(self) -> None:
        """The station comes to the front; its text is filled in a turn of its own, so nothing stalls."""
        self.editor.setFocus(Qt.FocusReason.OtherFocusReason)
        QTimer.singleShot(0, self._fill)

    def _fill(self) -> None:
        self.refresh()
        self._follow_step()
