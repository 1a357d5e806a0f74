"""Cuts across an end face in X and C, written out: on the way, at the feed, never through the brake."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bastler.core.engine import Engine
from bastler.core.gcode.motion import FEED
from bastler.core.geometry.path import Arc
from bastler.core.job.document import Step
from bastler.core.moves import Feed, Turn
from bastler.core.planner import plan
from bastler.core.post import swung
from bastler.core.request import Request
from tests.closed_loop.test_every_surface import job_of

MOST_MM = 0.004
place = st.tuples(st.floats(-40, 40), st.floats(-40, 40))


def spiral(places: list[tuple[float, float]]) -> np.ndarray:
    """Where X and C in even shares take the tool, mm, as complex numbers."""
    found = []
    for a, b in zip(places, places[1:], strict=False):
        c, swings = math.atan2(a[1], a[0]) if math.hypot(*a) > 1e-9 else math.atan2(b[1], b[0]), swung.swing(a, b)
        share = np.linspace(0, 1, 50)
        r = math.hypot(*a) + (math.hypot(*b) - math.hypot(*a)) * share
        found.append(r * np.exp(1j * (c + swings * share)))
    return np.concatenate(found)


@given(place, place)
def test_a_straight_way_stays_straight(a: tuple[float, float], b: tuple[float, float]) -> None:
    """However near it passes the axis."""
    way = spiral([a, *(p for _, p in swung.straight(a, b))])
    p, q = complex(*a), complex(*b)
    length = max(abs(q - p), 1e-9)
    along = np.clip(np.real((way - p) * np.conj(q - p)) / length**2, 0, 1)
    assert np.abs(way - (p + along * (q - p))).max() < MOST_MM


@given(place, st.floats(0.5, 30), st.floats(-math.pi, math.pi), st.floats(0.1, 6.2), st.booleans())
def test_an_arc_stays_round(centre: tuple[float, float], radius: float, begin: float, turned: float, ccw: bool) -> None:  # fmt: skip
    """Round the axis or beside it."""
    end = begin + (turned if ccw else -turned)
    a, b = ((centre[0] + radius * math.cos(t), centre[1] + radius * math.sin(t)) for t in (begin, end))
    way = spiral([a, *(p for _, p in swung.arc(a, Arc(b, centre, ccw), whole=False))])
    assert np.abs(np.abs(way - complex(*centre)) - radius).max() < MOST_MM


@pytest.mark.parametrize("machine", ["turning-centre-mm", "turning-centre-inch"])
def test_the_tool_is_fed_as_asked(machine: str) -> None:
    """Whether the control counts degrees in F or not: read back, it goes as fast as the step says, and no faster; the brake is open while C swings, and nobody complains."""
    values = {"works_on": "end", "moved_by": "written", "diameter": "24", "depth": "1", "points": "25, 5"}
    job = job_of(Step(id="s", cycle="round", values=values), machine=machine)
    planned, checked = plan(job), Engine().check(Request(job))
    asked = {m.feed for m in planned.steps[0].moves if isinstance(m, Feed | Turn)} | {planned.frame.machine.feed_limit}
    m = checked.motion
    level = (m.kind == FEED) & (m.c0 != m.c1) & (m.lengths() > 0.05)
    assert level.sum() > 100
    # A rapid in the pocket is fed as quickly as C follows.
    fed = m.feed[level & (m.feed < 2500)]
    assert np.abs(fed[:, None] / np.array(sorted(asked)) - 1).min(axis=1).max() < 0.003
    assert checked.findings == ()
