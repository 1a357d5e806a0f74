"""Stocks of checked programs, as the kind that a test is about."""

from __future__ import annotations

from bastler.core.engine import Engine
from bastler.core.verify.heightfield import HeightField


def height_field(engine: Engine) -> HeightField:
    """The stock of a mill's check."""
    assert isinstance(engine.stock, HeightField)
    return engine.stock
