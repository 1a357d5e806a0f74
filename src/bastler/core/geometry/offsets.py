"""Offsets of closed paths: lines and arcs give lines and arcs.

*Region*: what lies to the left of all its loops: an outline counter-clockwise, islands clockwise. *Inset*: the region
of all points at least a distance inside. Each element is shifted to its left, each corner that sticks into the region
becomes an arc; where these meet they are cut, and of the pieces those stay that no element is nearer to than the
distance. What is left forms the loops of the inset.

*Pieces* are arrays with one row for each element; see :class:`Curves`.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from bastler.core.geometry.path import Arc, Element, Line, Path, Point, arc_sweep

Floats = NDArray[np.float64]
NEAR_MM = 1e-6
"""Curves that miss each other by less meet."""
SHORTEST_MM = 1e-5
"""Shorter pieces are left out."""
LEAST_LOOP_MM = 1e-3
JOIN_MM = 4 * SHORTEST_MM
"""Ends this near are one point when loops are closed."""
GIVEN_MM = 1e-6
"""A piece may be nearer to the outline by this much, from rounding."""
SMOOTH = 1e-6
STRAIGHT = 1e-9
"""Lines that turn by less are one line, radians."""


@dataclass(frozen=True)
class Curves:
    """Elements as rows: ``start``, ``end``, ``centre`` (n, 2), ``sweep`` (n,) signed radians, 0 for a line."""

    start: Floats
    end: Floats
    centre: Floats
    sweep: Floats

    def __len__(self) -> int:
        return len(self.sweep)

    @property
    def arcs(self) -> NDArray[np.bool_]:
        """Which are arcs."""
        return np.asarray(self.sweep != 0)

    @property
    def radius(self) -> Floats:
        """Of the arcs; 0 for lines."""
        return np.where(self.arcs, np.hypot(*(self.start - self.centre).T), 0.0)

    def take(self, keep: NDArray[np.bool_] | NDArray[np.int64]) -> Curves:
        """Some of them."""
        return Curves(self.start[keep], self.end[keep], self.centre[keep], self.sweep[keep])

    def at(self, share: Floats) -> Floats:
        """The point at a share 0..1 of each."""
        straight = self.start + share[:, None] * (self.end - self.start)
        return np.where(self.arcs[:, None], self._turned(share * self.sweep), straight)

    def _turned(self, angle: Floats) -> Floats:
        c, s = np.cos(angle), np.sin(angle)
        d = self.start - self.centre
        return self.centre + np.stack([c * d[:, 0] - s * d[:, 1], s * d[:, 0] + c * d[:, 1]], axis=1)

    def lengths(self) -> Floats:
        """Along each."""
        return np.where(self.arcs, np.abs(self.sweep) * self.radius, np.hypot(*(self.end - self.start).T))

    def directions(self) -> tuple[Floats, Floats]:
        """Unit directions at both ends (n, 2)."""
        along = self.end - self.start
        along = along / np.maximum(np.hypot(*along.T), 1e-300)[:, None]
        way = np.sign(self.sweep)[:, None]
        result = []
        for p in (self.start, self.end):
            d = (p - self.centre) / np.maximum(self.radius, 1e-300)[:, None]
            turned = way * np.stack([-d[:, 1], d[:, 0]], axis=1)
            result.append(np.where(self.arcs[:, None], turned, along))
        return result[0], result[1]

    def bounds(self) -> Floats:
        """Boxes (n, 4): x0, y0, x1, y1; of an arc, its whole circle or the box of its chord and bulge."""
        low, high = np.minimum(self.start, self.end), np.maximum(self.start, self.end)
        bulge = self.radius * np.where(np.abs(self.sweep) < math.pi, 1 - np.cos(self.sweep / 2), 2.0)
        return np.concatenate([low - bulge[:, None], high + bulge[:, None]], axis=1)


def curves(paths: list[Path]) -> tuple[Curves, NDArray[np.int64]]:
    """Closed paths as curves, and for each element the index of the one before it. Arcs turn at most half a turn."""
    rows = [_rows(p) for p in paths]
    before, count = [], 0
    for c in rows:
        n = len(c)
        before.append(np.roll(np.arange(count, count + n), 1))
        count += n
    if not rows:
        return Curves(np.zeros((0, 2)), np.zeros((0, 2)), np.zeros((0, 2)), np.zeros(0)), np.zeros(0, np.int64)
    return joined(rows), np.concatenate(before)


@lru_cache(maxsize=2048)
def _rows(path: Path) -> Curves:
    """One closed path as curves."""
    starts, ends, centres, sweeps = list[Point](), list[Point](), list[Point](), list[float]()
    here = path.start
    for e in path.elements:
        for end, centre, sweep in _halves(here, e):
            if sweep == 0 and math.dist(here, end) < SHORTEST_MM:
                continue
            starts.append(here)
            ends.append(end)
            centres.append(centre)
            sweeps.append(sweep)
            here = end
    shape = (-1, 2)
    return Curves(np.array(starts, float).reshape(shape), np.array(ends, float).reshape(shape),
                  np.array(centres, float).reshape(shape), np.array(sweeps, float))  # fmt: skip


def _halves(start: tuple[float, float], e: Element) -> list[tuple[tuple[float, float], tuple[float, float], float]]:
    """An element, an arc of more than half a turn as two or three."""
    if isinstance(e, Line):
        return [(e.end, (0.0, 0.0), 0.0)]
    sweep = arc_sweep(start, e)
    parts = math.ceil(abs(sweep) / (math.pi * 0.999))
    if parts == 1:
        return [(e.end, e.centre, sweep)]
    found = []
    dx, dy = start[0] - e.centre[0], start[1] - e.centre[1]
    for k in range(1, parts + 1):
        a = sweep * k / parts
        point = (e.centre[0] + math.cos(a) * dx - math.sin(a) * dy, e.centre[1] + math.sin(a) * dx + math.cos(a) * dy)
        found.append((e.end if k == parts else point, e.centre, sweep / parts))
    return found


def inset(paths: list[Path], distance: float) -> list[Path]:
    """The loops of the region at least ``distance`` inside the region to the left of ``paths``; none if there is none.

    A negative distance gives the region that much larger. A passage exactly twice the distance wide stays, as a line
    there and back.
    """
    if abs(distance) < SHORTEST_MM or not paths:
        return list(paths)
    if distance < 0:
        return [p.reversed() for p in inset([p.reversed() for p in paths], -distance)]
    return list(_inset(tuple(paths), distance))


@lru_cache(maxsize=512)
def _inset(paths: tuple[Path, ...], distance: float) -> tuple[Path, ...]:
    """:func:`inset` by more than nothing, remembered: form, drawing and plan ask for the same."""
    source, before = curves(list(paths))
    if not len(source):
        return ()
    pieces = cut(_shifted(source, before, distance))
    if not len(pieces):
        return ()
    middle = pieces.at(np.full(len(pieces), 0.5))
    far = distances(middle, source, distance * 1.001 + NEAR_MM)
    return tuple(closed_paths(pieces.take(far >= distance - GIVEN_MM)))


def shifted(paths: list[Path], distance: float, *, round_ends: bool = False, open_ends: bool = False) -> Curves:
    """Every element at a distance to its left, and the arcs round its corners: the border of what lies nearer is among them.

    ``round_ends``: where a path turns back it goes round its end; ``open_ends``: the paths are open.
    """
    source, before = curves(paths)
    if open_ends:
        before = np.where(before < np.arange(len(before)), before, -1)
    return _shifted(source, before, distance, round_ends)


def _shifted(source: Curves, before: NDArray[np.int64], distance: float, round_ends: bool = False) -> Curves:
    """See :func:`shifted`; ``before``: for each element the one before it, -1 for none."""
    begin, finish = source.directions()
    left = np.stack([-begin[:, 1], begin[:, 0]], axis=1)
    left_end = np.stack([-finish[:, 1], finish[:, 0]], axis=1)
    start, end = source.start + distance * left, source.end + distance * left_end
    shrinks = source.sweep > 0
    stays = ~shrinks | (source.radius > distance + SHORTEST_MM)
    moved = Curves(start[stays], end[stays], source.centre[stays], source.sweep[stays])
    into, out = finish[before], begin
    turn = np.arctan2(into[:, 0] * out[:, 1] - into[:, 1] * out[:, 0], (into * out).sum(axis=1))
    if round_ends:
        turn = np.where(np.abs(turn) > math.pi - SMOOTH, -math.pi, turn)
    corner = (turn < -SMOOTH) & (before >= 0)
    vertex = source.start[corner]
    into_left, out_left = left_end[before][corner], left[corner]
    rounded = Curves(vertex + distance * into_left, vertex + distance * out_left, vertex, turn[corner])
    return joined([moved, rounded])


def _fields(c: Curves) -> tuple[Floats, Floats, Floats, Floats]:
    return c.start, c.end, c.centre, c.sweep


def cut(c: Curves, others: Curves | None = None) -> Curves:
    """All curves cut where they meet each other, or where they meet others."""
    i, j, share_i, share_j = meetings(c, c if others is None else others)
    if others is not None:
        return _pieces(c, i, share_i)
    return _pieces(c, np.concatenate([i, j]), np.concatenate([share_i, share_j]))


def cut_each_other(parts: list[Curves]) -> list[tuple[Curves, bool]]:
    """Several chains of curves, each cut where it meets the others; and whether it meets any."""
    every, first = joined(parts), np.cumsum([0, *(len(c) for c in parts)])
    result = []
    for k, own in enumerate(parts):
        at, other, share, _ = meetings(own, every)
        foreign = (other < first[k]) | (other >= first[k + 1])
        result.append((_pieces(own, at[foreign], share[foreign]), bool(foreign.any())))
    return result


def joined(parts: list[Curves]) -> Curves:
    """All curves of several lists in one."""
    return Curves(*(np.concatenate(rows) for rows in zip(*(_fields(c) for c in parts), strict=True)))


def _pieces(c: Curves, at: NDArray[np.int64], share: Floats) -> Curves:
    """Curves cut at shares of their length, in order; ``at``: which curve."""
    count = len(c)
    at = np.concatenate([np.repeat(np.arange(count), 2), at])
    share = np.concatenate([np.tile([0.0, 1.0], count), share])
    order = np.lexsort((share, at))
    at, share = at[order], share[order]
    lengths = np.maximum(c.lengths(), 1e-12)
    pair = (at[1:] == at[:-1]) & ((share[1:] - share[:-1]) * lengths[at[1:]] > SHORTEST_MM)
    k = np.flatnonzero(pair)
    return part(c.take(at[k]), share[k], share[k + 1])


def part(c: Curves, low: Floats, high: Floats) -> Curves:
    """The part of each curve between two shares."""
    start = np.where((low <= 0)[:, None], c.start, c.at(low))
    end = np.where((high >= 1)[:, None], c.end, c.at(high))
    return Curves(start, end, c.centre, c.sweep * (high - low))


def meetings(a: Curves, b: Curves) -> tuple[NDArray[np.int64], NDArray[np.int64], Floats, Floats]:
    """Where curves of ``a`` meet curves of ``b``: indices and shares along both. ``a is b``: each pair once."""
    p, q = a.bounds(), b.bounds()
    near = (
        (p[:, None, 0] <= q[None, :, 2] + NEAR_MM) & (q[None, :, 0] <= p[:, None, 2] + NEAR_MM)
        & (p[:, None, 1] <= q[None, :, 3] + NEAR_MM) & (q[None, :, 1] <= p[:, None, 3] + NEAR_MM)
    )  # fmt: skip
    if a is b:
        near = np.triu(near, 1)
    i, j = np.nonzero(near)
    kind = a.arcs[i].astype(int) + 2 * b.arcs[j].astype(int)
    found: list[tuple[NDArray[np.int64], NDArray[np.int64], Floats]] = []
    for which, how in ((0, _lines), (1, _arc_line), (2, _line_arc), (3, _arcs)):
        k = kind == which
        if k.any():
            m, points = how(a.take(i[k]), b.take(j[k]))
            found.append((i[k][m], j[k][m], points))
    if not found:
        none = np.zeros(0, np.int64)
        return none, none, np.zeros(0), np.zeros(0)
    i, j = np.concatenate([f[0] for f in found]), np.concatenate([f[1] for f in found])
    points = np.concatenate([f[2] for f in found])
    u, v = share_of(a.take(i), points), share_of(b.take(j), points)
    slack_u, slack_v = NEAR_MM / np.maximum(a.lengths()[i], 1e-9), NEAR_MM / np.maximum(b.lengths()[j], 1e-9)
    good = (u >= -slack_u) & (u <= 1 + slack_u) & (v >= -slack_v) & (v <= 1 + slack_v)
    return i[good], j[good], np.clip(u[good], 0, 1), np.clip(v[good], 0, 1)


Found = tuple[NDArray[np.int64], Floats]
"""For each point found, the index of its pair; and the points."""


def _lines(a: Curves, b: Curves) -> Found:
    d, e, w = a.end - a.start, b.end - b.start, b.start - a.start
    cross = d[:, 0] * e[:, 1] - d[:, 1] * e[:, 0]
    ok = np.abs(cross) > 1e-12 * np.hypot(*d.T) * np.hypot(*e.T)
    t = (w[:, 0] * e[:, 1] - w[:, 1] * e[:, 0])[ok] / cross[ok]
    along = np.flatnonzero(ok)
    points = a.start[ok] + t[:, None] * d[ok]
    flat = np.flatnonzero(~ok)
    return _with_ends(a, b, flat, along, points)


def _with_ends(a: Curves, b: Curves, same: NDArray[np.int64], along: NDArray[np.int64], points: Floats) -> Found:
    """Curves on one line or circle are cut at each other's ends."""
    ends = [a.start[same], a.end[same], b.start[same], b.end[same]]
    return np.concatenate([along, np.tile(same, 4)]), np.concatenate([points, *ends])


