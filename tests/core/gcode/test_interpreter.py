"""The interpreter: each word by what the standard says it does, and everything odd as a finding."""

from __future__ import annotations

import math
import pickle
import tracemalloc

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bastler.core.gcode.control import Control, Interpreted
from bastler.core.gcode.interpreter import interpret
from bastler.core.gcode.motion import ARC, CHANGE, DWELL, FEED, RAPID
from bastler.core.job.tooltable import read_tools
from bastler.core.problems import Unusable
from tests.jobs import plate

TOOLS = read_tools(plate())[0]
CONTROL = Control(TOOLS, machine_origin=(300.0, 200.0, 400.0))
START = "G21 G90 G94\nT2 M6\nG43 H2 Z50.\nS1000 M3\nG0 X0. Y0. Z0.\n"
HEAD = START.count("\n")
GAUGE = TOOLS[2].gauge_length


def run(text: str, start: str = START) -> Interpreted:
    return interpret((start + text).encode(), CONTROL)


def tail(text: str, start: str = START):  # type: ignore[no-untyped-def]
    """End points of the moves that ``text`` makes."""
    result = run(text, start)
    return result.motion.end[result.motion.line > start.count("\n")].round(6).tolist()


def kinds(text: str, start: str = START) -> set[str]:
    return {f.kind for f in run(text, start).findings}


@pytest.mark.parametrize(
    ("text", "ends"),
    [
        ("G1 X10. F100", [[10, 0, 0]]),
        ("g1x10.f100", [[10, 0, 0]]),
        ("G1 X 10. Y-.5 F100", [[10, -0.5, 0]]),
        ("G91 G1 X10. F100\nX10.", [[10, 0, 0], [20, 0, 0]]),
        ("G20 G1 X1. F5", [[25.4, 0, 0]]),
        ("G1 X5. F100 (to the left) Y2.\n; nothing\nX6.", [[5, 2, 0], [6, 2, 0]]),
        ("/G1 X5. F100", [[5, 0, 0]]),
        ("G53 G0 Z0.", [[0, 0, 400 - GAUGE]]),
        ("G91 G28 Z0.", [[0, 0, 400 - GAUGE]]),
        ("G28 X5. Y5.", [[5, 5, 0], [300, 200, 0]]),
        ("G2 X10. Y0. I5. J0. F100", [[10, 0, 0]]),
        ("G3 X10. Y10. R10. F100", [[10, 10, 0]]),
        ("G18 G2 X10. Z0. I5. K0. F100", [[10, 0, 0]]),
        ("M30\nG1 X5. F100", []),
    ],
)
def test_where_it_goes(text: str, ends: list[list[float]]) -> None:
    assert tail(text) == ends


@pytest.mark.parametrize(
    ("text", "sweep", "centre"),
    [
        ("G2 X10. Y0. I5. J0. F100", -math.pi, (5, 0)),
        ("G3 X10. Y0. I5. J0. F100", math.pi, (5, 0)),
        ("G3 I5. J0. F100", math.tau, (5, 0)),
        ("G2 I5. J0. Z-2. F100", -math.tau, (5, 0)),
        ("G3 X10. Y10. R10. F100", math.pi / 2, (0, 10)),
        ("G3 X10. Y10. R-10. F100", 1.5 * math.pi, (10, 0)),
        ("G2 X10. Y10. R10. F100", -math.pi / 2, (10, 0)),
    ],
)
def test_arcs(text: str, sweep: float, centre: tuple[float, float]) -> None:
    m = run(text).motion
    assert m.kind[-1] == ARC
    assert m.sweep[-1] == pytest.approx(sweep)
    assert m.centre[-1, :2] == pytest.approx(centre, abs=1e-9)
    assert m.at(len(m) - 1, 1.0) == pytest.approx(tuple(m.end[-1]), abs=1e-9)


@pytest.mark.parametrize(
    "plane", ["G17 G3 X{a} Y{b} I{c} J0.", "G18 G3 Z{a} X{b} K{c} I0.", "G19 G3 Y{a} Z{b} J{c} K0."]
)
def test_the_three_planes_turn_the_same_way(plane: str) -> None:
    m = run(plane.format(a="10.", b="0.", c="5.") + " F100").motion
    assert m.sweep[-1] == pytest.approx(math.pi)
    assert m.lengths()[-1] == pytest.approx(5 * math.pi)
    middle = m.at(len(m) - 1, 0.5)
    assert sorted(round(c, 6) for c in middle) == [-5.0, 0.0, 5.0]


