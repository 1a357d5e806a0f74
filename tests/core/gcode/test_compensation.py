"""Cutter compensation as geometry: the tool's centre keeps its distance, touches, and never gouges."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bastler.core.geometry.compensation import EdgePiece, compensate

RADIUS = 4.0


def no_trouble(line: int, text: str) -> None:
    raise AssertionError(f"line {line}: {text}")


def ring(points: list[tuple[float, float]]) -> list[EdgePiece]:
    """A lead-in, a closed contour of lines, a lead-out."""
    start = (points[0][0] - 30.0, points[0][1] - 30.0)
    chain = [start, *points, points[0], start]
    return [EdgePiece(a, b, 0.0, 0.0, 100.0, i + 1) for i, (a, b) in enumerate(zip(chain, chain[1:], strict=False))]


def along(e: EdgePiece, count: int = 40) -> np.ndarray:
    """Points on an element."""
    t = np.linspace(0, 1, count)
    if e.sweep == 0.0:
        return np.array(e.start) + t[:, None] * (np.array(e.end) - np.array(e.start))
    a = math.atan2(e.start[1] - e.centre[1], e.start[0] - e.centre[0]) + e.sweep * t
    r = math.dist(e.start, e.centre)
    return np.column_stack([e.centre[0] + r * np.cos(a), e.centre[1] + r * np.sin(a)])


def distance(points: np.ndarray, polygon: list[tuple[float, float]]) -> np.ndarray:
    """Distance from points to a closed polygon's edge."""
    best = np.full(len(points), np.inf)
    for a, b in zip(polygon, [*polygon[1:], polygon[0]], strict=True):
        d = np.subtract(b, a)
        t = np.clip(((points - a) @ d) / (d @ d), 0, 1)
        best = np.minimum(best, np.hypot(*(points - a - t[:, None] * d).T))
    return best


@st.composite
def convex(draw: st.DrawFn) -> list[tuple[float, float]]:
    """A convex polygon, counter-clockwise, from the middle of a side; sides longer than the tool is wide."""
    gaps = np.array(draw(st.lists(st.floats(0.6, 1.0), min_size=3, max_size=7)))
    turns = np.cumsum(gaps / gaps.sum() * math.tau) + draw(st.floats(0, 6))
    radius = draw(st.floats(40, 90))
    corners = [(radius * math.cos(a), radius * math.sin(a)) for a in turns]
    (ax, ay), (bx, by) = corners[-1], corners[0]
    return [((ax + bx) / 2, (ay + by) / 2), *corners]


@given(convex(), st.sampled_from([1.0, -1.0]))
@settings(max_examples=120)
def test_the_centre_keeps_the_tools_radius(points: list[tuple[float, float]], side: float) -> None:
    result = compensate(ring(points), side * RADIUS, True, no_trouble)
    track = np.vstack([along(e) for e in result[1:-1]])
    gap = distance(track, points)
    first, last = result[0].end, result[-2].end
    assert gap.min() >= RADIUS - 1e-6
    assert gap.max() <= RADIUS + 1e-6
    assert math.dist(first, points[0]) == pytest.approx(RADIUS)
    assert math.dist(last, points[0]) == pytest.approx(RADIUS)


@given(convex())
@settings(max_examples=60)
def test_the_path_hangs_together(points: list[tuple[float, float]]) -> None:
    for side in (RADIUS, -RADIUS):
        result = compensate(ring(points), side, True, no_trouble)
        for a, b in zip(result, result[1:], strict=False):
            assert math.dist(a.end, b.start) < 1e-6


@pytest.mark.parametrize("ccw", [True, False])
@pytest.mark.parametrize("side", [RADIUS, -RADIUS])
def test_an_arc_stays_an_arc_about_the_same_centre(ccw: bool, side: float) -> None:
    sweep = math.pi / 2 if ccw else -math.pi / 2
    end = (0.0, 20.0) if ccw else (0.0, -20.0)
    chain = [
        EdgePiece((30.0, -5.0), (20.0, 0.0), 0, 0, 100, 1),
        EdgePiece((20.0, 0.0), end, 0, -1, 100, 2, False, (0.0, 0.0), sweep),
        EdgePiece(end, (-20.0, end[1]), -1, -1, 100, 3),
    ]
    arc = next(e for e in compensate(chain, side, False, no_trouble) if e.sweep and e.line == 2)
    assert arc.centre == (0.0, 0.0)
    assert math.dist(arc.start, arc.centre) == pytest.approx(20 - side if ccw else 20 + side)
    assert arc.sweep == pytest.approx(sweep)
    assert (arc.z0, arc.z1) == (0, -1)


def test_a_slot_narrower_than_the_tool_is_told() -> None:
    told: list[str] = []
    points = [(0.0, 0.0), (30.0, 0.0), (30.0, 5.0), (0.0, 5.0)]
    compensate(ring(points), RADIUS, True, lambda _, text: told.append(text))
    assert any("too tight" in t for t in told)


def test_plunges_inside_a_compensated_contour_stay_where_the_tool_is() -> None:
    chain = [
        EdgePiece((0.0, 0.0), (10.0, 0.0), 5, 5, 100, 1),
        EdgePiece((10.0, 0.0), (10.0, 0.0), 5, -3, 100, 2),
        EdgePiece((10.0, 0.0), (10.0, 30.0), -3, -3, 100, 3),
    ]
    result = compensate(chain, RADIUS, False, no_trouble)
    plunge = next(e for e in result if e.z1 == -3 and e.z0 == 5)
    assert plunge.start == plunge.end
    assert plunge.start == pytest.approx((10 - RADIUS, 0.0))


def test_nothing_but_a_lead_is_left_alone() -> None:
    lead = [EdgePiece((0.0, 0.0), (10.0, 0.0), 0, 0, 100, 1)]
    assert compensate(lead, RADIUS, False, no_trouble) == lead


def test_a_rounded_joint_that_is_nearly_tangent_is_linked_not_refused() -> None:
    off = 0.0025
    chain = [
        EdgePiece((-10.0, 10.0), (0.0, 10.0), 0, 0, 100, 1),
        EdgePiece((0.0, 10.0), (0.3, 10.0 + off), 0, 0, 100, 2),
        EdgePiece((0.3, 10.0 + off), (5.3, 15.0), 0, 0, 100, 3, False, (0.3, 15.0), math.pi / 2),
    ]
    result = compensate(chain, RADIUS, False, no_trouble)
    for a, b in zip(result, result[1:], strict=False):
        assert math.dist(a.end, b.start) < 1e-6
