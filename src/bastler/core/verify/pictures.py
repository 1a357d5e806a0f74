"""The stock of a check as plain values that travel between processes: one class a kind of stock.

Kept apart from the stocks so that the window can hold them without loading compiled kernels.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, TypeAlias

import numpy as np
from numpy.typing import NDArray

from bastler.core.geometry.flatsided import FlatBar
from bastler.core.verify.grid import Grid

if TYPE_CHECKING:
    from bastler.core.geometry.halfsection import Area

Cells: TypeAlias = tuple[NDArray[np.float32], NDArray[np.int32]]
Net: TypeAlias = tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.int32]]
"""Corners, normals and labels of a :class:`bastler.core.verify.mesh.Mesh`, as plain arrays."""


@dataclass(frozen=True)
class Carving:
    """A turned part that driven tools have cut: what was turned, and the surface of the whole, a quarter left out (:func:`bastler.core.verify.netmesh.net`)."""

    section: Area
    surface: Net


State: TypeAlias = "Cells | Area | Carving"
"""The metal at a moment: heights and who cut each cell, a half section, or that with what driven tools cut."""


def cells(state: State) -> Cells:
    """The state of a height field."""
    assert isinstance(state, tuple)
    return state


def section(state: State) -> Area:
    """The half section of a state."""
    assert not isinstance(state, tuple)
    return state.section if isinstance(state, Carving) else state


@dataclass(frozen=True)
class HeightPicture:
    """A height field after the last move: ``cut_by`` the move that cut each cell or -1; ``target`` the finished shape on the same cells."""

    grid: Grid
    heights: NDArray[np.float32]
    cut_by: NDArray[np.int32]
    target: NDArray[np.float32]
    counted = (1.0, 1.0, 1.0)
    """By what X, Y and Z are told times their mm."""

    @property
    def state(self) -> Cells:
        """The stock's state at the end (:meth:`bastler.core.verify.stock.Stock.state`)."""
        return self.heights, self.cut_by

    @property
    def how(self) -> str:
        """How finely it was checked, in words."""
        return f"cells of {self.grid.cell:g} mm"

    def taken(self, removed: NDArray[np.float64], before: float, after: float) -> float:
        """Metal that is gone, mm³."""
        return before - after


@dataclass(frozen=True)
class SectionPicture:
    """Half sections of a turned part (shapely areas in z, r): raw, cut, as the steps declare it, and what has come off; ``prism``: a bar with flats.
    ``surface``: that of the whole with a quarter open, where driven tools cut besides, in rays ``cell`` mm apart; ``closed``: all of it."""

    blank: Area
    stock: Area
    target: Area
    fallen: Area
    prism: FlatBar | None = None
    surface: Net | None = None
    cell: float = 0.0
    closed: Net | None = None
    counted = (2.0, 1.0, 1.0)

    @property
    def state(self) -> Area | Carving:
        """The stock's state at the end."""
        return self.stock if self.surface is None else Carving(self.stock, self.surface)

    @property
    def how(self) -> str:
        """How finely it was checked, in words."""
        return "as an exact section" + (f", milled in rays {self.cell:g} mm apart" if self.cell else "")

    def taken(self, removed: NDArray[np.float64], before: float, after: float) -> float:
        """Metal that is gone, mm³, of all pieces that the bar gave."""
        return float(removed.sum())


Picture = HeightPicture | SectionPicture
NOTHING = HeightPicture(
    Grid(0.0, 0.0, 1.0, 1, 1),
    np.zeros((1, 1), np.float32),
    np.zeros((1, 1), np.int32),
    np.zeros((1, 1), np.float32),
)
"""Of a program that was read without a job."""
