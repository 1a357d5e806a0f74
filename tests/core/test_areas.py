"""Offsets, areas taken out of areas, bands beside paths, regions as finished shapes."""

from __future__ import annotations

import math
import random

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bastler.core.geometry.bands import band, beside
from bastler.core.geometry.combine import without
from bastler.core.geometry.nearest import begun_at, begun_near, nearest
from bastler.core.geometry.offsets import inset
from bastler.core.geometry.path import Arc, Line, Path, area, path_bounds, rounded_rectangle
from bastler.core.geometry.placement import Placement
from bastler.core.geometry.region import region
from bastler.core.geometry.track import Track
from bastler.core.planning.area import _straight_way
from bastler.core.planning.nest import nested, shrunk, stretches, swept, whole_area
from bastler.core.planning.tight import cornered, follows
from bastler.core.tooling.tools import Profile
from bastler.core.verify.grid import surface, surface_over

SEEDS = st.integers(0, 2**32 - 1)


def circle(x: float, y: float, r: float) -> Path:
    start = (x + r, y)
    return Path(start, (Arc(start, (x, y), True),))


def star(rng: random.Random, count: int, size: float, at: tuple[float, float] = (0.0, 0.0)) -> Path:
    """A closed outline of lines and bulges that doesn't cross itself."""
    points = []
    for i in range(count):
        a, r = math.tau * i / count, size * rng.uniform(0.7, 1.0)
        points.append((at[0] + r * math.cos(a), at[1] + r * math.sin(a)))
    elements: list[Line | Arc] = []
    for a, b in zip(points, points[1:] + points[:1], strict=True):
        if rng.random() < 0.4:
            bulge = rng.uniform(-0.25, 0.25)
            away = (1 - bulge * bulge) / (4 * bulge)
            centre = ((a[0] + b[0]) / 2 - away * (b[1] - a[1]), (a[1] + b[1]) / 2 + away * (b[0] - a[0]))
            elements.append(Arc(b, centre, bulge > 0))
        else:
            elements.append(Line(b))
    return Path(points[0], tuple(elements))


@pytest.mark.parametrize("by", [0.5, 2.0, 4.9, 5.0, 8.0, -3.0])
def test_a_rounded_rectangle_shrinks_and_grows_to_itself(by: float) -> None:
    found = inset([rounded_rectangle(30, 20, 5)], by)
    wanted = rounded_rectangle(30 - by, 20 - by, max(5 - by, 0.0))
    assert sum(area(p) for p in found) == pytest.approx(area(wanted), abs=1e-6)


def test_nothing_is_left_of_what_is_too_narrow() -> None:
    assert inset([rounded_rectangle(30, 20, 5)], 20.5) == []
    assert len(inset([rounded_rectangle(30, 4, 0)], 3.0)) == 1


def test_a_neck_falls_into_two() -> None:
    waist = without([rounded_rectangle(40, 12, 0)], [circle(0, 14, 10), circle(0, -14, 10)])
    assert len(inset(waist, 5.0)) == 2


@given(SEEDS, st.floats(0.3, 6), st.floats(0.3, 6))
@settings(max_examples=60)
def test_two_insets_are_one(seed: int, a: float, b: float) -> None:
    rng = random.Random(seed)
    paths = [star(rng, rng.randint(3, 14), 30)]
    if rng.random() < 0.5:
        paths.append(circle(rng.uniform(-5, 5), rng.uniform(-5, 5), rng.uniform(2, 6)).reversed())
    twice, once = inset(inset(paths, a), b), inset(paths, a + b)
    assert sum(area(p) for p in twice) == pytest.approx(sum(area(p) for p in once), abs=1e-3)


@given(SEEDS, st.floats(0.5, 5))
@settings(max_examples=40)
def test_every_point_of_an_inset_is_that_far_inside(seed: int, by: float) -> None:
    rng = random.Random(seed)
    paths = [star(rng, rng.randint(3, 14), 30)]
    edge = region(paths, 0.0)
    for loop in inset(paths, by):
        for p in loop.points(0.5):
            assert edge.depth(*p) == pytest.approx(by, abs=1e-4) or edge.depth(*p) >= by - 1e-4


def test_islands_are_taken_out() -> None:
    outline = rounded_rectangle(30, 20, 5)
    whole = area(outline)
    for islands, lost in (
        ([circle(0, 0, 5)], 25 * math.pi),
        ([circle(30, 0, 5)], 12.5 * math.pi),
        ([circle(0, 0, 5), circle(0, 0, 3)], 25 * math.pi),
        ([rounded_rectangle(5, 5, 0).placed((0, -15), 0)], 100.0),
        ([circle(100, 0, 5)], 0.0),
        ([rounded_rectangle(50, 50, 0)], whole),
    ):
        assert sum(area(p) for p in without([outline], islands)) == pytest.approx(whole - lost, abs=1e-6)


