"""Machines taken as they are: no spindle encoder, speeds set by hand, only some ways of cooling."""

from __future__ import annotations

import re

import pytest
from msgspec.structs import replace

from bastler.core.benches import post
from bastler.core.engine import Engine
from bastler.core.job.document import Job, Step
from bastler.core.planner import plan
from bastler.core.post.dialect import dialects
from bastler.core.request import Request
from bastler.core.tooling import profileforms
from bastler.core.tooling.machines import machines
from tests.jobs import BOLTS, FACE, LEFT, changed, plate
from tests.turned import lathe_job

TURN = Step(id="turn", cycle="turn", values={"shape": "cylinder", "diameter": "40", "length": "30", "tool": "1"})
GROOVE = Step(id="groove", cycle="groove", values={"middle_z": "-15", "width": "4", "surface": "40", "bottom": "36", "tool": "7"})  # fmt: skip


def on(job: Job, **facts: object) -> Job:
    """The job on its machine, but with some facts of that changed."""
    setup = job.setups[0]
    machine = machines()[setup.machine]
    turns = {k: facts.pop(k) for k in ("encoder", "by_hand") if k in facts}
    spindle = replace(machine.spindle, **turns)
    own = replace(machine, id="own-plain", name="Old machine", spindles=(spindle,), **facts)
    profileforms.save(own)
    return job.with_setup(setup.changed(machine="own-plain"))


def text_of(job: Job) -> str:
    planned = plan(job)
    return post(planned, dialects()[planned.frame.machine.dialect]).text


def test_a_profile_keeps_what_it_is() -> None:
    job = on(plate(), coolants=("mist", "air"), by_hand=True)
    kept = machines()[job.setups[0].machine]
    assert (kept.coolants, kept.spindle.by_hand, kept.spindle.encoder) == (("mist", "air"), True, True)


@pytest.mark.parametrize("dialect", ["iso-lathe-a", "iso-lathe-b"])
def test_without_an_encoder_feeds_are_per_minute_and_the_part_is_the_same(dialect: str) -> None:
    job, plain = lathe_job(TURN, GROOVE), on(lathe_job(TURN, GROOVE), encoder=False)
    assert all(s.answers.complete for s in plan(plain).steps)
    assert plan(plain).steps[0].answers.values.speed_by == "rev"
    text = post(plan(plain), dialects()[dialect]).text
    assert "G96" not in text
    assert re.search(r"^N\d+ (G98|G94)$", text, re.M)
    usual, found = (Engine().check(Request(j, dialect=dialect)) for j in (job, plain))
    assert [f.text for f in found.findings if f.severity != "note"] == []
    assert found.volume_after == pytest.approx(usual.volume_after, rel=1e-4)
    v = plan(plain).steps[0].answers.values
    fed = {round(float(f / n), 3) for f, n in zip(found.motion.feed, found.motion.speed, strict=True) if f and n}
    assert any(abs(f - v.feed) < 0.002 for f in fed)


def test_without_an_encoder_threads_and_constant_cutting_speed_are_refused_with_the_reason() -> None:
    thread = Step(id="t", cycle="turn_thread", values={"thread": "M50x1.5", "tool": "11", "end_z": "-10"})
    job = on(
        lathe_job(thread, Step(id="s", cycle="turn", values={**TURN.values, "speed_by": "surface"})), encoder=False
    )
    for step in plan(job).steps:
        assert not step.answers.complete
        assert any("no spindle encoder" in p.text for p in step.answers.problems)


def test_without_an_encoder_a_tap_is_held_floating() -> None:
    tap = Step(id="tap", cycle="axis_hole", values={"tool": "16", "depth": "15"})
    hole = Step(id="hole", cycle="axis_hole", values={"tool": "17", "depth": "25"})
    job = on(lathe_job(hole, tap), encoder=False)
    assert plan(job).steps[1].answers.values.holder == "floating"
    assert "G84" not in text_of(job)


@pytest.mark.parametrize(
    "job",
    [plate(FACE, LEFT, BOLTS), lathe_job(changed(TURN, speed_by="rev"), changed(GROOVE, speed_by="rev", speed="300"))],
)
def test_a_speed_set_by_hand_is_asked_for_before_it_changes(job: Job) -> None:
    text = text_of(on(job, by_hand=True))
    asked = re.findall(r"\(set (\d+) /min\)", text)
    turned = [s for s in re.findall(r"\bS(\d+) M3", text) if s]
    assert asked
    assert list(dict.fromkeys(turned)) == list(dict.fromkeys(asked))
    lines = text.splitlines()
    for i, line in enumerate(lines):
        if "(set " in line:
            assert "M0" in lines[i + 1].split()
            assert any("M9" in earlier for earlier in lines[max(i - 3, 0) : i])
    assert [f.text for f in Engine().check(Request(on(job, by_hand=True))).findings if f.severity == "stop"] == []


def test_coolant_is_what_tool_and_step_ask_for_and_off_before_changes_and_the_end() -> None:
    job = plate(FACE, changed(LEFT, coolant="mist"), changed(BOLTS, coolant="off"))
    lines = text_of(job).splitlines()
    words = [w for line in lines for w in line.split("(")[0].split() if w in ("M7", "M8", "M9", "M6", "M30")]
    assert words == ["M6", "M8", "M9", "M6", "M7", "M9", "M6", "M9", "M30"]
    assert [f.text for f in Engine().check(Request(job)).findings if f.kind == "coolant"] == []


def test_two_steps_of_one_tool_may_be_cooled_otherwise() -> None:
    text = text_of(plate(FACE, LEFT, changed(LEFT, centre_x="152", coolant="off").changed(id="dry")))
    assert re.search(r"\(3 Pocket.*\n(N\d+ [^M].*\n)*N\d+ M9\n", text)


def test_a_coolant_that_the_machine_has_not_is_refused_and_never_suggested() -> None:
    air = on(plate(FACE), coolants=())
    assert plan(air).steps[0].answers.values.coolant == "off"
    (problem,) = [
        p for p in plan(plate(changed(FACE, coolant="through"))).steps[0].answers.problems if p.field == "coolant"
    ]
    assert problem.blocks


def test_cast_iron_is_cut_dry() -> None:
    job = plate(FACE)
    iron = job.with_setup(job.setups[0].changed(material="GJL-250"))
    assert plan(on(iron, coolants=("flood", "air"))).steps[0].answers.values.coolant == "air"
    assert plan(iron).steps[0].answers.values.coolant == "off"


@pytest.mark.parametrize(("old", "new"), [("M8", ""), ("M8", "M9")])
def test_a_cut_without_the_coolant_that_was_asked_for_is_told(old: str, new: str) -> None:
    job = plate(FACE, LEFT)
    text = re.sub(rf"(N\d+) {old}\n", rf"\1 {new}\n", text_of(job), count=1)
    found = [f for f in Engine().check(Request(job, text=text.encode())).findings if f.kind == "coolant"]
    assert [f.step for f in found] == ["face"]
