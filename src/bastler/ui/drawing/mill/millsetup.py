"""The setup of a mill drawn: block, part and vise from the top and from the front, zero, axes, and the 27 points to click."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath

from bastler.core.geometry.shapes import Box
from bastler.core.job.holding import Obstacle
from bastler.core.marks import Distance
from bastler.core.quantities import drawn
from bastler.ui.drawing import pens
from bastler.ui.drawing.dimensions import DimensionPainter, DimensionText
from bastler.ui.drawing.projection import Projection
from bastler.ui.theme.style import font

if TYPE_CHECKING:
    from bastler.ui.sheets.setupdrawing import SetupSheet

MARGIN_LEFT, MARGIN_RIGHT, MARGIN_TOP, MARGIN_BOTTOM, BETWEEN = 60.0, 92.0, 84.0, 46.0, 108.0
POINT_PX = 5.0
SHARES = (("-", 0.0), ("0", 0.5), ("+", 1.0))
Flat = Callable[[Box], tuple[float, float, float, float]]
"""Which sides of a box a view shows."""


def paint_clamping(sheet: SetupSheet, p: QPainter) -> None:
    """Top and front view of the clamped block."""
    f = sheet.session.plan.frame
    boxes = [o.box for o in f.obstacles]
    beside = [o for o in f.obstacles if not o.under]
    everything = [f.block, *boxes]
    x0, x1 = min(b.x0 for b in everything), max(b.x1 for b in everything)
    y0, y1 = min(b.y0 for b in everything), max(b.y1 for b in everything)
    z0, z1 = min(b.z0 for b in everything), f.block.z1
    wide = sheet.width() - MARGIN_LEFT - MARGIN_RIGHT
    high = sheet.height() - MARGIN_TOP - MARGIN_BOTTOM - BETWEEN
    scale = max(min(wide / (x1 - x0), high / ((y1 - y0) + (z1 - z0))), 0.05)
    area = QRectF(MARGIN_LEFT, MARGIN_TOP, wide, (y1 - y0) * scale)
    top = sheet.looked(Projection.fit((x0, x1, y0, y1), area, scale), area)
    below = MARGIN_TOP + (y1 - y0) * scale + BETWEEN
    area = QRectF(MARGIN_LEFT, below, wide, (z1 - z0) * scale)
    front = sheet.looked(Projection.fit((x0, x1, z0, z1), area, scale), area, "xz")
    with sheet.clipped(p, top):
        _view(sheet, p, top, lambda b: (b.x0, b.x1, b.y0, b.y1), beside, "Top")
    with sheet.clipped(p, front):
        _view(sheet, p, front, lambda b: (b.x0, b.x1, b.z0, b.z1), list(f.obstacles), "Front")
    for word, view, away in (("Top", top, 40), ("Front", front, 46)):
        at = QPointF(34, view.at((x0, y1 if word == "Top" else z1)).y() - away)
        sheet.texts.write(p, word, at, sheet.theme.soft_ink, font())
    _dimensions(sheet, p, top, front)
    _anchors(sheet, p, top, front)
    for view, up in ((top, "Y"), (front, "Z")):
        with sheet.clipped(p, view):
            _zero(sheet, p, view, "X", up)


def _view(sheet: SetupSheet, p: QPainter, view: Projection, flat: Flat, bodies: list[Obstacle], word: str) -> None:
    t, f = sheet.theme, sheet.session.plan.frame
    heads = [o for o in bodies if o.box.z1 > f.block.z1]
    _bodies(sheet, p, view, flat, [o for o in bodies if o not in heads], word)
    p.setPen(pens.dashed(t.soft_ink))
    p.setBrush(pens.tint(t.stock, 0.55))
    if word == "Top" and f.round:
        p.setPen(pens.edge(t.ink))
        for piece in f.pieces[:1]:
            p.drawPath(view.path(piece.outline.outlines()[0]))
            if piece.hole is not None:
                p.setBrush(QColor(t.paper))
                p.drawPath(view.path(piece.hole.outlines()[0]))
    else:
        p.drawRect(view.rect(*flat(f.block)))
        p.setPen(pens.edge(t.ink))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(view.rect(*flat(f.part)))
    _bodies(sheet, p, view, flat, heads, word)
    p.setBrush(Qt.BrushStyle.NoBrush)


def _bodies(sheet: SetupSheet, p: QPainter, view: Projection, flat: Flat, bodies: list[Obstacle], word: str) -> None:
    """Jaws, clamps and screws; those that reach over the block are drawn after it."""
    p.setPen(pens.pen(sheet.theme.soft_ink, 1.2))
    p.setBrush(pens.tint(sheet.theme.hatch, 0.22))
    for body in bodies:
        shape = view.rect(*flat(body.box))
        if body.round and word == "Top":
            p.drawEllipse(shape)
        else:
            p.drawRect(shape)


def _dimensions(sheet: SetupSheet, p: QPainter, top: Projection, front: Projection) -> None:
    f, units = sheet.session.plan.frame, sheet.session.job.units
    v = sheet.session.plan.setup_answers.values
    missing = frozenset(sheet.session.plan.setup_answers.missing)
    labels = {"diameter": "diameter ?", "size_x": "length ?", "size_y": "width ?", "size_z": "height ?"}
    text = {k: labels.get(k, "?") if k in missing else drawn(v.get(k), units)
            for k in ("size_x", "size_y", "size_z", "diameter", "over_x", "over_y", "over_top", "over_bottom", "grip", "jaw_height", "clearance", "jaw_width")
            if v.get(k) is not None or k in missing}  # fmt: skip
    for key, size in zip(("size_x", "size_y", "size_z"), f.part.size, strict=True):
        text.setdefault(key, drawn(size, units))
    text["block_x"], text["block_y"], text["block_z"] = (drawn(s, units) for s in f.block.size)
    by_part = v.get("stock_by", "part") == "part"
    b, a = f.block, f.part
    words = DimensionText(text, sheet.focus_field, missing)
    _keep(sheet, top, front)
    d = DimensionPainter(sheet, p, top, sheet.frame_of(top, b.bounds), words)
    marks = (
        [(Distance("diameter", (a.x0, a.y1), (a.x1, a.y1)), "top")]
        if f.round
        else [
            (Distance("size_x", (a.x0, a.y1), (a.x1, a.y1)), "top"),
            (Distance("size_y", (a.x1, a.y0), (a.x1, a.y1), 90.0), "right"),
        ]
    )
    if "diameter" in text:
        text["diameter"] = "Ø" + text["diameter"]
    if by_part and v.get("over_x"):
        marks.append((Distance("over_x", (b.x0, a.y1), (a.x0, a.y1)), "top"))
    if by_part and v.get("over_y"):
        marks.append((Distance("over_y", (a.x1, b.y0), (a.x1, a.y0), 90.0), "right"))
    d.distances(marks)
    sheet.tags += d.tags
    frame = sheet.frame_of(front, (b.x0, b.x1, b.z0, b.z1))
    d = DimensionPainter(sheet, p, front, frame, words)
    marks = [(Distance("size_z", (a.x1, a.z0), (a.x1, a.z1), 90.0), "right")]
    if by_part and v.get("over_top"):
        marks.append((Distance("over_top", (b.x1, a.z1), (b.x1, b.z1), 90.0), "right"))
    if by_part and v.get("over_bottom"):
        marks.append((Distance("over_bottom", (b.x1, b.z0), (b.x1, a.z0), 90.0), "right"))
    if f.obstacles and v.get("grip"):
        jaw = f.obstacles[0].box
        marks.append((Distance("grip", (b.x0, b.z0), (b.x0, jaw.z1), 90.0), "left"))
    d.distances(marks)
    sheet.tags += d.tags
    middle = QPointF((MARGIN_LEFT + sheet.width() - MARGIN_RIGHT) / 2, frame.top() - BETWEEN + 29)
    block = f"Block {' × '.join(text[f'block_{c}'] for c in 'xyz')} {units}"
    sheet.texts.write(p, block, middle, sheet.theme.soft_ink, font())


def _keep(sheet: SetupSheet, top: Projection, front: Projection) -> None:
    """What texts stay away from: zero with its axes, the points to click, the thick edges."""
    f = sheet.session.plan.frame
    for view, low, high in ((top, f.part.y0, f.part.y1), (front, f.part.z0, f.part.z1)):
        at = view.at((0.0, 0.0))
        sheet.texts.keep(QRectF(at.x() - 10, at.y() - 60, 26, 70))
        sheet.texts.keep(QRectF(at.x() - 10, at.y() - 22, 64, 32))
        edge = QPainterPath()
        edge.addRect(view.rect(f.part.x0, f.part.x1, low, high))
        sheet.texts.edge(edge)
    for view, anchor_places in ((top, _shares(sheet, 1)), (front, _shares(sheet, 2))):
        for place in anchor_places:
            sheet.texts.keep_round(view.at(place), POINT_PX + 1)


def _shares(sheet: SetupSheet, up: int) -> list[tuple[float, float]]:
    """The nine places of a view that can be zero; ``up`` the axis that is up in it."""
    v, f = sheet.session.plan.setup_answers.values, sheet.session.plan.frame
    if v.get("zero_by", "part") == "typed":
        return []
    box = f.part if v.get("zero_by", "part") == "part" else f.block
    low = box.y0 if up == 1 else box.z0
    return [(box.x0 + box.size[0] * a, low + box.size[up] * b) for _, a in SHARES for _, b in SHARES]


def _anchors(sheet: SetupSheet, p: QPainter, top: Projection, front: Projection) -> None:
    v = sheet.session.plan.setup_answers.values
    if v.get("zero_by", "part") == "typed":
        return
    f = sheet.session.plan.frame
    box = f.part if v.get("zero_by", "part") == "part" else f.block
    _, ay, az = v.get("anchor", "-,-,+").split(",")
    p.setPen(pens.pen(sheet.theme.accent, 1.4))
    for kx, sx in SHARES:
        x = box.x0 + box.size[0] * sx
        for ky, sy in SHARES:
            _point(sheet, p, top.at((x, box.y0 + box.size[1] * sy)), f"{kx},{ky},{az}", 0)
        for kz, sz in SHARES:
            _point(sheet, p, front.at((x, box.z0 + box.size[2] * sz)), f"{kx},{ay},{kz}", 1)


def _point(sheet: SetupSheet, p: QPainter, at: QPointF, anchor: str, view: int) -> None:
    p.setBrush(QColor(sheet.theme.paper))
    p.drawEllipse(at, POINT_PX, POINT_PX)
    sheet.points.append((at, anchor, view))


def _zero(sheet: SetupSheet, p: QPainter, view: Projection, across: str, up: str) -> None:
    at = view.at((0.0, 0.0))
    t = sheet.theme
    for word, d in ((across, QPointF(46, 0)), (up, QPointF(0, -46))):
        p.setPen(pens.pen(t.accent, 2))
        p.drawLine(at, at + d)
        pens.arrow(p, at + d, 0 if d.x() else -90, t.accent)
        p.setFont(font(11, bold=True))
        p.drawText(at + d + (QPointF(-6, -9) if d.x() else QPointF(7, 6)), word)
    pens.zero_mark(p, at, t.ink, t.paper, 8)
