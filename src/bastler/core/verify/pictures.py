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
State: TypeAlias = "Cells | Area"
"""The metal at a moment: heights and who cut each cell, or a half section."""


def cells(state: State) -> Cells:
    """The state of a height field."""
    assert isinstance(state, tuple)
    return state


def section(state: State) -> Area:
    """The state of a half section."""
    assert not isinstance(state, tuple)
    return state


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
    """Half sections of a turned part (shapely areas in z, r): raw, cut, as the steps declare it, and what has come off; ``prism``: a bar with flats."""

    blank: Area
    stock: Area
    target: Area
    fallen: Area
    prism: FlatBar | None = None
    counted = (2.0, 1.0, 1.0)

    @property
    def state(self) -> Area:
        """The stock's state at the end."""
        return self.stock

    @property
    def how(self) -> str:
        """How finely it was checked, in words."""
        return "as an exact section"

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
