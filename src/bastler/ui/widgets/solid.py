"""The solid pane: the checked stock in 3-D, in step colours, shared by the stations that show it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QSlider, QVBoxLayout, QWidget

from bastler.core.checked import DEVIATIONS
from bastler.core.gcode.motion import ARC, FEED, RAPID
from bastler.core.verify.grid import Grid, blank, cell_for
from bastler.ui.scene.view import SceneView
from bastler.ui.session import Session
from bastler.ui.theme.tokens import DAY, HUES, Theme
from bastler.ui.widgets.label import Label

MOST_MOVES = 20_000
RAW_CELLS = 60_000
DASH_MM = 4.0
DOT_MM = 1.2
VIEW_WORDS = (("iso", "Corner"), ("top", "Top"), ("front", "Front"), ("right", "Right"))
SECTION_WORDS = ("No section", "Across X", "Across Y", "Across Z")
SLIDER_STEPS = 400
JAWS_SHOWN_MM = 8.0
"""Of what holds a bar, only this much behind it is shown."""
DEVIATION_HUES = ("#004C7F", "#56B4E9", "#C9C4B8", "#F0B65A", "#D55E00")
"""From too low (blue) over right (the stock's own grey) to too high (orange): told apart by everybody."""


class SolidPane(QWidget):
    """The view with its buttons: standard views, section plane, path lines."""

    step_picked = pyqtSignal(int)

    def __init__(self, session: Session, theme: Theme = DAY, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.theme = session, theme
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 6)
        self.view = SceneView(theme)
        self.view.picked.connect(self._picked)
        column.addWidget(self.view, 1)
        self.bar = QWidget()
        rows = QVBoxLayout(self.bar)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(2)
        row = QHBoxLayout()
        rows.addLayout(row)
        row.setContentsMargins(8, 0, 8, 0)
        row.setSpacing(4)
        for name, word in VIEW_WORDS:
            button = QPushButton(word)
            button.setProperty("role", "quiet")
            button.clicked.connect(lambda _, n=name: self.view.send("view", n))
            row.addWidget(button)
        row.addStretch(1)
        row = QHBoxLayout()
        row.setContentsMargins(8, 0, 8, 0)
        row.setSpacing(4)
        rows.addLayout(row)
        self.lines = QPushButton("Paths")
        self.lines.setCheckable(True)
        self.lines.clicked.connect(self._send_paths)
        row.addWidget(self.lines)
        self.compare = QPushButton("Deviation")
        self.compare.setCheckable(True)
        self.compare.setToolTip("Colour by what is too high or too low against the finished shape")
        self.compare.clicked.connect(self._compare)
        row.addWidget(self.compare)
        self.section = QComboBox()
        self.section.addItems(SECTION_WORDS)
        self.section.setAccessibleName("Section plane")
        self.section.currentIndexChanged.connect(self._send_section)
        row.addWidget(self.section)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, SLIDER_STEPS)
        self.slider.setValue(SLIDER_STEPS // 2)
        self.slider.setMinimumWidth(80)
        self.slider.setAccessibleName("Place of the section plane")
        self.slider.valueChanged.connect(self._send_section)
        self.slider.setEnabled(False)
        row.addWidget(self.slider)
        self.place = Label()
        self.place.setMinimumWidth(58)
        row.addWidget(self.place)
        self.legend = Label(rich=True)
        self.legend.setContentsMargins(16, 0, 16, 2)
        self.legend.hide()
        column.addWidget(self.legend)
        column.addWidget(self.bar)
        self._checking_tools = (self.lines, self.compare, self.section, self.slider, self.place)
        self._stock: tuple[Any, Any] | None = None
        self._held: Any = None
        self._raw = False
        self._viewed = False
        self._stale = False
        self._shown_checked: Any = None
        session.checked_changed.connect(self.show_end)
        session.changed.connect(self._setup_changed)

    def wake(self, *, raw: bool = False, tools: bool = False) -> None:
        """Start the picture; called when a station shows the pane.

        ``raw`` shows the uncut block, ``tools`` the buttons for section and paths.
        """
        fresh = not self.view.awake
        for widget in self._checking_tools:
            widget.setVisible(tools and self.session.plan.frame.chucking is None)
        self.view.wake()
        if not tools:
            self.lines.setChecked(False)
            self.compare.setChecked(False)
            self.legend.hide()
            self.section.setCurrentIndex(0)
        if fresh or raw or self._raw or self._stale or self._shown_checked is not self.session.checked:
            self._raw = raw
            self._send_end()
        if not tools:
            self._send_paths()
            self.view.send("tool", None, None, None)
            self.view.send("view", "iso")

    def set_theme(self, theme: Theme) -> None:
        """Another paper, other stock colour."""
        self.theme = theme
        self.view.set_theme(theme)
        self.show_end()

    # content

    def _setup_changed(self) -> None:
        if self._raw or self.session.checked is None or not self.session.plan.order:
            self.show_end()

    def show_end(self) -> None:
        """The stock after the last move, or the raw block while there is no check; a pane that nobody sees waits."""
        self._stale = not self.isVisible()
        if self.view.awake and not self._stale:
            self._send_end()

    def _send_end(self) -> None:
        self._stale = False
        checked = self.session.checked
        if checked is not self._shown_checked:
            self._held = None
        self._shown_checked = checked
        self._send_frame()
        if self.session.plan.frame.chucking is not None:
            self.show_stock(
                checked.turned.stock if checked is not None and checked.turned is not None and not self._raw else None,
                None,
            )
        elif checked is None or self._raw:
            frame = self.session.plan.frame
            grid = Grid.over(frame.bed, cell_for(frame.bed, RAW_CELLS))
            heights = blank(grid, frame.bed, frame.pieces)
            self._send_stock(grid, heights, ("raw",))
            self.view.send("tool", None, None, None)
            self.view.send("paths", [])
        else:
            self.show_stock(checked.heights, checked.cut_by)
            self._send_paths()
        if not self._viewed:
            self._viewed = True
            self.view.send("view", "iso")

    def show_stock(self, heights: Any, cut_by: Any) -> None:
        """Any stage of the stock."""
        checked = self.session.checked
        if self.session.plan.frame.chucking is not None:
            self._send_turned(heights)
            return
        if checked is None or not self.view.awake or self._raw:
            return
        self._stock = (heights, cut_by)
        if self.compare.isChecked():
            way = ("deviation", checked.target, self.session.plan.frame.bed.z0)
            self._send_stock(checked.grid, heights, way, DEVIATION_HUES)
        else:
            self._send_stock(checked.grid, heights, ("steps", cut_by, self._slots_of_moves(), self._held, len(HUES)))

    def _slots_of_moves(self) -> Any:
        """Whose colour each move has, -1 for none."""
        checked = self.session.checked
        slots = np.array([*self.session.colours.slots(checked.step_ids), -1], dtype=np.int32)
        return slots[checked.step_of_move]

    def _send_turned(self, section: Any) -> None:
        """A half section as the solid that it makes about the axis, a quarter cut out; ``None``: the raw bar."""
        if not self.view.awake:
            return
        from bastler.core.geometry.halfsection import box, polygon
        from bastler.core.verify.revolved import scene_of
        from bastler.ui.drawing.lathe.lathemoment import parted

        plan = self.session.plan
        held, turning = plan.frame.chucking, plan.start.lathe
        assert held is not None
        assert turning is not None
        cleared = [
            (self.session.colours.slot(s.step.id), c.area)
            for s in plan.steps
            if s.step.on
            for c in s.cleared
            if not c.wanted and c.thread is None
        ]
        near = box(held.blank[0] - JAWS_SHOWN_MM, 1e4, 0.0, 1e4)
        bodies = [polygon(b.outline).intersection(near) for b in held.bodies]
        off = parted(self.session.checked, section) if section is not None else None
        mesh = (
            scene_of(section, cleared, bodies, off, len(HUES), held.prism)
            if section is not None
            else scene_of(turning.stock, [], bodies, None, len(HUES), held.prism)
        )
        self.view.send("mesh", mesh, [*HUES, self.theme.hatch], self.theme.stock, self.theme.accent_fill)

    def hold(self, on: bool) -> None:
        """From now on only what differs from the stock in view has the colour of its step; or all again."""
        self._held = self._stock[0].copy() if on and self._stock is not None else None
        if self._stock is not None:
            self.show_stock(*self._stock)

    def _compare(self) -> None:
        """Switch between the colours of steps and of deviation."""
        on = self.compare.isChecked()
        units = "mm"
        words = "   ".join(
            f'<span style="color:{c}">■</span> {word}' for (word, _), c in zip(DEVIATIONS, DEVIATION_HUES, strict=True)
        )
        self.legend.setText(f"{words}   ({units})")
        self.legend.setVisible(on)
        if self._stock is not None:
            self.show_stock(*self._stock)
        else:
            self.show_end()

    def _send_stock(self, grid: Grid, heights: Any, way: tuple[Any, ...], hues: Sequence[str] = HUES) -> None:
        """A stock, and how its cells are coloured (see :mod:`bastler.ui.scene.labels`)."""
        bottom = self.session.plan.frame.block.z0
        self.view.send("stock", grid, heights, way, bottom, list(hues), self.theme.stock, self.theme.accent_fill)

    def _send_frame(self) -> None:
        f = self.session.plan.frame
        b = f.bed
        if f.chucking is not None:
            z0, z1, _, r = f.chucking.blank
            self.view.send("bounds", (z0, z1, -r, r, -r, r))
            self.view.send("fixture", [], self.theme.hatch)
            self.view.send("axes", 0.001, self.theme.ink)
            return
        self.view.send("bounds", (b.x0, b.x1, b.y0, b.y1, b.z0, b.z1))
        boxes = [((o.box.x0, o.box.x1, o.box.y0, o.box.y1, o.box.z0, o.box.z1), o.round) for o in f.obstacles]
        self.view.send("fixture", boxes, self.theme.hatch)
        self.view.send("axes", max(b.size) * 0.14, self.theme.ink)

    def _send_section(self) -> None:
        index = self.section.currentIndex()
        self.slider.setEnabled(index > 0)
        if index == 0:
            self.place.setText("")
            self.view.send("section", None, 0.0)
            return
        b = self.session.plan.frame.bed
        low, high = ((b.x0, b.x1), (b.y0, b.y1), (b.z0, b.z1))[index - 1]
        at = low + (high - low) * self.slider.value() / SLIDER_STEPS
        self.place.setText(f"{'XYZ'[index - 1]} {at:.1f}")
        self.view.send("section", index - 1, at)

    def _send_paths(self) -> None:
        checked = self.session.checked
        if checked is None or not self.lines.isChecked() or checked.turned is not None:
            self.view.send("paths", [])
            return
        m = checked.motion
        kinds: dict[tuple[str, int], list[Any]] = {}
        slots = self._slots_of_moves()
        top = self.session.plan.frame.clearance + 1
        for i in range(min(len(m), MOST_MOVES)):
            if m.kind[i] not in (RAPID, FEED, ARC) or max(m.start[i, 2], m.end[i, 2]) > top:
                continue
            points = m.chords(i, 0.05)
            down = m.kind[i] == FEED and m.end[i, 2] < m.start[i, 2] - 1e-6
            word = "rapid" if m.kind[i] == RAPID else "plunge" if down else "feed"
            if word != "feed":
                points = _broken(points, DASH_MM if word == "rapid" else DOT_MM)
            kinds.setdefault((word, int(slots[i])), []).append((points, word == "feed"))
        groups = []
        for (word, _step), pieces in kinds.items():
            points, pairs, count = [], [], 0
            for chunk, whole in pieces:
                n = len(chunk)
                a = np.arange(n - 1) if whole else np.arange(0, n - 1, 2)
                pairs.append(np.stack([a, a + 1], axis=1) + count)
                points.append(chunk)
                count += n
            colour = self.theme.soft_ink if word == "rapid" else self.theme.ink
            groups.append(
                (np.concatenate(points), np.concatenate(pairs), colour, 1.0 if word == "rapid" else 1.4, 0.55)
            )
        self.view.send("paths", groups)

    def show_tool(self, number: int, at: tuple[float, float, float] | None) -> None:
        """The tool at a place; number 0 hides it."""
        tool = self.session.plan.tools.get(number)
        if tool is None or at is None or not self.view.awake or self.session.plan.frame.chucking is not None:
            if self.view.awake:
                self.view.send("tool", None, None, None)
            return
        self.view.send("tool", tool.silhouette(), at, (self.theme.hatch, self.theme.accent, tool.flute_length))

    def show_marker(self, at: tuple[float, float, float] | None) -> None:
        """The place of a finding."""
        if self.view.awake:
            turned = self.session.plan.frame.chucking is not None
            self.view.send("marker", (at[2], 0.0, at[0] / 2) if at is not None and turned else at, self.theme.stop)

    def _picked(self, label: object) -> None:
        if isinstance(label, int) and label >= 0:
            self.step_picked.emit(label)


def _broken(points: Any, piece: float) -> Any:
    """A polyline cut into pieces and gaps of equal length, as pairs of points."""
    result = []
    for a, b in zip(points[:-1], points[1:], strict=True):
        length = float(np.linalg.norm(b - a))
        count = max(int(length / piece) // 2 * 2 + 1, 1)
        t = np.linspace(0, 1, count + 1)[:, None]
        chain = a + (b - a) * t
        for i in range(0, count, 2):
            result += [chain[i], chain[i + 1]]
    return np.array(result)
