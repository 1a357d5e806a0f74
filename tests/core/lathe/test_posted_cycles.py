"""Programs that hand roughing, finishing and threads to the control's own cycles."""

from __future__ import annotations

import re

import numpy as np
import pytest
import shapely
from msgspec.structs import replace

from bastler.core.benches import post
from bastler.core.engine import Engine
from bastler.core.gcode.motion import THREAD
from bastler.core.job.document import Job, Step
from bastler.core.jobfiles.units import in_units
from bastler.core.planner import plan
from bastler.core.post.dialect import dialects
from bastler.core.request import Request
from tests.turned import lathe_job, lines

SHAFT = lines("shaft", 26, (-2, 30), (-20, 30), (-30, 40))
NECK = lines("shaft", 40, (-10, 40), (-16, 34), (-30, 34))
SHORT = {
    "iso-lathe-a": """\
N80 X52.4 Z2.5
N90 G71 U2. R0.5
N100 G71 P110 Q170 U0.4 W0.1 F0.35
N110 G0 X26.
N120 G1 Z-0.469 F0.253
N130 X29.531 Z-2.234
N140 G3 X30. Z-2.8 I-0.566 K-0.566
N150 G1 Z-20.611
N160 X39.389 Z-30.
N170 X50.4
N180 G70 P110 Q170
""",
    "iso-lathe-b": """\
N80 X52.4 Z2.5
N90 G71 P100 Q160 U0.4 W0.1 D2000 F0.35
N100 G0 X26.
""",
}


def turn(written: str = "cycle", **values: str) -> Step:
    asked = {
        "shape": "contour",
        "contour": "shaft",
        "tool": "1",
        "depth_per_pass": "2",
        "feed": "0.35",
        "written": written,
        **values,
    }
    return Step(id="turn", cycle="turn", values=asked)


def thread(written: str = "cycle", **values: str) -> Step:
    return Step(
        id="thread",
        cycle="turn_thread",
        values={"diameter": "50", "pitch": "1.5", "tool": "11", "end_z": "-20", "written": written, **values},
    )


def text_of(job: Job, dialect: str) -> str:
    return post(plan(job), dialects()[dialect]).text


def stock_after(job: Job, dialect: str) -> shapely.Geometry:
    """The half section that is left by the text, which nothing stops."""
    checked = Engine().check(Request(job, dialect=dialect))
    assert [f.text for f in checked.findings if f.severity == "stop"] == []
    return checked.section.stock


@pytest.mark.parametrize("dialect", SHORT)
def test_the_cycle_word_by_word(dialect: str) -> None:
    assert SHORT[dialect] in text_of(lathe_job(turn(), contours=(SHAFT,)), dialect)


@pytest.mark.parametrize("dialect", SHORT)
@pytest.mark.parametrize("units", ["mm", "inch"])
def test_short_and_long_leave_the_same_surface(dialect: str, units: str) -> None:
    jobs = [lathe_job(turn(written), contours=(SHAFT,)) for written in ("cycle", "moves")]
    short, long = (stock_after(in_units(j, units, keep_size=True), dialect) for j in jobs)  # type: ignore[arg-type]
    assert shapely.symmetric_difference(short, long).area < (0.02 if units == "mm" else 0.1)
    assert len(text_of(jobs[0], dialect)) < 0.6 * len(text_of(jobs[1], dialect))


@pytest.mark.parametrize("dialect", SHORT)
def test_a_bore_is_roughed_with_its_allowance_inwards(dialect: str) -> None:
    values = {"where": "inside", "shape": "cylinder", "diameter": "30", "length": "20", "tool": "5", "written": "cycle"}
    job = lathe_job(Step(id="bore", cycle="turn", values=values), tube=True)
    assert "U-0.4" in text_of(job, dialect)
    left = shapely.clip_by_rect(stock_after(job, dialect), -19.0, 0.0, 0.0, 30.0)
    assert left.bounds[1] == pytest.approx(15.0, abs=2e-3)


@pytest.mark.parametrize("dialect", SHORT)
def test_facing_by_the_cycle_leaves_a_flat_end(dialect: str) -> None:
    job = lathe_job(Step(id="face", cycle="end_face", values={"face_z": "-1", "tool": "1", "written": "cycle"}))
    assert "G72" in text_of(job, dialect)
    assert stock_after(job, dialect).bounds[2] == pytest.approx(-1.0, abs=2e-3)


@pytest.mark.parametrize("dialect", SHORT)
def test_a_contour_that_turns_back_is_written_out_and_says_so(dialect: str) -> None:
    job = lathe_job(turn(tool="4"), contours=(NECK,))
    (note,) = [p for p in plan(job).steps[0].answers.problems if p.field == "written"]
    assert not note.blocks
    assert "Every move is written" in note.text
    assert "G71" not in text_of(job, dialect)


def test_a_thread_by_its_cycle() -> None:
    """0.920 by ISO 68-1, and 0.139 for a point of 0.09 that would be 0.25 in the standard form."""
    a, b = (text_of(lathe_job(thread(first_pass="0.25", spring="1")), d) for d in SHORT)
    assert "G76 P021060 Q50 R0.\n" in a
    assert re.search(r"G76 X47\.882 Z-21\.5 P1059 Q250 R0\. F1\.5\b", a)
    assert "G76" not in b, "it has no word for the run-out"
    straight = text_of(lathe_job(thread(first_pass="0.25", spring="1", out="straight")), list(SHORT)[1])
    assert re.search(r"G76 X47\.882 Z-20\. I0\. K1\.059 D250 F1\.5 A60\b", straight)
    for dialect in SHORT:
        assert stock_after(lathe_job(thread()), dialect).area > 0


def test_a_taper_thread_keeps_its_taper() -> None:
    job = lathe_job(thread(taper="1.79", run_in="4", infeed="radial", out="straight"))
    motion = Engine().check(Request(job, dialect="iso-lathe-a")).motion
    last = int(np.flatnonzero(motion.kind == THREAD)[-1])
    (x0, _, z0), (x1, _, z1) = motion.start[last], motion.end[last]
    assert (x1 - x0) / (z0 - z1) == pytest.approx(0.03125, abs=2e-4)


def test_several_starts_are_written_out() -> None:
    step = thread(starts="2")
    assert plan(lathe_job(step)).steps[0].answers.values.get("written") is None
    assert "G76" not in text_of(lathe_job(step), "iso-lathe-a")


def test_a_control_without_cycles_gets_every_move() -> None:
    plain = dialects()["iso-lathe-a"]
    assert plain.lathe is not None
    bare = replace(plain, lathe=replace(plain.lathe, rough_along=[], thread_cycle=[]))
    job = lathe_job(turn(), thread(), contours=(SHAFT,))
    text = post(plan(job), bare).text
    assert "G71" not in text
    assert "G76" not in text
    assert text.count("G32") > 3


def test_blocks_have_numbers_even_where_lines_have_none() -> None:
    plain = dialects()["iso-lathe-a"]
    text = post(
        plan(lathe_job(turn(), contours=(SHAFT,))), replace(plain, lines=replace(plain.lines, numbered=False))
    ).text
    (first, last) = re.findall(r"G71 P(\d+) Q(\d+)", text)[0]
    assert re.search(rf"^N{first} G0 X26", text, re.MULTILINE)
    assert re.search(rf"^N{last} ", text, re.MULTILINE)
    assert len(re.findall(r"^N", text, re.MULTILINE)) == 2
