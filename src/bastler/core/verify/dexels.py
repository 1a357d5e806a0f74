"""Stock that is cut from any side (see :mod:`bastler.core.verify.stock`): three families of rays, along X, Y and Z of the part.

Each ray holds sorted pieces of metal, each end with the move that cut it. A volume is the mean of what the three families say. See :mod:`bastler.core.verify.rays`.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from bastler.core.gcode.motion import CHANGE, DWELL, FEED, RAPID, Motion
from bastler.core.geometry.halfsection import Area, polygons
from bastler.core.geometry.underside import Profile
from bastler.core.tooling.tools import Tool
from bastler.core.verify.rays import MIDDLE, RAW, Packed, Rays, lengths_of, pack, unpack
from bastler.core.verify.stock import BODY, EDGE, FIXED, Happened, Touch
from bastler.core.verify.sweeps import Convex, Sweep, sweep_rays
from bastler.core.verify.turnedrays import keep_turned

USUAL_CELLS = 250_000
"""In the largest family."""
FIRST_PIECES = 2
PIECE_BYTES = 16
MANY_POINTS = 6
"""Of a way that is worth threads."""
CHORD_MM = 0.004
ENDLESS_MM = 1e4
NOTICED_MM3 = 0.02
NOTICED_MM = 0.02
"""A rapid or a shank that meets less, or nowhere that much in one place, touches nothing."""
Bounds3 = tuple[float, float, float, float, float, float]


def cell_for(bounds: Bounds3, cells: int = USUAL_CELLS) -> float:
    """Cell size in mm, a round one, for ``x0, x1, y0, y1, z0, z1``."""
    a, b, c = (bounds[2 * k + 1] - bounds[2 * k] for k in range(3))
    exact = math.sqrt(max(a * b, b * c, a * c) / cells)
    step = 10 ** math.floor(math.log10(exact))
    return next(
        float(m * step) for m in (1.0, 1.25, 1.5, 2.0, 2.5, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0) if m * step >= exact * 0.999
    )


def family(along: int, bounds: Bounds3, cell: float) -> Rays:
    """Rays through the middles of cells, all metal."""
    first, second = [k for k in range(3) if k != along]
    # Edges of cells lie on the part's zero, where faces are: no half cell of bias there.
    start = [(math.floor(bounds[2 * k] / cell) + MIDDLE) * cell for k in (first, second)]
    shape = tuple(
        max(math.ceil((bounds[2 * k + 1] - s) / cell), 1) for k, s in zip((first, second), start, strict=True)
    )
    low, high = (np.full((*shape, FIRST_PIECES), end, np.float32) for end in (-ENDLESS_MM, ENDLESS_MM))
    who = np.full((*shape, FIRST_PIECES), RAW, np.int32)
    return Rays(along, (start[0], start[1]), cell, low, high, who, who.copy(), np.ones(shape, np.uint8))


def roomier(rays: Rays) -> Rays:
    """The same with room for twice as many pieces."""
    low, high, who_low, who_high = (
        np.concatenate([a, np.zeros_like(a)], axis=2) for a in (rays.low, rays.high, rays.who_low, rays.who_high)
    )
    return rays._replace(low=low, high=high, who_low=who_low, who_high=who_high)


def pieces_of(profile: Profile, top: float) -> tuple[Convex, ...]:
    """The pieces of a cutting edge: a pilot is one of its own."""
    p = profile
    if p.tip_slope <= 0 and p.step <= 0:
        return (Convex(p.radius, 0.0, top, p.flat, p.corner, p.slope),)
    pilot = Convex(p.flat, 0.0, top, 0.0, 0.0, p.tip_slope)
    return (pilot, Convex(p.radius, p.step, top, p.flat, 0.0, p.slope))


def edges_of(area: Area) -> NDArray[np.float64]:
    """All edges of a half section, (n, 4) as z, r, z, r."""
    rings = [np.asarray(ring.coords) for one in polygons(area) for ring in (one.exterior, *one.interiors)]
    rows = [np.concatenate([p[:-1], p[1:]], axis=1) for p in rings]
    return np.concatenate(rows) if rows else np.zeros((0, 4))


class KeptRays(NamedTuple):
    """A state of dexels: their box, the distance of their rays, and the packed families."""

    bounds: Bounds3
    cell: float
    families: tuple[Packed, Packed, Packed]


@cache
def _threads() -> ThreadPoolExecutor:
    """For the families; kernels leave the interpreter alone meanwhile."""
    return ThreadPoolExecutor(3)


@dataclass(frozen=True)
class Met:
    """What a body met on its way: mm³, the longest piece of metal on one ray (mm), and the middle of that."""

    volume: float
    longest: float
    place: tuple[float, float, float]


class Dexels:
    """Metal in a box, cut from any side."""

    def __init__(self, bounds: Bounds3, cell: float = 0.0) -> None:
        cell = cell or cell_for(bounds)
        self.bounds, self.cell = bounds, cell
        self.families: tuple[Rays, Rays, Rays] = (
            family(0, bounds, cell),
            family(1, bounds, cell),
            family(2, bounds, cell),
        )

    @classmethod
    def of(cls, kept: KeptRays) -> Dexels:
        """As they were."""
        made = cls(kept.bounds, kept.cell)
        made.restore(kept)
        return made

    def state(self) -> KeptRays:
        """All as it is now, packed."""
        x, y, z = (pack(one) for one in self.families)
        return KeptRays(self.bounds, self.cell, (x, y, z))

    def restore(self, state: KeptRays) -> None:
        """The families as they were."""
        found = []
        for rays, packed in zip(self.families, state.families, strict=True):
            while int(packed.pieces.max(initial=0)) > rays.low.shape[2]:
                rays = roomier(rays)
            unpack(packed, rays)
            found.append(rays)
        self.families = (found[0], found[1], found[2])

    @property
    def state_bytes(self) -> int:
        """Of a state, packed."""
        return sum(int(one.pieces.sum()) * PIECE_BYTES + one.pieces.nbytes for one in self.families)

    def volume(self) -> float:
        """Metal, mm³: the mean of the families, less what they make of faces across an axis.

        A family is exact along its rays, and ``e`` too large for a face along them, by how the next rays lie beside it. Of a face across an axis two of
        three families err so; of one that leans, one does, and the two that measure it both tell how much.
        """
        total, across, leaning = np.array(list(_threads().map(lengths_of, self.families))).T * self.cell**2
        return float(total.mean() - 2 / 3 * across.sum() - 1 / 6 * leaning.sum())

    def keep_turned(self, area: Area) -> None:
        """Cut down to what a half section makes about Z."""
        edges, found = edges_of(area), []
        for rays in self.families:
            while not keep_turned(rays, edges):
                rays = roomier(rays)
            found.append(rays)
        self.families = (found[0], found[1], found[2])

    def sweep(self, way: Sweep, body: Convex, move: int, *, cut: bool) -> Met:
        """A body's straight way through the metal; ``cut``: the metal goes, and ``move`` is who took it."""
        points = np.array([way.start, np.add(way.start, way.by)], dtype=float)
        return self.follow(points, way.axis, body, move, cut=cut)

    def follow(self, points: NDArray[np.float64], axis: Iterable[float], body: Convex, move: int, *, cut: bool) -> Met:
        """A body's way from point to point (n, 3); see :meth:`sweep`. Of a long one each family has a thread of its own."""
        axis, body = _floats(axis), Convex(*map(float, body))

        def of_family(rays: Rays) -> tuple[Rays, Met]:
            volume, most, at, full = sweep_rays(rays, points, axis, body, move, cut)
            while full:
                rays = roomier(rays)
                more, _, _, full = sweep_rays(rays, points, axis, body, move, cut)
                volume += more
            return rays, Met(volume, most, at)

        done = (_threads().map if len(points) > MANY_POINTS else map)(of_family, self.families)
        (x, by_x), (y, by_y), (z, by_z) = done
        self.families = (x, y, z)
        met = (by_x, by_y, by_z)
        deepest = max(met, key=lambda one: one.longest)
        return Met(sum(one.volume for one in met) / 3, deepest.longest, deepest.place)

    def cut(
        self, motion: Motion, tools: dict[int, Tool], low: int, high: int, first: int = 0, fixed: Dexels | None = None
    ) -> Happened:
        """Run moves in order; see :meth:`bastler.core.verify.stock.Stock.cut`. Arcs are chords by now, and moves with a turning part, too. ``fixed``: what must not be touched at all."""
        found = Happened.none(high - low)
        found.deepest[:] = found.cores[:] = np.nan
        for a, b in _runs(motion, low, high):
            tool = tools.get(int(motion.tool[a]))
            if tool is None or motion.kind[a] in (CHANGE, DWELL) or tool.cutter is not None:
                continue
            one = _Cut(first + a, bool(motion.kind[a] == RAPID), _way(motion, a, b), _floats(motion.axis[a]))
            removed = self._by(one, tool, fixed, found.touches)
            lengths = np.linalg.norm(motion.end[a:b] - motion.start[a:b], axis=1)
            whole = lengths.sum()
            found.removed[a - low : b - low] = removed * (lengths / whole if whole > 0 else 1 / (b - a))
        return found

    def _by(self, one: _Cut, tool: Tool, fixed: Dexels | None, touches: list[Touch]) -> float:
        """A tool's way through the metal, and past what must not be touched; returns what it removed, mm³."""
        edge = pieces_of(tool.profile, tool.flute_length)
        rest = [Convex(radius, bottom, top, radius, 0.0, 0.0) for radius, bottom, top in tool.non_cutting()]
        for body in (*edge, *rest):
            if fixed is None:
                break
            met = fixed.follow(one.way, one.axis, body, one.move, cut=False)
            if met.longest > NOTICED_MM:
                touches.append(Touch(one.move, FIXED, met.longest, met.place))
        removed = 0.0
        for body in edge:
            met = self.follow(one.way, one.axis, body, one.move, cut=True)
            removed += met.volume
            if one.rapid and met.volume > NOTICED_MM3 and met.longest > NOTICED_MM:
                touches.append(Touch(one.move, EDGE, met.longest, met.place))
        for k, body in enumerate(rest):
            met = self.follow(one.way, one.axis, body, one.move, cut=False)
            if met.volume > NOTICED_MM3 and met.longest > NOTICED_MM:
                touches.append(Touch(one.move, BODY, met.longest, met.place, k))
        return removed