@pytest.mark.parametrize(
    ("text", "rate"),
    [("G1 X10. F250", 250), ("G95 G1 X10. F0.2", 200), ("G93 G1 X10. F3.", 30), ("G20 G94 G1 X1. F10", 254)],
)
def test_feed_modes(text: str, rate: float) -> None:
    assert run(text).motion.feed[-1] == pytest.approx(rate)


@pytest.mark.parametrize(
    ("cycle", "actions"),
    [
        ("G98 G81 X5. Y0. Z-10. R2. F100", [(RAPID, 2), (FEED, -10), (RAPID, 20)]),
        ("G99 G81 X5. Y0. Z-10. R2. F100", [(RAPID, 2), (FEED, -10), (RAPID, 2)]),
        ("G99 G82 X5. Y0. Z-10. R2. P500 F100", [(RAPID, 2), (FEED, -10), (DWELL, -10), (RAPID, 2)]),
        (
            "G99 G83 X5. Y0. Z-10. R2. Q6. F100",
            [(RAPID, 2), (FEED, -4), (RAPID, 2), (RAPID, -3.5), (FEED, -10), (RAPID, 2)],
        ),
        ("G99 G73 X5. Y0. Z-10. R2. Q6. F100", [(RAPID, 2), (FEED, -4), (RAPID, -3.5), (FEED, -10), (RAPID, 2)]),
        ("G91 G99 G81 X5. Z-12. R-18. F100", [(RAPID, 2), (FEED, -10), (RAPID, 2)]),
    ],
)
def test_canned_cycles(cycle: str, actions: list[tuple[int, float]]) -> None:
    m = run("G0 Z20.\n" + cycle).motion
    mine = m.line == HEAD + 2
    found = list(zip(m.kind[mine].tolist(), m.end[mine, 2].round(6).tolist(), strict=True))
    assert found[-len(actions) :] == [(k, pytest.approx(z)) for k, z in actions]
    assert m.end[mine][0, 0] == 5


def test_a_canned_cycle_repeats_at_each_place_until_cancelled() -> None:
    m = run("G0 Z20.\nG99 G81 X5. Y0. Z-10. R2. F100\nX15.\nG80\nX25.").motion
    assert int(np.sum((m.kind == FEED) & (m.end[:, 2] == -10))) == 2
    assert m.kind[-1] == RAPID
    assert m.end[-1, 0] == 25


@pytest.mark.parametrize(
    ("text", "kind"),
    [
        ("G1 X5.", "no-feed"),
        ("G1 X5. F0", "no-feed"),
        ("G1 X5 F100", "missing-point"),
        ("G12 X5.", "unknown-word"),
        ("M77", "unknown-word"),
        ("G1 A5. F100", "unknown-word"),
        ("G1 X5. X6. F100", "syntax"),
        ("G0 G1 X5. F100", "syntax"),
        ("G1 X F100", "syntax"),
        ("G1 X5..2 F100", "syntax"),
        ("X=5", "syntax"),
        ("G1 X5. F100 (open", "syntax"),
        ("G2 X5. F100", "missing-word"),
        ("G2 R5. F100", "missing-word"),
        ("G2 X30. R5. F100", "syntax"),
        ("G2 X10. Y0. I4. J0. F100", "syntax"),
        ("G81 X5. F100", "missing-word"),
        ("G83 X5. Z-5. R2. F100", "missing-word"),
        ("T99 M6", "unknown-tool"),
        ("M6", "missing-word"),
        ("G43 H3 Z5.", "wrong-offset"),
        ("G41 X5. D9", "unknown-tool"),
        ("G41 D2 G1 X5. F100\nX20.", "missing-word"),
        ("G55", "work-offset"),
        ("T2 M6\nG49 G1 X5. F100", "missing-word"),
        ("G4", "missing-word"),
        ("S0 M3", "missing-word"),
        ("T3 M6\nG1 X5. F100", "wrong-offset"),
    ],
)
def test_findings(text: str, kind: str) -> None:
    found = run(text).findings
    assert {f.kind for f in found} == ({kind} if kind else set())
    for f in found:
        assert f.line is not None
        assert f.line > HEAD
        assert f.text.endswith((".", ")"))


def test_a_missing_length_offset_shows_as_a_wrong_depth() -> None:
    m = run("T2 M6\nS1000 M3\nG0 Z5.\n", "").motion
    assert m.end[-1, 2] == pytest.approx(5 - GAUGE)


