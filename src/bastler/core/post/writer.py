"""Plan → G-code text with a map from lines to steps.

The writer knows how moves become words; which words, how many decimals, what is modal and which
canned cycles exist is the dialect's table. Coordinates are rounded once, absolutely, so no error
adds up; arc centres are computed from the rounded start.
"""

from __future__ import annotations

import math
import unicodedata
from typing import Literal

from bastler.core.geometry.path import Arc, Point, arc_sweep
from bastler.core.moves import (
    Compensate,
    Dwell,
    Note,
    OwnText,
    Pause,
    Turn,
    TurnSpindle,
)
from bastler.core.plans.plan import Plan, StepPlan
from bastler.core.post.dialect import Dialect
from bastler.core.post.program import Program
from bastler.core.problems import Unusable
from bastler.core.quantities import MM_PER_INCH
from bastler.core.tooling.coolant import MEANINGS, WAYS
from bastler.core.tooling.tools import Tool

_PLAIN = str.maketrans({"×": "x", "Ø": "D", "°": " deg", "–": "-", "−": "-", "ß": "ss", "→": "-", "“": "", "”": ""})
SAME_PLACE_MM = 2e-3
EXACTLY_MM = 1e-7
SHORT_ARC_MM = 0.02
"""A shorter arc is written as a straight line: its rounded ends could lie the wrong way round on its circle."""


