"""Tool, shank and holder against what holds the block: exact for straight moves, arcs as chords."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from bastler.core.gcode.motion import ALONG_AXES, ARC, FEED, RAPID, Motion
from bastler.core.geometry.shapes import Box
from bastler.core.job.holding import Obstacle
from bastler.core.tooling.tools import Tool
from bastler.core.verify.grid import Floats
from bastler.core.verify.stock import TOUCH_MM


@dataclass(frozen=True)
class Contact:
    """A move that touches an obstacle: which part of the tool, how many mm above the obstacle it should be."""

    move: int
    obstacle: Obstacle
    part: str
    lift: float


def _gap(a: Floats, b: Floats, obstacle: Obstacle) -> Floats:
    """Distance in XY from segments ``a``-``b`` (n, 2) to a box's rectangle or a cylinder's circle; the distance
    along a segment is convex, so a ternary search finds it."""
    box = obstacle.box

    def distance(t: Floats) -> Floats:
        p = a + (b - a) * t[:, None]
        if obstacle.round:
            cx, cy, r = (box.x0 + box.x1) / 2, (box.y0 + box.y1) / 2, (box.x1 - box.x0) / 2
            return np.maximum(np.hypot(p[:, 0] - cx, p[:, 1] - cy) - r, 0.0)
        dx = np.maximum(np.maximum(box.x0 - p[:, 0], p[:, 0] - box.x1), 0.0)
        dy = np.maximum(np.maximum(box.y0 - p[:, 1], p[:, 1] - box.y1), 0.0)
        return np.hypot(dx, dy)

    low, high = np.zeros(len(a)), np.ones(len(a))
    for _ in range(45):
        t1, t2 = low + (high - low) / 3, high - (high - low) / 3
        nearer = distance(t1) <= distance(t2)
        high, low = np.where(nearer, t2, high), np.where(nearer, low, t1)
    return distance((low + high) / 2)


def contacts(motion: Motion, tools: dict[int, Tool], obstacles: tuple[Obstacle, ...]) -> list[Contact]:
    """The first touch of each run of moves, per obstacle."""
    found: list[Contact] = []
    for number, tool in tools.items():
        moves = np.flatnonzero((motion.tool == number) & np.isin(motion.kind, ALONG_AXES))
        if not len(moves):
            continue
        parts = [("tool", tool.radius, 0.0, tool.flute_length)]
        parts += [
            ("shank" if i == 0 else "holder", r, low, high) for i, (r, low, high) in enumerate(tool.non_cutting())
        ]
        for obstacle in obstacles:
            low_enough = np.minimum(motion.start[moves, 2], motion.end[moves, 2]) < obstacle.box.z1 - TOUCH_MM
            near = moves[low_enough]
            if len(near):
                found += _against(motion, near, parts, obstacle)
    return sorted(found, key=lambda c: c.move)


def _against(
    motion: Motion, moves: np.ndarray, parts: list[tuple[str, float, float, float]], obstacle: Obstacle
) -> list[Contact]:
    """Touches of one tool with one box."""
    starts, ends, owner = _segments(motion, moves, obstacle.box, max(r for _, r, _, _ in parts))
    found: dict[int, Contact] = {}
    for part, radius, low, high in parts:
        z0, z1 = starts[:, 2], ends[:, 2]
        rise = z1 - z0
        top, bottom = obstacle.box.z1 - low - TOUCH_MM, obstacle.box.z0 - high + TOUCH_MM
        with np.errstate(divide="ignore", invalid="ignore"):
            ta, tb = (top - z0) / rise, (bottom - z0) / rise
        flat = np.abs(rise) < 1e-12
        inside = (z0 < top) & (z0 > bottom)
        t0 = np.where(flat, np.where(inside, 0.0, 2.0), np.clip(np.minimum(ta, tb), 0.0, 1.0))
        t1 = np.where(flat, 1.0, np.clip(np.maximum(ta, tb), 0.0, 1.0))
        live = (t0 < t1) | (flat & inside)
        if not live.any():
            continue
        a, d = starts[live, :2], (ends - starts)[live, :2]
        gap = _gap(a + d * t0[live, None], a + d * t1[live, None], obstacle)
        for i in np.flatnonzero(live)[gap < radius - TOUCH_MM]:
            move = int(owner[i])
            lift = obstacle.box.z1 - (min(starts[i, 2], ends[i, 2]) + low)
            if move not in found or lift > found[move].lift:
                found[move] = Contact(move, obstacle, part, float(lift))
    return list(found.values())


def _segments(motion: Motion, moves: np.ndarray, box: Box, radius: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Straight pieces (start, end, move) of moves; arcs that can't reach the box are left whole."""
    starts, ends, owner = [], [], []
    for m in moves[motion.kind[moves] == ARC]:
        ring = float(np.hypot(*(motion.start[m] - motion.centre[m])[:2])) + radius
        cx, cy = motion.centre[m][:2]
        if cx + ring < box.x0 or cx - ring > box.x1 or cy + ring < box.y0 or cy - ring > box.y1:
            continue
        points = motion.chords(int(m), 0.01)
        starts.append(points[:-1])
        ends.append(points[1:])
        owner.append(np.full(len(points) - 1, m))
    straight = moves[(motion.kind[moves] == RAPID) | (motion.kind[moves] == FEED)]
    return (
        np.concatenate([motion.start[straight], *starts]),
        np.concatenate([motion.end[straight], *ends]),
        np.concatenate([straight, *owner]),
    )
