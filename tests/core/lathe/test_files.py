"""What goes out and comes in for a lathe: G-code word by word, reading it, exports, units, profiles."""

from __future__ import annotations

import math
import struct
from pathlib import Path

import numpy as np
import pytest

from bastler.cli import run
from bastler.core.benches import post
from bastler.core.demo import SPINDLE, demo_job
from bastler.core.engine import Engine
from bastler.core.gcode.control import Control
from bastler.core.gcode.interpreter import interpret
from bastler.core.gcode.motion import ARC, FEED, RAPID, THREAD
from bastler.core.job.document import Step
from bastler.core.job.tooltable import read_tools
from bastler.core.jobfiles.units import in_units
from bastler.core.planner import plan
from bastler.core.post.dialect import dialects
from bastler.core.request import Request
from tests.turned import LATHE_TOOLS, lathe_job

EXAMPLES = Path(__file__).parents[3] / "examples"
FACE = Step(id="f", cycle="end_face", values={"tool": "1", "work": "finish", "face_z": "0.5"})
GOLDEN_A = """\
%
O0001 (loop)
N10 G21 G18 G40 G80 G97 G99
(1 Face Z 0.5)
N20 G0 X220. Z150.
N30 T0101 (CNMG 0.8)
N40 G50 S3200
N50 G96 S216 M3
N60 M8
N70 X56. Z4.5
"""


def text_of(dialect: str, *steps: Step) -> str:
    return post(plan(lathe_job(*steps)), dialects()[dialect]).text


def test_the_head_of_a_program_word_by_word() -> None:
    assert text_of("iso-lathe-a", FACE).startswith(GOLDEN_A)
    other = text_of("iso-lathe-b", FACE)
    assert "T1 D1 (CNMG 0.8)" in other
    assert "G92 S3200" in other
    assert "G95" in other.splitlines()[2]


def read(text: str, reading: str = "a"):  # type: ignore[no-untyped-def]
    tools, _ = read_tools(lathe_job())
    return interpret(text.encode(), Control(tools, machine_origin=(110.0, 0.0, 150.0), reading=f"lathe-{reading}"))


TURNS = "G21 G18 G99\nT0101\nG97 S800 M3\nG0 X60. Z2.\n"
HEAD = "G21 G18 G99\nT0101\nG50 S3000\nG96 S200 M3\nG0 X60. Z2.\n"


def test_x_is_a_diameter_and_u_w_count_on() -> None:
    m = read(HEAD + "G0 X50.\nG1 W-10. F0.2\nU4.\nX54. Z-20.\n").motion
    assert m.end[-1].tolist() == [27.0, 0.0, -20.0]
    assert m.end[-2][0] == 27.0
    assert m.end[m.kind == FEED][0].tolist() == [25.0, 0.0, -8.0]


def test_surface_speed_follows_the_diameter_up_to_its_limit() -> None:
    m = read(HEAD + "G1 X0. F0.2\n").motion
    cut = m.kind == FEED
    middle = (m.start[cut, 0] + m.end[cut, 0]) / 2
    wanted = np.minimum(1000 * 200 / (2 * math.pi * np.maximum(middle, 0.05)), 3000)
    assert m.speed[cut] == pytest.approx(wanted)
    assert m.feed[cut] == pytest.approx(0.2 * m.speed[cut])
    assert (np.diff(m.speed[cut]) >= -1e-9).all()


def test_arcs_turn_as_they_are_drawn() -> None:
    m = read(HEAD + "G0 X20.\nG1 Z0. F0.2\nG3 X30. Z-5. I0. K-5.\nG2 X40. Z-10. R5.\n").motion
    arcs = np.flatnonzero(m.kind == ARC)
    turned = [m.sweep[arcs[m.line[arcs] == line]].sum() for line in np.unique(m.line[arcs])]
    assert turned == pytest.approx([math.pi / 2, -math.pi / 2])
    assert m.centre[arcs[0]].tolist() == [10.0, 0.0, -5.0]
    assert set(m.plane[arcs].tolist()) == {1}


