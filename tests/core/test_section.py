"""The section of a block against its surface, and where outlines cross a line."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bastler.core.geometry.cutaway import CURVE_POINTS, profile
from bastler.core.geometry.path import Arc, Line, Path
from bastler.core.geometry.shapes import Box, Prism, Removal, RoundHole, height_at
from bastler.core.geometry.underside import Profile
from bastler.core.verify.grid import surface

BLOCK = Box(0.0, 100.0, 0.0, 60.0, -20.0, 0.0)


@st.composite
def removals(draw: st.DrawFn) -> Removal:
    centre = (draw(st.floats(0, 100)), draw(st.floats(0, 60)))
    floor = draw(st.floats(-25, 0))
    if draw(st.booleans()):
        radius, flat = draw(st.floats(1, 20)), draw(st.sampled_from((0.0, 0.4, 1.0)))
        slope = draw(st.sampled_from((0.0, 0.6, 1.0)))
        return RoundHole(
            centre, Profile(radius, flat * radius, slope=slope, step=draw(st.sampled_from((0.0, 2.0)))), floor
        )
    width = draw(st.floats(4, 40))
    corner = draw(st.floats(0, width / 2))
    fillet = draw(st.sampled_from((0.0, min(1.0, corner))))
    return Prism(centre, draw(st.floats(width, 60)), width, corner, draw(st.floats(-90, 90)), floor, fillet)


@given(st.lists(removals(), max_size=4), st.floats(0.1, 59.9))
def test_the_section_is_the_surface_along_its_line(shapes: list[Removal], y: float) -> None:
    cut = profile(BLOCK, shapes, y)
    xs, zs = [p[0] for p in cut], [p[1] for p in cut]
    assert (xs[0], xs[-1]) == (0.0, 100.0)
    assert xs == sorted(xs)
    curved = any(not s.flat for s in shapes)
    for x in np.linspace(0.05, 99.95, 173):
        if min(abs(x - e) for e in xs) < 1e-4:
            continue
        true = max(min([0.0, *(height_at(s, float(x), y) for s in shapes)]), -20.0)
        drawn = float(np.interp(x, xs, zs))
        assert drawn == pytest.approx(true, abs=60 / CURVE_POINTS if curved else 1e-9)


@given(removals())
def test_numbers_and_arrays_give_the_same_surface(shape: Removal) -> None:
    x, y = np.linspace(-10, 110, 37), np.linspace(-5, 65, 37)
    together = surface(shape, x, y)
    for i in range(len(x)):
        one = height_at(shape, float(x[i]), float(y[i]))
        assert one == together[i] or one == pytest.approx(together[i], abs=1e-9)


@given(removals(), st.floats(0, 60))
def test_outlines_cross_where_the_depth_is_nothing(shape: Removal, y: float) -> None:
    found = shape.outlines()[0].crossings(y)
    low, high = shape.bounds()[2:]
    if low + 0.01 < y < high - 0.01:
        assert len(found) >= 2
    for x in found:
        assert shape.depth(x, y) == pytest.approx(0.0, abs=1e-6)


def test_a_line_along_an_edge_gives_its_ends_and_an_arc_only_its_own_part() -> None:
    square = Path((0.0, 0.0), (Line((10.0, 0.0)), Line((10.0, 10.0)), Line((0.0, 10.0)), Line((0.0, 0.0))))
    assert square.crossings(0.0) == [0.0, 0.0, 0.0, 10.0, 10.0] or set(square.crossings(0.0)) == {0.0, 10.0}
    assert square.crossings(5.0) == [0.0, 10.0]
    assert square.crossings(11.0) == []
    upper = Path((10.0, 0.0), (Arc((-10.0, 0.0), (0.0, 0.0), True),))
    assert upper.crossings(6.0) == pytest.approx([-8.0, 8.0])
    assert upper.crossings(-6.0) == []
    right = Path((0.0, -10.0), (Arc((0.0, 10.0), (0.0, 0.0), True),))
    assert right.crossings(6.0) == pytest.approx([8.0])
    assert math.isclose(right.crossings(0.0)[0], 10.0)
