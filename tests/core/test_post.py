"""The post: what the text says is a promise, so a small program is read word by word."""

from __future__ import annotations

import math

import pytest
from msgspec.structs import replace

from bastler.core.benches import post
from bastler.core.engine import Engine
from bastler.core.jobfiles.store import dump, parse
from bastler.core.moves import Pecks, Turn
from bastler.core.planner import plan
from bastler.core.post.dialect import dialects, parse_dialect
from bastler.core.post.millwriter import MillWriter
from bastler.core.post.program import Program
from bastler.core.post.writer import arc_sort
from bastler.core.problems import Unusable
from bastler.core.request import Request
from bastler.core.tooling import profileforms
from bastler.core.tooling.machines import machines
from tests.jobs import BOLTS, CORNERS, FACE, LEFT, RIGHT, changed, plate

ISO = dialects()["iso-mill"]

GOLDEN = """\
%
O0001 (Pressure plate)
N10 G21 G17 G90 G94
N20 G40 G49 G80
(1 Drill corners)
N30 G53 G0 Z0.
N40 T4 M6 (drill 8.5)
N50 G54 G0 G90
N60 S1000 M3
N70 G0 X12. Y12.
N80 G43 H4 Z22.
N90 M8
N100 Z4.
N110 G99 G83 X12. Y12. Z-10. R4. Q5. F170
N120 X12. Y108.
N130 X188. Y108.
N140 X188. Y12.
N150 G80
N160 G0 Z22.
N170 M9
N180 M5
N190 G53 G0 Z0.
N200 M30
%
"""


def posted(*steps, gather: bool = False) -> Program:  # type: ignore[no-untyped-def]
    return post(plan(plate(*steps, gather=gather)), ISO)


def test_a_drilled_plate_word_by_word() -> None:
    step = changed(CORNERS, depth_to="tip", depth="10", peck="retract", first_peck="5")
    assert posted(step).text == GOLDEN


def test_every_line_knows_its_step() -> None:
    program = posted()
    assert len(program.step_of_line) == len(program.lines)
    for i, (line, step) in enumerate(zip(program.lines, program.step_of_line, strict=True)):
        if line.startswith("(") and line[1].isdigit():
            assert int(line[1]) == step + 1, i
    assert program.step_of_line[0] == program.step_of_line[-1] == -1


def test_one_tool_is_changed_once() -> None:
    assert posted(FACE, LEFT, RIGHT).text.count("M6") == 2
    assert posted(FACE, LEFT, CORNERS, RIGHT).text.count("M6") == 4
    assert posted(FACE, LEFT, CORNERS, RIGHT, gather=True).text.count("M6") == 3


def test_arcs_are_arcs_and_compensation_is_taken_up_on_a_line() -> None:
    lines = posted(changed(LEFT, compensation="control")).lines
    up = next(line for line in lines if "G41" in line)
    assert " X" in up
    assert not {"G2", "G3"} & set(up.split())
    assert "D2" in up
    assert sum("G40" in line for line in lines) == 2
    climbing = [word for line in lines for word in line.split() if word in ("G2", "G3")]
    assert climbing
    assert set(climbing) == {"G3"}, "inside a pocket, climbing, everything turns counter-clockwise"


def test_canned_cycles_and_what_is_written_out() -> None:
    assert "G81" in posted(BOLTS).text
    assert "G82" in posted(changed(BOLTS, dwell="0.5")).text
    assert "P500" in posted(changed(BOLTS, dwell="0.5")).text
    assert "G73" in posted(changed(BOLTS, peck="chip")).text
    shrinking = posted(changed(BOLTS, peck="retract", first_peck="6", peck_less="1", smallest_peck="2")).text
    assert "G83" not in shrinking
    assert Pecks(True, 6, less=1, smallest=2).depths(0, -20) == [-6, -11, -15, -18, -20]


def test_comments_hold_only_what_a_control_shows() -> None:
    text = posted(LEFT.changed(name="Tasche Ø60 × 40 (links); ü%")).text
    assert "(1 Pocket Tasche D60 x 40 links u)" in text
    assert text.isascii()


def test_numbers_have_points_and_no_minus_zero() -> None:
    for line in posted().lines:
        for word in line.split("(")[0].split():
            if word[0] in "XYZIJRQ":
                assert "." in word
                assert word[1:] not in ("-0.", "")


def test_an_inch_job_is_posted_in_inch() -> None:
    job = plate(LEFT).changed(
        units="inch",
        tools=(
            plate()
            .tools[1]
            .changed(values={"diameter": "10mm", "flute_length": "22mm", "stick_out": "30mm", "holder": "40mm x 30mm"}),
        ),
    )
    values = {k: f"{v}mm" if k != "grip" else "6mm" for k, v in job.setups[0].values.items()}
    step = LEFT.changed(values={k: f"({v})mm" for k, v in LEFT.values.items()})
    text = post(plan(job.with_setup(job.setups[0].changed(values=values, steps=(step,)))), ISO).text
    assert "G20" in text
    assert "Z-0.4685" in text  # 11.9 mm: 12 deep less 0.1 left on the floor


