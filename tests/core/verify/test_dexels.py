"""Dexels against closed forms, and against points that are asked one by one."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import quad

from bastler.core.geometry.halfsection import box
from bastler.core.geometry.underside import Profile, slope_of
from bastler.core.verify.dexels import Dexels, pieces_of, ways_of
from bastler.core.verify.sweeps import Convex, Sweep

R, LONG = 29.0, 55.0
SHARE = 0.004
VOLUME_SHARE = 0.002
"""What is asked of volumes at the usual cells."""


def bar(bore: float = 0.0, cell: float = 0.0) -> Dexels:
    made = Dexels((-R - 0.5, R + 0.5, -R - 0.5, R + 0.5, -LONG - 0.5, 0.5), cell)
    made.keep_turned(box(-LONG, 0.0, bore, R))
    return made


def swept(dexels: Dexels, way: Sweep, body: Convex, move: int) -> tuple[float, float]:
    """A body's straight way: mm³ that it took, and the longest piece on one ray."""
    points = np.array([way.start, np.add(way.start, way.by)])
    met = dexels.sweep(ways_of([(points, way.axis, move)], [body], [True]))
    return float(met.volume[0, 0]), float(met.longest[0, 0])


def outwards(degrees: float) -> tuple[float, float, float]:
    return (math.cos(math.radians(degrees)), math.sin(math.radians(degrees)), 0.0)


def metal_at(dexels: Dexels, k: int, i: int, j: int, at: float) -> bool:
    one = dexels.families[k]
    return any(one.low[i, j, n] <= at <= one.high[i, j, n] for n in range(one.pieces[i, j]))


def test_a_tube_has_its_volume() -> None:
    exact = math.pi * (R**2 - 10**2) * LONG
    assert bar(10.0).volume() == pytest.approx(exact, rel=3e-4)


@pytest.mark.parametrize("degrees", [0, 30, 45, 77, 120, 243])
def test_a_cross_hole_takes_what_two_cylinders_have_in_common(degrees: float) -> None:
    """8 ∫ √(r² - y²) √(R² - y²) dy from 0 to r, of cylinders whose axes meet at right angles."""
    a, r = outwards(degrees), 4.0
    dexels = bar()
    before = dexels.volume()
    sweep = Sweep((40 * a[0], 40 * a[1], -20.0), (-75 * a[0], -75 * a[1], 0.0), a)
    met, _ = swept(dexels, sweep, Convex(r, 0.0, 100.0, r, 0.0, 0.0), 5)
    exact = 8 * quad(lambda y: math.sqrt(r * r - y * y) * math.sqrt(R * R - y * y), 0, r)[0]
    assert met == pytest.approx(exact, rel=SHARE)
    assert before - dexels.volume() == pytest.approx(exact, rel=VOLUME_SHARE)


@pytest.mark.parametrize("degrees", [0, 12.5, 40, 44.96, 45, 90, 135, 225.04])
def test_a_keyway_takes_its_closed_form(degrees: float) -> None:
    """Its floor and sides lean by any angle, by 45° along the rays' own corners."""
    a, bottom = outwards(degrees), 25.0
    sweep = Sweep((bottom * a[0], bottom * a[1], -15.0), (0.0, 0.0, -24.0), a)
    dexels = bar()
    before = dexels.volume()
    met, _ = swept(dexels, sweep, Convex(4.0, 0.0, 30.0, 4.0, 0.0, 0.0), 5)
    exact = quad(lambda y: (math.sqrt(R * R - y * y) - bottom) * (24 + 2 * math.sqrt(16 - y * y)), -4, 4)[0]
    assert met == pytest.approx(exact, rel=5 * SHARE)
    assert before - dexels.volume() == pytest.approx(exact, rel=VOLUME_SHARE)


def test_a_drill_leaves_its_point() -> None:
    r, deep, slope = 2.1, 12.0, slope_of(118)
    whole = 0.0
    dexels = bar()
    for k in range(5):
        x, y = (21 * c for c in outwards(72 * k + 7)[:2])
        whole += swept(dexels, Sweep((x, y, 2.0), (0.0, 0.0, -2.0 - deep), (0.0, 0.0, 1.0)), Convex(r, 0.0, 40.0, 0.0, 0.0, slope), k)[0]  # fmt: skip
    exact = 5 * (math.pi * r * r * (deep - r * slope) + math.pi * r * r * r * slope / 3)
    assert whole == pytest.approx(exact, rel=SHARE)


