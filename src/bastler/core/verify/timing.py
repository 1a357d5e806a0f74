"""How long each move takes, with acceleration and speed at the joints.

Speeds along the path are limited by feed or rapid rate per axis, by the centripetal acceleration on
arcs, and at a joint by how sharply it turns; acceleration is the smallest any moving axis allows. Where the spindle is an axis, they are those of X, Y, Z and C, as the part swings.
A forward and a backward pass make every joint reachable; each move is then a trapezoid.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from bastler.core.gcode.motion import ARC, AXES_OF_PLANE, CHANGE, DWELL, RAPID, Motion
from bastler.core.tooling.machines import Machine

Floats = NDArray[np.float64]
LEAST_WAY = 1e-9
JOINT_DEVIATION_MM = 0.01
"""How far a control rounds a corner: v² = a δ sin(θ/2) / (1 − sin(θ/2)), θ the angle enclosed."""


def _tangents(motion: Motion) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Unit headings at the start and the end of each move, shape (n, 3)."""
    delta = motion.end - motion.start
    length = np.linalg.norm(delta, axis=1, keepdims=True)
    straight = np.divide(delta, length, out=np.zeros_like(delta), where=length > 1e-12)
    first, last = straight.copy(), straight
    arcs = np.flatnonzero(motion.kind == ARC)
    for plane, (a, b, c) in enumerate(AXES_OF_PLANE):
        at = arcs[motion.plane[arcs] == plane]
        if not len(at):
            continue
        turn = motion.sweep[at]
        rise = motion.end[at, c] - motion.start[at, c]
        for unit, points in ((first, motion.start), (last, motion.end)):
            ra, rb = points[at, a] - motion.centre[at, a], points[at, b] - motion.centre[at, b]
            unit[at, a], unit[at, b], unit[at, c] = -rb * turn, ra * turn, rise
            unit[at] /= np.maximum(np.linalg.norm(unit[at], axis=1, keepdims=True), 1e-12)
    return first, last


def _axis_limit(limits: tuple[float, float, float], heading: NDArray[np.float64]) -> NDArray[np.float64]:
    """Largest value along ``heading`` so that no axis exceeds its limit."""
    share = np.abs(heading)
    with np.errstate(divide="ignore"):
        return np.asarray(np.min(np.where(share > 1e-9, np.array(limits) / share, np.inf), axis=1))


def move_times(motion: Motion, machine: Machine) -> NDArray[np.float64]:
    """Seconds per move."""
    if not len(motion):
        return np.zeros(0)
    length = motion.lengths()
    first, last = _tangents(motion)
    rapid = np.minimum(_axis_limit(machine.rapid, first), 1e9) / 60
    speed = np.where(motion.kind == RAPID, rapid, np.minimum(motion.feed, machine.feed_limit) / 60)
    acceleration = np.minimum(
        np.minimum(_axis_limit(machine.acceleration, first), _axis_limit(machine.acceleration, last)), 1e6
    )
    driven = motion.driver > 0
    by_axes = _ByAxes.of(motion, machine) if driven.any() else None
    if by_axes is not None:
        speed = np.where(
            driven & (motion.kind != RAPID), np.minimum(speed, by_axes.along(by_axes.rates, length)), speed
        )
        acceleration = np.where(driven, np.minimum(by_axes.along(by_axes.gains, length), 1e6), acceleration)
    arcs = motion.kind == ARC
    with np.errstate(divide="ignore", invalid="ignore"):
        radius = np.where(arcs, length / np.maximum(np.abs(motion.sweep), 1e-9), np.inf)
    speed = np.where(arcs, np.minimum(speed, np.sqrt(acceleration * np.minimum(radius, 1e9))), speed)
    still = (motion.kind == DWELL) | (motion.kind == CHANGE) | (length < 1e-12) | (speed <= 0)
    times = np.asarray(_profile(length, speed, acceleration, first, last, motion.kind, still))
    if by_axes is not None:
        by_axes.straighten(times, motion, length)
    times[motion.kind == DWELL] = motion.seconds[motion.kind == DWELL]
    times[motion.kind == CHANGE] = machine.tool_change_s
    return times


