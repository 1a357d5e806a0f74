"""What reading a text line by line is on any machine: words of a line, judged as they stand, and what is told at the end."""

from __future__ import annotations

from collections.abc import Callable
from typing import ClassVar, NamedTuple

from bastler.core.findings import Finding
from bastler.core.gcode.control import KNOWN_LETTERS, KNOWN_M, MOST_OF_A_KIND, Control, Interpreted
from bastler.core.gcode.lexer import BROKEN, OPEN_COMMENT, Words, lex
from bastler.core.gcode.machine import Machine
from bastler.core.problems import TooMany

SHOWN = 60
"""Characters of a line that a message shows."""


class Line(NamedTuple):
    """G and M codes of a line in their order, and its other words; ``exact``: those with a decimal point."""

    codes: list[float]
    ms: list[float]
    words: dict[str, float]
    exact: set[str]


class Reader(Machine):
    """A machine that reads a text; each sort of machine adds what its words do."""

    letters: ClassVar[str] = KNOWN_LETTERS
    lengths: ClassVar[str] = "XYZIJKRQ"
    """Letters whose number wants a decimal point."""
    counting: ClassVar[frozenset[tuple[float, str]]] = frozenset()
    """G codes with such a letter that is a count on their line."""
    known_m: ClassVar[tuple[int, ...]] = tuple(KNOWN_M)
    place: ClassVar[str] = "here"

    def __init__(self, data: bytes, control: Control, name: str = "The program") -> None:
        super().__init__(control)
        self.data = data
        self.words: Words = lex(data, name)
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

    def read_line(self, index: int) -> Line:
        """The words of a line; what is wrong with them is told."""
        w, line = self.words, Line([], [], {}, set())
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
                elif (
                    letter in self.lengths and value != 0 and not any((c, letter) in self.counting for c in line.codes)
                ):
                    text = f"{letter}{value:g} has no decimal point; many controls read it as {value / 1000:g}. Write {letter}{value:g}. with a point."
                    self.find("missing-point", "warn", text)
        return line

    def finish_line(self, ms: list[float]) -> None:
        """M words that nothing is known of are told; the text may end here."""
        for m in ms:
            if m not in self.known_m:
                text = f"M{m:g} is not known; it is passed over. Check what the control does with it."
                self.find("unknown-word", "warn", text)
            if m in (2, 30):
                self.state.ended = True

    def interpreted(self) -> Interpreted:
        """What has been read."""
        for kind, count in self.counts.items():
            if count > MOST_OF_A_KIND:
                text = f"{count - MOST_OF_A_KIND} more findings of this kind are not listed."
                self.findings.append(Finding(kind, "note", text))
        units = "inch" if self.state.scale != 1.0 else "mm"
        return Interpreted(self.builder.motion(), tuple(self.findings), self.words.lines, units)
