"""The area that contours bound: its bands from the top down, where the tool's centre may be in each."""

from __future__ import annotations

from functools import lru_cache

from msgspec import Struct

from bastler.core.fields import Values
from bastler.core.geometry.combine import without
from bastler.core.geometry.path import Path
from bastler.core.planning.contours import contours_of
from bastler.core.planning.nest import Loops, shrunk
from bastler.core.planning.work import Work

ROUNDING_MM = 0.02
SAME_LEVEL_MM = 1e-6


class Band(Struct, frozen=True):
    """From ``top`` down to ``floor`` the same walls: the edge of the area as closed paths, the metal to their left."""

    edge: Loops
    top: float
    floor: float


def bands(v: Values, w: Work) -> list[Band]:
    """The area from the metal's top down to its floor; no band where islands leave nothing."""
    floor, low = v.top - v.depth, contours_of(v, "low_islands")
    outline, islands = contours_of(v, "contour"), contours_of(v, "islands")
    if not outline:
        return []
    top = max(v.top, floor)
    low_top = v.get("low_top")
    if low and low_top is not None and floor + SAME_LEVEL_MM < low_top < top - SAME_LEVEL_MM:
        return [
            Band(edge_of(outline, islands), top, low_top),
            Band(edge_of(outline, [*islands, *low]), low_top, floor),
        ]
    standing = [*islands, *low] if low and low_top is not None and low_top >= top - SAME_LEVEL_MM else islands
    return [Band(edge_of(outline, standing), top, floor)]


def edge_of(outline: list[Path], islands: list[Path]) -> Loops:
    """The edge of an area: islands that overlap each other or the outline become one edge."""
    return _edge(tuple(outline), tuple(islands)) if islands else tuple(outline)


@lru_cache(maxsize=64)
def _edge(outline: Loops, islands: Loops) -> Loops:
    return tuple(without(list(outline), list(islands)))


def rough_loops(v: Values, band: Band) -> Loops:
    """Where the tool's centre may be while roughing."""
    return shrunk(band.edge, rough_offset(v))


def rough_offset(v: Values) -> float:
    """How far roughing stays from the edge with the tool's centre."""
    return float(max(v.tool.radius + v.get("leave_walls", 0.2), corner_radius(v)))


def corner_radius(v: Values) -> float:
    """Radius in inner corners; more than the tool's where the control offsets, which wants room for rounding."""
    return float(v.tool.radius + (ROUNDING_MM if by_control(v) else 0.0))


def by_control(v: Values) -> bool:
    return v.get("compensation") == "control" and whole(v) and bool(v.get("finish_walls", True))


def whole(v: Values) -> bool:
    """Whether the area itself is cut, not just what a larger tool left."""
    return bool(v.get("corners", "tool") != "rest")
