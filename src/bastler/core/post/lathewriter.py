"""Plan → G-code of a lathe: X as a diameter, feed per turn, surface speed, tools with their offsets."""

from __future__ import annotations

import math
from collections.abc import Callable

from bastler.core.moves import (
    Catcher,
    Compensate,
    Curve,
    CuttingSpeed,
    Dwell,
    Edge,
    Either,
    Feed,
    Move,
    MoveChuck,
    Note,
    OwnText,
    Pause,
    Rapid,
    Slide,
    TapCycle,
    ThreadCut,
    ThreadCycle,
    TurnCycle,
    TurnSpindle,
)
from bastler.core.plans.plan import Plan, StepPlan
from bastler.core.post.dialect import Dialect
from bastler.core.post.drivenwriter import DrivenWriter
from bastler.core.post.program import Program
from bastler.core.post.writer import SHORT_ARC_MM, Writer
from bastler.core.quantities import MM_PER_INCH
from bastler.core.tooling.tools import Tool

LAST_NUMBER = 9999
OPEN = "<last>"
"""Stands in a cycle's line for the number of its last block until that is written."""


def post_turned(plan: Plan, dialect: Dialect) -> Program:
    """The G-code of a lathe's plan."""
    writer = LatheWriter(plan, dialect)
    writer.head()
    number, pieces = (plan.setup_answers.values.get(key, 1) for key in ("program_number", "pieces"))
    if pieces > 1:
        body = number + 1 if number < LAST_NUMBER else number - 1
        writer.line(writer.words.repeat.format(number=body, count=pieces))
        writer.end()
        writer.line(dialect.words.subprogram_head.format(number=f"{body:04d}", name="one piece"))
        writer.again()
    for one, parts in plan.in_turn:
        writer.step(one, parts)
    writer.current = -1
    writer.driven.end()
    if pieces > 1:
        writer.current = -1
        writer.line(dialect.words.subprogram_end)
    else:
        writer.end()
    writer.block(dialect.blocks.close)
    return writer.program()