def test_threads_run_in_step_with_the_spindle() -> None:
    m = read("G21 G18 G99\nT1111\nG97 S500 M3\nG0 X52. Z6.\nX49.\nG32 Z-20. F1.5\nG0 X52.\n").motion
    thread = m.kind == THREAD
    assert m.feed[thread].tolist() == [750.0]
    assert m.speed[thread].tolist() == [500.0]


def test_a_second_offset_steers_the_other_edge() -> None:
    blade = LATHE_TOOLS[6].changed(values={**LATHE_TOOLS[6].values, "second_offset": "17"})
    tools, _ = read_tools(lathe_job().changed(tools=(blade,)))
    text = "G21 G18 G99\nT0707\nG97 S500 M3\nG0 X60. Z-10.\nT0717\nG0 Z-10.\nX58.\n"
    m = interpret(text.encode(), Control(tools, machine_origin=(110.0, 0.0, 150.0), reading="lathe-a")).motion
    assert m.end[-1].tolist() == [29.0, 0.0, -13.0], "the left corner lies the blade's width further left"


@pytest.mark.parametrize(
    ("line", "kind"),
    [("G36 U2.", "unknown-word"), ("G71 P10 Q20", "missing-word"), ("G76 X20. Z-10. F1.5", "missing-word"), ("G1 X10. X20. F0.1", "syntax"), ("T0199", "wrong-offset"), ("T0100\nG1 X10. F0.1", "missing-word"),
     ("G2 X10. Z-5.", "missing-word"), ("B5.", "unknown-word"), ("G1 X10. F0.", "no-feed")],
)  # fmt: skip
def test_what_it_can_not_read_is_told(line: str, kind: str) -> None:
    assert kind in {f.kind for f in read(HEAD + line + "\n").findings}


@pytest.mark.parametrize("option", ["stl", "shape", "dxf", "csv", "svg", "pdf", "html"])
def test_every_export_of_a_turned_part(option: str, tmp_path: Path) -> None:
    file = tmp_path / f"spindle.{option}"
    assert run(["export", str(EXAMPLES / "spindle.bastler"), f"--{option}", str(file)]) == 0
    assert file.stat().st_size > 200


def test_the_solid_has_the_volume_of_the_section(tmp_path: Path) -> None:
    file = tmp_path / "part.stl"
    assert run(["export", str(EXAMPLES / "spindle.bastler"), "--stl", str(file)]) == 0
    data = file.read_bytes()
    count = struct.unpack("<I", data[80:84])[0]
    rows = np.frombuffer(data[84:], np.dtype([("n", "<f4", 3), ("v", "<f4", (3, 3)), ("a", "<u2")]), count)
    a, b, c = (rows["v"][:, k].astype(float) for k in range(3))
    solid = abs(float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum()) / 6)
    checked = Engine().check(Request(demo_job(SPINDLE)))
    assert solid == pytest.approx(checked.volume_after, rel=0.01)


def test_the_volume_is_the_exact_one() -> None:
    job = lathe_job(
        Step(
            id="t",
            cycle="turn",
            values={"tool": "1", "diameter": "30", "length": "20", "shape": "cylinder", "front_z": "1.5"},
        )
    )
    checked = Engine().check(Request(job))
    nose = 0.8
    corner = (1 - math.pi / 4) * nose**2
    around = 2 * math.pi * (15 + nose * (1 - (10 - 3 * math.pi) / (12 - 3 * math.pi)))
    removed = math.pi * (25**2 - 15**2) * 20 - corner * around
    assert checked.volume_before - checked.volume_after == pytest.approx(removed, rel=2e-4)
    assert float(checked.removed.sum()) == pytest.approx(checked.volume_before - checked.volume_after, rel=1e-6)


def test_a_lathe_job_in_inches_cuts_the_same() -> None:
    job = demo_job(SPINDLE)
    inch = in_units(job, "inch", keep_size=True)
    assert plan(inch).first_obstacle() is None
    mm, other = (Engine().check(Request(j)) for j in (job, inch))
    assert [f for f in other.findings if f.severity == "stop"] == []
    assert other.volume_after == pytest.approx(mm.volume_after, rel=2e-4)
    assert other.units == "inch"


def test_rapids_of_the_spindle_never_touch() -> None:
    checked = Engine().check(Request(demo_job(SPINDLE)))
    assert checked.findings == ()
    assert float(checked.removed[checked.motion.kind == RAPID].sum()) < 1e-3