class _ByAxes(NamedTuple):
    """How far X, Y, Z and C go in each move, mm and degrees (4, n), as the part swings; the fastest that each goes a second, and its acceleration."""

    way: Floats
    rates: Floats
    gains: Floats

    @classmethod
    def of(cls, motion: Motion, machine: Machine) -> _ByAxes:
        c0, c1 = motion.c0, motion.c1
        (x0, y0, z0), (x1, y1, z1) = motion.start.T, motion.end.T
        across = x1 * np.cos(c1) + y1 * np.sin(c1) - x0 * np.cos(c0) - y0 * np.sin(c0)
        aside = y1 * np.cos(c1) - x1 * np.sin(c1) - y0 * np.cos(c0) + x0 * np.sin(c0)
        turns = machine.axis("C")
        fast, quick = (turns.rapid, turns.acceleration) if turns is not None else (np.inf, np.inf)
        way = np.abs(np.array([across, aside, z1 - z0, np.degrees(c1 - c0)]))
        return cls(way, np.array([*machine.rapid, fast]) / 60, np.array([*machine.acceleration, quick]))

    def along(self, limits: Floats, length: Floats) -> Floats:
        """The largest value along each move so that no axis exceeds its limit."""
        with np.errstate(divide="ignore", invalid="ignore"):
            found = np.where(self.way > LEAST_WAY, length * limits[:, None] / self.way, np.inf)
        return np.asarray(np.minimum(found.min(axis=0), 1e9))

    def straighten(self, times: Floats, motion: Motion, length: Floats) -> None:
        """Rapid moves of one line are one to the axes, however many chords it has in the part; and C may turn alone under a tool on the axis."""
        alone = (
            (motion.driver > 0) & ((motion.kind == RAPID) | (length < LEAST_WAY)) & (self.way.max(axis=0) > LEAST_WAY)
        )
        here = np.flatnonzero(alone)
        if not len(here):
            return
        first = np.r_[True, (np.diff(here) > 1) | (np.diff(motion.line[here]) != 0)]
        group = np.cumsum(first) - 1
        way = np.zeros((4, int(group[-1]) + 1))
        for axis in range(4):
            np.add.at(way[axis], group, self.way[axis, here])
        rates, gains = self.rates[:, None], self.gains[:, None]
        with np.errstate(invalid="ignore"):
            whole = np.where(way > rates**2 / gains, way / rates + rates / gains, 2 * np.sqrt(way / gains)).max(axis=0)
        share = self.way[:, here].sum(axis=0)
        total = np.zeros(len(whole))
        np.add.at(total, group, share)
        times[here] = whole[group] * share / total[group]


@njit(cache=True, nogil=True)
def _profile(
    length: Floats, speed: Floats, acceleration: Floats, first: Floats, last: Floats, kind: NDArray[np.uint8], still: NDArray[np.bool_]
) -> Floats:  # pragma: no cover  # fmt: skip
    n = len(length)
    joint = np.zeros(n + 1)
    for i in range(1, n):
        if still[i] or still[i - 1] or kind[i] == 0 or kind[i - 1] == 0:
            continue
        c = -(last[i - 1, 0] * first[i, 0] + last[i - 1, 1] * first[i, 1] + last[i - 1, 2] * first[i, 2])
        limit = min(speed[i], speed[i - 1])
        if c > -0.999999:
            s = math.sqrt(max(0.5 * (1.0 - c), 0.0))
            a = min(acceleration[i], acceleration[i - 1])
            if s < 0.999999:
                limit = min(limit, math.sqrt(a * JOINT_DEVIATION_MM * s / (1.0 - s)))
        joint[i] = limit
    for i in range(n):
        if not still[i]:
            joint[i + 1] = min(joint[i + 1], math.sqrt(joint[i] ** 2 + 2.0 * acceleration[i] * length[i]))
    for i in range(n - 1, -1, -1):
        if not still[i]:
            joint[i] = min(joint[i], math.sqrt(joint[i + 1] ** 2 + 2.0 * acceleration[i] * length[i]))
    times = np.zeros(n)
    for i in range(n):
        if still[i]:
            continue
        v0, v1, v, a, s = joint[i], joint[i + 1], speed[i], acceleration[i], length[i]
        ramp = (2.0 * v * v - v0 * v0 - v1 * v1) / (2.0 * a)
        if ramp <= s:
            times[i] = (2.0 * v - v0 - v1) / a + (s - ramp) / v
        else:
            peak = math.sqrt(max((2.0 * a * s + v0 * v0 + v1 * v1) / 2.0, 0.0))
            times[i] = (2.0 * peak - v0 - v1) / a
    return times