def _line_arc(a: Curves, b: Curves) -> Found:
    d = a.end - a.start
    length = np.maximum(np.hypot(*d.T), 1e-12)
    d = d / length[:, None]
    w = b.centre - a.start
    along = (w * d).sum(axis=1)
    away = w[:, 0] * d[:, 1] - w[:, 1] * d[:, 0]
    radius = b.radius
    rest = radius**2 - away**2
    touch = NEAR_MM * 2 * radius
    ok = rest > -touch
    half = np.sqrt(np.maximum(rest, 0.0))
    k = np.flatnonzero(ok)
    points = [a.start[k] + (along + s * half)[k][:, None] * d[k] for s in (-1, 1)]
    return np.concatenate([k, k]), np.concatenate(points)


def _arc_line(a: Curves, b: Curves) -> Found:
    return _line_arc(b, a)


def _arcs(a: Curves, b: Curves) -> Found:
    w = b.centre - a.centre
    away = np.hypot(*w.T)
    ra, rb = a.radius, b.radius
    same = (away < NEAR_MM) & (np.abs(ra - rb) < NEAR_MM)
    safe = np.maximum(away, 1e-12)
    along = (away**2 + ra**2 - rb**2) / (2 * safe)
    rest = ra**2 - along**2
    ok = (rest > -NEAR_MM * 2 * ra) & (away > NEAR_MM)
    half = np.sqrt(np.maximum(rest, 0.0))
    u = w / safe[:, None]
    n = np.stack([-u[:, 1], u[:, 0]], axis=1)
    k = np.flatnonzero(ok)
    points = [a.centre[k] + along[k][:, None] * u[k] + s * half[k][:, None] * n[k] for s in (-1, 1)]
    return _with_ends(a, b, np.flatnonzero(same), np.concatenate([k, k]), np.concatenate(points))