class _Cut(NamedTuple):
    """A way that a tool takes at once: by which move, whether at rapid, its points (n, 3), which way the tool points."""

    move: int
    rapid: bool
    way: NDArray[np.float64]
    axis: tuple[float, float, float]


def _runs(motion: Motion, low: int, high: int) -> Iterator[tuple[int, int]]:
    """Moves that are one way: the chords of one line's curve, with the tool pointing the same way all along."""
    m = motion.run(low, high)
    goes_on = (
        (m.kind[1:] == m.kind[:-1])
        & np.isin(m.kind[1:], (FEED, RAPID))
        & (m.block[1:] == m.block[:-1])
        & (m.tool[1:] == m.tool[:-1])
    )
    goes_on &= (m.axis[1:] == m.axis[:-1]).all(axis=1) & (m.start[1:] == m.end[:-1]).all(axis=1)
    edges = [0, *(np.flatnonzero(~goes_on) + 1).tolist(), high - low]
    for a, b in itertools.pairwise(edges):
        yield low + a, low + b


def _way(motion: Motion, a: int, b: int) -> NDArray[np.float64]:
    """The points of moves that are one way."""
    return motion.chords(a, CHORD_MM) if b == a + 1 else np.concatenate([motion.start[a : a + 1], motion.end[a:b]])


def _floats(v: Iterable[float]) -> tuple[float, float, float]:
    """Three plain numbers: another type would be another kernel to compile."""
    x, y, z = map(float, v)
    return x, y, z
