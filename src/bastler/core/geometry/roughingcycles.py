"""Turning cycles of a lathe control written out: single passes, roughing along a profile, grooves in pecks, threads in passes.

*Profile*: points (z, r) of what the blocks of a cycle describe, from its first point on. *Way*: places one after another,
each with how the tool gets there. All lengths mm, radii.
"""

from __future__ import annotations

import math
from typing import Literal

from bastler.core.problems import TooMany

Place = tuple[float, float]
How = Literal["rapid", "feed", "thread"]
Way = list[tuple[How, Place]]
MOST_PASSES = 500
MOST_PECKS = 1000
SMALL_MM = 1e-6


def _bounded(count: float, most: int, what: str, word: str) -> int:
    """So many; raises :class:`TooMany`."""
    if count > most:
        raise TooMany(f"{word} makes more than {most} {what}. Give a larger {word}.")
    return max(math.ceil(count), 0)


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

    def one_way(steps: list[float]) -> bool:
        return all(d >= -SMALL_MM for d in steps) or all(d <= SMALL_MM for d in steps)

    return all(one_way([b[k] - a[k] for a, b in zip(profile, profile[1:], strict=False)]) for k in (0, 1))


def swapped(way: Way) -> Way:
    """The same with its two axes changed: what runs along the axis runs across it."""
    return [(how, (p[1], p[0])) for how, p in way]


def faced(start: Place, profile: list[Place], depth: float, escape: float, leave: Place) -> Way:
    """G72: as :func:`roughed`, with passes across the axis."""
    turned = [(r, z) for z, r in profile]
    return swapped(roughed((start[1], start[0]), turned, depth, escape, (leave[1], leave[0])))


def repeated(start: Place, profile: list[Place], away: Place, count: int, leave: Place) -> Way:
    """G73: the profile ``count`` times, the first one ``away`` (z, r) and ``leave`` off, the last one ``leave``."""
    if count > MOST_PASSES:
        raise TooMany(
            f"The profile {count} times over is more than anybody cuts, {MOST_PASSES} at most. Give fewer passes."
        )
    way: Way = []
    for k in range(max(count, 1)):
        share = 1.0 - k / (count - 1) if count > 1 else 0.0
        z, r = leave[0] + share * away[0], leave[1] + share * away[1]
        shifted = [(p[0] + z, p[1] + r) for p in profile]
        way += [("rapid", (start[0] + z, start[1] + r)), ("rapid", shifted[0]), *(("feed", p) for p in shifted[1:])]
    return [*way, ("rapid", start)]


def pecked(start: Place, end: Place, peck: float, step: float, back: float, relief: float) -> Way:
    """G74: in pecks along the axis from ``start`` to the end's Z, ``back`` after each, at every ``step`` across it up to the end.

    ``relief``: how far the tool moves aside at the bottom before it comes out.
    """
    (z0, r0), (z1, r1) = start, end
    across, along = math.copysign(1.0, r1 - r0), math.copysign(1.0, z1 - z0)
    far = abs(r1 - r0)
    count = math.ceil(far / step - SMALL_MM) if step > SMALL_MM and far > SMALL_MM else (1 if far > SMALL_MM else 0)
    whole = abs(z1 - z0)
    _bounded((count + 1) * max(whole / peck if peck > SMALL_MM else 1, 1), MOST_PECKS, "pecks", "peck")
    way: Way = []
    for k in range(count + 1):
        r = r0 + across * min(k * step if step > SMALL_MM else k * far, far)
        way.append(("rapid", (z0, r)))
        deep = 0.0
        while whole - deep > SMALL_MM:
            deep = min(deep + peck, whole) if peck > SMALL_MM else whole
            way.append(("feed", (z0 + along * deep, r)))
            if deep < whole - SMALL_MM:
                way.append(("rapid", (z0 + along * (deep - back), r)))
        aside = r - across * relief if k else r
        way += [("rapid", (z1, aside)), ("rapid", (z0, aside))]
    return [*way, ("rapid", start)]


def grooved(start: Place, end: Place, peck: float, step: float, back: float, relief: float) -> Way:
    """G75: as :func:`pecked`, across the axis."""
    return swapped(pecked((start[1], start[0]), (end[1], end[0]), peck, step, back, relief))


def roughed(start: Place, profile: list[Place], depth: float, escape: float, leave: Place) -> Way:
    """G71: passes along the axis down to a steady profile with ``leave`` (z, r) on it, then once along that."""
    (z0, r0), side = start, 1.0 if start[1] >= max(p[1] for p in profile) - SMALL_MM else -1.0
    offset = [(z + leave[0], r + leave[1]) for z, r in profile]
    low = offset[0][1]
    way: Way = []
    level = r0
    for _ in range(_bounded(side * (r0 - low) / depth, MOST_PASSES, "passes", "depth") + 1):
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
    out: float = 0.0,
) -> Way:
    """G76: passes whose depth grows with the root of their number, along one flank of an angle, the last one ``repeats`` times.

    ``end``: Z of the end, radius at the roots; ``height`` of the thread, ``last`` the depth of the last pass; ``out``: over so many mm before
    its end it runs out of the metal at 45°.
    """
    (z0, r0), (z1, root) = start, end
    side = 1.0 if r0 > root else -1.0
    crest, deep, n, depths = root + side * height, 0.0, 0, list[float]()
    while deep < height - last - SMALL_MM:
        n += 1
        _bounded(n, MOST_PASSES, "passes", "first depth")
        deep = min(max(first * math.sqrt(n), deep + least), height - last)
        depths.append(deep)
    depths += [height] * max(repeats, 1)
    way: Way = []
    for d in depths:
        # Deeper passes begin further on along the thread, so that they cut on the flank that goes ahead.
        begin = z0 + math.copysign(d * math.tan(math.radians(flank / 2)), z1 - z0)
        r = crest - side * d
        way += [
            ("rapid", (begin, r0)),
            ("rapid", (begin, r + taper)),
            *_thread_to(begin, (z1, r), r + taper, r0, out),
            ("rapid", (z1, r0)),
            ("rapid", (z0, r0)),
        ]
    return way


def _thread_to(begin: float, end: Place, r_begin: float, r_out: float, out: float) -> Way:
    """One pass to its end, the last ``out`` mm of it out of the metal at 45°, as far as where it started across."""
    (z1, r), way = end, math.copysign(1.0, begin - end[0])
    if out <= 0 or out >= abs(begin - z1):
        return [("thread", end)]
    full = z1 + way * out
    at_full = r + (r_begin - r) * (full - z1) / (begin - z1)
    up = min(out, abs(r_out - at_full))
    return [("thread", (full, at_full)), ("thread", (full - way * up, at_full + math.copysign(up, r_out - at_full)))]