def share_of(c: Curves, points: Floats) -> Floats:
    """How far along each curve a point on it lies, as a share; beyond the ends, below 0 or above 1."""
    d = c.end - c.start
    straight = ((points - c.start) * d).sum(axis=1) / np.maximum((d * d).sum(axis=1), 1e-300)
    p, q = c.start - c.centre, points - c.centre
    turned = np.arctan2(p[:, 0] * q[:, 1] - p[:, 1] * q[:, 0], (p * q).sum(axis=1)) * np.sign(c.sweep)
    sweep = np.abs(c.sweep)
    turned = np.where(turned < -(math.tau - sweep) / 2, turned + math.tau, turned)
    return np.asarray(np.where(c.arcs, turned / np.maximum(sweep, 1e-300), straight))


def distances(points: Floats, c: Curves, within: float = math.inf) -> Floats:
    """Distance (n,) of points to the nearest curve; beyond ``within`` only that it is more."""
    if not len(points) or not len(c):
        return np.full(len(points), math.inf)
    if math.isfinite(within):
        box = c.bounds()
        i, j = np.nonzero(
            (points[:, None, 0] >= box[None, :, 0] - within) & (points[:, None, 0] <= box[None, :, 2] + within)
            & (points[:, None, 1] >= box[None, :, 1] - within) & (points[:, None, 1] <= box[None, :, 3] + within)
        )  # fmt: skip
    else:
        i, j = (g.ravel() for g in np.meshgrid(np.arange(len(points)), np.arange(len(c)), indexing="ij"))
    nearest = np.full(len(points), math.inf)
    if len(i):
        np.minimum.at(nearest, i, _apart(points[i], c.take(j)))
    return nearest


