"""Plan → G-code text with a map from lines to steps.

The writer knows how moves become words; which words, how many decimals, what is modal and which
canned cycles exist is the dialect's table. Coordinates are rounded once, absolutely, so no error
adds up; arc centres are computed from the rounded start.
"""

from __future__ import annotations

import unicodedata
from dataclasses import dataclass, field

from msgspec import Struct

from bastler.core.moves import Compensate, Drill, Feed, Move, Rapid, Turn
from bastler.core.planning.planner import Plan, StepPlan
from bastler.core.post.dialect import Dialect
from bastler.core.quantities import MM_PER_INCH
from bastler.core.tooling.tools import Tool

_PLAIN = str.maketrans({"×": "x", "Ø": "D", "°": " deg", "–": "-", "−": "-", "ß": "ss", "→": "-", "“": "", "”": ""})


class Program(Struct, frozen=True):
    """Posted text; ``step_of_line[i]`` is the index of the step in the job's list for line i (from 0), or -1."""

    text: str
    step_of_line: tuple[int, ...]
    name: str

    @property
    def lines(self) -> list[str]:
        """The text by lines."""
        return self.text.splitlines()


def post(plan: Plan, dialect: Dialect, program_number: int = 1) -> Program:
    """The G-code of a plan; steps that ask for something are left out (the caller decides whether that may be)."""
    writer = _Writer(plan, dialect)
    units = dialect.words.metric if plan.job.units == "mm" else dialect.words.inch
    writer.block(dialect.blocks.start, program=f"{program_number:04d}", name=writer.plain(plan.job.name), units=units)
    before: StepPlan | None = None
    for one in plan.cut:
        writer.step(one, before)
        before = one
    writer.current = -1
    writer.block(dialect.blocks.end)
    return Program("\n".join(writer.lines) + "\n", tuple(writer.steps), plan.job.name)