@given(SEEDS)
@settings(max_examples=40)
def test_a_region_rastered_is_the_region_point_by_point(seed: int) -> None:
    rng = random.Random(seed)
    edge = without([star(rng, rng.randint(3, 10), 20)], [circle(rng.uniform(-4, 4), 1.0, rng.uniform(1, 5))])
    if not edge:
        return
    one = region(edge, -3.0, rng.choice((0.0, 1.0)))
    xs, ys = np.linspace(-23, 23, 57), np.linspace(-22, 22, 53)
    x, y = np.meshgrid(xs, ys)
    assert np.allclose(surface_over(one, xs, ys), surface(one, x, y))


def test_a_region_keeps_its_depth_when_moved_turned_and_mirrored() -> None:
    rng = random.Random(3)
    one = region([star(rng, 7, 20), circle(2, 1, 4).reversed()], -2.0)
    for where in (Placement((5, -3), 40), Placement((1, 2), -70, True)):
        moved = one.placed(where)
        for _ in range(50):
            p = (rng.uniform(-20, 20), rng.uniform(-20, 20))
            assert moved.depth(*where.point(p)) == pytest.approx(one.depth(*p), abs=1e-9)
    assert one.lifted(1.0).floor == -1.0


def test_a_region_covers_what_lies_inside_and_nothing_else() -> None:
    one = region([rounded_rectangle(30, 20, 5), circle(0, 0, 4).reversed()], 0.0, 1.0)
    assert one.covers((8, 20, -10, 10))
    assert not one.covers((-8, 8, -8, 8)), "the island stands there"
    assert not one.covers((8, 30, -10, 10)), "the fillet rises there"


def test_bands_round_paths() -> None:
    line = Path((0, 0), (Line((10, 0)),))
    assert sum(area(p) for p in band(line, 2)) == pytest.approx(40 + 4 * math.pi)
    assert sum(area(p) for p in band(circle(0, 0, 5), 2)) == pytest.approx(40 * math.pi)
    hook = Path((0, 0), (Line((20, 0)), Line((20, 3)), Line((0, 3))))
    both_ends = 4 * math.pi - (8 * math.acos(0.75) - 1.5 * math.sqrt(7)) / 2
    exact = 20 * 7 + 2 * 3 + 2 * math.pi + both_ends
    assert sum(area(p) for p in band(hook, 2)) == pytest.approx(exact)


def test_beside_an_open_path() -> None:
    path = Path((0, 0), (Line((10, 0)), Line((10, 10))))
    (left,), (right,) = beside(path, 2.0), beside(path, -2.0)
    assert (left.start, left.end) == ((0, 2), (8, 10))
    assert left.length == pytest.approx(16)
    assert right.length == pytest.approx(20 + math.pi), "round the corner"


@given(SEEDS)
@settings(max_examples=40)
def test_a_loop_begun_elsewhere_is_the_same_loop(seed: int) -> None:
    rng = random.Random(seed)
    loop = star(rng, rng.randint(3, 9), 20)
    p = (rng.uniform(-30, 30), rng.uniform(-30, 30))
    at, away = nearest(loop, p)
    turned = begun_near(loop, p)
    assert turned.start == pytest.approx(at)
    assert turned.end == pytest.approx(at)
    assert turned.length == pytest.approx(loop.length)
    assert area(turned) == pytest.approx(area(loop))
    assert away == pytest.approx(
        min(math.dist(p, loop.part(0.0, loop.length * k / 2000).end) for k in range(1, 2001)), abs=0.05
    )
    assert begun_at(loop, loop.start) == loop


@given(SEEDS, st.floats(2, 5), st.floats(0.3, 1.0))
@settings(max_examples=25)
def test_nested_loops_reach_everything(seed: int, radius: float, share: float) -> None:
    """Each point that the tool can reach lies within its radius of some loop."""
    rng = random.Random(seed)
    edge = tuple(without([star(rng, rng.randint(4, 10), 25)], [circle(rng.uniform(-6, 6), 0, rng.uniform(1, 5))]))
    room = shrunk(edge, radius)
    reach = region(list(swept(room, radius)), 0.0) if room else None
    loops, waiting = list[Path](), list(nested(edge, radius, share * radius))
    while waiting:
        one = waiting.pop()
        loops += one.loops
        waiting += one.inner
    assert bool(loops) == (reach is not None)
    for _ in range(60 if reach is not None else 0):
        p = (rng.uniform(-25, 25), rng.uniform(-25, 25))
        if reach.depth(*p) > 1e-3:  # type: ignore[union-attr]
            assert min(nearest(loop, p)[1] for loop in loops) < radius + 1e-4


