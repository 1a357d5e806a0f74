"""Outside: where only the block's corners stand, one corner is finished before the next."""

from __future__ import annotations

import math

import pytest

from bastler.core.job.document import Job, Setup, Step
from bastler.core.moves import Feed, Rapid, Turn
from bastler.core.planner import plan
from tests.closed_loop.test_every_cycle import TOOLS

BLOCK = {"size_x": "120", "size_y": "80", "size_z": "30", "over_x": "2", "over_y": "2", "over_top": "0", "grip": "4"}
BOSS = {"length": "100", "width": "60", "corner": "8", "depth": "6", "centre_x": "60", "centre_y": "40", "tool": "2", "depth_per_pass": "6", "by_load": "no", "feed": "700", "feed_air": "3000"}  # fmt: skip
MIDDLE = (60.0, 40.0)


def passes(side_step: float) -> list[tuple[int, float]]:
    """Quarter round the boss and greatest distance from its middle, per cut of a corner before the first whole round."""
    step = Step(id="o", cycle="outside", values={**BOSS, "side_step": str(side_step)})
    moves = plan(Job(tools=TOOLS, setups=(Setup(steps=(step,), values=BLOCK),))).steps[0].moves
    found: list[tuple[int, float]] = []
    at = (0.0, 0.0)
    for m in moves:
        if isinstance(m, Turn) and m.ccw and m.feed == 700:  # the lead of the first whole round
            return found
        if not isinstance(m, Feed | Turn | Rapid):
            continue
        end = (at[0] if m.x is None else m.x, at[1] if m.y is None else m.y)
        if isinstance(m, Turn) and not m.ccw:
            x, y = (at[0] + end[0]) / 2 - MIDDLE[0], (at[1] + end[1]) / 2 - MIDDLE[1]
            found.append((math.floor(math.atan2(y, x) / (math.pi / 2)) % 4, math.dist(m.centre, at)))
        at = end
    return found


@pytest.mark.parametrize("side_step", [1.0, 1.5, 2.0])
def test_each_corner_is_cut_from_outside_inwards_before_the_next(side_step: float) -> None:
    found = passes(side_step)
    corners = [quarter for quarter, _ in found]
    assert len(found) >= 8
    assert sorted(set(corners)) == [0, 1, 2, 3]
    assert sum(a != b for a, b in zip(corners, corners[1:], strict=False)) == 3
    for quarter in range(4):
        radii = [radius for q, radius in found if q == quarter]
        assert radii == sorted(radii, reverse=True)
        assert radii[0] - radii[-1] == pytest.approx(side_step * (len(radii) - 1))
