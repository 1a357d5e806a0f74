"""Forms of threads by their standards: angles, depths and widths at the roots, for a pitch.

*Point*: the flat or round at the tip of a threading insert, given by its width. One that is narrower than the roots of the
standard form (an insert for several pitches) goes deeper until the flanks are in their place.
"""

from __future__ import annotations

import math

OUTER_DEPTH = 0.61343
"""h3 of an outside thread of 60° as a share of the pitch, ISO 68-1."""
INNER_DEPTH = 0.54127
"""H1 of an inside one."""
INNER_BELOW = 0.32476
OUTER_BELOW = 0.28868
"""How far the roots lie below the pitch line, as a share of the pitch: in a bore and outside."""
PIPE_DEPTH = 0.640327
"""Of a 55° pipe thread, ISO 228-1 and ISO 7-1."""
TRAPEZE_GAP_MM = ((1.5, 0.15), (5.0, 0.25), (12.0, 0.5), (99.0, 1.0))
"""Clearance a_c of trapezoidal threads up to a pitch, ISO 2901: the depth is half the pitch and that."""
ANGLES = {"metric": 60.0, "pipe": 55.0, "trapeze": 30.0}
ALIKE_SHARE = 0.02
"""Of the pitch: a point that is so much wider or narrower than the roots cuts the same form."""


def depth_for(profile: str, pitch: float, *, inside: bool) -> float:
    """Depth of a thread across the axis by its standard, mm."""
    if profile == "pipe":
        return PIPE_DEPTH * pitch
    if profile == "trapeze":
        return 0.5 * pitch + _gap(pitch)
    return (INNER_DEPTH if inside else OUTER_DEPTH) * pitch


def root_width(profile: str, pitch: float, *, inside: bool) -> float:
    """Width of the roots of the standard form, taken as flat, mm: P/6 outside, P/8 in a bore (60°); 0.366 P − 0.536 a_c (30°)."""
    below = {
        "pipe": PIPE_DEPTH / 2 * pitch,
        "trapeze": 0.25 * pitch + _gap(pitch),
        "metric": (INNER_BELOW if inside else OUTER_BELOW) * pitch,
    }[profile]
    return pitch / 2 - 2 * below * math.tan(math.radians(ANGLES[profile] / 2))


def deeper_for(profile: str, pitch: float, point: float, *, inside: bool) -> float:
    """How much deeper than the standard form a point goes that is narrower than its roots, so that the flanks lie right, mm."""
    narrower = root_width(profile, pitch, inside=inside) - point
    if narrower <= ALIKE_SHARE * pitch:
        return 0.0
    return narrower / 2 / math.tan(math.radians(ANGLES[profile] / 2))


def profile_of(angle: float) -> str | None:
    """The profile whose flanks include an angle."""
    return next((name for name, a in ANGLES.items() if abs(a - angle) < 0.5), None)


def _gap(pitch: float) -> float:
    return next((gap for most, gap in TRAPEZE_GAP_MM if pitch <= most), TRAPEZE_GAP_MM[-1][1])