def _apart(p: Floats, c: Curves) -> Floats:
    """Distance of each point to its own curve."""
    share = share_of(c, p)
    foot = c.start + np.clip(share, 0, 1)[:, None] * (c.end - c.start)
    straight = np.hypot(*(p - foot).T)
    ring = np.abs(np.hypot(*(p - c.centre).T) - c.radius)
    ends = np.minimum(np.hypot(*(p - c.start).T), np.hypot(*(p - c.end).T))
    return np.asarray(np.where(c.arcs, np.where((share >= 0) & (share <= 1), ring, ends), straight))


def closed_paths(c: Curves) -> list[Path]:
    """Loops of pieces joined end to start; pieces that close no loop are left out."""
    if not len(c):
        return []
    starts: dict[tuple[int, int], list[int]] = {}
    for n, (x, y) in enumerate(c.start):
        starts.setdefault((round(x / JOIN_MM), round(y / JOIN_MM)), []).append(n)
    begin, finish = c.directions()
    lengths = c.lengths()
    left = np.ones(len(c), bool)
    loops: list[Path] = []
    for first in range(len(c)):
        if not left[first]:
            continue
        chain, here = [first], first
        left[first] = False
        while True:
            options = [n for n in _around(starts, c.end[here]) if left[n] or n == first]
            options = [n for n in options if math.dist(c.start[n], c.end[here]) <= JOIN_MM]
            if not options:
                chain = []
                break
            here = max(options, key=lambda n: _leftness(finish[here], begin[n])) if len(options) > 1 else options[0]
            if here == first:
                break
            left[here] = False
            chain.append(here)
        if chain and lengths[chain].sum() > LEAST_LOOP_MM:
            loops.append(as_path(c, chain))
    return loops