def test_wide_stretches_are_those_in_corners() -> None:
    outer, inner = rounded_rectangle(20, 20, 0), rounded_rectangle(16, 16, 0)
    parts = stretches(outer, (inner,), 4.2)
    wide = sum(s.path.length for s in parts if s.wide)
    assert sum(s.path.length for s in parts) == pytest.approx(160)
    assert wide == pytest.approx(8 * (4 - math.sqrt(4.2**2 - 16)), abs=1e-6)


def test_the_largest_tool_and_the_place_it_does_not_reach() -> None:
    edge = (rounded_rectangle(30, 20, 3),)
    assert follows(edge, 3.0)
    assert not follows(edge, 3.5)
    found = cornered(edge, lambda r: shrunk(edge, r), 6.0)
    assert found is not None
    (x, y), largest = found
    assert largest == 3.0
    assert (abs(x), abs(y)) == pytest.approx((30 - 3 + 3 * math.sqrt(0.5), 20 - 3 + 3 * math.sqrt(0.5)), abs=0.01)
    assert whole_area(edge) == pytest.approx(2400 - (4 - math.pi) * 9)


def test_a_track_is_the_tools_underside_along_its_path() -> None:
    one = Track(circle(0, 0, 10), Profile(5.0, 1.0, slope=1.0), -3.0)
    assert one.depth(10.0, 0.0) == 5.0
    assert one.floor + one.rise(one.depth(13.0, 0.0)) == pytest.approx(-1.0)
    outer, hole = sorted(one.outlines(), key=area, reverse=True)
    assert path_bounds(outer) == pytest.approx((-15, 15, -15, 15))
    assert path_bounds(hole) == pytest.approx((-5, 5, -5, 5))
    xs = np.linspace(-16, 16, 41)
    x, y = np.meshgrid(xs, xs)
    assert np.allclose(surface_over(one, xs, xs), surface(one, x, y))


@pytest.mark.parametrize("apart", [3.0, 3.6, 3.95])
def test_between_two_places_of_a_tool_its_corner_leaves_more_than_beside_a_wall(apart: float) -> None:
    """Discs of radius 4 about two squares meet in a point; the metal before it is what a corner radius of 1 leaves of it."""
    reach, fillet = 4.0, 1.0
    squares = [Path((s - 0.5, -0.5), tuple(Line(p) for p in ((s + 0.5, -0.5), (s + 0.5, 0.5), (s - 0.5, 0.5), (s - 0.5, -0.5)))) for s in (-apart - 0.5, apart + 0.5)]  # fmt: skip
    one = region(list(swept(tuple(squares), reach)), -5.0, fillet, centres=tuple(squares), reach=reach)
    xs, ys = np.linspace(-9, 9, 181), np.linspace(-5, 5, 101)
    x, y = np.meshgrid(xs, ys)
    from_centre = np.min(
        [np.hypot(np.maximum(abs(x - s) - 0.5, 0), np.maximum(abs(y) - 0.5, 0)) for s in (-apart - 0.5, apart + 0.5)],
        axis=0,
    )
    side = np.clip(from_centre - (reach - fillet), 0, fillet)
    wanted = np.where(from_centre < reach, -5.0 + fillet - np.sqrt(fillet**2 - side**2), np.inf)
    clear = abs(from_centre - reach) > 1e-6
    assert surface_over(one, xs, ys)[clear] == pytest.approx(wanted[clear], abs=1e-6)
    assert surface(one, x, y)[clear] == pytest.approx(wanted[clear], abs=1e-6)


def test_loops_end_where_a_pocket_has_become_a_line() -> None:
    """24 wide by loops 3 apart: the last one has no width, and nothing lies inside it."""
    loops = nested((rounded_rectangle(16, 12, 6),), 0.0, 3.0)
    depth, level = 0, loops
    while level:
        depth, level = depth + 1, tuple(child for one in level for child in one.inner)
    assert depth in (4, 5)


def test_a_way_from_one_side_of_an_island_to_the_other_is_no_straight_one() -> None:
    """Both ends lie on the island's own loop, and nothing is met between them: it runs through the island all along."""
    island = Path((9.0, 0.0), (Arc((-9.0, 0.0), (0.0, 0.0), False), Arc((9.0, 0.0), (0.0, 0.0), False)))
    outline = rounded_rectangle(40.0, 30.0, 5.0)
    assert not _straight_way((9.0, 0.0), (-9.0, 0.0), (outline, island))
    assert not _straight_way((0.0, 9.0), (9.0, 0.0), (outline, island))
    assert _straight_way((9.0, 0.0), (30.0, 10.0), (outline, island))
