"""The widget that shows the 3-D picture and turns the mouse into camera moves."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from bastler.core.messages import Message
from bastler.ui.drawing.pens import focus_ring
from bastler.ui.theme.style import font
from bastler.ui.theme.tokens import DAY, Theme
from bastler.ui.worker import Worker

CLICK_PX = 4
SCENE = frozenset(
    {
        "background",
        "bounds",
        "fixture",
        "axes",
        "stock",
        "mesh",
        "section",
        "paths",
        "tool",
        "turned",
        "marker",
        "view",
        "resize",
    }
)
"""What makes the scene, of each the last one; a process that is started anew gets them all. (How it was turned since is lost.)"""
NEWEST = frozenset({"stock", "tool", "turned", "resize", "paths", "section", "number", "marker"})
"""Of these only the last one that waits is drawn."""
FINER = 1.5
"""Pictures are made this much finer than the screen and smoothed: cheaper than multisampling in software."""


class SceneView(QWidget):
    """Shows pictures of the scene process; drag turns, Shift or the middle button pans, the wheel zooms."""

    picked = pyqtSignal(object)
    pictured = pyqtSignal(int)
    trouble = pyqtSignal(str)

    def __init__(self, theme: Theme = DAY, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.worker = Worker("bastler.ui.scene.sceneserver", NEWEST, self)
        self.worker.answered.connect(self._answer)
        self.worker.died.connect(self._died)
        self._scene: dict[str, Message] = {}
        self.picture: QImage | None = None
        self._press: QPointF | None = None
        self._last: QPointF | None = None
        self._number = 0
        self._awake = False
        self.setMinimumSize(QSize(240, 200))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Solid view. Arrows turn, Shift with arrows pan, plus and minus zoom.")

    @property
    def number(self) -> int:
        """Number of the last request."""
        return self._number

    def send(self, *message: object) -> int:
        """A scene change; the picture that holds it carries at least the returned number."""
        self._number += 1
        if message[0] in SCENE:
            self._scene.pop("mesh" if message[0] == "stock" else "stock" if message[0] == "mesh" else "", None)
            self._scene[message[0]] = message
            self.worker.calm()
        self.worker.send(*message)
        self.worker.send("number", self._number)
        return self._number

    def _died(self, again: bool) -> None:
        """The process ended: a new one gets the scene as it was last sent."""
        if again:
            self.trouble.emit("The solid view’s process ended. It was started again by itself.")
            for message in self._scene.values():
                self.worker.send(*message)
            self.worker.send("number", self._number)
        else:
            self.trouble.emit("The solid view’s process ended again and again. It rests until what it shows changes.")

    def wake(self) -> None:
        """Start the process once; later calls only fit the size."""
        if not self._awake:
            self._awake = True
            self.send("background", self.theme.paper)
        self._fit()

    @property
    def awake(self) -> bool:
        """Whether the process was started."""
        return self._awake

    def set_theme(self, theme: Theme) -> None:
        """Another paper."""
        self.theme = theme
        if self._awake:
            self.send("background", theme.paper)

    def _fit(self) -> None:
        ratio = self.devicePixelRatioF() * FINER
        self.send("resize", round(self.width() * ratio), round(self.height() * ratio))

    def _answer(self, message: Message) -> None:
        if message[0] == "picture":
            _, number, width, height, data = message
            self.picture = QImage(data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()
            self.update()
            self.pictured.emit(number)
        elif message[0] == "picked":
            self.picked.emit(message[1])
        elif message[0] == "failed":
            self.trouble.emit(message[1])

    def paintEvent(self, _: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), QColor(self.theme.paper))
        if self.picture is not None:
            p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            p.drawImage(QRectF(self.rect()), self.picture)
        else:
            p.setPen(QColor(self.theme.soft_ink))
            p.setFont(font())
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "The solid view is being prepared …")
        if self.hasFocus():
            focus_ring(p, QRectF(self.rect()), self.theme.focus)
        p.end()

    def resizeEvent(self, _: QResizeEvent | None) -> None:
        if self._awake:
            self._fit()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._press = self._last = event.position()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._last is None:
            return
        d = event.position() - self._last
        self._last = event.position()
        pans = event.buttons() & Qt.MouseButton.MiddleButton or event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        self.send("pan" if pans else "turn", d.x(), d.y())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._press is not None and (event.position() - self._press).manhattanLength() < CLICK_PX:
            ratio = self.devicePixelRatioF() * FINER
            self.send("pick", round(event.position().x() * ratio), round(event.position().y() * ratio))
        self._press = self._last = None

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        self.send("zoom", event.angleDelta().y() / 120)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {
            Qt.Key.Key_Left: (-20, 0),
            Qt.Key.Key_Right: (20, 0),
            Qt.Key.Key_Up: (0, -20),
            Qt.Key.Key_Down: (0, 20),
        }.get(Qt.Key(event.key()))
        if step is not None:
            self.send("pan" if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else "turn", *step)
        elif event.text() in ("+", "-"):
            self.send("zoom", 1 if event.text() == "+" else -1)
        else:
            super().keyPressEvent(event)

    def close_worker(self) -> None:
        """End the process."""
        self.worker.close()
