"""A surface of a turned part as one looks at it: the end face, or the outside with Z to the right."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, NamedTuple

import shapely
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPainterPath

from bastler.core.geometry.halfsection import Area
from bastler.core.geometry.surface import Surface
from bastler.core.job.held import Chucking
from bastler.core.marks import Distance, Mark
from bastler.core.plans.plan import StepPlan
from bastler.core.quantities import Kind, show
from bastler.ui.drawing import pens
from bastler.ui.drawing.features import paint_crosses, paint_dimensions, paint_outlines
from bastler.ui.drawing.lathe.latheview import area_path, edges_of, extent, open_path, seen_outside
from bastler.ui.drawing.projection import Projection
from bastler.ui.theme.style import font

if TYPE_CHECKING:
    from bastler.ui.drawing.dimensions import DimensionText
    from bastler.ui.sheets.sheet import Sheet

DEGREES = (15.0, 30.0, 45.0, 90.0, 180.0, 360.0)
LEAST_STEP_PX, DEGREE_PX = 26.0, 8.0
"""Lines of C are at least so far apart, and their angles stand so far beside them."""
CAPTION_PX, MARGIN_PX = 14.0, 18.0
C_MARK_PX, TIER_PX = 16.0, 36.0
UNDER = ("centre_x", "first_x")
"""Dimensions that stand under a view."""
GAP_PX, BELOW_PX = 84.0, 64.0
"""Between the two views, for their dimensions."""
SPARE_PX, FAR_PX = 26.0, 1e4
"""Of the room on either side that two views beside each other don't need."""
SEEN_SHARE = 1.3
"""So much beyond the bar's radius is seen of what holds it."""


def bounds_of(step: StepPlan) -> tuple[float, float, float, float]:
    """The surface's extent in its own X and Y."""
    return step.work.block.bounds


class TwoViews(NamedTuple):
    """The half section and the surface, in one scale and in line as on a drawing: an end face beside it, an outside below it."""

    section: Projection
    section_area: QRectF
    surface: Projection
    surface_area: QRectF

    @property
    def of_section(self) -> QRectF:
        """The part of the paper that is the half section's: what lies far off, as the way to the tool change, isn't drawn over the other view."""
        far = QRectF(-FAR_PX, -FAR_PX, 2 * FAR_PX, 2 * FAR_PX)
        if self.surface_area.left() > self.section_area.right():
            far.setRight((self.section_area.right() + self.surface_area.left()) / 2)
        else:
            far.setBottom((self.section_area.bottom() + self.surface_area.top()) / 2)
        return far


def two_views(step: StepPlan, held: Chucking, area: QRectF) -> TwoViews:
    """Both as large as they fit into ``area``."""
    z0, z1, _, _ = extent(held)
    r = SEEN_SHARE * held.blank[3]
    x0, x1, y0, y1 = bounds_of(step)
    x0 = x0 if step.surfaces[0].on == "end" else max(x0, z0)
    beside = step.surfaces[0].on == "end"
    if beside:
        wide, high = z1 - z0 + x1 - x0, 2 * r
        scale = min((area.width() - GAP_PX) / wide, area.height() / high)
    else:
        wide, high = z1 - z0, 2 * r + y1 - y0
        scale = min(area.width() / wide, (area.height() - BELOW_PX) / high)
    left = area.left() + (area.width() - wide * scale - (GAP_PX if beside else 0.0)) / 2
    top = area.top() + (area.height() - high * scale - (0.0 if beside else BELOW_PX)) / 2
    upper = QRectF(left, top, (z1 - z0) * scale, 2 * r * scale)
    section = Projection(z0, -r, upper.left(), upper.bottom(), scale)
    if beside:
        middle = upper.center().y() + (y0 + y1) / 2 * scale
        own = QRectF(upper.right() + GAP_PX, middle - (y1 - y0) / 2 * scale, (x1 - x0) * scale, (y1 - y0) * scale)
    else:
        own = QRectF(section.at((x0, 0.0)).x(), upper.bottom() + BELOW_PX, (x1 - x0) * scale, (y1 - y0) * scale)
    return TwoViews(section, upper, Projection(x0, y0, own.left(), own.bottom(), scale), own)


def paint_surface(
    sheet: Sheet, p: QPainter, view: Projection, step: StepPlan, stock: Area, marks: list[Mark], words: DimensionText
) -> None:
    """The view onto the surface, with the step's dimensions."""
    t, surface, box = sheet.theme, step.surfaces[0], bounds_of(step)
    with sheet.clipped(p, view):
        if surface.on == "end":
            _face(sheet, p, view, stock)
        elif surface.on == "unrolled":
            _unrolled(sheet, p, view, surface, stock)
        else:
            _outside(sheet, p, view, stock)
        centres: set[tuple[float, float]] = set()
        for one in sheet.session.plan.steps:
            if one.step.on and surface in one.surfaces and one.number <= step.number:
                paint_outlines(sheet, p, view, one, centres, box, selected=one is step)
        paint_crosses(sheet, p, view, marks)
    frame = sheet.frame_of(view, box)
    if sheet.with_dimensions:
        caption = caption_of(sheet, step)
        half = QFontMetricsF(font()).horizontalAdvance(caption) / 2
        # Dimensions stand above both, and of an outside to the right.
        measured = any(isinstance(m, Distance) and m.field in UNDER and words.text.get(m.field) for m in marks)
        under = QPointF(frame.center().x(), frame.bottom() + C_MARK_PX + CAPTION_PX + (TIER_PX if measured else 0.0))
        over = QPointF(sheet.rect().left() + MARGIN_PX + half, frame.top() - CAPTION_PX)
        sheet.texts.write(p, caption, under if surface.on == "end" else over, t.soft_ink, font())
        paint_dimensions(sheet, p, view, frame, marks, words)
    pens.zero_mark(p, view.at((0.0, 0.0)), t.ink, t.paper, 7)


