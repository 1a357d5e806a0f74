"""A mill's plan → G-code: moves in X, Y and Z, canned cycles for holes, several equal parts, copies as subprograms."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

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
    Tap,
    Turn,
    TurnSpindle,
)
from bastler.core.plans.plan import Plan, StepPlan
from bastler.core.post.copies import alike, call
from bastler.core.post.dialect import Dialect
from bastler.core.post.holewords import canned, written_out
from bastler.core.post.program import Program
from bastler.core.post.writer import SAME_PLACE_MM, Writer, arc_sort
from bastler.core.problems import Unusable


def post_milled(plan: Plan, dialect: Dialect) -> Program:
    """The text of a mill's plan. Raises :class:`Unusable` for a step that this control can't do."""
    _refuse_unable(plan, dialect)
    writer = MillWriter(plan, dialect)
    writer.head()
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
    return writer.program()


def _refuse_unable(plan: Plan, dialect: Dialect) -> None:
    """What the job asks for and the control can't."""
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


class MillWriter(Writer):
    """A writer for mills."""

    def __init__(self, plan: Plan, dialect: Dialect) -> None:
        super().__init__(plan, dialect)
        self._copy = 0
        self._exact: tuple[float, float] | None = None
        self.subprograms: list[tuple[int, list[str]]] = []

    def fresh(self) -> MillWriter:
        """A writer of the same program that knows nothing yet, without line numbers."""
        plain = replace(self.dialect, lines=replace(self.dialect.lines, numbered=False))
        return MillWriter(self.plan, plain)

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

    def finish(self) -> None:
        """The end of the program, and behind it the subprograms that it calls."""
        self.block(self.dialect.blocks.end)
        for step, lines in self.subprograms:
            self.current = step
            for text in lines:
                self.line(text)
        self.current = -1
        self.block(self.dialect.blocks.close)

    def move(self, move: Move) -> None:
        """One move as one line, as a canned cycle, or written out."""
        self._WRITERS[type(move)](self, move)
        if isinstance(move, Rapid | Feed | Turn) and move.x is not None and move.y is not None:
            self._exact = (move.x, move.y)
        elif not isinstance(move, Rapid | Feed) or move.x is not None or move.y is not None:
            self._exact = None

    def _rapid(self, move: Rapid) -> None:
        self.straight(self.dialect.words.rapid, move.x, move.y, move.z, "")

    def _feed(self, move: Feed) -> None:
        self.straight(self.dialect.words.feed, move.x, move.y, move.z, self.feed(move.feed))

    def _change_place(self) -> str:
        """The way to where tools are changed, if the machine has a place for it."""
        at = self.plan.frame.machine.change_at
        return self.dialect.words.change_place.format(x=self.length(at[0]), y=self.length(at[1])) if at else ""

    def _retract(self, _: Retract) -> None:
        self.line(self.dialect.words.machine_top)
        self.here[2] = None
        self.forget()

    def _arc(self, turn: Turn) -> None:
        """An arc or helix with its centre from the start; one without length is not written."""
        words = self.dialect.words
        start_x, start_y = self.here[0], self.here[1]
        assert start_x is not None
        assert start_y is not None
        end = (self.rounded(turn.x), self.rounded(turn.y))
        same, at = (1e-7, self._exact) if self._exact else (SAME_PLACE_MM, (start_x, start_y))
        sort = arc_sort(at, turn, same)
        full = sort == "whole"
        if full and max(abs(turn.centre[0] - start_x), abs(turn.centre[1] - start_y)) < SAME_PLACE_MM:
            return
        motion = words.counter_clockwise if turn.ccw else words.clockwise
        if sort == "short":
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

    _WRITERS: dict[type, Callable[..., None]] = {
        Rapid: _rapid, Retract: _retract, Feed: _feed, Turn: _arc, Compensate: Writer._compensate, Dwell: Writer._dwell, TurnSpindle: Writer._turn_spindle, Pause: Writer._pause,
        Note: Writer._note, OwnText: Writer._own_text, Drill: _holes, Bore: _holes, Tap: _holes,
    }  # fmt: skip
