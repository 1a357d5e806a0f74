"""Thread passes: how deep each one goes, and from which side it comes in.

*Depth*: across the axis, from the crests to the roots. *Infeed*: ``radial`` straight in, ``flank`` along one flank, ``both``
along the two flanks in turn. With shrinking chips the depth grows with the square root of the number of passes, so that each
takes the same area.
"""

from __future__ import annotations

import math

from msgspec import Struct

THINNEST_MM = 0.02
FLANK_SHARE = 0.97
"""A little less than the flank itself, so that the other edge still cuts and doesn't rub."""


class Cut(Struct, frozen=True):
    """One pass: its depth, and how far along Z its start is shifted back from where a radial one starts, mm."""

    depth: float
    shift: float


def cuts(depth: float, first: float, flank_deg: float, infeed: str, *, shrinking: bool, spring: int) -> list[Cut]:
    """All passes down to ``depth``; ``first`` is the first one's, ``flank_deg`` half the angle between the flanks."""
    if shrinking:
        count = max(math.ceil((depth / first) ** 2 - 1e-9), 1)
        depths = [depth * math.sqrt(k / count) for k in range(1, count + 1)]
        while len(depths) > 2 and depths[-1] - depths[-2] < THINNEST_MM:
            depths.pop(-2)
    else:
        count = max(math.ceil(depth / first - 1e-9), 1)
        depths = [depth * k / count for k in range(1, count + 1)]
    slope = math.tan(math.radians(flank_deg)) * FLANK_SHARE
    depths[-1] = depth
    found = []
    for k, d in enumerate(depths):
        back = (depth - d) * slope
        sign = {"radial": 0.0, "flank": 1.0, "both": 1.0 if k % 2 == 0 else -1.0}[infeed]
        found.append(Cut(d, sign * back))
    return found + [Cut(depth, 0.0)] * spring
