"""A golden program per dialect, read line by line against the meaning of its words; and what a control can't do.

The files in ``golden/`` are what Bastler writes for :func:`job`; each was read word by word when it was made.
"""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest

from bastler.core.benches import post
from bastler.core.engine import Engine
from bastler.core.gcode.canned import Hole, hole_actions
from bastler.core.gcode.control import Control
from bastler.core.gcode.interpreter import interpret
from bastler.core.gcode.motion import DWELL, FEED, RAPID
from bastler.core.job.document import Job, Setup, Step
from bastler.core.planner import plan
from bastler.core.post.codes import codes
from bastler.core.post.dialect import dialects, dialects_for, parse_dialect
from bastler.core.problems import Unusable
from bastler.core.request import Request
from tests.closed_loop.test_every_cycle import STOCK, TOOLS

GOLDEN = Path(__file__).parent / "golden"
HOLES = {"points": "10, 20; 30, 20"}


def job(holder: str = "rigid", **drill: str) -> Job:
    """Note, pecked holes, a pause, threads, and a reamed hole approached from high."""
    steps = (
        Step(id="n", cycle="note", values={"text": "two parts; clamp twice"}),
        Step(id="d", cycle="drill", values={**HOLES, "diameter": "6.8", "depth": "15", "peck": "retract", "first_peck": "8", **drill}),
        Step(id="p", cycle="pause", values={"text": "oil the holes"}),
        Step(id="t", cycle="tap", values={**HOLES, "thread": "M8", "depth": "8", "speed": "400", "holder": holder}),
        Step(id="b", cycle="ream", values={"points": "-20, 30", "diameter": "8", "depth": "5", "speed": "300", "feed": "60", "between": "high"}),
    )  # fmt: skip
    return Job(name="Golden", tools=TOOLS, setups=(Setup(steps=steps, values=STOCK),))


def posted(dialect: str, job_: Job) -> str:
    return post(plan(job_), dialects()[dialect]).text


@pytest.mark.parametrize(
    ("dialect", "holder"), [("iso-mill", "rigid"), ("iso-mill-plain", "floating"), ("iso-mill-inch", "rigid")]
)
def test_the_golden_program(dialect: str, holder: str) -> None:
    assert posted(dialect, job(holder)) == (GOLDEN / f"{dialect}.nc").read_text()


def test_all_dialects_move_the_same_way_down_into_the_metal() -> None:
    """The deepest places and the metal removed don't depend on how the control is spoken to."""
    stocks = []
    for dialect in dialects_for("mill"):
        engine = Engine()
        checked = engine.check(Request(job("floating"), cell=0.5, dialect=dialect))
        # The reamer of this job has no hole before it, which is said.
        assert [f.text for f in checked.findings if f.severity == "stop" and f.kind != "no-hole"] == []
        stocks.append(checked.field.heights)
    assert all(np.allclose(s, stocks[0], atol=1e-3) for s in stocks)


def test_what_the_simplest_control_can_not_do_is_said() -> None:
    with pytest.raises(Unusable, match="Take a floating holder"):
        posted("iso-mill-plain", job("rigid"))
    pocket = Step(
        id="k",
        cycle="pocket",
        values={
            "centre_x": "0",
            "centre_y": "40",
            "length": "40",
            "width": "30",
            "corner": "6",
            "depth": "5",
            "compensation": "control",
        },
    )
    with pytest.raises(Unusable, match="Wall path by"):
        posted("iso-mill-plain", Job(tools=TOOLS, setups=(Setup(steps=(pocket,), values=STOCK),)))


