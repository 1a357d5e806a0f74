"""Cuts across an end face in X and C without the control's help: short moves, in which both axes go in even shares (:mod:`bastler.core.post.swung`)."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from bastler.core.geometry.path import Arc, Point
from bastler.core.moves import Feed, Move, Rapid, Turn
from bastler.core.planning.axisfeed import held, nearest
from bastler.core.post import swung
from bastler.core.post.codes import codes
from bastler.core.post.writer import SAME_PLACE_MM, arc_sort
from bastler.core.quantities import MM_PER_INCH

if TYPE_CHECKING:
    from bastler.core.post.drivenwriter import DrivenWriter


class WrittenOut:
    """Writes into what ``driven`` writes."""

    def __init__(self, driven: DrivenWriter) -> None:
        self.driven = driven
        writer = driven.writer
        self._counts_degrees = codes(writer.dialect.reading).feed_counts_degrees
        self._degree_mm = MM_PER_INCH if writer.inch else 1.0
        turns = writer.plan.frame.machine.axis("C")
        self._rate = math.radians(turns.rapid) if turns is not None else math.inf

    def takes(self, move: Move) -> bool:
        """Whether a move cuts across the face; a rapid does so if it leads past metal."""
        if isinstance(move, Rapid):
            x, y, z = self.driven.at
            above = self.driven.writer.plan.frame.clearance - SAME_PLACE_MM
            low = any(h is not None and h < above for h in (z, move.z))
            return low and None not in (x, y) and ((move.x, move.y) != (None, None)) and self._end(move) != (x, y)
        return isinstance(move, Turn) or (isinstance(move, Feed) and self._end(move) != tuple(self.driven.at[:2]))

    def move(self, move: Move) -> None:
        """One such move."""
        assert isinstance(move, Rapid | Feed | Turn)
        x, y, z = (float(v or 0.0) for v in self.driven.at)
        start, end = (x, y), self._end(move)
        if isinstance(move, Turn) and (sort := arc_sort(start, move)) != "short":
            ways = swung.arc(start, Arc(end, move.centre, move.ccw), whole=sort == "whole")
        else:
            ways = swung.straight(start, end)
        feed = self._quickest(start, end) if isinstance(move, Rapid) else move.feed
        self.driven.brake(on=False)
        for share, place in ways:
            self._step(place, None if move.z is None else z + (move.z - z) * share, feed)

    def _end(self, move: Rapid | Feed | Turn) -> Point:
        x, y = self.driven.at[:2]
        return (float(x or 0.0) if move.x is None else move.x, float(y or 0.0) if move.y is None else move.y)

    def _quickest(self, start: Point, end: Point) -> float:
        """What is a rapid elsewhere is fed as fast as the axes go."""
        return held(self.driven.writer.plan.frame.machine.feed_limit, self._rate, nearest(start, end))

    def _step(self, place: Point, z: float | None, feed: float) -> None:
        """To a near place; C the shorter way, on and on. The feed is that of what the control will read, rounded."""
        driven, writer = self.driven, self.driven.writer
        x, y, z0 = (float(v or 0.0) for v in driven.at)
        c, before = math.radians(driven.c or 0.0), writer.rounded(2 * math.hypot(x, y)) / 2
        swings = swung.swing((math.cos(c), math.sin(c)), place)
        radius, rises = math.hypot(*place), 0.0 if z is None else z - z0
        driven.at = [*place, driven.at[2] if z is None else z]
        places = [writer.place("X", 2 * radius), driven.said_c(math.degrees(c + swings)), writer.place("Z", z)]
        if not any(places):
            return
        radius, swings = writer.rounded(2 * radius) / 2, math.radians(driven.c or 0.0) - c
        way = math.hypot(radius - before, (radius + before) / 2 * swings, rises)
        minutes = max(way / feed, abs(swings) / self._rate)
        degrees = math.degrees(swings) * self._degree_mm
        fed = math.hypot(radius - before, rises, degrees) if self._counts_degrees else way
        word = writer.modal("motion", writer.dialect.words.feed, writer.dialect.modal.motion)
        writer.line(word, *places, writer.feed_word(writer.feed(fed / minutes)))
