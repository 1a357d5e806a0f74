"""Stock of a turned part (see :mod:`bastler.core.verify.stock`): a half section, cut by the way of each edge, with what touched it.

*Batch*: neighbouring moves of one tool and one sort (rapid or cutting), cut at once; what a batch takes
is shared out by the ways of its moves through metal. Threads are marks: they don't cut the section.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import shapely
from numpy.typing import NDArray

from bastler.core.gcode.motion import BAR, CHANGE, DWELL, FEED, RAPID, THREAD, Motion
from bastler.core.geometry.flatsided import FlatBar
from bastler.core.geometry.halfsection import (
    EMPTY,
    FAR_MM,
    Area,
    box,
    clean,
    clipped,
    moved,
    polygons,
    rounded,
    volume,
    widened,
)
from bastler.core.geometry.rolling import as_array, sweeps, swept
from bastler.core.tooling.cutters import Cutter
from bastler.core.tooling.tools import Tool
from bastler.core.verify.mesh import Mesh
from bastler.core.verify.revolved import revolved
from bastler.core.verify.stock import BODY, EDGE, FIXED, Difference, Happened, Touch

LONGEST_BATCH = 128
CHORD_MM = 0.0005
NOTICED_MM2 = 2e-3
"""A cut or a touch of less than this is rounding."""
SLIVER_MM = 0.004
NEAR_SHARE = 1.02
"""An edge whose middle is this share of its nose away may meet; chords of the border lie inside by less."""
BODY_COARSE_MM = 0.01
COARSEN_AT, COARSEN_GROWTH = 400, 2
"""Points of the section from which points on straight lines are dropped, and again when it has so many times as many: pecks leave one a peck."""
COARSEN_MM = 2e-5
REAR_MM = 0.5
PULLERS_GRIP_MM = 1.0
Met = tuple[float, tuple[float, float]]


@dataclass
class _Marks:
    """What happened so far from move ``low`` onwards, by index of the moves: see :class:`Happened`; touches as area (mm²) and place (z, r)."""

    low: int
    removed: NDArray[np.float64]
    rapid: dict[int, Met] = field(default_factory=dict)
    body: dict[int, Met] = field(default_factory=dict)
    fixed: dict[int, Met] = field(default_factory=dict)
    parted: dict[int, Area] = field(default_factory=dict)
    fed: dict[int, tuple[float, Area]] = field(default_factory=dict)

    def happened(self, first: int) -> Happened:
        """The same by number of the move in the program."""
        n = len(self.removed)
        by_word = ((EDGE, self.rapid), (BODY, self.body), (FIXED, self.fixed))
        touches = [
            Touch(first + i, word, area, (r, 0.0, z)) for word, met in by_word for i, (area, (z, r)) in met.items()
        ]
        unknown = np.full(n, np.nan)
        parted = {first + i: area for i, area in self.parted.items()}
        fed = {first + i: by for i, by in self.fed.items()}
        return Happened(self.removed, unknown, unknown, touches, parted, fed)


class SectionStock:
    """A half section being cut."""

    chunk = 200
    state_bytes = 200_000
    """About: some hundreds of points."""

    def __init__(
        self, blank: Area, fixed: Area, tools: dict[int, Tool], grip: float, prism: FlatBar | None = None
    ) -> None:
        """``grip``: Z behind which the stock is held; what isn't joined to that falls off."""
        self.area, self.blank, self.fixed, self.grip, self.prism = blank, blank, fixed, grip, prism
        self._coarsen_at = COARSEN_AT
        self._cutters = {n: t.in_plane for n, t in tools.items()}
        self._pullers = {n for n, t in tools.items() if t.kind == "bar-puller"}
        self._taps = {n for n, t in tools.items() if t.kind == "tap"}

    def state(self) -> Area:
        """The half section."""
        return self.area

    def shown(self) -> Area:
        """The same."""
        return self.area

    def restore(self, state: Area) -> None:
        """The half section as it was."""
        self.area, self._coarsen_at = state, COARSEN_AT

    def volume(self) -> float:
        """Metal left, mm³."""
        return volume(self.area, self.prism)

    def compare(self, finished: list[Area]) -> Difference:
        """Against the blank without some areas."""
        target = clean(shapely.difference(self.blank, shapely.union_all(finished)))
        missing, left = shapely.difference(target, self.area), shapely.difference(self.area, target)
        return Difference(volume(missing, self.prism), volume(left, self.prism))

    def mesh(self, labels: list[tuple[int, Area]] | None = None) -> Mesh:
        """The whole solid; ``labels``: areas that steps took, with the label of their surfaces."""
        return revolved(self.area, labels or [], whole=True, prism=self.prism)

    def section(self, x: float = 0.0) -> list[NDArray[np.float64]]:
        """Outlines through the axis, as (z, r)."""
        return [np.asarray(p.exterior.coords) for p in polygons(self.area)]

    def cut(self, motion: Motion, low: int = 0, high: int | None = None, first: int = 0) -> Happened:
        """Run moves in order."""
        high = len(motion) if high is None else high
        marks = _Marks(low, np.zeros(high - low))
        self._cut(motion, marks, low, high)
        return marks.happened(first)

    def _cut(self, motion: Motion, marks: _Marks, low: int, high: int) -> None:
        at = low
        while at < high:
            end = self._batch(motion, at, high)
            cutter = self._cutters.get(int(motion.tool[at]))
            if motion.kind[at] == BAR:
                self._bar_comes(motion, marks, at, cutter)
            elif cutter is not None and motion.kind[at] not in (DWELL, CHANGE):
                self._moves(motion, marks, at, end, cutter)
                self._fall(marks, end - 1)
            at = end

    def _leaves_thread(self, motion: Motion, i: int) -> bool:
        """Whether a move pulls the tool out of the end of a thread: across it, away from the metal."""
        if motion.kind[i] != RAPID or i == 0 or motion.kind[i - 1] != THREAD or motion.tool[i] != motion.tool[i - 1]:
            return False
        cutter, way = self._cutters.get(int(motion.tool[i])), motion.end[i] - motion.start[i]
        out = -1.0 if cutter is not None and cutter.reach == "in" else 1.0
        return bool(abs(way[2]) <= out * way[0]) or (cutter is not None and cutter.reach == "face")

    def _bar_comes(self, motion: Motion, marks: _Marks, move: int, cutter: Cutter | None) -> None:
        """The bar comes forward against the tool in front of it, or with one that grips it; behind it comes more of the same bar."""
        if self.area.is_empty or cutter is None:
            return
        z, front = float(motion.end[move][2]), self.area.bounds[2]
        if int(motion.tool[move]) in self._pullers:
            pulled = float(motion.feed[move])
            by = pulled if front > z - pulled + PULLERS_GRIP_MM else 0.0
        else:
            by = z + cutter.extent()[0] - front
        marks.fed[move] = (by, self.area)
        if by > 0:
            z0, _, _, _ = self.blank.bounds
            rear = clipped(self.blank, z0, 0.0, z0 + REAR_MM, FAR_MM)
            more = box(z0, z0 + by + REAR_MM, rear.bounds[1], rear.bounds[3])
            self.area = clean(shapely.union(moved(self.area, by, 0.0), more))

    def _batch(self, motion: Motion, at: int, high: int) -> int:
        def sort(i: int) -> tuple[int, int]:
            kind = int(motion.kind[i])
            return (
                (int(motion.tool[i]), -1 if kind in (RAPID, THREAD, DWELL, CHANGE, BAR) else 0)
                if kind != RAPID
                else (int(motion.tool[i]), 1)
            )

        first = sort(at)
        if self._leaves_thread(motion, at):
            return at + 1
        end = at + 1
        while end < high and end - at < LONGEST_BATCH and sort(end) == first and first[1] >= 0:
            end += 1
        return end

    def _moves(self, motion: Motion, marks: _Marks, low: int, high: int, cutter: Cutter) -> None:
        """Cut, and see what the body touches; it may go only where the moves so far have cut, not where later ones will."""
        kind = THREAD if self._leaves_thread(motion, low) else int(motion.kind[low])
        if int(motion.tool[low]) in self._taps and (kind == FEED or motion.end[low, 2] > motion.start[low, 2]):
            kind = THREAD  # it follows its own thread, or tears it
        ways = [motion.chords(i, CHORD_MM)[:, [2, 0]] for i in range(low, high)]
        cutting = kind not in (RAPID, THREAD)
        if cutting:
            before = _Marks(marks.low, marks.removed)
            self._bodies(before, low, cutter, ways, edge_too=False)
            if not before.body:
                marks.fixed.update(before.fixed)
                self._edges(marks, low, cutter, ways, rapid=False)
                return
            if high - low > 1:
                middle = (low + high) // 2
                self._moves(motion, marks, low, middle, cutter)
                self._moves(motion, marks, middle, high, cutter)
                return
        if kind != THREAD:
            self._edges(marks, low, cutter, ways, rapid=kind == RAPID)
        self._bodies(marks, low, cutter, ways, edge_too=not cutting)

    def _edges(self, marks: _Marks, low: int, cutter: Cutter, ways: list[NDArray[np.float64]], *, rapid: bool) -> None:
        corners = as_array(cutter.skeleton)
        counts = [len(w) - 1 for w in ways]
        starts, ends = np.concatenate([w[:-1] for w in ways]), np.concatenate([w[1:] for w in ways])
        hulls = _all_round(sweeps(corners, starts, ends))
        index = np.repeat(np.arange(len(ways)), counts)
        local = self._near(hulls, cutter.nose)
        if local.is_empty:
            return
        near = widened(local.simplify(BODY_COARSE_MM), max(NEAR_SHARE * cutter.nose, SLIVER_MM) + BODY_COARSE_MM, 4)
        shapely.prepare(near)
        meets = shapely.intersects(near, hulls)
        if not meets.any():
            return
        if rapid:
            for k in np.unique(index[meets]).tolist():
                hit = shapely.intersection(rounded(shapely.union_all(hulls[index == k]), cutter.nose), local)
                if hit.area > NOTICED_MM2 and _thick(hit):
                    marks.rapid[low + k] = (float(hit.area), _middle(hit))
        whole = rounded(_along(corners, starts, ends, meets), cutter.nose)
        gone = volume(shapely.intersection(local, whole), self.prism)
        # A batch's metal is shared out by way and by circumference: a face has less of it towards the axis.
        ring = np.linalg.norm(ends - starts, axis=1) * np.maximum(np.abs(starts + ends)[:, 1], SLIVER_MM) * meets
        each = np.bincount(index, ring, len(ways))
        if gone > 0 and each.sum() > 0:
            marks.removed[low - marks.low : low - marks.low + len(ways)] = gone * each / each.sum()
        self.area = clean(shapely.difference(self.area, whole))
        if shapely.get_num_coordinates(self.area) > self._coarsen_at:
            self.area = clean(self.area.simplify(COARSEN_MM))
            self._coarsen_at = max(COARSEN_AT, COARSEN_GROWTH * int(shapely.get_num_coordinates(self.area)))

    def _near(self, areas: NDArray[np.object_], by: float) -> Area:
        b = shapely.total_bounds(areas)
        return clipped(self.area, b[0] - by - 0.1, b[1] - by - 0.1, b[2] + by + 0.1, b[3] + by + 0.1)

    def _fall(self, marks: _Marks, move: int) -> None:
        """What isn't held any more is gone."""
        parts = [p for p in shapely.get_parts(self.area) if p.geom_type == "Polygon"]
        if len(parts) < 2:
            return
        loose = [p for p in parts if p.bounds[0] > self.grip]
        if loose:
            big = [p for p in loose if volume(p) > 1.0]
            if big:
                marks.parted[move] = shapely.union_all(big)
            self.area = (
                clean(shapely.union_all([p for p in parts if p.bounds[0] <= self.grip]))
                if len(loose) < len(parts)
                else EMPTY
            )

    def _bodies(
        self, marks: _Marks, low: int, cutter: Cutter, ways: list[NDArray[np.float64]], *, edge_too: bool
    ) -> None:
        edge = [cutter.outline(BODY_COARSE_MM)]
        metal = [*cutter.body]
        counts = [len(w) - 1 for w in ways]
        index = np.repeat(np.arange(len(ways)), counts)
        starts, ends = np.concatenate([w[:-1] for w in ways]), np.concatenate([w[1:] for w in ways])
        path = np.concatenate([starts, ends])
        for shape, cuts in [*((s, False) for s in metal), *((s, True) for s in edge)]:
            solids = [(self.fixed, marks.fixed)]
            if not cuts:
                solids += [(self.area, marks.body)]
            elif not edge_too and self.fixed.is_empty:
                continue
            around = _around(as_array(shape), path)
            near = [(solid, told) for solid, told in solids if not solid.is_empty and shapely.intersects(around, solid)]
            if not near:
                continue
            areas = _all_round(sweeps(as_array(shape), starts, ends))
            for solid, told in near:
                for k in np.flatnonzero(shapely.intersects(areas, solid)):
                    common = shapely.intersection(areas[k], solid)
                    if common.area > NOTICED_MM2 and _thick(common):
                        move = low + int(index[k])
                        if move not in told or told[move][0] < common.area:
                            told[move] = (float(common.area), _middle(common))


