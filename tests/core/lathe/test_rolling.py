"""What rolls along a way or round an area, against a hull per piece joined one by one."""

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from bastler.core.geometry.rolling import grown, sweeps, swept
from bastler.core.tooling.cutters import hull

SAME_MM2 = 1e-7
seeds = st.integers(0, 10**9)


def convex(rng: np.random.Generator) -> np.ndarray:
    """A convex polygon, or a short straight line; now and then one whose sides run along the axes, either way round."""
    if rng.random() < 0.4:
        corners = np.array([(0, 0), (2, 0), (2, 1.5), (0, 1.5)], float)[: rng.integers(2, 5)]
    else:
        points = rng.normal(size=(rng.integers(2, 12), 2)) * rng.choice([0.3, 1.0, 4.0])
        corners = np.array(hull([(float(z), float(r)) for z, r in points]))
    return corners if rng.random() < 0.5 else corners[::-1]


def hulls(corners: np.ndarray, starts: np.ndarray, ends: np.ndarray) -> list[shapely.Geometry]:
    """The same as :func:`sweeps`, way by way."""
    return [
        shapely.MultiPoint(np.concatenate([corners + a, corners + b])).convex_hull
        for a, b in zip(starts, ends, strict=True)
    ]


def differ(a: shapely.Geometry, b: shapely.Geometry) -> float:
    """mm² that are in one of them only, beyond what rounding turns over."""
    return max(shapely.difference(a, b.buffer(1e-7)).area, shapely.difference(b, a.buffer(1e-7)).area)


@given(seed=seeds)
@settings(max_examples=60)
def test_a_straight_way_is_the_hull_of_both_ends(seed: int) -> None:
    rng = np.random.default_rng(seed)
    corners, starts = convex(rng), rng.normal(size=(6, 2))
    ends = starts + rng.normal(size=(6, 2)) * 3
    ends[0] = starts[0]
    ends[1] = starts[1] + [1.0, 0.0]
    ends[2] = starts[2] + corners[1] - corners[0]
    for ours, plain in zip(sweeps(corners, starts, ends), hulls(corners, starts, ends), strict=True):
        assert ours.is_valid
        assert ours.hausdorff_distance(plain) < 1e-9


@given(seed=seeds)
@settings(max_examples=60)
def test_a_chain_is_all_its_straight_ways(seed: int) -> None:
    rng = np.random.default_rng(seed)
    corners, n = convex(rng), int(rng.integers(2, 30))
    steps = rng.integers(-1, 2, size=(n, 2)).astype(float) if rng.random() < 0.4 else rng.normal(size=(n, 2))
    points = np.cumsum(steps, axis=0)
    if rng.random() < 0.3:
        points[-1] = points[0]
    ours = swept(corners, points)
    assert ours.is_valid
    assert differ(ours, shapely.union_all(hulls(corners, points[:-1], points[1:]))) < SAME_MM2


@given(seed=seeds)
@settings(max_examples=60)
def test_grown_is_the_area_and_all_along_its_border(seed: int) -> None:
    rng = np.random.default_rng(seed)
    corners = convex(rng)
    pieces = [
        shapely.box(x, y, x + w, y + h) if rng.random() < 0.5 else shapely.Point(x, y).buffer(w, quad_segs=40)
        for x, y, w, h in rng.integers(1, 9, size=(int(rng.integers(2, 8)), 4)).tolist()
    ]
    area = shapely.difference(shapely.union_all(pieces), shapely.box(3, 3, 3 + rng.uniform(0.5, 4), 5))
    back = -corners
    found: list[shapely.Geometry] = [shapely.transform(area, lambda p: p + back[0])]
    for part in shapely.get_parts(area):
        for ring in (part.exterior, *part.interiors):
            p = np.asarray(ring.coords)
            found += hulls(back, p[:-1], p[1:])
    ours = grown(area, tuple((float(z), float(r)) for z, r in corners))
    assert ours.is_valid
    assert differ(ours, shapely.union_all(found)) < SAME_MM2


def test_a_tool_that_stands_still_covers_itself() -> None:
    square = np.array([(0, 0), (1, 0), (1, 1), (0, 1)], float)
    assert swept(square, np.array([(3.0, 4.0)])).area == pytest.approx(1.0)
    assert swept(square, np.array([(3.0, 4.0)] * 3)).bounds == pytest.approx((3, 4, 4, 5))
    assert swept(square[:1], np.array([(3.0, 4.0), (3.0, 6.0)])).length == pytest.approx(2.0)
