"""The interpreter for lathes: words → motion in the plane of the axis, X as a radius from here on.

*Reading*: ``a`` limits speed by G50 and feeds per turn after G99; ``b`` limits it by G92 and feeds per turn after G95. Both
know G96 and G97, increments U and W, threads by G32 and G33; ``a`` also
the cycles G70, G71, G76, G90, G92 and G94.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping

from msgspec import Struct

from bastler.core.gcode.control import KNOWN_M, MM_PER_INCH, Control
from bastler.core.gcode.lathecycles import BLOCK_CYCLES, LatheCycles, Single
from bastler.core.gcode.motion import BAR, CHANGE


class Reading(Struct, frozen=True):
    """What differs between lathe controls: codes by meaning."""

    limit: int
    feed_codes: Mapping[int, str]
    absolute_codes: Mapping[int, bool]
    four_figures: bool
    singles: Mapping[int, Single] = {}


READINGS: Mapping[str, Reading] = {
    "a": Reading(50, {98: "minute", 99: "rev"}, {}, True, {90: "turn", 92: "thread", 94: "face"}),
    "b": Reading(92, {94: "minute", 95: "rev"}, {90: True, 91: False}, False, {77: "turn", 78: "thread", 79: "face"}),
}
THREADS = (32, 33)
CHUCK_CLOSES, CHUCK_OPENS = 10, 11
QUIET = (18, 54, 55, 56, 57, 58, 59, 61, 64, 80)


class LatheInterpreter(LatheCycles):
    """One run over one text."""

    letters = "NGMXZUWIKRFSTPQDLOA"
    lengths = "XZUWIKR"
    counting = frozenset({(73.0, "R")})
    known_m = (*KNOWN_M, 10, 11, 23, 24, 25, 26, 29, 40, 41, 42)
    place = "on a lathe"

    def __init__(self, data: bytes, control: Control, name: str = "The program") -> None:
        super().__init__(data, control, name)
        self.reading = READINGS[control.reading or "a"]
        self._offset = 0
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
            self._flush_chain()
            self.find(
                "missing-word", "warn", "Nose radius compensation is still on at the end. Add G40 on a straight move."
            )

    # words

    def _line(self, index: int) -> None:
        codes, ms, words, self.exact = self.read_line(index)
        if not codes and not ms and (not words or "O" in words):
            return
        if not any(code in BLOCK_CYCLES for code in codes):
            self._tool(words)
        self._codes(codes, words, ms)
        self.finish_line(ms)

    def _tool(self, words: dict[str, float]) -> None:
        """T0101, or T1 with D1."""
        s = self.state
        if "T" not in words:
            if "D" in words and not self.reading.four_figures:
                self._take_offset(int(words["D"]))
            return
        number = int(words["T"])
        station, offset = (
            (number // 100, number % 100) if self.reading.four_figures else (number, int(words.get("D", 0)))
        )
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
            self._flush_chain()
            before = self.tip()
            s.tool = found
            self._shift = (0.0, 0.0)
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
        elif offset == 0:
            self.find(
                "missing-word", "warn", f"T{s.tool} is called without its offset. Write {tool.number:02d} behind it."
            )
        else:
            self.find(
                "wrong-offset",
                "stop",
                f"Offset {offset} belongs to another tool; T{s.tool} is in work. Write {tool.number:02d}.",
            )

    def _move_reference(self, shift: tuple[float, float]) -> None:
        """Another point of the tool is steered from now on; the tool itself stays where it is."""
        x, _, z = self.tip()
        self._shift = shift
        self.state.nose = [x - shift[1], 0.0, z - shift[0]]

    def _codes(self, codes: list[float], words: dict[str, float], ms: list[float]) -> None:
        s, r = self.state, self.reading
        motion: int | None = None
        dwell = home = False
        limit = surface = rev = False
        for code in codes:
            if code in (0, 1, 2, 3, 32, 33):
                if motion is not None:
                    self.find("syntax", "stop", f"G{motion} and G{code:g} stand on one line. Put them on two.")
                motion = int(code)
            elif code == r.limit and "S" in words:
                limit = True
            elif code in r.feed_codes:
                s.feed_mode = r.feed_codes[int(code)]
            elif code in r.absolute_codes:
                s.absolute = r.absolute_codes[int(code)]
            elif code in (20, 21):
                s.scale = MM_PER_INCH if code == 20 else 1.0
            elif code == 96:
                surface = True
            elif code == 97:
                rev = True
            elif code == 4:
                dwell = True
            elif code == 28:
                home = True
            elif code in (41, 42):
                self._take_up(int(code))
            elif code == 40:
                self._leaving = bool(s.comp)
            elif code in BLOCK_CYCLES or code in r.singles:
                motion = int(code)
            elif code not in QUIET:
                self.find(
                    "unknown-word",
                    "stop",
                    f"G{code:g} is not known; it is passed over. Check what the control does with it.",
                )
        self._speeds(words, ms, limit=limit, surface=surface, rev=rev)
        if "F" in words and not self._feed_is_pitch(motion):
            if words["F"] <= 0:
                self.find("no-feed", "stop", f"F{words['F']:g} is no feed. Give a number above zero.")
            else:
                s.feed = words["F"] * s.scale
        if dwell:
            self._flush_chain()
            self._dwell(words)
            return
        if home:
            self._flush_chain()
            self._home(words)
            return
        if s.comp and motion != 70 and (motion in BLOCK_CYCLES or motion in r.singles or motion in THREADS):
            self._flush_chain()
            self.find(
                "syntax",
                "warn",
                f"G{motion} runs without nose radius compensation, which is dropped here. Write G40 before.",
            )
            s.comp = 0.0
        if motion in BLOCK_CYCLES:
            self._block_cycle(int(motion or 0), words)
            return
        if motion is not None:
            s.motion = motion
            self._cycle = {}
        if any(a in words for a in "XZUW"):
            if s.motion in r.singles:
                self._single(r.singles[s.motion], words)
            else:
                self._move(words)

    def _feed_is_pitch(self, motion: int | None) -> bool:
        """Whether F of a line is a thread's pitch."""
        code = self.state.motion if motion is None else motion
        return motion == 76 or code in THREADS or self.reading.singles.get(code) == "thread"

    def _take_up(self, code: int) -> None:
        """Nose radius compensation, left or right of the contour."""
        s = self.state
        self._flush_chain()
        tool = self.control.tools.get(s.tool)
        nose = tool.in_plane.nose if tool is not None and tool.cutter is not None else 0.0
        if tool is None:
            self.find(
                "unknown-tool",
                "warn",
                f"Which nose radius G{code} means is unknown: T{s.tool} is in no table. It is read as none.",
            )
        elif nose <= 0:
            self.find(
                "syntax",
                "stop",
                f"T{tool.number} ({tool.name}) has no nose radius that G{code} could take up. Remove it.",
            )
        s.comp = nose if code == 41 else -nose

    def _speeds(self, words: dict[str, float], ms: list[float], *, limit: bool, surface: bool, rev: bool) -> None:
        s = self.state
        value = self.speed_word(words)
        if limit:
            self._limit = value or 0.0
            value = None
        if surface:
            if value is None:
                self.find("missing-word", "stop", "G96 has no cutting speed. Add S with m/min.")
            elif not self._limit:
                self.find(
                    "missing-word",
                    "warn",
                    f"Constant cutting speed has no limit. Write G{self.reading.limit} S with the most turns per minute before.",
                )
            self._surface = (value or 0.0) * (0.3048 if s.scale != 1.0 else 1.0)
            value = None
        elif rev:
            self._surface = 0.0
        if value is not None:
            if self._surface:
                self._surface = value * (0.3048 if s.scale != 1.0 else 1.0)
            else:
                s.speed = value
        for m in ms:
            if m in (3, 4):
                if self._open:
                    self.find("chuck-open", "stop", "The spindle starts while the chuck is open. Write M10 before.")
                s.spindle = 1 if m == 3 else -1
                if s.speed <= 0 and not self._surface:
                    self.find("missing-word", "stop", "The spindle is started without a speed. Add S.")
                self._ask_for_side(m)
            if m in (2, 5, 19, 30):
                s.spindle = 0
            if m in (CHUCK_OPENS, CHUCK_CLOSES):
                self._chuck(opens=m == CHUCK_OPENS)

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

    def _ask_for_side(self, m: float) -> None:
        """Whether the edge meets the metal, or the metal its back."""
        tool = self.control.tools.get(self.state.tool)
        if tool is None or tool.cutter is None:
            if tool is not None and m == 4 and not tool.left_hand and tool.kind != "tap":
                self.find(
                    "wrong-turn",
                    "stop",
                    f"T{tool.number} ({tool.name}) cuts to the right; M4 turns the metal against its back. Write M3.",
                )
            return
        wants = 4 if tool.upside_down else 3
        if m != wants:
            self.find(
                "wrong-turn",
                "stop",
                f"With M{m:g} the metal meets the back of T{tool.number} ({tool.name}), not its edge. Write M{wants}.",
            )
