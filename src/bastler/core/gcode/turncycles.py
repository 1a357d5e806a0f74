"""Turning cycles of a lathe control written out: single passes, roughing along a profile, threads in passes.

*Profile*: points (z, r) of what the blocks of a cycle describe, from its first point on. *Way*: places one after another,
each with how the tool gets there. All lengths mm, radii.
"""

from __future__ import annotations

import math
from typing import Literal

Place = tuple[float, float]
How = Literal["rapid", "feed", "thread"]
Way = list[tuple[How, Place]]
MOST_PASSES = 2000
SMALL_MM = 1e-6


def turned_once(start: Place, end: Place, taper: float) -> Way:
    """G90: to the diameter at rapid, along at feed, off the metal at feed, back at rapid; ``taper``: r of the start less that of the end."""
    (z0, r0), (z1, r1) = start, end
    return [("rapid", (z0, r1 + taper)), ("feed", (z1, r1)), ("feed", (z1, r0)), ("rapid", (z0, r0))]


def faced_once(start: Place, end: Place, taper: float) -> Way:
    """G94: to the face at rapid, across at feed, back off it at feed, out at rapid."""
    (z0, r0), (z1, r1) = start, end
    return [("rapid", (z1 + taper, r0)), ("feed", (z1, r1)), ("feed", (z0, r1)), ("rapid", (z0, r0))]


def threaded_once(start: Place, end: Place, taper: float) -> Way:
    """G92: to the depth at rapid, along in step with the spindle, out and back at rapid."""
    (z0, r0), (z1, r1) = start, end
    return [("rapid", (z0, r1 + taper)), ("thread", (z1, r1)), ("rapid", (z1, r0)), ("rapid", (z0, r0))]


def is_steady(profile: list[Place]) -> bool:
    """Whether a profile never turns back, neither along the axis nor across it."""
    dz = [b[0] - a[0] for a, b in zip(profile, profile[1:], strict=False)]
    dr = [b[1] - a[1] for a, b in zip(profile, profile[1:], strict=False)]
    return all(d <= SMALL_MM for d in dz) and (all(d >= -SMALL_MM for d in dr) or all(d <= SMALL_MM for d in dr))


def roughed(start: Place, profile: list[Place], depth: float, escape: float, leave: Place) -> Way:
    """G71: passes along the axis down to a steady profile with ``leave`` (z, r) on it, then once along that."""
    (z0, r0), side = start, 1.0 if start[1] >= max(p[1] for p in profile) - SMALL_MM else -1.0
    offset = [(z + leave[0], r + leave[1]) for z, r in profile]
    low = offset[0][1]
    way: Way = []
    level = r0
    for _ in range(MOST_PASSES):
        level = level - side * depth
        if side * (level - low) <= SMALL_MM:
            break
        z = _where(offset, level, side)
        if z >= z0 - SMALL_MM:
            continue
        way += [
            ("rapid", (z0, level)),
            ("feed", (z, level)),
            ("feed", (z + escape, level + side * escape)),
            ("rapid", (z0, level + side * escape)),
        ]
    way += [("rapid", (z0, offset[0][1])), *(("feed", p) for p in offset)]
    return [*way, ("rapid", (offset[-1][0], r0)), ("rapid", (z0, r0))]


def _where(profile: list[Place], level: float, side: float) -> float:
    """Z where a profile first stands in the way of a pass at a level."""
    for (z0, r0), (z1, r1) in zip(profile, profile[1:], strict=False):
        if side * (r1 - level) > SMALL_MM:
            if abs(r1 - r0) < SMALL_MM or side * (r0 - level) > 0:
                return z0
            return z0 + (z1 - z0) * (level - r0) / (r1 - r0)
    return profile[-1][0]


def thread_passes(
    start: Place,
    end: Place,
    height: float,
    first: float,
    least: float,
    last: float,
    repeats: int,
    flank: float,
    taper: float,
) -> Way:
    """G76: passes whose depth grows with the root of their number, along one flank of an angle, the last one ``repeats`` times.

    ``end``: Z of the end, radius at the roots; ``height`` of the thread, ``last`` the depth of the last pass.
    """
    (z0, r0), (z1, root) = start, end
    side = 1.0 if r0 > root else -1.0
    crest, deep, n, depths = root + side * height, 0.0, 0, list[float]()
    while deep < height - last - SMALL_MM and n < MOST_PASSES:
        n += 1
        deep = min(max(first * math.sqrt(n), deep + least), height - last)
        depths.append(deep)
    depths += [height] * max(repeats, 1)
    way: Way = []
    for d in depths:
        shift = (height - d) * math.tan(math.radians(flank / 2))
        r = crest - side * d
        way += [
            ("rapid", (z0 - shift, r0)),
            ("rapid", (z0 - shift, r + taper)),
            ("thread", (z1, r)),
            ("rapid", (z1, r0)),
            ("rapid", (z0, r0)),
        ]
    return way