def test_what_is_cut_twice_is_counted_once() -> None:
    dexels, sweep = bar(), Sweep((21.0, 0.0, 2.0), (0.0, 0.0, -9.0), (0.0, 0.0, 1.0))
    body = Convex(3.0, 0.0, 30.0, 3.0, 0.0, 0.0)
    first = swept(dexels, sweep, body, 1)
    assert first[0] == pytest.approx(math.pi * 9 * 7, rel=0.01)
    assert first[1] == pytest.approx(7.0, abs=1e-3)
    assert swept(dexels, sweep, body, 2)[0] == pytest.approx(0.0, abs=1e-3)


def test_a_state_stays_as_it_was() -> None:
    dexels = bar()
    kept, before = dexels.state(), dexels.volume()
    swept(dexels, Sweep((21.0, 0.0, 2.0), (0.0, 0.0, -9.0), (0.0, 0.0, 1.0)), Convex(3.0, 0.0, 30.0, 3.0, 0.0, 0.0), 1)  # fmt: skip
    assert dexels.volume() < before - 100
    dexels.restore(kept)
    assert dexels.volume() == before


PROFILES = (
    Profile(4.0, 4.0),
    Profile(4.0, 2.5, 1.5),
    Profile(4.0, 0.0, 4.0),
    Profile(4.0, 0.0, slope=slope_of(118)),
    Profile(5.0, 1.5, 0.0, slope_of(118), 3.0, slope_of(60)),
    Profile(2.5, 2.01, slope=4.9),
)


@settings(max_examples=25, deadline=None)
@given(
    st.sampled_from(PROFILES), st.integers(0, 10**6), st.booleans(), st.sampled_from(("along", "level", "oblique"))
)  # fmt: skip
def test_every_ray_has_metal_where_no_place_of_the_tool_reached(
    profile: Profile, seed: int, across: bool, how: str
) -> None:
    """Points on rays, asked of some thousand single places of the tool: what lies a hair off its surface isn't judged."""
    dice = np.random.default_rng(seed)
    axis = np.array(outwards(dice.uniform(0, 360)) if across else (0.0, 0.0, 1.0))
    side = np.cross(axis, [0.3, 0.5, 0.8])
    side /= np.linalg.norm(side)
    by = {"along": -12.0 * axis, "level": 14.0 * side, "oblique": 9.0 * side - 6.0 * axis}[how]
    start = dice.uniform(-8, 8, 3) + axis * (24.0 if across else 2.0) - np.array([0.0, 0.0, 22.0 if across else 0.0])
    dexels = bar(cell=0.5)
    sweep = Sweep(tuple(start), tuple(by), tuple(axis))
    for piece in pieces_of(profile, 60.0):
        swept(dexels, sweep, piece, 7)
    steps = start + np.linspace(0, 1, 1500)[:, None] * by
    for _ in range(120):
        k = int(dice.integers(3))
        one = dexels.families[k]
        i, j = (int(dice.integers(n)) for n in one.pieces.shape)
        at = dice.uniform(-29, 29) if k < 2 else dice.uniform(-55, 0)
        p = np.insert([one.first[0] + i * one.cell, one.first[1] + j * one.cell], k, at)
        off = p - steps
        h = off @ axis
        rho = np.linalg.norm(off - h[:, None] * axis, axis=1)
        clear = np.where(rho <= profile.radius, h - profile.height(np.minimum(rho, profile.radius)), -1.0)
        near = np.abs(rho - profile.radius) < 0.02
        edge = abs(math.hypot(p[0], p[1]) - R) < 0.02 or min(abs(p[2]), abs(p[2] + LONG)) < 0.02
        if (np.abs(clear) < 0.02).any() or near.any() or edge:
            continue
        inside = math.hypot(p[0], p[1]) < R and -LONG < p[2] < 0
        assert metal_at(dexels, k, i, j, at) == (inside and not (clear > 0).any())
