"""The sheet of a turned part: the half section as the selected step finds and leaves it, with the step's dimensions."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import shapely
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter

from bastler.core.geometry.halfsection import Area, clean
from bastler.core.geometry.path import SAME_MM
from bastler.core.marks import Distance, Mark
from bastler.core.plans.plan import StepPlan
from bastler.core.quantities import show
from bastler.ui.drawing import pens
from bastler.ui.drawing.dimensions import DimensionPainter, DimensionText
from bastler.ui.drawing.lathe.latheview import (
    area_path,
    extent,
    fitted,
    keep_axes,
    paint_across,
    paint_axes,
    paint_axis,
    paint_bodies,
    paint_cut,
    paint_flats,
    paint_part,
    paint_thread,
    paint_tool,
    side_of,
    threads_of,
)
from bastler.ui.drawing.lathe.milledsection import paint_milled
from bastler.ui.drawing.lathe.surfaceview import SPARE_PX, bounds_of, paint_surface, section_marks, two_views
from bastler.ui.drawing.projection import Projection
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import hue

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from bastler.ui.sheets.sheet import Sheet

TOP_PX, BOTTOM_PX, LEFT_PX, RIGHT_PX = 92.0, 54.0, 46.0, 120.0
MOST_PATHS = 20_000
AXES_PX = 52.0


def stock_after(sheet: Sheet, number: int) -> Area:
    """The half section once the steps up to a number are done."""
    plan = sheet.session.plan
    gone = [
        c.area
        for s in plan.steps
        if s.step.on and s.number <= number
        for c in s.cleared
        if not c.wanted and c.thread is None
    ]
    return (
        clean(shapely.difference(plan.start.lathe.stock, shapely.union_all(gone))) if gone else plan.start.lathe.stock
    )


def paint_turned(sheet: Sheet, p: QPainter) -> None:
    """The whole sheet: the half section, and beside it the surface that the step works on."""
    plan, step = sheet.session.plan, sheet.subject()
    held = plan.frame.held
    margin = (LEFT_PX, TOP_PX, RIGHT_PX, BOTTOM_PX) if sheet.with_dimensions else (20.0, 20.0, 20.0, 20.0)
    area = QRectF(margin[0], margin[1], sheet.width() - margin[0] - margin[2], sheet.height() - margin[1] - margin[3])
    surface, own = step if step is not None and step.surfaces else None, None
    room = None
    if surface is not None:
        spare = SPARE_PX if sheet.with_dimensions and surface.surfaces[0].on == "end" else 0.0
        both = two_views(surface, held, area.adjusted(-spare, 0.0, spare, 0.0))
        room = both.of_section
        view = sheet.looked(both.section, both.section_area, "zr")
        own = sheet.looked(both.surface, both.surface_area, "uv")
    else:
        view = sheet.looked(fitted(held, area), area, "zr")
    sheet._top, sheet._front = (view, None) if own is None else (own, view)
    z0, z1, _, _ = extent(held)
    number = step.number if step is not None and step.step.on else len(plan.steps)
    stock = stock_after(sheet, number)
    _half_section(sheet, p, view, step, stock, number, room)
    frame = sheet.frame_of(view, (z0, z1, -held.blank[3], held.blank[3]))
    if sheet.closer == 1.0 and own is None:
        frame = frame.adjusted(0, 0, AXES_PX, 0)
    for side in (1.0, -1.0):
        sheet.texts.edge(area_path(view, stock, side))
    keep_axes(sheet.texts, view)
    marks, words = sheet._marks(step), sheet._words(step)
    if surface is not None and own is not None:
        paint_surface(sheet, p, own, surface, stock, marks, words)
    if sheet.with_dimensions:
        of_section = section_marks(marks, surface.surfaces[0]) if surface is not None else _with_diameters(marks, words)
        _section_dimensions(sheet, p, view, frame, of_section, words)
    with sheet.clipped(p, view):
        paint_axes(p, view, sheet.theme)
    sheet._readout(p)


def _half_section(
    sheet: Sheet, p: QPainter, view: Projection, step: StepPlan | None, stock: Area, number: int, room: QRectF | None
) -> None:
    """The metal with what holds it, once the steps up to a number are done; its paths in their own ``room``, if there is another view."""
    plan, t = sheet.session.plan, sheet.theme
    held = plan.frame.held
    z0, z1, _, high = extent(held)
    p.save()
    shown = QRectF(view.at((z0, high)), view.at((z1 + 1e3, -high))).adjusted(-4, -60, 0, 60)
    window = sheet.window_of(view)
    p.setClipRect(shown if window is None else shown.intersected(window))
    paint_bodies(p, view, t, held)
    paint_part(p, view, t, stock, plan.start.lathe.stock)
    paint_flats(p, view, t, stock, held.prism)
    for one in plan.steps:
        if one.step.on and one.number <= number:
            for thread in threads_of(one):
                paint_thread(p, view, t, thread)
    for one in plan.steps:
        if one.step.on and one.number <= number:
            mine = one is step
            fill = pens.tint(hue(sheet.session.colours.slot(one.step.id)), 0.5) if mine else pens.tint(t.paper, 1.0)
            paint_milled(p, view, t, one, stock, fill)
    if step is not None and step.step.on:
        for c in step.cleared:
            if c.thread is None:
                paint_cut(p, view, c.area, sheet.session.colours.slot(step.step.id), strong=not c.wanted)
    p.restore()
    with sheet.clipped(p, view):
        paint_axis(p, view, t, z0, z1)
        if sheet.paths is not None:
            if room is not None and sheet.closer == 1.0:
                p.setClipRect(room)
            _paths(sheet, p, view, step)
            if sheet.closer == 1.0:
                p.setClipping(False)


def _with_diameters(marks: list[Mark], words: DimensionText) -> list[Distance]:
    """Dimensions of a turned shape; those across the axis are diameters."""
    found = [m for m in marks if isinstance(m, Distance)]
    for mark in found:
        if (
            mark.angle % 180 == 90
            and mark.field in words.text
            and mark.field not in words.missing
            and "Ø" not in words.text[mark.field]
        ):
            words.text[mark.field] = "Ø" + words.text[mark.field]
    return found


def _section_dimensions(
    sheet: Sheet, p: QPainter, view: Projection, frame: QRectF, marks: list[Distance], words: DimensionText
) -> None:
    """The dimensions of the half section, and the bar in words."""
    held, units = sheet.session.plan.frame.held, sheet.session.job.units
    caption = f"{held.said(units)}, {show(held.blank[1], units=units)} in front of zero"
    half = QFontMetricsF(font()).horizontalAdvance(caption) / 2
    place = QPointF(sheet.width() - half - 18.0, sheet.height() - 22.0)
    sheet.texts.write(p, caption, place, sheet.theme.soft_ink, font())
    painter = DimensionPainter(sheet, p, view, frame, words)
    painter.distances([(m, side_of(m)) for m in marks if math.dist(m.a, m.b) > SAME_MM or m.field in words.missing])
    sheet.tags += painter.tags


def paint_bar(sheet: Sheet, p: QPainter, view: Projection) -> None:
    """The bar with what holds it, behind a contour."""
    held, t = sheet.session.plan.frame.held, sheet.theme
    paint_bodies(p, view, t, held)
    z0, z1, hole, r = held.blank
    p.setPen(pens.thin(t.soft_ink))
    p.setBrush(pens.tint(t.stock, 0.3))
    for side in (1.0, -1.0):
        p.drawRect(view.rect(z0, z1, *sorted((side * hole, side * r))))
    paint_axis(p, view, t, *extent(held)[:2])


def _paths(sheet: Sheet, p: QPainter, view: Projection, step: StepPlan | None) -> None:
    """The way of each tool's reference point: feed solid, rapid in thin dashes; the tool at the end of the selected step."""
    from bastler.core.gcode.motion import ARC, FEED, RAPID, THREAD

    checked = sheet.session.checked
    if checked is None:
        return
    m = checked.motion
    for i in range(min(len(m), MOST_PATHS)):
        owner = int(checked.step_of_move[i])
        mine = step is not None and owner == step.number - 1
        if m.kind[i] not in (FEED, ARC, RAPID, THREAD) or not mine:
            continue
        points = [view.at(_in_plane(q, bool(m.driver[i]))) for q in m.chords(i, 0.02)]
        rapid = m.kind[i] == RAPID
        p.setPen(
            pens.pen(pens.tint(sheet.theme.soft_ink, 0.9), 1.0, [4, 5])
            if rapid
            else pens.pen(QColor(hue(sheet.session.colours.slot(checked.step_ids[owner]))).darker(150), 1.6)
        )
        for a, b in zip(points, points[1:], strict=False):
            p.drawLine(a, b)
    if step is not None and step.tool is not None:
        own = [
            i for i in range(len(m)) if checked.step_of_move[i] == step.number - 1 and m.kind[i] in (FEED, ARC, THREAD)
        ]
        if own:
            last = own[-1]
            paint = paint_across if step.tool.driven == "across" else paint_tool
            paint(p, view, sheet.theme, step.tool, _in_plane(m.end[last], bool(m.driver[last])))


