"""A mill in the window: top view and section, a block in the solid view."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter

from bastler.core.plans.plan import Plan
from bastler.core.quantities import Kind, Units, show
from bastler.ui.benches.windowbench import Box, Place, Pose
from bastler.ui.drawing.mill import millsheet
from bastler.ui.drawing.mill.millsetup import paint_clamping
from bastler.ui.theme.tokens import DAY, HUES

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from bastler.core.checked import Checked
    from bastler.core.gcode.motion import Motion
    from bastler.core.verify.grid import Grid
    from bastler.core.verify.pictures import Picture, State
    from bastler.ui.drawing.projection import Projection
    from bastler.ui.scene.labels import Recipe
    from bastler.ui.scene.renderer import Renderer
    from bastler.ui.session import Session
    from bastler.ui.sheets.setupdrawing import SetupSheet
    from bastler.ui.sheets.sheet import Sheet
    from bastler.ui.theme.tokens import Theme
    from bastler.ui.widgets.solid import SolidPane

RAW_CELLS = 60_000
AXES_SHARE = 0.14


class MillWindow:
    """See :class:`bastler.ui.benches.windowbench.WindowBench`."""

    axes = ("X", "Y", "Z")
    sections = True
    new_contour: Mapping[str, str] = {}

    def paint_part(self, sheet: Sheet, p: QPainter) -> None:
        """Top view above, section below."""
        millsheet.paint_milled(sheet, p)

    def paint_stock(self, sheet: Sheet, p: QPainter, view: Projection) -> None:
        """The block."""
        millsheet.paint_block(sheet, p, view)

    def edge(self, plan: Plan) -> Box:
        """The block."""
        return plan.frame.block.bounds

    def round_contour(self, plan: Plan) -> Box:
        """The block."""
        return plan.frame.block.bounds

    def reading(self, sheet: Sheet, at: QPointF) -> str:
        """X, Y and Z of the metal."""
        return millsheet.metal_at(sheet, at)

    def step_at(self, sheet: Sheet, at: QPointF) -> str | None:
        """By removals."""
        return millsheet.step_under(sheet, at)

    def paint_setup(self, sheet: SetupSheet, p: QPainter) -> None:
        """Block in its vice."""
        paint_clamping(sheet, p)

    def stock_said(self, plan: Plan, units: Units) -> str:
        """Its three sizes."""
        return "Block " + " × ".join(show(s, units=units) for s in plan.frame.block.size)

    def told(self, motion: Motion, move: int, share: float) -> tuple[tuple[str, float, Kind], ...]:
        """As it is."""
        return tuple((axis, value, Kind.LENGTH) for axis, value in zip(self.axes, motion.at(move, share), strict=True))

    def moment(self, session: Session, theme: Theme) -> None:
        """The solid view shows it."""
        return

    def fits(self, picture: Picture) -> bool:
        """A height field."""
        from bastler.core.verify.pictures import HeightPicture

        return isinstance(picture, HeightPicture)

    def send_frame(self, pane: SolidPane) -> None:
        """Block, vice, axes."""
        f = pane.session.plan.frame
        b = f.bed
        pane.view.send("bounds", (b.x0, b.x1, b.y0, b.y1, b.z0, b.z1))
        boxes = [((o.box.x0, o.box.x1, o.box.y0, o.box.y1, o.box.z0, o.box.z1), o.round) for o in f.obstacles]
        pane.view.send("fixture", boxes, pane.theme.hatch)
        pane.view.send("axes", max(b.size) * AXES_SHARE, pane.theme.ink)

    def send_raw(self, pane: SolidPane) -> None:
        """Blocks, bars or tubes in a coarse grid."""
        from bastler.core.verify.grid import Grid, blank, cell_for

        frame = pane.session.plan.frame
        grid = Grid.over(frame.bed, cell_for(frame.bed, RAW_CELLS))
        _send(pane, grid, blank(grid, frame.bed, frame.pieces), ("raw",))

    def send_stock(self, pane: SolidPane, checked: Checked, state: State) -> None:
        """By step, or by deviation."""
        from bastler.core.verify.pictures import cells

        picture = checked.field
        heights, cut_by = cells(state)
        if pane.compare.isChecked():
            way: Recipe = ("deviation", picture.target, pane.session.plan.frame.bed.z0)
            _send(pane, picture.grid, heights, way, pane.deviation_hues)
            return
        held = cells(pane.held)[0] if pane.held is not None else None
        _send(pane, picture.grid, heights, ("steps", cut_by, pane.slots_of_moves(checked), held, len(HUES)))

    def pose(self, motion: Motion, move: int, share: float) -> Pose | None:
        """Upright."""
        return Pose(motion.at(move, share))

    def marker(self, at: Place) -> Place:
        """As it is."""
        return at

    def draw_part(self, scene: Renderer, plan: Plan, checked: Checked) -> None:
        """The cut block."""
        import numpy as np

        from bastler.ui.scene.sceneserver import opened_mesh

        picture, b = checked.field, plan.frame.bed
        owner = np.where(picture.cut_by >= 0, checked.step_of_move[np.maximum(picture.cut_by, 0)], -1)
        labels = np.where(owner >= 0, owner % len(HUES), -1).astype(np.int32)
        scene.set_bounds((b.x0, b.x1, b.y0, b.y1, b.z0, b.z1))
        mesh = opened_mesh(picture.grid, picture.heights, labels, b.z0, None, 0.0)
        scene.set_mesh(mesh, list(HUES), DAY.stock, DAY.accent_fill)


def _send(pane: SolidPane, grid: Grid, heights: NDArray[np.float32], way: Recipe, hues: Sequence[str] = HUES) -> None:
    """A stock, and how its cells are coloured (see :mod:`bastler.ui.scene.labels`)."""
    bottom, t = pane.session.plan.frame.block.z0, pane.theme
    pane.view.send("stock", grid, heights, way, bottom, list(hues), t.stock, t.accent_fill)
