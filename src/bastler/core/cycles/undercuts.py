"""Undercuts at a shoulder: DIN 509 forms E and F, and DIN 76-1 form A behind an outside thread.

Each is drawn from its table row alone, and lies against a shoulder at z with the cylinder in front of it.
"""

from __future__ import annotations

import math
from typing import NamedTuple

from bastler.core.geometry.path import Arc, Element, Line

RAMP_509 = math.radians(15)
RAMP_76 = math.radians(30)
FACE_509 = math.radians(8)


class Relief(NamedTuple):
    """DIN 509: radius, depth below the cylinder, width at the cylinder, depth into the shoulder (form F); mm."""

    radius: float
    depth: float
    width: float
    into_face: float
    up_to: float
    """Largest diameter that it is usual on, for ordinary loads; 0 where it is not the usual one."""


class Runout(NamedTuple):
    """DIN 76-1 form A, regular length: depth below the thread's diameter, length of the floor, radius; mm."""

    depth: float
    floor: float
    radius: float


DIN_509 = {
    "0.2 x 0.1": Relief(0.2, 0.1, 1.0, 0.1, 3.0),
    "0.4 x 0.2": Relief(0.4, 0.2, 2.0, 0.1, 18.0),
    "0.6 x 0.2": Relief(0.6, 0.2, 2.0, 0.1, 0.0),
    "0.6 x 0.3": Relief(0.6, 0.3, 2.5, 0.2, 80.0),
    "0.8 x 0.3": Relief(0.8, 0.3, 2.5, 0.2, 0.0),
    "1 x 0.2": Relief(1.0, 0.2, 2.5, 0.1, 0.0),
    "1 x 0.4": Relief(1.0, 0.4, 4.0, 0.3, 0.0),
    "1.2 x 0.2": Relief(1.2, 0.2, 2.5, 0.1, 0.0),
    "1.2 x 0.4": Relief(1.2, 0.4, 4.0, 0.3, math.inf),
    "1.6 x 0.3": Relief(1.6, 0.3, 4.0, 0.2, 0.0),
    "2.5 x 0.4": Relief(2.5, 0.4, 5.0, 0.3, 0.0),
    "4 x 0.5": Relief(4.0, 0.5, 7.0, 0.3, 0.0),
}
DIN_76 = {
    0.5: Runout(0.40, 1.1, 0.2),
    0.7: Runout(0.55, 1.5, 0.4),
    0.8: Runout(0.65, 1.7, 0.4),
    1.0: Runout(0.80, 2.1, 0.6),
    1.25: Runout(1.00, 2.7, 0.6),
    1.5: Runout(1.15, 3.2, 0.8),
    1.75: Runout(1.30, 3.9, 1.0),
    2.0: Runout(1.50, 4.5, 1.0),
    2.5: Runout(1.80, 5.6, 1.2),
    3.0: Runout(2.20, 6.7, 1.6),
}
COARSE = ((3, 0.5), (4, 0.7), (5, 0.8), (6, 1.0), (8, 1.25), (10, 1.5), (12, 1.75), (16, 2.0), (20, 2.5), (24, 3.0))
"""Diameters and pitches of the coarse metric series, ISO 261."""


def usual_509(diameter: float) -> str:
    """Size that is usual on a diameter under ordinary loads."""
    return next(size for size, row in DIN_509.items() if diameter <= row.up_to)


def usual_76(diameter: float) -> float:
    """Pitch of the coarse thread nearest to a diameter."""
    return min(COARSE, key=lambda row: abs(row[0] - diameter))[1]


class Undercut(NamedTuple):
    """What lies between cylinder and shoulder."""

    elements: tuple[Element, ...]
    width: float
    """From the shoulder to where it leaves the cylinder, mm."""
    height: float
    """From the cylinder to where it meets the shoulder, mm: a lower shoulder can't have it."""


def din_509(size: str, form: str, z: float, r: float, way: float) -> Undercut:
    """From the cylinder of radius r into the shoulder at z; way is 1 on the outside, -1 in a bore; form E or F."""
    radius, depth, width, into, _ = DIN_509[size]
    floor = r - way * depth
    ramp = Line((z + width - depth / math.tan(RAMP_509), floor))
    if form == "E":
        return Undercut((Line((z + width, r)), ramp, *_corner(z, floor, radius, way)), width, radius - depth)
    centre = (z - into + radius, floor + way * radius)
    lean = (centre[0] - radius * math.cos(FACE_509), centre[1] + way * radius * math.sin(FACE_509))
    top = lean[1] + way * (z - lean[0]) / math.tan(FACE_509)
    parts = (Line((z + width, r)), ramp, Line((centre[0], floor)), Arc(lean, centre, way < 0), Line((z, top)))
    return Undercut(parts, width, way * (top - r))


def din_76(pitch: float, z: float, r: float) -> Undercut:
    """Behind an outside thread of a pitch whose diameter is 2 r, up to the shoulder at z."""
    depth, length, radius = DIN_76[pitch]
    width, floor = length + depth / math.tan(RAMP_76), r - depth
    parts = (Line((z + width, r)), Line((z + length, floor)), *_corner(z, floor, radius, 1.0))
    return Undercut(parts, width, max(radius - depth, 0.0))


def _corner(z: float, floor: float, radius: float, way: float) -> tuple[Element, Element]:
    """From the floor round into the shoulder."""
    centre = (z + radius, floor + way * radius)
    return Line((centre[0], floor)), Arc((z, centre[1]), centre, way < 0)
