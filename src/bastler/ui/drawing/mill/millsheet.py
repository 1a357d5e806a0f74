"""A milled part on the sheet: top view above, section through the selected step below, one scale for both."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPainterPath, QPolygonF

from bastler.core.geometry.cutaway import Profile, between, profile
from bastler.core.geometry.shapes import height_at
from bastler.core.marks import Distance, Mark, SectionAt
from bastler.core.plans.plan import StepPlan
from bastler.core.quantities import drawn, show
from bastler.ui.drawing import pens
from bastler.ui.drawing.dimensions import DimensionPainter, DimensionText
from bastler.ui.drawing.features import paint_crosses, paint_dimensions, paint_outlines
from bastler.ui.drawing.projection import Projection
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import hue

if TYPE_CHECKING:
    from bastler.ui.sheets.sheet import Sheet

TOP_PX, BOTTOM_PX, LEFT_PX, RIGHT_PX = 66.0, 88.0, 78.0, 96.0
SECTION_GAP_PX = 30.0
PART_FIELD = ""
MOST_NUMBERS = 60
ZERO_PX = 9.0


def paint_milled(sheet: Sheet, painter: QPainter) -> None:
    """Both views with the dimensions of the selected step."""
    step = sheet.subject()
    plan = sheet.session.plan
    block = plan.frame.block
    length, width, height = block.size
    margin_x = LEFT_PX + RIGHT_PX if sheet.with_dimensions else 40.0
    margin_y = TOP_PX + BOTTOM_PX if sheet.with_dimensions else 40.0
    gap = SECTION_GAP_PX + 30 if sheet.with_section else 0.0
    section_share = height if sheet.with_section else 0.0
    scale = max(
        min((sheet.width() - margin_x) / length, (sheet.height() - margin_y - gap) / (width + section_share)), 0.05
    )
    left = LEFT_PX if sheet.with_dimensions else 20.0
    area_width = sheet.width() - margin_x
    used = width * scale + gap + section_share * scale
    top_y = (TOP_PX if sheet.with_dimensions else 20.0) + max(sheet.height() - margin_y - used, 0) * 0.4
    top_area = QRectF(left, top_y, area_width, width * scale)
    room = sheet.height() - (34.0 if sheet.with_dimensions else 20.0) - section_share * scale - gap
    pane = QRectF(left, min(top_y, TOP_PX), area_width, max(room - min(top_y, TOP_PX), top_area.height()))
    sheet._top = top = sheet.looked(Projection.fit(block.bounds, top_area, scale), pane)
    marks = sheet._marks(step)
    words = sheet._words(step)
    frame = sheet.frame_of(top, block.bounds)
    with sheet.clipped(painter, top):
        _top_view(sheet, painter, top, step, marks)
        if sheet.paths is not None:
            sheet.paths.paint(painter, top, sheet.theme, sheet.session)
    if sheet.with_dimensions:
        _top_dimensions(sheet, painter, top, frame, marks, words)
    if sheet.with_section:
        area = QRectF(
            left,
            sheet.height() - (34.0 if sheet.with_dimensions else 20.0) - height * scale,
            area_width,
            height * scale,
        )
        front = Projection.fit((block.x0, block.x1, block.z0, block.z1), area, scale)
        sheet._front = sheet.looked(front, area, "xz")
        _section(sheet, painter, sheet._front, step, marks, words)
    else:
        sheet._front = None
    if sheet.measure is not None:
        sheet.measure.paint(painter, top, sheet.theme)
    sheet._readout(painter)
    with sheet.clipped(painter, top):
        pens.zero_mark(painter, top.at((0.0, 0.0)), sheet.theme.ink, sheet.theme.paper)


def _top_view(sheet: Sheet, p: QPainter, view: Projection, step: StepPlan | None, marks: list[Mark]) -> None:
    t, plan = sheet.theme, sheet.session.plan
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(pens.dashed(t.soft_ink))
    frame = plan.frame
    if frame.round:
        piece = frame.pieces[0]
        outlines = [piece.outline.outlines()[0], *([piece.hole.outlines()[0]] if piece.hole is not None else [])]
        edges = [view.path(one) for one in outlines]
    else:
        p.drawRect(view.rect(*frame.block.bounds))
        edges = [QPainterPath()]
        edges[0].addRect(view.rect(*frame.part.bounds))
    p.setPen(pens.edge(t.ink))
    for edge in edges:
        p.drawPath(edge)
    sheet.texts.edges(edges)
    sheet.texts.keep_round(view.at((0.0, 0.0)), ZERO_PX)
    p.save()
    p.setClipRect(view.rect(*plan.frame.block.bounds).adjusted(-2, -2, 2, 2), Qt.ClipOperation.IntersectClip)
    p.setPen(pens.thin(t.ink))
    p.setBrush(Qt.BrushStyle.NoBrush)
    for gone in plan.start.done:
        for outline in gone.outlines():
            p.drawPath(view.path(outline))
    centres: set[tuple[float, float]] = set()
    for one in plan.steps:
        if one.step.on:
            paint_outlines(sheet, p, view, one, centres, plan.frame.part.bounds, selected=one is step)
    p.restore()
    paint_crosses(sheet, p, view, marks)


def _top_dimensions(
    sheet: Sheet, p: QPainter, view: Projection, frame: QRectF, marks: list[Mark], words: DimensionText
) -> None:
    part = sheet.session.plan.frame.part
    painter = paint_dimensions(sheet, p, view, frame, marks, words)
    units = sheet.session.job.units
    overall = DimensionPainter(sheet, p, view, frame, DimensionText({}, "none", frozenset()))
    overall.after(painter)
    for text, mark, side in (
        (drawn(part.size[0], units), Distance("", (part.x0, part.y0), (part.x1, part.y0)), "bottom"),
        (drawn(part.size[1], units), Distance("", (part.x1, part.y0), (part.x1, part.y1), 90.0), "right"),
    ):
        overall.words.text[""] = text
        overall.distances([(mark, side)])


# the section


def _section(
    sheet: Sheet, p: QPainter, view: Projection, step: StepPlan | None, marks: list[Mark], words: DimensionText
) -> None:
    t, plan = sheet.theme, sheet.session.plan
    block = plan.frame.block
    y = next((m.y for m in marks if isinstance(m, SectionAt)), (plan.frame.part.y0 + plan.frame.part.y1) / 2)
    y = min(max(y, block.y0 + 1e-6), block.y1 - 1e-6)
    before = list(plan.start.done)
    before += [r for s in plan.steps if s.step.on and (step is None or s.number < step.number) for r in s.removals]
    mine = list(step.removals) if step is not None and step.step.on else []
    old, new = profile(block, before, y), profile(block, before + mine, y)
    with sheet.clipped(p, view):
        p.setPen(pens.dashed(t.soft_ink))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(view.rect(block.x0, block.x1, block.z0, block.z1))
        if step is not None and mine:
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(pens.tint(hue(sheet.session.colours.slot(step.step.id)), 0.45))
            p.drawPath(_band(sheet, view, new, old))
        solid = _band(sheet, view, [(block.x0, block.z0), (block.x1, block.z0)], new)
        p.setBrush(QColor(t.well))
        p.drawPath(solid)
        pens.hatch(p, solid, t.hatch)
        p.setPen(pens.edge(t.ink))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPath(solid)
    sheet.texts.edge(solid)
    frame = sheet.frame_of(view, (block.x0, block.x1, block.z0, block.z1))
    caption = f"Section at Y {show(y, units=sheet.session.job.units, digits=2)}"
    half = QFontMetricsF(font()).horizontalAdvance(caption) / 2
    sheet.texts.write(p, caption, QPointF(frame.left() + half + 2, frame.top() - 16), t.soft_ink, font())
    if not sheet.with_dimensions:
        return
    painter = DimensionPainter(sheet, p, view, frame, words)
    painter.distances(
        [(m, "right" if m.field != "top" else "left") for m in marks
         if isinstance(m, Distance) and m.view == "section" and (abs(m.a[1] - m.b[1]) > 1e-6 or m.field in words.missing)]
    )  # fmt: skip
    sheet.tags += painter.tags


def _band(sheet: Sheet, view: Projection, low: Profile, high: Profile) -> QPainterPath:
    """The area between two surfaces of the section, ``high`` nowhere below ``low``."""
    path = QPainterPath()
    for area in between(low, high):
        path.addPolygon(QPolygonF([view.at(p) for p in area]))
        path.closeSubpath()
    return path


def paint_block(sheet: Sheet, p: QPainter, view: Projection) -> None:
    """The block round a contour."""
    t, frame = sheet.theme, sheet.session.plan.frame
    p.setPen(pens.dashed(t.soft_ink))
    p.setBrush(pens.tint(t.stock, 0.3))
    p.drawRect(view.rect(*frame.block.bounds))
    p.setPen(pens.thin(t.soft_ink))
    p.setBrush(Qt.BrushStyle.NoBrush)
    if frame.round:
        for outline in frame.pieces[0].outline.outlines():
            p.drawPath(view.path(outline))
    else:
        p.drawRect(view.rect(*frame.part.bounds))


# the cursor


def metal_at(sheet: Sheet, at: QPointF) -> str:
    """X, Y and Z of the metal in the top view, X and Z in the section."""
    plan, units = sheet.session.plan, sheet.session.job.units
    block, step = plan.frame.block, sheet.subject()

    def word(axis: str, value: float) -> str:
        return f"{axis} {show(value, units=units, digits=2 if units == 'mm' else 3)}"

    if sheet._top is not None and sheet._top.rect(*block.bounds).contains(at):
        x, y = sheet._top.back(at)
        done = [s for s in plan.steps if s.step.on and (step is None or s.number <= step.number)]
        cut = [*plan.start.done, *(r for s in done for r in s.removals if not r.wanted)]
        z = min([block.z1, *(height_at(r, x, y) for r in cut)])
        return "   ".join((word("X", x), word("Y", y), word("Z", max(z, block.z0))))
    if sheet._front is not None and sheet._front.rect(block.x0, block.x1, block.z0, block.z1).contains(at):
        x, z = sheet._front.back(at)
        return "   ".join((word("X", x), word("Z", z)))
    return ""


def step_under(sheet: Sheet, at: QPointF) -> str | None:
    """The last step that cuts what is under the cursor."""
    if sheet._top is None:
        return None
    x, y = sheet._top.back(at)
    part = sheet.session.plan.frame.part.bounds
    for one in reversed(sheet.session.plan.steps):
        if any(not r.wanted and not r.covers(part) and height_at(r, x, y) < math.inf for r in one.removals):
            return one.step.id
    return None
