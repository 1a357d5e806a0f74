"""One line of a form: label, editor, unit. Built when first seen, so a long form opens at once."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property

from PyQt6.QtWidgets import QGridLayout

from bastler.core.fields import Field
from bastler.core.quantities import Kind, Units, unit_word
from bastler.ui.forms.editors import Editor, ListEditor, Offers, editor_for
from bastler.ui.plain.label import Label
from bastler.ui.theme.style import redress

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
    """The widgets of one field, in the row ``at`` of a grid; ``wire`` is told of the new editor."""

    def __init__(self, field: Field, grid: QGridLayout, at: int, offers: Offers, wire: Callable[[Row], None]) -> None:
        self.field, self._grid, self._at, self._offers, self._wire = field, grid, at, offers, wire

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

    def set_visible(self, visible: bool, units: Units) -> None:
        """Show or hide the whole line."""
        if not visible and not self.built:
            return
        for widget in (self.editor.widget, self._label, self._unit):
            if widget is not None:
                widget.setVisible(visible)
        if self._unit is not None:
            self._unit.setText(unit_word(self.field.kind, units))

    def mark(self, role: str) -> None:
        """Say beside the label that something is wrong (``stop``) or doubtful (``warn``) here."""
        text = {"stop": "■ ", "warn": "▲ "}.get(role, "") + self.field.label
        if self._label.text() != text:
            self._label.setText(text)
            self._label.setProperty("role", role or None)
            redress(self._label)
