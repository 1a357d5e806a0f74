"""The interpreter: G-code words → motion, with findings; what the control will really do.

Every line is read by :meth:`Interpreter._line`; runs of plain G0/G1 lines take a compiled path with
the same meaning. Nothing stops the whole: what can't be understood becomes a finding at its line.

*Nose*: the spindle's reference; program Z plus the active length offset is where the nose goes.
*Tip*: nose minus the length of the tool really in the spindle.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np
from numba import njit

from bastler.core.findings import Finding
from bastler.core.gcode.canned import CANNED, Hole, hole_actions
from bastler.core.gcode.compensation import Element, compensate
from bastler.core.gcode.lexer import BROKEN, OPEN_COMMENT, PERCENT, SIMPLE, Words, lex
from bastler.core.gcode.motion import ARC, AXES_OF_PLANE, CHANGE, DWELL, FEED, RAPID, Builder, Motion
from bastler.core.tooling.tools import Tool

MM_PER_INCH = 25.4
ARC_TOLERANCE_MM = 0.01
MOST_OF_A_KIND = 40
SHORTEST_FAST_RUN = 4
AXES = "XYZ"

MODAL: Mapping[float, tuple[str, object]] = {
    17: ("plane", 0), 18: ("plane", 1), 19: ("plane", 2),
    20: ("scale", MM_PER_INCH), 21: ("scale", 1.0),
    90: ("absolute", True), 91: ("absolute", False),
    93: ("feed_mode", "inverse"), 94: ("feed_mode", "minute"), 95: ("feed_mode", "rev"),
    98: ("return_high", True), 99: ("return_high", False),
}  # fmt: skip
"""G codes that only set something."""
MOTIONS = (0, 1, 2, 3, *CANNED)
ACTIONS = (4, 28, 40, 41, 42, 43, 49, 53, 80)
OFFSETS = (54, 55, 56, 57, 58, 59)
KNOWN_M = (0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 30)
KNOWN_LETTERS = "NGMXYZIJKRQPFSTHDO"


@dataclass(frozen=True)
class Control:
    """What the control knows besides the text: tools, offset in use, where machine zero is (mm)."""

    tools: Mapping[int, Tool] = field(default_factory=dict)
    work_offset: int = 54
    machine_origin: tuple[float, float, float] = (0.0, 0.0, 500.0)
    with_job: bool = True


@dataclass(frozen=True)
class Interpreted:
    """A program understood: its motion, findings (steps not yet filled in), line count, units."""

    motion: Motion
    findings: tuple[Finding, ...]
    lines: int
    units: str


@dataclass
class _State:
    """The control's modal memory; positions are the nose in program coordinates, mm."""

    motion: int = 0
    plane: int = 0
    scale: float = 1.0
    absolute: bool = True
    feed_mode: str = "minute"
    return_high: bool = True
    feed: float = 0.0
    speed: float = 0.0
    spindle: int = 0
    tool: int = 0
    called: int = 0
    length: float = 0.0
    length_number: int = 0
    nose: list[float] = field(default_factory=lambda: [0.0, 0.0, 0.0])
    comp: float = 0.0
    hole: Hole | None = None
    before_hole: float = 0.0
    ended: bool = False


def interpret(
    data: bytes,
    control: Control,
    name: str = "The program",
    progress: Callable[[float], None] | None = None,
) -> Interpreted:
    """Motion of a program text. Raises :class:`bastler.core.problems.Unusable` only for what is no text."""
    return Interpreter(data, control, name).run(progress)


