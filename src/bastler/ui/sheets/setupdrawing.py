"""The setup drawn, as its machine's bench draws it, with fields and points to click."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from bastler.ui.benches import window_bench
from bastler.ui.drawing.dimensions import Tag
from bastler.ui.drawing.zoom import ZoomSheet
from bastler.ui.session import Session
from bastler.ui.theme.tokens import DAY, Theme

NEAR_PX = 14.0


class SetupSheet(ZoomSheet):
    """The drawing of the setup."""

    field_clicked = pyqtSignal(str)
    anchor_clicked = pyqtSignal(str)

    def __init__(self, session: Session, theme: Theme = DAY, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.theme = session, theme
        self.focus_field = ""
        self.tags: list[Tag] = []
        self.points: list[tuple[QPointF, str, int]] = []
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
        self.tags, self.points = [], []
        self.begin_panes()
        window_bench(self.session.plan).paint_setup(self, p)
        self.paint_overview(p, self.theme)
        self.paint_box(p, self.theme)
        self.paint_focus(p, self.theme)
        p.end()

    def point_of(self, anchor: str, view: int) -> QPointF:
        """Where a point to click is, by anchor and view (0 top, 1 front)."""
        return next(at for at, name, where in self.points if name == anchor and where == view)

    def clicked(self, at: QPointF) -> None:
        """A point becomes the zero; a dimension gives its field the cursor."""
        near = min(self.points, key=lambda q: (q[0] - at).manhattanLength(), default=None)
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
        over = any((q[0] - at).manhattanLength() < NEAR_PX for q in self.points) or any(
            t.rect.contains(at) for t in self.tags
        )
        self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)
