"""Steps of driven tools in a lathe's program: the modes of the machine, and moves on a surface as those of X, Z and C.

*Modes*: the main spindle turns, or it is the axis C while the turret turns the tool. They are begun and ended by this piece alone, from what was before and what comes.
Beside the middle of a surface goes the Y axis, or on the end face X and C, by the control's polar interpolation or written out in short moves, or round a side that is unrolled C by its cylindrical interpolation. The machine's
Y is the end face's; on a side it is that of the surface the other way round.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from bastler.core.geometry.path import Arc, arc_sweep
from bastler.core.geometry.surface import Surface
from bastler.core.moves import (
    Bore,
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
from bastler.core.planning.axisfeed import held, nearest
from bastler.core.planning.extents import beside, goes_across
from bastler.core.plans.plan import StepPlan
from bastler.core.post.dialect import DrivenWords
from bastler.core.post.holewords import written_out
from bastler.core.post.writer import SAME_PLACE_MM, arc_sort
from bastler.core.post.writtenout import WrittenOut
from bastler.core.problems import Unusable

if TYPE_CHECKING:
    from bastler.core.post.lathewriter import LatheWriter

ON_AXIS_MM = 1e-6
SAME_DEGREES, NEARLY_DEGREES = 1e-6, 0.1
CHORD_MM = 0.002
PIECE_RAD, CHORD_RAD = math.radians(60.0), math.radians(4.0)
"""Pieces of arcs on an unrolled side, so that rounded radii and ends tell their middles well; and chords of those that go deeper."""
MOST_DEGREES, MOST_WOUND = 360.0, 7200.0
"""C is counted on. A rapid takes it no further than the first, or than it is by then, nearly; and unwinds it where cutting round the axis took it beyond the second."""


class DrivenWriter:
    """Writes into the program of ``writer``."""

    def __init__(self, writer: LatheWriter) -> None:
        self.writer = writer
        self.is_axis = False
        self.polar = self.by_y = self.unrolled = False
        self.written: WrittenOut | None = None
        self._whole_turns = 0.0
        self.turns = ""
        self.c: float | None = 0.0
        self._plane = self.braked = False
        self.surface = Surface()
        self.at: list[float | None] = [None, None, None]

    @property
    def words(self) -> DrivenWords:
        """The dialect's words for it."""
        dialect = self.writer.dialect
        if dialect.driven is None:
            raise Unusable(f"{dialect.title} has no words for driven tools. Choose a dialect that has them.")
        return dialect.driven

    def part(self, part: StepPlan) -> None:
        """A step on each of its surfaces."""
        writer, tool = self.writer, part.tool
        assert tool is not None
        if writer.tool != tool:
            self.stop()
            writer.change(tool)
        if not self.is_axis:
            self.stop()
            writer.block(self.words.begin)
            self.is_axis, self.c = True, 0.0
            writer.forget()
            self._count_from_part()
        self._turn(part)
        for surface in part.surfaces:
            self.surface, self.at = surface, [None, None, None]
            if goes_by_y(part):
                self._begin_y(part.moves)
            elif surface.on in ("end", "unrolled") and goes_across(part.moves):
                self._begin_round(part)
            for move in part.moves:
                self.move(move)
            self._leave()

    def _count_from_part(self) -> None:
        """C 0 where it lies on the part, if that isn't the spindle's own."""
        writer = self.writer
        away = writer.plan.frame.held.c_zero
        if away:
            writer.line(writer.dialect.words.rapid, self.said_c(away))
            writer.line(self.words.c_is.format(degrees="0."))
            writer.forget()
            self.c = 0.0

    def _count_from_spindle(self) -> None:
        """C counts from the spindle's own mark again: on some controls it would go on from the part's after the next reference."""
        writer = self.writer
        if away := writer.plan.frame.held.c_zero:
            writer.line(writer.dialect.words.rapid, self._c_word(0.0))
            writer.line(self.words.c_is.format(degrees=f"{away:.3f}".rstrip("0")))
            writer.forget()

    def _begin_y(self, moves: Sequence[Move]) -> None:
        """C held; Y is said anew. Arcs have the surface's plane."""
        writer = self.writer
        self.by_y, writer.here[1] = True, None
        if any(isinstance(m, Turn) for m in moves):
            writer.line(self.words.plane_xy if self.surface.on == "end" else self.words.plane_yz)
            writer.forget()
            self._plane = True

    def _begin_round(self, part: StepPlan) -> None:
        """C swings while it cuts."""
        if self.surface.on == "unrolled":
            self._begin_unrolled(part.moves)
        elif part.answers.values.get("moved_by") == "written":
            self.written = WrittenOut(self)
        else:
            self._begin_polar(part.moves)

    def _leave(self) -> None:
        """Out of what the surface was worked by: Y back in the middle, the plane that of turning."""
        if self.polar:
            self._end_polar()
        self.written = None
        writer = self.writer
        if self.unrolled:
            writer.line(self.words.unrolled_moves_off)
            writer.line(self.words.plane_zx)
            writer.forget()
            self.unrolled = False
        if self.by_y:
            word = writer.modal("motion", writer.dialect.words.rapid, writer.dialect.modal.motion)
            if y := writer.place("Y", 0.0):
                writer.line(word, y)
            if self._plane:
                writer.line(self.words.plane_zx)
                writer.forget()
            self.by_y = self._plane = False

    def _begin_polar(self, moves: Sequence[Move]) -> None:
        """Beside the axis at C 0, as far as the first place lies, and from there in X and Y."""
        words, writer = self.words, self.writer
        if not words.polar_moves:
            raise Unusable(
                f"{writer.dialect.title} has no words for moves in X and Y of an end face. Move it by X and C, written out, or choose a dialect that has them."
            )
        first = next(m for m in moves if isinstance(m, Rapid) and m.x is not None and m.y is not None)
        away = math.hypot(first.x or 0.0, first.y or 0.0)
        writer.line(
            writer.modal("motion", writer.dialect.words.rapid, writer.dialect.modal.motion),
            writer.place("X", 2 * away),
            self._c_word(0.0, nearest=False),
        )
        # Down to the clearance before the control takes over: from there it knows no rapid moves.
        writer.line(writer.place("Z", writer.plan.frame.clearance))
        self.brake(on=False)
        writer.line(words.polar_moves)
        writer.forget()
        self.polar, writer.here[1] = True, writer.rounded(0.0)
        self.at = [away, 0.0, writer.plan.frame.clearance]

    def _begin_unrolled(self, moves: Sequence[Move]) -> None:
        """Over the first place, and from there in Z and C of the unrolled side; whole turns of C are kept."""
        words, writer, surface = self.words, self.writer, self.surface
        if not words.unrolled_moves:
            raise Unusable(
                f"{writer.dialect.title} has no words for moves round an unrolled side. Choose a dialect that has them."
            )
        first = next(m for m in moves if isinstance(m, Rapid) and m.x is not None and m.y is not None)
        above = next(m.z for m in moves if isinstance(m, Rapid) and m.z is not None)
        assert first.y is not None
        for place in ((first.x, first.y, None), (None, None, above)):
            self._straight(writer.dialect.words.rapid, place, "")
        self.brake(on=False)
        writer.line(words.plane_yz)
        writer.line(words.unrolled_moves.format(radius=writer.length(surface.distance)))
        writer.forget()
        self.unrolled = True
        self._whole_turns = 360.0 * round(((self.c or 0.0) - math.degrees(surface.turned_at(first.y))) / 360.0)

    def _end_polar(self) -> None:
        """C stands where the tool is then; on the axis nobody knows where."""
        self.writer.line(self.words.polar_moves_off)
        self.polar = False
        x, y = (self.at[k] or 0.0 for k in range(2))
        self.c = math.degrees(math.atan2(y, x)) if math.hypot(x, y) > ON_AXIS_MM else None
        self.writer.here[:2] = [None, None]
        self.writer.forget()

    def end(self) -> None:
        """The tool stands, and the main spindle is one again."""
        if self.is_axis:
            self.stop()
            self._count_from_spindle()
            self.writer.block(self.words.end)
            self.is_axis = False
            self.writer.spindle_unknown()

    def stop(self) -> None:
        """The tool stands."""
        if self.is_axis:
            self.brake(on=False)
        if self.turns:
            self.writer.line(self.words.driven_stop)
            self.turns = ""

    def _turn(self, part: StepPlan) -> None:
        """The tool turns as the step asks."""
        writer, tool = self.writer, part.tool
        assert tool is not None
        turn = self.words.driven_left if tool.left_hand else self.words.driven_right
        text = self.words.turn_on.format(speed=writer.speed(part.answers.values.speed), turn=turn)
        if text != self.turns:
            writer.line(text)
            self.turns = text
        writer.cool(part)

    def move(self, move: Move) -> None:
        """One move in the surface's frame."""
        if self.written is not None and self.written.takes(move):
            self.written.move(move)
            return
        for kind, write in self._WRITERS.items():
            if isinstance(move, kind):
                write(self, move)
                return
        raise Unusable("A driven tool can't make such a move yet. Switch the step off.")

    def _rapid(self, move: Rapid) -> None:
        """First over the place, then down to the height; or up first."""
        self._unwind()
        self._straight(self.writer.dialect.words.rapid, (move.x, move.y, move.z), "")

    def _unwind(self) -> None:
        """Above the part C turns back what cuts round the axis wound up."""
        z = self.at[2]
        if self.c is not None and abs(self.c) > MOST_WOUND and z is not None and z >= self.writer.plan.frame.clearance:
            rapid = self.writer.dialect.words.rapid
            self.brake(on=False)
            self.writer.line(
                self.writer.modal("motion", rapid, self.writer.dialect.modal.motion), self.said_c(self.c % 360.0)
            )

    def _feed(self, move: Feed) -> None:
        self._straight(self.writer.dialect.words.feed, (move.x, move.y, move.z), self.writer.feed(move.feed))

    def _straight(self, motion: str, target: tuple[float | None, float | None, float | None], feed: str) -> None:
        """To a place of the surface by the axes that lead there."""
        before, self.at = self.at, [now if new is None else new for now, new in zip(self.at, target, strict=True)]
        if self.polar:
            self._level_straight(before, feed)
            return
        if self.unrolled:
            feed, motion = feed or self._fast_round(), self.writer.dialect.words.feed
        writer, places = self.writer, self._places()
        if any(places):
            turns = any(p.startswith("C") for p in places)
            if (feed or turns) and not self.unrolled:
                self.brake(on=not turns)
            writer.line(writer.modal("motion", motion, writer.dialect.modal.motion), *places, writer.feed_word(feed))

    def brake(self, *, on: bool) -> None:
        """C is held while a tool cuts and C stands, where the machine has a brake; a rapid that leaves C alone changes nothing."""
        turns = self.writer.plan.frame.machine.axis("C")
        if turns is None or not turns.brake or on == self.braked:
            return
        self.writer.line(self.words.brake_on if on else self.words.brake_off)
        self.braked = on

    def _places(self) -> list[str]:
        """Words of the axes for where the tool is sent."""
        writer, (x, y, z) = self.writer, self.at
        if self.surface.on == "unrolled":
            degrees = math.degrees(self.surface.turned_at(y)) if y is not None else None
            return [
                writer.place("X", 2 * (self.surface.distance + z) if z is not None else None),
                writer.place("Z", x),
                "" if degrees is None else self._counted(degrees) if self.unrolled else self._c_word(degrees),
            ]
        if self.surface.on != "end":
            return [
                writer.place("X", 2 * (self.surface.distance + z) if z is not None else None),
                writer.place("Y", -y if y is not None and self.by_y else None),
                writer.place("Z", x),
                self._c_word(self.surface.angle) if x is not None else "",
            ]
        if x is None or y is None:
            return [writer.place("Z", z)]
        if self.by_y:
            return [writer.place("X", 2 * x), writer.place("Y", y), self._c_word(0.0), writer.place("Z", z)]
        radius = math.hypot(x, y)
        turned = math.degrees(math.atan2(y, x)) if radius > ON_AXIS_MM else (self.c or 0.0)
        return [writer.place("X", 2 * radius), self._c_word(turned), writer.place("Z", z)]

    def _counted(self, degrees: float) -> str:
        """C as it is counted on round an unrolled side."""
        return self.said_c(degrees + self._whole_turns)

    def _fast_round(self) -> str:
        """The quickest feed round an unrolled side."""
        machine = self.writer.plan.frame.machine
        turns = machine.axis("C")
        most = math.radians(turns.rapid) * self.surface.distance if turns is not None else math.inf
        return self.writer.feed(min(machine.feed_limit, most))

    def _level_straight(self, before: list[float | None], feed: str) -> None:
        """In X and Y of the end face; what is a rapid elsewhere is fed as fast as the machine's axes can."""
        writer, (x, y, z) = self.writer, self.at
        places = [writer.place("X", 2 * x if x is not None else None), self._y_word(y), writer.place("Z", z)]
        if any(places):
            word = writer.modal("motion", writer.dialect.words.feed, writer.dialect.modal.motion)
            writer.line(word, *places, writer.feed_word(feed or self._fast(before)))

    def _fast(self, before: list[float | None]) -> str:
        """The quickest feed from a place to where the tool goes."""
        machine = self.writer.plan.frame.machine
        turns, to = machine.axis("C"), (self.at[0] or 0.0, self.at[1] or 0.0)
        since = to if before[0] is None or before[1] is None else (before[0], before[1])
        most = machine.feed_limit
        return self.writer.feed(
            held(most, math.radians(turns.rapid), nearest(since, to)) if turns is not None else most
        )

    def _y_word(self, y: float | None) -> str:
        """Y of the end face as C, a length."""
        word = self.writer.place("Y", y)
        return word.replace("Y", "C")

    def _arc(self, move: Turn) -> None:
        """An arc, its centre from its start."""
        if self.unrolled:
            self._arc_round(move)
            return
        if not self.polar and not self.by_y:
            raise Unusable("Arcs beside the middle of a side need a Y axis. Switch the step off.")
        writer, words = self.writer, self.writer.dialect.words
        x0, y0 = (float(v or 0.0) for v in self.at[:2])
        side = self.surface.on != "end"
        start = (writer.rounded(x0) if side else writer.rounded(2 * x0) / 2, writer.rounded(y0))
        sort = arc_sort((x0, y0), move)
        full = sort == "whole"
        u, v = move.centre[0] - start[0], move.centre[1] - start[1]
        if sort == "short" or writer.rounded(u) == 0 == writer.rounded(v):
            self._straight(words.feed, (move.x, move.y, move.z), writer.feed(move.feed))
            return
        centre = (
            (f"J{writer.length(-v)}", f"K{writer.length(u)}")
            if side
            else (f"I{writer.length(u)}", f"J{writer.length(v)}")
        )
        word = words.counter_clockwise if move.ccw else words.clockwise
        writer.line(
            writer.modal("motion", word, writer.dialect.modal.motion),
            *self._arc_end(move, full=full),
            *centre,
            writer.feed_word(writer.feed(move.feed)),
        )
        self.at = [move.x, move.y, self.at[2] if move.z is None else move.z]

    def _arc_round(self, move: Turn) -> None:
        """An arc of the unrolled side by its radius, in pieces that are far from all round; in chords where it goes deeper on the way."""
        writer, words = self.writer, self.writer.dialect.words
        x0, y0, z0 = (float(v or 0.0) for v in self.at)
        feed, deeper = writer.feed(move.feed), move.z is not None and abs(move.z - z0) > SAME_PLACE_MM
        sort = arc_sort((x0, y0), move)
        sweep = arc_sweep((x0, y0), Arc((move.x, move.y), move.centre, move.ccw))
        sweep = math.copysign(math.tau, 1.0 if move.ccw else -1.0) if sort == "whole" else sweep
        radius, begin = math.dist((x0, y0), move.centre), math.atan2(y0 - move.centre[1], x0 - move.centre[0])
        chord = min(CHORD_RAD, 2 * math.acos(max(1 - CHORD_MM / max(radius, CHORD_MM), 0.0)))
        count = 1 if sort == "short" else math.ceil(abs(sweep) / (chord if deeper else PIECE_RAD) - 1e-9)
        for k in range(1, count + 1):
            share, turned = k / count, begin + sweep * k / count
            x, y = move.centre[0] + radius * math.cos(turned), move.centre[1] + radius * math.sin(turned)
            x, y = (move.x, move.y) if k == count else (x, y)
            z = z0 + ((move.z or 0.0) - z0) * share if deeper else None
            if deeper or sort == "short":
                self._straight(words.feed, (x, y, z), feed)
                continue
            self.at[:2] = [x, y]
            word = words.counter_clockwise if move.ccw else words.clockwise
            turned_to = self._counted(math.degrees(self.surface.turned_at(y)))
            places = [writer.place("Z", x), turned_to]
            writer.line(
                writer.modal("motion", word, writer.dialect.modal.motion),
                *places,
                f"R{writer.length(radius)}",
                writer.feed_word(feed),
            )

    def _arc_end(self, move: Turn, *, full: bool) -> list[str]:
        """Where an arc ends: both words of its plane, unless it goes all round, and how deep."""
        writer = self.writer
        if self.surface.on != "end":
            level = [("Y", -move.y, "Y"), ("Z", move.x, "Z")]
            deep = writer.place("X", 2 * (self.surface.distance + move.z)) if move.z is not None else ""
        else:
            level = [("X", 2 * move.x, "X"), ("Y", move.y, "Y" if self.by_y else "C")]
            deep = writer.place("Z", move.z)
        words = []
        for axis, value, letter in () if full else level:
            writer.here["XYZ".index(axis)] = writer.rounded(value)
            words.append(f"{letter}{writer.length(value)}")
        return [*words, deep]

    def _c_word(self, degrees: float, *, nearest: bool = True) -> str:
        """C the shortest way round that doesn't wind it up, or nothing if it is there."""
        if nearest:
            now = self.c or 0.0
            most = max(abs(now) + NEARLY_DEGREES, MOST_DEGREES)
            turns = round((now - degrees) / 360.0)
            counted = (degrees + 360.0 * k for k in (turns, turns - 1, turns + 1, 0))
            degrees = min((c for c in counted if abs(c) <= most), key=lambda c: abs(c - now), default=degrees % 360.0)
        return self.said_c(degrees)

    def said_c(self, degrees: float) -> str:
        """C as it is written, or nothing if it is there."""
        text = f"{degrees:.3f}".rstrip("0")
        if self.c is not None and abs(float(text) - self.c) < SAME_DEGREES:
            return ""
        self.c = float(text)
        return f"C{text}"

    def _holes(self, move: Drill | Bore | Tap) -> None:
        for simple in written_out(move, self.writer.dialect.holes):
            self.move(simple)

    def _tap(self, move: Tap) -> None:
        """By the control's own cycle, or in a floating holder by moves."""
        lines = self.words.tap_along if self.surface.on == "end" else self.words.tap_across
        if not move.rigid or not lines:
            self._holes(move)
            return
        writer = self.writer
        bottom = {"z": writer.length(move.bottom), "x": writer.length(2 * (self.surface.distance + move.bottom))}
        for x, y in move.points:
            self.move(Rapid(x, y))
            self.move(Rapid(z=move.start))
            self.brake(on=True)
            writer.block(lines, speed=writer.speed(move.speed), feed=writer.feed(move.pitch * move.speed, 3), **bottom)
            writer.forget()
            if move.back > move.start:
                self.move(Rapid(z=move.back))

    def _turn_back(self, move: TurnSpindle) -> None:
        """The driven spindle turned round, as a tap in a floating holder wants it."""
        word = {"right": self.words.driven_right, "left": self.words.driven_left, "stop": self.words.driven_stop}.get(
            move.turn, ""
        )
        if not word:
            raise Unusable("A driven spindle can't be stopped at an angle. Choose another way out of the hole.")
        self.writer.line(word)
        self.turns = ""

    def _retract(self, _: Retract) -> None:
        """Out to where tools are changed."""
        self._leave()
        self.writer.line(self.writer.change_word())
        self.writer.here, self.at = [None, None, None], [None, None, None]
        self.writer.forget()

    def _plain(self, move: Dwell | Note | Pause | OwnText) -> None:
        self.writer.move(move)

    _WRITERS: dict[type | tuple[type, ...], Callable[..., None]] = {
        Rapid: _rapid, Feed: _feed, Turn: _arc, (Drill, Bore): _holes, Tap: _tap, TurnSpindle: _turn_back, Retract: _retract, (Dwell, Note, Pause, OwnText): _plain,
    }  # fmt: skip


def goes_by_y(part: StepPlan) -> bool:
    """Whether the Y axis takes a step's tool beside the middle of its surface."""
    if part.surfaces[0].on == "unrolled":
        return False
    if part.surfaces[0].on != "end":
        return beside(part.moves) > ON_AXIS_MM
    by: str | None = part.answers.values.get("moved_by")
    return by == "y"
