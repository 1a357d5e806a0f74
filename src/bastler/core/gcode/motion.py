"""Motion: what the machine does, move by move, as arrays.

*Tip*: the lowest point of the tool really in the spindle; all positions are the tip's, in program
coordinates, mm. So a wrong length offset shows as a wrong depth.
"""

from __future__ import annotations

from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from bastler.core.problems import TooMany

RAPID, FEED, ARC, DWELL, CHANGE, THREAD, BAR = 0, 1, 2, 3, 4, 5, 6
KIND_WORDS = ("rapid", "feed", "arc", "dwell", "tool change", "thread", "bar feed")
AXES_OF_PLANE = ((0, 1, 2), (2, 0, 1), (1, 2, 0))
"""First, second and normal axis of G17, G18, G19; positive sweep is counter-clockwise (G3)."""
CHORD_MM = 0.002
MOST_MOVES = 2_000_000
"""What a check has memory for: some 300 MB."""
PACK_EVERY = 50_000


@dataclass(frozen=True)
class Motion:
    """``n`` moves. ``feed`` mm/min, ``speed`` rev/min (0: spindle stands), ``tool`` and ``length_offset``
    numbers (0: none), ``sweep`` radians, ``plane`` 0/1/2 for G17/18/19, ``seconds`` of a dwell, ``turn`` 1 for M3, -1 for M4, 0 while the spindle stands. Of a bar
    feed, which takes no time, ``feed`` is how far the tool went along Z, mm, while the chuck was open."""

    kind: NDArray[np.uint8]
    start: NDArray[np.float64]
    end: NDArray[np.float64]
    centre: NDArray[np.float64]
    sweep: NDArray[np.float64]
    plane: NDArray[np.uint8]
    feed: NDArray[np.float64]
    speed: NDArray[np.float64]
    tool: NDArray[np.int32]
    line: NDArray[np.int32]
    seconds: NDArray[np.float64]
    turn: NDArray[np.int8]

    def __len__(self) -> int:
        return len(self.kind)

    def part(self, low: int, high: int) -> Motion:
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


class Builder:
    """Collects moves: one by one, or whole arrays from the fast path."""

    def __init__(self) -> None:
        self._rows: list[tuple[object, ...]] = []
        self._parts: list[Motion] = []
        self.count = 0

    def add(
        self, kind: int, start: tuple[float, float, float], end: tuple[float, float, float], *, feed: float, speed: float,
        tool: int, line: int, centre: tuple[float, float, float] = (0.0, 0.0, 0.0), sweep: float = 0.0, plane: int = 0,
        seconds: float = 0.0, turn: int = 0,
    ) -> None:  # fmt: skip
        """One move."""
        self._rows.append((kind, start, end, centre, sweep, plane, feed, speed, tool, line, seconds, turn))
        if len(self._rows) >= PACK_EVERY:
            self._flush()
        self._counted(1)

    def add_straight(
        self, kind: NDArray[np.uint8], points: NDArray[np.float64], feed: NDArray[np.float64], speed: float, tool: int,
        line: NDArray[np.int32], turn: int = 0,
    ) -> None:  # fmt: skip
        """``n`` straight moves along ``points`` (n + 1, 3)."""
        self._flush()
        n = len(kind)
        zeros = np.broadcast_to(0.0, n)
        self._parts.append(
            Motion(kind, points[:-1], points[1:], np.broadcast_to(0.0, (n, 3)), zeros, np.broadcast_to(np.uint8(0), n),
                   feed, np.broadcast_to(speed, n), np.broadcast_to(np.int32(tool), n), line, zeros, np.broadcast_to(np.int8(turn), n))
        )  # fmt: skip
        self._counted(n)

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
            columns = list(zip(*self._rows, strict=True))
            types = (np.uint8, float, float, float, float, np.uint8, float, float, np.int32, np.int32, float, np.int8)
            self._parts.append(Motion(*(np.array(c, dtype=t) for c, t in zip(columns, types, strict=True))))
            self._rows = []

    def motion(self) -> Motion:
        """All moves so far."""
        self._flush()
        if not self._parts:
            none = np.zeros(0)
            points = np.zeros((0, 3))
            bytes_, ints = np.zeros(0, np.uint8), np.zeros(0, np.int32)
            return Motion(
                bytes_, points, points, points, none, bytes_, none, none, ints, ints, none, np.zeros(0, np.int8)
            )
        return Motion(*(np.concatenate([getattr(p, f.name) for p in self._parts]) for f in fields(Motion)))
