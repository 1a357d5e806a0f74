"""The setup drawn: block, part and vise from the top and from the front, zero, axes, and the 27 points to click."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPainterPath, QPaintEvent
from PyQt6.QtWidgets import QWidget

from bastler.core.job.holding import Obstacle
from bastler.core.marks import Distance
from bastler.core.quantities import drawn
from bastler.ui.drawing import pens
from bastler.ui.drawing.dimensions import DimensionPainter, DimensionText, Tag
from bastler.ui.drawing.projection import Projection
from bastler.ui.drawing.zoom import ZoomSheet
from bastler.ui.session import Session
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import DAY, Theme

MARGIN_LEFT, MARGIN_RIGHT, MARGIN_TOP, MARGIN_BOTTOM, BETWEEN = 60.0, 92.0, 84.0, 46.0, 108.0
POINT_PX = 5.0
NEAR_PX = 14.0
SHARES = (("-", 0.0), ("0", 0.5), ("+", 1.0))


class SetupSheet(ZoomSheet):
    """Top and front view of the clamped block."""

    field_clicked = pyqtSignal(str)
    anchor_clicked = pyqtSignal(str)

    def __init__(self, session: Session, theme: Theme = DAY, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.theme = session, theme
        self.focus_field = ""
        self.tags: list[Tag] = []
        self._points: list[tuple[QPointF, str, int]] = []
        self.setMinimumSize(QSize(320, 300))
        self.setMouseTracking(True)
        self.setAccessibleName("Drawing of the setup")
        session.changed.connect(self.update)

    def set_theme(self, theme: Theme) -> None:
        """Redraw in a theme."""
        self.theme = theme
        self.update()

    def set_focus_field(self, key: str) -> None:
        """Light up a dimension."""
        self.focus_field = key
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), QColor(self.theme.paper))
        self.tags, self._points = [], []
        self.begin_panes()
        self._paint(p)
        self.paint_overview(p, self.theme)
        self.paint_box(p, self.theme)
        self.paint_focus(p, self.theme)
        p.end()

    def _paint(self, p: QPainter) -> None:
        f = self.session.plan.frame
        if f.chucking is not None:
            from bastler.ui.drawing.lathe.lathesetup import paint_chucking

            paint_chucking(self, p)
            return
        boxes = [o.box for o in f.obstacles]
        beside = [o for o in f.obstacles if not o.under]
        everything = [f.block, *boxes]
        x0, x1 = min(b.x0 for b in everything), max(b.x1 for b in everything)
        y0, y1 = min(b.y0 for b in everything), max(b.y1 for b in everything)
        z0, z1 = min(b.z0 for b in everything), f.block.z1
        wide = self.width() - MARGIN_LEFT - MARGIN_RIGHT
        high = self.height() - MARGIN_TOP - MARGIN_BOTTOM - BETWEEN
        scale = max(min(wide / (x1 - x0), high / ((y1 - y0) + (z1 - z0))), 0.05)
        area = QRectF(MARGIN_LEFT, MARGIN_TOP, wide, (y1 - y0) * scale)
        top = self.looked(Projection.fit((x0, x1, y0, y1), area, scale), area)
        below = MARGIN_TOP + (y1 - y0) * scale + BETWEEN
        area = QRectF(MARGIN_LEFT, below, wide, (z1 - z0) * scale)
        front = self.looked(Projection.fit((x0, x1, z0, z1), area, scale), area, "xz")
        with self.clipped(p, top):
            self._view(p, top, lambda b: (b.x0, b.x1, b.y0, b.y1), beside, "Top")
        with self.clipped(p, front):
            self._view(p, front, lambda b: (b.x0, b.x1, b.z0, b.z1), list(f.obstacles), "Front")
        for word, view, away in (("Top", top, 40), ("Front", front, 46)):
            at = QPointF(34, view.at((x0, y1 if word == "Top" else z1)).y() - away)
            self.texts.write(p, word, at, self.theme.soft_ink, font())
        self._dimensions(p, top, front)
        self._anchors(p, top, front)
        for view, up in ((top, "Y"), (front, "Z")):
            with self.clipped(p, view):
                self._zero(p, view, "X", up)

    def _view(self, p: QPainter, view: Projection, flat, bodies: list[Obstacle], word: str) -> None:  # type: ignore[no-untyped-def]
        t, f = self.theme, self.session.plan.frame
        heads = [o for o in bodies if o.box.z1 > f.block.z1]
        self._bodies(p, view, flat, [o for o in bodies if o not in heads], word)
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
        self._bodies(p, view, flat, heads, word)
        p.setBrush(Qt.BrushStyle.NoBrush)

    def _bodies(self, p: QPainter, view: Projection, flat, bodies: list[Obstacle], word: str) -> None:  # type: ignore[no-untyped-def]
        """Jaws, clamps and screws; those that reach over the block are drawn after it."""
        p.setPen(pens.pen(self.theme.soft_ink, 1.2))
        p.setBrush(pens.tint(self.theme.hatch, 0.22))
        for body in bodies:
            shape = view.rect(*flat(body.box))
            if body.round and word == "Top":
                p.drawEllipse(shape)
            else:
                p.drawRect(shape)

    def _dimensions(self, p: QPainter, top: Projection, front: Projection) -> None:
        f, units = self.session.plan.frame, self.session.job.units
        v = self.session.plan.setup_answers.values
        missing = frozenset(self.session.plan.setup_answers.missing)
        labels = {"diameter": "diameter ?", "size_x": "length ?", "size_y": "width ?", "size_z": "height ?"}
        text = {k: labels.get(k, "?") if k in missing else drawn(v.get(k), units)
                for k in ("size_x", "size_y", "size_z", "diameter", "over_x", "over_y", "over_top", "over_bottom", "grip", "jaw_height", "clearance", "jaw_width")
                if v.get(k) is not None or k in missing}  # fmt: skip
        for key, size in zip(("size_x", "size_y", "size_z"), f.part.size, strict=True):
            text.setdefault(key, drawn(size, units))
        text["block_x"], text["block_y"], text["block_z"] = (drawn(s, units) for s in f.block.size)
        by_part = v.get("stock_by", "part") == "part"
        b, a = f.block, f.part
        words = DimensionText(text, self.focus_field, missing)
        self._keep(top, front)
        d = DimensionPainter(self, p, top, self.frame_of(top, b.bounds), words)
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
        self.tags += d.tags
        frame = self.frame_of(front, (b.x0, b.x1, b.z0, b.z1))
        d = DimensionPainter(self, p, front, frame, words)
        marks = [(Distance("size_z", (a.x1, a.z0), (a.x1, a.z1), 90.0), "right")]
        if by_part and v.get("over_top"):
            marks.append((Distance("over_top", (b.x1, a.z1), (b.x1, b.z1), 90.0), "right"))
        if by_part and v.get("over_bottom"):
            marks.append((Distance("over_bottom", (b.x1, b.z0), (b.x1, a.z0), 90.0), "right"))
        if f.obstacles and v.get("grip"):
            jaw = f.obstacles[0].box
            marks.append((Distance("grip", (b.x0, b.z0), (b.x0, jaw.z1), 90.0), "left"))
        d.distances(marks)
        self.tags += d.tags
        middle = QPointF((MARGIN_LEFT + self.width() - MARGIN_RIGHT) / 2, frame.top() - BETWEEN + 29)
        block = f"Block {' × '.join(text[f'block_{c}'] for c in 'xyz')} {units}"
        self.texts.write(p, block, middle, self.theme.soft_ink, font())

    def _keep(self, top: Projection, front: Projection) -> None:
        """What texts stay away from: zero with its axes, the points to click, the thick edges."""
        f = self.session.plan.frame
        for view, low, high in ((top, f.part.y0, f.part.y1), (front, f.part.z0, f.part.z1)):
            at = view.at((0.0, 0.0))
            self.texts.keep(QRectF(at.x() - 10, at.y() - 60, 26, 70))
            self.texts.keep(QRectF(at.x() - 10, at.y() - 22, 64, 32))
            edge = QPainterPath()
            edge.addRect(view.rect(f.part.x0, f.part.x1, low, high))
            self.texts.edge(edge)
        for view, anchor_places in ((top, self._shares(1)), (front, self._shares(2))):
            for place in anchor_places:
                self.texts.keep_round(view.at(place), POINT_PX + 1)

    def _shares(self, up: int) -> list[tuple[float, float]]:
        """The nine places of a view that can be zero; ``up`` the axis that is up in it."""
        v, f = self.session.plan.setup_answers.values, self.session.plan.frame
        if v.get("zero_by", "part") == "typed":
            return []
        box = f.part if v.get("zero_by", "part") == "part" else f.block
        low = box.y0 if up == 1 else box.z0
        return [(box.x0 + box.size[0] * a, low + box.size[up] * b) for _, a in SHARES for _, b in SHARES]

    def _anchors(self, p: QPainter, top: Projection, front: Projection) -> None:
        v = self.session.plan.setup_answers.values
        if v.get("zero_by", "part") == "typed":
            return
        f = self.session.plan.frame
        box = f.part if v.get("zero_by", "part") == "part" else f.block
        _, ay, az = v.get("anchor", "-,-,+").split(",")
        p.setPen(pens.pen(self.theme.accent, 1.4))
        for kx, sx in SHARES:
            x = box.x0 + box.size[0] * sx
            for ky, sy in SHARES:
                self._point(p, top.at((x, box.y0 + box.size[1] * sy)), f"{kx},{ky},{az}", 0)
            for kz, sz in SHARES:
                self._point(p, front.at((x, box.z0 + box.size[2] * sz)), f"{kx},{ay},{kz}", 1)

    def _point(self, p: QPainter, at: QPointF, anchor: str, view: int) -> None:
        p.setBrush(QColor(self.theme.paper))
        p.drawEllipse(at, POINT_PX, POINT_PX)
        self._points.append((at, anchor, view))

    def _zero(self, p: QPainter, view: Projection, across: str, up: str) -> None:
        at = view.at((0.0, 0.0))
        t = self.theme
        for word, d in ((across, QPointF(46, 0)), (up, QPointF(0, -46))):
            p.setPen(pens.pen(t.accent, 2))
            p.drawLine(at, at + d)
            pens.arrow(p, at + d, 0 if d.x() else -90, t.accent)
            p.setFont(font(11, bold=True))
            p.drawText(at + d + (QPointF(-6, -9) if d.x() else QPointF(7, 6)), word)
        pens.zero_mark(p, at, t.ink, t.paper, 8)

    def point_of(self, anchor: str, view: int) -> QPointF:
        """Where a point to click is, by anchor and view (0 top, 1 front)."""
        return next(at for at, name, where in self._points if name == anchor and where == view)

    def clicked(self, at: QPointF) -> None:
        """A point becomes the zero; a dimension gives its field the cursor."""
        near = min(self._points, key=lambda q: (q[0] - at).manhattanLength(), default=None)
        if near is not None and (near[0] - at).manhattanLength() < NEAR_PX:
            self.anchor_clicked.emit(near[1])
            return
        for tag in reversed(self.tags):
            if tag.rect.contains(at):
                self.field_clicked.emit(tag.field)
                return

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        super().mouseMoveEvent(event)
        if self.dragging:
            return
        at = event.position()
        over = any((q[0] - at).manhattanLength() < NEAR_PX for q in self._points) or any(
            t.rect.contains(at) for t in self.tags
        )
        self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)
