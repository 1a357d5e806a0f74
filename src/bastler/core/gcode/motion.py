"""Motion: what the machine does, move by move, as arrays.

*Tip*: the lowest point of the tool really in the spindle; all positions are the tip's, in program
coordinates, mm. So a wrong length offset shows as a wrong depth.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, fields
from enum import IntEnum
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import ArrayLike, DTypeLike, NDArray

from bastler.core.problems import TooMany


class MoveKind(IntEnum):
    """What a move is; its ``word`` for a person."""

    RAPID = 0
    FEED = 1
    ARC = 2
    DWELL = 3
    CHANGE = 4
    THREAD = 5
    BAR = 6

    @property
    def word(self) -> str:
        """``tool change`` and the like."""
        return {MoveKind.CHANGE: "tool change", MoveKind.BAR: "bar feed"}.get(self, self.name.lower())


RAPID, FEED, ARC, DWELL, CHANGE, THREAD, BAR = MoveKind
ALONG_AXES = (RAPID, FEED, ARC)
"""Moves that the axes make by themselves, not in step with the spindle."""
AXES_OF_PLANE = ((0, 1, 2), (2, 0, 1), (1, 2, 0))
"""First, second and normal axis of G17, G18, G19; positive sweep is counter-clockwise (G3)."""
CHORD_MM = 0.002
MOST_MOVES = 2_000_000
"""What a check has memory for: some 300 MB."""
PACK_EVERY = 50_000


def _column(type_: DTypeLike, width: int = 0, usual: ArrayLike = 0) -> Any:
    """A column of a motion: the type of its numbers, how many stand in each row (0: one, not in a row of its own), and what stands there unless it is said."""
    return field(metadata={"type": type_, "width": width, "usual": usual})


@dataclass(frozen=True)
class Motion:
    """``n`` moves. ``feed`` mm/min, ``speed`` rev/min (0: spindle stands), ``tool`` and ``length_offset``
    numbers (0: none), ``line`` of the text, ``block`` of the program as it runs (each line of a loop or a subprogram anew), ``sweep`` radians, ``plane`` 0/1/2 for G17/18/19, ``seconds`` of a dwell, ``turn`` 1 for M3, -1 for M4, 0 while the spindle stands. Of a bar
    feed, which takes no time, ``feed`` is how far the tool went along Z, mm, while the chuck was open. ``c0`` and ``c1``: how far the spindles that are
    axes have turned at its start and its end, radians, unwound; ``axis``: which way the tool points from its tip, in the part; ``driver``: which spindle of the machine turns
    what cuts; ``part``: at which spindle the metal is. A machine of three or of two axes says nothing of these five, and they take no memory then."""

    kind: NDArray[np.uint8] = _column(np.uint8)
    start: NDArray[np.float64] = _column(float, 3)
    end: NDArray[np.float64] = _column(float, 3)
    centre: NDArray[np.float64] = _column(float, 3)
    sweep: NDArray[np.float64] = _column(float)
    plane: NDArray[np.uint8] = _column(np.uint8)
    feed: NDArray[np.float64] = _column(float)
    speed: NDArray[np.float64] = _column(float)
    tool: NDArray[np.int32] = _column(np.int32)
    line: NDArray[np.int32] = _column(np.int32)
    block: NDArray[np.int32] = _column(np.int32)
    seconds: NDArray[np.float64] = _column(float)
    turn: NDArray[np.int8] = _column(np.int8)
    c0: NDArray[np.float64] = _column(float)
    c1: NDArray[np.float64] = _column(float)
    axis: NDArray[np.float64] = _column(float, 3, (0.0, 0.0, 1.0))
    driver: NDArray[np.uint8] = _column(np.uint8)
    part: NDArray[np.uint8] = _column(np.uint8)

    @classmethod
    def of(cls, count: int, **columns: ArrayLike) -> Motion:
        """``count`` moves from some columns, a number standing for a whole one; zero in all others, without memory of their own."""
        found = []
        for one in fields(cls):
            shape = (count, one.metadata["width"]) if one.metadata["width"] else (count,)
            value = columns.get(one.name, one.metadata["usual"])
            found.append(np.broadcast_to(np.asarray(value, dtype=one.metadata["type"]), shape))
        return cls(*found)

    @classmethod
    def joined(cls, parts: list[Motion]) -> Motion:
        """Moves one after another."""
        return cls(*(_joined([getattr(p, one.name) for p in parts]) for one in fields(cls)))

    def __len__(self) -> int:
        return len(self.kind)

    def __reduce__(self) -> tuple[Callable[..., Motion], tuple[int, dict[str, Any]]]:
        """To another process a column that says the same everywhere goes as one row."""
        said = {f.name: getattr(self, f.name) for f in fields(self)}
        return _made, (len(self), {k: c[0] if len(c) and c.strides[0] == 0 else c for k, c in said.items()})

    def run(self, low: int, high: int) -> Motion:
        """Moves ``low`` to ``high`` without copying."""
        return Motion(*(getattr(self, f.name)[low:high] for f in fields(self)))

    def of_line(self, line: int) -> tuple[tuple[int, ...], int]:
        """The moves that a line (from 1) makes, those of its first time if it runs in a loop, and the last one by then."""
        hits = np.flatnonzero(self.line == line)
        if not len(hits):
            earlier = np.flatnonzero(self.line < line)
            return (), int(earlier[self.line[earlier].argmax()]) if len(earlier) else 0
        first = np.split(hits, np.flatnonzero(np.diff(hits) > 1) + 1)[0]
        return tuple(first.tolist()), int(first[-1])

    def lengths(self) -> NDArray[np.float64]:
        """Length of each move along its path, mm."""
        straight = np.linalg.norm(self.end - self.start, axis=1)
        arcs = np.flatnonzero(self.kind == ARC)
        for plane, (a, b, c) in enumerate(AXES_OF_PLANE):
            at = arcs[self.plane[arcs] == plane]
            if len(at):
                radius = np.hypot(self.start[at, a] - self.centre[at, a], self.start[at, b] - self.centre[at, b])
                straight[at] = np.hypot(radius * self.sweep[at], self.end[at, c] - self.start[at, c])
        return np.asarray(straight)

    def extents(self, moves: NDArray[np.int64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Lowest and highest X, Y, Z of moves, each (k, 3)."""
        low, high = np.minimum(self.start[moves], self.end[moves]), np.maximum(self.start[moves], self.end[moves])
        for plane, (a, b, _) in enumerate(AXES_OF_PLANE):
            k = np.flatnonzero((self.kind[moves] == ARC) & (self.plane[moves] == plane))
            m = moves[k]
            x, y = (self.start[m, i] - self.centre[m, i] for i in (a, b))
            radius, begin, sweep = np.hypot(x, y), np.arctan2(y, x), self.sweep[m]
            for quarter in range(4):
                turned = ((quarter * np.pi / 2 - begin) * np.sign(sweep)) % (2 * np.pi)
                reached = turned <= np.abs(sweep)
                axis = a if quarter % 2 == 0 else b
                at = self.centre[m, axis] + radius * (1 if quarter < 2 else -1)
                if quarter < 2:
                    high[k, axis] = np.where(reached, np.maximum(high[k, axis], at), high[k, axis])
                else:
                    low[k, axis] = np.where(reached, np.minimum(low[k, axis], at), low[k, axis])
        return low, high

    def at(self, index: int, share: float) -> tuple[float, float, float]:
        """The tip's place at ``share`` (0..1) of a move."""
        start, end = self.start[index], self.end[index]
        p = start + (end - start) * share
        if self.kind[index] == ARC:
            a, b, _ = AXES_OF_PLANE[self.plane[index]]
            centre = self.centre[index]
            angle = np.arctan2(start[b] - centre[b], start[a] - centre[a]) + self.sweep[index] * share
            radius = np.hypot(start[a] - centre[a], start[b] - centre[b])
            p[a], p[b] = centre[a] + radius * np.cos(angle), centre[b] + radius * np.sin(angle)
        return (float(p[0]), float(p[1]), float(p[2]))

    def chords(self, index: int, chord_mm: float = CHORD_MM) -> NDArray[np.float64]:
        """Points along one move, shape (k, 3), start and end included."""
        if self.kind[index] != ARC:
            return np.array([self.start[index], self.end[index]])
        a, b, _ = AXES_OF_PLANE[self.plane[index]]
        radius = float(np.hypot(*(self.start[index] - self.centre[index])[[a, b]]))
        step = 2 * np.arccos(max(1 - chord_mm / max(radius, chord_mm), 0.5))
        count = max(int(np.ceil(abs(self.sweep[index]) / step)), 2)
        share = np.linspace(0.0, 1.0, count + 1)
        points = self.start[index] + (self.end[index] - self.start[index]) * share[:, None]
        middle, (da, db) = self.centre[index], (self.start[index] - self.centre[index])[[a, b]]
        angle = np.arctan2(db, da) + self.sweep[index] * share[1:-1]
        points[1:-1, a], points[1:-1, b] = middle[a] + radius * np.cos(angle), middle[b] + radius * np.sin(angle)
        return np.asarray(points)


