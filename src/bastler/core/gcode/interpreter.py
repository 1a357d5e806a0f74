"""The interpreter: G-code words → motion, with findings; what the control will really do.

Every line is read by :meth:`Interpreter._line`; runs of plain G0/G1 lines take a compiled path with
the same meaning. Nothing stops the whole: what can't be understood becomes a finding at its line.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable

import numpy as np
from msgspec import structs
from msgspec.structs import replace

from bastler.core.gcode.canned import CANNED, MOST_PECKS, PECKED, SHIFTED, TAPPING, WITHOUT_DWELL, Hole, hole_actions
from bastler.core.gcode.control import (
    ACTIONS,
    AXES,
    FRAMES,
    MODAL,
    MOTIONS,
    OFFSETS,
    PITCH_TOLERANCE_SHARE,
    QUIET,
    SHORTEST_FAST_RUN,
    Control,
    Interpreted,
)
from bastler.core.gcode.lathe import LatheInterpreter
from bastler.core.gcode.motion import CHANGE, FEED, RAPID
from bastler.core.gcode.places import Place
from bastler.core.gcode.plain import run_ends, run_plain
from bastler.core.gcode.reader import Reader
from bastler.core.gcode.unroll import Flat, Lookup, needs_unrolling, unroll


def interpret(
    data: bytes,
    control: Control,
    name: str = "The program",
    progress: Callable[[float], None] | None = None,
    lookup: Lookup = lambda _: None,
) -> Interpreted:
    """Motion of a program text; ``lookup`` finds subprograms that lie beside it. Raises :class:`bastler.core.problems.Unusable` only for what is no text."""
    reader: type[Interpreter | LatheInterpreter] = LatheInterpreter if control.reading else Interpreter
    if b"\0" not in data and needs_unrolling(data):
        flat = unroll(data, lookup, progress)
        return _on_source(reader(flat.data, control, name).run(progress), flat, data)
    return reader(data, control, name).run(progress)


def _on_source(read: Interpreted, flat: Flat, data: bytes) -> Interpreted:
    """Lines of the flat text as lines of the program that it came from."""
    source = np.array([0, *flat.source, flat.source[-1] if flat.source else 0], np.int32)
    motion = dataclasses.replace(read.motion, line=source[np.minimum(read.motion.line, len(source) - 1)])
    told = [structs.replace(f, line=int(source[min(f.line, len(source) - 1)])) if f.line else f for f in read.findings]
    return Interpreted(motion, (*told, *flat.findings), data.count(b"\n") + (not data.endswith(b"\n")), read.units)


class Interpreter(Reader):
    """One run over one text."""

    def __init__(self, data: bytes, control: Control, name: str = "The program") -> None:
        super().__init__(data, control, name)
        self.offsets: dict[str, Place] = {control.work_offset: (0.0, 0.0, 0.0), **control.offsets}
        self._stored: dict[str, Place] = {}
        self._offset_in_use = control.work_offset

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
            self._close_chain(leaves=False)
            self.find("missing-word", "warn", "Cutter compensation is still on at the end. Add G40 on a straight move.")

    def _line(self, index: int) -> None:
        codes, ms, words, _ = self.read_line(index)
        if not (codes or ms or words):
            return
        if "O" in words and not codes:
            return
        self._preparatory(words)
        self._change_tool(ms, words)
        self._spindle(ms)
        self._codes(codes, words)
        self.finish_line(ms)

    def _preparatory(self, words: dict[str, float]) -> None:
        s = self.state
        speed = self.speed_word(words)
        if speed is not None:
            s.speed = speed
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
        self.builder.add(CHANGE, before, self.tip(), feed=0.0, speed=0.0, tool=s.tool, line=self.line_no)

    def _spindle(self, ms: list[float]) -> None:
        for m in ms:
            if m in (3, 4):
                self.state.spindle = 1 if m == 3 else -1
                if self.state.speed <= 0:
                    self.find("missing-word", "stop", "The spindle is started without a speed. Add S and rev/min.")
            elif m in (0, 1, 2, 30):
                self._flush_chain()
            if m in (2, 5, 19, 30):
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
                self._work_offset(code, words)
            elif code in FRAMES:
                self._frame(code, words)
                words = {k: v for k, v in words.items() if k not in "XYZR"}
            elif code in QUIET:
                continue
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
        if 10 in codes:
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
        elif code == 10:
            self._store(words)
        elif code == 80:
            s.hole = None
            s.motion = 0 if s.motion in CANNED else s.motion

    def _store(self, words: dict[str, float]) -> None:
        """G10: a work offset as the program sets it.

        Where the setup's own offset lies on the machine only the machine knows; the check keeps it at the job's
        zero, and takes from the program how far the others lie from it.
        """
        kind, number, own = words.get("L"), int(words.get("P", 0)), self.control.work_offset
        s = self.state
        if kind not in (2, 20) or number < 1 or (kind == 2 and number > 6):
            self.find(
                "work-offset",
                "warn",
                "This G10 changes what the control has stored; the check goes on with the job's own tools and offsets.",
            )
            return
        name = f"G{53 + number}" if kind == 2 else f"G54.1 P{number}"
        old = self._stored.get(name, (0.0, 0.0, 0.0)) if s.absolute else self.offsets.get(name, (0.0, 0.0, 0.0))
        typed = [words[a] * s.scale if a in words else None for a in AXES]
        if not s.absolute:
            x, y, z = (o + (t or 0.0) for o, t in zip(old, typed, strict=True))
            self.offsets[name] = (x, y, z)
        else:
            x, y, z = (o if t is None else t for o, t in zip(old, typed, strict=True))
            self._stored[name] = (x, y, z)
            if own in self._stored:
                zero = self._stored[own]
                for known, at in self._stored.items():
                    self.offsets[known] = (at[0] - zero[0], at[1] - zero[1], at[2] - zero[2])
            else:
                self.find(
                    "work-offset",
                    "warn",
                    f"G10 sets {name}, but not {own}, from which the check counts. Set {own} by G10 too, or check with the job's own offsets.",
                )
        if self._offset_in_use in self.offsets:
            s.frame = replace(s.frame, offset=self.offsets[self._offset_in_use])

    def _work_offset(self, code: float, words: dict[str, float]) -> None:
        """Another origin: that of the setup, one of its further parts, or one that the program has set."""
        control = self.control
        name = f"G54.1 P{int(words.pop('P', 0))}" if code == 54.1 else f"G{code:g}"
        if name in self.offsets or not control.with_job:
            self._offset_in_use = name
            self.state.frame = replace(self.state.frame, offset=self.offsets.get(name, (0.0, 0.0, 0.0)))
        else:
            have = ", ".join(self.offsets)
            self.find(
                "work-offset", "stop", f"{name} is not this setup's work offset, {have}. Use that, or change the setup."
            )

    def _frame(self, code: float, words: dict[str, float]) -> None:
        """Mirror, rotation, local shift."""
        s = self.state
        xyz = {a: words[a] * s.scale for a in AXES if a in words}
        if code == 51.1:
            if not xyz.keys() & {"X", "Y"}:
                self.find(
                    "missing-word",
                    "stop",
                    "G51.1 names no axis to mirror about. Add X or Y with the place of the mirror line.",
                )
            s.frame = replace(s.frame, mirror_x=xyz.get("X", s.frame.mirror_x), mirror_y=xyz.get("Y", s.frame.mirror_y))
        elif code == 50.1:
            every = not xyz
            s.frame = replace(
                s.frame,
                mirror_x=None if every or "X" in xyz else s.frame.mirror_x,
                mirror_y=None if every or "Y" in xyz else s.frame.mirror_y,
            )
        elif code == 52:
            s.frame = replace(s.frame, local=(xyz.get("X", 0.0), xyz.get("Y", 0.0), xyz.get("Z", 0.0)))
        elif code == 68:
            if "R" not in words:
                self.find("missing-word", "stop", "G68 has no angle. Add R in degrees.")
            here = s.frame.back((s.nose[0], s.nose[1], s.nose[2]))
            s.frame = replace(s.frame, angle=words.get("R", 0.0), centre=(xyz.get("X", here[0]), xyz.get("Y", here[1])))
        else:
            s.frame = replace(s.frame, angle=0.0, centre=(0.0, 0.0))

    def _dwell(self, words: dict[str, float]) -> None:
        if "P" not in words and "X" not in words:
            self.find("missing-word", "warn", "G4 has no time. Add P with milliseconds.")
        seconds = words["P"] / 1000 if "P" in words else words.get("X", 0.0)
        self._flush_chain()
        self._wait(max(seconds, 0.0))

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
        x, turning = place[0], s.spindle
        for what, value in hole_actions(hole):
            if what == "dwell":
                self._wait(value)
            elif what == "shift":
                s.spindle, x = 0, place[0] + value
                self._straight([x, place[1], s.nose[2]], RAPID)
                s.spindle = 0 if value else turning
            else:
                self._straight([x, place[1], value], RAPID if what == "rapid" else FEED)

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
        offset += s.frame.local[2] + s.frame.offset[2] if s.absolute else 0.0
        start = words["R"] * s.scale + offset
        bottom = words["Z"] * s.scale + (offset if s.absolute else start)
        peck = abs(words.get("Q", 0.0)) * s.scale
        if s.motion in (*PECKED, SHIFTED) and peck == 0:
            what = "shift off the wall" if s.motion == SHIFTED else "peck"
            self.find("missing-word", "stop", f"G{s.motion} has no {what}. Add Q.")
        if s.motion in PECKED and peck > 0 and abs(start - bottom) > MOST_PECKS * peck:
            text = f"Q makes more than {MOST_PECKS} pecks of this hole; the check goes down in one. Give a larger Q."
            self.find("too-many", "stop", text)
            peck = 0.0
        if s.motion in TAPPING:
            self._ask_for_pitch()
        dwell = words.get("P", 0.0) / 1000 if s.motion not in WITHOUT_DWELL else 0.0
        back = s.before_hole if s.return_high else start
        s.hole = Hole(s.motion, start, bottom, max(back, start), peck, dwell)

    def _ask_for_pitch(self) -> None:
        """A tap whose feed and speed don't make its pitch tears the thread."""
        s = self.state
        tool = self.control.tools.get(s.tool)
        if tool is None or tool.pitch <= 0 or s.speed <= 0:
            return
        pitch = s.feed if s.feed_mode == "rev" else s.feed / s.speed
        if abs(pitch - tool.pitch) > PITCH_TOLERANCE_SHARE * tool.pitch:
            right = tool.pitch * (1 if s.feed_mode == "rev" else s.speed) / s.scale
            self.find(
                "wrong-pitch",
                "stop",
                f"F and S make a pitch of {pitch:.3f} mm; the tap T{tool.number} has {tool.pitch:.3f}. Write F{right:.3f}.",
            )

    def _may_run_fast(self) -> bool:
        s = self.state
        return (
            s.absolute
            and s.comp == 0.0
            and s.feed_mode == "minute"
            and s.motion in (0, 1)
            and not self._leaving
            and s.frame.plain
        )

    def _fast(self, first: int, last: int) -> int:
        """Read plain lines in one go; returns the first line not read."""
        s, w, gauge = self.state, self.words, self.gauge()
        self.line_no = first + 1
        self._ask_for_length()
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