def test_walls_are_cut_by_the_edge_that_suits_them() -> None:
    groove = Step(
        id="g",
        cycle="groove",
        values={"middle_z": "-20", "surface": "50", "bottom": "42", "width": "7", "corner": "0.2", "tool": "7"},
    )
    one = lathe_job(groove)
    blade = one.tools[6].changed(values={**one.tools[6].values, "second_offset": "17"})
    two = one.changed(tools=(*one.tools[:6], blade, *one.tools[7:]))
    text = post(plan(two), dialects()["iso-lathe-a"]).text
    assert text.count("T0717") == 1
    assert text.index("T0717") < text.rindex("T0707")
    first, second = (Engine().check(Request(job)) for job in (one, two))
    assert [f for f in second.findings if f.severity != "note"] == []
    assert second.section.stock.symmetric_difference(first.section.stock).area < 1e-3


def ends(text: str) -> list[tuple[float, float]]:
    m = read(text).motion
    return [(round(2 * float(x), 3), round(float(z), 3)) for x, _, z in m.end]


def test_single_cycles_go_round_and_repeat() -> None:
    got = ends(TURNS + "G90 X50. Z-20. F0.2\nX46.\n")
    assert got[-8:] == [(50, 2), (50, -20), (60, -20), (60, 2), (46, 2), (46, -20), (60, -20), (60, 2)]
    assert ends(TURNS + "G94 X10. Z-1. F0.2\n")[-4:] == [(60, -1), (10, -1), (10, 2), (60, 2)]
    text = "G21 G18 G99\nT1111\nG97 S500 M3\nG0 X60. Z6.\nG92 X49. Z-20. F1.5\nX48.5\n"
    m = read(text).motion
    assert (m.kind == THREAD).sum() == 2
    assert m.feed[m.kind == THREAD].tolist() == [750.0, 750.0]


PROFILE = "G71 U2. R0.5\nG71 P10 Q20 U0.4 W0.1 F0.3\nN10 G0 X20.\nG1 Z-10. F0.15\nX30.\nZ-20.\nN20 X52.\n"


def test_roughing_stays_off_its_profile_and_finishing_follows_it() -> None:
    rough = read(HEAD.replace("X60.", "X52.") + PROFILE).motion
    feeds = rough.kind == FEED
    for r, _, z in rough.end[feeds]:
        stands = 10.2 if z > -9.9 - 1e-6 else 15.2 if z > -19.9 - 1e-6 else 26.2
        assert r >= stands - 1e-6
    assert float(rough.end[feeds][:, 0].min()) == pytest.approx(10.2)
    both = read(HEAD.replace("X60.", "X52.") + PROFILE + "G70 P10 Q20\n").motion
    assert float(both.end[both.kind == FEED][:, 0].min()) == pytest.approx(10.0)
    assert len(both) > len(rough) + 4
    last = both.end[-1]
    assert (last[0], last[2]) == (26.0, 2.0), "back where it began"


def test_a_thread_cycle_cuts_to_its_roots() -> None:
    text = "G21 G18 G99\nT1111\nG97 S500 M3\nG0 X54. Z6.\nG76 P020060 Q50 R0.05\nG76 X48.16 Z-20. P920 Q300 F1.5\n"
    m = read(text).motion
    thread = np.flatnonzero(m.kind == THREAD)
    roots = m.end[thread, 0]
    assert roots[-1] == roots[-2] == pytest.approx(24.08)
    assert roots[0] == pytest.approx(24.08 + 0.92 - 0.3)
    assert (np.diff(roots) <= 1e-9).all()
    areas = np.diff([0.0, *((25.0 - roots[:-3]) ** 2)])
    assert areas.max() <= 1.05 * areas[0]


def test_a_step_of_the_other_kind_of_machine_says_so_and_keeps_its_answers() -> None:
    job = demo_job(SPINDLE)
    milled = job.with_setup(job.setups[0].changed(machine="small-mill-mm", values={}))
    planned = plan(milled)
    assert "is for a lathe" in planned.steps[0].answers.problems[0].text
    assert planned.order == ()
    assert planned.steps[0].title
    assert plan(job).first_obstacle() is None
