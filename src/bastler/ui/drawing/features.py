"""Features as one looks at the surface that they are cut into: outlines in the colours of their steps, crosses, numbers of holes, dimensions."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath

from bastler.core.geometry.shapes import Bounds, Removal, RoundHole
from bastler.core.geometry.track import Track
from bastler.core.marks import Angle, CentreCross, Distance, HoleSpot, Mark, PitchCircle, Radius, Sign
from bastler.core.plans.plan import StepPlan
from bastler.ui.drawing import pens
from bastler.ui.drawing.dimensions import DimensionPainter, DimensionText
from bastler.ui.drawing.projection import Projection
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import hue

if TYPE_CHECKING:
    from bastler.ui.sheets.sheet import Sheet

PART_FIELD = ""
MOST_NUMBERS = 60
NARROW_PX = 9.0


def paint_outlines(
    sheet: Sheet,
    p: QPainter,
    view: Projection,
    one: StepPlan,
    seen: set[tuple[float, float]],
    whole_part: Bounds,
    *,
    selected: bool,
) -> None:
    """What a step takes; ``seen``: middles of holes that steps before have drawn; ``whole_part``: the surface, for what covers all of it."""
    colour = hue(sheet.session.colours.slot(one.step.id))
    covers_all = [r for r in one.removals if r.covers(whole_part)]
    for removal in one.removals:
        if removal.wanted:
            continue
        whole = removal in covers_all
        p.setBrush(pens.tint(colour, (0.10 if whole else 0.42) if selected else (0.0 if whole else 0.20)))
        dash = not one.answers.complete
        within = isinstance(removal, RoundHole) and removal.centre in seen
        if isinstance(removal, RoundHole):
            seen.add(removal.centre)
        p.setPen(
            Qt.PenStyle.NoPen
            if whole and not selected
            else pens.dashed(colour)
            if dash
            else pens.thin(sheet.theme.ink)
            if within or _is_narrow(removal, view)
            else pens.edge(sheet.theme.ink)
            if not whole
            else pens.pen(colour, 2)
        )
        path = QPainterPath()
        for outline in removal.outlines():
            path.addPath(view.path(outline))
        path.setFillRule(Qt.FillRule.OddEvenFill)
        p.drawPath(path)
        if not whole:
            sheet.texts.edge(path)


def _is_narrow(removal: Removal, view: Projection) -> bool:
    """Strokes so thin that a thick edge would fill them."""
    return isinstance(removal, Track) and 2 * removal.profile.radius * view.scale < NARROW_PX


def paint_crosses(sheet: Sheet, p: QPainter, view: Projection, marks: list[Mark]) -> None:
    """Centre lines and pitch circles."""
    for mark in marks:
        if isinstance(mark, CentreCross):
            _cross(sheet, p, view, mark)
        elif isinstance(mark, PitchCircle):
            p.setPen(pens.chain(sheet.theme.soft_ink))
            p.setBrush(Qt.BrushStyle.NoBrush)
            r = mark.radius * view.scale
            p.drawEllipse(view.at(mark.centre), r, r)


def _cross(sheet: Sheet, p: QPainter, view: Projection, mark: CentreCross) -> None:
    p.save()
    p.setPen(pens.chain(sheet.theme.soft_ink))
    p.translate(view.at(mark.centre))
    p.rotate(-mark.angle)
    a, b = mark.reach[0] * view.scale, mark.reach[1] * view.scale
    p.drawLine(QLineF(-a, 0, a, 0))
    p.drawLine(QLineF(0, -b, 0, b))
    p.restore()


def paint_dimensions(
    sheet: Sheet, p: QPainter, view: Projection, frame: QRectF, marks: list[Mark], words: DimensionText
) -> DimensionPainter:
    """The dimensions of a step as one looks at its surface."""
    words.text[PART_FIELD] = ""
    painter = DimensionPainter(sheet, p, view, frame, words)
    placed: list[tuple[Distance, str]] = []
    for mark in marks:
        if isinstance(mark, Distance) and mark.view == "top":
            if abs(mark.a[0] - mark.b[0]) + abs(mark.a[1] - mark.b[1]) < 1e-6 and mark.field not in words.missing:
                continue
            side = {0.0: "top", 90.0: "right"}.get(mark.angle % 180, "beside")
            if mark.field in ("centre_x", "first_x"):
                side = "bottom"
            elif mark.field in ("centre_y", "first_y"):
                side = "left"
            placed.append((mark, side))
    painter.distances(placed)
    sheet._spots = [m for m in marks if isinstance(m, HoleSpot)]
    for spot in sheet._spots:
        _hole_spot(sheet, p, view, spot)
    for mark in marks:
        if isinstance(mark, Sign) and mark.view == "top":
            painter.sign(mark, small=mark.text.isdigit())
    for mark in marks:
        if isinstance(mark, Radius):
            painter.radius(mark)
        elif isinstance(mark, Angle):
            painter.angle(mark)
    sheet.tags += painter.tags
    return painter


def _hole_spot(sheet: Sheet, p: QPainter, view: Projection, spot: HoleSpot) -> None:
    """A hole's number beside it; one left out is crossed."""
    t, at, r = sheet.theme, view.at(spot.at), max(spot.radius * view.scale, 4.0)
    window = sheet.window_of(view)
    if window is not None and not window.contains(at):
        return
    if spot.skipped:
        p.setPen(pens.thin(t.soft_ink))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawEllipse(at, r, r)
        p.drawLine(QLineF(at.x() - r, at.y() - r, at.x() + r, at.y() + r))
        p.drawLine(QLineF(at.x() - r, at.y() + r, at.x() + r, at.y() - r))
    if len(sheet._spots) > MOST_NUMBERS:
        return
    ink = t.accent if sheet.focus_field == "skip" else t.soft_ink
    corners = [at + QPointF(x * (r * 0.75 + 9), y * (r * 0.75 + 9)) for x, y in ((1, -1), (1, 1), (-1, 1), (-1, -1))]
    sheet.texts.write(p, str(spot.number), corners[0], ink, font(), corners[1:])
