"""Half sections on paper: the metal above the axis cut open and hatched, its outside below, what holds it, threads, the tool.

Seen as at the machine: Z to the right, the chuck on the left, X upwards.
"""

from __future__ import annotations

import math

import shapely
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPolygonF

from bastler.core.geometry.flatsided import FlatBar
from bastler.core.geometry.halfsection import Area, clipped, polygons
from bastler.core.job.held import Chucking
from bastler.core.marks import Distance
from bastler.core.planning.work import Threaded
from bastler.core.plans.plan import StepPlan
from bastler.core.tooling.tools import Tool
from bastler.ui.drawing import pens
from bastler.ui.drawing.projection import Projection
from bastler.ui.drawing.texts import Texts
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import Theme, hue

JAW_SHOWN_MM = 12.0
CORNER_DEG = 18.0
"""A bend sharper than this is an edge that is seen from outside."""
LEAST_THREAD_PX = 3.0
AXIS_OVER_PX = 14.0
ON_AXIS_MM = 1e-6
FULL_MM = 0.02
CLOSE_PX = 4.0
"""Edges seen from outside that lie nearer together are drawn as one."""


def extent(held: Chucking) -> tuple[float, float, float, float]:
    """What is worth seeing (z0, z1, r0, r1): the bar with a little of the jaws."""
    z0, z1, _, r = held.blank
    jaws = [p for b in held.bodies if b.role != "tailstock" for p in b.outline]
    face = max((p[0] for p in jaws), default=z0)
    top = max(r, min(max((p[1] for b in held.bodies[:1] for p in b.outline), default=r), 1.6 * r))
    tail = max((min(p[0], z1 + 30.0) for b in held.bodies if b.role == "tailstock" for p in b.outline), default=z1)
    return (max(face - JAW_SHOWN_MM, z0), max(z1, tail), -top, top)


def area_path(view: Projection, area: Area, side: float = 1.0) -> QPainterPath:
    """An area in pixels; ``side`` -1 draws it below the axis."""
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.OddEvenFill)
    for one in polygons(area):
        for ring in (one.exterior, *one.interiors):
            path.addPolygon(QPolygonF([view.at((z, side * r)) for z, r in ring.coords]))
    return path


def paint_part(p: QPainter, view: Projection, t: Theme, stock: Area, blank: Area | None = None) -> None:
    """The metal: section above the axis, outside below it; the raw outline in thin dashes."""
    if blank is not None:
        p.setPen(pens.dashed(t.soft_ink))
        p.setBrush(Qt.BrushStyle.NoBrush)
        for side in (1.0, -1.0):
            p.drawPath(area_path(view, blank, side))
    upper = area_path(view, stock)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(t.well))
    p.drawPath(upper)
    pens.hatch(p, upper, t.hatch)
    p.setPen(pens.edge(t.ink))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawPath(open_path(view, stock))
    outside = seen_outside(stock)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(pens.tint(t.stock, 0.35))
    p.drawPath(area_path(view, outside, -1.0))
    p.setPen(pens.edge(t.ink))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawPath(open_path(view, outside, -1.0))
    p.setPen(pens.pen(t.ink, 1.4))
    last = math.inf
    for z, r in sorted(edges_of(outside), reverse=True):
        if (last - z) * view.scale < CLOSE_PX:
            continue
        last = z
        p.drawLine(QLineF(view.at((z, 0.0)), view.at((z, -r))))


def paint_flats(p: QPainter, view: Projection, t: Theme, stock: Area, prism: FlatBar | None) -> None:
    """The edges of a bar with flats that are seen from outside, below the axis, where it is still whole."""
    if prism is None or stock.is_empty:
        return
    low, _, high, _ = stock.bounds
    r = prism.corner * math.cos(math.tau / prism.sides)
    p.setPen(pens.pen(t.ink, 1.4))
    for whole in shapely.get_parts(clipped(stock, low - 1.0, prism.corner - FULL_MM, high + 1.0, prism.corner + 1.0)):
        z0, _, z1, _ = whole.bounds
        p.drawLine(QLineF(view.at((z0, -r)), view.at((z1, -r))))


