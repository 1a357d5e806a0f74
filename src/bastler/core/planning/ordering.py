"""Short ways through many points: the order in which holes are made.

Nearest neighbour, then improved until nothing helps by turning stretches round (2-opt) and by moving
short stretches elsewhere (or-opt), each tried only among a point's near neighbours. The way is open: it
starts at the first point given.
"""

from __future__ import annotations

import math
from functools import lru_cache

from bastler.core.geometry.path import Point

NEIGHBOURS = 10
LONGEST_STRETCH = 3
GAIN_MM = 1e-7
KICKS = 10
"""How often a good way is shaken and improved again; the seed is fixed, so a pattern always gets the same order."""
LEAST_TO_KICK, MOST_TO_KICK = 7, 80


def length(points: list[Point]) -> float:
    """Whole way through points in order, mm."""
    return sum(math.dist(a, b) for a, b in zip(points, points[1:], strict=False))


@lru_cache(maxsize=64)
def shortest(points: tuple[Point, ...]) -> tuple[Point, ...]:
    """The points in a short order from the first one; cost grows about with the square of their number."""
    if len(points) < 4:
        return points
    import random

    distance, near = _tables(points)
    best = _nearest(distance, len(points))
    _search(best, distance, near)
    rng = random.Random(len(points))
    for _ in range(KICKS if LEAST_TO_KICK < len(points) <= MOST_TO_KICK else 0):
        i, j, k = sorted(rng.sample(range(1, len(best)), 3))
        tried = best[:i] + best[j:k] + best[i:j] + best[k:]
        _search(tried, distance, near)
        if _way(tried, distance) < _way(best, distance) - GAIN_MM:
            best = tried
    return tuple(points[i] for i in best)


def improve(points: list[Point]) -> list[Point]:
    """A shorter order by local search from the one given, the first point kept."""
    distance, near = _tables(tuple(points))
    tour = list(range(len(points)))
    _search(tour, distance, near)
    return [points[i] for i in tour]


def _tables(points: tuple[Point, ...]) -> tuple[list[list[float]], list[list[int]]]:
    """Distances, and each point's near neighbours."""
    distance = [[math.dist(a, b) for b in points] for a in points]
    n = len(points)
    near = [sorted((j for j in range(n) if j != i), key=row.__getitem__)[:NEIGHBOURS] for i, row in enumerate(distance)]
    return distance, near


def _way(tour: list[int], distance: list[list[float]]) -> float:
    return sum(distance[a][b] for a, b in zip(tour, tour[1:], strict=False))


def _search(tour: list[int], distance: list[list[float]], near: list[list[int]]) -> None:
    """Improve a tour in place until nothing helps any more."""
    while _improve(tour, distance, near):
        pass


def _nearest(distance: list[list[float]], n: int) -> list[int]:
    tour, left = [0], set(range(1, n))
    while left:
        row = distance[tour[-1]]
        best = min(left, key=row.__getitem__)
        tour.append(best)
        left.remove(best)
    return tour


def _improve(tour: list[int], distance: list[list[float]], near: list[list[int]]) -> bool:
    """One sweep over all points; whether anything became shorter."""
    better = False
    place = _places(tour)
    for a in list(tour):
        if _turn(tour, place, a, distance, near) or _move(tour, place, a, distance, near):
            better = True
    return better


def _places(tour: list[int]) -> list[int]:
    place = [0] * len(tour)
    for i, point in enumerate(tour):
        place[point] = i
    return place


def _turn(tour: list[int], place: list[int], a: int, d: list[list[float]], near: list[list[int]]) -> bool:
    """Turn a stretch round so that ``a`` gets a nearer follower; the last point has none to lose."""
    n, i = len(tour), place[a]
    for c in near[a]:
        j = place[c]
        low, high = (i, j) if i < j else (j, i)
        before, after = tour[low], tour[high]
        old = d[tour[low]][tour[low + 1]] + (d[after][tour[high + 1]] if high + 1 < n else 0.0)
        new = d[before][after] + (d[tour[low + 1]][tour[high + 1]] if high + 1 < n else 0.0)
        if new < old - GAIN_MM:
            tour[low + 1 : high + 1] = tour[low + 1 : high + 1][::-1]
            place[:] = _places(tour)
            return True
    return False


def _move(tour: list[int], place: list[int], a: int, d: list[list[float]], near: list[list[int]]) -> bool:
    """Take a short stretch that begins at ``a`` out and put it, either way round, beside a near point."""
    n, i = len(tour), place[a]
    if i == 0:
        return False
    for size in range(1, LONGEST_STRETCH + 1):
        j = i + size
        if j > n:
            break
        stretch, rest = tour[i:j], tour[:i] + tour[j:]
        freed = d[tour[i - 1]][a] + (d[stretch[-1]][tour[j]] - d[tour[i - 1]][tour[j]] if j < n else 0.0)
        inside = set(stretch)
        for c in near[a]:
            if c in inside:
                continue
            k = place[c] if place[c] < i else place[c] - size
            for at, piece in ((k + 1, stretch), (k, stretch[::-1])):
                if at == 0:
                    continue
                follower = rest[at] if at < len(rest) else None
                added = d[rest[at - 1]][piece[0]]
                if follower is not None:
                    added += d[piece[-1]][follower] - d[rest[at - 1]][follower]
                if added < freed - GAIN_MM:
                    tour[:] = rest[:at] + piece + rest[at:]
                    place[:] = _places(tour)
                    return True
    return False