def _in_plane(place: NDArray[np.float64], driven: bool) -> tuple[float, float]:
    """A place of the motion in the half section, (z, r): a driven tool's in the plane that it works in."""
    x, y, z = map(float, place)
    return (z, math.hypot(x, y) if driven else x)


def reading(sheet: Sheet, at: QPointF) -> str:
    """X as a diameter and Z under the cursor; X and Y on a surface."""
    view = sheet._top if sheet._front is None else sheet._front
    if view is None or sheet._top is None:
        return ""
    units = sheet.session.job.units
    digits = 2 if units == "mm" else 3
    step = sheet.subject()
    if sheet._front is not None and step is not None and sheet._top.rect(*bounds_of(step)).contains(at):
        x, y = sheet._top.back(at)
        return f"X {show(x, units=units, digits=digits)}   Y {show(y, units=units, digits=digits)}"
    z, r = view.back(at)
    return f"X {show(2 * abs(r), units=units, digits=digits)}   Z {show(z, units=units, digits=digits)}"


def step_at(sheet: Sheet, at: QPointF) -> str | None:
    """The last step that cuts what is under the cursor."""
    view = sheet._top if sheet._front is None else sheet._front
    if view is None:
        return None
    z, r = view.back(at)
    spot = shapely.Point(z, abs(r))
    for one in reversed(sheet.session.plan.steps):
        if any(not c.wanted and shapely.contains(c.area, spot) for c in one.cleared):
            return one.step.id
    return None
