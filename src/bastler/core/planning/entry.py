"""Getting down into metal: helix, ramp, plunge.

All work in the feature's own frame (origin at its centre, length along X); the caller places the
moves. Each ends at ``bottom`` with the floor under the entry flat.
"""

from __future__ import annotations

import math

from bastler.core.moves import Feed, Move, Turn

HELIX_SHARE = 0.8
"""Helix radius as a share of the flat radius: the tool's centre never leaves a post."""
NARROWEST_HELIX_SHARE = 0.3
LONGEST_RAMP_DIAMETERS = 4.0
SHORTEST_RAMP_DIAMETERS = 0.5


def helix_radius(flat_radius: float, room: float) -> float:
    """Radius of the helix of tool centres that ``room`` on each side allows; 0 if too narrow."""
    radius = min(HELIX_SHARE * flat_radius, room)
    return radius if radius >= NARROWEST_HELIX_SHARE * flat_radius else 0.0


def ramp_length(diameter: float, room: float) -> float:
    """Length of a ramp of tool centres in ``room`` (whole length); 0 if too short."""
    length = min(LONGEST_RAMP_DIAMETERS * diameter, room)
    return length if length >= SHORTEST_RAMP_DIAMETERS * diameter else 0.0


def helix(radius: float, top: float, bottom: float, angle_deg: float, feed: float) -> list[Move]:
    """Counter-clockwise full turns from ``(radius, 0)`` at ``top``, then one flat turn."""
    pitch = math.tau * radius * math.tan(math.radians(angle_deg))
    count = max(math.ceil((top - bottom) / pitch), 1)
    start = (radius, 0.0)
    down: list[Move] = [
        Turn(*start, (0.0, 0.0), True, feed, top + (bottom - top) * i / count, True) for i in range(1, count + 1)
    ]
    return [*down, Turn(*start, (0.0, 0.0), True, feed, None, True)]


def ramp(length: float, top: float, bottom: float, angle_deg: float, feed: float) -> list[Move]:
    """To and fro along X from ``(-length/2, 0)`` at ``top``, then once flat along the whole ramp."""
    drop = length * math.tan(math.radians(angle_deg))
    count = max(math.ceil((top - bottom) / drop), 1)
    side = -length / 2
    moves: list[Move] = []
    for i in range(1, count + 1):
        side = -side
        moves.append(Feed(side, 0.0, top + (bottom - top) * i / count, feed))
    return [*moves, Feed(-side, 0.0, None, feed)]


def plunge(bottom: float, feed: float) -> list[Move]:
    """Straight down."""
    return [Feed(None, None, bottom, feed)]
