"""Upright walls of the finished shape against the paths of the tools that pass them, exact whatever the size of the stock's cells.

*Edge points*: points along a removal's outlines. One just behind the wall, in what stays, must be nearer to no path than the tool's
radius, where that tool reaches lower than what stays there; one just before it, in what goes, must be within the radius of some path low enough.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from bastler.core.gcode.motion import ARC, FEED
from bastler.core.geometry.path import Line, Path
from bastler.core.geometry.shapes import Removal
from bastler.core.verify.grid import Floats, Grid
from bastler.core.verify.verdict import Verdict

STEP_MM = 0.8
BESIDE_MM = 0.02
"""How far off the wall points lie: what a gouge or a leftover must exceed to be told."""
HEIGHT_MM = 0.02
MARGIN_MM = 0.004
"""Rounding of a program's coordinates, and of arcs taken as chords."""
OFF_MM = 0.003
"""Where an outline is drawn further off its shape than this, in a crowded corner, it is not judged."""
LOOKED_FOR_MM = 0.4
MOST_MOVES = 60_000
MOST_POINTS = 40_000
"""Beyond these only the cells judge: the check must stay linear in moves."""
CHORD_MM = 0.004


@dataclass(frozen=True)
class Fault:
    """A place of a wall: by how many mm it is cut too far or too little, where, and the move (-1: none) that did it."""

    by: float
    x: float
    y: float
    move: int


@dataclass(frozen=True)
class Ways:
    """The paths of one tool: its radius, and per path the move and Z from which its whole radius cuts."""

    radius: float
    tree: shapely.STRtree
    lines: NDArray[np.object_]
    move: NDArray[np.int64]
    height: Floats


def ways_of(judge: Verdict) -> list[Ways]:
    """Paths of every tool's feeds; none if there are more than can be looked at."""
    m = judge.motion
    cutting = ((m.kind == FEED) | ((m.kind == ARC) & (m.plane == 0))) & (m.speed > 0)
    if cutting.sum() > MOST_MOVES:
        return []
    found = []
    for number, tool in judge.plan.tools.items():
        moves = np.flatnonzero(cutting & (m.tool == number))
        profile = tool.profile
        if not len(moves) or profile.radius <= 0:
            continue
        lines = np.asarray(shapely.linestrings(np.stack([m.start[moves, :2], m.end[moves, :2]], axis=1)))
        for k in np.flatnonzero(m.kind[moves] == ARC).tolist():
            lines[k] = shapely.LineString(m.chords(int(moves[k]), CHORD_MM)[:, :2])
        high, low = np.maximum(m.start[moves, 2], m.end[moves, 2]), np.minimum(m.start[moves, 2], m.end[moves, 2])
        upright = (m.kind[moves] == FEED) & (np.hypot(*(m.end - m.start)[moves, :2].T) < MARGIN_MM)
        height = np.where(upright, low, high) + profile.tip_length
        found.append(Ways(profile.radius, shapely.STRtree(lines), lines, moves, height))
    return found


def edge_points(one: Removal) -> tuple[Floats, Floats]:
    """Points along a removal's outlines (n, 2), and the unit direction into what goes."""
    points: list[Floats] = []
    normals: list[Floats] = []
    total = sum(path.length for path in one.outlines())
    step = max(STEP_MM, total / MOST_POINTS)
    for path in one.outlines():
        p, n = _along(path, step)
        points.append(p)
        normals.append(n)
    if not points:
        return np.zeros((0, 2)), np.zeros((0, 2))
    p, n = np.concatenate(points), np.concatenate(normals)
    exact = np.abs(np.asarray(one.depth(p[:, 0], p[:, 1]))) < OFF_MM
    p, n = p[exact], n[exact]
    into, out = (one.depth(*(p + s * BESIDE_MM * n).T) for s in (1.0, -1.0))
    return p, np.where((np.asarray(into) > np.asarray(out))[:, None], n, -n)


