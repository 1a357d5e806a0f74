"""What comes back from the engine: plain values that travel between processes.

Kept apart from the engine so that the window can hold results without loading compiled kernels.
"""

from __future__ import annotations

from dataclasses import dataclass
from dataclasses import field as made
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from bastler.core.data import Table
from bastler.core.findings import Finding
from bastler.core.gcode.control import Event
from bastler.core.gcode.motion import ARC, CHANGE, DWELL, FEED, RAPID, THREAD, Motion
from bastler.core.post.program import Program
from bastler.core.problems import Problem
from bastler.core.verify.pictures import HeightPicture, Picture, SectionPicture

DEVIATIONS: tuple[tuple[str, float], ...] = (
    ("more than 0.1 too low", -0.1), ("too low", -0.02), ("right", 0.02), ("up to 0.3 left", 0.3), ("more left", np.inf),
)  # fmt: skip
"""Words and upper ends (mm) of the classes of a stock's deviation from the finished shape, from low to high."""


def deviation(heights: NDArray[np.float32], target: NDArray[np.float32]) -> NDArray[np.int32]:
    """Class of each cell against the finished shape, an index into :data:`DEVIATIONS`."""
    edges = np.array([d[1] for d in DEVIATIONS[:-1]])
    return np.asarray(np.searchsorted(edges, heights - target, side="left"), np.int32)