class LatheWriter(Writer):
    """A writer for lathes; ``here`` holds X as a diameter."""

    def __init__(self, plan: Plan, dialect: Dialect) -> None:
        super().__init__(plan, dialect)
        self.words = dialect.turning
        self.driven = DrivenWriter(self)
        self._second = False
        self._part: StepPlan | None = None
        self._turns = 0.0
        self._edge = (0.0, 0.0)

    def end(self) -> None:
        """The end of the program."""
        self.current = -1
        self.block(self.dialect.blocks.end, change=self.change_word())

    def again(self) -> None:
        """What follows is run from different places: nothing is known there."""
        self.here, self._modal, self._spindle = [None, None, None], {}, ("", "")

    def change_word(self) -> str:
        """The way to where the turret turns."""
        turret = self.plan.frame.machine.turret
        return self.dialect.words.change_place.format(x=self.length(turret.change_x), z=self.length(turret.change_z))

    def step(self, one: StepPlan, parts: tuple[StepPlan, ...]) -> None:
        """A step with its tool."""
        if not self.plan.frame.machine.spindle.encoder and not self._turns:
            self.line(self.words.per_minute)
        self.current = one.number - 1
        self.block(self.dialect.blocks.step, step=self.plain(f"{one.number} {one.full_name}"))
        for part in parts or (one,):
            if part.surfaces:
                if part.tool is not None and part.moves:
                    self._part = part
                    self.driven.part(part)
                continue
            if part.moves:
                self.driven.end()
            if part.tool is not None and part.moves:
                self._part = part
                if self.tool != part.tool or self._second:
                    self.change(part.tool)
                elif self._spindle[0]:
                    self.cool(part)
            for move in part.moves:
                self.move(move)

    def spindle_unknown(self) -> None:
        """How the main spindle turns must be said again."""
        self._spindle = ("", "")
        self.forget()

    def change(self, tool: Tool) -> None:
        """Another tool, where the turret turns."""
        blocks = self.dialect.blocks
        values = {
            "tool": self.plain(tool.name), "tool_word": self._tool_word(tool, tool.number), "change": self.change_word(),
            "coolant_off": self.coolant_off(),
        }  # fmt: skip
        self.block(blocks.first_tool if self._first_tool else blocks.tool_change, **values)
        self._first_tool, self.tool, self._spindle, self._cooled = False, tool, ("", ""), "off"
        self._second, self._edge = False, (0.0, 0.0)
        self.forget()
        self._modal = {"motion": self.dialect.words.rapid}
        turret = self.plan.frame.machine.turret
        self.here = [self.rounded(turret.change_x), None, self.rounded(turret.change_z)]

    def _tool_word(self, tool: Tool, offset: int) -> str:
        return self.words.tool.format(station=tool.pocket or tool.number, offset=offset)

    def _surface(self, move: CuttingSpeed) -> None:
        assert self.tool is not None
        words = self.dialect.words
        turn = words.spindle_left if self.tool.upside_down else words.spindle_right
        fresh = not self._spindle[0]
        if move.speed:
            per_minute = move.speed / (0.3048 if self.inch else 1.0)
            self.line(self.words.speed_limit.format(limit=self.speed(move.limit)))
            text = self.words.surface_speed.format(speed=self.speed(per_minute), turn=turn)
        else:
            self.ask_speed(move.limit)
            self._turns = move.limit
            text = self.words.rev_speed.format(speed=self.speed(move.limit), turn=turn)
        self.line(text)
        self._spindle = (text, turn)
        if fresh and self._part is not None:
            self.block(self.dialect.blocks.approach, coolant=self.coolant_word(self._part))
            self._cooled = self._part.answers.values.get("coolant", "flood")

    def per_turn(self, feed: float, more: int = 0) -> str:
        """A feed per turn in the program's units."""
        decimals = (self.words.feed_decimals_inch if self.inch else self.words.feed_decimals) + more
        text = f"{max(feed / (MM_PER_INCH if self.inch else 1.0), 10.0**-decimals):.{decimals}f}"
        return text.rstrip("0") if "." in text else text

    def turn_feed(self, feed: float) -> str:
        """A feed per turn, or what comes of it per minute where the spindle has no encoder."""
        if self.plan.frame.machine.spindle.encoder:
            return self.per_turn(feed)
        return self.feed(feed * self._turns)

    def _straight_to(self, motion: str, x: float | None, z: float | None, feed: str) -> None:
        self.straight(motion, self._diameter(x), None, self._length_along(z), feed)

    def _diameter(self, x: float | None) -> float | None:
        """X of the edge that is steered, as a diameter."""
        return 2 * (x + self._edge[1]) if x is not None else None

    def _length_along(self, z: float | None) -> float | None:
        """Z of the edge that is steered."""
        return z + self._edge[0] if z is not None else None

    def _steer(self, move: Edge) -> None:
        """The offset of the other edge: the tool stays, its numbers change."""
        tool = self.tool
        assert tool is not None
        if move.second == self._second:
            return
        second = tool.in_plane.second or (0.0, 0.0)
        self._second, self._edge = move.second, second if move.second else (0.0, 0.0)
        self.line(self._tool_word(tool, tool.second_offset if move.second else tool.number))
        self.here = [None, None, None]

    def _rapid_to(self, move: Rapid) -> None:
        self._straight_to(self.dialect.words.rapid, move.x, move.z, "")

    def _feed_to(self, move: Feed) -> None:
        self._straight_to(self.dialect.words.feed, move.x, move.z, self.turn_feed(move.feed))

    def _slide(self, move: Slide) -> None:
        """By minutes, and back to feeds per turn."""
        self.line(self.words.per_minute)
        self.straight(self.dialect.words.feed, None, None, self._length_along(move.z), self.feed(move.rate))
        if self.plan.frame.machine.spindle.encoder:
            self.line(self.words.per_turn)
        self.forget()

    def _curve(self, move: Curve) -> None:
        words, (x0, _, z0) = self.dialect.words, self.here
        assert x0 is not None
        assert z0 is not None
        x, z = move.x + self._edge[1], move.z + self._edge[0]
        end = (self.rounded(z), self.rounded(2 * x))
        if math.dist((z0, x0 / 2), (end[0], end[1] / 2)) < SHORT_ARC_MM:
            self._straight_to(words.feed, move.x, move.z, self.turn_feed(move.feed))
            return
        motion = words.counter_clockwise if move.ccw else words.clockwise
        offsets = (move.centre[1] + self._edge[1] - x0 / 2, move.centre[0] + self._edge[0] - z0)
        centre = [f"{letter}{self.length(value)}" for letter, value in zip(words.centre, offsets, strict=True)]
        self.here = [end[1], None, end[0]]
        self.line(
            self.modal("motion", motion, self.dialect.modal.motion), f"X{self.length(2 * x)}",
            f"Z{self.length(z)}", *centre, self.feed_word(self.turn_feed(move.feed)),
        )  # fmt: skip

    def _thread(self, move: ThreadCut) -> None:
        places = [self.place("X", 2 * move.x if move.x is not None else None), self.place("Z", move.z)]
        start = self.words.thread_start.format(start=f"{move.start * 1000:.0f}") if move.start else ""
        self.line(self.words.thread, *places, f"F{self.per_turn(move.pitch, 2)}", start)
        self.forget()

    def _tap(self, move: TapCycle) -> None:
        """The control turns the spindle back at the bottom by itself."""
        start = list(self.here)
        values = {"z": self.length(move.z), "pitch": self.per_turn(move.pitch, 2), "speed": self.speed(move.speed)}
        for template in self.words.tap:
            self.line(template.format(**values))
        self.here = start
        self.forget()

    def _either(self, move: Either) -> None:
        """By cycles if the control has all of them."""
        w = self.words
        lines = {ThreadCycle: w.thread_cycle, TurnCycle: w.finish and w.rough_along and w.rough_across}
        known = all(lines.get(type(m), True) for m in move.short) and not any(
            isinstance(m, ThreadCycle) and m.run_out and "{run_out" not in "".join(w.thread_cycle) for m in move.short
        )
        for one in move.short if known else move.long:
            self.move(one)

    def _turn_cycle(self, move: TurnCycle) -> None:
        """The cycle's own lines, the profile as blocks between numbers, and finishing along them."""
        start, rough = list(self.here), self.words.rough_across if move.across else self.words.rough_along
        sizes = {
            "depth": self.length(move.depth), "depth_small": self._small(move.depth), "escape": self.length(move.escape),
            "leave_x": self.length(2 * move.leave[1]), "leave_z": self.length(move.leave[0]), "feed": self.turn_feed(move.feed),
        }  # fmt: skip
        first = self._next + self.dialect.lines.step * len(rough) if self.dialect.lines.numbered else self._next
        at = len(self.lines)
        self.block(rough, first=str(first), last=OPEN, **sizes)
        self.forget()
        began = len(self.lines)
        for one in move.profile:
            self.move(one)
        last = self._next - self.dialect.lines.step
        if not self.dialect.lines.numbered:
            last = self._next + 1
            self.lines[began], self.lines[-1] = f"N{first} {self.lines[began]}", f"N{last} {self.lines[-1]}"
            self._next += 2
        self.lines[at:began] = [line.replace(OPEN, str(last)) for line in self.lines[at:began]]
        self.block(self.words.finish, first=str(first), last=str(last))
        self.here = start
        self.forget()

    def _thread_cycle(self, move: ThreadCycle) -> None:
        start = list(self.here)
        for template in self.words.thread_cycle:
            self.line(
                template.format(
                    x=self.length(2 * move.x), z=self.length(move.z), taper=self.length(move.taper), height=self.length(move.height),
                    height_small=self._small(move.height), first_small=self._small(move.first), least_small=self._small(move.least),
                    repeats=move.repeats, angle=round(move.angle), pitch=self.per_turn(move.pitch, 2),
                    run_out=min(round(10 * move.run_out / move.pitch), 99),
                )
            )  # fmt: skip
        self.here = start
        self.forget()

    def _small(self, mm: float) -> str:
        """A length in thousandths, in inches ten-thousandths, as cycles want it."""
        return str(max(round(mm / MM_PER_INCH * 10_000 if self.inch else mm * 1000), 1))

    def _catch(self, move: Catcher) -> None:
        self.line(self.words.catcher_out if move.out else self.words.catcher_in)

    def _chuck(self, move: MoveChuck) -> None:
        self.line(self.words.chuck_open if move.open else self.words.chuck_close)

    def _wait(self, move: Dwell) -> None:
        self._dwell(move)

    _WRITERS: dict[type, Callable[..., None]] = {
        Rapid: _rapid_to, Feed: _feed_to, Curve: _curve, ThreadCut: _thread, TapCycle: _tap, CuttingSpeed: _surface, Dwell: _wait,
        TurnSpindle: Writer._turn_spindle, Pause: Writer._pause, Catcher: _catch, Edge: _steer, MoveChuck: _chuck, Slide: _slide, Compensate: Writer._compensate, Either: _either, TurnCycle: _turn_cycle, ThreadCycle: _thread_cycle, Note: Writer._note, OwnText: Writer._own_text,
    }  # fmt: skip

    def move(self, move: Move) -> None:
        """One move as one line."""
        self._WRITERS[type(move)](self, move)
