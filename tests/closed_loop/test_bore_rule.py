"""In a bore the bar and the holder never touch: judged by small steps along the posted text, not by the check.

*Judge*: the section is cut by the edge's outline from sample to sample; before each step the tool's body, put at
either end and on both sides of the axis, must be clear of the metal that still stands.
"""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from bastler.core.engine import Engine
from bastler.core.gcode.motion import CHANGE, DWELL, THREAD
from bastler.core.job.document import Job, Step
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.closed_loop.test_every_cycle import Draw
from tests.closed_loop.test_turning import turned_sample
from tests.turned import lathe_job

STEP_MM = 0.4
TOUCHES_MM2 = 0.01
"""A judge that steps leaves cusps of this size, which the real sweep takes."""
INSIDE = ("turn", "groove", "turn_thread")


def inside_job(draw, cycle: str) -> Job | None:  # type: ignore[no-untyped-def]
    """A job whose last step works in a bore, or nothing if that can't be cut as asked."""
    job = turned_sample(cycle, draw, True)
    if job.setups[0].steps[-1].values.get("where") != "inside":
        return None
    return job if all(s.answers.complete for s in plan(job).steps) else None


def touches(job: Job, thicker: float = 0.0) -> list[str]:
    """Each place where the body of an inside tool, so many mm thicker all round, meets metal."""
    planned, engine = plan(job), Engine()
    motion = engine.check(Request(job, dialect="iso-lathe-a")).motion
    stock = planned.start.lathe.stock
    both = shapely.union(stock, shapely.transform(stock, lambda p: p * [1.0, -1.0]))
    found: list[str] = []
    for i in range(len(motion)):
        tool = planned.tools.get(int(motion.tool[i]))
        if tool is None or motion.kind[i] in (CHANGE, DWELL):
            continue
        cutter = tool.in_plane
        edge = np.asarray(cutter.outline(0.002))
        way = motion.chords(i, 0.002)[:, [2, 0]]
        counts = np.maximum(np.ceil(np.linalg.norm(np.diff(way, axis=0), axis=1) / STEP_MM), 1).astype(int)
        for k, n in enumerate(counts):
            places = way[k] + (way[k + 1] - way[k]) * np.linspace(0, 1, n + 1)[:, None]
            for here, there in zip(places, places[1:], strict=False):
                if (motion.kind[i] != THREAD and cutter.reach == "in") or tool.cutter is None:
                    sweep = shapely.MultiPoint(np.concatenate([edge + here, edge + there])).convex_hull
                    other = shapely.transform(sweep, lambda p: p * [1.0, -1.0])
                    both = shapely.difference(both, shapely.union(sweep, other))
                for body in cutter.body if cutter.reach == "in" else ():
                    meets = shapely.intersection(shapely.Polygon(np.asarray(body) + there).buffer(thicker), both)
                    if meets.area > TOUCHES_MM2:
                        found.append(
                            f"line {int(motion.line[i]) + 1}: {meets.area:.3f} mm² at {meets.representative_point().wkt}"
                        )
    return found


@pytest.mark.parametrize("cycle", INSIDE)
@given(data=st.data())
@settings(max_examples=5, suppress_health_check=[HealthCheck.filter_too_much])
def test_bar_and_holder_never_touch(cycle: str, data: st.DataObject) -> None:
    job = inside_job(Draw(data), cycle)
    if job is not None:
        assert touches(job) == []


def test_the_judge_sees_a_bar_that_is_too_thick() -> None:
    values = {"where": "inside", "shape": "cylinder", "diameter": "26", "length": "20", "tool": "5"}
    job = lathe_job(Step(id="bore", cycle="turn", values=values), tube=True)
    assert touches(job) == []
    assert touches(job, thicker=1.5)
