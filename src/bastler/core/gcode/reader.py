"""What reading a text line by line is on any machine: words of a line, judged as they stand, and what is told at the end."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import ClassVar, NamedTuple

from msgspec.structs import replace

from bastler.core.findings import MOST_OF_A_KIND, Finding, also
from bastler.core.gcode.carrier import Carrier
from bastler.core.gcode.control import UNREAD, Control, Event, Interpreted
from bastler.core.gcode.lexer import BROKEN, OPEN_COMMENT, Tokens, lex
from bastler.core.post.codes import codes
from bastler.core.problems import TooMany

SHOWN = 60
"""Characters of a line that a message shows."""


class ReadLine(NamedTuple):
    """G and M codes of a line in their order, and its other words by letter (``r``: behind a comma); ``exact``: those with a decimal point."""

    codes: list[float]
    ms: list[float]
    words: dict[str, float]
    exact: set[str]


def gathered(findings: list[Finding]) -> list[Finding]:
    """The same sentence at several lines is one finding that names them."""
    lines: dict[tuple[str, str], list[int]] = {}
    for f in findings:
        lines.setdefault((f.kind, f.text), []).append(f.line or 0)
    told: set[tuple[str, str]] = set()
    result = []
    for f in findings:
        key = (f.kind, f.text)
        if key not in told:
            told.add(key)
            others = [n for n in dict.fromkeys(lines[key]) if n != f.line]
            result.append(replace(f, text=f"{f.text}{also(others)}") if others else f)
    return result


class Reader(Carrier):
    """A machine that reads a text; each sort of machine adds what its words do."""

    letters: str = "NGMXYZIJKRQPFSTHDOLCrc"
    lengths: ClassVar[str] = "XYZIJKRQCrc"
    """Letters whose number wants a decimal point, unless it is a count on its line."""
    places: ClassVar[str] = "XYZIJKR"
    """Letters that a move is told by."""
    place: ClassVar[str] = "here"

    def __init__(self, data: bytes, control: Control, name: str = "The program") -> None:
        super().__init__(control)
        self.data = data
        self.codes = codes(control.reading)
        self.used: set[str] = set()
        self.counted: set[str] = set()
        self.events: list[Event] = []
        self.words: Tokens = lex(data, name)
        self._lines: list[bytes] | None = None

    def run(self, progress: Callable[[float], None] | None = None) -> Interpreted:
        """Read every line, or as many as there are moves to spare."""
        try:
            self.read_all(progress)
        except TooMany as error:
            self.find("too-many", "stop", str(error))
        return self.interpreted()

    def read_all(self, progress: Callable[[float], None] | None) -> None:
        """Line after line."""
        raise NotImplementedError

    def speed_word(self, words: dict[str, float]) -> float | None:
        """S of a line; one below zero is told, and is none."""
        self.use("S")
        value = words.get("S")
        if value is not None and value < 0:
            self.find("syntax", "stop", f"S{value:g} is no speed. Give a number above zero.")
            return None
        return value

    def source(self, index: int) -> str:
        """A line of the text, for messages."""
        if self._lines is None:
            self._lines = self.data.split(b"\n")
        return self._lines[index].decode("utf-8", "replace").strip()[:SHOWN]

    def read_line(self, index: int) -> ReadLine:
        """The words of a line; what is wrong with them is told."""
        w, line = self.words, ReadLine([], [], {}, set())
        self.used, self.counted = set("NO"), set()
        flag = int(w.flags[index])
        if flag & OPEN_COMMENT:
            self.find("syntax", "warn", f"The comment is not closed: “{self.source(index)}”. Add “)”.")
        if flag & BROKEN:
            text = f"“{self.source(index)}” can't be read whole. Every word is a letter with a number."
            self.find("syntax", "stop", text)
        for k in range(int(w.first[index]), int(w.first[index + 1])):
            letter, value = chr(w.letter[k]), float(w.value[k])
            if letter == "G":
                line.codes.append(value)
            elif letter == "M":
                line.ms.append(value)
            elif letter not in self.letters:
                text = f"{letter}{value:g} means nothing {self.place}. Remove it or correct the letter."
                self.find("unknown-word", "stop", text)
            elif letter in line.words:
                self.find("syntax", "stop", f"The line has two {letter} words. Keep one of them.")
            else:
                line.words[letter] = value
                if w.point[k]:
                    line.exact.add(letter)
        return line

    def use(self, letters: str) -> None:
        """Words that this line carries out, or that have been told."""
        self.used.update(letters)

    def count_of(self, words: Mapping[str, float], letters: str, otherwise: int = 1) -> int:
        """How often something is done, by the first of ``letters`` that the line has."""
        for letter in letters:
            if letter in words:
                self.used.add(letter)
                self.counted.add(letter)
                return max(int(words[letter]), 0)
        return otherwise

    def split(self, ms: list[float]) -> tuple[list[str], list[str]]:
        """Meanings of M words: those that act before the line's move, and those that act after it; unknown ones are told."""
        early: list[str] = []
        late: list[str] = []
        for m in ms:
            what = self.codes.m.get(m)
            if what is None:
                text = f"M{m:g} is not known; it is passed over. Check what the control does with it."
                self.find("unknown-word", "warn", text)
            else:
                (late if what in self.codes.late else early).append(what)
        return early, late

    def corner_of(self, words: Mapping[str, float]) -> tuple[float, bool, str] | None:
        """The corner at the end of a straight move: size in mm, whether it is rounded, and the word."""
        for letter in "rcRC":
            if letter in words:
                self.use(letter)
                name = f",{letter.upper()}" if letter.islower() else letter
                return words[letter] * self.state.scale, letter in "rR", f"{name}{words[letter]:g}"
        return None

    def tell_unread(self, unread: list[float], words: Mapping[str, float]) -> None:
        """G codes that nothing is known of; with places on their line they may be moves, so nothing moves until another motion is given."""
        word = " ".join(f"G{code:g}" for code in unread)
        if not any(k in words for k in self.places):
            text = f"{word} is not known; it is passed over with its words. Check what the control does with it."
            self.find("unknown-word", "warn", text)
            self.use("PQLABCEIJKR")
            self.counted.update("PQLIJKR")
            return
        self.state.motion = UNREAD
        text = f"{word} is not known, so this line moves nothing in the check, and from here on the place of the tool isn't known. Write it as plain moves, G0 to G3."
        self.find("unknown-word", "stop", text)

    def happen(self, ms: list[str]) -> None:
        """What M words do besides moving, by the moves that there are by then."""
        self.events += [Event(self.builder.count, self.line_no, self.line_no, what) for what in ms]

    def finish_line(self, line: ReadLine, index: int) -> None:
        """Words that nothing was done with are told, and lengths without a decimal point."""
        for letter, value in line.words.items():
            name = f",{letter.upper()}" if letter.islower() else letter
            if letter not in self.used:
                text = f"{name}{value:g} is not carried out on this line. Remove it, or check what the control does with it."
                self.find("unknown-word", "warn", text, index + 1)
            elif letter in self.lengths and letter not in line.exact and letter not in self.counted and value != 0:
                text = f"{name}{value:g} has no decimal point; many controls read it as {value / 1000:g}. Write {name}{value:g}. with a point."
                self.find("missing-point", "warn", text, index + 1)

    def interpreted(self) -> Interpreted:
        """What has been read."""
        for kind, count in self.counts.items():
            if count > MOST_OF_A_KIND:
                text = f"{count - MOST_OF_A_KIND} more findings of this kind are not listed."
                self.findings.append(Finding(kind, "note", text))
        units = "inch" if self.state.scale != 1.0 else "mm"
        return Interpreted(
            self.builder.motion(), tuple(gathered(self.findings)), self.words.lines, units, tuple(self.events)
        )
