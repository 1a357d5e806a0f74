"""Beside open and closed paths: what lies within a distance of one, and the path that runs at a distance."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

from bastler.core.geometry.offsets import (
    GIVEN_MM,
    JOIN_MM,
    NEAR_MM,
    Curves,
    as_path,
    closed_paths,
    curves,
    cut,
    distances,
    shifted,
)
from bastler.core.geometry.path import SAME_POINT_MM, Path


def is_closed(path: Path) -> bool:
    """Whether it ends where it starts."""
    return math.dist(path.start, path.end) < 1e3 * SAME_POINT_MM


def _both_ways(path: Path) -> list[Path]:
    """Closed paths that run along both sides of a path."""
    if is_closed(path):
        return [path, path.reversed()]
    return [Path(path.start, (*path.elements, *path.reversed().elements))]


@lru_cache(maxsize=256)
def band(path: Path, radius: float) -> tuple[Path, ...]:
    """The edge of all points within ``radius`` of a path, as closed paths with those points to their left."""
    ways = _both_ways(path)
    source, _ = curves(ways)
    pieces = cut(shifted(ways, radius, round_ends=True))
    return tuple(p.reversed() for p in closed_paths(_apart(pieces, source, radius)))


def _apart(pieces: Curves, source: Curves, distance: float) -> Curves:
    """The pieces that nothing is nearer to than the distance."""
    far = distances(pieces.at(np.full(len(pieces), 0.5)), source, distance * 1.001 + NEAR_MM)
    return pieces.take(far >= distance - GIVEN_MM)


@lru_cache(maxsize=256)
def beside(path: Path, left: float) -> tuple[Path, ...]:
    """The path at a distance to the left of an open one (negative: right), the longest part first; loops are cut off."""
    if left < 0:
        return tuple(p.reversed() for p in beside(path.reversed(), -left))
    if left == 0:
        return (path,)
    source, _ = curves(_both_ways(path))
    own = shifted([path], left, open_ends=True)
    others = shifted(_both_ways(path), left, round_ends=True)
    pieces = _apart(cut(own, others), source, left)
    return tuple(sorted(_chains(pieces), key=lambda p: -p.length))


def _chains(c: Curves) -> list[Path]:
    """Pieces joined end to start as open paths, in order along the path that they are beside."""
    chains: list[list[int]] = []
    left = set(range(len(c)))
    while left:
        first = _first(c, left)
        left.discard(first)
        chain = [first]
        while True:
            following = [n for n in left if math.dist(c.start[n], c.end[chain[-1]]) <= JOIN_MM]
            if not following:
                break
            chain.append(following[0])
            left.discard(following[0])
        chains.append(chain)
    return [as_path(c, chain, closed=False) for chain in chains]


def _first(c: Curves, left: set[int]) -> int:
    """A piece that no other leads to, or just one."""
    for n in sorted(left):
        if all(math.dist(c.end[m], c.start[n]) > JOIN_MM for m in left if m != n):
            return n
    return min(left)
