"""Half sections, configuration space against brute force, slices, thread passes."""

from __future__ import annotations

import math
import random

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from bastler.core.cycles.threading import depth_for, over_pins
from bastler.core.fields import Values
from bastler.core.geometry.halfsection import as_path, box, mirrored, points_of, polygon, rounded, volume
from bastler.core.geometry.path import Arc, Line, Path
from bastler.core.geometry.rolling import grown, sweeps
from bastler.core.planning.lathe.slices import heights, passes
from bastler.core.planning.lathe.space import View, free, real, seen, space
from bastler.core.planning.lathe.threadpasses import cuts, first_for
from bastler.core.tooling.cutters import Cutter, Reach, turning_cutter
from bastler.core.tooling.inserts import read_insert


def test_volumes_are_those_of_the_solids() -> None:
    assert volume(box(0, 10, 0, 5)) == pytest.approx(250 * math.pi)
    assert volume(box(0, 10, 3, 5)) == pytest.approx(160 * math.pi)
    assert volume(polygon([(0, 0), (9, 0), (0, 4)])) == pytest.approx(math.pi * 16 * 9 / 3)
    ring = shapely.Point(0, 10).buffer(2, quad_segs=400)
    assert volume(ring) == pytest.approx(2 * math.pi * 10 * math.pi * 4, rel=1e-5)
    holed = box(0, 10, 0, 5).difference(box(2, 4, 1, 3))
    assert volume(holed) == pytest.approx(250 * math.pi - 2 * 8 * math.pi)


@given(reach=st.sampled_from(["out", "in", "face"]), back=st.booleans(), z=st.floats(-50, 50), r=st.floats(-50, 50))
def test_what_is_seen_is_where_it_is(reach: Reach, back: bool, z: float, r: float) -> None:
    view = View(reach, back)
    assert real(seen((z, r), view), view) == pytest.approx((z, r))


def test_a_wall_of_many_points_comes_back_as_one_line() -> None:
    """Within what chords of a rounding lie off; no arc of three metres."""
    points = [(-68.4 + 1e-4 * math.sin(k), 18.8 - 0.05 * k) for k in range(40)]
    assert as_path(points).elements == (Line(points[-1]),)


def test_chords_that_alternate_come_back_as_one_arc() -> None:
    """A rounding that was rounded again has the corners of both."""
    at, turns = 0.0, []
    for k in range(40):
        turns.append(at)
        at += 0.03 if k % 2 else 0.012
    path = as_path([(math.cos(t), math.sin(t)) for t in turns])
    (arc,) = path.elements
    assert isinstance(arc, Arc)
    assert math.dist(arc.centre, (0.0, 0.0)) < 1e-6


def test_chords_come_back_as_the_arcs_they_were() -> None:
    path = Path(
        (0.0, 10.0),
        (Line((-5.0, 10.0)), Arc((-8.0, 13.0), (-5.0, 13.0), False), Line((-8.0, 20.0)), Line((-20.0, 20.0))),
    )
    back = as_path(points_of(path))
    assert [type(e) for e in back.elements] == [Line, Arc, Line, Line]
    arc = back.elements[1]
    assert isinstance(arc, Arc)
    assert arc.centre == pytest.approx((-5.0, 13.0), abs=1e-3)
    assert back.length == pytest.approx(path.length, abs=2e-3)


INSERTS = ("CNMG120408", "VBMT160404", "DNMG150608", "SNMG120412", "RCMT1003M0", "TNMG160404")


def random_part(rng: random.Random) -> shapely.Polygon:
    """A section with steps, slopes and undercuts."""
    z, r, points = 0.0, rng.uniform(5, 15), [(0.0, 0.0)]
    points.append((z, r))
    for _ in range(rng.randint(2, 6)):
        z -= rng.uniform(1, 8)
        if rng.random() < 0.5:
            points.append((z, r))
        r = rng.uniform(4, 18)
        points.append((z - (rng.uniform(0, 3) if rng.random() < 0.5 else 0.0), r))
        z = points[-1][0]
    return shapely.Polygon([*points, (z - 3.0, r), (z - 3.0, 0.0)])


@given(seed=st.integers(0, 10**9))
@settings(max_examples=40)
def test_free_space_is_what_a_grid_of_places_says(seed: int) -> None:
    """Wherever the tool is put: inside free space it cuts nothing that stays, outside of it it does."""
    rng = random.Random(seed)
    part = random_part(rng)
    insert = read_insert(rng.choice(INSERTS))
    cutter = turning_cutter(
        insert,
        rng.choice((91.0, 93.0, 95.0)),
        "right" if insert.corner and insert.corner < 85 else "neutral",
        16.0,
        40.0,
    )
    bare = Cutter(cutter.skeleton, cutter.nose, (), cutter.tip, "out")
    one = space(part, shapely.Polygon(), bare)
    window = (part.bounds[0] - 5, 6.0, -2.0, 24.0)
    room = free(one, one.metal, window)
    outline = np.asarray(bare.outline(0.0002))
    for _ in range(60):
        at = np.array([rng.uniform(window[0], window[1]), rng.uniform(window[2], window[3])])
        cuts_in = shapely.Polygon(outline + at).intersection(one.metal).area
        spot = shapely.Point(at)
        if room.boundary.distance(spot) < 2e-3:
            continue
        assert room.contains(spot) == (cuts_in < 1e-9)


