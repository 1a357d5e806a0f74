"""The half section at the moment of the replay, with the tool where it is."""

from __future__ import annotations

import bisect
import math

from PyQt6.QtCore import QRectF, QSize
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from bastler.core.findings import Finding
from bastler.core.gcode.motion import BAR
from bastler.core.geometry.halfsection import Area
from bastler.core.verify.pictures import Picture, SectionPicture
from bastler.ui.drawing import pens
from bastler.ui.drawing.lathe.latheview import (
    extent,
    paint_across,
    paint_axis,
    paint_bodies,
    paint_flats,
    paint_part,
    paint_thread,
    paint_tool,
    threads_of,
)
from bastler.ui.drawing.lathe.milledsection import paint_milled
from bastler.ui.drawing.projection import Projection
from bastler.ui.session import Session
from bastler.ui.theme.tokens import DAY, Theme

CLOSEST, STEP = 24.0, 1.25
PARTED_OPACITY = 0.45


def parted(picture: Picture | None, stock: Area) -> Area | None:
    """What has come off the stock by the moment that it is shown at; ``None`` while nothing has."""
    if not isinstance(picture, SectionPicture) or picture.fallen.is_empty:
        return None
    fallen = picture.fallen
    return fallen if stock.intersection(fallen).area < 0.5 * fallen.area else None


class LatheMoment(QWidget):
    """Stock, jaws and tool true to scale; the wheel comes closer to the tool's tip."""

    def __init__(self, session: Session, theme: Theme = DAY, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.theme = session, theme
        self.stock: Area | None = None
        self.tool: int = 0
        self.at: tuple[float, float, float] | None = None
        self.marker: tuple[float, float, float] | None = None
        self.zoom = 1.0
        self.setMinimumSize(QSize(300, 200))
        self.setAccessibleName("Section of the part at this moment; the wheel comes closer to the tool's tip")

    def show_moment(self, tool: int, at: tuple[float, float, float]) -> None:
        """The tool by number, at a place of the part; the section is the one that it works in."""
        self.tool, self.at = tool, (math.hypot(at[0], at[1]) if at[1] else at[0], 0.0, at[2])
        self.update()

    def show_stock(self, stock: Area) -> None:
        """The half section."""
        self.stock = stock
        self.update()

    def show_finding(self, finding: Finding | None) -> None:
        """Where a finding is."""
        self.marker = finding.at if finding is not None else None
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Closer, or farther."""
        assert event is not None
        by = STEP if event.angleDelta().y() > 0 else 1 / STEP
        self.zoom = min(max(self.zoom * by, 1.0), CLOSEST)
        self.update()

    def _view(self) -> Projection:
        held = self.session.plan.frame.held
        z0, z1, low, high = extent(held)
        area = QRectF(24, 24, self.width() - 48, self.height() - 48)
        view = Projection.fit((z0, z1 + 20.0, low - 8.0, high + 8.0), area)
        if self.zoom > 1.0 and self.at is not None:
            scale = view.scale * self.zoom
            middle = self.rect().center()
            return Projection(self.at[2], self.at[0], float(middle.x()), float(middle.y()), scale)
        return view

    def paintEvent(self, _: QPaintEvent | None) -> None:
        p, t, plan = QPainter(self), self.theme, self.session.plan
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), QColor(t.paper))
        if self.stock is None:
            return
        held = plan.frame.held
        view = self._view()
        paint_bodies(p, view, t, held)
        checked = self.session.checked
        off = parted(checked.picture if checked is not None else None, self.stock)
        if off is not None:
            p.setOpacity(PARTED_OPACITY)
            paint_part(p, view, t, off)
            self._milled(p, view, off)
            p.setOpacity(1.0)
        paint_part(p, view, t, self.stock)
        self._milled(p, view, self.stock)
        paint_flats(p, view, t, self.stock, held.prism)
        if checked is not None and self.at is not None:
            now = self._step_now()
            for one in plan.steps:
                if one.number - 1 <= now:
                    for thread in threads_of(one):
                        paint_thread(p, view, t, thread)
        paint_axis(p, view, t, extent(held)[0], extent(held)[1] + 20.0)
        known = plan.tools.get(self.tool)
        if known is not None and self.at is not None:
            paint = paint_across if known.driven == "across" else paint_tool
            paint(p, view, t, known, (self.at[2], self.at[0]))
        if self.marker is not None:
            spot = view.at((self.marker[2], self.marker[0] / 2))
            p.setPen(pens.pen(t.stop, 2.4))
            p.setBrush(pens.tint(t.stop, 0.2))
            p.drawEllipse(spot, 11.0, 11.0)
        p.end()

    def _milled(self, p: QPainter, view: Projection, metal: Area) -> None:
        """What driven tools took of it in the steps before this moment's."""
        if self.session.checked is None or self.at is None:
            return
        now = self._step_now()
        for one in self.session.plan.steps:
            if one.step.on and one.number - 1 < now:
                paint_milled(p, view, self.theme, one, metal, pens.tint(self.theme.paper, 1.0))

    def _step_now(self) -> int:
        """The index of the last step that the piece at the moment shown has seen."""
        checked = self.session.checked
        assert checked is not None
        move = min(bisect.bisect_left(checked.clock, self.session.time), len(checked.clock) - 1)
        fed = checked.motion.kind[: move + 1] == BAR
        first = int(fed.nonzero()[0][-1]) + 1 if fed.any() else 0
        return int(checked.step_of_move[first : move + 1].max(initial=-1))
