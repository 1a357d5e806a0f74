"""A form made from declared fields: four groups, units behind, reasons and problems under a field."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from bastler.core.fields import Answers, Field
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Units, both_of
from bastler.ui.forms.editors import (
    JOB_KINDS,
    ChecksEditor,
    LineEditor,
    ListEditor,
    Offers,
    no_offers,
    shown_suggestion,
)
from bastler.ui.forms.row import Row
from bastler.ui.plain.label import Label
from bastler.ui.theme.style import redress

NOTE_PX = 66
"""Three lines kept for what is said of a field."""

if TYPE_CHECKING:
    from bastler.ui.forms.numberpad import NumberPad


class Form(QWidget):
    """Shows typed texts against fields; says what is typed and where the cursor is.

    Words above it jump to a group, so the last one is never far. What is wrong, and why something is suggested, stands
    in lines kept free below it: nothing moves under the cursor of one who types. ``ends``: an answer to the last open
    question ends the form; without it Enter goes on through the fields. ``letters``: passed on while nothing is typed.
    """

    typed = pyqtSignal(str, str)
    focused = pyqtSignal(str)
    accepted = pyqtSignal()
    choices_asked = pyqtSignal(str)
    lettered = pyqtSignal(str)

    def __init__(
        self, groups: dict[str, str] | None = None, *, jumps: bool = True, ends: bool = False, letters: str = ""
    ) -> None:
        super().__init__()
        self._groups, self._jumping, self._ends, self._letters = groups or {}, jumps, ends, letters
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.jumps = QHBoxLayout()
        self.jumps.setContentsMargins(10, 2, 10, 2)
        self.jumps.setSpacing(6)
        column.addLayout(self.jumps)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        column.addWidget(self.area, 1)
        self.note = Label()
        self.note.setWordWrap(True)
        self.note.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.note.setContentsMargins(16, 4, 16, 4)
        self.note.setFixedHeight(NOTE_PX)
        column.addWidget(self.note)
        self._cursor = ""
        self._asking = False
        self._typed: dict[str, str] = {}
        self._units: Units = "mm"
        self._fields: tuple[Field, ...] = ()
        self.rows: dict[str, Row] = {}
        self._heads: list[tuple[str, QWidget]] = []
        self._jumps: dict[str, QPushButton] = {}
        self._answers: Answers | None = None
        self._fresh = False
        self.pad: NumberPad | None = None
        self.walks = False
        self.passes: Callable[[], bool] = lambda: False

    def show_form(
        self, fields: tuple[Field, ...], typed: dict[str, str], answers: Answers, units: Units, offers: Offers = no_offers
    ) -> None:  # fmt: skip
        """Build the form if its fields are new; then bring every row up to date.

        ``offers`` gives the choices of fields whose choices depend on the job (tools, patterns).
        """
        here = ""
        if fields is not self._fields and fields != self._fields:
            here = self._cursor if self._has_cursor() else ""
            self._build(fields, offers)
        self._answers, self._typed, self._units = answers, typed, units
        flagged = self._flagged()
        for key, row in self.rows.items():
            visible = key not in answers.hidden
            row.set_visible(visible, units)
            if not visible:
                continue
            if isinstance(row.editor, ListEditor | ChecksEditor) and row.field.kind in JOB_KINDS:
                row.editor.set_choices(offers(row.field))
            problem = flagged.get(key)
            row.editor.show_state(
                typed.get(key, ""),
                shown_suggestion(row.field, answers, units),
                wrong=problem is not None and problem.blocks,
                asks=key in answers.missing,
            )
            row.mark("" if problem is None else "stop" if problem.blocks else "warn")
        self._say()
        if self._fresh:
            self._order_tabs()
        for group, head in self._heads:
            seen = any(r.field.group == group and k not in answers.hidden for k, r in self.rows.items())
            head.setVisible(seen and self._jumping)
            if self._jumping:
                self._jumps[group].setVisible(seen)
        if here:
            if here in self.rows:
                self.focus_field(here)
            else:
                self.focus_first()

    def _flagged(self) -> dict[str, Problem]:
        """The first problem of each field."""
        return {p.field: p for p in reversed(self._answers.problems)} if self._answers is not None else {}

    def note_at(self, key: str) -> tuple[str, str]:
        """What is said of a field while it has the cursor, and how grave it is: what is wrong, else why something is suggested."""
        answers, problem = self._answers, self._flagged().get(key)
        row = self.rows.get(key)
        if answers is None or row is None:
            return "", "soft"
        if problem is not None:
            return ("■ " if problem.blocks else "▲ ") + problem.text, "stop" if problem.blocks else "warn"
        if key in answers.begun:
            return answers.begun[key], "soft"
        if row.field.kind is Kind.TOOL and key in answers.missing:
            return "No tool in the table fits yet.", "soft"
        if key in answers.suggestions and not self._typed.get(key):
            return answers.suggestions[key].reason, "soft"
        return "", "soft"

    def _say(self) -> None:
        """The line of the field with the cursor; if there is nothing to say of it, of the first one that is wrong."""
        text, role = self.note_at(self._cursor)
        if not text and self._answers is not None:
            shown = [k for k in self._flagged() if k in self.rows and k not in self._answers.hidden]
            if shown:
                text, role = self.note_at(shown[0])
                text = f"{text[:1]} {self.rows[shown[0]].field.label}: {text[2:]}"
        if self.note.text() != text:
            self.note.setText(text)
            self.note.setToolTip(text)
        if self.note.property("role") != role:
            self.note.setProperty("role", role)
            redress(self.note)

    def _has_cursor(self) -> bool:
        focused = QApplication.focusWidget()
        return focused is not None and self.area.isAncestorOf(focused)

    def _build(self, fields: tuple[Field, ...], offers: Offers) -> None:
        self._fields = fields
        self.rows, self._heads = {}, []
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(16, 4, 16, 16)
        column.setSpacing(4)
        for group in dict.fromkeys(f.group for f in fields):
            head = self._head(self._groups.get(group, group))
            self._heads.append((group, head))
            column.addWidget(head)
            grid = QGridLayout()
            grid.setHorizontalSpacing(8)
            grid.setVerticalSpacing(4)
            grid.setColumnStretch(0, 1)
            for at, field in enumerate(f for f in fields if f.group == group):
                self.rows[field.key] = Row(field, grid, at, offers, self._wire)
            column.addLayout(grid)
        column.addStretch(1)
        old = self.area.takeWidget()
        if old is not None:
            old.deleteLater()
        self.area.setWidget(body)
        self._build_jumps()

    def _wire(self, row: Row) -> None:
        """A row was seen for the first time."""
        key, editor = row.field.key, row.editor
        editor.setParent(self)
        editor.typed.connect(lambda text: self.typed.emit(key, text))
        editor.focused.connect(lambda: self._on_focus(key))
        editor.entered.connect(lambda: self.advance(key))
        editor.touched.connect(lambda: self._open_pad(key))
        editor.asked.connect(lambda: self.choices_asked.emit(key))
        if self._letters and isinstance(editor, LineEditor):
            editor.line.letters = self._letters
            editor.line.lettered.connect(self.lettered)
        self._fresh = True

    def _order_tabs(self) -> None:
        self._fresh = False
        seen = [row.editor.widget for row in self.rows.values() if row.built]
        for before, after in zip(seen, seen[1:], strict=False):
            QWidget.setTabOrder(before, after)

    def _build_jumps(self) -> None:
        if not self._jumping:
            return
        while self.jumps.count():
            item = self.jumps.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for group, head in self._heads:
            button = QPushButton(self._groups.get(group, group))
            button.setProperty("role", "jump")
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.clicked.connect(lambda _, h=head: self._jump(h))
            self.jumps.addWidget(button)
            self._jumps[group] = button
        self.jumps.addStretch(1)

    def _jump(self, head: QWidget) -> None:
        bar = self.area.verticalScrollBar()
        if bar is not None:
            bar.setValue(head.y())

    def _head(self, text: str) -> QWidget:
        head = QWidget()
        line = QHBoxLayout(head)
        line.setContentsMargins(0, 8, 0, 2)
        label = Label(text)
        label.setProperty("role", "group")
        rule = QFrame()
        rule.setObjectName("rule")
        line.addWidget(label)
        line.addWidget(rule, 1)
        return head

    # walking

    def _on_focus(self, key: str) -> None:
        if key != self._cursor or not self._asking:
            self._asking = bool(self.open_questions())
        self._cursor = key
        self._say()
        self.area.ensureWidgetVisible(self.rows[key].editor.widget, 0, 60)
        self.focused.emit(key)

    def focus_field(self, key: str) -> None:
        """Put the cursor into a field, its text selected."""
        row = self.rows.get(key)
        if row is not None and self._answers is not None and key not in self._answers.hidden:
            row.editor.focus()
            if isinstance(row.editor.widget, QLineEdit):
                row.editor.widget.selectAll()

    def focused_question(self) -> str:
        """The question of the field that has the cursor."""
        row = self.rows.get(self._cursor)
        return row.field.question if row is not None and row.built and row.editor.widget.hasFocus() else ""

    def open_questions(self) -> list[str]:
        """Fields that must be answered or corrected, in order."""
        if self._answers is None:
            return []
        wrong = {p.field for p in self._answers.problems if p.blocks}
        return [k for k in self.rows if (k in self._answers.missing or k in wrong) and k not in self._answers.hidden]

    def advance(self, key: str) -> None:
        """Enter: on to the next open question; none left: done, or the next field. A wrong value stays."""
        if (y := self._with_angle(key)) is not None:
            key = y
        order, opened = list(self.rows), self.open_questions()
        if key in opened and self._typed.get(key, "").strip():
            self.focus_field(key)
            return
        if self.walks:
            self._walk(order, key)
            return
        waiting = [k for k in opened if k != key]
        after = [k for k in waiting if order.index(k) > order.index(key)]
        if after or waiting:
            self.focus_field((after or waiting)[0])
        elif opened:
            self.focus_field(key)
        elif self._ends and self._asking:
            self._asking = False
            self.accepted.emit()
        else:
            self._walk(order, key)

    def _with_angle(self, key: str) -> str | None:
        """Radius and angle typed at an X (``21 at 72``) become X and the Y beside it, whose key this is then."""
        y = f"{key[:-2]}_y"
        both = both_of(self._typed.get(key, ""), self._units) if key.endswith("_x") and y in self.rows else None
        if both is None:
            return None
        for one, text in zip((key, y), both, strict=True):
            self.typed.emit(one, text)
        return y

    def _walk(self, order: list[str], key: str) -> None:
        """Enter goes through all fields, until there is nothing more to ask (``passes``)."""
        hidden = self._answers.hidden if self._answers is not None else frozenset()
        after = [k for k in order[order.index(key) + 1 :] if k not in hidden]
        if after and not self.passes():
            self.focus_field(after[0])
        else:
            self.accepted.emit()

    def focus_first(self) -> None:
        """The first open question, or the first field."""
        order = self.open_questions() or [
            k for k in self.rows if self._answers is None or k not in self._answers.hidden
        ]
        if order:
            self.focus_field(order[0])

    def _open_pad(self, key: str) -> None:
        if self.pad is None:
            from bastler.ui.forms.numberpad import NumberPad

            self.pad = NumberPad(self.window() or self)
        self.pad.open_for(self.rows[key].editor.widget, lambda: self.advance(key))
