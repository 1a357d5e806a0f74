"""What carrying out a program is on any machine: a control's memory with a tool that moves, and its findings.

Arcs in three planes, corners between two lines, and radius compensation, whose moves wait in a chain until it is dropped. How a straight move, an arc and
a chain are run, each sort of machine says (:mod:`millmoves`, :mod:`lathemoves`).
"""

from __future__ import annotations

import math
from collections.abc import Mapping

from msgspec import Struct

from bastler.core.findings import MOST_OF_A_KIND, Finding, Severity
from bastler.core.gcode.control import ARC_TOLERANCE_MM, Control, State
from bastler.core.gcode.motion import AXES_OF_PLANE, FEED, Builder
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


class Carrier:
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

    def find(self, kind: str, severity: Severity, text: str, line: int | None = None) -> None:
        """A finding at the current line, limited in number per kind."""
        self.counts[kind] = self.counts.get(kind, 0) + 1
        if self.counts[kind] <= MOST_OF_A_KIND:
            self.findings.append(Finding(kind, severity, text, line or self.line_no, None, self.tip()))

    def use(self, letters: str) -> None:
        """Words that this line carries out."""
        raise NotImplementedError

    # what each sort of machine does its own way

    def gauge(self) -> float:
        """Length of the tool in force."""
        raise NotImplementedError

    def tip(self) -> tuple[float, float, float]:
        """Where the tool's tip is."""
        raise NotImplementedError

    def _ask_for_length(self) -> None:
        """A tool that feeds without its own length or offset is told, once a tool change."""
        raise NotImplementedError

    def _run(self, target: list[float], kind: int) -> None:
        """A straight move at once, or into the chain of compensated ones."""
        raise NotImplementedError

    def _go_arc(self, target: list[float], centre: Flat, sweep: float) -> None:
        """An arc about a centre in the plane in force."""
        raise NotImplementedError

    def _close_chain(self, *, leaves: bool) -> None:
        """The chain of compensated moves carried out; ``leaves``: its last one drops the compensation."""
        raise NotImplementedError

    # corners between two straight moves

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

    # radius compensation

    def _ask_for_straight_lead(self) -> None:
        if not self._chain:
            self.find("syntax", "stop", "Compensation is taken up on an arc. Take it up on a straight move.")
        elif self._leaving:
            self._leaving = False
            self.find("syntax", "stop", "Compensation is dropped on an arc. Drop it on a straight move.")

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
