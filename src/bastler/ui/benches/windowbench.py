"""What the window asks of a bench: sheet, setup drawing, moments of the check, solid view."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, NamedTuple, Protocol

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter

from bastler.core.plans.plan import Plan
from bastler.core.quantities import Kind, Units

if TYPE_CHECKING:
    from bastler.core.checked import Checked
    from bastler.core.gcode.motion import Motion
    from bastler.core.verify.pictures import Picture, State
    from bastler.ui.drawing.lathe.lathemoment import LatheMoment
    from bastler.ui.drawing.projection import Projection
    from bastler.ui.scene.renderer import Renderer
    from bastler.ui.session import Session
    from bastler.ui.sheets.setupdrawing import SetupSheet
    from bastler.ui.sheets.sheet import Sheet
    from bastler.ui.theme.tokens import Theme
    from bastler.ui.widgets.solid import SolidPane

Place = tuple[float, float, float]
Box = tuple[float, float, float, float]


class Pose(NamedTuple):
    """A tool in the scene: its tip's place, along which axis it stands (``Z`` or ``X``), and how far the part has swung, degrees."""

    at: Place
    along: str = "Z"
    swung: float = 0.0


class WindowBench(Protocol):
    """A kind of machine as the window shows it."""

    axes: tuple[str, ...]
    """Which coordinates its readings have."""
    sections: bool
    """Whether the solid view has planes, paths and tools to look at, because no drawing beside it shows them."""
    new_contour: Mapping[str, str]
    """What a new contour is at first."""

    # the sheet

    def paint_part(self, sheet: Sheet, p: QPainter) -> None:
        """The part in progress, with the selected step's dimensions."""

    def paint_stock(self, sheet: Sheet, p: QPainter, view: Projection) -> None:
        """The raw stock behind a contour."""

    def edge(self, plan: Plan) -> Box:
        """The part with what holds it, as far as it is seen, in the sheet's plane."""

    def round_contour(self, plan: Plan) -> Box:
        """What stays in view round a contour."""

    def reading(self, sheet: Sheet, at: QPointF) -> str:
        """Where a place on the sheet is, in words."""

    def step_at(self, sheet: Sheet, at: QPointF) -> str | None:
        """The step that cuts what is there."""

    def paint_setup(self, sheet: SetupSheet, p: QPainter) -> None:
        """The drawing of the setup."""

    def stock_said(self, plan: Plan, units: Units) -> str:
        """The stock in words."""

    # the check

    def told(self, motion: Motion, move: int, share: float) -> tuple[tuple[str, float, Kind], ...]:
        """Where the tool is at ``share`` of a move: each axis with its value as it is counted, mm or degrees."""

    def moment(self, session: Session, theme: Theme) -> LatheMoment | None:
        """A drawing of the moment shown, if the solid view alone doesn't show it."""

    # the solid view

    def fits(self, picture: Picture) -> bool:
        """Whether a picture of the stock is one of this machine's."""

    def send_frame(self, pane: SolidPane) -> None:
        """Bounds, what holds the stock, axes."""

    def send_raw(self, pane: SolidPane) -> None:
        """The stock before the first move."""

    def send_stock(self, pane: SolidPane, checked: Checked, state: State) -> None:
        """The stock in a state of the check."""

    def pose(self, motion: Motion, move: int, share: float) -> Pose | None:
        """The tool at ``share`` of a move; ``None`` if it is none that a solid of revolution shows."""

    def marker(self, at: Place) -> Place:
        """The place of a finding in the scene."""

    def draw_part(self, scene: Renderer, plan: Plan, checked: Checked) -> None:
        """The checked part for paper, in the colours of its steps."""
