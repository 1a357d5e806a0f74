"""Points to measure from, and going from one to the next."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bastler.core.geometry.shapes import Box, Prism, RoundHole
from bastler.core.geometry.snaps import nearest, snaps, towards
from bastler.core.geometry.underside import Profile

BLOCK = Box(0, 100, 0, 60, -20, 0)


def test_corners_middles_and_centres_are_there() -> None:
    pocket = Prism((50, 30), 40, 20, 5, 0.0, -5)
    hole = RoundHole((12, 12), Profile(4.0, 4.0), -10)
    points = snaps((BLOCK,), (pocket, hole))
    assert points[0] == (0.0, 0.0)
    wanted = [
        (0, 0),
        (100, 60),
        (50, 0),
        (50, 30),
        (12, 12),
        (65, 40),
        (65, 35),
        (70, 35),
        (50, 40),
        (70, 30),
        (16, 12),
    ]
    for point in wanted:
        assert any(math.dist(point, p) < 1e-9 for p in points), point
    assert len({(round(x, 3), round(y, 3)) for x, y in points}) == len(points)


def test_nothing_is_snapped_to_from_far() -> None:
    assert nearest([(0, 0), (10, 0)], (9, 1), 2.0) == (10, 0)
    assert nearest([(0, 0), (10, 0)], (5, 0), 2.0) is None
    assert nearest([], (5, 0), 2.0) is None


@given(
    points=st.lists(st.tuples(st.floats(-50, 50), st.floats(-50, 50)), min_size=1, max_size=20),
    way=st.sampled_from([(1, 0), (-1, 0), (0, 1), (0, -1)]),
)
def test_arrows_only_go_their_way_and_come_to_an_end(points: list[tuple[float, float]], way: tuple[int, int]) -> None:
    here = points[0]
    for _ in range(len(points)):
        there = towards(points, here, way)
        if there == here:
            break
        assert (there[0] - here[0]) * way[0] + (there[1] - here[1]) * way[1] > 0
        here = there
    assert towards(points, here, way) == here


def test_arrows_take_the_next_in_line() -> None:
    points = [(0.0, 0.0), (10.0, 1.0), (20.0, 0.0), (5.0, 30.0)]
    assert towards(points, (0.0, 0.0), (1, 0)) == (10.0, 1.0)
    assert towards(points, (20.0, 0.0), (-1, 0)) == pytest.approx((10.0, 1.0))
    assert towards(points, (0.0, 0.0), (0, 1)) == (5.0, 30.0)