class Interpreter:
    """One run over one text."""

    def __init__(self, data: bytes, control: Control, name: str = "The program") -> None:
        self.data = data
        self.words: Words = lex(data, name)
        self.control = control
        self.state = _State(nose=list(control.machine_origin))
        self.builder = Builder()
        self.findings: list[Finding] = []
        self._counts: dict[str, int] = {}
        self._source: list[bytes] | None = None
        self._chain: list[Element] = []
        self._line_no = 0
        self._leaving = False
        self._length_told = False

    def run(self, progress: Callable[[float], None] | None = None) -> Interpreted:
        """Read every line."""
        flags, total = self.words.flags, self.words.lines
        run_ends = _run_ends(flags)
        i = 0
        while i < total and not self.state.ended:
            if run_ends[i] - i >= SHORTEST_FAST_RUN and self._may_run_fast():
                done = self._fast(i, int(run_ends[i]))
                if done > i:
                    i = done
                    if progress:
                        progress(i / total)
                    continue
            self._line_no = i + 1
            self._line(i)
            i += 1
            if progress and i % 5000 == 0:
                progress(i / total)
        if self._chain:
            self._close_chain(leaves=False)
            self.find("missing-word", "warn", "Cutter compensation is still on at the end. Add G40 on a straight move.")
        for kind, count in self._counts.items():
            if count > MOST_OF_A_KIND:
                self.findings.append(
                    Finding(kind, "note", f"{count - MOST_OF_A_KIND} more findings of this kind are not listed.")
                )
        units = "inch" if self.state.scale != 1.0 else "mm"
        return Interpreted(self.builder.motion(), tuple(self.findings), total, units)

    # findings

    def find(self, kind: str, severity: str, text: str, line: int | None = None) -> None:
        """A finding at the current line, limited in number per kind."""
        self._counts[kind] = self._counts.get(kind, 0) + 1
        if self._counts[kind] <= MOST_OF_A_KIND:
            self.findings.append(Finding(kind, severity, text, line or self._line_no, None, self.tip()))  # type: ignore[arg-type]

    def source(self, index: int) -> str:
        """A line of the text, for messages."""
        if self._source is None:
            self._source = self.data.split(b"\n")
        return self._source[index].decode("utf-8", "replace").strip()[:60]

    # positions

    def gauge(self) -> float:
        """Length of the tool in the spindle."""
        tool = self.control.tools.get(self.state.tool)
        return tool.gauge_length if tool else 0.0

    def tip(self) -> tuple[float, float, float]:
        """Where the tip is."""
        x, y, z = self.state.nose
        return (x, y, z - self.gauge())

    # one line

    def _line(self, index: int) -> None:
        w, s = self.words, self.state
        flag = int(w.flags[index])
        if flag & OPEN_COMMENT:
            self.find("syntax", "warn", f"The comment is not closed: “{self.source(index)}”. Add “)”.")
        if flag & BROKEN:
            self.find(
                "syntax", "stop", f"“{self.source(index)}” can't be read whole. Every word is a letter with a number."
            )
        first, last = int(w.first[index]), int(w.first[index + 1])
        if first == last:
            if flag == 0 or flag & PERCENT:
                return
            return
        codes: list[float] = []
        ms: list[float] = []
        words: dict[str, float] = {}
        for k in range(first, last):
            letter, value = chr(w.letter[k]), float(w.value[k])
            if letter == "G":
                codes.append(value)
            elif letter == "M":
                ms.append(value)
            elif letter not in KNOWN_LETTERS:
                self.find(
                    "unknown-word", "stop", f"{letter}{value:g} means nothing here. Remove it or correct the letter."
                )
            elif letter in words:
                self.find("syntax", "stop", f"The line has two {letter} words. Keep one of them.")
            else:
                words[letter] = value
                if letter in "XYZIJKRQ" and not w.point[k] and value != 0:
                    small = value / 1000
                    self.find(
                        "missing-point",
                        "warn",
                        f"{letter}{value:g} has no decimal point; many controls read it as {small:g}. Write {letter}{value:g}. with a point.",
                    )
        if "O" in words and not codes:
            return
        self._preparatory(words)
        self._change_tool(ms, words)
        self._spindle(ms)
        self._codes(codes, words)
        for m in ms:
            if m not in KNOWN_M:
                self.find(
                    "unknown-word",
                    "warn",
                    f"M{m:g} is not known; it is passed over. Check what the control does with it.",
                )
            if m in (2, 30):
                s.ended = True

    def _preparatory(self, words: dict[str, float]) -> None:
        s = self.state
        if "S" in words:
            s.speed = words["S"]
        if "T" in words:
            s.called = int(words["T"])

    def _change_tool(self, ms: list[float], words: dict[str, float]) -> None:
        if 6 not in ms:
            return
        s = self.state
        self._flush_chain()
        if "T" not in words and s.called == 0:
            self.find("missing-word", "stop", "M6 has no tool number. Add T and the number.")
            return
        before = self.tip()
        s.tool = s.called
        if s.tool not in self.control.tools and self.control.with_job:
            have = ", ".join(f"T{n}" for n in sorted(self.control.tools)) or "none"
            self.find(
                "unknown-tool",
                "stop",
                f"T{s.tool} is not in the tool table (it has {have}). Add it or correct the number.",
            )
        s.spindle = 0
        self._length_told = False
        self.builder.add(CHANGE, before, self.tip(), feed=0.0, speed=0.0, tool=s.tool, line=self._line_no)

    def _spindle(self, ms: list[float]) -> None:
        for m in ms:
            if m in (3, 4):
                self.state.spindle = 1 if m == 3 else -1
                if self.state.speed <= 0:
                    self.find("missing-word", "stop", "The spindle is started without a speed. Add S and rev/min.")
            elif m in (0, 1, 2, 30):
                self._flush_chain()
            if m in (5, 2, 30):
                self.state.spindle = 0

    def _codes(self, codes: list[float], words: dict[str, float]) -> None:
        s = self.state
        motion: int | None = None
        machine = home = dwell = False
        for code in codes:
            if code in MODAL:
                name, value = MODAL[code]
                setattr(s, name, value)
            elif code in MOTIONS:
                if motion is not None:
                    self.find("syntax", "stop", f"G{motion} and G{code:g} stand on one line. Put them on two.")
                motion = int(code)
            elif code in OFFSETS:
                if self.control.with_job and int(code) != self.control.work_offset:
                    self.find(
                        "work-offset",
                        "stop",
                        f"G{code:g} is not this setup's work offset, G{self.control.work_offset}. Use that, or change the setup.",
                    )
            elif code in ACTIONS:
                machine, home, dwell = machine or code == 53, home or code == 28, dwell or code == 4
                self._action(int(code), words)
            else:
                self.find(
                    "unknown-word",
                    "stop",
                    f"G{code:g} is not known; it is passed over. Check what the control does with it.",
                )
        if "F" in words:
            self._set_feed(words["F"])
        if dwell:
            self._dwell(words)
            return
        if home:
            self._home(words)
            return
        if motion is not None:
            s.motion = motion
            if motion not in CANNED:
                s.hole = None
        has_place = any(axis in words for axis in AXES)
        arc_words = any(k in words for k in "IJKR") and s.motion in (2, 3)
        if s.motion in CANNED and (motion in CANNED or has_place):
            self._canned(words, new=motion in CANNED)
        elif has_place or arc_words:
            self._move(words, machine)
        if s.feed_mode == "inverse":
            s.feed = 0.0

    def _set_feed(self, value: float) -> None:
        s = self.state
        if value <= 0:
            self.find("no-feed", "stop", f"F{value:g} is no feed. Give a number above zero.")
        elif s.feed_mode == "inverse":
            s.feed = value
        else:
            s.feed = value * s.scale

    def _action(self, code: int, words: dict[str, float]) -> None:
        s, tools = self.state, self.control.tools
        if code == 43:
            number = int(words.get("H", s.tool))
            if "H" not in words:
                self.find("missing-word", "warn", f"G43 has no H; H{number} is taken. Write G43 H{number}.")
            if number != s.tool and s.tool:
                self.find(
                    "wrong-offset",
                    "stop",
                    f"G43 H{number} takes the length of another tool; T{s.tool} is in the spindle. Write H{s.tool}.",
                )
            s.length = tools[number].gauge_length if number in tools else 0.0
            s.length_number = number
        elif code == 49:
            s.length, s.length_number = 0.0, 0
        elif code in (41, 42):
            number = int(words.get("D", s.tool))
            if "D" not in words:
                self.find("missing-word", "warn", f"G{code} has no D; D{number} is taken. Write D{number}.")
            if number not in tools:
                self.find("unknown-tool", "stop", f"D{number} has no radius: the tool table has no tool {number}.")
                return
            if s.plane != 0:
                self.find("unknown-word", "stop", "Cutter compensation works in the XY plane only. Add G17.")
                return
            if s.comp:
                self._close_chain(leaves=False)
            s.comp = tools[number].radius if code == 41 else -tools[number].radius
            self._chain = []
        elif code == 40 and s.comp:
            self._leaving = True
        elif code == 80:
            s.hole = None
            s.motion = 0 if s.motion in CANNED else s.motion

    def _dwell(self, words: dict[str, float]) -> None:
        if "P" not in words and "X" not in words:
            self.find("missing-word", "warn", "G4 has no time. Add P with milliseconds.")
        seconds = words["P"] / 1000 if "P" in words else words.get("X", 0.0)
        self._flush_chain()
        self.builder.add(
            DWELL,
            self.tip(),
            self.tip(),
            feed=0.0,
            speed=self._speed(),
            tool=self.state.tool,
            line=self._line_no,
            seconds=max(seconds, 0.0),
        )

    def _home(self, words: dict[str, float]) -> None:
        named = [a for a in AXES if a in words]
        if not named:
            self.find("missing-word", "warn", "G28 names no axis; all go home. Write G91 G28 Z0. to lift first.")
        self._flush_chain()
        target = self._target(words)
        self._straight(target, RAPID)
        home = list(self.state.nose)
        for axis in named or AXES:
            i = AXES.index(axis)
            home[i] = self.control.machine_origin[i]
        self._straight(home, RAPID)

    def _speed(self) -> float:
        return self.state.speed if self.state.spindle else 0.0

    def _target(self, words: dict[str, float], machine: bool = False) -> list[float]:
        """Where the nose is sent."""
        s = self.state
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

    def _move(self, words: dict[str, float], machine: bool) -> None:
        s = self.state
        target = self._target(words, machine)
        if s.motion in (2, 3):
            self._arc(words, target)
            return
        kind = RAPID if s.motion == 0 else FEED
        if s.comp:
            self._chain_line(target, kind == RAPID)
            return
        self._straight(target, kind)

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

    def _straight(self, target: list[float], kind: int) -> None:
        start = self.tip()
        length = math.dist(self.state.nose, target)
        self.state.nose = target
        if length < 1e-9:
            return
        feed = self._rate(length) if kind == FEED else 0.0
        self.builder.add(
            kind, start, self.tip(), feed=feed, speed=self._speed(), tool=self.state.tool, line=self._line_no
        )

    # arcs

    def _arc(self, words: dict[str, float], target: list[float]) -> None:
        s = self.state
        a, b, c = AXES_OF_PLANE[s.plane]
        start = s.nose
        p0, p1 = (start[a], start[b]), (target[a], target[b])
        ccw = s.motion == 3
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
            ARC, before, self.tip(), feed=self._rate(length), speed=self._speed(), tool=s.tool, line=self._line_no,
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
            return (p0[0] + words.get(letters[0], 0.0) * s.scale, p0[1] + words.get(letters[1], 0.0) * s.scale)
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

    # cutter compensation: moves wait in a chain until G40

    def _chain_line(self, target: list[float], rapid: bool) -> None:
        x, y, z = self.state.nose
        feed = 0.0 if rapid else self._rate(math.dist(self.state.nose, target))
        self._chain.append(Element((x, y), (target[0], target[1]), z, target[2], feed, self._line_no, rapid))
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
                (x, y), (target[0], target[1]), z, target[2], self._rate(length), self._line_no, False, centre, sweep
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

    # canned cycles

    def _canned(self, words: dict[str, float], *, new: bool) -> None:
        s = self.state
        if new:
            s.before_hole = s.nose[2] if s.hole is None else s.before_hole
            self._new_hole(words)
        hole = s.hole
        if hole is None:
            self.find("missing-word", "stop", f"G{s.motion} has no depth. Add Z and R.")
            return
        place = self._target({k: v for k, v in words.items() if k in "XY"})
        if s.nose[2] < hole.start:
            self._straight([s.nose[0], s.nose[1], hole.start], RAPID)
        self._straight([place[0], place[1], s.nose[2]], RAPID)
        for what, value in hole_actions(hole):
            if what == "dwell":
                self.builder.add(
                    DWELL,
                    self.tip(),
                    self.tip(),
                    feed=0.0,
                    speed=self._speed(),
                    tool=s.tool,
                    line=self._line_no,
                    seconds=value,
                )
            else:
                self._straight([place[0], place[1], value], RAPID if what == "rapid" else FEED)

    def _new_hole(self, words: dict[str, float]) -> None:
        s = self.state
        offset = s.length if s.absolute else s.nose[2]
        if "R" not in words or "Z" not in words:
            lacking = "R" if "R" not in words else "Z"
            self.find(
                "missing-word",
                "stop",
                f"G{s.motion} has no {lacking}. Add the Z of the {'start plane' if lacking == 'R' else 'bottom'}.",
            )
            s.hole = None
            return
        start = words["R"] * s.scale + offset
        bottom = words["Z"] * s.scale + (offset if s.absolute else start)
        peck = abs(words.get("Q", 0.0)) * s.scale
        if s.motion in (73, 83) and peck == 0:
            self.find("missing-word", "stop", f"G{s.motion} has no peck. Add Q.")
        dwell = words.get("P", 0.0) / 1000 if s.motion != 81 else 0.0
        back = s.before_hole if s.return_high else start
        s.hole = Hole(s.motion, start, bottom, max(back, start), peck, dwell)

    # the fast path

    def _may_run_fast(self) -> bool:
        s = self.state
        return s.absolute and s.comp == 0.0 and s.feed_mode == "minute" and s.motion in (0, 1) and not self._leaving

    def _fast(self, first: int, last: int) -> int:
        """Read plain lines in one go; returns the first line not read."""
        s, w, gauge = self.state, self.words, self.gauge()
        self._line_no = first + 1
        self._ask_for_length()
        n = last - first
        kind, feed = np.empty(n, np.uint8), np.empty(n)
        points, line = np.empty((n + 1, 3)), np.empty(n, np.int32)
        points[0] = self.tip()
        nose = np.array(s.nose)
        done, moves, motion, rate = _run(
            first,
            last,
            w.first,
            w.letter,
            w.value,
            nose,
            s.motion,
            s.feed,
            s.scale,
            s.length,
            gauge,
            kind,
            feed,
            points,
            line,
        )
        if moves:
            self.builder.add_straight(
                kind[:moves].copy(),
                points[: moves + 1].copy(),
                feed[:moves].copy(),
                self._speed(),
                s.tool,
                line[:moves].copy(),
            )
        s.nose, s.motion, s.feed = [float(v) for v in nose], int(motion), float(rate)
        if done > first:
            s.hole = None
        return int(done)