def _around(corners: NDArray[np.float64], path: NDArray[np.float64]) -> Area:
    """A convex area that a shape doesn't leave along a path, on both sides of the axis if it crosses it."""
    few = shapely.get_coordinates(shapely.LineString(path).convex_hull)
    reach = shapely.LineString((few[:, None] + corners[None]).reshape(-1, 2)).convex_hull
    if reach.bounds[1] >= 0:
        return reach
    return shapely.union_all([reach, shapely.transform(reach, lambda p: p * np.array([1.0, -1.0]))])


def _along(
    corners: NDArray[np.float64], starts: NDArray[np.float64], ends: NDArray[np.float64], which: NDArray[np.bool_]
) -> Area:
    """What an edge passes over on some of its straight ways, each run of neighbours at once, all round the axis."""
    at = np.flatnonzero(which)
    apart = (np.diff(at) > 1) | np.any(starts[at[1:]] != ends[at[:-1]], axis=1)
    runs = np.split(at, np.flatnonzero(apart) + 1)
    areas = [swept(corners, np.concatenate([starts[run[:1]], ends[run]])) for run in runs]
    return shapely.union_all(_all_round(np.array(areas)))


def _all_round(areas: NDArray[np.object_]) -> NDArray[np.object_]:
    """What lies below the axis meets the metal that turns past there: put on this side too."""
    low = shapely.bounds(areas)[:, 1] < 0
    if not low.any():
        return areas
    both = areas.copy()
    both[low] = shapely.union(areas[low], shapely.transform(areas[low], lambda p: p * np.array([1.0, -1.0])))
    return both


def _thick(area: Area) -> bool:
    return not widened(area, -SLIVER_MM).is_empty


def _middle(area: Area) -> tuple[float, float]:
    p = area.representative_point()
    return (float(p.x), float(p.y))
