"""Colours of a stock: whose step cut a cell, how far it is off, and what changed since a moment that is held."""

from __future__ import annotations

import numpy as np
import pytest

from bastler.core.checked import DEVIATIONS, deviation
from bastler.core.engine import Engine
from bastler.core.request import Request
from bastler.ui.scene.labels import labels_of
from tests.jobs import CORNERS, FACE, LEFT, plate

HUES = 8


@pytest.fixture(scope="module")
def engine() -> Engine:
    engine = Engine()
    engine.checked = engine.check(Request(plate(FACE, LEFT, CORNERS), cell=0.5))  # type: ignore[attr-defined]
    return engine


def test_cells_have_the_hue_of_the_step_that_cut_them(engine: Engine) -> None:
    checked = engine.checked  # type: ignore[attr-defined]
    labels = labels_of(checked.field.heights, ("steps", checked.field.cut_by, checked.step_of_move, None, HUES))
    where = {0: (100, 60), 1: (48, 60), 2: (12, 12)}
    for step, (x, y) in where.items():
        ix, iy = checked.field.grid.cell_of(x, y)
        assert labels[iy, ix] == step
    assert labels.dtype == np.int32
    assert set(np.unique(labels)) <= {-1, 0, 1, 2}


def test_only_what_changed_since_is_coloured(engine: Engine) -> None:
    checked = engine.checked  # type: ignore[attr-defined]
    after_face = int(np.flatnonzero(checked.step_of_move == 0)[-1])
    held, _ = engine.stock_at(after_face, 1.0)
    labels = labels_of(checked.field.heights, ("steps", checked.field.cut_by, checked.step_of_move, held, HUES))
    assert set(np.unique(labels)) == {-1, 1, 2}
    same = labels_of(held, ("steps", checked.field.cut_by, checked.step_of_move, held, HUES))
    assert (same == -1).all()


def test_deviation_has_a_class_for_every_cell(engine: Engine) -> None:
    checked = engine.checked  # type: ignore[attr-defined]
    right = next(i for i, (word, _) in enumerate(DEVIATIONS) if word == "right")
    bottom = -20.0
    labels = labels_of(checked.field.heights, ("deviation", checked.field.target, bottom))
    assert (labels == right).mean() > 0.999
    high = labels_of(checked.field.heights + np.float32(0.2), ("deviation", checked.field.target, bottom - 1))
    assert (high == right + 1).mean() > 0.99
    low = deviation(checked.field.heights - np.float32(0.5), checked.field.target)
    assert (low == 0).mean() > 0.99


def test_raw_stock_and_an_empty_program_have_no_hue() -> None:
    heights = np.zeros((3, 4), np.float32)
    assert (labels_of(heights, ("raw",)) == -1).all()
    assert (labels_of(heights, ("steps", np.full((3, 4), -1), np.zeros(0, np.int32), None, HUES)) == -1).all()
