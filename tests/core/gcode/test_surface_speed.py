"""Constant surface speed: along every move the turns per minute follow the radius."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest

from bastler.core.gcode.control import Control
from bastler.core.gcode.interpreter import interpret
from bastler.core.gcode.motion import ARC, FEED, Motion
from bastler.core.job.tooltable import read_tools
from tests.turned import lathe_job

HEAD = "G21 G18 G99\nT0101\nG50 S{limit}\nG96 S200 M3\nG0 X{x} Z{z}\n"


def motion(moves: str, *, x: float, z: float, limit: int = 6000) -> Motion:
    tools, _ = read_tools(lathe_job())
    control = Control(tools, machine_origin=(110.0, 0.0, 150.0), reading="lathe-a")
    found = interpret((HEAD.format(x=x, z=z, limit=limit) + moves).encode(), control)
    assert not [f for f in found.findings if f.severity == "stop"]
    return found.motion


@pytest.mark.parametrize(
    ("moves", "kind", "x", "z"),
    [
        ("G1 X0. F0.2\n", FEED, 60.0, 0.0),
        ("G3 X40. Z-20. R20. F0.2\n", ARC, 0.0, 0.0),
        ("G2 X80. Z-30. R30. F0.2\n", ARC, 20.0, 0.0),
        ("G3 X20. Z-40. I0. K-20. F0.2\n", ARC, 20.0, 0.0),
    ],
)
@pytest.mark.parametrize("limit", [800, 6000])
def test_pieces_turn_as_their_radius_asks(moves: str, kind: int, x: float, z: float, limit: int) -> None:
    m = motion(moves, x=x, z=z, limit=limit)
    pieces = np.flatnonzero(m.kind == kind).tolist()
    assert pieces
    for i in pieces:
        for radius in (m.start[i, 0], m.end[i, 0], m.at(i, 0.5)[0]):
            asked = min(200_000 / (2 * math.pi * max(abs(radius), 1e-3)), limit)
            assert m.speed[i] == pytest.approx(asked, rel=0.2)
        assert m.feed[i] == pytest.approx(0.2 * m.speed[i])


def test_the_pieces_of_an_arc_are_the_arc() -> None:
    m = motion("G3 X40. Z-20. R20. F0.2\n", x=0.0, z=0.0)
    pieces = np.flatnonzero(m.kind == ARC).tolist()
    assert len(pieces) > 5
    assert sum(m.sweep[i] for i in pieces) == pytest.approx(math.pi / 2)
    for a, b in itertools.pairwise(pieces):
        assert m.end[a] == pytest.approx(m.start[b])
    for i in pieces:
        assert math.hypot(m.end[i, 0], m.end[i, 2] + 20.0) == pytest.approx(20.0)
    assert m.end[pieces[-1]] == pytest.approx((20.0, 0.0, -20.0))
