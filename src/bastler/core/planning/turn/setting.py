"""A lathe's setup as half sections: the blank, and what stands round it."""

from __future__ import annotations

import shapely

from bastler.core.geometry.turned import box, polygon
from bastler.core.job.chucking import Chucking
from bastler.core.planning.work import Turning
from bastler.core.tooling.machines import Machine


def turning_of(held: Chucking, machine: Machine) -> Turning:
    """The stock before the first step, with chuck and tailstock."""
    z0, z1, bore, radius = held.blank
    fixed = shapely.union_all([polygon(b.outline) for b in held.bodies])
    return Turning(box(z0, z1, bore, radius), fixed, held.limit, (z1 + held.clearance, radius + held.clearance))
