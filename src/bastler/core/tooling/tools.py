"""Tools as real geometry.

*Tip*: the lowest point of the tool, where Z of a move is; *flutes* cut from there upwards;
*shank* is the smooth part above the flutes; *stick-out* is measured from the tip to the
holder; the *holder* is a stack of cylinders from the tool upwards. The underside is a
:class:`Profile`. All lengths in millimetres, radii for geometry, diameters where a person types.
"""

from __future__ import annotations

import math
from typing import Any

from msgspec import Struct

from bastler.core.geometry.underside import Profile, slope_of
from bastler.core.tooling.cutters import Cutter, axis_cutter

THREAD_DEPTH_SHARE = 0.5413
"""Depth of an inner thread of 60° as a share of its pitch, ISO 68-1: H1."""
CENTRE_DRILL_POINT_DEG = 118.0
CENTRE_DRILL_CONE_DEG = 60.0
"""Point and countersink of centre drills, ISO 866 (form A)."""


class Tool(Struct, frozen=True):
    """A usable tool; lengths in mm, angles in degrees.

    ``tip_diameter``: flat of a cone's tip, of a tapered mill, or pilot of a centre drill, whose length is
    ``pilot_length``. ``pitch`` and ``lead_threads``: a tap's; ``core`` its diameter at the very tip.
    ``upside_down``: a lathe tool that cuts while the spindle turns the other way.
    ``cutter``: the outline of a lathe tool, whose ``diameter`` is that of its bar or shank and whose ``corner_radius`` that of
    its nose; ``width``, ``deep``, ``face_from``, ``face_to``: a blade, and the diameters that it fits into a face at. ``grips_from``,
    ``grips_to``: the bars that a puller grips, which go ``deep`` into it. ``thread_angle``, ``point_flat``: a threading insert's tooth; ``full_profile``: it
    cuts one pitch only, and the crests too. ``driven``: on a lathe, which way it points in a holder that turns it: ``along`` the axis, or ``across``, towards it. ``coating``: as the tables take it (``usual``), ``bare`` or ``coated``; ``own``: cutting data of one's own.
    """

    number: int
    kind: str
    name: str
    diameter: float
    flutes: int
    flute_length: float
    shank_diameter: float
    stick_out: float
    corner_radius: float = 0.0
    point_angle: float = 180.0
    tip_diameter: float = 0.0
    side_angle: float = 0.0
    pilot_length: float = 0.0
    thread: str = ""
    pitch: float = 0.0
    lead_threads: float = 0.0
    forming: bool = False
    left_hand: bool = False
    upside_down: bool = False
    smallest_bore: float = 0.0
    lead: float = 0.0
    material: str = "carbide"
    plunges: bool = False
    ramp_angle: float = 3.0
    holder: tuple[tuple[float, float], ...] = ()
    pocket: int = 0
    cutter: Cutter | None = None
    second_offset: int = 0
    width: float = 0.0
    deep: float = 0.0
    face_from: float = 0.0
    face_to: float = 0.0
    grips_from: float = 0.0
    grips_to: float = 0.0
    thread_angle: float = 60.0
    point_flat: float = 0.0
    full_profile: bool = False
    coating: str = "usual"
    coolant: str = ""
    driven: str = ""
    own: tuple[Any, ...] = ()

    @property
    def radius(self) -> float:
        """Cutting radius in mm."""
        return self.diameter / 2

    @property
    def profile(self) -> Profile:
        """The underside."""
        r, f = self.radius, self.tip_diameter / 2
        match self.kind:
            case "ball-mill":
                return Profile(r, 0.0, r)
            case "taper-mill":
                return Profile(r, f, slope=1.0 / math.tan(math.radians(self.side_angle)))
            case "centre-drill":
                tip = slope_of(CENTRE_DRILL_POINT_DEG)
                return Profile(r, f, 0.0, tip, max(self.pilot_length, tip * f), slope_of(CENTRE_DRILL_CONE_DEG))
            case "tap":
                lead = self.lead_threads * self.pitch
                core = max(r - 0.6134 * self.pitch, 0.1 * r)
                return Profile(r, core, slope=lead / (r - core) if lead > 0 else 0.0)
            case "thread-mill":
                return Profile(r - THREAD_DEPTH_SHARE * self.pitch, r - THREAD_DEPTH_SHARE * self.pitch)
            case "reamer":
                return Profile(r, r - self.lead, slope=1.0 if self.lead > 0 else 0.0)
            case _ if self.point_angle < 180:
                return Profile(r, f, slope=slope_of(self.point_angle))
            case _:
                return Profile(r, r - self.corner_radius, self.corner_radius)

    @property
    def in_plane(self) -> Cutter:
        """Its outline in the plane of a lathe: its own, or that of a tool on the axis."""
        return self.cutter or axis_cutter(self.silhouette(), self.flute_length)

    @property
    def flat_radius(self) -> float:
        """Radius of the flat bottom inside the corner radius, mm."""
        return self.profile.flat

    @property
    def tip_length(self) -> float:
        """Height from the tip to the full diameter, mm."""
        return self.profile.tip_length

    @property
    def clogs(self) -> bool:
        """Whether its chips only leave along the flutes, so that it may go no deeper than they are long."""
        return self.kind in ("drill", "insert-drill", "tap")

    @property
    def gauge_length(self) -> float:
        """Tip to spindle nose, mm."""
        return self.stick_out + sum(length for _, length in self.holder)

    def non_cutting(self) -> tuple[tuple[float, float, float], ...]:
        """Cylinders that must not touch: ``(radius, from, to)`` above the tip, mm."""
        parts = [(self.shank_diameter / 2, self.flute_length, self.stick_out)]
        z = self.stick_out
        for diameter, length in self.holder:
            parts.append((diameter / 2, z, z + length))
            z += length
        return tuple(p for p in parts if p[2] > p[1])

    def silhouette(self) -> tuple[tuple[float, float], ...]:
        """Half outline ``(radius, z above tip)`` from the axis at the tip upwards, arcs as chords."""
        points = [*self.profile.outline(), (self.radius, self.flute_length)]
        for radius, low, high in self.non_cutting():
            points += [(radius, low), (radius, high)]
        points.append((0.0, points[-1][1]))
        return tuple(points)
