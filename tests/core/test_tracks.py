"""Paths cut to length and offset, and the channel that a tool leaves along them."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bastler.core.geometry.path import Path, rounded_rectangle
from bastler.core.geometry.track import Track
from bastler.core.geometry.underside import Profile
from bastler.core.moves import Feed, Turn
from bastler.core.planning.channel import Tabs, down_and_round, gaps

halves = st.floats(10, 40)
RADIUS = 3.0
MILL = Profile(RADIUS, RADIUS)


@given(a=halves, b=halves, corner=st.floats(0, 10))
def test_the_length_is_that_of_sides_and_corners(a: float, b: float, corner: float) -> None:
    loop = rounded_rectangle(a, b, corner)
    assert loop.length == pytest.approx(4 * (a + b) - 8 * corner + math.tau * corner)
    assert loop.reversed().length == pytest.approx(loop.length)


@given(a=halves, b=halves, corner=st.floats(0, 10), begin=st.floats(0, 1), more=st.floats(0.01, 2))
def test_a_part_is_as_long_as_asked_and_lies_on_the_path(
    a: float, b: float, corner: float, begin: float, more: float
) -> None:
    loop = rounded_rectangle(a, b, corner).reversed()
    whole = loop.length
    part = loop.part(begin * whole, (begin + more) * whole)
    assert part.length == pytest.approx(more * whole)
    on_loop = Track(loop, Profile(0.0), 0.0)
    assert all(abs(on_loop.depth(x, y)) < 1e-4 for x, y in part.points(1e-5))


@given(a=halves, b=halves, corner=st.floats(4, 10), left=st.floats(-5, 3.9))
def test_a_parallel_loop_is_the_loop_of_another_size(a: float, b: float, corner: float, left: float) -> None:
    found = rounded_rectangle(a, b, corner).parallel(left)
    wanted = rounded_rectangle(a - left, b - left, corner - left)
    assert found.length == pytest.approx(wanted.length)
    assert found.start == pytest.approx(wanted.start)
    assert found.end == pytest.approx(wanted.end)


@given(
    a=halves,
    b=halves,
    corner=st.floats(3, 10),
    begin=st.floats(0, 0.99),
    share=st.floats(0.05, 0.9),
    closed=st.booleans(),
)
def test_a_track_is_deep_by_the_distance_to_its_path(
    a: float, b: float, corner: float, begin: float, share: float, closed: bool
) -> None:
    loop = rounded_rectangle(a, b, corner)
    path = loop if closed else loop.part(begin * loop.length, (begin + share) * loop.length)
    track = Track(path, MILL, -2.0)
    x, y = np.meshgrid(np.linspace(-a - 4, a + 4, 9), np.linspace(-b - 4, b + 4, 9))
    points = np.array(_close(path))
    brute = np.hypot(x[..., None] - points[:, 0], y[..., None] - points[:, 1]).min(axis=-1)
    assert track.depth(x, y) == pytest.approx(RADIUS - brute, abs=0.06)
    assert track.depth(float(x[2, 3]), float(y[2, 3])) == pytest.approx(track.depth(x, y)[2, 3])
    x0, x1, y0, y1 = track.bounds()
    inside = track.depth(x, y) >= 0
    assert ((x[inside] >= x0) & (x[inside] <= x1) & (y[inside] >= y0) & (y[inside] <= y1)).all()


def _close(path: Path) -> list[tuple[float, float]]:
    """Points at most 0.1 mm apart."""
    count = max(int(path.length / 0.1), 2)
    return [path.part(0, path.length * i / count).end for i in range(count + 1)]


def test_the_edge_of_an_open_track_goes_once_round_it() -> None:
    loop = rounded_rectangle(30, 20, 8)
    (edge,) = Track(loop.part(10, 80), MILL, 0.0).outlines()
    points = np.array(edge.points(1e-4))
    x, y = points[:, 0], points[:, 1]
    area = abs(np.dot(x[:-1], y[1:]) - np.dot(x[1:], y[:-1])) / 2
    assert edge.start == pytest.approx(edge.end)
    assert area == pytest.approx(2 * RADIUS * 70 + math.pi * RADIUS**2, rel=1e-4)


@given(count=st.integers(1, 5), length=st.floats(1, 8))
def test_what_lies_between_tabs_is_the_rest_of_a_lap(count: int, length: float) -> None:
    loop = rounded_rectangle(40, 30, 8).reversed()
    tabs = Tabs(count, length, -5.0)
    found = gaps(loop, tabs, RADIUS)
    assert len(found) == count
    assert sum(g.length for g in found) == pytest.approx(loop.length - count * (length + 2 * RADIUS))


@given(count=st.integers(0, 4), depth=st.floats(1, 12), slope=st.floats(0.01, 0.1))
def test_a_ramp_never_dives_and_ends_with_a_lap_on_the_floor(count: int, depth: float, slope: float) -> None:
    loop = rounded_rectangle(40, 30, 8).reversed()
    tabs = Tabs(count, 5.0, -depth + 0.5) if count else None
    moves = down_and_round(loop, tabs, RADIUS, 0.0, -depth, slope, 300.0, 100.0)
    z, here = 0.0, loop.part(loop.length / (2 * count) if count else 0.0, loop.length).start
    flat = 0.0
    for m in moves:
        assert isinstance(m, Feed | Turn)
        there = (m.x, m.y) if m.x is not None and m.y is not None else here
        if there != here:
            assert m.z is None or abs(m.z - z) <= slope * math.dist(here, there) * 1.6 + 1e-6
            if (z if m.z is None else m.z) == pytest.approx(-depth) and z == pytest.approx(-depth):
                flat += math.dist(here, there)
        else:
            assert tabs is not None, "straight down only behind a tab"
            assert m.z is not None
            assert m.z >= -depth - 1e-9
        here, z = there, z if m.z is None else m.z
    assert z == pytest.approx(-depth) or z == pytest.approx(-depth + 0.5)
    assert flat > 0.4 * loop.length
