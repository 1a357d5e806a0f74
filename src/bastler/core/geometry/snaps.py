"""Points of a part that one measures from: corners, ends and middles of edges, middles of shapes and arcs."""

from __future__ import annotations

import math
from collections.abc import Iterable

from bastler.core.geometry.path import Arc, Path, Point
from bastler.core.geometry.shapes import Box, Removal

NEAR_MM = 1e-4


def snaps(boxes: Iterable[Box], removals: Iterable[Removal], paths: Iterable[Path] = ()) -> list[Point]:
    """All of them, each once; the zero is the first. ``paths``: contours, whose points count too."""
    points: list[Point] = [(0.0, 0.0)]
    for b in boxes:
        xs, ys = (b.x0, (b.x0 + b.x1) / 2, b.x1), (b.y0, (b.y0 + b.y1) / 2, b.y1)
        points += [(x, y) for x in xs for y in ys]
    for outline in (*paths, *(o for one in removals for o in one.outlines())):
        xs, ys = zip(*outline.points(0.1), strict=True)
        points += [((min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2), outline.start]
        for start, element, _ in outline.pieces():
            points.append(element.end)
            if isinstance(element, Arc):
                points.append(element.centre)
            else:
                points.append(((start[0] + element.end[0]) / 2, (start[1] + element.end[1]) / 2))
    unique = {(round(x / NEAR_MM), round(y / NEAR_MM)): (x, y) for x, y in reversed(points)}
    return list(reversed(unique.values()))


def nearest(points: list[Point], at: Point, within: float) -> Point | None:
    """The one closest to a place, if it is ``within`` mm."""
    best = min(points, key=lambda p: math.dist(p, at), default=None)
    return best if best is not None and math.dist(best, at) <= within else None


def towards(points: list[Point], at: Point, way: Point) -> Point:
    """The next point from ``at`` in a direction (a unit vector along X or Y); ``at`` itself if there is none."""

    def cost(p: Point) -> float:
        along = (p[0] - at[0]) * way[0] + (p[1] - at[1]) * way[1]
        across = abs((p[0] - at[0]) * way[1]) + abs((p[1] - at[1]) * way[0])
        return along + 2 * across if along > NEAR_MM and across <= along else math.inf

    best = min(points, key=cost, default=at)
    return best if cost(best) < math.inf else at
