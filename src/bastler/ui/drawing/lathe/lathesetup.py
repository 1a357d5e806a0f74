"""The setup of a lathe drawn: bar, jaws, tailstock, zero, and the dimensions of its fields."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QFontMetricsF, QPainter

from bastler.core.job.held import STOCK_WORDS
from bastler.core.marks import Distance
from bastler.core.quantities import drawn
from bastler.ui.drawing import pens
from bastler.ui.drawing.dimensions import DimensionPainter, DimensionText
from bastler.ui.drawing.lathe.clockview import paint_clock
from bastler.ui.drawing.lathe.latheview import (
    area_path,
    keep_axes,
    paint_axes,
    paint_axis,
    paint_bodies,
    paint_flats,
    paint_part,
)
from bastler.ui.drawing.projection import Projection
from bastler.ui.theme.style import font

if TYPE_CHECKING:
    from bastler.ui.sheets.setupdrawing import SetupSheet

LEFT_PX, TOP_PX, RIGHT_PX, BOTTOM_PX = 40.0, 110.0, 150.0, 70.0
AXES_PX, CLOCK_PX = 52.0, 190.0
"""Room for the arrow of Z beside the bar, and for the view from the front below."""


def paint_chucking(sheet: SetupSheet, p: QPainter) -> None:
    """The whole sheet."""
    plan, t, units = sheet.session.plan, sheet.theme, sheet.session.job.units
    held = plan.frame.held
    v, missing = plan.setup_answers.values, frozenset(plan.setup_answers.missing)
    z0, z1, bore, r = held.blank
    points = [q for b in held.bodies for q in b.outline]
    low = min([z0, *(q[0] for q in points)])
    high = max([z1, *(q[0] for q in points)])
    top = max([r, *(q[1] for q in points)])
    below = CLOCK_PX if plan.frame.machine.axis("C") is not None else 0.0
    area = QRectF(LEFT_PX, TOP_PX, sheet.width() - LEFT_PX - RIGHT_PX, sheet.height() - TOP_PX - BOTTOM_PX - below)
    view = sheet.looked(Projection.fit((low, high, -top, top), area), area, "zr")
    p.save()
    p.setClipRect(sheet.window_of(view) or QRectF(0, 0, sheet.width(), sheet.height()))
    paint_bodies(p, view, t, held)
    paint_part(p, view, t, plan.start.lathe.stock)
    paint_flats(p, view, t, plan.start.lathe.stock, held.prism)
    p.restore()
    paint_axis(p, view, t, low, high)
    jaws = z1 - v.get("out", 60.0)

    def word(key: str, label: str, sign: str = "") -> str:
        if key in missing:
            return f"{label} ?"
        value = v.get(key)
        return sign + drawn(value, units) if value is not None else ""

    text = {
        "diameter": word("diameter", "diameter", "" if held.prism else "Ø"), "bore": word("bore", "bore", "Ø"), "out": word("out", "stands out"),
        "over_front": word("over_front", "over the front"), "grip": word("grip", "grip"), "part_length": word("part_length", "part length"),
    }  # fmt: skip
    for side in (1.0, -1.0):
        sheet.texts.edge(area_path(view, plan.start.lathe.stock, side))
    keep_axes(sheet.texts, view)
    title = f"{STOCK_WORDS[held.kind]}, half in section"
    half = QFontMetricsF(font()).horizontalAdvance(title) / 2
    sheet.texts.write(p, title, QPointF(half + 14, 18), t.soft_ink, font())
    frame = sheet.frame_of(view, (low, high, -top, top)).adjusted(0, 0, AXES_PX if sheet.closer == 1.0 else 0.0, 0)
    d = DimensionPainter(sheet, p, view, frame, DimensionText(text, sheet.focus_field, missing))
    marks = [
        (Distance("out", (jaws, r), (z1, r)), "top"), (Distance("grip", (z0, r), (jaws, r)), "top"),
    ]  # fmt: skip
    if not held.section:
        marks.append((Distance("diameter", (z1, -held.flats), (z1, held.flats), 90.0), "right"))
    if v.get("over_front", 0.0) and v.get("zero_by", "face") == "face":
        marks.append((Distance("over_front", (0.0, r), (z1, r)), "top"))
    if bore:
        marks.append((Distance("bore", (z1, -bore), (z1, bore), 90.0), "right"))
    if v.get("part_length"):
        marks.append((Distance("part_length", (-v.part_length, -r), (0.0, -r)), "bottom"))
        p.setPen(pens.dashed(t.accent))
        p.drawLine(view.at((-v.part_length, r)), view.at((-v.part_length, -r)))
    d.distances(marks)
    sheet.tags += d.tags
    with sheet.clipped(p, view):
        paint_axes(p, view, t)
    if below and sheet.closer == 1.0:
        paint_clock(sheet, p, held, QRectF(LEFT_PX, sheet.height() - below, sheet.width() - 2 * LEFT_PX, below))
