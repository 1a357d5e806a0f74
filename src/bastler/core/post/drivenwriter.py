"""Steps of driven tools in a lathe's program: the modes of the machine, and moves on a surface as those of X, Z and C.

*Modes*: the main spindle turns, or it is the axis C while the turret turns the tool. They are begun and ended by this piece alone, from what was before and what comes.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import TYPE_CHECKING

from bastler.core.geometry.surface import Surface
from bastler.core.moves import Bore, Drill, Dwell, Feed, Move, Note, OwnText, Pause, Rapid, Retract
from bastler.core.plans.plan import StepPlan
from bastler.core.post.dialect import DrivenWords
from bastler.core.post.holewords import written_out
from bastler.core.problems import Unusable

if TYPE_CHECKING:
    from bastler.core.post.lathewriter import LatheWriter

ON_AXIS_MM = 1e-6
SAME_DEGREES = 1e-6


class DrivenWriter:
    """Writes into the program of ``writer``."""

    def __init__(self, writer: LatheWriter) -> None:
        self.writer = writer
        self.is_axis = False
        self.turns = ""
        self.c = 0.0
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
        self._turn(part)
        for surface in part.surfaces:
            self.surface, self.at = surface, [None, None, None]
            for move in part.moves:
                self.move(move)

    def end(self) -> None:
        """The tool stands, and the main spindle is one again."""
        if self.is_axis:
            self.stop()
            self.writer.block(self.words.end)
            self.is_axis = False
            self.writer.spindle_unknown()

    def stop(self) -> None:
        """The tool stands."""
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
        for kind, write in self._WRITERS.items():
            if isinstance(move, kind):
                write(self, move)
                return
        raise Unusable("A driven tool can't make such a move yet. Switch the step off.")

    def _rapid(self, move: Rapid) -> None:
        """First over the place, then down to the height; or up first."""
        self._straight(self.writer.dialect.words.rapid, (move.x, move.y, move.z), "")

    def _feed(self, move: Feed) -> None:
        self._straight(self.writer.dialect.words.feed, (move.x, move.y, move.z), self.writer.feed(move.feed))

    def _straight(self, motion: str, target: tuple[float | None, float | None, float | None], feed: str) -> None:
        """To a place of the surface by the axes that lead there."""
        self.at = [now if new is None else new for now, new in zip(self.at, target, strict=True)]
        x, y, z = self.at
        writer, places = self.writer, []
        if self.surface.on == "end":
            if x is not None and y is not None:
                radius = math.hypot(x, y)
                turned = math.degrees(math.atan2(y, x)) if radius > ON_AXIS_MM else self.c
                places = [writer.place("X", 2 * radius), self._c_word(turned)]
            places.append(writer.place("Z", z))
        else:
            places = [
                writer.place("X", 2 * (self.surface.distance + z) if z is not None else None),
                writer.place("Z", x),
            ]
            if x is not None:
                places.append(self._c_word(self.surface.angle))
        if any(places):
            writer.line(writer.modal("motion", motion, writer.dialect.modal.motion), *places, writer.feed_word(feed))

    def _c_word(self, degrees: float) -> str:
        """C the shortest way round, or nothing if it is there."""
        degrees = self.c + (degrees - self.c + 180.0) % 360.0 - 180.0
        if abs(degrees - self.c) < SAME_DEGREES:
            return ""
        text = f"{degrees:.3f}".rstrip("0")
        self.c = float(text)
        return f"C{text}"

    def _holes(self, move: Drill | Bore) -> None:
        for simple in written_out(move, self.writer.dialect.holes):
            self.move(simple)

    def _retract(self, _: Retract) -> None:
        """Out to where tools are changed."""
        self.writer.line(self.writer.change_word())
        self.writer.here, self.at = [None, None, None], [None, None, None]
        self.writer.forget()

    def _plain(self, move: Dwell | Note | Pause | OwnText) -> None:
        self.writer.move(move)

    _WRITERS: dict[type | tuple[type, ...], Callable[..., None]] = {
        Rapid: _rapid, Feed: _feed, (Drill, Bore): _holes, Retract: _retract, (Dwell, Note, Pause, OwnText): _plain,
    }  # fmt: skip