class Writer:
    """What the writers of all machines share: it collects lines, and remembers what the control knows by then."""

    def __init__(self, plan: Plan, dialect: Dialect) -> None:
        self.plan, self.dialect = plan, dialect
        self.lines: list[str] = []
        self.steps: list[int] = []
        self.current = -1
        self.inch = plan.job.units == "inch"
        self.here: list[float | None] = [None, None, None]
        self.tool: Tool | None = None
        self._spindle: tuple[str, str] = ("", "")
        self._first_tool = True
        self._cooled = "off"
        self._by_hand = 0.0
        self._modal: dict[str, str] = {}
        self._next = dialect.lines.first
        self._pending = ""

    def head(self) -> None:
        """The beginning of the program."""
        dialect, values = self.dialect, self.plan.setup_answers.values
        units = dialect.words.inch if self.inch else dialect.words.metric
        number = values.get("program_number", 1)
        self.block(dialect.blocks.start, program=f"{number:04d}", name=self.plain(self.plan.job.name), units=units)
        comment = self.plain(values.get("program_comment", ""))
        if comment:
            self.line(dialect.comment.format(text=comment))

    def program(self) -> Program:
        """What was written."""
        return Program("\n".join(self.lines) + "\n", tuple(self.steps), self.plan.job.name)

    # numbers and words

    def plain(self, text: str) -> str:
        """A comment's text in the characters that every control shows."""
        ascii_text = unicodedata.normalize("NFKD", text.translate(_PLAIN)).encode("ascii", "ignore").decode()
        cleaned = "".join(c if c.isprintable() else " " for c in ascii_text if c not in "();%")
        return cleaned[: self.dialect.comment_length].strip()

    def length(self, mm: float) -> str:
        """A length in the program's units, always with a decimal point."""
        n = self.dialect.numbers
        value, decimals = (mm / MM_PER_INCH, n.length_inch) if self.inch else (mm, n.length)
        text = f"{value:.{decimals}f}".rstrip("0")
        return "0." if text in ("-0.", "0.") else text

    def rounded(self, mm: float) -> float:
        """What the control will read back, in mm."""
        return float(self.length(mm)) * (MM_PER_INCH if self.inch else 1.0)

    def feed(self, mm_per_min: float, more: int = 0) -> str:
        """A feed in the program's units, with ``more`` decimals than usual where a pitch hangs on it."""
        n = self.dialect.numbers
        value, decimals = (mm_per_min / MM_PER_INCH, n.feed_inch) if self.inch else (mm_per_min, n.feed)
        text = f"{max(value, 10.0 ** -(decimals + more)):.{decimals + more}f}"
        return text.rstrip("0").rstrip(".") if more else text

    def speed(self, rev_per_min: float) -> str:
        """A spindle speed."""
        return f"{rev_per_min:.{self.dialect.numbers.spindle}f}"

    def line(self, *words: str) -> None:
        """One line; empty words are left out."""
        text = " ".join(w for w in words if w)
        if not text:
            return
        if self.dialect.lines.numbered and text[0] not in "%O(":
            text = f"N{self._next} {text}"
            self._next += self.dialect.lines.step
        self.lines.append(text)
        self.steps.append(self.current)

    def block(self, templates: list[str], **values: str) -> None:
        """A block of lines from the table."""
        for template in templates:
            self.line(template.format(**values))

    def modal(self, key: str, word: str, active: bool) -> str:
        """A word, or nothing while it repeats."""
        if active and self._modal.get(key) == word:
            return ""
        self._modal[key] = word
        return word

    def forget(self) -> None:
        """What is modal must be said again."""
        self._modal = {}

    def coolant_word(self, part: StepPlan) -> str:
        """How the step's way of cooling is switched on; nothing for none."""
        way = part.answers.values.get("coolant", "flood")
        word: str = getattr(self.dialect.coolant, MEANINGS[way])
        if not word:
            name = dict(WAYS)[way].lower()
            raise Unusable(
                f"Step {part.number} ({part.full_name}) is cooled by {name}, which {self.dialect.title} has no word for. Choose another coolant."
            )
        return "" if way == "off" else word

    def coolant_off(self) -> str:
        """How it is switched off before a tool change; nothing if it is off."""
        return self.dialect.coolant.coolant_off if self._cooled != "off" else ""

    def ask_speed(self, speed: float) -> None:
        """Where the spindle's speed is set by hand, the program waits for it."""
        if not self.plan.frame.machine.spindle.by_hand or self._by_hand == speed:
            return
        self._by_hand = speed
        message = self.plain(f"set {self.speed(speed)} /min")
        self.block(self.dialect.blocks.pause, pause=self.dialect.words.pause, message=message)
        self._spindle, self._cooled = ("", ""), "off"

    def cool(self, part: StepPlan) -> None:
        """Another way of cooling for the tool that is in."""
        way = part.answers.values.get("coolant", "flood")
        if way != self._cooled:
            if self._cooled != "off":
                self.line(self.dialect.coolant.coolant_off)
            self.line(self.coolant_word(part))
            self._cooled = way

    def _compensate(self, move: Compensate) -> None:
        words = self.dialect.words
        by_side = {"left": words.compensate_left, "right": words.compensate_right, None: words.compensate_off}
        assert self.tool is not None
        self._pending = by_side[move.side].format(number=self.tool.number)

    def _dwell(self, move: Dwell) -> None:
        seconds = f"{move.seconds:.{self.dialect.numbers.dwell}f}"
        self.line(self.dialect.words.dwell.format(dwell_ms=f"{move.seconds * 1000:.0f}", dwell_s=seconds))

    def _turn_spindle(self, move: TurnSpindle) -> None:
        words = self.dialect.words
        self.line({"right": words.spindle_right, "left": words.spindle_left, "stop": words.spindle_stop,
                   "orient": words.spindle_orient}[move.turn])  # fmt: skip

    def _pause(self, move: Pause) -> None:
        word = self.dialect.words.optional_pause if move.optional else self.dialect.words.pause
        self.block(self.dialect.blocks.pause, pause=word, message=self.plain(move.text))
        self._spindle, self._cooled = ("", ""), "off"

    def _note(self, move: Note) -> None:
        for text in move.text.split("\n"):
            if self.plain(text):
                self.line(self.dialect.comment.format(text=self.plain(text)))

    def _own_text(self, move: OwnText) -> None:
        """The person's lines as they are; what the control knows afterwards is not ours to guess."""
        for text in move.lines:
            self.lines.append(text)
            self.steps.append(self.current)
        self.forget()
        self.here = [None, None, None]
        self.tool, self._spindle = None, ("", "")

    def straight(self, motion: str, x: float | None, y: float | None, z: float | None, feed: str) -> None:
        """A straight move; one that goes nowhere is not written."""
        places = [self.place(axis, value) for axis, value in zip("XYZ", (x, y, z), strict=True)]
        if not any(places):
            return
        words = [self.modal("motion", motion, self.dialect.modal.motion)]
        if self._pending:
            words.insert(0, self._pending)
            self._pending = ""
        self.line(*words, *places, self.feed_word(feed))

    def place(self, axis: str, value: float | None) -> str:
        """An axis word, or nothing if the axis is there already."""
        if value is None:
            return ""
        index = "XYZ".index(axis)
        rounded = self.rounded(value)
        if self.dialect.modal.coordinates and self.here[index] == rounded:
            return ""
        self.here[index] = rounded
        return f"{axis}{self.length(value)}"

    def feed_word(self, feed: str) -> str:
        """F with a feed, or nothing while it repeats."""
        return self.modal("feed", f"F{feed}", self.dialect.modal.feed) if feed else ""


def arc_sort(start: Point, turn: Turn, same: float = EXACTLY_MM) -> Literal["whole", "short", "arc"]:
    """Whether an arc goes all round; or is so short that it is written as a line. ``same``: ends so near to the start are the start.

    Rounded to the program's digits the ends of a very short arc are one place, and the control would go all round.
    """
    way = math.dist(start, (turn.x, turn.y))
    if way < same:
        return "whole"
    quarter = abs(arc_sweep(start, Arc((turn.x, turn.y), turn.centre, turn.ccw))) <= math.pi / 2 + 1e-6
    return "short" if way < SHORT_ARC_MM and quarter else "arc"
