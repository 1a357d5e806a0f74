"""What holds a turned part, besides the jaws: the tailstock's centre and a stop behind it."""

from __future__ import annotations

from bastler.core.engine import Engine
from bastler.core.exchange.setupsheet import collect
from bastler.core.job.document import Job, Step
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.turned import lathe_job

TURN = Step(id="turn", cycle="turn", values={"diameter": "40", "length": "30", "tool": "1"})
FACED = "%\nO1\nG21 G18 G99\nT0101\nG97 S800 M3\nG0 X54. Z0.\nG1 X-1. F0.2\nG0 Z10.\nX220. Z150.\nM30\n%\n"


def stops(job: Job, text: str = "") -> list[tuple[str, str]]:
    checked = Engine().check(Request(job, text=text.encode() or None, name="held"))
    return [(f.kind, f.text) for f in checked.findings if f.severity == "stop"]


def test_the_centre_is_in_the_way_of_a_face() -> None:
    assert not stops(lathe_job(), FACED)
    (found,) = stops(lathe_job(tailstock="yes"), FACED)
    assert found[0] == "fixture-contact"
    assert "the tailstock" in found[1]


def test_turning_beside_the_centre_keeps_off_it() -> None:
    job = lathe_job(TURN, tailstock="yes")
    assert plan(job).steps[0].ready
    assert stops(job) == []


def test_facing_beside_the_centre_stops_before_it() -> None:
    face = Step(id="face", cycle="end_face", values={"face_z": "0", "tool": "1"})
    job = lathe_job(face, tailstock="yes")
    (told,) = [p.text for p in plan(job).steps[0].answers.problems]
    assert "can't reach" in told
    assert stops(job) == []


def test_a_stop_stands_behind_the_stock() -> None:
    job = lathe_job(TURN, stop="yes")
    held = plan(job).frame.chucking
    assert held is not None
    stop = next(b for b in held.bodies if b.word == "the stop")
    assert max(z for z, _ in stop.outline) == held.blank[0]
    assert stops(job) == []
    checked = Engine().check(Request(job))
    assert "against a stop" in dict(collect(plan(job), checked).facts)["Held in"]
