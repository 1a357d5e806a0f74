"""Thread passes: how deep each one goes, and from which side it comes in.

*Depth*: across the axis, from the crests to the roots. *Infeed*: ``radial`` straight in, ``flank`` along one flank, ``both``
along the two flanks in turn. With shrinking chips the depth grows with the square root of the number of passes, so that each
takes the same area; where it would grow by less than :data:`THINNEST_MM`, it goes on by equal steps of at least that much.
"""

from __future__ import annotations

import math

from msgspec import Struct

THINNEST_MM = 0.05
"""A thinner chip isn't cut but pressed: passes grow by at least this, but for spring passes."""
PASSES = (
    (0.5, 3),
    (0.75, 5),
    (1.0, 6),
    (1.25, 7),
    (1.5, 8),
    (1.75, 9),
    (2.0, 10),
    (2.5, 12),
    (3.0, 13),
    (3.5, 14),
    (4.0, 15),
    (5.0, 17),
    (6.0, 19),
)
"""How many passes a pitch (mm) takes: middle of the usual tables for threads turned in steel with carbide inserts of ISO 1832 type."""
FLANK_SHARE = 0.97
"""A little less than the flank itself, so that the other edge still cuts and doesn't rub."""


class ThreadDepth(Struct, frozen=True):
    """One pass: its depth, and how far along Z its start is shifted back from where a radial one starts, mm."""

    depth: float
    shift: float


def cuts(
    depth: float, first: float, flank_deg: float, infeed: str, *, shrinking: bool, spring: int
) -> list[ThreadDepth]:
    """All passes down to ``depth``; ``first`` is the first one's, ``flank_deg`` half the angle between the flanks."""
    if shrinking:
        count = max(math.ceil((depth / first) ** 2 - 1e-9), 1)
        depths = _never_thin([depth * math.sqrt(k / count) for k in range(1, count + 1)])
    else:
        count = max(math.ceil(depth / first - 1e-9), 1)
        depths = [depth * k / count for k in range(1, count + 1)]
    slope = math.tan(math.radians(flank_deg)) * FLANK_SHARE
    depths[-1] = depth
    found = []
    for k, d in enumerate(depths):
        back = (depth - d) * slope
        sign = {"radial": 0.0, "flank": 1.0, "both": 1.0 if k % 2 == 0 else -1.0}[infeed]
        found.append(ThreadDepth(d, sign * back))
    return found + [ThreadDepth(depth, 0.0)] * spring


def _never_thin(depths: list[float]) -> list[float]:
    """The same down to the last one, in equal steps from where they get too small."""
    kept, last = list[float](), depths[-1]
    for d in depths[:-1]:
        if d - (kept[-1] if kept else 0.0) < THINNEST_MM or last - d < THINNEST_MM:
            break
        kept.append(d)
    done = kept[-1] if kept else 0.0
    more = max(math.floor((last - done) / THINNEST_MM + 1e-9), 1)
    return kept + [done + (last - done) * k / more for k in range(1, more + 1)]


def usual_passes(pitch: float) -> int:
    """How many passes a thread of a pitch usually takes, see :data:`PASSES`."""
    return next((n for p, n in PASSES if pitch <= p + 1e-6), PASSES[-1][1])


def first_for(depth: float, pitch: float) -> float:
    """Depth of the first pass with which all passes are as many as usual, or fewer where the last would be too thin, mm."""
    count = usual_passes(pitch)
    while count > 1 and depth * (1 - math.sqrt((count - 1) / count)) < THINNEST_MM:
        count -= 1
    return math.ceil(1000 * depth / math.sqrt(count)) / 1000