def _made(count: int, columns: dict[str, Any]) -> Motion:
    return Motion.of(count, **columns)


def _joined(columns: list[NDArray[Any]]) -> NDArray[Any]:
    """One column behind another; one that says the same in every row of all of them still takes no memory."""
    same = [c for c in columns if len(c)]
    if same and all(c.strides[0] == 0 and np.array_equal(c[0], same[0][0]) for c in same):
        return np.broadcast_to(same[0][0], (sum(map(len, same)), *same[0].shape[1:]))
    return np.concatenate(columns)


class Driven(NamedTuple):
    """What a move of a driven tool has besides: see :class:`Motion`."""

    c0: float
    c1: float
    axis: tuple[float, float, float]


class Builder:
    """Collects moves: one by one, or whole arrays from the fast path."""

    def __init__(self) -> None:
        self._rows: list[tuple[object, ...]] = []
        self._driven: list[Driven] = []
        self._parts: list[Motion] = []
        self.count = 0

    def add(
        self, kind: int, start: tuple[float, float, float], end: tuple[float, float, float], *, feed: float, speed: float,
        tool: int, line: int, centre: tuple[float, float, float] = (0.0, 0.0, 0.0), sweep: float = 0.0, plane: int = 0,
        seconds: float = 0.0, turn: int = 0, driven: Driven | None = None,
    ) -> None:  # fmt: skip
        """One move."""
        if self._rows and (driven is not None) != bool(self._driven):
            self._flush()
        if driven is not None:
            self._driven.append(driven)
        self._rows.append((kind, start, end, centre, sweep, plane, feed, speed, tool, line, line, seconds, turn))
        if len(self._rows) >= PACK_EVERY:
            self._flush()
        self._counted(1)

    def add_straight(
        self, kind: NDArray[np.uint8], points: NDArray[np.float64], feed: NDArray[np.float64], speed: float, tool: int,
        line: NDArray[np.int32], turn: int = 0,
    ) -> None:  # fmt: skip
        """``n`` straight moves along ``points`` (n + 1, 3)."""
        self._flush()
        self._parts.append(
            Motion.of(
                len(kind),
                kind=kind,
                start=points[:-1],
                end=points[1:],
                feed=feed,
                speed=speed,
                tool=tool,
                line=line,
                block=line,
                turn=turn,
            )
        )
        self._counted(len(kind))

    def _counted(self, more: int) -> None:
        self.count += more
        if self.count > MOST_MOVES:
            raise TooMany(
                f"The program has more than {MOST_MOVES:,} moves; what comes behind is not checked. Split it into several.".replace(
                    ",", " "
                )
            )

    def _flush(self) -> None:
        if self._rows:
            columns = zip(fields(Motion), zip(*self._rows, strict=True), strict=False)
            said = {one.name: np.array(values, dtype=one.metadata["type"]) for one, values in columns}
            if self._driven:
                c0, c1, axis = zip(*self._driven, strict=True)
                said |= {
                    "c0": np.array(c0),
                    "c1": np.array(c1),
                    "axis": np.array(axis),
                    "driver": np.ones(len(c0), np.uint8),
                }
            self._parts.append(Motion.of(len(self._rows), **said))
            self._rows, self._driven = [], []

    def motion(self) -> Motion:
        """All moves so far."""
        self._flush()
        return Motion.joined(self._parts or [Motion.of(0)])
