"""Stock of a lathe with driven tools (see :mod:`bastler.core.verify.stock`): a half section, exact, and dexels from the first move of a driven tool on.

The metal is what both have: what is turned afterwards is taken from the dexels before a driven tool cuts again, and at the end.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from bastler.core.gcode.motion import Motion
from bastler.core.geometry.halfsection import EMPTY, Area
from bastler.core.tooling.tools import Tool
from bastler.core.verify.dexels import Dexels, KeptRays
from bastler.core.verify.mesh import Mesh
from bastler.core.verify.netmesh import net
from bastler.core.verify.pictures import Carving
from bastler.core.verify.section import SectionStock
from bastler.core.verify.stock import Difference, Happened

ROOM_MM = 0.5
HOLDING_CELL_MM = 1.0
DEEP_MM = 60.0
"""So much of what holds the bar, from its front, a tool may come to touch."""
"""Beyond the raw stock, so that its surface lies between rays."""


@dataclass(frozen=True)
class LatheState:
    """A half section, the dexels once there are any, and what has come off of the piece in work."""

    section: Area
    dexels: KeptRays | None
    off: Area


class LatheStock:
    """A turned part that driven tools cut besides."""

    chunk = 200

    def __init__(self, turned: SectionStock, fixed: Area, tools: dict[int, Tool], cell: float = 0.0) -> None:
        """``fixed``: the half section of what holds the bar, which a driven tool must not touch at any C."""
        self.round, self.fixed, self.tools, self._cell = turned, fixed, tools, cell
        self.dexels: Dexels | None = None
        self._synced: Area = turned.area
        self.off: Area = EMPTY
        self.first: tuple[Dexels, Area] | None = None
        self._held: Dexels | None = None

    @property
    def state_bytes(self) -> int:
        """Of both."""
        return self.round.state_bytes + (self.dexels.state_bytes if self.dexels is not None else 0)

    def cut(self, motion: Motion, low: int, high: int, first: int = 0) -> Happened:
        """Run moves in order, each by the stock that its tool cuts."""
        found = Happened.none(high - low)
        by = np.flatnonzero(np.diff(motion.driver[low:high].astype(int))) + low + 1
        edges = [low, *by.tolist(), high]
        for a, b in zip(edges[:-1], edges[1:], strict=True):
            if a == b:
                continue
            if motion.driver[a]:
                metal = self.metal()
                found.take(metal.cut(motion, self.tools, a, b, first, self._holding()), a - low)
            else:
                now = self.round.cut(motion, a, b, first)
                found.take(now, a - low)
                self._parted(now)
        return found

    def metal(self) -> Dexels:
        """The dexels, with all that was turned by now."""
        area = shapely.union_all([self.round.area, self.off]) if not self.off.is_empty else self.round.area
        if self.dexels is None:
            z0, _, z1, r = area.bounds
            r += ROOM_MM
            self.dexels = Dexels((-r, r, -r, r, z0 - ROOM_MM, z1 + ROOM_MM), self._cell)
            self.dexels.keep_turned(area)
        elif not area.equals(self._synced):
            self.dexels.keep_turned(area)
        self._synced = area
        return self.dexels

    def _parted(self, now: Happened) -> None:
        """What has come off still counts as the piece in work, until the bar comes forward for the next."""
        for area in now.parted.values():
            self.off = shapely.union_all([self.off, area])
        for _, before in now.fed.values():
            if self.dexels is not None and self.first is None:
                area = shapely.union_all([before, self.off])
                self.dexels.keep_turned(area)
                self.first = (self.dexels, area)
            self.dexels, self.off = None, EMPTY

    def finished(self) -> Dexels:
        """The first piece, as it was when the bar came forward, or as it is now."""
        return self.first[0] if self.first is not None else self.metal()

    def milled(self) -> Dexels | None:
        """The dexels as the metal is now; none while no driven tool has cut."""
        return self.metal() if self.dexels is not None else None

    def _holding(self) -> Dexels | None:
        """What holds the bar, in coarse rays."""
        if self._held is None and not self.fixed.is_empty:
            z0, _, z1, r = self.fixed.bounds
            self._held = Dexels((-r, r, -r, r, max(z0, z1 - DEEP_MM), z1), HOLDING_CELL_MM)
            self._held.keep_turned(self.fixed)
        return self._held

    def state(self) -> LatheState:
        """Both as they are now."""
        milled = self.milled()
        return LatheState(self.round.state(), milled.state() if milled is not None else None, self.off)

    def shown(self) -> Area | Carving:
        """The half section, with the surface of the whole once a driven tool has cut."""
        milled = self.milled()
        if milled is None:
            return self.round.shown()
        surface = net(milled)
        milled.rest()
        return Carving(self.round.area, (surface.corners, surface.normals, surface.labels))

    def restore(self, state: LatheState) -> None:
        """Both as they were."""
        self.round.restore(state.section)
        self._synced, self.off = shapely.union_all([state.section, state.off]), state.off
        self.dexels = Dexels.of(state.dexels) if state.dexels is not None else None

    def volume(self) -> float:
        """Metal left, mm³: that of the section, less what driven tools took of it."""
        return self.round.volume() - self.taken()

    def taken(self) -> float:
        """What driven tools took of the part that is turned, mm³: against rays through the same part, so that how finely these lie matters little."""
        if self.first is None and self.milled() is None:
            return 0.0
        milled, area = self.first or (self.metal(), self._synced)
        whole = Dexels(milled.bounds, milled.cell)
        whole.keep_turned(area)
        return whole.volume() - milled.volume()

    def compare(self, finished: list[Area]) -> Difference:
        """What was turned, against the blank without some areas."""
        return self.round.compare(finished)

    def mesh(self, labels: list[tuple[int, Area]] | None = None) -> Mesh:
        """Its surface."""
        return self.round.mesh(labels)

    def section(self, x: float = 0.0) -> list[NDArray[np.float64]]:
        """Outlines of what was turned, as (z, r)."""
        return self.round.section(x)
