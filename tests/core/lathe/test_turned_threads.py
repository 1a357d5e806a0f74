"""Threads of both hands: which way the tool runs, where it comes in, and what it finds of a relief."""

import math
import re

import pytest
from msgspec.structs import replace

from bastler.core.benches import post
from bastler.core.engine import Engine
from bastler.core.gcode.motion import THREAD
from bastler.core.job.document import Job, Step, ToolRecord
from bastler.core.planner import plan
from bastler.core.plans.plan import StepPlan
from bastler.core.post.dialect import dialects
from bastler.core.request import Request
from tests.turned import lathe_job

SHAFT = Step(id="shaft", cycle="turn", values={"shape": "cylinder", "diameter": "30", "length": "30", "tool": "1"})
RELIEF = Step(
    id="relief",
    cycle="groove",
    values={"where": "outside", "middle_z": "-22", "width": "8", "surface": "30", "bottom": "24", "tool": "7"},
)


def thread(**values: str) -> Step:
    return Step(id="thread", cycle="turn_thread", values={"thread": "M30x2", "tool": "11", **values})


def planned(job: Job) -> StepPlan:
    return plan(job).steps[-1]


def posted(job: Job) -> str:
    return post(plan(job), dialects()["iso-lathe-a"]).text


def runs(job: Job, dialect: str = "iso-lathe-a") -> list[tuple[float, float]]:
    """Z at the start and the end of every thread pass of the checked text, which nothing stops."""
    checked = Engine().check(Request(job, dialect=dialect))
    assert [f.text for f in checked.findings if f.severity == "stop"] == []
    found, z = list[tuple[float, float]](), 0.0
    for line in checked.program.text.splitlines():
        told = re.search(r"\bZ(-?[\d.]+)", line)
        if told and line.split("(")[0].find("G32") >= 0:
            found.append((z, float(told[1])))
        z = float(told[1]) if told else z
    return found


def upside_down(job: Job) -> Job:
    """The same with its threading tool upside down."""
    tools = tuple(replace(t, values={**t.values, "upside_down": "yes"}) if t.number == 11 else t for t in job.tools)
    return replace(job, tools=tools)


def test_a_thread_ends_where_its_relief_begins_and_runs_out_into_it() -> None:
    step = planned(lathe_job(SHAFT, RELIEF, thread()))
    assert step.answers.values.end_z == pytest.approx(-18)
    assert step.answers.values.run_out == pytest.approx(2)
    assert all(a > b for a, b in runs(lathe_job(SHAFT, RELIEF, thread())))


def test_without_a_relief_its_end_is_asked_for() -> None:
    step = planned(lathe_job(SHAFT, thread()))
    assert step.answers.missing == ("end_z",)


def test_without_a_relief_it_runs_out_of_the_metal_at_45_degrees_over_a_pitch() -> None:
    job = lathe_job(SHAFT, thread(end_z="-15"))
    v = planned(job).answers.values
    assert (v.out, v.out_angle, v.run_out) == ("cone", 45, 2)
    full, out = runs(job)[0::2], runs(job)[1::2]
    assert {b for _, b in full} == {-15}
    assert all(a == -15 and -17 - 1e-6 <= b < -16 for a, b in out)
    motion = Engine().check(Request(job)).motion
    x, z = (motion.end[motion.kind == THREAD] - motion.start[motion.kind == THREAD])[1::2, (0, 2)].T
    assert x == pytest.approx(-z, abs=1e-3)


@pytest.mark.parametrize("dialect", ["iso-lathe-a", "iso-lathe-b"])
def test_a_cycle_runs_out_as_the_long_hand_does(dialect: str) -> None:
    def last(written: str) -> list[float]:
        job = lathe_job(SHAFT, thread(end_z="-15", written=written, infeed="radial", spring="0"))
        motion = Engine().check(Request(job, dialect=dialect)).motion
        return [float(n) for n in motion.end[motion.kind == THREAD][-2:, (0, 2)].ravel()]

    assert last("cycle") == pytest.approx(last("moves"), abs=2e-3)


def test_straight_out_of_solid_metal_is_told_with_its_remedy() -> None:
    (problem,) = planned(lathe_job(SHAFT, thread(end_z="-15", out="straight"))).answers.problems
    assert (problem.field, problem.remedy) == ("out", ("out", "cone"))


@pytest.mark.parametrize("more", [{"out_angle": "30"}, {"run_out": "1"}])
def test_a_run_out_that_stays_in_the_metal_asks_for_more(more: dict[str, str]) -> None:
    answers = planned(lathe_job(SHAFT, thread(end_z="-15", **more))).answers
    if "run_out" in more:
        assert [p.field for p in answers.problems if p.blocks] == ["run_out"]
    else:
        assert answers.problems == ()
        assert answers.values.run_out * math.tan(math.radians(30)) >= answers.values.depth


def test_planner_and_check_agree_on_a_holder_that_meets_the_shoulder() -> None:
    for end in range(-28, -12, 2):
        step = planned(lathe_job(SHAFT, thread(end_z=str(end))))
        assert step.answers.complete == (end > -20)
        if step.answers.complete:
            assert runs(lathe_job(SHAFT, thread(end_z=str(end))))


