"""A lathe in the window: the half section, and in the solid view what it makes about the axis, a quarter cut out."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter

from bastler.core.geometry.halfsection import Area, box, polygon
from bastler.core.plans.plan import Plan
from bastler.core.quantities import Kind, Units, show
from bastler.core.verify.pictures import SectionPicture, section
from bastler.ui.benches.windowbench import Box, Place, Pose
from bastler.ui.drawing.lathe import lathesheet
from bastler.ui.drawing.lathe.lathesetup import paint_chucking
from bastler.ui.drawing.lathe.latheview import extent
from bastler.ui.theme.tokens import DAY, HUES

if TYPE_CHECKING:
    from bastler.core.checked import Checked
    from bastler.core.gcode.motion import Motion
    from bastler.core.verify.mesh import Mesh
    from bastler.core.verify.pictures import Picture, State
    from bastler.ui.drawing.lathe.lathemoment import LatheMoment
    from bastler.ui.drawing.projection import Projection
    from bastler.ui.scene.renderer import Renderer
    from bastler.ui.session import Session
    from bastler.ui.sheets.setupdrawing import SetupSheet
    from bastler.ui.sheets.sheet import Sheet
    from bastler.ui.theme.tokens import Theme
    from bastler.ui.widgets.solid import SolidPane

JAWS_SHOWN_MM = 8.0
"""Of what holds a bar, only this much behind it is shown."""
BELOW_AXIS = 0.25
"""How much of a bar below its axis is seen beside a contour, as a share of its radius."""
AXES_MM = 0.001
HALF = 0.5


class LatheWindow:
    """See :class:`bastler.ui.benches.windowbench.WindowBench`."""

    axes = ("X", "Z")
    sections = False
    new_contour: Mapping[str, str] = {"plane": "ZX", "closed": "no"}

    def paint_part(self, sheet: Sheet, p: QPainter) -> None:
        """The half section."""
        lathesheet.paint_turned(sheet, p)

    def paint_stock(self, sheet: Sheet, p: QPainter, view: Projection) -> None:
        """The bar."""
        lathesheet.paint_bar(sheet, p, view)

    def edge(self, plan: Plan) -> Box:
        """Bar, jaws, tailstock."""
        return extent(plan.frame.held)

    def round_contour(self, plan: Plan) -> Box:
        """The bar above its axis, and a little below."""
        z0, z1, _, r = extent(plan.frame.held)
        return (z0, z1, -BELOW_AXIS * r, r)

    def reading(self, sheet: Sheet, at: QPointF) -> str:
        """X as a diameter, and Z."""
        return lathesheet.reading(sheet, at)

    def step_at(self, sheet: Sheet, at: QPointF) -> str | None:
        """By what steps clear."""
        return lathesheet.step_at(sheet, at)

    def paint_setup(self, sheet: SetupSheet, p: QPainter) -> None:
        """Bar in its chuck."""
        paint_chucking(sheet, p)

    def stock_said(self, plan: Plan, units: Units) -> str:
        """What it is, how thick, how long."""
        held = plan.frame.held
        z0, z1, _, _ = held.blank
        return f"{held.said(units)} × {show(z1 - z0, units=units)}"

    def told(self, motion: Motion, move: int, share: float) -> tuple[tuple[str, float, Kind], ...]:
        """X as a diameter; C where the spindle is an axis."""
        x, _, z = motion.at(move, share)
        if not motion.driver[move]:
            return (("X", 2 * x, Kind.LENGTH), ("Z", z, Kind.LENGTH))
        across, aside, c = _by_axes(motion, move, share)
        there = (("Y", aside, Kind.LENGTH),) if _goes_aside(motion, int(motion.tool[move])) else ()
        return (("X", 2 * across, Kind.LENGTH), *there, ("Z", z, Kind.LENGTH), ("C", math.degrees(c), Kind.ANGLE))

    def moment(self, session: Session, theme: Theme) -> LatheMoment:
        """The half section at the moment shown."""
        from bastler.ui.drawing.lathe.lathemoment import LatheMoment

        return LatheMoment(session, theme)

    def fits(self, picture: Picture) -> bool:
        """A half section."""
        return isinstance(picture, SectionPicture)

    def send_frame(self, pane: SolidPane) -> None:
        """The bar's bounds; jaws come with its mesh."""
        z0, z1, _, r = pane.session.plan.frame.held.blank
        pane.view.send("bounds", (z0, z1, -r, r, -r, r))
        pane.view.send("fixture", [], pane.theme.hatch)
        pane.view.send("axes", AXES_MM, pane.theme.ink)

    def send_raw(self, pane: SolidPane) -> None:
        """The raw bar."""
        from bastler.core.verify.revolved import scene_of

        plan = pane.session.plan
        held = plan.frame.held
        _send(pane, scene_of(plan.start.lathe.stock, [], _bodies(plan), None, len(HUES), held.prism))

    def send_stock(self, pane: SolidPane, checked: Checked, state: State) -> None:
        """A half section, with what has come off of it."""
        from bastler.core.verify.pictures import Carving
        from bastler.core.verify.revolved import carved_scene, scene_of
        from bastler.ui.drawing.lathe.lathemoment import parted

        plan = pane.session.plan
        cleared = [
            (pane.session.colours.slot(s.step.id), c.area)
            for s in plan.steps
            if s.step.on
            for c in s.cleared
            if not c.wanted and c.thread is None
        ]
        area = section(state)
        off = parted(checked.picture, area)
        if isinstance(state, Carving):
            _send(pane, carved_scene(state, cleared, _bodies(plan), pane.slots_of_moves(checked), len(HUES)))
        else:
            _send(pane, scene_of(area, cleared, _bodies(plan), off, len(HUES), plan.frame.held.prism))

    def pose(self, motion: Motion, move: int, share: float) -> Pose | None:
        """A driven tool, over the part that has swung by C."""
        if not motion.driver[move]:
            return None
        across, aside, c = _by_axes(motion, move, share)
        along = "X" if motion.axis[move, 2] > HALF else "Z"
        return Pose((motion.at(move, share)[2], -aside, across), along, math.degrees(c))

    def marker(self, at: Place) -> Place:
        """Along the spindle and up."""
        return (at[2], 0.0, at[0] / 2)

    def draw_part(self, scene: Renderer, plan: Plan, checked: Checked) -> None:
        """The turned part without its jaws."""
        import numpy as np

        from bastler.core.verify.mesh import RAW
        from bastler.core.verify.pictures import Carving
        from bastler.core.verify.revolved import carved_scene, scene_of

        picture = checked.section
        cleared = [
            ((s.number - 1) % len(HUES), c.area)
            for s in plan.cut
            for c in s.cleared
            if not c.wanted and c.thread is None
        ]
        z0, _, z1, r = picture.blank.bounds
        scene.set_bounds((z0, z1, -r, r, -r, r))
        state = picture.state
        if isinstance(state, Carving):
            slots = np.where(checked.step_of_move >= 0, checked.step_of_move % len(HUES), RAW).astype(np.int32)
            mesh = carved_scene(state, cleared, [], slots, len(HUES))
        else:
            mesh = scene_of(picture.stock, cleared, [], picture.fallen, len(HUES), picture.prism)
        scene.set_mesh(mesh, list(HUES), DAY.stock, DAY.accent_fill)


