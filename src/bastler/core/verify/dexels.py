"""Stock that is cut from any side (see :mod:`bastler.core.verify.stock`): three families of rays, along X, Y and Z of the part.

Each ray holds sorted pieces of metal, each end with the move that cut it. A volume is the mean of what the three families say. See :mod:`bastler.core.verify.rays`.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
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
from bastler.core.verify.sweeps import Convex, Met, ToolWays, sweep_rays
from bastler.core.verify.turnedrays import keep_turned

USUAL_CELLS = 250_000
"""In the largest family."""
FIRST_PIECES = 2
PIECE_BYTES = 16
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


def _unpacked(packed: Packed, rays: Rays) -> Rays:
    """A family as it was, in ``rays`` or such with more room."""
    while int(packed.pieces.max(initial=0)) > rays.low.shape[2]:
        rays = roomier(rays)
    unpack(packed, rays)
    return rays


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


def ways_of(
    runs: Sequence[tuple[NDArray[np.float64], Iterable[float], int]], bodies: Sequence[Convex], cuts: Sequence[bool]
) -> ToolWays:
    """Ways of one tool: of each its points (n, 3), where the tool points and which move it is; its pieces, and which of them cut."""
    first = np.cumsum([0, *(len(points) for points, _, _ in runs)])
    axes, moves = (np.array([run[k] for run in runs]) for k in (1, 2))
    return ToolWays(
        np.concatenate([points for points, _, _ in runs]).astype(float), first.astype(np.int64), axes.astype(float).reshape(-1, 3), moves.astype(np.int64),
        np.array(bodies, dtype=float).reshape(-1, 6), np.array(cuts, dtype=bool),
    )  # fmt: skip


class Dexels:
    """Metal in a box, cut from any side. Packed while it rests: until somebody asks for its rays."""

    def __init__(self, bounds: Bounds3, cell: float = 0.0, kept: KeptRays | None = None) -> None:
        self.bounds, self.cell = bounds, cell or cell_for(bounds)
        self._families: tuple[Rays, Rays, Rays] | None = None
        self._kept = kept

    @classmethod
    def of(cls, kept: KeptRays) -> Dexels:
        """As they were."""
        return cls(kept.bounds, kept.cell, kept)

    @property
    def families(self) -> tuple[Rays, Rays, Rays]:
        """The rays along X, Y and Z."""
        if self._families is None:
            x, y, z = (family(along, self.bounds, self.cell) for along in range(3))
            if self._kept is not None:
                x, y, z = (_unpacked(packed, rays) for packed, rays in zip(self._kept.families, (x, y, z), strict=True))
            self._families, self._kept = (x, y, z), None
        return self._families

    @families.setter
    def families(self, families: tuple[Rays, Rays, Rays]) -> None:
        self._families, self._kept = families, None

    def rest(self) -> None:
        """Packed until its rays are asked for."""
        self._kept = self.state()
        self._families = None

    def state(self) -> KeptRays:
        """All as it is now, packed."""
        if self._kept is not None:
            return self._kept
        x, y, z = (pack(one) for one in self.families)
        return KeptRays(self.bounds, self.cell, (x, y, z))

    def restore(self, state: KeptRays) -> None:
        """The families as they were."""
        self._families, self._kept = None, state

    @property
    def state_bytes(self) -> int:
        """Of a state, packed."""
        if self._kept is not None:
            return sum(array.nbytes for packed in self._kept.families for array in packed)
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
        edges = edges_of(area)

        def of_family(rays: Rays) -> Rays:
            while not keep_turned(rays, edges):
                rays = roomier(rays)
            return rays

        x, y, z = _threads().map(of_family, self.families)
        self.families = (x, y, z)

    def sweep(self, ways: ToolWays) -> Met:
        """What a tool meets on its ways through the metal, the mean of the families; each has a thread of its own."""

        def of_family(rays: Rays) -> tuple[Rays, Met]:
            shape = (len(ways.moves), len(ways.bodies))
            met = Met(np.zeros(shape), np.zeros(shape), np.zeros((*shape, 3)))
            way, body = sweep_rays(rays, ways, met, 0, 0)
            while way < shape[0]:
                rays = roomier(rays)
                way, body = sweep_rays(rays, ways, met, way, body)
            return rays, met

        (x, by_x), (y, by_y), (z, by_z) = _threads().map(of_family, self.families)
        self.families = (x, y, z)
        longest = np.stack([by_x.longest, by_y.longest, by_z.longest])
        most = longest.argmax(axis=0)[None]
        place = np.take_along_axis(np.stack([by_x.place, by_y.place, by_z.place]), most[..., None], axis=0)[0]
        return Met((by_x.volume + by_y.volume + by_z.volume) / 3, longest.max(axis=0), place)

    def cut(
        self, motion: Motion, tools: dict[int, Tool], low: int, high: int, first: int = 0, fixed: Dexels | None = None
    ) -> Happened:
        """Run moves in order; see :meth:`bastler.core.verify.stock.Stock.cut`. Arcs are chords by now, and moves with a turning part, too. ``fixed``: what must not be touched at all."""
        found = Happened.none(high - low)
        found.deepest[:] = found.cores[:] = np.nan
        for number, runs in itertools.groupby(_runs(motion, low, high), lambda run: int(motion.tool[run[0]])):
            tool = tools.get(number)
            if tool is None or tool.cutter is not None:
                continue
            cuts = [(a, b) for a, b in runs if motion.kind[a] not in (CHANGE, DWELL)]
            if not cuts:
                continue
            removed = self._by(tool, motion, cuts, first, fixed, found.touches)
            for (a, b), gone in zip(cuts, removed.tolist(), strict=True):
                lengths = np.linalg.norm(motion.end[a:b] - motion.start[a:b], axis=1)
                whole = lengths.sum()
                found.removed[a - low : b - low] = gone * (lengths / whole if whole > 0 else 1 / (b - a))
        return found

    def _by(
        self, tool: Tool, motion: Motion, cuts: Sequence[tuple[int, int]], first: int, fixed: Dexels | None, touches: list[Touch]
    ) -> NDArray[np.float64]:  # fmt: skip
        """A tool's ways through the metal, and past what must not be touched; returns what each removed, mm³."""
        edge = pieces_of(tool.profile, tool.flute_length)
        rest = [Convex(radius, bottom, top, radius, 0.0, 0.0) for radius, bottom, top in tool.non_cutting()]
        runs = [(_way(motion, a, b), motion.axis[a], first + a) for a, b in cuts]
        ways = ways_of(runs, (*edge, *rest), [n < len(edge) for n in range(len(edge) + len(rest))])
        at_fixed = fixed.sweep(ways._replace(cuts=np.zeros_like(ways.cuts))) if fixed is not None else None
        met = self.sweep(ways)
        noticed = (met.volume > NOTICED_MM3) & (met.longest > NOTICED_MM)
        rapid = motion.kind[[a for a, _ in cuts]] == RAPID
        noticed[:, : len(edge)] &= rapid[:, None]
        held = at_fixed.longest > NOTICED_MM if at_fixed is not None else np.zeros_like(noticed)
        for w in np.flatnonzero((noticed | held).any(axis=1)).tolist():
            move = int(ways.moves[w])
            if at_fixed is not None:
                touches += [_touch(move, FIXED, at_fixed, w, n) for n in np.flatnonzero(held[w]).tolist()]
            for n in np.flatnonzero(noticed[w]).tolist():
                part = n - len(edge)
                touches.append(_touch(move, EDGE if part < 0 else BODY, met, w, n, max(part, 0)))
        volume: NDArray[np.float64] = met.volume[:, : len(edge)].sum(axis=1)
        return volume


def _touch(move: int, what: str, met: Met, way: int, body: int, part: int = 0) -> Touch:
    """What piece ``body`` of a tool met on a way, as a touch where it met most."""
    x, y, z = (float(a) for a in met.place[way, body])
    return Touch(move, what, float(met.longest[way, body]), (x, y, z), part)


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
