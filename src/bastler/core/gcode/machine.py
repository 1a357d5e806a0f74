"""Carries out what the interpreter has understood: moves of the tool, with its findings.

Straight moves, arcs in three planes, lengths, and cutter compensation, whose moves wait in a chain
until it is dropped.
"""

from __future__ import annotations

import math

from bastler.core.findings import Finding
from bastler.core.gcode.control import ARC_TOLERANCE_MM, AXES, MOST_OF_A_KIND, Control, State
from bastler.core.gcode.motion import ARC, AXES_OF_PLANE, DWELL, FEED, RAPID, Builder
from bastler.core.geometry.compensation import Element, compensate

NO_SWEEP = 1e-9
"""An arc of less, rad, whose end is somewhere else than its start is a line away from its centre: that it is no arc has been told."""


class Machine:
    """A control's memory with a tool that moves."""

    def __init__(self, control: Control) -> None:
        self.control = control
        self.state = State(nose=list(control.machine_origin))
        self.builder = Builder()
        self.findings: list[Finding] = []
        self.line_no = 0
        self.counts: dict[str, int] = {}
        self._chain: list[Element] = []
        self._leaving = False
        self._length_told = False

    def find(self, kind: str, severity: str, text: str, line: int | None = None) -> None:
        """A finding at the current line, limited in number per kind."""
        self.counts[kind] = self.counts.get(kind, 0) + 1
        if self.counts[kind] <= MOST_OF_A_KIND:
            self.findings.append(Finding(kind, severity, text, line or self.line_no, None, self.tip()))  # type: ignore[arg-type]

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

    def _target(self, words: dict[str, float], machine: bool = False) -> list[float]:
        """Where the nose is sent."""
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
            self.find(
                "wrong-offset",
                "stop",
                f"T{s.tool} feeds with the length of tool {s.length_number}. Add G43 H{s.tool} after the tool change.",
            )
        else:
            self.find(
                "missing-word",
                "stop",
                f"T{s.tool} feeds without its length: the tip is {self.gauge():.3f} mm too low. Add G43 H{s.tool} before.",
            )

    def _wait(self, seconds: float) -> None:
        """A dwell where the tool is."""
        at = self.tip()
        self.builder.add(
            DWELL, at, at, feed=0.0, speed=self._speed(), tool=self.state.tool, line=self.line_no, seconds=seconds
        )

    def _straight(self, target: list[float], kind: int) -> None:
        start = self.tip()
        length = math.dist(self.state.nose, target)
        self.state.nose = target
        if length < 1e-9:
            return
        feed = self._rate(length) if kind == FEED else 0.0
        self.builder.add(
            kind, start, self.tip(), feed=feed, speed=self._speed(), tool=self.state.tool, line=self.line_no
        )

    def _arc(self, words: dict[str, float], target: list[float]) -> None:
        s = self.state
        a, b, c = AXES_OF_PLANE[s.plane]
        start = s.nose
        p0, p1 = (start[a], start[b]), (target[a], target[b])
        ccw = (s.motion == 3) != s.frame.mirrored
        centre = self._arc_centre(words, p0, p1, ccw, (a, b))
        if centre is None:
            self._straight(target, FEED)
            return
        r0, r1 = math.dist(p0, centre), math.dist(p1, centre)
        if r0 < 1e-6:
            self.find("syntax", "stop", "The arc has no radius. Correct its centre.")
            self._straight(target, FEED)
            return
        if abs(r0 - r1) > ARC_TOLERANCE_MM:
            self.find(
                "syntax",
                "stop",
                f"The arc's end is {abs(r0 - r1):.3f} mm off its circle of radius {r0:.3f}. Correct end or centre.",
            )
        a0 = math.atan2(p0[1] - centre[1], p0[0] - centre[0])
        a1 = math.atan2(p1[1] - centre[1], p1[0] - centre[0])
        sweep = (a1 - a0) % math.tau
        if math.dist(p0, p1) < 1e-6:
            sweep = math.tau
        if not ccw:
            sweep = sweep - math.tau if sweep < math.tau else -math.tau
        if abs(sweep) < NO_SWEEP:
            self._straight(target, FEED)
            return
        if s.comp and s.plane == 0:
            self._chain_arc(target, centre, sweep)
            return
        length = math.hypot(r0 * sweep, target[c] - start[c])
        middle = [0.0, 0.0, 0.0]
        middle[a], middle[b] = centre
        if s.plane != 0:
            middle[2] -= self.gauge()
        before = self.tip()
        s.nose = target
        self.builder.add(
            ARC, before, self.tip(), feed=self._rate(length), speed=self._speed(), tool=s.tool, line=self.line_no,
            centre=(middle[0], middle[1], middle[2]), sweep=sweep, plane=s.plane,
        )  # fmt: skip

    def _arc_centre(
        self,
        words: dict[str, float],
        p0: tuple[float, float],
        p1: tuple[float, float],
        ccw: bool,
        axes: tuple[int, int],
    ) -> tuple[float, float] | None:
        s = self.state
        letters = "IJK"[axes[0]], "IJK"[axes[1]]
        if any(k in words for k in letters):
            u, v = words.get(letters[0], 0.0) * s.scale, words.get(letters[1], 0.0) * s.scale
            if s.plane == 0:
                u, v = s.frame.turn(u, v)
            return (p0[0] + u, p0[1] + v)
        if "R" not in words:
            self.find(
                "missing-word",
                "stop",
                f"The arc has neither centre ({letters[0]}, {letters[1]}) nor radius (R). Add one.",
            )
            return None
        radius = words["R"] * s.scale
        chord = math.dist(p0, p1)
        if chord < 1e-9:
            self.find(
                "missing-word",
                "stop",
                f"A full circle can't be given by R. Give its centre by {letters[0]} and {letters[1]}.",
            )
            return None
        if chord > 2 * abs(radius) + ARC_TOLERANCE_MM:
            self.find(
                "syntax",
                "stop",
                f"Radius {abs(radius):.3f} is too small: the ends are {chord:.3f} apart. At least {chord / 2:.3f} is needed.",
            )
            return None
        height = math.sqrt(max(radius * radius - chord * chord / 4, 0.0))
        left = ccw == (radius > 0)
        sign = 1.0 if left else -1.0
        mx, my = (p0[0] + p1[0]) / 2, (p0[1] + p1[1]) / 2
        ux, uy = (p1[0] - p0[0]) / chord, (p1[1] - p0[1]) / chord
        return (mx - sign * height * uy, my + sign * height * ux)

    def _chain_line(self, target: list[float], rapid: bool) -> None:
        x, y, z = self.state.nose
        feed = 0.0 if rapid else self._rate(math.dist(self.state.nose, target))
        self._chain.append(Element((x, y), (target[0], target[1]), z, target[2], feed, self.line_no, rapid))
        self.state.nose = target
        if self._leaving:
            self._close_chain(leaves=True)

    def _chain_arc(self, target: list[float], centre: tuple[float, float], sweep: float) -> None:
        if not self._chain:
            self.find("syntax", "stop", "Compensation is taken up on an arc. Take it up on a straight move.")
        x, y, z = self.state.nose
        length = math.hypot(math.dist((x, y), centre) * sweep, target[2] - z)
        self._chain.append(
            Element(
                (x, y), (target[0], target[1]), z, target[2], self._rate(length), self.line_no, False, centre, sweep
            )
        )
        self.state.nose = target

    def _flush_chain(self) -> None:
        if self._chain:
            self._close_chain(leaves=False)

    def _close_chain(self, *, leaves: bool) -> None:
        s = self.state
        gauge = self.gauge()

        def report(line: int, text: str) -> None:
            self.find("gouge", "stop", text, line)

        for e in compensate(self._chain, s.comp, leaves, report) if self._chain else []:
            start, end = (*e.start, e.z0 - gauge), (*e.end, e.z1 - gauge)
            if e.sweep == 0.0 and math.dist(start, end) < 1e-9:
                continue
            kind = ARC if e.sweep else RAPID if e.rapid else FEED
            self.builder.add(
                kind,
                start,
                end,
                feed=e.feed,
                speed=self._speed(),
                tool=s.tool,
                line=e.line,
                centre=(*e.centre, 0.0),
                sweep=e.sweep,
            )
            s.nose = [end[0], end[1], end[2] + gauge]
        self._chain = []
        self._leaving = False
        s.comp = 0.0
