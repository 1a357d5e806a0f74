"""Looking closer at a sheet: wheel at the pointer, drag, a box, two fingers, keys. Texts keep their size.

*Pane*: one view on a sheet, the piece of the sheet that it has, and the part's axes that run across and up it. Panes of
one sheet look at the same place: what they share of it are the coordinates by axis.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterator

from msgspec import Struct
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QWheelEvent
from PyQt6.QtWidgets import QGestureEvent, QPinchGesture, QWidget

from bastler.ui.drawing import pens
from bastler.ui.drawing.projection import Projection
from bastler.ui.drawing.texts import Texts
from bastler.ui.theme.tokens import Theme

Box = tuple[float, float, float, float]
CLOSEST, STEP = 400.0, 1.25
MOVED_PX = 6.0
SHARE = 0.2
"""An arrow moves by this share of the pane."""
ROOM = 1.6
"""Round what is looked at there is this much as its size."""
OVERVIEW_PX = 96.0
ARROWS = {
    Qt.Key.Key_Left: (-1.0, 0.0), Qt.Key.Key_Right: (1.0, 0.0), Qt.Key.Key_Up: (0.0, 1.0), Qt.Key.Key_Down: (0.0, -1.0),
}  # fmt: skip


class Pane(Struct, frozen=True):
    """``whole``: the view that shows everything; ``view``: as it is looked at; ``area`` in pixels; ``axes`` across and up."""

    whole: Projection
    view: Projection
    area: QRectF
    axes: str


class ZoomSheet(QWidget):
    """A sheet that can be looked at more closely. A sheet's paintEvent takes its views from :meth:`looked`."""

    theme: Theme

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.texts = Texts(QRectF())
        self.closer = 1.0
        self._centre: dict[str, float] = {}
        self._panes: list[Pane] = []
        self._pressed: QPointF | None = None
        self._moved = False
        self._box: QRectF | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.grabGesture(Qt.GestureType.PinchGesture)

    # what a sheet says

    def selected_box(self) -> Box | None:
        """What the key for the selected thing looks at, by the axes of the first pane."""
        return None

    def clicked(self, at: QPointF) -> None:
        """A click that was no drag."""

    # views

    def begin_panes(self) -> None:
        """Painting starts."""
        self._panes = []
        self.texts = Texts(QRectF(self.rect()))

    def looked(self, whole: Projection, area: QRectF, axes: str = "xy") -> Projection:
        """The view as it is looked at now."""
        view = self._seen(whole, area, axes)
        self._panes.append(Pane(whole, view, area, axes))
        return view

    def _seen(self, whole: Projection, area: QRectF, axes: str) -> Projection:
        if self.closer == 1.0:
            return whole
        middle = area.center()
        a, b = (self._centre.get(axis, home) for axis, home in zip(axes, whole.back(middle), strict=True))
        return Projection(a, b, middle.x(), middle.y(), whole.scale * self.closer)

    def _now(self, pane: Pane) -> Projection:
        """The view of a pane as it will be painted next: several hands' moves may come before a painting."""
        return self._seen(pane.whole, pane.area, pane.axes)

    def window_of(self, view: Projection) -> QRectF | None:
        """The piece of the sheet that a closer view has; ``None`` while everything is in view."""
        if self.closer == 1.0:
            return None
        return next((pane.area for pane in self._panes if pane.view is view), None)

    def frame_of(self, view: Projection, box: Box) -> QRectF:
        """The edge, in pixels, outside which a view's dimensions stand: of a box, or of what is in view of it."""
        frame, window = view.rect(*box), self.window_of(view)
        return frame if window is None else frame.intersected(window) if frame.intersects(window) else window

    @contextlib.contextmanager
    def clipped(self, p: QPainter, view: Projection) -> Iterator[None]:
        """Only the view's own piece of the sheet is drawn on."""
        window = self.window_of(view)
        if window is None:
            yield
            return
        p.save()
        p.setClipRect(window.adjusted(-2, -2, 2, 2))
        try:
            yield
        finally:
            p.restore()

    def look_at(self, box: Box, pane: Pane | None = None) -> None:
        """Bring a box of a pane into view."""
        pane = pane or (self._panes[0] if self._panes else None)
        if pane is None:
            return
        wide, high = max(box[1] - box[0], 1e-3), max(box[3] - box[2], 1e-3)
        scale = min(pane.area.width() / wide, pane.area.height() / high) / ROOM
        self.closer = min(max(scale / pane.whole.scale, 1.0), CLOSEST)
        self._centre[pane.axes[0]], self._centre[pane.axes[1]] = (box[0] + box[1]) / 2, (box[2] + box[3]) / 2
        self._settle()

    def whole(self) -> None:
        """Everything in view again."""
        self.closer = 1.0
        self._settle()

    def look_at_selected(self) -> None:
        """The selected thing as large as it fits."""
        box = self.selected_box()
        if box is not None:
            self.look_at(box)

    def zoom(self, by: float, at: QPointF | None = None) -> None:
        """Closer or farther; what lies at ``at`` (pixels) stays there."""
        pane = self._pane(at)
        if pane is None:
            return
        at = at or pane.area.center()
        a, b = self._now(pane).back(at)
        self.closer = min(max(self.closer * by, 1.0), CLOSEST)
        scale, middle = pane.whole.scale * self.closer, pane.area.center()
        self._centre[pane.axes[0]] = a - (at.x() - middle.x()) / scale
        self._centre[pane.axes[1]] = b + (at.y() - middle.y()) / scale
        self._settle()

    def shift(self, by: QPointF, at: QPointF | None = None) -> None:
        """Move what is in view by pixels."""
        pane = self._pane(at)
        if pane is None or self.closer == 1.0:
            return
        middle = self._now(pane).back(pane.area.center() - by)
        self._centre[pane.axes[0]], self._centre[pane.axes[1]] = middle
        self._settle()

    def _settle(self) -> None:
        if self.closer == 1.0:
            self._centre = {}
        for pane in self._panes:  # the middle of the view stays on what there is to see
            for axis, low, high in zip(pane.axes, *_corners(pane), strict=True):
                if axis in self._centre:
                    self._centre[axis] = min(max(self._centre[axis], low), high)
        self.update()

    def _pane(self, at: QPointF | None) -> Pane | None:
        over = (pane for pane in self._panes if at is not None and pane.area.contains(at))
        return next(over, self._panes[0] if self._panes else None)

    # painting

    def paint_overview(self, p: QPainter, theme: Theme) -> None:
        """Where one is: all that the first pane shows from afar, and what is in view of it."""
        if self.closer == 1.0 or not self._panes:
            return
        pane = self._panes[0]
        (x0, y0), (x1, y1) = _corners(pane)
        box = (x0, x1, y0, y1)
        wide, high = max(box[1] - box[0], 1e-6), max(box[3] - box[2], 1e-6)
        scale = min(OVERVIEW_PX / wide, OVERVIEW_PX * 0.7 / high)
        place = QRectF(10, self.height() - high * scale - 12, wide * scale, high * scale)
        small = Projection.fit(box, place)
        p.setPen(pens.thin(theme.soft_ink))
        p.setBrush(QColor(theme.paper))
        p.drawRect(place)
        (a0, b0), (a1, b1) = pane.view.back(pane.area.bottomLeft()), pane.view.back(pane.area.topRight())
        seen = QRectF(small.at((a0, b1)), small.at((a1, b0))).intersected(place)
        p.setPen(pens.pen(theme.accent, 2.0))
        p.setBrush(pens.tint(theme.accent, 0.2))
        p.drawRect(seen)

    def paint_box(self, p: QPainter, theme: Theme) -> None:
        """The box that is being drawn with the mouse."""
        if self._box is not None:
            p.setPen(pens.dashed(theme.accent))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(self._box)

    # hands

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Closer or farther at the pointer."""
        assert event is not None
        self.zoom(STEP ** (event.angleDelta().y() / 120.0), event.position())
        event.accept()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._pressed, self._moved = event.position(), False

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """With the left button held: move; with the right one, or Shift: draw a box."""
        assert event is not None
        if self._pressed is None or not event.buttons():
            return
        by = event.position() - self._pressed
        if not self._moved and by.manhattanLength() < MOVED_PX:
            return
        self._moved = True
        if self._box is not None or boxes(event):
            self._box = QRectF(self._pressed, event.position()).normalized()
            self.update()
            return
        self.setCursor(Qt.CursorShape.ClosedHandCursor)
        self.shift(by, event.position())
        self._pressed = event.position()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        pressed, self._pressed = self._pressed, None
        box, self._box = self._box, None
        if box is not None:
            pane = self._pane(box.center())
            if pane is not None and min(box.width(), box.height()) > MOVED_PX:
                (a0, b0), (a1, b1) = pane.view.back(box.bottomLeft()), pane.view.back(box.topRight())
                grown = ((a1 - a0) / ROOM / 2, (b1 - b0) / ROOM / 2)
                middle = ((a0 + a1) / 2, (b0 + b1) / 2)
                self.look_at(
                    (middle[0] - grown[0], middle[0] + grown[0], middle[1] - grown[1], middle[1] + grown[1]), pane
                )
            self.update()
        elif pressed is not None and not self._moved and event.button() == Qt.MouseButton.LeftButton:
            self.clicked(event.position())

    @property
    def dragging(self) -> bool:
        """Whether the mouse is moving the view or drawing a box."""
        return self._pressed is not None and self._moved

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """``+`` and ``-``, arrows, Home for everything, End for the selected thing."""
        assert event is not None
        key = Qt.Key(event.key())
        if key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            self.zoom(1 / STEP if key == Qt.Key.Key_Minus else STEP)
        elif key in ARROWS and self.closer > 1.0:
            across, up = ARROWS[key]
            self.shift(QPointF(-across * SHARE * self.width(), up * SHARE * self.height()))
        elif key == Qt.Key.Key_Home:
            self.whole()
        elif key == Qt.Key.Key_End:
            self.look_at_selected()
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent | None) -> bool:
        """Two fingers."""
        if isinstance(event, QGestureEvent):
            pinch = event.gesture(Qt.GestureType.PinchGesture)
            if isinstance(pinch, QPinchGesture):
                at = QPointF(self.mapFromGlobal(pinch.centerPoint().toPoint()))
                self.shift(pinch.centerPoint() - pinch.lastCenterPoint(), at)
                self.zoom(pinch.scaleFactor(), at)
                return True
        return super().event(event)

    def focusInEvent(self, event: object) -> None:
        super().focusInEvent(event)  # type: ignore[arg-type]
        self.update()

    def focusOutEvent(self, event: object) -> None:
        super().focusOutEvent(event)  # type: ignore[arg-type]
        self.update()

    def paint_focus(self, p: QPainter, theme: Theme) -> None:
        """The ring that says where keys go."""
        if self.hasFocus():
            pens.focus_ring(p, QRectF(self.rect()), theme.focus)


def boxes(event: QMouseEvent) -> bool:
    """Whether a drag draws a box."""
    return bool(event.buttons() & Qt.MouseButton.RightButton or event.modifiers() & Qt.KeyboardModifier.ShiftModifier)


def _corners(pane: Pane) -> tuple[tuple[float, float], tuple[float, float]]:
    """Lowest and highest coordinates that the whole view of a pane shows."""
    return pane.whole.back(pane.area.bottomLeft()), pane.whole.back(pane.area.topRight())