def _around(starts: dict[tuple[int, int], list[int]], p: Floats) -> list[int]:
    x, y = round(p[0] / JOIN_MM), round(p[1] / JOIN_MM)
    return [n for dx in (0, -1, 1) for dy in (0, -1, 1) for n in starts.get((x + dx, y + dy), ())]


def _leftness(a: Floats, b: Floats) -> float:
    """How far to the left the way ``b`` leads after ``a``, radians."""
    return math.atan2(a[0] * b[1] - a[1] * b[0], a[0] * b[0] + a[1] * b[1])


def as_path(c: Curves, chain: list[int], closed: bool = True) -> Path:
    """Pieces in order as a path; neighbours on one line or circle become one element again."""
    c = c.take(np.array(chain))
    starts, ends, centres, sweeps = (rows.tolist() for rows in _fields(c))
    lengths, ways = c.lengths().tolist(), (c.end - c.start).tolist()
    start = (starts[0][0], starts[0][1])
    elements: list[Element] = []
    swept, before = 0.0, -1
    for k, sweep in enumerate(sweeps):
        end = start if closed and k == len(sweeps) - 1 else (ends[k][0], ends[k][1])
        last = elements[-1] if elements else None
        if sweep == 0 or lengths[k] < 10 * SHORTEST_MM:
            if isinstance(last, Line) and sweep == sweeps[before] == 0 and _straight_on(ways[before], ways[k]):
                elements[-1] = Line(end)
            else:
                elements.append(Line(end))
                before = k
            continue
        centre, ccw = (centres[k][0], centres[k][1]), sweep > 0
        same = isinstance(last, Arc) and last.centre == centre and last.ccw == ccw
        swept = abs(sweep) + (swept if same else 0.0)
        if same and swept < math.pi:
            elements[-1] = Arc(end, centre, ccw)
        else:
            swept = abs(sweep)
            elements.append(Arc(end, centre, ccw))
    return Path(start, tuple(elements))


def _straight_on(a: list[float], b: list[float]) -> bool:
    """Whether one way leads on in the direction of another."""
    along, across = a[0] * b[0] + a[1] * b[1], a[0] * b[1] - a[1] * b[0]
    return along > 0 and abs(across) < STRAIGHT * along
