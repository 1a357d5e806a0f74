"""One line of a form: label, editor, unit, and a note under it. Built when first seen, so a long form opens at once."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property

from PyQt6.QtWidgets import QGridLayout

from bastler.core.fields import Field
from bastler.core.quantities import Kind, Units, unit_word
from bastler.ui.forms.editors import Editor, ListEditor, Offers, editor_for
from bastler.ui.theme.style import redress
from bastler.ui.widgets.label import Label

FIELD_WIDTH_PX = 132
UNIT_WIDTH_PX = 46
NARROW_CHARS = 10
WIDE_KINDS = (
    Kind.STEPS,
    Kind.CONTOUR,
    Kind.CONTOURS,
    Kind.POINTS,
    Kind.CYLINDERS,
    Kind.TEXT,
    Kind.TOOL,
    Kind.PATTERN,
    Kind.LINES,
)


class Row:
    """The widgets of one field, in rows ``2 at`` and ``2 at + 1`` of a grid; ``wire`` is told of the new editor."""

    def __init__(self, field: Field, grid: QGridLayout, at: int, offers: Offers, wire: Callable[[Row], None]) -> None:
        self.field, self._grid, self._at, self._offers, self._wire = field, grid, 2 * at, offers, wire

    @property
    def built(self) -> bool:
        """Whether it has been seen yet."""
        return "editor" in self.__dict__

    @cached_property
    def editor(self) -> Editor:
        """The editor with its label and unit."""
        editor = editor_for(self.field, self._offers)
        self._label = Label(self.field.label)
        self._label.setBuddy(editor.widget)
        self._unit: Label | None = None
        editor.widget.setAccessibleName(self.field.label)
        editor.widget.setToolTip(self.field.question)
        self._grid.addWidget(self._label, self._at, 0)
        longest = max((len(word) for _, word in self.field.choices), default=0)
        if self.field.kind in WIDE_KINDS or (
            self.field.choices and (longest > NARROW_CHARS or not isinstance(editor, ListEditor))
        ):
            self._grid.addWidget(editor.widget, self._at, 1, 1, 2)
            editor.widget.setMinimumWidth(FIELD_WIDTH_PX + 50)
        else:
            editor.widget.setFixedWidth(FIELD_WIDTH_PX)
            self._grid.addWidget(editor.widget, self._at, 1)
            self._unit = Label()
            self._unit.setProperty("role", "soft")
            self._unit.setMinimumWidth(UNIT_WIDTH_PX)
            self._grid.addWidget(self._unit, self._at, 2)
        self.__dict__["editor"] = editor
        self._wire(self)
        return editor

    @cached_property
    def note(self) -> Label:
        """The line under the field."""
        note = Label()
        note.setWordWrap(True)
        self._grid.addWidget(note, self._at + 1, 0, 1, 3)
        return note

    def set_visible(self, visible: bool, units: Units) -> None:
        """Show or hide the whole line."""
        if not visible and not self.built:
            return
        for widget in (self.editor.widget, self._label, self._unit):
            if widget is not None:
                widget.setVisible(visible)
        if self._unit is not None:
            self._unit.setText(unit_word(self.field.kind, units))
        if not visible:
            self.say("", "soft")

    def say(self, text: str, role: str) -> None:
        """Write the note, or take it away."""
        if not text and "note" not in self.__dict__:
            return
        if self.note.text() != text:
            self.note.setText(text)
        if self.note.property("role") != role:
            self.note.setProperty("role", role)
            redress(self.note)
        self.note.setVisible(bool(text))
