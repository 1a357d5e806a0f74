"""Paths, passes, entries and clearing against closed forms."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bastler.core.geometry.path import Arc, Line, Path, arc_sweep, rounded_rectangle
from bastler.core.geometry.placement import Placement
from bastler.core.moves import Feed, Pecks, Turn, follow
from bastler.core.planning import entry, patterns
from bastler.core.planning.clearing import WIDEST_STEP_SHARE, loops
from bastler.core.planning.passes import levels, rows
from bastler.core.planning.placing import placed

sizes = st.floats(1, 80)


def length(path: Path) -> float:
    here, total = path.start, 0.0
    for e in path.elements:
        total += abs(arc_sweep(here, e)) * math.dist(here, e.centre) if isinstance(e, Arc) else math.dist(here, e.end)
        here = e.end
    return total


@given(a=sizes, b=sizes, share=st.floats(0, 1))
def test_a_rounded_rectangle_closes_and_has_its_length(a: float, b: float, share: float) -> None:
    r = share * min(a, b)
    path = rounded_rectangle(a, b, r)
    assert path.end == pytest.approx(path.start)
    assert length(path) == pytest.approx(4 * (a + b) - (8 - 2 * math.pi) * r, rel=1e-6)
    assert all(e.ccw for e in path.elements if isinstance(e, Arc))


def test_a_rectangle_without_width_is_a_line_there_and_back() -> None:
    path = rounded_rectangle(10, 0, 3)
    assert length(path) == pytest.approx(40)
    assert all(isinstance(e, Line) for e in path.elements)


@pytest.mark.parametrize(
    ("start", "arc", "sweep"),
    [
        ((1, 0), Arc((0, 1), (0, 0), True), math.pi / 2),
        ((1, 0), Arc((0, 1), (0, 0), False), -1.5 * math.pi),
        ((1, 0), Arc((1, 0), (0, 0), True), math.tau),
        ((1, 0), Arc((1, 0), (0, 0), False), -math.tau),
        ((2, 1), Arc((0, 1), (1, 1), True), math.pi),
    ],
)
def test_sweep(start: tuple[float, float], arc: Arc, sweep: float) -> None:
    assert arc_sweep(start, arc) == pytest.approx(sweep)


@given(angle=st.floats(-360, 360), x=st.floats(-50, 50), y=st.floats(-50, 50))
def test_placing_keeps_lengths(angle: float, x: float, y: float) -> None:
    path = rounded_rectangle(20, 10, 4)
    there = path.placed((x, y), angle)
    assert length(there) == pytest.approx(length(path))
    moves = placed(follow(path, 100), Placement((x, y), angle))
    last = moves[-1]
    assert isinstance(last, Feed | Turn)
    assert (last.x, last.y) == pytest.approx(there.end)


@given(chord=st.floats(0.001, 0.5))
def test_chords_stay_within_their_error(chord: float) -> None:
    points = Path((10.0, 0.0), (Arc((-10.0, 0.0), (0.0, 0.0), True),)).points(chord)
    for p, q in zip(points, points[1:], strict=False):
        middle = math.hypot((p[0] + q[0]) / 2, (p[1] + q[1]) / 2)
        assert 10 - middle <= chord + 1e-9


@given(top=st.floats(-20, 20), height=st.floats(0.001, 50), most=st.floats(0.1, 10))
def test_levels_are_even_and_end_at_the_bottom(top: float, height: float, most: float) -> None:
    bottom = top - height
    z = levels(top, bottom, most)
    steps = -np.diff([top, *z])
    assert z[-1] == bottom
    assert steps.max() <= most + 1e-5
    assert np.ptp(steps) < 1e-6


def test_nothing_to_cut_has_no_levels() -> None:
    assert levels(1.0, 1.0, 2.0) == []
    assert levels(0.0, 1.0, 2.0) == []


@given(low=st.floats(-50, 50), size=st.floats(0.1, 200), reach=st.floats(0.5, 40), share=st.floats(0.1, 1.9))
def test_rows_cover_exactly(low: float, size: float, reach: float, share: float) -> None:
    high, step = low + size, share * reach
    lines = rows(low, high, reach, step)
    assert np.diff(lines).max(initial=0) <= step + 1e-6
    assert min(lines) - reach <= low + 1e-9
    assert max(lines) + reach >= high - 1e-9
    if len(lines) > 1:
        assert lines[0] - reach == pytest.approx(low)
        assert lines[-1] + reach == pytest.approx(high)


@given(
    a=st.floats(6, 60),
    b=st.floats(6, 60),
    share=st.floats(0.1, 1),
    step=st.floats(0.2, WIDEST_STEP_SHARE),
    corner=st.floats(0, 1),
)
def test_loops_clear_every_place(a: float, b: float, share: float, step: float, corner: float) -> None:
    radius = 5.0
    outline = radius + corner * (min(a, b) - radius)
    found = loops(a, b, outline, radius, step * radius, radius)
    points = np.array([p for path in found for p in path.points(0.05)])
    centre_a, centre_b = a - radius, b - radius
    assert np.abs(points[:, 0]).max() <= centre_a + 1e-6
    assert np.abs(points[:, 1]).max() <= centre_b + 1e-6
    grid_x, grid_y = np.meshgrid(
        np.linspace(-centre_a, centre_a, 15) * share, np.linspace(-centre_b, centre_b, 15) * share
    )
    for path in found:
        here = np.array(path.points(0.05))
        assert here.shape[1] == 2
    reach = np.full(grid_x.shape, np.inf)
    for path in found:
        chain = np.array(path.points(0.05))
        for p, q in zip(chain, chain[1:], strict=False):
            d = q - p
            t = np.clip(((grid_x - p[0]) * d[0] + (grid_y - p[1]) * d[1]) / max(d @ d, 1e-12), 0, 1)
            reach = np.minimum(reach, np.hypot(grid_x - p[0] - t * d[0], grid_y - p[1] - t * d[1]))
    rounding = outline - radius
    past = np.hypot(
        np.maximum(np.abs(grid_x) - (centre_a - rounding), 0), np.maximum(np.abs(grid_y) - (centre_b - rounding), 0)
    )
    assert reach[past <= rounding + 1e-9].max() <= radius + 1e-6


@given(top=st.floats(0, 5), depth=st.floats(0.1, 20), angle=st.floats(0.5, 30))
def test_a_helix_sinks_no_steeper_than_asked(top: float, depth: float, angle: float) -> None:
    moves = entry.helix(4.0, top, top - depth, angle, 100)
    turns = [m for m in moves if isinstance(m, Turn)]
    z = [top, *(m.z for m in turns if m.z is not None)]
    assert z[-1] == pytest.approx(top - depth)
    steepest = max(a - b for a, b in zip(z, z[1:], strict=False)) / (math.tau * 4)
    assert math.degrees(math.atan(steepest)) <= angle + 1e-9
    assert turns[-1].z is None, "the last turn is flat"


@given(depth=st.floats(0.1, 20), angle=st.floats(0.5, 30))
def test_a_ramp_sinks_no_steeper_than_asked_and_ends_flat(depth: float, angle: float) -> None:
    moves = entry.ramp(20.0, 0.0, -depth, angle, 100)
    drops = [m.z for m in moves if isinstance(m, Feed) and m.z is not None]
    steepest = max(a - b for a, b in zip([0.0, *drops], drops, strict=False)) / 20.0
    assert math.degrees(math.atan(steepest)) <= angle + 1e-9
    assert drops[-1] == pytest.approx(-depth)
    last = moves[-1]
    assert isinstance(last, Feed)
    assert last.z is None


def test_entries_need_room() -> None:
    assert entry.helix_radius(5.0, 0.5) == 0.0
    assert entry.helix_radius(5.0, 2.0) == 2.0
    assert entry.helix_radius(5.0, 20.0) == 4.0
    assert entry.ramp_length(10.0, 3.0) == 0.0
    assert entry.ramp_length(10.0, 100.0) == 40.0
    assert entry.plunge(-3.0, 50) == [Feed(None, None, -3.0, 50)]


@given(first=st.floats(0.5, 20), less=st.floats(0, 5), smallest=st.floats(0.1, 5), depth=st.floats(0.1, 100))
def test_pecks_go_down_to_the_bottom(first: float, less: float, smallest: float, depth: float) -> None:
    z = Pecks(True, first, less=less, smallest=smallest).depths(2.0, 2.0 - depth)
    steps = -np.diff([2.0, *z])
    assert z[-1] == 2.0 - depth
    assert (steps > 0).all()
    assert steps.max() <= first + 1e-9
    assert (np.diff(steps[:-1]) <= max(smallest - (first - less), 0) + 1e-6).all()


def test_patterns() -> None:
    assert patterns.grid((1, 2), 2, 2, 10, 5, 0) == [(1, 2), (11, 2), (11, 7), (1, 7)]
    turned = patterns.grid((0, 0), 2, 1, 10, 5, 90)
    assert turned[1] == pytest.approx((0, 10))
    ring = patterns.circle((100, 60), 30, 6, 90)
    assert ring[0] == pytest.approx((100, 75))
    assert ring[3] == pytest.approx((100, 45))
    assert {round(math.dist(p, (100, 60)), 9) for p in ring} == {15.0}
