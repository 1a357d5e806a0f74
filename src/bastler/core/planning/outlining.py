"""Running along a contour: the tool's path beside it, how it runs on and off, down to a depth.

*Lead*: ``arc`` a quarter circle onto the path, ``tangent`` straight in its direction, ``straight`` across it.
All leads lie on the side away from the contour.
"""

from __future__ import annotations

import math

import numpy as np
from msgspec import Struct

from bastler.core.geometry.bands import beside, is_closed
from bastler.core.geometry.nearest import begun_at, direction, middle_of, nearest
from bastler.core.geometry.offsets import curves, distances, inset
from bastler.core.geometry.path import SAME_MM, Arc, Line, Path, Point
from bastler.core.moves import Compensate, Feed, Move, Rapid, Turn, follow

GRAZES_MM = 1e-3
ABOVE_MM = 0.5
SIDES = {"left": 1.0, "right": -1.0, "on": 0.0}


class Run(Struct, frozen=True):
    """A path of the tool's centre and the straight or curved ways onto it and off it."""

    onto: Path
    path: Path
    off: Path

    @property
    def whole(self) -> Path:
        """All in one."""
        return Path(self.onto.start, (*self.onto.elements, *self.path.elements, *self.off.elements))


def centre_paths(contour: Path, side: float, away: float) -> list[Path]:
    """Where the tool's centre runs ``away`` mm beside a contour (side +1 left, -1 right), in its direction; none if it fits nowhere."""
    if not side or not away:
        return [contour]
    if not is_closed(contour):
        return list(beside(contour, side * away))
    if side > 0:
        return inset([contour], away)
    return [p.reversed() for p in inset([contour.reversed()], away)]


def run(path: Path, kind: str, length: float, left: bool, overlap: float) -> Run:
    """A path with its leads, on its left or right; a closed one runs on by ``overlap``."""
    whole = path.part(0.0, path.length + overlap) if is_closed(path) and overlap > SAME_MM else path
    first, last = whole.elements[0], whole.elements[-1]
    along_in = direction(whole.start, first, whole.start)
    before_last = whole.elements[-2].end if len(whole.elements) > 1 else whole.start
    along_out = direction(before_last, last, whole.end)
    onto = lead(whole.start, along_in, kind, length, left, incoming=True)
    off = lead(whole.end, along_out, kind, length, left, incoming=False)
    return Run(onto, whole, off)


def lead(at: Point, along: Point, kind: str, length: float, left: bool, *, incoming: bool) -> Path:
    """The way onto or off a path at a point where it runs ``along``."""
    if length < SAME_MM:
        return Path(at, ())
    way = 1.0 if left else -1.0
    nx, ny = -along[1] * way, along[0] * way
    back = -1.0 if incoming else 1.0
    if kind == "tangent":
        far = (at[0] + back * along[0] * length, at[1] + back * along[1] * length)
        return Path(far, (Line(at),)) if incoming else Path(at, (Line(far),))
    if kind == "straight":
        far = (at[0] + nx * length, at[1] + ny * length)
        return Path(far, (Line(at),)) if incoming else Path(at, (Line(far),))
    centre = (at[0] + nx * length, at[1] + ny * length)
    far = (centre[0] + back * along[0] * length, centre[1] + back * along[1] * length)
    return Path(far, (Arc(at, centre, left),)) if incoming else Path(at, (Arc(far, centre, left),))


def has_room(lead_path: Path, contour: Path, away: float) -> bool:
    """Whether a tool on a lead stays ``away`` from the contour."""
    points = lead_path.points(0.05)
    source, _ = curves([_there_and_back(contour)])
    return bool(distances(np.array(points, float), source).min() >= away - GRAZES_MM)


def _there_and_back(path: Path) -> Path:
    return path if is_closed(path) else Path(path.start, (*path.elements, *path.reversed().elements))


def best_start(contour: Path, side: float, away: float, kind: str, length: float, left: bool) -> float | None:
    """How far along a contour there is most room for leads, the longest elements first; ``None`` if nowhere."""
    paths = centre_paths(contour, side, away)
    at = 0.0
    places = []
    for start, e, size in contour.pieces():
        places.append((-size, at + size / 2, start, e, size))
        at += size
    for _, along, start, e, size in sorted(places, key=lambda p: p[0]):
        middle, _ = middle_of(start, e, size)
        for p in paths:
            q, far = nearest(p, middle)
            if abs(far - away) < GRAZES_MM and has_room(
                run(begun_at(p, q), kind, length, left, 0.0).onto, contour, away
            ):
                return along
    return None


def sloped(path: Path, z0: float, z1: float, feed: float) -> list[Move]:
    """Along a path while Z changes evenly."""
    whole, at = path.length, 0.0
    moves: list[Move] = []
    for _, e, length in path.pieces():
        at += length
        z = z0 + (z1 - z0) * at / whole
        moves.append(Turn(*e.end, e.centre, e.ccw, feed, z) if isinstance(e, Arc) else Feed(*e.end, z, feed))
    return moves


def in_levels(
    one: Run, heights: list[float], top: float, safe: float, feed: float, feed_down: float, *, both_ways: bool
) -> list[Move]:
    """Straight down at the beginning of each pass; ``both_ways``: back again one pass deeper."""
    moves: list[Move] = []
    whole, back, above = one.whole, one.whole.reversed(), top
    for n, level in enumerate(heights):
        path = back if both_ways and n % 2 else whole
        if not n or not both_ways:
            moves += [Rapid(*path.start), Rapid(z=above + ABOVE_MM)]
        moves += [Feed(None, None, level, feed_down), *follow(path, feed)]
        if not both_ways:
            moves.append(Rapid(z=safe))
        above = level
    return [*moves, Rapid(z=safe)]


def ramped(one: Run, top: float, bottom: float, slope: float, most: float, feed: float, feed_down: float) -> list[Move]:
    """To and fro along an open path, deeper all the time, and once flat at the end."""
    whole, z = one.whole, top + ABOVE_MM
    drop = min(slope * whole.length, most)
    moves: list[Move] = [Rapid(*whole.start), Rapid(z=z + ABOVE_MM), Feed(None, None, z, feed)]
    path = whole
    while z > bottom + SAME_MM:
        deeper = max(z - drop, bottom)
        moves += sloped(path, z, deeper, feed_down)
        path, z = path.reversed(), deeper
    return [*moves, *follow(path, feed)]


def by_control(wall: Path, one: Run, radius: float, left: bool, feed: float) -> list[Move]:
    """Along a contour that the control offsets: on at an arc about the lead's own centre, off likewise.

    ``one``: the run of the tool's centre with arcs as leads. The tool stands at the arc's centre before and after.
    """
    arc = one.onto.elements[0]
    assert isinstance(arc, Arc)
    along = direction(one.path.start, one.path.elements[0], one.path.start)
    way = 1.0 if left else -1.0
    at = (one.path.start[0] + along[1] * radius * way, one.path.start[1] - along[0] * radius * way)
    path = begun_at(wall, at)
    (cx, cy), reach = arc.centre, math.dist(arc.centre, one.path.start) + radius
    begin = (cx - along[0] * reach, cy - along[1] * reach)
    end = (cx + along[0] * reach, cy + along[1] * reach)
    return [
        Compensate("left" if left else "right"), Feed(*begin, None, feed), Turn(*at, (cx, cy), left, feed),
        *follow(path, feed), Turn(*end, (cx, cy), left, feed), Compensate(None), Feed(cx, cy, None, feed),
    ]  # fmt: skip