@pytest.mark.parametrize(
    ("find", "put", "says"),
    [("coment = 1\nname", "name", ""), ('name = "iso-mill"', 'name = "x"\nextention = ".nc"', "Did you mean “extension”"),
     ("numbered = true", "", "lacks the key “numbered”"), ("[words]", "[words", "not valid TOML")],
)  # fmt: skip
def test_a_wrong_dialect_file_is_told_by_key(find: str, put: str, says: str) -> None:
    from importlib import resources

    text = resources.files("bastler.core.post.dialects").joinpath("iso-mill.toml").read_text("utf-8").replace(find, put)
    if says:
        with pytest.raises(Unusable, match=says):
            parse_dialect(text, "iso-mill.toml")
    else:
        assert parse_dialect(text, "iso-mill.toml") == ISO


def test_a_step_may_end_at_the_machines_top() -> None:
    job = plate(FACE, changed(LEFT, retreat="top"), RIGHT)
    lines = post(plan(job), dialects()["iso-mill"]).lines
    at = [i for i, line in enumerate(lines) if "G53 G0 Z0." in line]
    left, right = (next(i for i, line in enumerate(lines) if word in line) for word in ("Pocket left", "Pocket right"))
    assert [left < i < right for i in at].count(True) == 2, "the tool change before the step, and the way up after it"
    assert Engine().check(Request(job, cell=1.0)).findings == ()


def test_tools_are_changed_where_the_machine_has_a_place_for_it(tmp_path, monkeypatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    plain = post(plan(plate(FACE, CORNERS)), ISO).text
    assert "G53 G0 X" not in plain
    small = machines()["small-mill-mm"]
    profileforms.save(replace(small, id="own-x", change_at=(-350.0, -20.5)))
    job = plate(FACE, CORNERS)
    job = job.with_setup(job.setups[0].changed(machine="own-x"))
    lines = post(plan(job), ISO).lines
    at = [i for i, line in enumerate(lines) if "G53 G0 X-350. Y-20.5" in line]
    assert len(at) == 2
    assert all("G53 G0 Z0." in lines[i - 1] and " M6" in lines[i + 1] for i in at)
    assert Engine().check(Request(job, cell=1.0)).findings == ()


def test_the_program_has_its_number_and_a_comment() -> None:
    text = post(plan(plate(CORNERS, program_number="214", program_comment="drawing 7 (rev. B), ask Jo")), ISO).lines
    assert text[1] == "O0214 (Pressure plate)"
    assert "(drawing 7 rev. B, ask Jo)" in text[4]
    assert plan(plate(CORNERS, program_number="0")).setup_answers.problems[0].field == "program_number"


@pytest.mark.parametrize("name", ["G54", "G59", "G54.1 P1", "G54.1 P48"])
def test_every_work_offset_can_be_the_setups(name: str) -> None:
    job = plate(CORNERS)
    job = job.with_setup(job.setups[0].changed(work_offset=name))
    assert name in post(plan(job), ISO).text
    assert [f for f in Engine().check(Request(job, cell=1.0)).findings if f.severity == "stop"] == []
    parse(dump(job), "it")


def test_an_offset_that_is_none_is_refused() -> None:
    job = plate(CORNERS)
    with pytest.raises(Unusable, match="work_offset"):
        parse(dump(job).replace(b'"G54"', b'"G54.1 P49"'), "it")


@pytest.mark.parametrize(
    ("key", "text", "word"), [("feed", "9", "less"), ("feed", "4900", "more"), ("speed", "110", "less")]
)
def test_a_typed_number_outside_sense_is_told_and_kept(key: str, text: str, word: str) -> None:
    one = plan(plate(FACE, changed(LEFT, **{key: text}))).steps[1]
    assert one.answers.complete
    assert one.answers.values.get(key) == float(text)
    assert any(p.field == key and f"much {word} than usual" in p.text and not p.blocks for p in one.answers.problems)
    assert not [
        p for p in plan(plate(FACE, changed(LEFT, speed="5000"))).steps[1].answers.problems if p.field == "speed"
    ]


def test_an_arc_smaller_than_the_digits_is_a_straight_move() -> None:
    writer = MillWriter(plan(plate()), ISO)
    writer.here, writer._exact = [10.0, 10.0, 0.0], (10.0, 10.0)
    writer.move(Turn(10.0006, 10.0002, (10.0003, 10.0001), True, 100.0))
    assert writer.lines == ["N10 G1 X10.001 F100"]


@pytest.mark.parametrize("way", [1e-6, 1e-4, 5e-4, 1e-3, 0.01])
def test_a_very_short_arc_is_a_line_and_never_goes_all_round(way: float) -> None:
    """Its ends are one place in the program's digits, on a mill's circle and on a turning centre's face alike."""
    radius, turn = 56.0, way / 56.0
    end = (radius * math.cos(turn), radius * math.sin(turn))
    assert arc_sort((radius, 0.0), Turn(*end, (0.0, 0.0), True, 100.0)) == "short"
    assert arc_sort((radius, 0.0), Turn(*end, (0.0, 0.0), False, 100.0)) == "arc", "nearly all round"
    assert arc_sort((radius, 0.0), Turn(radius, 0.0, (0.0, 0.0), True, 100.0)) == "whole"
