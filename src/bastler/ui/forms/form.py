"""A form made from declared fields: four groups, units behind, reasons and problems under a field."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from bastler.core.fields import Answers, Field
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Units
from bastler.ui.forms.editors import JOB_KINDS, ChecksEditor, ListEditor, Offers, no_offers, shown_suggestion
from bastler.ui.forms.row import Row
from bastler.ui.widgets.label import Label

if TYPE_CHECKING:
    from bastler.ui.forms.numberpad import NumberPad


class Form(QWidget):
    """Shows typed texts against fields; says what is typed and where the cursor is.

    Words above it jump to a group, so the last one is never far; the reason of a suggestion is shown for
    the tool and for the field with the cursor.
    """

    typed = pyqtSignal(str, str)
    focused = pyqtSignal(str)
    accepted = pyqtSignal()
    choices_asked = pyqtSignal(str)

    def __init__(self, groups: dict[str, str] | None = None, *, jumps: bool = True) -> None:
        super().__init__()
        self._groups, self._jumping = groups or {}, jumps
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.jumps = QHBoxLayout()
        self.jumps.setContentsMargins(10, 2, 10, 2)
        self.jumps.setSpacing(0)
        column.addLayout(self.jumps)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        column.addWidget(self.area, 1)
        self._cursor = ""
        self._typed: dict[str, str] = {}
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
        if fields is not self._fields:
            self._build(fields, offers)
        self._answers, self._typed = answers, typed
        flagged = {p.field: p for p in reversed(answers.problems)}
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
            self._note(row, answers, problem)
        if self._fresh:
            self._order_tabs()
        for group, head in self._heads:
            seen = any(r.field.group == group and k not in answers.hidden for k, r in self.rows.items())
            head.setVisible(seen and self._jumping)
            if self._jumping:
                self._jumps[group].setVisible(seen)

    def _note(self, row: Row, answers: Answers, problem: Problem | None) -> None:
        """Under a field: what is wrong, else the reason of the suggestion while it is of use."""
        key, kind = row.field.key, row.field.kind
        if problem is not None:
            row.say(("■ " if problem.blocks else "▲ ") + problem.text, "stop" if problem.blocks else "warn")
        elif kind is Kind.TOOL and key in answers.missing:
            row.say("No tool in the table fits yet.", "soft")
        elif key in answers.suggestions and not self._typed.get(key) and (kind is Kind.TOOL or key == self._cursor):
            row.say(answers.suggestions[key].reason, "reason")
        else:
            row.say("", "soft")

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
            button.setProperty("role", "quiet")
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
        before, self._cursor = self._cursor, key
        for one in (before, key):
            row = self.rows.get(one)
            if row is not None and self._answers is not None and one not in self._answers.hidden:
                problem = next((p for p in self._answers.problems if p.field == one), None)
                self._note(row, self._answers, problem)
        self.area.ensureWidgetVisible(self.rows[key].editor.widget, 0, 60)
        self.focused.emit(key)

    def focus_field(self, key: str) -> None:
        """Put the cursor into a field."""
        row = self.rows.get(key)
        if row is not None and self._answers is not None and key not in self._answers.hidden:
            row.editor.focus()

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
        """Enter: on to the next open question; none left: accepted."""
        QTimer.singleShot(0, lambda: self._advance(key))

    def _advance(self, key: str) -> None:
        order = list(self.rows)
        if self.walks:
            self._walk(order, key)
            return
        waiting = [k for k in self.open_questions() if k != key]
        after = [k for k in waiting if order.index(k) > order.index(key)]
        if after or waiting:
            self.focus_field((after or waiting)[0])
        elif not self.open_questions():
            self.accepted.emit()

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
