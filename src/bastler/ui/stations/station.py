"""What every station of the window is, and every page of the setup; and which ones there are."""

from __future__ import annotations

from collections.abc import Mapping
from importlib import import_module
from typing import TYPE_CHECKING, ClassVar, Protocol

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from bastler.ui.theme.tokens import Theme

if TYPE_CHECKING:
    from bastler.ui.forms.form import Form
    from bastler.ui.session import Session
    from bastler.ui.window import Window

PLACES: Mapping[str, str] = {
    "Setup": "setup.SetupStation",
    "Steps": "steps.StepsStation",
    "Check": "check.CheckStation",
    "Code": "code.CodeStation",
}
"""Stations by word, in working order; each is loaded when it is first shown."""
STATIONS = tuple(PLACES)


class Undoable(Protocol):
    """A text with a history of its own."""

    def undo(self) -> None:
        """The last edit back."""

    def redo(self) -> None:
        """And forth."""


class Station(QWidget):
    """One of the window's stations."""

    session: Session
    shows_graph: ClassVar[bool] = False
    """Whether the ribbon shows power and chip over time."""

    @classmethod
    def built(cls, window: Window) -> Station:
        """Made for a window, and connected to it."""
        raise NotImplementedError

    def enter(self) -> None:
        """The station comes to the front."""

    def leave(self) -> None:
        """The station goes to the back."""

    def set_theme(self, theme: Theme) -> None:
        """Redraw in a theme."""

    def picked(self) -> tuple[str, ...]:
        """The steps that a command means."""
        return (self.session.selected,) if self.session.selected else ()

    def drawing(self) -> QWidget | None:
        """What a picture of the station shows, if not the solid view."""
        return None

    def own_text(self, *, again: bool) -> Undoable | None:
        """A text being typed that has something to take back, or to do ``again``."""
        return None


def station_kind(word: str) -> type[Station]:
    """The class of a station."""
    module, _, name = PLACES[word].partition(".")
    found: type[Station] = getattr(import_module(f"bastler.ui.stations.{module}"), name)
    return found


class Page(QWidget):
    """A page of the setup. ``form``: whose questions stand above it, if it has one."""

    tool_wanted = pyqtSignal(int)
    form: Form | None = None

    def enter(self) -> None:
        """The page comes to the front."""

    def set_theme(self, theme: Theme) -> None:
        """Redraw in a theme."""

    def show_tool(self, number: int) -> None:
        """The line of a tool, on the page that has them."""