def open_path(view: Projection, area: Area, side: float = 1.0) -> QPainterPath:
    """The edges of an area without those along the axis."""
    path = QPainterPath()
    for one in polygons(area):
        for ring in (one.exterior, *one.interiors):
            points = [(z, side * r) for z, r in ring.coords]
            for a, b in zip(points, points[1:], strict=False):
                if abs(a[1]) > ON_AXIS_MM or abs(b[1]) > ON_AXIS_MM:
                    if path.currentPosition() != view.at(a):
                        path.moveTo(view.at(a))
                    path.lineTo(view.at(b))
    return path


def seen_outside(stock: Area) -> Area:
    """What is seen of a part from outside, without its bores."""
    if stock.is_empty:
        return stock
    return shapely.union_all([shapely.Polygon(one.exterior) for one in polygons(_filled(stock))])


def _filled(stock: Area) -> Area:
    """What is seen from outside: everything down to the axis."""
    filled = [
        shapely.union_all(
            [one, *(shapely.Polygon([(a[0], 0.0), (b[0], 0.0), b, a]) for a, b in _pairs(one) if a[0] != b[0])]
        )
        for one in polygons(stock)
    ]
    return shapely.union_all(filled).buffer(0) if filled else stock


def _pairs(one: shapely.Polygon) -> list[tuple[tuple[float, float], tuple[float, float]]]:
    ring = [(z, r) for z, r in one.exterior.simplify(0.01).coords]
    return list(zip(ring, ring[1:], strict=False))


def edges_of(area: Area) -> list[tuple[float, float]]:
    """Places where the outside bends sharply: circles seen from the side."""
    found = []
    for one in polygons(area):
        ring = [(z, r) for z, r in one.exterior.simplify(0.02).coords][:-1]
        n = len(ring)
        for i, q in enumerate(ring):
            a, b = ring[i - 1], ring[(i + 1) % n]
            turn = abs(
                math.remainder(math.atan2(b[1] - q[1], b[0] - q[0]) - math.atan2(q[1] - a[1], q[0] - a[0]), math.tau)
            )
            if q[1] > 1e-6 and turn > math.radians(CORNER_DEG):
                found.append(q)
    return found


def paint_cut(p: QPainter, view: Projection, area: Area, slot: int, *, strong: bool) -> None:
    """What a step takes, in its colour, on both sides."""
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(pens.tint(hue(slot), 0.5 if strong else 0.2))
    for side in (1.0, -1.0):
        p.drawPath(area_path(view, area, side))


def paint_thread(p: QPainter, view: Projection, t: Theme, thread: Threaded) -> None:
    """A thread after ISO 6410: crests thick, roots thin; its turns shown lightly above the axis."""
    (z0, r0), (z1, r1) = thread.start, thread.end
    p.setPen(pens.pen(t.ink, 1.2))
    for side in (1.0, -1.0):
        p.drawLine(QLineF(view.at((z0, side * (r0 + thread.depth))), view.at((z1, side * (r1 + thread.depth)))))
    p.setPen(pens.edge(t.ink))
    p.drawLine(QLineF(view.at((z1, -r1)), view.at((z1, -r1 - thread.depth))))
    if thread.pitch * view.scale < LEAST_THREAD_PX:
        return
    p.setPen(pens.pen(t.ink, 1.0))
    count = int(abs(z0 - z1) / thread.pitch)
    zigzag = []
    for k in range(2 * count + 1):
        z = z0 - k * thread.pitch / 2
        share = (z0 - z) / max(z0 - z1, 1e-9)
        zigzag.append(view.at((z, r0 + (r1 - r0) * share + (thread.depth if k % 2 else 0.0))))
    p.drawPolyline(QPolygonF(zigzag))


