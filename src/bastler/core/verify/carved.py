"""Dexels against what the steps of driven tools promise, each on its surface of the part.

Where a ray enters or leaves metal is a place of the cut surface, exact to rounding; so it is compared place by place.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from bastler.core.geometry.shapes import Removal, RoundHole
from bastler.core.geometry.surface import Surface
from bastler.core.verify.dexels import Dexels
from bastler.core.verify.rays import RAW, Rays

SAME_MM = 0.01
"""Nearer than this to its finished place a surface is right."""
Floats = NDArray[np.float64]


HAIR_MM = 2e-3
"""Thinner metal on a ray is rounding."""
RIDGE_SHARE = 0.75
"""Ways of a tool lie at most twice this share of its radius apart."""
ROUND_SHARES, FINE_SHARES = (-1.0, -0.5, 0.0, 0.5, 1.0), np.linspace(-1.0, 1.0, 41)
"""How far round a place may be taken between what the shape says and where a straight cylinder goes; the finer for the few that the coarser don't explain."""
PROFILE_STEPS = 200


class Carved(NamedTuple):
    """A finished shape on a surface, promised by step number ``step`` (from 0), for a tool of a radius, mm; ``widest``: of those that work on the surface; ``round_about``: it goes round in it."""

    step: int
    surface: Surface
    removal: Removal
    radius: float
    widest: float
    round_about: bool = True


class Spots(NamedTuple):
    """Places of a surface (n, 3), rising in Z and none farther from zero than ``reach``, with the moves that cut there (RAW: none of a driven tool)."""

    places: Floats
    who: NDArray[np.int32]
    reach: float


def spots(dexels: Dexels) -> Iterator[Spots]:
    """Every place where a ray enters or leaves metal, family by family: together they are much to hold."""
    return map(_ends, dexels.families)


def _ends(rays: Rays) -> Spots:
    there = (np.arange(rays.low.shape[2]) < rays.pieces[:, :, None]) & (rays.high - rays.low > HAIR_MM)
    i, j, _ = np.nonzero(there)
    n = len(i)
    first, second = [k for k in range(3) if k != rays.along]
    # By columns: each is asked for by itself.
    places = np.empty((2 * n, 3), order="F")
    places[:n, rays.along], places[n:, rays.along] = rays.low[there], rays.high[there]
    places[:n, first] = places[n:, first] = rays.first[0] + i * rays.cell
    places[:n, second] = places[n:, second] = rays.first[1] + j * rays.cell
    del i, j
    who = np.concatenate([rays.who_low[there], rays.who_high[there]])
    order = np.argsort(places[:, 2])
    reach = float(np.linalg.norm(places, axis=1).max(initial=0.0))
    for k in range(3):
        places[:, k] = places[order, k]
    return Spots(places, who[order], reach)


def near(one: Carved, cut: Spots, by: float) -> NDArray[np.intp]:
    """Which places may lie inside of a finished shape by so many mm: those in the box that holds it in the part."""
    x0, x1, y0, y1 = one.removal.bounds()
    z0 = one.removal.floor + by
    corners = np.array(
        [one.surface.place(x, y, z) for x in (x0 + by, x1 - by) for y in (y0 + by, y1 - by) for z in (z0, cut.reach)]
    )
    (a, b, least), (c, d, most) = corners.min(axis=0), corners.max(axis=0)
    i, j = (int(k) for k in np.searchsorted(cut.places[:, 2], (least, most)))
    if one.surface.on == "unrolled":
        return np.arange(i, j)
    x, y = cut.places[i:j, 0], cut.places[i:j, 1]
    k: NDArray[np.intp] = np.flatnonzero((x >= a) & (x <= c) & (y >= b) & (y <= d))
    return k + i


Seen = tuple[Floats, Floats, Floats]
"""Places in a surface."""


def seen_on(surface: Surface, places: Floats) -> Seen:
    """Places (n, 3) of the part in a surface."""
    x, y, z = surface.seen(places[:, 0], places[:, 1], places[:, 2])
    return np.asarray(x), np.asarray(y), np.asarray(z)


