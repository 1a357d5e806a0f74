"""Parting off: as deep as there is metal, the chamfer on the way, a pip, slower near the axis."""

from __future__ import annotations

import pytest
import shapely
from msgspec.structs import replace

from bastler.core.engine import Engine
from bastler.core.job.document import Job, Step
from bastler.core.moves import CuttingSpeed, Feed, Rapid
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.turned import lathe_job

BACK = -30.0


def job(*, tube: bool = False, **values: str) -> Job:
    step = Step(id="part", cycle="part_off", values={"back_z": f"{BACK}", "tool": "10", "feed": "0.1", **values})
    return lathe_job(step, tube=tube)


def feeds(one: Job) -> list[Feed]:
    return [m for m in plan(one).steps[0].moves if isinstance(m, Feed)]


def band(one: Job, z0: float, z1: float) -> shapely.Geometry:
    """What the text leaves between two Z, which nothing stops."""
    checked = Engine().check(Request(one, dialect="iso-lathe-a"))
    assert [f.text for f in checked.findings if f.severity == "stop"] == []
    return shapely.clip_by_rect(checked.section.stock, z0, 0.0, z1, 30.0)


def test_a_bar_is_parted_past_its_axis() -> None:
    one = job()
    assert feeds(one)[-1].x == pytest.approx(-0.2)
    assert band(one, BACK - 2.9, BACK - 0.1).is_empty


def test_a_tube_is_parted_into_its_bore_and_no_further() -> None:
    one = job(tube=True)
    assert feeds(one)[-1].x == pytest.approx(11.0 - 0.2 - 0.2), "by the corner's radius and a little"
    assert band(one, BACK - 2.9, BACK - 0.1).is_empty


def test_a_pip_stays_on_a_bar_and_none_in_a_bore() -> None:
    assert band(job(pip="3"), BACK - 2.0, BACK - 1.0).bounds[3] == pytest.approx(1.5)
    (problem,) = plan(job(tube=True, pip="3")).steps[0].answers.problems
    assert (problem.field, problem.blocks) == ("pip", False)
    assert "bore of Ø22" in problem.text


def test_the_chamfer_lies_on_the_way() -> None:
    """After the cut beside it the blade goes down it and on, without coming out."""
    one = job(chamfer="1", pip="3")
    step = plan(one).steps[0]
    last_rapid = max(k for k, m in enumerate(step.moves[:-2]) if isinstance(m, Rapid) and m.x == 26.0)
    assert not any(isinstance(m, Rapid) for m in step.moves[last_rapid + 1 : -2])
    for back in (0.2, 0.5, 0.8):
        assert band(one, BACK, BACK + back).bounds[3] == pytest.approx(24.0 + back, abs=2e-3)


@pytest.mark.parametrize("chamfer", ["0", "0.5"])
def test_it_goes_slower_near_the_axis(chamfer: str) -> None:
    step = plan(job(slow_below="15", slow_feed="50", slow_speed="900", chamfer=chamfer)).steps[0]
    where = next(k for k, m in enumerate(step.moves) if isinstance(m, CuttingSpeed) and m.limit == 900)
    before, after = step.moves[where - 1], step.moves[where + 1]
    assert isinstance(before, Feed)
    assert isinstance(after, Feed)
    assert (before.x, before.feed) == (pytest.approx(7.5), pytest.approx(0.1))
    assert (after.x, after.feed) == (pytest.approx(-0.2), pytest.approx(0.05))


def test_what_is_parted_off_already_is_told() -> None:
    one = job()
    twice = replace(
        one, setups=(replace(one.setups[0], steps=(*one.setups[0].steps, replace(one.setups[0].steps[0], id="again"))),)
    )
    (problem,) = [p for p in plan(twice).steps[1].answers.problems if p.blocks]
    assert "no metal left to part off" in problem.text