def test_a_pause_is_followed_by_the_spindle_again() -> None:
    holes = Step(id="d", cycle="drill", values={**HOLES, "diameter": "6.8", "depth": "5"})
    steps = (
        holes,
        Step(id="p", cycle="pause", values={"text": "measure", "when": "switch"}),
        holes.changed(id="e", values={**holes.values, "points": "0, 60"}),
    )
    text = posted("iso-mill", Job(tools=TOOLS, setups=(Setup(steps=steps, values=STOCK),)))
    after = text[text.index("M1\n") :]
    assert "S1300 M3" in after
    assert "M8" in after
    assert text.count(" M6 ") == 1
    checked = Engine().check(Request(Job(tools=TOOLS, setups=(Setup(steps=steps, values=STOCK),)), cell=1.0))
    assert [f.text for f in checked.findings if f.severity == "stop"] == []


def test_after_own_text_everything_is_said_again() -> None:
    holes = Step(id="d", cycle="drill", values={**HOLES, "diameter": "6.8", "depth": "5"})
    steps = (
        holes,
        Step(id="x", cycle="text", values={"text": "G91\nG0 Z1.\nG90"}),
        holes.changed(id="e", values={**holes.values, "points": "0, 60"}),
    )
    job_ = Job(tools=TOOLS, setups=(Setup(steps=steps, values=STOCK),))
    text = posted("iso-mill", job_)
    assert "\nG91\nG0 Z1.\nG90\n" in text
    assert text.count("T3 M6") == 2
    assert [f.text for f in Engine().check(Request(job_, cell=1.0)).findings if f.severity == "stop"] == []


def test_left_hand_taps_turn_left() -> None:
    steps = (
        Step(id="d", cycle="drill", values={**HOLES, "diameter": "8.5", "depth": "18"}),
        Step(id="t", cycle="tap", values={**HOLES, "thread": "M10", "depth": "8", "tool": "12"}),
    )
    text = posted("iso-mill", Job(tools=TOOLS, setups=(Setup(steps=steps, values=STOCK),)))
    assert "G74 X10." in text
    assert any(" M4" in line and line.split()[1].startswith("S") for line in text.splitlines())


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (("tap_right", "tap_rihgt"), "Did you mean “tap_right”"),
        (("resume = ", "resumes = "), "Did you mean “resume”"),
        (("[holes]", "[hole]"), "Did you mean “holes”"),
    ],
)
def test_an_unknown_key_is_named_with_the_nearest(change: tuple[str, str], says: str) -> None:
    text = (Path(__file__).parents[2] / "src/bastler/core/post/dialects/iso-mill.toml").read_text().replace(*change)
    with pytest.raises(Unusable, match=says):
        parse_dialect(text, "own.toml")


# canned cycles as a control runs them


@pytest.mark.parametrize(
    ("code", "expected"),
    [
        (81, ["rapid 2", "feed -8", "rapid 2"]), (82, ["rapid 2", "feed -8", "dwell 0.5", "rapid 2"]), (84, ["rapid 2", "feed -8", "dwell 0.5", "turn -1", "feed 2", "turn 1", "rapid 2"]),
        (74, ["rapid 2", "feed -8", "dwell 0.5", "turn -1", "feed 2", "turn 1", "rapid 2"]), (85, ["rapid 2", "feed -8", "dwell 0.5", "feed 2", "rapid 2"]),
        (86, ["rapid 2", "feed -8", "dwell 0.5", "rapid 2"]), (89, ["rapid 2", "feed -8", "dwell 0.5", "feed 2", "rapid 2"]),
        (76, ["rapid 2", "feed -8", "dwell 0.5", "shift 3", "rapid 2", "shift 0"]),
        (73, ["rapid 2", "feed -1", "rapid -0.5", "feed -4", "rapid -3.5", "feed -7", "rapid -6.5", "feed -8", "dwell 0.5", "rapid 2"]),
        (83, ["rapid 2", "feed -1", "rapid 2", "rapid -0.5", "feed -4", "rapid 2", "rapid -3.5", "feed -7", "rapid 2", "rapid -6.5", "feed -8", "dwell 0.5", "rapid 2"]),
    ],
)  # fmt: skip
def test_what_a_canned_cycle_does(code: int, expected: list[str]) -> None:
    hole = Hole(code, 2.0, -8.0, 2.0, 3.0, 0.0 if code == 81 else 0.5)
    assert [f"{what} {value:g}" for what, value in hole_actions(hole)] == expected