@dataclass(frozen=True)
class Checked:
    """All that a check knows. ``times`` seconds per move; ``step_of_move`` index in the job's list or -1;
    ``picture``: the stock at the end, as its kind has it;
    ``removed`` mm³ per move, ``power`` the share of the spindle's power it takes; ``degrees``: how much of a mill's round is in metal on each move, ``None`` on a lathe; ``events``: M words between the moves; ``ways``: by step id, problems that only its moves show."""

    program: Program
    motion: Motion
    lines: int
    units: str
    times: NDArray[np.float64]
    step_of_move: NDArray[np.int32]
    step_ids: tuple[str, ...]
    step_names: tuple[str, ...]
    tool_names: dict[int, str]
    findings: tuple[Finding, ...]
    picture: Picture
    removed: NDArray[np.float64]
    power: NDArray[np.float32]
    volume_before: float
    volume_after: float
    seconds: float
    degrees: NDArray[np.float32] | None = None
    events: tuple[Event, ...] = ()
    ways: dict[str, tuple[Problem, ...]] = made(default_factory=dict)

    @property
    def field(self) -> HeightPicture:
        """The stock as a height field; only what belongs to mills asks for it."""
        if not isinstance(self.picture, HeightPicture):
            raise TypeError("the stock of this check is no height field")
        return self.picture

    @property
    def section(self) -> SectionPicture:
        """The stock as a half section; only what belongs to lathes asks for it."""
        if not isinstance(self.picture, SectionPicture):
            raise TypeError("the stock of this check is no half section")
        return self.picture

    @property
    def taken(self) -> float:
        """Metal that is gone, mm³."""
        return self.picture.taken(self.removed, self.volume_before, self.volume_after)

    @property
    def stops(self) -> int:
        """Number of ``stop`` findings."""
        return sum(f.severity == "stop" for f in self.findings)

    def ends(self) -> NDArray[np.float64]:
        """Time at the end of each move, s."""
        return np.asarray(np.cumsum(self.times))

    @cached_property
    def clock(self) -> list[float]:
        """The same as a list, made once."""
        return [float(t) for t in self.ends()]

    @cached_property
    def step_edges(self) -> list[int]:
        """Moves with which another step begins."""
        return [0, *(np.flatnonzero(np.diff(self.step_of_move)) + 1).tolist()]

    @property
    def seconds_whole(self) -> float:
        """How long the program runs, s."""
        return self.clock[-1] if self.clock else 0.0

    def gone(self, seconds: float) -> float:
        """Metal removed by a moment, mm³."""
        ends = self.ends()
        return float(
            np.interp(seconds, np.concatenate([[0.0], ends]), np.concatenate([[0.0], np.cumsum(self.removed)]))
        )

    def over_time(self, count: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """In ``count`` equal stretches of time: the highest mean power of a move in it, and the metal gone by its end, mm³."""
        ends = self.ends()
        total = float(ends[-1]) if len(ends) else 0.0
        if total <= 0:
            return np.zeros(count), np.zeros(count)
        edges = total * np.arange(1, count + 1) / count
        gone = np.interp(edges, np.concatenate([[0.0], ends]), np.concatenate([[0.0], np.cumsum(self.removed)]))
        return self._highest(self.power, count), gone

    def degrees_over_time(self, count: int) -> NDArray[np.float64]:
        """In ``count`` equal stretches of time: the most of a mill's round in metal on a move in it, degrees."""
        return self._highest(self.degrees, count) if self.degrees is not None else np.zeros(count)

    def _highest(self, values: NDArray[np.float32], count: int) -> NDArray[np.float64]:
        """The highest value of the moves in each of ``count`` equal stretches of time."""
        ends, found = self.ends(), np.zeros(count)
        total = float(ends[-1]) if len(ends) else 0.0
        if total <= 0:
            return found
        first = np.minimum((count * (ends - self.times) / total).astype(int), count - 1)
        last = np.minimum((count * ends / total).astype(int), count - 1)
        np.maximum.at(found, first, values)
        np.maximum.at(found, last, values)
        for i in np.flatnonzero(last > first + 1):
            found[first[i] + 1 : last[i]] = np.maximum(found[first[i] + 1 : last[i]], values[i])
        return found

    def spans(self) -> list[tuple[int, float, float]]:
        """Stretches of time of one step: ``(step index or -1, from, to)`` in seconds."""
        ends, owner = self.ends(), self.step_of_move
        edges = [0, *(np.flatnonzero(np.diff(owner)) + 1).tolist(), len(owner)]
        return [
            (int(owner[low]), float(ends[low - 1]) if low else 0.0, float(ends[high - 1]))
            for low, high in zip(edges, edges[1:], strict=False)
            if high > low
        ]

    def moment(self, finding: Finding) -> float | None:
        """When a finding happens, s: at its line, else at the end of its step."""
        if not len(self.motion):
            return None
        at = len(self.motion)
        if finding.line:
            # The first move of its line, or of the next line that moves; lines of a loop come several times.
            behind = np.flatnonzero(self.motion.line >= finding.line)
            at = int(behind[self.motion.line[behind].argmin()]) if len(behind) else at
        elif finding.step in self.step_ids:
            mine = np.flatnonzero(self.step_of_move == self.step_ids.index(finding.step))
            at = int(mine[-1]) if len(mine) else at
        return float(self.ends()[at]) if at < len(self.motion) else None

    def step_seconds(self) -> dict[int, float]:
        """Seconds per step index."""
        return {int(i): float(self.times[self.step_of_move == i].sum()) for i in np.unique(self.step_of_move)}

    def report(self) -> Table:
        """The check report as DESIGN section 4 gives it."""
        m, t = self.motion, self.times
        cutting = (m.kind == FEED) | (m.kind == ARC) | (m.kind == THREAD)
        place = m.end[cutting] if cutting.any() else np.zeros((1, 3))
        place = np.concatenate([place, m.start[cutting]]) if cutting.any() else place
        low, high = place.min(axis=0), place.max(axis=0)
        by = self.picture.counted
        used = [int(n) for n in dict.fromkeys(m.tool.tolist()) if n]
        cut_order = [int(i) for i in dict.fromkeys(self.step_of_move.tolist()) if i >= 0]
        return {
            "program": self.program.name,
            "units": self.units,
            "lines": self.lines,
            "moves": len(m),
            "time_s": {
                "total": float(t.sum()),
                "cutting": float(t[cutting | (m.kind == DWELL)].sum()),
                "rapid": float(t[m.kind == RAPID].sum()),
                "tool_change": float(t[m.kind == CHANGE].sum()),
            },
            "tools": [
                {"number": n, "name": self.tool_names.get(n, ""), "time_s": float(t[m.tool == n].sum())} for n in used
            ],
            "steps": [
                {
                    "id": self.step_ids[i],
                    "name": self.step_names[i],
                    "time_s": float(t[self.step_of_move == i].sum()),
                    "removed_mm3": float(self.removed[self.step_of_move == i].sum()),
                }
                for i in cut_order
            ],
            "stock": {"volume_before_mm3": self.volume_before, "volume_after_mm3": self.volume_after},
            "extents": {axis: [float(low[i] * by[i]), float(high[i] * by[i])] for i, axis in enumerate("xyz")},
            "findings": [
                {"kind": f.kind, "severity": f.severity, "line": f.line, "step": f.step,
                 "at": list(f.at) if f.at else None, "text": f.text}
                for f in self.findings
            ],
        }  # fmt: skip
