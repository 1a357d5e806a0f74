"""The solid pane: the checked stock in 3-D, in step colours, shared by the stations that show it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QSlider, QVBoxLayout, QWidget

from bastler.core.checked import DEVIATIONS
from bastler.core.gcode.motion import ARC, FEED, RAPID, Motion
from bastler.core.tooling.tools import Tool
from bastler.ui.benches import WindowBench, window_bench
from bastler.ui.benches.windowbench import Pose
from bastler.ui.plain.label import Label
from bastler.ui.scene.view import SceneView
from bastler.ui.session import Session
from bastler.ui.theme.tokens import DAY, Theme

if TYPE_CHECKING:
    from bastler.core.checked import Checked
    from bastler.core.verify.pictures import State

Points = NDArray[np.float64]
MOST_MOVES = 20_000
DASH_MM = 4.0
DOT_MM = 1.2
VIEW_WORDS = (("iso", "Corner"), ("top", "Top"), ("front", "Front"), ("right", "Right"))
SECTION_WORDS = ("No section", "Across X", "Across Y", "Across Z")
SLIDER_STEPS = 400
DEVIATION_HUES = ("#004C7F", "#56B4E9", "#C9C4B8", "#F0B65A", "#D55E00")
"""From too low (blue) over right (the stock's own grey) to too high (orange): told apart by everybody."""


class SolidPane(QWidget):
    """The view with its buttons: standard views, section plane, path lines."""

    step_picked = pyqtSignal(int)
    deviation_hues = DEVIATION_HUES

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
        self.bar = self._bar()
        self.legend = Label(rich=True)
        self.legend.setContentsMargins(16, 0, 16, 2)
        self.legend.hide()
        column.addWidget(self.legend)
        column.addWidget(self.bar)
        self._checking_tools = (self.lines, self.compare, self.section, self.slider, self.place)
        self._stock: State | None = None
        self.held: State | None = None
        self._raw = False
        self._viewed = False
        self._stale = False
        self._shown_checked: Checked | None = None
        session.checked_changed.connect(self.show_end)
        session.changed.connect(self._setup_changed)

    def _bar(self) -> QWidget:
        """Views, and below them what a check is looked at with."""
        bar = QWidget()
        rows = QVBoxLayout(bar)
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
        rows.addLayout(self._tools())
        return bar

    def _tools(self) -> QHBoxLayout:
        """Paths, deviation, section plane."""
        row = QHBoxLayout()
        row.setContentsMargins(8, 0, 8, 0)
        row.setSpacing(4)
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
        return row

    def wake(self, *, raw: bool = False, tools: bool = False) -> None:
        """Start the picture; called when a station shows the pane.

        ``raw`` shows the uncut block, ``tools`` the buttons for section and paths.
        """
        fresh = not self.view.awake
        for widget in self._checking_tools:
            widget.setVisible(tools and self.bench.sections)
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
            self._show_pose(None, None)
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

    @property
    def bench(self) -> WindowBench:
        """How this machine's stock is shown."""
        return window_bench(self.session.plan)

    def _checked(self) -> Checked | None:
        """The check in hand, if it is one of this kind of machine."""
        checked = self.session.checked
        return checked if checked is not None and self.bench.fits(checked.picture) else None

    def _send_end(self) -> None:
        self._stale = False
        if self.session.checked is not self._shown_checked:
            self.held = None
        self._shown_checked, checked = self.session.checked, self._checked()
        self.bench.send_frame(self)
        if checked is None or self._raw:
            self.bench.send_raw(self)
            self._show_pose(None, None)
            self.view.send("paths", [])
        else:
            self.show_stock(checked.picture.state)
            self._send_paths()
        if not self._viewed:
            self._viewed = True
            self.view.send("view", "iso")

    def show_stock(self, state: State) -> None:
        """Any stage of the stock: a state of the check's."""
        checked = self._checked()
        if checked is None or not self.view.awake or self._raw:
            return
        self._stock = state
        self.bench.send_stock(self, checked, state)

    def slots_of_moves(self, checked: Checked) -> NDArray[np.int32]:
        """Whose colour each move has, -1 for none."""
        slots = np.array([*self.session.colours.slots(self.session.checked_ids), -1], dtype=np.int32)
        return slots[checked.step_of_move]

    def hold(self, on: bool) -> None:
        """From now on only what differs from the stock in view has the colour of its step; or all again."""
        self.held = self._stock if on else None
        if self._stock is not None:
            self.show_stock(self._stock)

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
            self.show_stock(self._stock)
        else:
            self.show_end()

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
        checked = self._checked()
        if checked is None or not self.lines.isChecked() or not self.bench.sections:
            self.view.send("paths", [])
            return
        m = checked.motion
        kinds: dict[tuple[str, int], list[tuple[Points, bool]]] = {}
        slots = self.slots_of_moves(checked)
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
            pairs: list[NDArray[np.int64]] = []
            chunks: list[Points] = []
            count = 0
            for chunk, whole in pieces:
                n = len(chunk)
                a = np.arange(n - 1) if whole else np.arange(0, n - 1, 2)
                pairs.append(np.stack([a, a + 1], axis=1) + count)
                chunks.append(chunk)
                count += n
            colour = self.theme.soft_ink if word == "rapid" else self.theme.ink
            groups.append(
                (np.concatenate(chunks), np.concatenate(pairs), colour, 1.0 if word == "rapid" else 1.4, 0.55)
            )
        self.view.send("paths", groups)

    def show_moment(self, motion: Motion, move: int, share: float) -> None:
        """The tool at ``share`` of a move, and the part as it has swung then."""
        if not self.view.awake:
            return
        tool = self.session.plan.tools.get(int(motion.tool[move]))
        self._show_pose(tool, self.bench.pose(motion, move, share))

    def _show_pose(self, tool: Tool | None, pose: Pose | None) -> None:
        """A tool where it is, or none, over the part as it has swung."""
        self.view.send("turned", pose.swung if pose is not None else 0.0)
        if tool is None or pose is None:
            self.view.send("tool", None, None, None)
            return
        colours = (self.theme.hatch, self.theme.accent, tool.flute_length)
        self.view.send("tool", tool.silhouette(), pose.at, colours, pose.along)

    def show_marker(self, at: tuple[float, float, float] | None) -> None:
        """The place of a finding."""
        if self.view.awake:
            self.view.send("marker", self.bench.marker(at) if at is not None else None, self.theme.stop)

    def _picked(self, label: object) -> None:
        if isinstance(label, int) and label >= 0:
            self.step_picked.emit(label)


def _broken(points: Points, piece: float) -> Points:
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