@dataclass
class _Writer:
    plan: Plan
    dialect: Dialect
    lines: list[str] = field(default_factory=list)
    steps: list[int] = field(default_factory=list)
    current: int = -1
    _modal: dict[str, str] = field(default_factory=dict)
    _next: int = 0
    _pending: str = ""

    def __post_init__(self) -> None:
        self._next = self.dialect.lines.first
        self.inch = self.plan.job.units == "inch"
        self.here: list[float | None] = [None, None, None]
        self.tool: Tool | None = None

    # numbers and words

    def plain(self, text: str) -> str:
        """A comment's text in the characters that every control shows."""
        ascii_text = unicodedata.normalize("NFKD", text.translate(_PLAIN)).encode("ascii", "ignore").decode()
        cleaned = "".join(c for c in ascii_text if c not in "();%\n\r")
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

    def feed(self, mm_per_min: float) -> str:
        """A feed in the program's units."""
        n = self.dialect.numbers
        value, decimals = (mm_per_min / MM_PER_INCH, n.feed_inch) if self.inch else (mm_per_min, n.feed)
        return f"{max(value, 10.0**-decimals):.{decimals}f}"

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

    # steps

    def step(self, one: StepPlan, before: StepPlan | None) -> None:
        """Tool change as needed, then the step's moves."""
        blocks, tool = self.dialect.blocks, one.tool
        assert tool is not None  # a ready step has one
        self.current = one.number - 1
        self.block(blocks.step, step=self.plain(f"{one.number} {one.full_name}"))
        speed = f"{one.answers.values.speed:.{self.dialect.numbers.spindle}f}"
        clearance = self.length(self.plan.frame.clearance)
        moves = list(one.moves)
        if before is None or before.tool != tool:
            first = moves.pop(0)
            assert isinstance(first, Rapid)
            assert first.x is not None
            assert first.y is not None
            values = {
                "number": str(tool.number), "tool": self.plain(tool.name), "speed": speed, "clearance": clearance,
                "work_offset": self.plan.setup.work_offset, "x": self.length(first.x), "y": self.length(first.y),
            }  # fmt: skip
            self.block(blocks.first_tool if before is None else blocks.tool_change, **values)
            self.block(blocks.approach, **values)
            self._modal = {"motion": self.dialect.words.rapid}
            self.here = [self.rounded(first.x), self.rounded(first.y), self.rounded(self.plan.frame.clearance)]
            self.tool = tool
        elif before.answers.values.speed != one.answers.values.speed:
            self.block(blocks.same_tool, speed=speed)
        for move in moves:
            self.move(move)

    def move(self, move: Move) -> None:
        """One move as one line, or as a canned cycle."""
        match move:
            case Rapid():
                self.straight(self.dialect.words.rapid, move.x, move.y, move.z, "")
            case Feed():
                self.straight(self.dialect.words.feed, move.x, move.y, move.z, self.feed(move.feed))
            case Turn():
                self.arc(move)
            case Compensate():
                words = self.dialect.words
                by_side = {"left": words.compensate_left, "right": words.compensate_right, None: words.compensate_off}
                assert self.tool is not None
                self._pending = by_side[move.side].format(number=self.tool.number)
            case Drill():
                self.drill(move)

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
        return self.modal("feed", f"F{feed}", self.dialect.modal.feed) if feed else ""

    def arc(self, turn: Turn) -> None:
        """An arc or helix with its centre from the start; one without length is not written."""
        words = self.dialect.words
        start_x, start_y = self.here[0], self.here[1]
        assert start_x is not None
        assert start_y is not None
        end = (self.rounded(turn.x), self.rounded(turn.y))
        full = abs(turn.x - start_x) < 2e-3 and abs(turn.y - start_y) < 2e-3
        if full and max(abs(turn.centre[0] - start_x), abs(turn.centre[1] - start_y)) < 2e-3:
            return
        motion = words.counter_clockwise if turn.ccw else words.clockwise
        if not full and end == (start_x, start_y):
            return
        places = [] if full else [f"X{self.length(turn.x)}", f"Y{self.length(turn.y)}"]
        z = self.place("Z", turn.z)
        centre = [
            f"{letter}{self.length(middle - start)}"
            for letter, middle, start in zip(words.centre, turn.centre, (start_x, start_y), strict=True)
        ]
        if not full:
            self.here[:2] = end
        self.line(
            self.modal("motion", motion, self.dialect.modal.motion),
            *places,
            z,
            *centre,
            self.feed_word(self.feed(turn.feed)),
        )

    # holes

    def drill(self, d: Drill) -> None:
        """A canned cycle where the dialect has one for it, moves otherwise."""
        table = self.dialect.drilling
        shrinking = d.pecks is not None and d.pecks.less > 0
        if d.pecks and ((shrinking and not table.shrinking_pecks) or (d.dwell_s > 0 and not table.pecks_with_dwell)):
            self.drill_written_out(d)
            return
        if d.pecks is None:
            template = table.dwell if d.dwell_s > 0 else table.straight
        else:
            template = table.retract if d.pecks.retract else table.chip
        values = {
            "bottom": self.length(d.bottom), "start": self.length(d.start), "feed": self.feed(d.feed),
            "dwell_ms": f"{d.dwell_s * 1000:.0f}", "peck": self.length(d.pecks.first) if d.pecks else "",
        }  # fmt: skip
        for i, point in enumerate(d.points):
            place = f"X{self.length(point[0])} Y{self.length(point[1])}"
            if i == 0:
                self.line(table.return_to_start, template.format(place=place, **values))
            else:
                self.line(place)
            self.here = [self.rounded(point[0]), self.rounded(point[1]), self.rounded(d.start)]
        self.line(table.cancel)
        self._modal = {}

    def drill_written_out(self, d: Drill) -> None:
        table = self.dialect.drilling
        assert d.pecks is not None
        for x, y in d.points:
            self.move(Rapid(x, y))
            self.move(Rapid(z=d.start))
            z = d.start
            depths = d.pecks.depths(d.start, d.bottom)
            for depth in depths:
                if z < d.start and d.pecks.retract:
                    self.move(Rapid(z=d.start))
                    self.move(Rapid(z=min(z + table.peck_gap, d.start)))
                elif z < d.start:
                    self.move(Feed(None, None, min(z + table.chip_break_back, d.start), d.feed))
                self.move(Feed(None, None, depth, d.feed))
                z = depth
            if d.dwell_s > 0:
                self.line(table.written_out_dwell.format(dwell_ms=f"{d.dwell_s * 1000:.0f}"))
            self.move(Rapid(z=d.start))
