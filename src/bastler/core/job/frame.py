"""A setup as geometry, whatever the machine: machine, material, block, part, what is in the way."""

from __future__ import annotations

from msgspec import Struct

from bastler.core.geometry.path import Point
from bastler.core.geometry.shapes import Box, Piece
from bastler.core.job.document import WORK_OFFSETS
from bastler.core.job.held import Chucking
from bastler.core.job.holding import Obstacle
from bastler.core.job.reclamped import Lying
from bastler.core.tooling.machines import Machine
from bastler.core.tooling.materials import Material


class Frame(Struct, frozen=True):
    """A setup turned into geometry; program coordinates, mm. ``machine_origin``: where machine zero lies, all axes at their upper right end."""

    machine: Machine
    material: Material
    block: Box
    part: Box
    clearance: float
    obstacles: tuple[Obstacle, ...]
    table_z: float
    machine_origin: tuple[float, float, float]
    pieces: tuple[Piece, ...] = ()
    parts: tuple[Point, ...] = ((0.0, 0.0),)
    lying: Lying | None = None
    chucking: Chucking | None = None

    @property
    def held(self) -> Chucking:
        """How a lathe holds its stock; only a lathe's own code asks for it."""
        if self.chucking is None:
            raise TypeError(f"{self.machine.name} has no chuck")
        return self.chucking

    @property
    def bed(self) -> Box:
        """The box round the blocks of all parts."""
        b, xs, ys = self.block, [p[0] for p in self.parts], [p[1] for p in self.parts]
        return Box(b.x0 + min(xs), b.x1 + max(xs), b.y0 + min(ys), b.y1 + max(ys), b.z0, b.z1)

    def stock_volume(self) -> float:
        """The raw stock of a mill's first setup, mm³."""
        b = self.bed
        area = sum(p.area for p in self.pieces) if self.pieces else b.size[0] * b.size[1]
        return area * b.size[2]

    @property
    def round(self) -> bool:
        """Whether the stock is a bar or a tube."""
        return bool(self.pieces) and self.pieces[0].outline.corner > 0

    def offset_names(self, first: str) -> tuple[str, ...]:
        """The work offset of each part, counted on from the setup's own."""
        at = WORK_OFFSETS.index(first) if first in WORK_OFFSETS else 0
        return tuple(WORK_OFFSETS[at + i] if at + i < len(WORK_OFFSETS) else "" for i in range(len(self.parts)))
