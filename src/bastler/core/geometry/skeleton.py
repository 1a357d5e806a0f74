"""The skeleton of an area: the middles of the circles that fit into it and touch its edge in two places, as a tree.

Points along the edge give a Voronoi diagram (SciPy, qhull); its corners inside the area lie on the skeleton but for the points' distance, and
their true distance from the edge is found from its lines and arcs. Of all ways between them those through the widest places
are kept, from the widest place outwards; twigs stay if without them a circle would leave a corner of more than a given
height.
"""

from __future__ import annotations

import heapq
import math

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from bastler.core.geometry.offsets import Curves, curves, distances
from bastler.core.geometry.path import Path, Point, short_arcs
from bastler.core.geometry.region import inside

Floats = NDArray[np.float64]
MOST_POINTS = 3000
"""Along the edge: more are set farther apart."""
THIN_MM = 1e-3
"""Nearer to the edge there is no skeleton."""
SMALLEST_COS = 1e-3
SAME_SHARE = 1e-4


class Branch(Struct):
    """A way along the skeleton from where it leaves another: ``points`` (n, 2), ``radius`` (n,) of the circles there, and what goes on at its end."""

    points: Floats
    radius: Floats
    further: list[Branch]


def skeleton(
    loops: tuple[Path, ...], apart: float, corner: float, along: float, begin: Point | None = None
) -> Branch | None:
    """The tree of one connected area to the left of closed paths; ``None`` if it is no wider than a line.

    ``apart``: how far apart the points along the edge are that it is found from, mm, ``along``: those along itself; ``corner``: corners up to this height count as none. ``begin``: where the tree is rooted,
    near its widest place.
    """
    edge = curves(list(loops))[0]
    samples = _along(edge, apart)
    if len(samples) < 4:
        return None
    at, pairs, height = _diagram(samples, edge, loops)
    if not len(at):
        return None
    radius = distances(at, edge)
    if float(np.ptp(at, axis=0).max()) < apart:  # a circle
        middle = np.array([begin]) if begin is not None else at[:1]
        return Branch(middle, distances(middle, edge), [])
    root = _middle(at, radius)
    if begin is not None:
        root = int(np.argmin(np.hypot(*(at - begin).T)))
        at[root], radius[root] = begin, distances(np.array([begin]), edge)[0]
    parent = _widest_ways(radius, pairs, root)
    keep = _worth(parent, pairs, height, root, corner)
    return _tree(root, at, radius, parent, keep, edge, along)


def _along(edge: Curves, apart: float) -> Floats:
    """Points along the edge."""
    lengths = edge.lengths()
    apart = max(apart, float(lengths.sum()) / MOST_POINTS)
    counts = np.maximum(np.ceil(lengths / apart), 2).astype(int)
    which = np.repeat(np.arange(len(edge)), counts)
    share = (np.arange(len(which)) - np.repeat(np.cumsum(counts) - counts, counts)) / np.repeat(counts, counts)
    return edge.take(which).at(share)


def _diagram(samples: Floats, edge: Curves, loops: tuple[Path, ...]) -> tuple[Floats, NDArray[np.int64], Floats]:
    """Corners of the diagram inside the area, pairs of them that are joined, and for each pair how high a corner stays without it."""
    from scipy.spatial import QhullError, Voronoi

    try:
        found = Voronoi(samples)
    except QhullError:  # all on one line
        return np.zeros((0, 2)), np.zeros((0, 2), np.int64), np.zeros(0)
    at = found.vertices
    short = tuple(short_arcs(p) for p in loops)
    low, high = samples.min(axis=0), samples.max(axis=0)
    good = ((at > low) & (at < high)).all(axis=1)
    good[good] = np.asarray(inside(short, at[good, 0], at[good, 1]), bool)
    good[good] = distances(at[good], edge) > THIN_MM
    new = np.cumsum(good) - 1
    ends = np.asarray(found.ridge_vertices)
    real = (ends >= 0).all(axis=1) & good[ends].all(axis=1)
    pairs = new[ends[real]]
    kept = at[good]
    a, b = (samples[found.ridge_points[real, k]] for k in (0, 1))
    middle = kept[pairs].mean(axis=1) if len(pairs) else np.zeros((0, 2))
    radius = np.hypot(*(middle - a).T)
    half = np.minimum(np.hypot(*(a - b).T) / 2 / np.maximum(radius, 1e-9), 1.0)
    height = radius * (1 / np.maximum(np.sqrt(1 - half * half), SMALLEST_COS) - 1)
    return kept, pairs, height


def _middle(at: Floats, radius: Floats) -> int:
    """The widest place; of many that are as wide, as in a rectangle, the middle one."""
    widest = np.flatnonzero(radius > (1 - SAME_SHARE) * radius.max())
    return int(widest[np.argmin(np.hypot(*(at[widest] - at[widest].mean(axis=0)).T))])


def _widest_ways(radius: Floats, pairs: NDArray[np.int64], root: int) -> NDArray[np.int64]:
    """For each place the one before it on the widest way from the widest place; -1 for that one, -2 where none leads."""
    beside: list[list[int]] = [[] for _ in radius]
    for a, b in pairs.tolist():
        beside[a].append(b)
        beside[b].append(a)
    parent = np.full(len(radius), -2, np.int64)
    waiting = [(-float(radius[root]), root, -1)]
    while waiting:
        _, here, before = heapq.heappop(waiting)
        if parent[here] != -2:
            continue
        parent[here] = before
        for there in beside[here]:
            if parent[there] == -2:
                heapq.heappush(waiting, (-float(radius[there]), there, here))
    return parent


def _worth(
    parent: NDArray[np.int64], pairs: NDArray[np.int64], height: Floats, root: int, corner: float
) -> NDArray[np.bool_]:
    """Which places are kept: those with a way of more than ``corner`` behind them."""
    keep = np.zeros(len(parent), bool)
    keep[root] = True
    for (a, b), high in zip(pairs.tolist(), height.tolist(), strict=True):
        child = a if parent[a] == b else b if parent[b] == a else -1
        while high > corner and child >= 0 and not keep[child]:
            keep[child] = True
            child = int(parent[child])
    return keep


def _tree(
    root: int, at: Floats, radius: Floats, parent: NDArray[np.int64], keep: NDArray[np.bool_], edge: Curves, along: float
) -> Branch:  # fmt: skip
    """The kept places as branches, short ones first at each fork."""
    children: list[list[int]] = [[] for _ in parent]
    for child in np.flatnonzero(keep & (parent >= 0)).tolist():
        children[int(parent[child])].append(child)
    size = np.zeros(len(parent), np.int64)
    order, stack = list[int](), [root]
    while stack:
        here = stack.pop()
        order.append(here)
        stack += children[here]
    for here in reversed(order):
        size[here] = 1 + sum(int(size[c]) for c in children[here])

    def branch(first: list[int]) -> Branch:
        way = first
        while len(children[way[-1]]) == 1:
            way.append(children[way[-1]][0])
        fork = way[-1]
        points = _evenly(at[way], along)
        further = [branch([fork, c]) for c in sorted(children[fork], key=lambda c: int(size[c]))]
        return Branch(points, distances(points, edge), further)

    return branch([root])


def _evenly(points: Floats, apart: float) -> Floats:
    """The same way with places at most ``apart`` from each other."""
    if len(points) < 2:
        return points
    far = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    count = max(math.ceil(far[-1] / apart), 1)
    at = np.linspace(0.0, far[-1], count + 1)
    return np.stack([np.interp(at, far, points[:, k]) for k in (0, 1)], axis=1)