def paint_bodies(p: QPainter, view: Projection, t: Theme, held: Chucking) -> None:
    """Jaws, chuck, tailstock."""
    p.setPen(pens.pen(t.soft_ink, 1.2))
    p.setBrush(pens.tint(t.hatch, 0.28))
    for body in held.bodies:
        for side in (1.0, -1.0):
            p.drawPolygon(QPolygonF([view.at((z, side * r)) for z, r in body.outline]))


def paint_axis(p: QPainter, view: Projection, t: Theme, z0: float, z1: float) -> None:
    """The centre line."""
    p.setPen(pens.chain(t.soft_ink))
    a, b = view.at((z0, 0.0)), view.at((z1, 0.0))
    p.drawLine(QLineF(a.x() - AXIS_OVER_PX, a.y(), b.x() + AXIS_OVER_PX, b.y()))


def paint_tool(p: QPainter, view: Projection, t: Theme, tool: Tool, at: tuple[float, float]) -> None:
    """The tool's true outline at a place (z, r)."""
    cutter, (z, r) = tool.in_plane, at
    p.setPen(pens.pen(t.soft_ink, 1.2))
    p.setBrush(pens.tint(t.hatch, 0.35))
    for body in cutter.body:
        p.drawPolygon(QPolygonF([view.at((z + a, r + b)) for a, b in body]))
    p.setPen(pens.pen(t.accent, 1.8))
    p.setBrush(pens.tint(t.accent, 0.35))
    p.drawPolygon(QPolygonF([view.at((z + a, r + b)) for a, b in cutter.outline(0.01)]))
    p.setBrush(QColor(t.accent))
    p.drawEllipse(view.at(at), 2.5, 2.5)


def paint_across(p: QPainter, view: Projection, t: Theme, tool: Tool, at: tuple[float, float]) -> None:
    """A driven tool that points towards the axis, at a place (z, r) of its tip: what cuts, and above it shank and holder."""
    z, r = at
    cuts = [(radius, h) for radius, h in tool.silhouette() if h <= tool.flute_length]
    p.setPen(pens.pen(t.soft_ink, 1.2))
    p.setBrush(pens.tint(t.hatch, 0.35))
    for radius, low, high in tool.non_cutting():
        p.drawRect(view.rect(z - radius, z + radius, r + low, r + high))
    p.setPen(pens.pen(t.accent, 1.8))
    p.setBrush(pens.tint(t.accent, 0.35))
    ring = [*((z + radius, r + h) for radius, h in cuts), *((z - radius, r + h) for radius, h in reversed(cuts))]
    p.drawPolygon(QPolygonF([view.at(q) for q in ring]))


def keep_axes(texts: Texts, view: Projection) -> None:
    """Where :func:`paint_axes` draws, no text stands."""
    at = view.at((0.0, 0.0))
    texts.keep(QRectF(at.x() - 9, at.y() - 50, 28, 60))
    texts.keep(QRectF(at.x() - 9, at.y() - 9, 58, 30))


def paint_axes(p: QPainter, view: Projection, t: Theme) -> None:
    """Zero with its two axes."""
    at = view.at((0.0, 0.0))
    for word, d in (("Z", QPointF(40, 0)), ("X", QPointF(0, -40))):
        p.setPen(pens.pen(t.accent, 2))
        p.drawLine(at, at + d)
        pens.arrow(p, at + d, 0 if d.x() else -90, t.accent)
        p.setFont(font(11, bold=True))
        p.drawText(at + d + (QPointF(-4, 17) if d.x() else QPointF(7, 6)), word)
    pens.zero_mark(p, at, t.ink, t.paper, 7)


def threads_of(step: StepPlan) -> list[Threaded]:
    """The threads that a step cuts."""
    return [c.thread for c in step.cleared if c.thread is not None]


def side_of(mark: Distance) -> str:
    """Where a dimension of a turned part stands: lengths above, diameters on the right, what lies at an angle beside itself."""
    return {0.0: "top", 90.0: "right"}.get(mark.angle % 180, "beside")


def fitted(held: Chucking, area: QRectF) -> Projection:
    """As large as the part fits."""
    return Projection.fit(extent(held), area)