def _by_axes(motion: Motion, move: int, share: float) -> tuple[float, float, float]:
    """X (a radius), Y and C (radians) of the axes, not of the part, which has turned by C: beyond the axis X is below zero."""
    x, y, _ = motion.at(move, share)
    c = float(motion.c0[move] + (motion.c1[move] - motion.c0[move]) * share)
    return x * math.cos(c) + y * math.sin(c), y * math.cos(c) - x * math.sin(c), c


def _bodies(plan: Plan) -> list[Area]:
    """What holds the bar, as far as it is shown."""
    held = plan.frame.held
    near = box(held.blank[0] - JAWS_SHOWN_MM, 1e4, 0.0, 1e4)
    return [polygon(b.outline).intersection(near) for b in held.bodies]


def _goes_aside(motion: Motion, tool: int) -> bool:
    """Whether Y moves while a driven tool is in work: then it is read off all the time, and no row comes and goes."""
    import numpy as np

    mine = np.flatnonzero((motion.driver > 0) & (motion.tool == tool))
    (x, y, _), c = motion.end[mine].T, motion.c1[mine]
    return bool((np.abs(y * np.cos(c) - x * np.sin(c)) > AXES_MM).any())


def _send(pane: SolidPane, mesh: Mesh) -> None:
    t = pane.theme
    pane.view.send("mesh", mesh, [*HUES, t.hatch], t.stock, t.accent_fill)
