"""Which colour each cell of a stock has, worked out in the scene's own process: it is much for the window's."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from bastler.core.checked import deviation

HELD_MM = 1e-3
Labels = NDArray[np.int32]
Heights = NDArray[np.float32]
Recipe: TypeAlias = tuple[Any, ...]
"""The name of a way to label cells, and what it needs besides the heights."""


def by_steps(heights: Heights, cut_by: Labels, step_of_move: Labels, held: Heights | None, hues: int) -> Labels:
    """The hue of the step that cut a cell last, -1 for raw stock; with ``held`` heights only where they differ."""
    if not len(step_of_move):
        return np.full(heights.shape, -1, np.int32)
    if held is not None:
        cut_by = np.where(np.abs(heights - held) > HELD_MM, cut_by, -1)
    owner = np.where(cut_by >= 0, step_of_move[np.maximum(cut_by, 0)], -1)
    return np.where(owner >= 0, owner % hues, -1).astype(np.int32)


def by_deviation(heights: Heights, target: Heights, bottom: float) -> Labels:
    """The class of a cell's deviation from the finished shape."""
    return np.where(heights <= bottom, deviation(target, target), deviation(heights, target)).astype(np.int32)


def raw(heights: Heights) -> Labels:
    """Stock that nothing has cut."""
    return np.full(heights.shape, -1, np.int32)


KINDS: dict[str, Callable[..., Labels]] = {"steps": by_steps, "deviation": by_deviation, "raw": raw}


def labels_of(heights: Heights, recipe: Recipe) -> Labels:
    """Labels by the name of a way and what it needs."""
    kind, *needs = recipe
    return KINDS[kind](heights, *needs)
