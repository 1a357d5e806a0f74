"""One tool drawn to scale: flutes, shank, holder, with the dimensions of its fields."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPolygonF
from PyQt6.QtWidgets import QWidget

from bastler.core.fields import Answers
from bastler.core.marks import Distance
from bastler.core.quantities import Kind, Units, drawn, show
from bastler.core.tooling.cutters import Cutter
from bastler.core.tooling.tools import Tool
from bastler.ui.drawing import pens
from bastler.ui.drawing.dimensions import DimensionPainter, DimensionText, Tag
from bastler.ui.drawing.projection import Projection
from bastler.ui.drawing.zoom import ZoomSheet
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import DAY, Theme

NOTE_PX = 64
"""Kept free at the foot for what is said in words."""


class ToolSheet(ZoomSheet):
    """Front view of a tool, tip down."""

    field_clicked = pyqtSignal(str)

    def __init__(self, theme: Theme = DAY, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.tool: Tool | None = None
        self.answers: Answers | None = None
        self.units: Units = "mm"
        self.focus_field = ""
        self.tags: list[Tag] = []
        self.plain = False
        """Without dimensions, as a small picture."""
        self.setMinimumSize(QSize(220, 300))
        self.setAccessibleName("Drawing of the tool")

    def show_tool(self, tool: Tool | None, answers: Answers | None, units: Units) -> None:
        """Draw this tool; ``None`` asks for what is missing."""
        self.tool, self.answers, self.units = tool, answers, units
        self.update()

    def set_focus_field(self, key: str) -> None:
        """Light up a dimension."""
        self.focus_field = key
        self.update()

    def set_theme(self, theme: Theme) -> None:
        """Redraw in a theme."""
        self.theme = theme
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        p, t = QPainter(self), self.theme
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), QColor(t.paper))
        self.tags = []
        self.begin_panes()
        self._paint(p)
        self.paint_overview(p, t)
        self.paint_box(p, t)
        self.paint_focus(p, t)
        p.end()

    def _paint(self, p: QPainter) -> None:
        tool, t = self.tool, self.theme
        if tool is None:
            p.setFont(font())
            p.setPen(QColor(t.soft_ink))
            p.drawText(
                self.rect().adjusted(20, 20, -20, -20),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                "The tool is drawn as soon as its sizes are complete.",
            )
            return
        if tool.cutter is not None:
            self._in_plane(p, tool, tool.cutter)
            return
        widest = max(r for r, _ in tool.silhouette())
        area = QRectF(86, 34, self.width() - 180, self.height() - 110)
        view = self.looked(Projection.fit((-widest, widest, 0.0, tool.gauge_length), area), area)
        z = tool.stick_out
        for diameter, length in tool.holder:
            p.setPen(pens.edge(t.ink))
            p.setBrush(pens.tint(t.hatch, 0.35))
            p.drawRect(view.rect(-diameter / 2, diameter / 2, z, z + length))
            z += length
        p.setBrush(pens.tint(t.stock, 0.6))
        r = tool.shank_diameter / 2
        if tool.stick_out > tool.flute_length:
            p.drawRect(view.rect(-r, r, tool.flute_length, tool.stick_out))
        right = [(rr, zz) for rr, zz in tool.silhouette() if zz <= tool.flute_length + 1e-9]
        right = [q for q in right if q[0] <= tool.radius + 1e-9]
        outline = [*right, *((-rr, zz) for rr, zz in reversed(right))]
        p.setBrush(pens.tint(t.accent, 0.30))
        p.drawPolygon(QPolygonF([view.at(q) for q in outline]))
        body = QPainterPath()
        body.addPolygon(QPolygonF([view.at(q) for q in outline]))
        p.save()
        p.setClipPath(body)
        p.setPen(pens.thin(t.accent))
        pitch = max(tool.diameter * math.pi / math.tan(math.radians(35)) / max(tool.flutes, 1), 0.5)
        rise = tool.diameter / math.tan(math.radians(35))
        for i in range(-math.ceil(rise / pitch), math.ceil(tool.flute_length / pitch) + 1):
            p.drawLine(view.at((-tool.radius, i * pitch)), view.at((tool.radius, i * pitch + rise)))
        p.restore()
        p.setPen(pens.chain(t.soft_ink))
        p.drawLine(view.at((0, -4 / view.scale * 3)), view.at((0, tool.gauge_length + 4 / view.scale * 3)))
        if not self.plain:
            self._dimensions(p, view, tool, widest)

    def _in_plane(self, p: QPainter, tool: Tool, cutter: Cutter) -> None:
        """A lathe tool as it sits in the machine: Z to the right, X up, its reference point marked."""
        t = self.theme
        z0, z1, r0, r1 = cutter.extent()
        area = QRectF(30, 30, self.width() - 60, self.height() - 60 - NOTE_PX)
        view = self.looked(Projection.fit((z0, z1, r0, r1), area), area, "zr")
        p.setPen(pens.edge(t.ink))
        p.setBrush(pens.tint(t.hatch, 0.35))
        for body in cutter.body:
            p.drawPolygon(QPolygonF([view.at(q) for q in body]))
        p.setPen(pens.pen(t.accent, 2))
        p.setBrush(pens.tint(t.accent, 0.35))
        p.drawPolygon(QPolygonF([view.at(q) for q in cutter.outline(0.01)]))
        if self.plain:
            return
        for point in ((0.0, 0.0), *((cutter.second,) if cutter.second and tool.second_offset else ())):
            at = view.at(point)
            p.setPen(pens.thin(t.ink))
            p.drawLine(QPointF(at.x() - 16, at.y()), QPointF(at.x() + 16, at.y()))
            p.drawLine(QPointF(at.x(), at.y() - 16), QPointF(at.x(), at.y() + 16))
        way = {"out": "towards the axis", "in": "away from the axis", "face": "into the face"}[cutter.reach]
        nose = f"nose R{drawn(cutter.nose, self.units)}   " if cutter.nose else ""
        leans = (
            f", leans {show(abs(cutter.lean))}° {'towards' if cutter.lean > 0 else 'away from'} the chuck"
            if cutter.lean
            else ""
        )
        self._note(p, f"{nose}points {way}{leans}\n{self.zoomed(cutter)}the cross is the point that X and Z mean")

    def _note(self, p: QPainter, text: str) -> None:
        """Lines at the foot of the sheet, as many as they need."""
        p.setFont(font())
        p.setPen(QColor(self.theme.soft_ink))
        place = QRectF(12, self.height() - NOTE_PX - 6, self.width() - 24, NOTE_PX)
        p.drawText(place, Qt.AlignmentFlag.AlignBottom | Qt.TextFlag.TextWordWrap, text)

    @staticmethod
    def zoomed(cutter: Cutter) -> str:
        """Which way the reference point lies from the nose, in words."""
        sides = [{-1: "left", 1: "right"}.get(cutter.tip[0], ""), {-1: "below", 1: "above"}.get(cutter.tip[1], "")]
        words = " ".join(s for s in sides if s)
        return f"tip {words}; " if words else ""

    def _dimensions(self, p: QPainter, view: Projection, tool: Tool, widest: float) -> None:
        text = {
            k: drawn(getattr(tool, k), self.units)
            for k in ("diameter", "flute_length", "stick_out", "shank_diameter", "corner_radius")
        }
        text["diameter"], text["shank_diameter"] = "Ø" + text["diameter"], "Ø" + text["shank_diameter"]
        frame = self.frame_of(view, (-widest, widest, 0, tool.gauge_length))
        d = DimensionPainter(self, p, view, frame, DimensionText(text, self.focus_field, frozenset()))
        d.distances([
            (Distance("diameter", (-tool.radius, tool.tip_length), (tool.radius, tool.tip_length)), "bottom"),
            (Distance("flute_length", (tool.radius, 0), (tool.radius, tool.flute_length), 90.0), "right"),
            (Distance("stick_out", (tool.radius, 0), (tool.radius, tool.stick_out), 90.0), "right"),
        ])  # fmt: skip
        self.tags += d.tags
        note = (
            f"point {show(tool.point_angle, Kind.ANGLE)}°"
            if tool.point_angle < 180
            else f"corner R{text['corner_radius']}"
            if tool.corner_radius
            else ""
        )
        self._note(p, f"{note}   spindle nose to tip {drawn(tool.gauge_length, self.units)}".strip())

    def clicked(self, at: QPointF) -> None:
        """A dimension gives its field the cursor."""
        for tag in reversed(self.tags):
            if tag.rect.contains(at):
                self.field_clicked.emit(tag.field)
                return
