"""A stock laid otherwise: nothing is lost, and turned twice it is what it was."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bastler.core.fields import Values
from bastler.core.geometry.path import Line, Path
from bastler.core.geometry.placement import Placement
from bastler.core.geometry.shapes import Box, Prism, RoundHole, rectangle
from bastler.core.geometry.track import Track
from bastler.core.geometry.underside import Profile
from bastler.core.job.reclamped import Lying, lying
from bastler.core.verify.grid import Grid
from bastler.core.verify.heightfield import HeightField
from bastler.core.verify.leftbefore import laid

BLOCK = Box(-10, 30, -5, 25, -12, 0)
ways = st.builds(
    lambda over, quarter: lying(Values({"turned_over": over, "quarter": quarter}), BLOCK),
    st.sampled_from(["no", "x", "y"]),
    st.sampled_from(["0", "90", "180", "270"]),
)


def carved(seed: int) -> HeightField:
    """A block with hills, holes, and an underside that was cut before."""
    rng = np.random.default_rng(seed)
    stock = HeightField(BLOCK, {}, 1.0)
    stock.heights[:] = rng.uniform(-11, 0, stock.heights.shape)
    stock.underside[:] = np.where(
        rng.random(stock.heights.shape) < 0.2, stock.heights - rng.uniform(0.5, 1, stock.heights.shape), BLOCK.z0
    )
    stock.heights[rng.random(stock.heights.shape) < 0.1] = BLOCK.z0
    return stock


def lay(stock: HeightField, way: Lying) -> HeightField:
    block = way.box(stock.block)
    return HeightField(block, {}, stock.grid.cell, (), lambda grid: laid(stock, way, block, grid))


@given(way=ways, seed=st.integers(0, 20))
@settings(max_examples=40)
def test_the_metal_stays_the_same(way: Lying, seed: int) -> None:
    stock = carved(seed)
    there = lay(stock, way)
    assert there.volume() == pytest.approx(stock.volume(), rel=1e-5)
    assert there.heights.max() <= there.block.z1 + 1e-4
    assert there.underside.min() >= there.block.z0 - 1e-4


@given(way=ways, seed=st.integers(0, 20))
@settings(max_examples=40)
def test_laid_back_it_is_what_it_was(way: Lying, seed: int) -> None:
    stock = carved(seed)
    there = lay(stock, way)
    back = Lying(way.place.inverse(), way.over, way.lift if way.over else -way.lift)
    again = lay(there, back)
    solid = stock.heights > stock.underside
    assert (again.heights > again.underside) == pytest.approx(solid)
    assert again.heights[solid] == pytest.approx(stock.heights[solid], abs=1e-4)
    assert again.underside[solid] == pytest.approx(stock.underside[solid], abs=1e-4)


@given(way=ways, ix=st.integers(0, 39), iy=st.integers(0, 29))
@settings(max_examples=60)
def test_a_cell_goes_where_its_point_goes(way: Lying, ix: int, iy: int) -> None:
    stock = HeightField(BLOCK, {}, 1.0)
    stock.heights[iy, ix] = -7.0
    there = lay(stock, way)
    x, y = way.place.point(stock.grid.point(ix, iy))
    jx, jy = there.grid.cell_of(x + 1e-6, y + 1e-6)
    if way.over:
        assert there.underside[jy, jx] == pytest.approx(way.z(-7.0))
        assert there.heights[jy, jx] == pytest.approx(way.z(BLOCK.z0))
    else:
        assert there.heights[jy, jx] == pytest.approx(way.z(-7.0))


def test_of_a_part_turned_over_only_what_went_through_is_known() -> None:
    over = lying(Values({"turned_over": "x", "quarter": "0"}), BLOCK)
    drilled = RoundHole((0.0, 0.0), Profile(3.0, 0.0, slope=0.6), -12.0 - 3.0)
    point_only = RoundHole((10.0, 0.0), Profile(3.0, 0.0, slope=0.6), -12.0 - 0.5)
    window, recess = Prism((15.0, 10.0), 8, 6, 2, 30.0, -12.5), Prism((15.0, 10.0), 8, 6, 2, 0.0, -4.0)
    slot = Track(Path((0.0, 20.0), (Line((20.0, 20.0)),)), Profile(2.0, 2.0), -13.0)
    found = over.removals([drilled, point_only, window, recess, slot], BLOCK)
    assert [type(r) for r in found] == [RoundHole, Prism, Track]
    assert all(r.floor == pytest.approx(-1.0) for r in found), "right through, and a little below the block"
    assert found[0].depth(*over.place.point((0.0, 0.0))) == pytest.approx(3.0)
    assert found[1].depth(*over.place.point((17.0, 11.0))) == pytest.approx(window.depth(17.0, 11.0))


@given(by=st.floats(-20, 20), x=st.floats(-30, 30), y=st.floats(-30, 30))
def test_shapes_are_lifted_whole(by: float, x: float, y: float) -> None:
    ring = rectangle((-9, 9, -7, 7), -3.0)
    shapes = (
        RoundHole((1, 2), Profile(2.0, 2.0), -4.0),
        ring,
        Track(Path((0, 0), (Line((5, 0)),)), Profile(1.0, 1.0), -2.0),
    )
    for shape in shapes:
        there = shape.lifted(by)
        assert there.floor == pytest.approx(shape.floor + by)
        assert there.depth(x, y) == shape.depth(x, y)


def test_a_grid_over_the_turned_block_has_as_many_cells() -> None:
    way = lying(Values({"turned_over": "no", "quarter": "90"}), BLOCK)
    one, other = Grid.over(BLOCK, 1.0), Grid.over(way.box(BLOCK), 1.0)
    assert (one.nx, one.ny) == (other.ny, other.nx)
    assert Placement((0, 0), 90.0).turn(10.0) == 100.0
