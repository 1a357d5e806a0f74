"""The interpreter of a mill's program.

Every line is read by :meth:`MillInterpreter._line`; runs of plain G0/G1 lines take a compiled path with the same meaning.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from bastler.core.gcode.canned import CANNED
from bastler.core.gcode.control import (
    AXES,
    MOTION_OF,
    QUIET,
    SETTINGS,
    SHORTEST_FAST_RUN,
    SPINDLE,
    UNREAD,
    Control,
)
from bastler.core.gcode.drilling import Drilling
from bastler.core.gcode.motion import CHANGE, FEED, RAPID
from bastler.core.gcode.origins import FRAMES
from bastler.core.gcode.plain import run_ends, run_plain


class MillInterpreter(Drilling):
    """One run over one text of a milling machine."""

    def __init__(self, data: bytes, control: Control, name: str = "The program") -> None:
        super().__init__(data, control, name)
        self._called_anew = False

    def read_all(self, progress: Callable[[float], None] | None) -> None:
        """See :class:`Reader`."""
        flags, total = self.words.flags, self.words.lines
        ends = run_ends(flags)
        i = 0
        while i < total and not self.state.ended:
            if ends[i] - i >= SHORTEST_FAST_RUN and self._may_run_fast():
                done = self._fast(i, int(ends[i]))
                if done > i:
                    i = done
                    if progress:
                        progress(i / total)
                    continue
            self.line_no = i + 1
            self._line(i)
            i += 1
            if progress and i % 5000 == 0:
                progress(i / total)
        if self._chain:
            self.find("missing-word", "warn", "Cutter compensation is still on at the end. Add G40 on a straight move.")
        self._flush_chain()

    def _line(self, index: int) -> None:
        line = self.read_line(index)
        codes, ms, words, _ = line
        if not (codes or ms or words):
            return
        if "O" in words and not codes:
            return
        early, late = self.split(ms)
        self._preparatory(words)
        self._change_tool(early, words)
        self._spindle(early)
        self.happen(early)
        self._codes(codes, words)
        self._spindle(late)
        self.happen(late)
        self.finish_line(line, index)
        if "end" in late:
            self.state.ended = True

    def _preparatory(self, words: dict[str, float]) -> None:
        s = self.state
        speed = self.speed_word(words)
        if speed is not None:
            s.speed = speed
            if speed == 0:
                s.spindle = 0
        self.use("T")
        if "T" in words:
            s.called, self._called_anew = int(words["T"]), True

    def _change_tool(self, ms: list[str], words: dict[str, float]) -> None:
        if "change_tool" not in ms:
            return
        s = self.state
        if s.comp:
            text = "The tool is changed while G41 or G42 is in force. Write G40 on a straight move before."
            self.find("compensation", "stop", text)
        self._flush_chain()
        if not self._called_anew:
            text = (
                "M6 has no tool number. Add T and the number."
                if s.called == 0
                else f"M6 without a new T: T{s.called} is in the spindle already. Add the T that is meant, or remove M6."
            )
            self.find("missing-word", "stop", text)
            return
        self._called_anew = False
        before = self.tip()
        s.tool = s.called
        if s.tool and s.tool not in self.control.tools and self.control.with_job:
            have = ", ".join(f"T{n}" for n in sorted(self.control.tools)) or "none"
            text = f"T{s.tool} is not in the tool table (it has {have}). Add it or correct the number."
            self.find("unknown-tool", "stop", text)
        s.spindle = 0
        self._length_told = False
        self.builder.add(CHANGE, before, self.tip(), feed=0.0, speed=0.0, tool=s.tool, line=self.line_no)

    def _spindle(self, ms: list[str]) -> None:
        for what in ms:
            if what not in SPINDLE:
                continue
            self.state.spindle = SPINDLE[what]
            if SPINDLE[what] and self.state.speed <= 0:
                self.find("missing-word", "stop", "The spindle is started without a speed. Add S and rev/min.")

    def _codes(self, codes: list[float], words: dict[str, float]) -> None:
        s = self.state
        motion: int | None = None
        acts: set[str] = set()
        unread: list[float] = []
        for code in codes:
            what = self.codes.g.get(code)
            if what is None:
                unread.append(code)
            elif what in SETTINGS:
                setattr(s, *SETTINGS[what])
            elif what in MOTION_OF or what == "hole":
                if motion is not None:
                    self.find("syntax", "stop", f"G{motion} and G{code:g} stand on one line. Put them on two.")
                motion = MOTION_OF.get(what, int(code))
            elif what == "work_offset":
                self._work_offset(code, words)
            elif what in FRAMES:
                self._frame(what, words)
                words = {k: v for k, v in words.items() if k not in "XYZR"}
            elif what == "look_ahead":
                self.use("PQR")
                self.counted.update("QR")
            elif what not in QUIET:
                acts.add(what)
                self._action(what, code, words)
        self.use("F")
        if "F" in words:
            self._set_feed(words["F"])
        if unread:
            self.tell_unread(unread, words)
            motion = UNREAD if s.motion == UNREAD else motion
        if "dwell" in acts:
            self._dwell(words)
            return
        if "store" in acts:
            return
        if "set_place" in acts:
            self._flush_chain()
            self._set_place(words)
            return
        if acts & {"home", "second_home"}:
            self._home(words, second="second_home" in acts)
            return
        self._go(motion, words, machine="machine_place" in acts)
        if s.feed_mode == "inverse":
            s.feed = 0.0
            if s.motion == 0 or not any(k in words for k in self.places):
                self.used.discard("F")

    def _go(self, motion: int | None, words: dict[str, float], *, machine: bool) -> None:
        """The line's move, if it makes one."""
        s = self.state
        if motion is not None:
            s.motion = motion
            if motion not in CANNED:
                s.hole, s.hole_words = None, {}
        has_place = any(axis in words for axis in AXES)
        arc_words = any(k in words for k in "IJKR") and s.motion in (2, 3)
        if s.motion == UNREAD:
            self.use("XYZIJKRQPLDCrc" if has_place else "")
        elif s.motion in CANNED:
            if motion in CANNED or any(k in words for k in "XYZRQPKL"):
                self._canned(words, new=motion in CANNED)
        elif has_place or arc_words:
            self._move(words, machine)

    def _set_feed(self, value: float) -> None:
        s = self.state
        if value <= 0:
            self.find("no-feed", "stop", f"F{value:g} is no feed. Give a number above zero.")
        elif s.feed_mode == "inverse":
            s.feed = value
        else:
            s.feed = value * s.scale

    def _action(self, what: str, code: float, words: dict[str, float]) -> None:
        s = self.state
        if what == "length":
            self._take_length(words)
        elif what == "length_off":
            s.length, s.length_number = 0.0, 0
        elif what in ("compensate_left", "compensate_right"):
            self._take_up(what, code, words)
        elif what == "compensate_off":
            self._leaving = bool(s.comp)
        elif what == "store":
            self._store(words)
        elif what == "cancel":
            s.hole, s.hole_words = None, {}
            s.motion = 0 if s.motion in CANNED or s.motion == UNREAD else s.motion

    def _take_length(self, words: dict[str, float]) -> None:
        s, tools = self.state, self.control.tools
        self.use("H")
        number = int(words.get("H", s.tool))
        if "H" not in words:
            self.find("missing-word", "warn", f"G43 has no H; H{number} is taken. Write G43 H{number}.")
        if number != s.tool and s.tool:
            takes = "the length of another tool" if number else "no length"
            text = f"G43 H{number} takes {takes}; T{s.tool} is in the spindle. Write H{s.tool}."
            self.find("wrong-offset", "stop", text)
            self._length_told = True
        s.length = tools[number].gauge_length if number in tools else 0.0
        s.length_number = number

    def _take_up(self, what: str, code: float, words: dict[str, float]) -> None:
        """Cutter compensation, left or right of the contour; a mirrored axis changes the sides."""
        s, tools = self.state, self.control.tools
        self.use("D")
        number = int(words.get("D", s.tool))
        if "D" not in words:
            self.find("missing-word", "warn", f"G{code:g} has no D; D{number} is taken. Write D{number}.")
        elif number != s.tool and s.tool and number in tools:
            text = (
                f"G{code:g} D{number} takes the radius of another tool; T{s.tool} is in the spindle. Write D{s.tool}."
            )
            self.find("wrong-offset", "stop", text)
        if number not in tools:
            if self.control.with_job or number:
                self.find("unknown-tool", "stop", f"D{number} has no radius: the tool table has no tool {number}.")
            return
        if s.plane != 0:
            self.find("unknown-word", "stop", "Cutter compensation works in the XY plane only. Add G17.")
            return
        self._flush_chain()
        left = (what == "compensate_left") != s.frame.turns_over(s.plane)
        s.comp = tools[number].radius if left else -tools[number].radius
        self._chain = []

    def _dwell(self, words: dict[str, float]) -> None:
        self.use("P" if "P" in words else "X")
        if "P" not in words and "X" not in words:
            self.find("missing-word", "warn", "G4 has no time. Add P with milliseconds.")
        seconds = words["P"] / 1000 if "P" in words else words.get("X", 0.0)
        self._wait(max(seconds, 0.0))

    def _home(self, words: dict[str, float], *, second: bool) -> None:
        """By way of a place to the machine's reference point; G30 to a second one, which the check takes to be the same."""
        named = [a for a in AXES if a in words]
        if second:
            self.use("P")
            text = "Where the second reference point lies the check doesn't know; it takes the machine's first one."
            self.find("work-offset", "note", text)
        if not named:
            word = "G30" if second else "G28"
            text = f"{word} names no axis; all go home. Write G91 {word} Z0. to lift first."
            self.find("missing-word", "warn", text)
        self._flush_chain()
        target = self._target(words)
        self._straight(target, RAPID)
        home = list(self.state.nose)
        for axis in named or AXES:
            i = AXES.index(axis)
            home[i] = self.control.machine_origin[i]
        self._straight(home, RAPID)
        self.state.placed = False

    def _move(self, words: dict[str, float], machine: bool) -> None:
        s = self.state
        target = self._target(words, machine)
        s.placed = not machine
        if s.motion in (2, 3):
            self._arc(words, target)
        else:
            kind = RAPID if s.motion == 0 else FEED
            self._line_to(target, kind, self.corner_of(words) if kind == FEED else None)

    def _may_run_fast(self) -> bool:
        s = self.state
        return (
            s.absolute
            and s.comp == 0.0
            and s.feed_mode == "minute"
            and s.motion in (0, 1)
            and not self._leaving
            and self._corner is None
            and s.frame.plain
        )

    def _fast(self, first: int, last: int) -> int:
        """Read plain lines in one go; returns the first line not read."""
        s, w, gauge = self.state, self.words, self.gauge()
        n = last - first
        kind, feed = np.empty(n, np.uint8), np.empty(n)
        points, line = np.empty((n + 1, 3)), np.empty(n, np.int32)
        points[0] = self.tip()
        nose = np.array(s.nose)
        done, moves, motion, rate = run_plain(
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
        cuts = np.flatnonzero(kind[:moves] == FEED)
        if len(cuts):
            self.line_no = int(line[cuts[0]])
            self._ask_for_length()
        if moves:
            self.builder.add_straight(
                kind[:moves].copy(),
                points[: moves + 1].copy(),
                feed[:moves].copy(),
                self._speed(),
                s.tool,
                line[:moves].copy(),
                s.spindle,
            )
        s.nose, s.motion, s.feed = [float(v) for v in nose], int(motion), float(rate)
        if done > first:
            s.hole, s.hole_words, s.placed = None, {}, True
        return int(done)
