"""The interpreter for lathes: words → motion in the plane of the axis, X as a radius from here on.

What a word means stands in the control's table (``core/post/readings/lathe-*.toml``): one kind limits speed by G50 and feeds per turn
after G99, another limits it by G92 and feeds per turn after G95. Both know G96 and G97, increments U and W, threads by G32 and G33, and
single cycles under numbers of their own.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from bastler.core.gcode.axismoves import MODES
from bastler.core.gcode.control import MOTION_OF, QUIET, SETTINGS, SPINDLE, UNREAD, Control
from bastler.core.gcode.drivenholes import HOLES
from bastler.core.gcode.lathecycles import BLOCK_CYCLES, LatheCycles, Single
from bastler.core.gcode.lathemoves import THREADS
from bastler.core.gcode.motion import BAR, CHANGE

SINGLES: dict[str, Single] = {"single_turn": "turn", "single_thread": "thread", "single_face": "face"}
BLOCKS = {"finish_profile": 70, "rough_along": 71, "rough_across": 72, "repeat_profile": 73, "peck_along": 74, "peck_across": 75, "thread_passes": 76}  # fmt: skip
FEET_PER_METRE = 0.3048
LIMIT_SHARE = 1.001
TAP, TAP_ACROSS = 84, 88
HOLE_CODES = {code: what for what, (code, _, _) in HOLES.items()}


@dataclass
class _Codes:
    """The G codes of a line: its motion or cycle, what it does besides, and what nothing is known of."""

    motion: int | None = None
    single: Single | None = None
    acts: set[str] = field(default_factory=set)
    unread: list[float] = field(default_factory=list)


class LatheInterpreter(LatheCycles):
    """One run over one text."""

    letters = "NGMXZUWIKRFSTPQDLOACHrc"
    lengths = "XYZUVWIJKRCrc"
    places = "XZUWIKR"
    place = "on a lathe"

    def __init__(self, data: bytes, control: Control, name: str = "The program") -> None:
        super().__init__(data, control, name)
        self._offset = 0
        self._single_now: Single | None = None
        self._open, self._opened_at = False, 0.0

    def read_all(self, progress: Callable[[float], None] | None) -> None:
        """See :class:`Reader`."""
        total = self.words.lines
        i = -1
        while i + 1 < total and not self.state.ended:
            i += 1
            self.line_no = i + 1
            self._line(i)
            if self._after > i:
                i = self._after
            if progress and i % 5000 == 0:
                progress(i / total)
        if self._chain:
            text = "Nose radius compensation is still on at the end. Add G40 on a straight move."
            self.find("missing-word", "warn", text)
        self._flush_chain()

    # words

    def _line(self, index: int) -> None:
        line = self.read_line(index)
        codes, ms, words, self.exact = line
        if not codes and not ms and (not words or "O" in words):
            return
        early, late = self.split(ms)
        if not any(self.codes.g.get(code) in BLOCKS for code in codes):
            self._tool(words)
        self._codes(codes, words, early)
        self._act(late)
        self.happen(late)
        self.finish_line(line, index)
        if "end" in late:
            self.state.ended = True

    def _tool(self, words: dict[str, float]) -> None:
        """T0101, or T1 with D1."""
        s = self.state
        self.use("T")
        if "T" not in words:
            if "D" in words and not self.codes.offset_in_tool:
                self.use("D")
                self._take_offset(int(words["D"]))
            return
        number = int(words["T"])
        if self.codes.offset_in_tool:
            station, offset = number // 100, number % 100
        else:
            self.use("D")
            station, offset = number, int(words.get("D", 0))
        if station == 0:
            if number:
                text = f"T{number} names no station: this control wants four figures, as T{number * 101:04d}."
                self.find("unknown-tool", "stop", text)
            return
        tools = self.control.tools
        found = next((n for n, t in tools.items() if (t.pocket or n) == station), station)
        if found not in tools and self.control.with_job:
            have = ", ".join(f"T{n}" for n in sorted(tools)) or "none"
            self.find(
                "unknown-tool",
                "stop",
                f"Station {station} holds no tool of the table (it has {have}). Add it or correct the number.",
            )
        if found != s.tool:
            if s.comp:
                text = "The tool is changed while G41 or G42 is in force. Write G40 on a straight move before."
                self.find("compensation", "stop", text)
            self._flush_chain()
            before = self.tip()
            s.tool = found
            self._shift = (0.0, 0.0)
            self._length_told = False
            self.builder.add(CHANGE, before, self.tip(), feed=0.0, speed=0.0, tool=found, line=self.line_no)
        self._take_offset(offset)

    def _take_offset(self, offset: int) -> None:
        """The offset in force: the tool's own, or that of its second edge."""
        s, tool = self.state, self.control.tools.get(self.state.tool)
        self._offset = offset
        if tool is None:
            return
        second = tool.in_plane.second
        if offset and offset == tool.second_offset and second is not None:
            z, r = second
            self._move_reference((-z, -r))
        elif offset in (tool.number, tool.pocket or tool.number):
            self._move_reference((0.0, 0.0))
        elif offset:
            text = f"Offset {offset} belongs to another tool; T{s.tool} is in work. Write {tool.number:02d}."
            self.find("wrong-offset", "stop", text)

    def _ask_for_length(self) -> None:
        """A tool that feeds without its offset is told once per tool change."""
        s = self.state
        tool = self.control.tools.get(s.tool)
        if tool is None or self._offset or self._length_told:
            return
        self._length_told = True
        right = (
            f"T{(tool.pocket or tool.number) * 100 + tool.number:04d}"
            if self.codes.offset_in_tool
            else f"D{tool.number}"
        )
        self.find("missing-word", "stop", f"T{s.tool} feeds without its offset. Write {right} where it is called.")

    def _move_reference(self, shift: tuple[float, float]) -> None:
        """Another point of the tool is steered from now on; the tool itself stays where it is."""
        x, _, z = self.tip()
        self._shift = shift
        self.state.nose = [x - shift[1], self.state.nose[1], z - shift[0]]

    def _codes(self, codes: list[float], words: dict[str, float], early: list[str]) -> None:
        s = self.state
        g = self._sorted(codes)
        self.take_driven_speed(words, early)
        is_limit = "limit_or_place" in g.acts and "S" in words
        self._speeds(words, limit=is_limit, surface="surface_speed" in g.acts, rev="rev_speed" in g.acts)
        self._act(early)
        self.happen(early)
        motion = g.motion
        if motion is not None and motion not in BLOCK_CYCLES:
            self._single_now = g.single
        if "F" in words and not self._feed_is_pitch(motion):
            self._set_feed(words["F"])
        if g.unread:
            self.tell_unread(g.unread, words)
            motion = UNREAD if s.motion == UNREAD else motion
        if not self._done_without_move(g.acts, words):
            self._go_on(motion, words, machine="machine_place" in g.acts)

    def _sorted(self, codes: list[float]) -> _Codes:
        """G codes by what they mean; those that only set something are carried out."""
        g = _Codes()
        for code in codes:
            what = self.codes.g.get(code, "")
            if not what:
                g.unread.append(code)
            elif what in SETTINGS:
                setattr(self.state, *SETTINGS[what])
            elif what in MOTION_OF or what == "thread":
                if g.motion is not None:
                    self.find("syntax", "stop", f"G{g.motion} and G{code:g} stand on one line. Put them on two.")
                g.motion = MOTION_OF.get(what, int(code))
            elif what in BLOCKS or what in SINGLES or what in ("tap", "tap_across", *HOLES):
                g.motion, g.single = int(code), SINGLES.get(what)
            elif not self._switched(what, code) and what not in QUIET:
                g.acts.add(what)
        return g

    def _switched(self, what: str, code: float) -> bool:
        """Compensation, offsets, what ends or looks ahead: whether a code is one of these, which are carried out."""
        s = self.state
        if what in ("compensate_left", "compensate_right"):
            self._take_up(what, code)
        elif what == "compensate_off":
            self._leaving = bool(s.comp)
        elif what == "work_offset":
            self._work_offset(code)
        elif what == "cancel":
            s.motion = 0 if s.motion in (UNREAD, TAP, TAP_ACROSS, *HOLE_CODES) else s.motion
        elif what in ("polar_moves", "polar_moves_off"):
            self.switch_polar(on=what == "polar_moves")
        elif what == "look_ahead":
            self.use("PQR")
            self.counted.update("QR")
        else:
            return False
        return True

    def _set_feed(self, value: float) -> None:
        self.use("F")
        if value <= 0:
            self.find("no-feed", "stop", f"F{value:g} is no feed. Give a number above zero.")
        else:
            self.state.feed = value * self.state.scale

    def _done_without_move(self, acts: set[str], words: dict[str, float]) -> bool:
        """A line that waits, stores, sets a place or goes home, and so makes no move of its own."""
        if "dwell" in acts:
            self._dwell(words)
        elif "store" in acts:
            self._store()
        elif "limit_or_place" in acts and any(a in words for a in "XZUW"):
            self._flush_chain()
            self._set_place(words)
        elif "limit_or_place" in acts and "C" in words:
            self.set_c(words)
        elif "unrolled_moves" in acts:
            self.switch_unrolled(words)
        elif acts & {"home", "second_home"}:
            self._flush_chain()
            if "second_home" in acts:
                self.use("P")
                text = "Where the second reference point lies the check doesn't know; it takes the machine's first one."
                self.find("work-offset", "note", text)
            self._home(words)
        else:
            return False
        return True

    def _go_on(self, motion: int | None, words: dict[str, float], *, machine: bool) -> None:
        """The line's move or cycle, if it makes one."""
        s = self.state
        cycle = motion in BLOCK_CYCLES or self._single_now is not None or motion in THREADS
        if s.comp and motion is not None and motion != 70 and cycle:
            self._flush_chain()
            text = f"G{motion} runs without nose radius compensation, which is dropped here. Write G40 before."
            self.find("compensation", "warn", text)
            s.comp = 0.0
        if motion in BLOCK_CYCLES:
            self._block_cycle(int(motion or 0), words)
            return
        if motion is not None:
            s.motion = motion
            self._cycle = {}
        has_place = any(a in words for a in self.place_letters())
        if s.motion == UNREAD:
            self.use("XZUWIKRPQDLACrc" if has_place else "")
        elif s.motion == TAP:
            if motion == TAP or has_place:
                self._tap(words)
        elif s.motion == TAP_ACROSS:
            if motion == TAP_ACROSS or has_place:
                self.tap_driven(words, across=True)
        elif s.motion in HOLE_CODES:
            if motion in HOLE_CODES or has_place:
                self.drill_driven(words, HOLE_CODES[int(s.motion)])
        elif has_place:
            if self._single_now is not None:
                self._single(self._single_now, words)
            else:
                self._move(words, machine=machine)

    def _feed_is_pitch(self, motion: int | None) -> bool:
        """Whether F of a line is a thread's pitch."""
        code = self.state.motion if motion is None else motion
        return motion == 76 or code in THREADS or (motion not in BLOCK_CYCLES and self._single_now == "thread")

    def _work_offset(self, code: float) -> None:
        """The setup's own zero; of another one the check knows nothing."""
        own = self.control.work_offset
        if self.control.with_job and f"G{code:g}" != own:
            text = f"G{code:g} is not this setup's work offset, {own}. Use that, or change the setup."
            self.find("work-offset", "stop", text)

    def _store(self) -> None:
        self.use("LPRXZUWQ")
        self.counted.update("RQ")
        text = "This G10 changes what the control has stored; the check goes on with the job's own tools and offsets."
        self.find("work-offset", "warn", text)

    def _take_up(self, what: str, code: float) -> None:
        """Nose radius compensation, left or right of the contour."""
        s = self.state
        self._flush_chain()
        tool = self.control.tools.get(s.tool)
        nose = tool.in_plane.nose if tool is not None and tool.cutter is not None else 0.0
        if tool is None:
            self.find(
                "unknown-tool",
                "warn",
                f"Which nose radius G{code:g} means is unknown: T{s.tool} is in no table. It is read as none.",
            )
        elif nose <= 0:
            self.find(
                "syntax",
                "stop",
                f"T{tool.number} ({tool.name}) has no nose radius that G{code:g} could take up. Remove it.",
            )
        s.comp = nose if what == "compensate_left" else -nose

    def _speeds(self, words: dict[str, float], *, limit: bool, surface: bool, rev: bool) -> None:
        s = self.state
        value = self.speed_word(words)
        metres = FEET_PER_METRE if s.scale != 1.0 else 1.0
        if limit:
            self._limit, value = value or 0.0, None
            self._judge_limit()
        if surface:
            if value is None:
                self.find(
                    "missing-word",
                    "stop",
                    f"G96 has no cutting speed. Add S with {'ft/min' if s.scale != 1.0 else 'm/min'}.",
                )
            elif not self._limit:
                word = self.codes.word("limit_or_place")
                text = f"Constant cutting speed has no limit. Write {word} S with the most turns per minute before."
                self.find("missing-word", "warn", text)
            self._surface, value = (value or 0.0) * metres, None
        elif rev:
            self._surface = 0.0
        if value is not None:
            if self._surface:
                self._surface = value * metres
            else:
                s.speed = value
            if value == 0:
                s.spindle = 0

    def _judge_limit(self) -> None:
        most = self.control.most_turns
        if most and self._limit > most * LIMIT_SHARE:
            text = f"The speed limit S{self._limit:g} is more than the setup allows, {most:g} /min. Lower it."
            self.find("speed-limit", "stop", text)

    def _act(self, ms: list[str]) -> None:
        """Spindle and chuck."""
        s = self.state
        for what in ms:
            if what in MODES:
                self.change_mode(what)
            elif what in SPINDLE:
                turns = SPINDLE[what]
                if turns and self._is_axis:
                    self.turn_in_axis_mode()
                    continue
                if turns and self._open:
                    word = self.codes.word("chuck_close")
                    text = f"The spindle starts while the chuck is open. Write {word} before."
                    self.find("chuck-open", "stop", text)
                if turns and s.speed <= 0 and not self._surface:
                    self.find("missing-word", "stop", "The spindle is started without a speed. Add S.")
                s.spindle = turns
            elif what in ("chuck_open", "chuck_close"):
                self._chuck(opens=what == "chuck_open")

    def _chuck(self, *, opens: bool) -> None:
        """While it is open a bar feeder pushes the bar against what stands in front of it, or what grips it pulls it."""
        s, at = self.state, self.tip()
        if opens and s.spindle:
            self.find("chuck-open", "stop", "The chuck opens while the spindle turns. Write M5 before.")
        if self._open and not opens:
            self.builder.add(BAR, at, at, feed=at[2] - self._opened_at, speed=0.0, tool=s.tool, line=self.line_no)
        if opens:
            self._opened_at = at[2]
        self._open = opens