def within(one: Carved, seen: Seen, by: float) -> NDArray[np.bool_]:
    """Which places of its surface lie inside of a finished shape by at least so many mm; less than 0: not outside by more."""
    x, y, z = seen
    x0, x1, y0, y1 = one.removal.bounds()
    low = one.removal.floor + by
    wide = _wider(one, low - by) if one.surface.on == "unrolled" else 0.0
    near = (x >= x0 + by) & (x <= x1 - by) & (y >= y0 + by - wide) & (y <= y1 - by + wide) & (z >= low)
    k = np.flatnonzero(near)
    if one.surface.on == "unrolled":
        near[k] = _within_unrolled(one, x[k], y[k], z[k], by)
        return np.asarray(near)
    depth = np.asarray(one.removal.depth(x[k], y[k]))
    over = z[k] - low
    near[k] = (depth >= by) & (over >= np.asarray(one.removal.rise(np.maximum(depth, 0.0))))
    return np.asarray(near)


def _wider(one: Carved, z: float) -> float:
    """How much wider round the bar than on its unrolled surface a tool cuts at a height, mm: its sides stand side by side, and don't run to the axis."""
    around, at = one.surface.distance, max(one.surface.distance + z, one.radius)
    return float(around * np.arcsin(min(one.radius / at, 1.0)) - one.radius)


def _within_unrolled(one: Carved, x: Floats, y: Floats, z: Floats, by: float) -> NDArray[np.bool_]:
    """The same of places on an unrolled side, in its coordinates.

    A tool that points to the axis cuts a straight cylinder: at the radius r its edge lies R·asin(ρ/r) beside its middle, counted round at the radius R of what is unrolled,
    where the shape says ρ. And its end is flat: ρ' beside its middle the floor lies at √(f² + ρ'²) from the axis. What is asked may be anything between.
    """
    around, floor = one.surface.distance, one.surface.distance + one.removal.floor
    r = around + z
    if isinstance(one.removal, RoundHole) and not one.round_about:
        # One place of the tool: as on a flat that faces it.
        cy = one.removal.centre[1]
        turned = (y - cy) / around
        depth = np.asarray(one.removal.depth(x, cy + r * np.sin(turned)))
        over = r * np.cos(turned) - floor - by
        return np.asarray((depth >= by) & (over >= np.asarray(one.removal.rise(np.maximum(depth, 0.0)))))
    wide = _radius_at(one, r - floor)
    edge = around * np.arcsin(np.minimum(wide / np.maximum(r, wide), 1.0)) - wide

    def depth_at(shares: Sequence[float] | Floats, k: NDArray[np.intp]) -> list[Floats]:
        return [np.asarray(one.removal.depth(x[k], y[k] + share * edge[k])) for share in shares]

    if by < 0:
        inside = np.zeros(len(x), bool)
        for shares in (ROUND_SHARES, FINE_SHARES):
            k = np.flatnonzero(~inside)
            depth = np.max(depth_at(shares, k), axis=0)
            rise = np.asarray(one.removal.rise(np.maximum(depth, 0.0)))
            inside[k] = (depth >= by) & (r[k] - floor - by >= rise)
        return inside
    depth = np.min(depth_at(ROUND_SHARES, np.arange(len(x))), axis=0)
    # Between two ways of its middle it leaves a ridge no higher than beside a wall.
    beside = np.hypot(floor, np.clip(one.widest - depth, RIDGE_SHARE * one.widest, one.widest)) - floor
    return np.asarray((depth >= by) & (r - floor - by >= np.asarray(one.removal.rise(np.maximum(depth, 0.0))) + beside))


def _radius_at(one: Carved, height: Floats) -> Floats:
    """How wide the tool of a shape is at heights over its end, mm."""
    away = np.linspace(0.0, one.radius, PROFILE_STEPS)
    rise = np.asarray(one.removal.rise(away))
    return np.asarray(one.radius - np.interp(height, rise[::-1], away[::-1]))


def too_deep(cut: Spots, promised: list[Carved]) -> Spots:
    """Places that a driven tool cut outside of every promised shape."""
    mine = cut.who != RAW
    for one in promised:
        k = near(one, cut, -SAME_MM)
        k = k[mine[k]]
        mine[k] = ~within(one, seen_on(one.surface, cut.places[k]), -SAME_MM)
    return Spots(cut.places[mine], cut.who[mine], cut.reach)


def standing(cut: Spots, one: Carved) -> Floats:
    """Places inside of a promised shape: metal that ought to be gone."""
    places = cut.places[near(one, cut, SAME_MM)]
    found: Floats = places[within(one, seen_on(one.surface, places), SAME_MM)]
    return found
