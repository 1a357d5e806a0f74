"""Plan → G-code text with a map from lines to steps.

The writer knows how moves become words; which words, how many decimals, what is modal and which
canned cycles exist is the dialect's table. Coordinates are rounded once, absolutely, so no error
adds up; arc centres are computed from the rounded start.
"""

from __future__ import annotations

import math
import unicodedata
from collections.abc import Callable
from typing import Any

from msgspec.structs import replace

from bastler.core.geometry.path import Arc, arc_sweep
from bastler.core.moves import (
    Bore,
    Compensate,
    Drill,
    Dwell,
    Feed,
    Move,
    Note,
    OwnText,
    Pause,
    Rapid,
    Retract,
    Spindle,
    Tap,
    Turn,
)
from bastler.core.planning.planner import Plan, StepPlan
from bastler.core.post.copies import alike, call
from bastler.core.post.dialect import Dialect
from bastler.core.post.holes import canned, written_out
from bastler.core.post.program import Program
from bastler.core.problems import Unusable
from bastler.core.quantities import MM_PER_INCH
from bastler.core.tooling.coolant import MEANINGS, WAYS
from bastler.core.tooling.tools import Tool

_PLAIN = str.maketrans({"×": "x", "Ø": "D", "°": " deg", "–": "-", "−": "-", "ß": "ss", "→": "-", "“": "", "”": ""})
SAME_PLACE_MM = 2e-3
SHORT_ARC_MM = 0.02
"""A shorter arc is written as a straight line: its rounded ends could lie the wrong way round on its circle."""


def post(plan: Plan, dialect: Dialect) -> Program:
    """The G-code of a plan; steps that ask for something are left out (the caller decides whether that may be).

    Raises :class:`Unusable` for a step that this control can't do.
    """
    if plan.frame.chucking is not None:
        from bastler.core.post.turning import post_turned

        return post_turned(plan, dialect)
    if dialect.turning is not None:
        raise Unusable(f"{dialect.title} is for lathes. Choose a dialect of a mill.")
    if (
        len(plan.frame.parts) > 1
        and plan.setup_answers.values.get("parts_by") == "shift"
        and not dialect.words.local_shift
    ):
        raise Unusable(f"{dialect.title} can't shift the zero by the program. Choose “Work offsets” at Zeros by.")
    for one in plan.cut:
        for move in (m for part in (one, *one.parts) for m in part.moves):
            if isinstance(move, Compensate) and not dialect.words.compensate_left:
                raise Unusable(
                    f"Step {one.number} ({one.full_name}) leaves the tool's radius to the control, which {dialect.title} "
                    "can't. Choose “Bastler” at Wall path by."
                )
            if isinstance(move, Tap) and move.rigid and not dialect.holes.tap_right:
                raise Unusable(
                    f"Step {one.number} ({one.full_name}) taps with spindle and feed in step, which {dialect.title} can't. "
                    "Take a floating holder and choose “Floating”."
                )
    writer = Writer(plan, dialect)
    units = dialect.words.metric if plan.job.units == "mm" else dialect.words.inch
    number = plan.setup_answers.values.get("program_number", 1)
    writer.block(dialect.blocks.start, program=f"{number:04d}", name=writer.plain(plan.job.name), units=units)
    comment = writer.plain(plan.setup_answers.values.get("program_comment", ""))
    if comment:
        writer.line(dialect.comment.format(text=comment))
    copies = range(len(plan.frame.parts))
    if plan.setup_answers.values.get("parts_order", "tool") == "part":
        for copy in copies:
            for one, parts in plan.in_turn:
                writer.step(one, parts, (copy,))
    else:
        for one, parts in plan.in_turn:
            writer.step(one, parts, tuple(copies))
    writer.current = -1
    writer.go_to(0)
    writer.finish()
    return Program("\n".join(writer.lines) + "\n", tuple(writer.steps), plan.job.name)


