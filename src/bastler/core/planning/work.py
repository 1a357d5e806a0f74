"""What a step finds when its turn comes: the stock as earlier steps left it, and the means to cut it.

*Work* is the only thing a cycle knows of the job. *Block* is the raw stock, *part* the finished
outer size, *done* the removals of the steps before.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import TYPE_CHECKING

from msgspec import Struct
from msgspec.structs import replace

from bastler.core.fields import Unanswered
from bastler.core.geometry.path import Point
from bastler.core.geometry.placement import Placement
from bastler.core.geometry.shapes import Bounds, Box, Removal, RoundHole
from bastler.core.geometry.surface import Surface
from bastler.core.geometry.track import Track
from bastler.core.quantities import Units
from bastler.core.tooling.machines import Machine
from bastler.core.tooling.materials import Material
from bastler.core.tooling.tools import Tool

if TYPE_CHECKING:
    from bastler.core.geometry.halfsection import Area
    from bastler.core.job.document import Step
    from bastler.core.planning.contours import NamedContour
    from bastler.core.planning.patterns import NamedPattern


ABOVE_METAL_MM = 2.0
"""Rapid moves stop this far above metal."""
SAME_CENTRE_MM = 0.02


class Cleared(Struct, frozen=True):
    """A half section that a step of a lathe leaves without metal; ``wanted`` as in :class:`Removal`.

    ``thread``: what of it is a thread, drawn and not cut from the section.
    """

    area: Area
    wanted: str = ""
    thread: Threaded | None = None

    def moved(self, by: float) -> Cleared:
        """The same further along Z."""
        from bastler.core.geometry.halfsection import moved

        t = self.thread
        thread = replace(t, start=(t.start[0] + by, t.start[1]), end=(t.end[0] + by, t.end[1])) if t else None
        return Cleared(moved(self.area, by, 0.0), self.wanted, thread)


class Threaded(Struct, frozen=True):
    """A thread on the section: from (z, r) to (z, r) at its crests, mm; ``depth`` across the axis, negative inwards."""

    start: Point
    end: Point
    depth: float
    pitch: float
    name: str


class Chucked(Struct, frozen=True):
    """What a step finds at a lathe; areas are half sections (:mod:`bastler.core.geometry.halfsection`), mm.

    ``stock``: the metal now; ``fixed``: chuck, jaws and tailstock; ``limit``: most rev/min with constant cutting speed;
    ``away``: Z and radius outside of which all ways are free.
    """

    stock: Area
    fixed: Area
    limit: float
    away: tuple[float, float]

    def moved(self, by: float) -> Chucked:
        """As it looks from ``by`` mm further back along Z."""
        from bastler.core.geometry.halfsection import moved

        return replace(
            self,
            stock=moved(self.stock, by, 0.0),
            fixed=moved(self.fixed, by, 0.0),
            away=(self.away[0] + by, self.away[1]),
        )

    def less(self, areas: tuple[Area, ...]) -> Chucked:
        """The same once areas are cut away."""
        import shapely

        from bastler.core.geometry.halfsection import clean

        if not areas:
            return self
        return replace(self, stock=clean(shapely.difference(self.stock, shapely.union_all(list(areas)))))


class Work(Struct, frozen=True):
    """The frame a step is planned in; program coordinates, mm.

    ``chucked``: on a lathe, the half section. ``patterns`` and ``contours``: the job's, resolved, by id; ``earlier``: the steps before this one in the list, as typed.
    ``surface``: where on a turned part a milling cycle works, whose frame this is then; ``carved``: what was milled of the part by now, each on its surface.
    """

    block: Box
    part: Box
    clearance: float
    material: Material
    machine: Machine
    tools: Mapping[int, Tool]
    patterns: Mapping[str, NamedPattern]
    done: tuple[Removal, ...] = ()
    units: Units = "mm"
    earlier: tuple[Step, ...] = ()
    contours: Mapping[str, NamedContour] = {}
    chucked: Chucked | None = None
    surface: Surface | None = None
    carved: tuple[tuple[Surface, Removal], ...] = ()

    @property
    def lathe(self) -> Chucked:
        """The lathe's view; raises :class:`Unanswered` on a mill, where no step of a lathe is planned."""
        if self.chucked is None:
            raise Unanswered("lathe")
        return self.chucked

    def top_over(self, bounds: Bounds) -> float:
        """Highest metal that can stand over a rectangle (x0, x1, y0, y1) by now, never too low."""
        x0, x1 = max(bounds[0], self.block.x0), min(bounds[1], self.block.x1)
        y0, y1 = max(bounds[2], self.block.y0), min(bounds[3], self.block.y1)
        if x0 >= x1 or y0 >= y1:
            return self.block.z0
        inside = (x0, x1, y0, y1)
        return min([self.block.z1, *(r.floor for r in self.done if r.covers(inside))])

    def hole_radius(self, at: Point, z: float) -> float:
        """Radius of the hole that steps before made round a point, at a height; 0 where there is metal.

        Below the block it is as wide as anything.
        """
        if z <= self.block.z0:
            return math.inf
        here = [
            r for r in self.done if isinstance(r, RoundHole) and math.dist(r.centre, at) < SAME_CENTRE_MM and r.tip <= z
        ]
        return max((r.profile.radius_at(z - r.tip) for r in here), default=0.0)

    def is_open(self, at: Point, z: float, radius: float) -> bool:
        """Whether steps before took all metal within ``radius`` of a point at a height."""
        if self.hole_radius(at, z) >= radius:
            return True
        return any(_has_floor(r) and r.floor <= z and r.depth(*at) >= radius for r in self.done)

    def open_floor(self, at: Point, radius: float) -> float:
        """Z down to which steps before took all metal within ``radius`` of a point; the block's top if none did."""
        open_ = [r.floor for r in self.done if _has_floor(r) and r.depth(*at) >= radius]
        return min([self.block.z1, *open_])

    def seen_from(self, where: Placement) -> Work:
        """The same stock as it looks to something that will be placed like this: never too low, if the block stands askew."""
        back = where.inverse()

        def box(b: Box) -> Box:
            return Box(*back.bounds(b.bounds), b.z0, b.z1)

        on_side = self.surface is not None and self.surface.on != "end"
        chucked = self.chucked and self.chucked.moved(-where.at[0]) if on_side else self.chucked
        done = tuple(r.placed(back) for r in self.done)
        return replace(self, block=box(self.block), part=box(self.part), done=done, chucked=chucked)

    def after(
        self, removals: tuple[Removal, ...], cleared: tuple[Cleared, ...] = (), on: tuple[Surface, ...] = ()
    ) -> Work:
        """The same frame once a step has cut its shape; ``on``: the surfaces of a turned part that it was cut on."""
        if on:
            return replace(self, carved=self.carved + tuple((s, r) for s in on for r in removals if not r.wanted))
        chucked = self.chucked and self.chucked.less(tuple(c.area for c in cleared if not c.wanted))
        return replace(self, done=self.done + tuple(r for r in removals if not r.wanted), chucked=chucked)

    def renewed(self, start: Work) -> Work:
        """The same frame once there is new stock, as at the start."""
        return replace(self, chucked=start.chucked, carved=())


def _has_floor(r: Removal) -> bool:
    """Whether it is cut down to its floor over more than a point."""
    return not isinstance(r, RoundHole) and not (isinstance(r, Track) and r.profile.slope > 0)