@njit(cache=True, nogil=True)
def _run_ends(flags):  # type: ignore[no-untyped-def]  # pragma: no cover
    """For each line, where the run of simple lines that it belongs to ends."""
    n = len(flags)
    ends = np.empty(n + 1, np.int64)
    ends[n] = n
    for i in range(n - 1, -1, -1):
        if flags[i] & SIMPLE:
            ends[i] = ends[i + 1] if i + 1 < n and flags[i + 1] & SIMPLE else i + 1
        else:
            ends[i] = i
    return ends


@njit(cache=True, nogil=True)
def _run(first, last, word_first, letter, value, nose, motion, rate, scale, length, gauge, kind, feed, points, line):  # type: ignore[no-untyped-def]  # pragma: no cover
    """Plain lines ``first`` to ``last``; stops before a cutting move without feed."""
    moves = 0
    x, y, z = nose[0], nose[1], nose[2]
    i = first
    while i < last:
        nx, ny, nz, new_rate, new_motion = x, y, z, rate, motion
        for k in range(word_first[i], word_first[i + 1]):
            c, v = letter[k], value[k]
            if c == 88:
                nx = v * scale
            elif c == 89:
                ny = v * scale
            elif c == 90:
                nz = v * scale + length
            elif c == 70:
                new_rate = v * scale
            elif c == 71:
                new_motion = int(v)
        if abs(nx - x) + abs(ny - y) + abs(nz - z) > 1e-9:
            if new_motion == 1 and new_rate <= 0.0:
                break
            kind[moves] = new_motion
            feed[moves] = new_rate if new_motion == 1 else 0.0
            line[moves] = i + 1
            points[moves + 1, 0] = nx
            points[moves + 1, 1] = ny
            points[moves + 1, 2] = nz - gauge
            moves += 1
        x, y, z, rate, motion = nx, ny, nz, new_rate, new_motion
        i += 1
    nose[0] = x
    nose[1] = y
    nose[2] = z
    return i, moves, motion, rate