def _along(path: Path, step: float) -> tuple[Floats, Floats]:
    points, normals = [], []
    for a, e, length in path.pieces():
        if length < 4 * BESIDE_MM:
            continue
        count = max(math.ceil(length / step), 2)
        share = np.r_[BESIDE_MM / length, (np.arange(count) + 0.5) / count, 1 - BESIDE_MM / length]
        if isinstance(e, Line):
            d = np.array([e.end[0] - a[0], e.end[1] - a[1]]) / length
            points.append(np.array(a) + share[:, None] * length * d)
            normals.append(np.broadcast_to([-d[1], d[0]], (len(share), 2)))
            continue
        radius = math.dist(a, e.centre)
        sweep = (1.0 if e.ccw else -1.0) * length / radius
        turn = math.atan2(a[1] - e.centre[1], a[0] - e.centre[0]) + sweep * share
        out = np.stack([np.cos(turn), np.sin(turn)], axis=1)
        points.append(np.array(e.centre) + radius * out)
        normals.append(out)
    return (np.concatenate(points), np.concatenate(normals)) if points else (np.zeros((0, 2)), np.zeros((0, 2)))


def _blank_at(grid: Grid, blank: NDArray[np.float32], p: Floats, nothing: float) -> Floats:
    """Z of the raw stock under points."""
    ix = np.floor((p[:, 0] - grid.x0) / grid.cell).astype(int)
    iy = np.floor((p[:, 1] - grid.y0) / grid.cell).astype(int)
    held = (ix >= 0) & (iy >= 0) & (ix < grid.nx) & (iy < grid.ny)
    z = np.full(len(p), nothing)
    z[held] = blank[iy[held], ix[held]]
    return z


def gouges(
    ways: list[Ways], one: Removal, everything: tuple[Removal, ...], grid: Grid, blank: NDArray[np.float32], z0: float
) -> list[Fault]:
    """Where tools cut into what stays behind the walls of ``one``: the worst place of each move."""
    p, n = edge_points(one)
    behind = p - BESIDE_MM * n
    stays = _blank_at(grid, blank, behind, z0)
    for other in everything:
        x0, x1, y0, y1 = other.bounds()
        x, y = behind.T
        inside = (x > x0 - BESIDE_MM) & (x < x1 + BESIDE_MM) & (y > y0 - BESIDE_MM) & (y < y1 + BESIDE_MM)
        over = (stays > other.floor) & inside
        if over.any():
            # What is as good as on the wall of another removal is judged by that one's own points.
            depth = np.asarray(other.depth(x[over], y[over]))
            there = np.where(depth > MARGIN_MM - BESIDE_MM, other.floor + other.rise(np.maximum(depth, 0.0)), np.inf)
            stays[over] = np.minimum(stays[over], there)
    keep = stays > z0 + HEIGHT_MM
    behind, stays = behind[keep], stays[keep]
    worst: dict[int, Fault] = {}
    spots = np.asarray(shapely.points(behind))
    for way in ways:
        at, line = way.tree.query(spots, "dwithin", way.radius - MARGIN_MM)
        low = way.height[line] < stays[at] - HEIGHT_MM
        at, line = at[low], line[low]
        deep = np.asarray(way.radius - shapely.distance(spots[at], way.lines[line]) + BESIDE_MM)
        for k in np.argsort(-deep).tolist():
            move = int(way.move[line[k]])
            if move not in worst:
                worst[move] = Fault(float(deep[k]), float(behind[at[k], 0]), float(behind[at[k], 1]), move)
    return list(worst.values())


def leftover(ways: list[Ways], one: Removal, grid: Grid, blank: NDArray[np.float32], z0: float) -> Fault | None:
    """The worst place where no tool came up to the walls of ``one``, right down to where they begin."""
    p, n = edge_points(one)
    before = p + BESIDE_MM * n
    foot = one.floor + float(one.rise(0.0))
    keep = _blank_at(grid, blank, before, z0) > max(foot, z0) + HEIGHT_MM
    before = before[keep]
    if not len(before):
        return None
    spots = np.asarray(shapely.points(before))
    missing = np.full(len(spots), np.inf)
    for way in ways:
        low = way.height <= max(foot, z0) + HEIGHT_MM
        if not low.any():
            continue
        at, line = way.tree.query(spots, "dwithin", way.radius + LOOKED_FOR_MM)
        ok = low[line]
        at, line = at[ok], line[ok]
        np.minimum.at(missing, at, shapely.distance(spots[at], way.lines[line]) - way.radius)
    missing[~np.isfinite(missing)] = 0.0  # far from every path: the cells see that
    i = int(np.argmax(missing))
    return (
        Fault(float(missing[i]) + BESIDE_MM, float(before[i, 0]), float(before[i, 1]), -1)
        if missing[i] > MARGIN_MM
        else None
    )