def caption_of(sheet: Sheet, step: StepPlan) -> str:
    """What is seen, in words."""
    surface, count = step.surfaces[0], len(step.surfaces)
    if surface.on == "end":
        return "End face, C 0 to the right"
    units = sheet.session.job.units
    if surface.on == "unrolled":
        wide = show(2 * surface.distance, units=units)
        return f"Unrolled at Ø{wide}, C {show(surface.angle, Kind.ANGLE)} in the middle" + (
            f", {count} times round" if count > 1 else ""
        )
    where = f"Outside at C {show(surface.angle, Kind.ANGLE)}"
    flat = f", {show(surface.distance, units=units)} from the axis" if surface.on == "flat" else ""
    return f"{where}{flat}" + (f", {count} times round" if count > 1 else "")


def _face(sheet: Sheet, p: QPainter, view: Projection, stock: Area) -> None:
    """Circles that are seen from the front: outside, bores, shoulders; and where C is 0."""
    t = sheet.theme
    if stock.is_empty:
        return
    radii = sorted({round(float(r), 3) for z, r in _front_points(stock)}, reverse=True)
    for k, r in enumerate(radii):
        path = QPainterPath()
        path.addEllipse(view.at((0.0, 0.0)), r * view.scale, r * view.scale)
        p.setPen(pens.edge(t.ink) if k == 0 else pens.pen(t.ink, 1.4))
        p.setBrush(pens.tint(t.stock, 0.35) if k == 0 else Qt.BrushStyle.NoBrush)
        p.drawPath(path)
        sheet.texts.edge(path)
    reach = (radii[0] if radii else 1.0) * view.scale + C_MARK_PX
    middle = view.at((0.0, 0.0))
    p.setPen(pens.chain(t.soft_ink))
    p.drawLine(middle - QPointF(reach, 0), middle + QPointF(reach, 0))
    p.drawLine(middle - QPointF(0, reach), middle + QPointF(0, reach))


def _front_points(stock: Area) -> list[tuple[float, float]]:
    """Corners of the outline that are seen from the front."""
    found: list[tuple[float, float]] = []
    highest = 0.0
    corners = [c for one in shapely.get_parts(stock) for c in one.exterior.simplify(0.02).coords]
    for z, r in sorted(corners, reverse=True):
        if r > highest + 1e-6 or (not found and r > 1e-6):
            found.append((z, r))
            highest = max(highest, r)
    front = float(stock.bounds[2])
    inner = [r for z, r in corners if abs(z - front) < 1e-6 and 1e-6 < r < highest]
    return [*found, *((front, r) for r in inner)]


def _outside(sheet: Sheet, p: QPainter, view: Projection, stock: Area) -> None:
    """The part from outside, Z to the right."""
    t, outside = sheet.theme, seen_outside(stock)
    for side in (1.0, -1.0):
        path = area_path(view, outside, side)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(pens.tint(t.stock, 0.35))
        p.drawPath(path)
        p.setPen(pens.edge(t.ink))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPath(open_path(view, outside, side))
        sheet.texts.edge(path)
    p.setPen(pens.pen(t.ink, 1.4))
    for z, r in edges_of(outside):
        p.drawLine(view.at((z, -r)), view.at((z, r)))
    z0, _, z1, _ = stock.bounds if not stock.is_empty else (0.0, 0.0, 1.0, 1.0)
    p.setPen(pens.chain(t.soft_ink))
    p.drawLine(view.at((z0, 0.0)) - QPointF(C_MARK_PX, 0), view.at((z1, 0.0)) + QPointF(C_MARK_PX, 0))


def _unrolled(sheet: Sheet, p: QPainter, view: Projection, surface: Surface, stock: Area) -> None:
    """The round side as a sheet, with the angles of C beside it."""
    t, half = sheet.theme, math.pi * surface.distance
    if stock.is_empty:
        return
    z0, _, z1, _ = stock.bounds
    box = QRectF(view.at((z0, half)), view.at((z1, -half))).normalized()
    p.setPen(pens.edge(t.ink))
    p.setBrush(pens.tint(t.stock, 0.35))
    p.drawRect(box)
    path = QPainterPath()
    path.addRect(box)
    sheet.texts.edge(path)
    step = next(d for d in DEGREES if 2 * half * view.scale * d / 360.0 >= LEAST_STEP_PX)
    for k in range(math.floor((surface.angle - 180.0) / step) + 1, math.ceil((surface.angle + 180.0) / step)):
        p.setPen(pens.chain(t.soft_ink))
        at = view.at((z0, math.radians(surface.angle - k * step) * surface.distance))
        p.drawLine(at, QPointF(box.right(), at.y()))
        text = f"{show(k * step % 360.0, Kind.ANGLE)}°"
        wide = QFontMetricsF(font()).horizontalAdvance(text)
        sheet.texts.write(p, text, QPointF(box.left() + wide / 2 + DEGREE_PX, at.y() - DEGREE_PX), t.soft_ink, font())


def section_marks(marks: list[Mark], surface: Surface) -> list[Distance]:
    """Depths of a step on a surface, where they are in the half section."""
    found = []
    for m in marks:
        if isinstance(m, Distance) and m.view == "section":
            a, b = (_in_section(q, surface) for q in (m.a, m.b))
            found.append(Distance(m.field, a, b, 0.0 if surface.on == "end" else 90.0, "section"))
    return found


def _in_section(q: tuple[float, float], surface: Surface) -> tuple[float, float]:
    return (q[1], q[0]) if surface.on == "end" else (q[0], surface.distance + q[1])
