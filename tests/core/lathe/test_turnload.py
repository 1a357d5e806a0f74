"""Depth and feed of a lathe's roughing cut, against closed forms: passes, power, force; and the power that a facing cut shows."""

from __future__ import annotations

import math

import pytest

from bastler.core.engine import Engine
from bastler.core.gcode.motion import FEED
from bastler.core.job.document import Job, Step
from bastler.core.planner import plan
from bastler.core.plans.plan import StepPlan
from bastler.core.request import Request
from tests.turned import lathe_job

LEAST_FEED = 0.7 * 0.35
"""Of the table's in steel: thinner chips rub."""


def turned(**values: str) -> Job:
    asked = {"shape": "cylinder", "length": "30", "tool": "1"}
    return lathe_job(Step(id="turn", cycle="turn", values={**asked, **values}))


def power(step: StepPlan, depth: float, feed: float) -> float:
    """Share of the spindle's power at the bar's diameter: P = a f v_c k_c1.1 f^-m_c / 60 000 / 0.8 kW."""
    w = step.work
    vc, material, machine = step.answers.values.cutting_speed, w.material, w.machine
    speed = min(1000 * vc / (2 * math.pi * w.lathe.stock.bounds[3]), w.lathe.limit)
    vc = 2 * math.pi * w.lathe.stock.bounds[3] * speed / 1000
    has = min(machine.spindle.power(speed), machine.spindle.torque(speed) * speed / 9549.3)
    return depth * feed * vc * material.kc11 * feed**-material.mc / 60_000 / 0.8 / has


@pytest.mark.parametrize("diameter", [49.0, 47.0, 44.0, 40.0, 33.0, 25.0, 12.0])
@pytest.mark.parametrize("speed", ["120", "180", "260", "400"])
def test_passes_are_equal_and_within_force_and_power(diameter: float, speed: str) -> None:
    step = plan(turned(diameter=str(diameter), cutting_speed=speed)).steps[0]
    v = step.answers.values
    metal = 25.0 - diameter / 2 - v.leave_x / 2
    passes = math.ceil(metal / v.depth_per_pass - 1e-6)
    assert passes * v.depth_per_pass == pytest.approx(metal, abs=0.011 * passes)
    assert power(step, v.depth_per_pass, v.feed) <= 0.81
    least = power(step, metal / passes, v.feed) / 0.8
    assert v.feed > 0.2 or least > 0.97, "it feeds less than the table only for want of power"
    fewer = metal / (passes - 1) if passes > 1 else math.inf
    quicker = v.feed * (passes - 1) / passes
    if passes > 1 and fewer < 2.0 and quicker >= LEAST_FEED:
        assert power(step, fewer, quicker) > 0.78, "a pass less would have taken less time"


def test_a_typed_feed_is_held_and_the_depth_gives_way() -> None:
    deep, shallow = (plan(turned(diameter="38", feed=f, cutting_speed="260")).steps[0] for f in ("0.15", "0.4"))
    assert shallow.answers.values.feed == 0.4
    assert shallow.answers.values.depth_per_pass < deep.answers.values.depth_per_pass
    assert power(shallow, shallow.answers.values.depth_per_pass, 0.4) <= 0.81


def test_a_typed_depth_lowers_the_suggested_feed_to_the_power() -> None:
    step = plan(turned(diameter="38", depth_per_pass="4", cutting_speed="260")).steps[0]
    assert 0.05 < power(step, 4.0, step.answers.values.feed) <= 0.81
    assert "4 deep" in step.answers.suggestions["feed"].reason


def test_a_face_takes_the_same_power_on_every_diameter_while_the_speed_follows() -> None:
    """P = a f v_c k_c: nothing in it depends on the diameter."""
    job = lathe_job(Step(id="face", cycle="end_face", values={"face_z": "-1.5", "tool": "1", "work": "rough", "feed": "0.3", "leave_z": "0", "depth_per_pass": "5", "cutting_speed": "150"}))  # fmt: skip
    step, checked = plan(job).steps[0], Engine().check(Request(job))
    m = checked.motion
    inside = (m.kind == FEED) & (m.start[:, 0] < 24.9) & (m.end[:, 0] > 0) & (m.speed < 0.95 * step.work.lathe.limit)
    depth = 1.5 + step.work.lathe.stock.bounds[2]
    has = [
        min(step.work.machine.spindle.power(n), step.work.machine.spindle.torque(n) * n / 9549.3)
        for n in m.speed[inside]
    ]
    kc = step.work.material.kc11 * 0.3**-step.work.material.mc
    wanted = [depth * 0.3 * 150 * kc / 60_000 / 0.8 / p for p in has]
    assert len(wanted) > 5
    assert checked.power[inside] == pytest.approx(wanted, rel=0.2)