def test_a_left_hand_thread_runs_out_of_its_relief_away_from_the_chuck() -> None:
    passes = runs(lathe_job(SHAFT, RELIEF, thread(hand="left")))
    assert passes
    assert all(-26 < a < -18 and b == 0 for a, b in passes)


@pytest.mark.parametrize("infeed", ["radial", "flank", "both"])
def test_every_pass_begins_in_the_relief(infeed: str) -> None:
    assert all(-26 < a < -18 for a, _ in runs(lathe_job(SHAFT, RELIEF, thread(hand="left", infeed=infeed))))


def test_without_a_relief_a_left_hand_thread_says_what_it_needs() -> None:
    (problem,) = planned(lathe_job(SHAFT, thread(hand="left", end_z="-20"))).answers.problems
    assert problem.blocks
    assert "Cut a relief there before, or turn the tool upside down" in problem.text


def test_upside_down_the_hands_change_places() -> None:
    job = upside_down(lathe_job(SHAFT, thread(hand="left", end_z="-17", out="straight")))
    assert all(a > b for a, b in runs(job))
    text = posted(job)
    assert "M4" in text[text.index("T11") :]
    right = upside_down(lathe_job(SHAFT, RELIEF, thread()))
    assert all(a < b for a, b in runs(right))


def test_a_tool_upside_down_with_the_spindle_the_usual_way_is_told() -> None:
    job = upside_down(lathe_job(SHAFT, thread(hand="left", end_z="-17", out="straight")))
    text = posted(job).replace("M4", "M3").encode()
    checked = Engine().check(Request(job, text=text, name="turned"))
    assert [f.kind for f in checked.findings if f.severity == "stop"] == ["wrong-turn"]


def test_starts_are_spread_from_the_angle_given() -> None:
    text = posted(lathe_job(SHAFT, thread(end_z="-17", out="straight", starts="2", start_angle="90", spring="0")))
    assert set(re.findall(r"\bQ(\d+)", text)) == {"90000", "270000"}


TRAPEZE = ToolRecord(number=31, kind="threading-tool", name="30 outside", values={"pitch": "5", "thread_angle": "30"})
FULL = ToolRecord(number=32, kind="threading-tool", name="full 1.5", values={"pitch": "1.5", "full_profile": "yes"})
BLUNT = ToolRecord(number=33, kind="threading-tool", name="blunt", values={"pitch": "3", "point_flat": "0.375"})


def named(name: str, tool: str = "", **values: str) -> StepPlan:
    step = Step(
        id="thread",
        cycle="turn_thread",
        values={"thread": name, "end_z": "-15", **({"tool": tool} if tool else {}), **values},
    )
    job = lathe_job(SHAFT, step)
    return planned(replace(job, tools=(*job.tools, TRAPEZE, FULL, BLUNT)))


def test_a_name_answers_profile_starts_and_hand() -> None:
    v = named("Tr 30x10P5 LH").answers.values
    assert (v.profile, v.diameter, v.pitch, v.starts, v.hand) == ("trapeze", 30, 5, 2, "left")
    assert v.depth == pytest.approx(2.75)
    assert v.tool.number == 31, "the one with flanks of 30°"
    assert named("M30x1.5").answers.values.tool.number == 32, "the full profile of this pitch"


@pytest.mark.parametrize(
    ("name", "tool", "words"),
    [
        ("Tr 30x5", "11", "cuts flanks of 60°, this thread has 30°"),
        ("G 3/4", "11", "this thread has 55°"),
        ("M30x2", "32", "has the full profile of pitch 1.5 and cuts no other"),
        ("M30x1", "33", "0.375 wide, the roots of this thread 0.167: it cuts too wide"),
        ("Tr 30x3", "31", "it cuts too wide"),
        ("M30x3.5", "11", "is for pitches up to 3"),
    ],
)
def test_an_insert_of_another_form_is_told(name: str, tool: str, words: str) -> None:
    assert any(words in p.text for p in named(name, tool).answers.problems), named(name, tool).answers.problems


def test_the_insert_that_fits_is_the_remedy() -> None:
    (problem,) = [p for p in named("Tr 30x5", "11").answers.problems if p.field == "tool"]
    assert problem.remedy == ("tool", "31")
    (problem,) = [p for p in named("G 3/4", "11").answers.problems if p.field == "tool"]
    assert problem.remedy is None, "no insert of 55° is in the table"


def test_a_narrow_point_goes_deeper_and_says_so() -> None:
    sharp, full = named("M30x1.5", "11"), named("M30x1.5", "32")
    assert full.answers.values.depth == pytest.approx(0.920, abs=1e-3)
    assert sharp.answers.values.depth == pytest.approx(0.920 + (0.25 - 0.09) / 2 / 0.57735, abs=2e-3)
    assert "deeper than ISO 68-1, for a point of 0.09" in sharp.answers.suggestions["depth"].reason
