"""Carries out what the interpreter has understood: moves of the tool, with its findings.

Straight moves, arcs in three planes, lengths, corners between two lines, and cutter compensation, whose moves wait in a
chain until it is dropped; each keeps the spindle and the feed that held when its line was read.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

from msgspec import Struct

from bastler.core.findings import Finding
from bastler.core.gcode.control import ARC_TOLERANCE_MM, AXES, MOST_OF_A_KIND, Control, State
from bastler.core.gcode.motion import ARC, AXES_OF_PLANE, DWELL, FEED, RAPID, Builder
from bastler.core.geometry.compensation import EdgePiece, compensate, narrow

NO_SWEEP = 1e-9
"""An arc of less, rad, whose end is somewhere else than its start is a line away from its centre: that it is no arc has been told."""
Flat = tuple[float, float]


class Corner(Struct, frozen=True):
    """A straight move whose end is rounded by a radius, or broken by a leg on both sides, mm; it waits for the next move."""

    start: list[float]
    at: list[float]
    size: float
    rounded: bool
    feed: float
    line: int
    word: str


class MillMoves:
    """A control's memory with a tool that moves."""

    def __init__(self, control: Control) -> None:
        self.control = control
        self.state = State(nose=list(control.machine_origin))
        self.builder = Builder()
        self.findings: list[Finding] = []
        self.line_no = 0
        self.counts: dict[str, int] = {}
        self._chain: list[EdgePiece] = []
        self._leaving = False
        self._length_told = False
        self._corner: Corner | None = None

    def find(self, kind: str, severity: str, text: str, line: int | None = None) -> None:
        """A finding at the current line, limited in number per kind."""
        self.counts[kind] = self.counts.get(kind, 0) + 1
        if self.counts[kind] <= MOST_OF_A_KIND:
            self.findings.append(Finding(kind, severity, text, line or self.line_no, None, self.tip()))  # type: ignore[arg-type]

    def use(self, letters: str) -> None:
        """Words that this line carries out."""
        raise NotImplementedError

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

    # straight moves, and corners between two of them

    def _line_to(self, target: list[float], kind: int, corner: tuple[float, bool, str] | None = None) -> None:
        """A straight move of a program; one with a corner at its end waits for the next."""
        if self._corner is not None:
            self._break_corner(target, straight=kind == FEED)
        if corner is not None and kind == FEED:
            s = self.state
            self._corner = Corner(s.nose, target, corner[0], corner[1], s.feed, self.line_no, corner[2])
            s.nose = target
        else:
            self._run(target, kind)

    def _break_corner(self, target: list[float] | None, *, straight: bool) -> None:
        """The move that waits, and its corner towards ``target``."""
        c, s = self._corner, self.state
        assert c is not None
        self._corner = None
        feed, line = s.feed, self.line_no
        s.nose, s.feed, self.line_no = c.start, c.feed, c.line
        a, b, n = AXES_OF_PLANE[s.plane]
        way = self._ways(c, target, (a, b)) if target is not None and straight else None
        if way is None:
            what = "doesn't fit between its two lines" if target is not None and straight else "isn't carried out"
            text = f"The corner {c.word} {what}: it stands between two straight cutting moves long enough for it. Correct it, or write the corner out."
            self.find("unknown-word", "stop", text)
            self._run(c.at, FEED)
        else:
            first, second, centre, sweep = way
            ends = [list(c.at), list(c.at)]
            for place, (p, q) in zip(ends, (first, second), strict=True):
                place[a], place[b], place[n] = p, q, c.at[n]
            self._run(ends[0], FEED)
            if sweep:
                self._go_arc(ends[1], centre, sweep)
            else:
                self._run(ends[1], FEED)
        s.feed, self.line_no = feed, line

    def _ways(self, c: Corner, target: list[float], axes: tuple[int, int]) -> tuple[Flat, Flat, Flat, float] | None:
        """Where a corner begins and ends, its centre and its sweep (0: a straight break); ``None`` where it doesn't fit."""
        a, b = axes
        p, q, r = (c.start[a], c.start[b]), (c.at[a], c.at[b]), (target[a], target[b])
        before, after = math.dist(p, q), math.dist(q, r)
        if before < 1e-9 or after < 1e-9:
            return None
        u, v = ((q[0] - p[0]) / before, (q[1] - p[1]) / before), ((r[0] - q[0]) / after, (r[1] - q[1]) / after)
        turn = math.atan2(u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1])
        leg = c.size * math.tan(abs(turn) / 2) if c.rounded else c.size
        if leg > min(before, after) + ARC_TOLERANCE_MM or abs(turn) > math.pi - 1e-6 or c.size <= 0:
            return None
        first, second = (q[0] - leg * u[0], q[1] - leg * u[1]), (q[0] + leg * v[0], q[1] + leg * v[1])
        if not c.rounded or abs(turn) < 1e-6:
            return first, second, (0.0, 0.0), 0.0
        left = math.copysign(1.0, turn)
        centre = (first[0] - left * c.size * u[1], first[1] + left * c.size * u[0])
        return first, second, centre, turn

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

    def _arc(self, words: Mapping[str, float], target: list[float]) -> None:
        if self._corner is not None:
            self._break_corner(target, straight=False)
        s = self.state
        a, b, _ = AXES_OF_PLANE[s.plane]
        self._ask_for_plane(words, target)
        centre_words = "IJK"[a] + "IJK"[b]
        self.use(centre_words if any(k in words for k in centre_words) else "R")
        p0, p1 = (s.nose[a], s.nose[b]), (target[a], target[b])
        ccw = (s.motion == 3) != s.frame.turns_over(s.plane)
        centre = self._arc_centre(words, p0, p1, ccw, (a, b))
        if centre is None:
            self._run(target, FEED)
            return
        r0, r1 = math.dist(p0, centre), math.dist(p1, centre)
        if r0 < 1e-6:
            self.find("syntax", "stop", "The arc has no radius. Correct its centre.")
            self._run(target, FEED)
            return
        if abs(r0 - r1) > ARC_TOLERANCE_MM:
            text = f"The arc's end is {abs(r0 - r1):.3f} mm off its circle of radius {r0:.3f}. Correct end or centre."
            self.find("syntax", "stop", text)
        a0 = math.atan2(p0[1] - centre[1], p0[0] - centre[0])
        a1 = math.atan2(p1[1] - centre[1], p1[0] - centre[0])
        sweep = (a1 - a0) % math.tau
        if math.dist(p0, p1) < 1e-6:
            sweep = math.tau
        if not ccw:
            sweep = sweep - math.tau if sweep < math.tau else -math.tau
        if abs(sweep) < NO_SWEEP:
            self._run(target, FEED)
            return
        self._go_arc(target, centre, sweep)

    def _ask_for_plane(self, words: Mapping[str, float], target: list[float]) -> None:
        """An arc whose words are those of another plane than the one in force."""
        s = self.state
        a, b, n = AXES_OF_PLANE[s.plane]
        rises = abs(target[n] - s.nose[n]) > ARC_TOLERANCE_MM
        flat = min(abs(target[k] - s.nose[k]) for k in (a, b)) < NO_SWEEP
        by_centre = "IJK"[n] in words and "K" not in words
        if s.plane == 0 or not (by_centre or ("R" in words and rises and flat)):
            return
        text = f"This arc is written for XY, and G{17 + s.plane} is in force: it is cut upright. Write G17 before."
        self.find("wrong-plane", "stop", text)
        self.use("IJK")

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

    def _arc_centre(
        self, words: Mapping[str, float], p0: Flat, p1: Flat, ccw: bool, axes: tuple[int, int]
    ) -> Flat | None:
        s = self.state
        letters = "IJK"[axes[0]], "IJK"[axes[1]]
        if any(k in words for k in letters):
            u, v = words.get(letters[0], 0.0) * s.scale, words.get(letters[1], 0.0) * s.scale
            u, v = s.frame.turn_in(s.plane, u, v)
            return (p0[0] + u, p0[1] + v)
        if "R" not in words:
            text = f"The arc has neither centre ({letters[0]}, {letters[1]}) nor radius (R). Add one."
            self.find("missing-word", "stop", text)
            return None
        radius = words["R"] * s.scale
        chord = math.dist(p0, p1)
        if chord < 1e-9:
            text = f"A full circle can't be given by R. Give its centre by {letters[0]} and {letters[1]}."
            self.find("missing-word", "stop", text)
            return None
        if chord > 2 * abs(radius) + ARC_TOLERANCE_MM:
            text = f"Radius {abs(radius):.3f} is too small: the ends are {chord:.3f} apart. At least {chord / 2:.3f} is needed."
            self.find("syntax", "stop", text)
            return None
        height = math.sqrt(max(radius * radius - chord * chord / 4, 0.0))
        left = ccw == (radius > 0)
        sign = 1.0 if left else -1.0
        mx, my = (p0[0] + p1[0]) / 2, (p0[1] + p1[1]) / 2
        ux, uy = (p1[0] - p0[0]) / chord, (p1[1] - p0[1]) / chord
        return (mx - sign * height * uy, my + sign * height * ux)

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

    def _ask_for_straight_lead(self) -> None:
        if not self._chain:
            self.find("syntax", "stop", "Compensation is taken up on an arc. Take it up on a straight move.")
        elif self._leaving:
            self._leaving = False
            self.find("syntax", "stop", "Compensation is dropped on an arc. Drop it on a straight move.")

    def _how(self) -> tuple[float, int]:
        """What the spindle does as a line of a chain is read."""
        return (self._speed(), self.state.spindle)

    def _flush_chain(self) -> None:
        """Everything that waits is carried out."""
        if self._corner is not None:
            self._break_corner(None, straight=False)
        if self._chain:
            self._close_chain(leaves=False)

    def _compensated(self, chain: list[EdgePiece], leaves: bool) -> list[EdgePiece]:
        """The chain beside its contour; what the tool can't follow is told, and else what it cuts into on the way."""
        if not chain:
            return []
        told: list[int] = []

        def report(line: int, text: str) -> None:
            told.append(line)
            self.find("gouge", "stop", text, line)

        ways = compensate(chain, self.state.comp, leaves, report)
        if not told:
            narrow(chain, ways, self.state.comp, leaves, report)
        return ways

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
