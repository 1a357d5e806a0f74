"""Clearing a rounded rectangle by concentric loops, from the middle outwards.

Frame: origin at the centre, length along X. *Loop*: a closed counter-clockwise path of the tool's
centre (climb milling inside a pocket). *Room*: half sizes the centre may use.
"""

from __future__ import annotations

from bastler.core.geometry.path import Path, rounded_rectangle

INNERMOST_SHARE = 0.9
"""The innermost loop lies this share of the flat radius from the middle line, so no strip stays there."""
INNER_CORNER_SHARE = 0.25
"""Inner loops get at least this share of the side step as corner radius: no dead stop in a corner."""
WIDEST_STEP_SHARE = 1.5
"""Side step as a share of the flat radius up to which corners between loops are surely cleared."""


def loops(half_length: float, half_width: float, corner: float, offset: float, step: float, flat: float) -> list[Path]:
    """Loops from the innermost to the one at ``offset`` from the wall.

    ``half_length``, ``half_width``, ``corner``: the pocket's outline; ``step`` at most the distance
    between loops; ``flat`` the flat radius of the tool. Arcs of the outline stay arcs. Adjacent
    loops clear their corners as long as ``step <= 1.5 flat``: the gap along the diagonal is
    ``step √2 + r (√2 − 1)`` against a reach of ``flat (1 + √2)``.
    """
    room = max(min(half_length, half_width) - offset, 0.0)
    inmost = INNERMOST_SHARE * flat
    count = 0 if room <= inmost else -int(-(room - inmost) // step)
    even = (room - inmost) / count if count else 0.0
    result = []
    for k in range(count, -1, -1):
        d = offset + k * even
        radius = max(corner - d, INNER_CORNER_SHARE * even if k else 0.0)
        result.append(rounded_rectangle(max(half_length - d, 0.0), max(half_width - d, 0.0), radius))
    return result