@pytest.mark.parametrize(
    ("contour", "ends"),
    [
        ("G41 D2 G1 X10. Y0. F100\nY20.\nX-10.\nG40 X0. Y40.", [[5, 0], [5, 15], [-10, 15], [0, 40]]),
        ("G42 D2 G1 X10. Y0. F100\nY20.\nX-10.\nG40 X0. Y40.", [[15, 0], [15, 20], [10, 25], [-10, 25], [0, 40]]),
        (
            "G41 D2 G1 X10. Y0. F100\nY10.\nG3 X0. Y20. I-10. J0.\nG1 X-9.\nG40 Y9.",
            [[5, 0], [5, 10], [0, 15], [-9, 15], [-9, 9]],
        ),
    ],
)
def test_compensation(contour: str, ends: list[list[float]]) -> None:
    assert [p[:2] for p in tail(contour)] == [pytest.approx(e, abs=1e-6) for e in ends]


def test_compensation_tells_of_an_arc_too_tight() -> None:
    assert "gouge" in kinds("G41 D2 G1 X10. Y0. F100\nY10.\nG3 X6. Y14. I-4. J0.\nG1 X-9.\nG40 Y30.")


@given(
    st.lists(
        st.tuples(st.booleans(), st.floats(-99, 99), st.floats(-99, 99), st.floats(-20, 20)), min_size=8, max_size=40
    )
)
def test_the_fast_path_means_the_same_as_line_by_line(moves: list[tuple[bool, float, float, float]]) -> None:
    lines = [f"N{i} G{int(cut)} X{x:.3f} Y{y:.3f} Z{z:.3f}" for i, (cut, x, y, z) in enumerate(moves)]
    fast = run("F100\n" + "\n".join(lines)).motion
    slow = run("F100\n" + "\n".join(f"{line} M8" for line in lines)).motion
    for name in ("kind", "start", "end", "feed", "speed", "tool", "line"):
        assert np.array_equal(getattr(fast, name), getattr(slow, name)), name


@given(st.text(alphabet="GXYZFIJKRSTMNDHPQO%/();#=+-. 0123456789\n\tgxé", max_size=300))
def test_any_text_is_read_to_its_end(text: str) -> None:
    if text.strip():
        result = interpret(text.encode(), CONTROL)
        assert result.lines == text.count("\n") + (not text.endswith("\n"))
        assert np.isfinite(result.motion.end).all()


@pytest.mark.parametrize("raw", [b"", b"  \n", b"\x00\x01" * 50, bytes(range(1, 32)) * 20])
def test_what_is_no_program(raw: bytes) -> None:
    with pytest.raises(Unusable):
        interpret(raw, CONTROL)


def test_many_findings_of_a_kind_are_counted_not_listed() -> None:
    found = run("G1 F100\n" + "X5 \n" * 500).findings
    assert len(found) < 60
    assert "460 more" in found[-1].text


def test_a_tool_change_and_a_dwell_are_moves() -> None:
    m = run("G4 P250").motion
    assert m.kind[-1] == DWELL
    assert m.seconds[-1] == 0.25
    assert CHANGE in m.kind


def test_a_hundred_thousand_lines_need_little_memory() -> None:
    text = START.encode() + b"G1 F100\n" + b"".join(b"X%d.5 Y%d.25\n" % (i % 97, i % 89) for i in range(100_000))
    interpret(text, CONTROL)
    tracemalloc.start()
    interpret(text, CONTROL)
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert peak < 60_000_000


def test_columns_that_nobody_writes_take_no_memory() -> None:
    """A mill of three axes turns no part: as long as the program is, these stand there once."""
    motion = interpret(
        (f"{HEAD_OF_MANY}" + "".join(f"X{i % 90}.5 Y{i % 70}.25\n" for i in range(2000))).encode(), CONTROL
    ).motion
    assert len(motion) > 1900
    for name in ("c0", "c1", "axis", "driver", "part"):
        column = getattr(motion, name)
        assert len(column) == len(motion)
        assert column.strides[0] == 0
    assert (motion.axis == (0.0, 0.0, 1.0)).all()
    assert motion.run(5, 9).axis.shape == (4, 3)
    there = pickle.loads(pickle.dumps(motion))
    assert (there.end == motion.end).all()
    assert there.axis.strides[0] == 0
    assert len(pickle.dumps(motion)) < 1.02 * sum(c.nbytes for c in vars(motion).values() if c.strides[0])


HEAD_OF_MANY = "G21 G90 G94 G17\nT1 M6\nG43 H1 G0 X0. Y0. Z50.\nS1000 M3\nG1 Z10. F500\n"