@pytest.mark.parametrize(
    ("line", "ends", "kinds"),
    [
        ("G99 G85 X1. Y2. Z-3. R1.", [(1, 2, 5), (1, 2, 1), (1, 2, -3), (1, 2, 1)], [RAPID, RAPID, FEED, FEED]),
        ("G98 G86 X1. Y2. Z-3. R1.", [(1, 2, 5), (1, 2, 1), (1, 2, -3), (1, 2, 5)], [RAPID, RAPID, FEED, RAPID]),
        ("G99 G89 X1. Y2. Z-3. R1. P500", [(1, 2, 5), (1, 2, 1), (1, 2, -3), (1, 2, -3), (1, 2, 1)], [RAPID, RAPID, FEED, DWELL, FEED]),
        ("G98 G76 X1. Y2. Z-3. R1. Q0.5", [(1, 2, 5), (1, 2, 1), (1, 2, -3), (1.5, 2, -3), (1.5, 2, 5), (1, 2, 5)], [RAPID, RAPID, FEED, RAPID, RAPID, RAPID]),
        ("G99 G84 X1. Y2. Z-3. R1.", [(1, 2, 5), (1, 2, 1), (1, 2, -3), (1, 2, 1)], [RAPID, RAPID, FEED, FEED]),
    ],
)  # fmt: skip
def test_canned_cycles_in_a_text(line: str, ends: list[tuple[float, float, float]], kinds: list[int]) -> None:
    text = f"G21 G90 G94 F100 S500 M3\nG0 Z5.\n{line}\nG80\n"
    result = interpret(text.encode(), Control(with_job=False, machine_origin=(0.0, 0.0, 0.0)))
    assert [f.text for f in result.findings] == []
    assert result.motion.end[1:].round(6).tolist() == [list(map(float, e)) for e in ends]
    assert result.motion.kind[1:].tolist() == kinds
    if "G76" in line:
        assert result.motion.speed[4:7].tolist() == [0.0, 0.0, 0.0]


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("G76 X1. Z-3. R1.", "no shift off the wall"),
        ("G83 X1. Z-3. R1.", "no peck"),
        ("G85 X1. R1.", "has no Z"),
        ("G84 X1. Z-3.", "has no R"),
    ],
)
def test_canned_cycles_that_lack_a_word(line: str, says: str) -> None:
    result = interpret(f"G21 G90 F100 S500 M3\nG0 Z5.\n{line}\nG80\n".encode(), Control(with_job=False))
    assert any(says in f.text for f in result.findings)


def test_a_dialect_writes_only_what_its_reading_knows() -> None:
    file = Path(__file__).parents[2] / "src/bastler/core/post/dialects/iso-mill.toml"
    with pytest.raises(Unusable, match=r"writes G153 at “machine_top”"):
        parse_dialect(file.read_text().replace('machine_top = "G53', 'machine_top = "G153'), "own.toml")
    lathe = file.with_name("iso-lathe-a.toml").read_text()
    with pytest.raises(Unusable, match=r"writes G95 at “start”"):
        parse_dialect(lathe.replace("G97 G99", "G97 G95"), "own.toml")


@pytest.mark.parametrize("name", sorted(dialects()))
def test_single_words_mean_to_the_interpreter_what_the_writer_calls_them(name: str) -> None:
    one = dialects()[name]
    table = codes(one.reading)
    for part in (one.words, one.holes, one.lathe):
        for key in part.__struct_fields__ if part is not None else ():
            word = getattr(part, key)
            if isinstance(word, str) and re.fullmatch(r"[GM]\d+(\.\d+)?", word):
                known = table.g if word[0] == "G" else table.m
                assert key == "subprogram_end" or known[float(word[1:])] == key