class Writer:
    """Collects lines; remembers what the control knows by then."""

    def __init__(self, plan: Plan, dialect: Dialect) -> None:
        self.plan, self.dialect = plan, dialect
        self.lines: list[str] = []
        self.steps: list[int] = []
        self.current = -1
        self._copy = 0
        self.inch = plan.job.units == "inch"
        self.here: list[float | None] = [None, None, None]
        self._exact: tuple[float, float] | None = None
        self.tool: Tool | None = None
        self._spindle: tuple[str, str] = ("", "")
        self._first_tool = True
        self._cooled = "off"
        self._by_hand = 0.0
        self._modal: dict[str, str] = {}
        self._next = dialect.lines.first
        self._pending = ""
        self.subprograms: list[tuple[int, list[str]]] = []

    def fresh(self) -> Writer:
        """A writer of the same program that knows nothing yet, without line numbers."""
        plain = replace(self.dialect, lines=replace(self.dialect.lines, numbered=False))
        return Writer(self.plan, plain)

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

    # steps

    def go_to(self, copy: int) -> None:
        """Go on at one of several equal parts: its work offset, or the first one's shifted."""
        if copy == self._copy:
            return
        self._copy = copy
        if self.plan.setup_answers.values.get("parts_by", "offsets") == "offsets":
            self.line(self.offset)
        else:
            dx, dy = self.plan.frame.parts[copy]
            self.line(self.dialect.words.local_shift.format(x=self.length(dx), y=self.length(dy)))
        self.here[:2] = [None, None]

    @property
    def offset(self) -> str:
        """The work offset in force."""
        first = self.plan.setup.work_offset
        by_offsets = self.plan.setup_answers.values.get("parts_by", "offsets") == "offsets"
        return self.plan.frame.offset_names(first)[self._copy] if by_offsets else first

    def step(self, one: StepPlan, parts: tuple[StepPlan, ...], copies: tuple[int, ...] = (0,)) -> None:
        """A step: parts of it one after another, each with its tool, at every one of ``copies``."""
        self.current = one.number - 1
        self.block(self.dialect.blocks.step, step=self.plain(f"{one.number} {one.full_name}"))
        for same in alike(self, parts) if len(self.plan.frame.parts) == 1 else [(part,) for part in parts or (one,)]:
            if len(same) > 1:
                call(self, same)
                continue
            part = same[0] if same else one
            if part is not one and part.moves:
                self.block(self.dialect.blocks.step, step=self.plain(part.full_name))
            for copy in copies if part.tool is not None else copies[:1]:
                if part.moves:
                    self.go_to(copy)
                moves = list(part.moves)
                if part.tool is not None and moves:
                    moves = self.take(part, moves)
                for move in moves:
                    self.move(move)

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
        if not self.plan.frame.machine.by_hand or self._by_hand == speed:
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

    def finish(self) -> None:
        """The end of the program, and behind it the subprograms that it calls."""
        end = list(self.dialect.blocks.end)
        last = [end.pop()] if end and end[-1] == "%" else []
        self.block(end)
        for step, lines in self.subprograms:
            self.current = step
            for text in lines:
                self.line(text)
        self.current = -1
        self.block(last)

    def take(self, part: StepPlan, moves: list[Move]) -> list[Move]:
        """Have the part's tool in a turning spindle; the moves that are left to write."""
        blocks, tool, words = self.dialect.blocks, part.tool, self.dialect.words
        assert tool is not None
        turn = words.spindle_left if tool.left_hand else words.spindle_right
        spindle = (self.speed(part.answers.values.speed), turn)
        values = {
            "number": str(tool.number), "tool": self.plain(tool.name), "speed": spindle[0], "turn": turn,
            "clearance": self.length(self.plan.frame.clearance), "work_offset": self.offset,
            "coolant": self.coolant_word(part),
        }  # fmt: skip
        way = part.answers.values.get("coolant", "flood")
        self.ask_speed(part.answers.values.speed)
        if self.tool != tool:
            first = moves.pop(0)
            assert isinstance(first, Rapid)
            assert first.x is not None
            assert first.y is not None
            values |= {
                "x": self.length(first.x), "y": self.length(first.y), "change": self._change_place(), "coolant_off": self.coolant_off(),
            }  # fmt: skip
            self.block(blocks.first_tool if self._first_tool else blocks.tool_change, **values)
            self.block(blocks.approach, **values)
            self._cooled = way
            self._first_tool = False
            self._modal = {"motion": words.rapid}
            self.here = [self.rounded(first.x), self.rounded(first.y), self.rounded(self.plan.frame.clearance)]
            self.tool = tool
        elif not self._spindle[1]:
            self.block(blocks.resume, **values)
            self._cooled = way
        elif self._spindle != spindle:
            self.block(blocks.same_tool, **values)
        self.cool(part)
        self._spindle = spindle
        return moves

    def move(self, move: Move) -> None:
        """One move as one line, as a canned cycle, or written out."""
        self._WRITERS[type(move)](self, move)
        if isinstance(move, Rapid | Feed | Turn) and move.x is not None and move.y is not None:
            self._exact = (move.x, move.y)
        elif not isinstance(move, Rapid | Feed) or move.x is not None or move.y is not None:
            self._exact = None

    def _rapid(self, move: Rapid) -> None:
        self.straight(self.dialect.words.rapid, move.x, move.y, move.z, "")

    def _change_place(self) -> str:
        """The way to where tools are changed, if the machine has a place for it."""
        at = self.plan.frame.machine.change_at
        return self.dialect.words.change_place.format(x=self.length(at[0]), y=self.length(at[1])) if at else ""

    def _retract(self, _: Retract) -> None:
        self.line(self.dialect.words.machine_top)
        self.here[2] = None
        self.forget()

    def _feed(self, move: Feed) -> None:
        self.straight(self.dialect.words.feed, move.x, move.y, move.z, self.feed(move.feed))

    def _compensate(self, move: Compensate) -> None:
        words = self.dialect.words
        by_side = {"left": words.compensate_left, "right": words.compensate_right, None: words.compensate_off}
        assert self.tool is not None
        self._pending = by_side[move.side].format(number=self.tool.number)

    def _dwell(self, move: Dwell) -> None:
        seconds = f"{move.seconds:.{self.dialect.numbers.dwell}f}"
        self.line(self.dialect.words.dwell.format(dwell_ms=f"{move.seconds * 1000:.0f}", dwell_s=seconds))

    def _turn_spindle(self, move: Spindle) -> None:
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

    def _arc(self, turn: Turn) -> None:
        """An arc or helix with its centre from the start; one without length is not written."""
        words = self.dialect.words
        start_x, start_y = self.here[0], self.here[1]
        assert start_x is not None
        assert start_y is not None
        end = (self.rounded(turn.x), self.rounded(turn.y))
        same, at = (1e-7, self._exact) if self._exact else (SAME_PLACE_MM, (start_x, start_y))
        full = abs(turn.x - at[0]) < same and abs(turn.y - at[1]) < same
        if full and max(abs(turn.centre[0] - start_x), abs(turn.centre[1] - start_y)) < SAME_PLACE_MM:
            return
        motion = words.counter_clockwise if turn.ccw else words.clockwise
        if not full and math.dist(at, (turn.x, turn.y)) < SHORT_ARC_MM and _quarter_at_most(at, turn):
            self.straight(words.feed, turn.x, turn.y, turn.z, self.feed(turn.feed))
            return
        if self.rounded(turn.centre[0] - start_x) == 0 == self.rounded(turn.centre[1] - start_y):
            # Smaller than the program's digits: an arc about its own start would have no radius.
            self.straight(words.feed, turn.x, turn.y, turn.z, self.feed(turn.feed))
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

    def _holes(self, move: Drill | Bore | Tap) -> None:
        """A canned cycle where the dialect has one that does it, moves otherwise."""
        template = canned(move, self.dialect.holes)
        if not template:
            for simple in written_out(move, self.dialect.holes):
                self.move(simple)
            return
        table = self.dialect.holes
        tap_feed, speed, left, rigid = 0.0, "", False, False
        if isinstance(move, Tap):
            tap_feed, speed, left, rigid = move.pitch * move.speed, self.speed(move.speed), move.left, move.rigid
        if rigid and table.rigid:
            self.line(table.rigid.format(speed=speed))
        peck = move.pecks.first if isinstance(move, Drill) and move.pecks else 0.0
        values = {
            "bottom": self.length(move.bottom), "start": self.length(move.start), "feed": self.feed(move.feed),
            "tap_feed": self.feed(tap_feed, 3), "dwell_ms": f"{move.dwell_s * 1000:.0f}", "peck": self.length(peck),
            "shift": self.length(move.shift if isinstance(move, Bore) else 0.0), "left": "left" if left else "",
        }  # fmt: skip
        high = self.rounded(move.back) > self.rounded(move.start)
        if high:
            self.move(Rapid(z=move.back))
        for i, point in enumerate(move.points):
            place = f"X{self.length(point[0])} Y{self.length(point[1])}"
            back = table.return_high if high else table.return_to_start
            self.line(back, template.format(place=place, **values)) if i == 0 else self.line(place)
            self.here = [
                self.rounded(point[0]),
                self.rounded(point[1]),
                self.rounded(move.back if high else move.start),
            ]
        self.line(table.cancel)
        self.forget()

    _WRITERS: dict[type, Callable[[Writer, Any], None]] = {
        Rapid: _rapid, Retract: _retract, Feed: _feed, Turn: _arc, Compensate: _compensate, Dwell: _dwell, Spindle: _turn_spindle, Pause: _pause,
        Note: _note, OwnText: _own_text, Drill: _holes, Bore: _holes, Tap: _holes,
    }  # fmt: skip


def _quarter_at_most(start: tuple[float, float], turn: Turn) -> bool:
    """Whether an arc turns by 90 degrees or less."""
    return abs(arc_sweep(start, Arc((turn.x, turn.y), turn.centre, turn.ccw))) <= math.pi / 2 + 1e-6
