"""How a mill's tool moves: places, lines, arcs, lengths, and cutter compensation; each move keeps the spindle and the feed that held when its line was read."""

from __future__ import annotations

import math
from collections.abc import Mapping

from bastler.core.gcode.carrier import Flat
from bastler.core.gcode.control import AXES
from bastler.core.gcode.motion import ARC, AXES_OF_PLANE, DWELL, FEED, RAPID
from bastler.core.gcode.reader import Reader
from bastler.core.geometry.compensation import EdgePiece


class MillMoves(Reader):
    """A mill whose state is known; words say where it goes."""

    def gauge(self) -> float:
        """Length of the tool in the spindle."""
        tool = self.control.tools.get(self.state.tool)
        return tool.gauge_length if tool else 0.0

    def tip(self) -> tuple[float, float, float]:
        """Where the tip is."""
        x, y, z = self.state.nose
        return (x, y, z - self.gauge())

    def _speed(self) -> float:
        return self.state.speed if self.state.spindle else 0.0

    def _target(self, words: Mapping[str, float], machine: bool = False) -> list[float]:
        """Where the nose is sent."""
        self.use(AXES)
        s = self.state
        if not s.frame.plain and not machine:
            here = list(s.frame.back((s.nose[0], s.nose[1], s.nose[2] - s.length)))
            for i, axis in enumerate(AXES):
                if axis in words:
                    here[i] = words[axis] * s.scale + (0.0 if s.absolute else here[i])
            x, y, z = s.frame.out((here[0], here[1], here[2]))
            return [x, y, z + s.length]
        target = list(s.nose)
        for i, axis in enumerate(AXES):
            if axis not in words:
                continue
            value = words[axis] * s.scale
            if machine:
                target[i] = self.control.machine_origin[i] + value
            elif s.absolute:
                target[i] = value + (s.length if i == 2 else 0.0)
            else:
                target[i] += value
        return target

    def _rate(self, length: float) -> float:
        """Feed of a move of ``length`` mm in mm/min; 0 with a finding if there is none."""
        s = self.state
        self._ask_for_length()
        if s.feed <= 0:
            self.find("no-feed", "stop", "A cutting move has no feed. Add F to this line or before.")
            return 0.0
        if s.feed_mode == "inverse":
            return s.feed * length
        return s.feed * s.speed if s.feed_mode == "rev" else s.feed

    def _ask_for_length(self) -> None:
        """A tool that feeds without its length in force is told once per tool change."""
        s = self.state
        if s.tool not in self.control.tools or s.length_number == s.tool or self._length_told:
            return
        self._length_told = True
        if s.length_number:
            text = (
                f"T{s.tool} feeds with the length of tool {s.length_number}. Add G43 H{s.tool} after the tool change."
            )
            self.find("wrong-offset", "stop", text)
        else:
            text = f"T{s.tool} feeds without its length: the tip is {self.gauge():.3f} mm too low. Add G43 H{s.tool} before."
            self.find("missing-word", "stop", text)

    def _wait(self, seconds: float) -> None:
        """A dwell where the tool is; within compensation nothing but the time between two moves."""
        if self._chain:
            return
        at = self.tip()
        self.builder.add(
            DWELL, at, at, feed=0.0, speed=self._speed(), tool=self.state.tool, line=self.line_no, seconds=seconds,
            turn=self.state.spindle,
        )  # fmt: skip

    # straight moves

    def _run(self, target: list[float], kind: int) -> None:
        """A straight move at once, or into the chain of compensated ones."""
        if self.state.comp and kind in (RAPID, FEED):
            self._chain_line(target, kind == RAPID)
        else:
            self._straight(target, kind)

    def _straight(self, target: list[float], kind: int) -> None:
        start, s = self.tip(), self.state
        length = math.dist(s.nose, target)
        s.nose = target
        if length < 1e-9:
            return
        feed = self._rate(length) if kind == FEED else 0.0
        self.builder.add(
            kind, start, self.tip(), feed=feed, speed=self._speed(), tool=s.tool, line=self.line_no, turn=s.spindle
        )

    # arcs

    def _go_arc(self, target: list[float], centre: Flat, sweep: float) -> None:
        """An arc about a centre in the plane in force."""
        s = self.state
        if s.comp and s.plane == 0:
            self._chain_arc(target, centre, sweep)
            return
        a, b, c = AXES_OF_PLANE[s.plane]
        r0 = math.dist((s.nose[a], s.nose[b]), centre)
        length = math.hypot(r0 * sweep, target[c] - s.nose[c])
        middle = [0.0, 0.0, 0.0]
        middle[a], middle[b] = centre
        if s.plane != 0:
            middle[2] -= self.gauge()
        before = self.tip()
        s.nose = target
        self.builder.add(
            ARC, before, self.tip(), feed=self._rate(length), speed=self._speed(), tool=s.tool, line=self.line_no,
            centre=(middle[0], middle[1], middle[2]), sweep=sweep, plane=s.plane, turn=s.spindle,
        )  # fmt: skip

    # cutter compensation

    def _chain_line(self, target: list[float], rapid: bool) -> None:
        x, y, z = self.state.nose
        feed = 0.0 if rapid else self._rate(math.dist(self.state.nose, target))
        start, end = (x, y), (target[0], target[1])
        self._chain.append(EdgePiece(start, end, z, target[2], feed, self.line_no, rapid, how=self._how()))
        self.state.nose = target
        if self._leaving:
            self._close_chain(leaves=True)

    def _chain_arc(self, target: list[float], centre: Flat, sweep: float) -> None:
        self._ask_for_straight_lead()
        x, y, z = self.state.nose
        length = math.hypot(math.dist((x, y), centre) * sweep, target[2] - z)
        start, end = (x, y), (target[0], target[1])
        feed = self._rate(length)
        self._chain.append(EdgePiece(start, end, z, target[2], feed, self.line_no, False, centre, sweep, self._how()))
        self.state.nose = target

    def _how(self) -> tuple[float, int]:
        """What the spindle does as a line of a chain is read."""
        return (self._speed(), self.state.spindle)

    def _close_chain(self, *, leaves: bool) -> None:
        if self._corner is not None:
            self._break_corner(None, straight=False)
        s = self.state
        gauge = self.gauge()
        ways = self._compensated(self._chain, leaves)
        for e in ways:
            start, end = (*e.start, e.z0 - gauge), (*e.end, e.z1 - gauge)
            if e.sweep == 0.0 and math.dist(start, end) < 1e-9:
                continue
            kind = ARC if e.sweep else RAPID if e.rapid else FEED
            speed, turn = e.how
            self.builder.add(
                kind, start, end, feed=e.feed, speed=speed, tool=s.tool, line=e.line, centre=(*e.centre, 0.0), sweep=e.sweep,
                turn=turn,
            )  # fmt: skip
            s.nose = [end[0], end[1], end[2] + gauge]
        self._chain = []
        self._leaving = False
        s.comp = 0.0