@given(seed=st.integers(0, 10**9))
@settings(max_examples=30)
def test_a_grown_shape_is_where_the_tool_would_touch(seed: int) -> None:
    rng = random.Random(seed)
    part, tool = random_part(rng), ((0.0, 0.0), (4.0, 1.0), (3.0, 6.0))
    blocked = grown(part, tool)
    for _ in range(40):
        p = (rng.uniform(-60, 10), rng.uniform(-10, 25))
        if blocked.boundary.distance(shapely.Point(p)) > 1e-6:
            moved = shapely.Polygon([(z + p[0], r + p[1]) for z, r in tool])
            assert blocked.contains(shapely.Point(p)) == moved.intersects(part)


def test_a_sweep_covers_both_ends_and_all_between() -> None:
    corners = np.array([(0.0, 0.0), (1.0, 0.0), (0.0, 1.0)])
    (area,) = sweeps(corners, np.array([(0.0, 0.0)]), np.array([(3.0, 4.0)]))
    assert area.area == pytest.approx(0.5 + abs(3 * 1 + 4 * 1))
    assert mirrored(area).area == pytest.approx(area.area)
    assert rounded(area, 0.0) is area


def test_levels_are_even_and_reach_the_bottom() -> None:
    assert heights(20.0, 15.0, 2.0) == pytest.approx([20 - 5 / 3, 20 - 10 / 3, 15.0])
    assert heights(20.0, 20.0, 2.0) == []


def test_two_pockets_are_cleared_one_after_the_other() -> None:
    room = shapely.union_all([shapely.box(-50, 10, 10, 20), shapely.box(-40, 2, -30, 10), shapely.box(-20, 4, -10, 10)])
    found = passes(room, 20.0, [16.0, 12.0, 8.0, 5.0, 2.0], (-50.0, 10.0))
    spans = [(p.level, round(p.span[0]), round(p.span[1])) for p in found]
    assert spans[:2] == [(0, -50, 10), (1, -50, 10)]
    right = [i for i, s in enumerate(spans) if s[0] > 2 and s[2] == -10]
    left = [i for i, s in enumerate(spans) if s[0] > 2 and s[2] == -30]
    assert max(right) < min(left), "one pocket is finished before the other is begun"


@given(
    depth=st.floats(0.3, 4.0),
    first=st.floats(0.1, 0.6),
    infeed=st.sampled_from(["radial", "flank", "both"]),
    shrinking=st.booleans(),
)
def test_thread_passes_end_at_the_depth(depth: float, first: float, infeed: str, shrinking: bool) -> None:
    found = cuts(depth, first, 30.0, infeed, shrinking=shrinking, spring=1)
    deep = [c.depth for c in found]
    assert deep == sorted(deep)
    assert deep[-2:] == pytest.approx([depth, depth])
    assert deep[0] <= max(first, depth) + 1e-9
    assert found[-1].shift == 0.0
    steps = np.diff([0.0, *deep[:-1]])
    assert steps.min() >= min(0.05, steps[0]) - 1e-9 or not shrinking, "no pass presses instead of cutting"
    assert steps.max() == pytest.approx(steps[0]), "none is doubled"
    if infeed == "radial":
        assert all(c.shift == 0 for c in found)


@pytest.mark.parametrize(
    ("pitch", "fewest", "most"), [(0.5, 3, 6), (1.0, 6, 8), (1.5, 7, 10), (2.5, 11, 14), (3.5, 12, 18), (5.0, 14, 20)]
)
def test_a_thread_takes_as_many_passes_as_usual_and_each_takes_the_same_area(
    pitch: float, fewest: int, most: int
) -> None:
    depth = depth_for("metric", pitch, inside=False)
    deep = [c.depth for c in cuts(depth, first_for(depth, pitch), 30.0, "flank", shrinking=True, spring=0)]
    assert fewest <= len(deep) <= most
    areas = np.diff([0.0, *[d * d for d in deep]])
    assert areas == pytest.approx([areas[0]] * len(areas), rel=0.01)
    assert deep[-1] - deep[-2] >= 0.05 - 1e-3


def test_the_size_over_pins_is_that_of_the_tables() -> None:
    """M20: d2 18.376, best wire 1.443, over three wires 20.541 (ISO 68-1 profile)."""
    pin, size = over_pins(Values({"profile": "metric", "diameter": 20.0, "pitch": 2.5}))
    assert pin == pytest.approx(1.4434, abs=1e-4)
    assert size == pytest.approx(20.541, abs=1e-3)
    assert depth_for("metric", 2.5, inside=False) == pytest.approx(1.534, abs=1e-3)
    assert depth_for("trapeze", 5.0, inside=False) == pytest.approx(2.75)
    assert depth_for("pipe", 25.4 / 14, inside=False) == pytest.approx(1.162, abs=1e-3)
