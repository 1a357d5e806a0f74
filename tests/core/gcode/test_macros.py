"""Subprograms, variables, branches and loops; mirror, rotation and shifts: against the same motion written plainly."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bastler.core.engine import Engine
from bastler.core.gcode.control import Control, Interpreted
from bastler.core.gcode.expressions import Wrong, evaluate, whole
from bastler.core.gcode.interpreter import interpret
from bastler.core.gcode.motion import ARC, FEED
from bastler.core.gcode.places import Coordinates
from bastler.core.gcode.unroll import unroll
from bastler.core.request import Request
from tests.jobs import plate

HEAD = "G21 G90 G94 G17 F100 S1000 M3\n"


def read(text: str, **more: object) -> Interpreted:
    return interpret((HEAD + text).encode(), Control(with_job=False, machine_origin=(0.0, 0.0, 0.0)), **more)  # type: ignore[arg-type]


def ends(text: str) -> list[tuple[float, ...]]:
    result = read(text)
    assert [f.text for f in result.findings] == []
    return [tuple(round(float(c), 6) for c in p) for p in result.motion.end]


def same(text: str, plain: str) -> None:
    one, other = read(text), read(plain)
    assert [f.text for f in one.findings] == []
    for name in ("kind", "start", "end", "feed"):
        assert np.allclose(getattr(one.motion, name), getattr(other.motion, name), atol=1e-5), name
    arcs = one.motion.kind == ARC
    assert np.allclose(one.motion.centre[arcs], other.motion.centre[arcs], atol=1e-5)
    assert np.allclose(one.motion.sweep, other.motion.sweep, atol=1e-5)


# expressions


@pytest.mark.parametrize(
    ("text", "value"),
    [("1+2*3", 7), ("[1+2]*3", 9), ("-#1+2", -3), ("#1/2", 2.5), ("10 MOD 4", 2), ("SIN[30]", 0.5), ("COS[60]*2", 1), ("SQRT[16]", 4), ("ABS[-3]", 3),
     ("ROUND[2.5]", 3), ("FIX[-2.7]", -2), ("FUP[2.1]", 3), ("ATAN[1]/[1]", 45), ("ATAN[1]/[-1]", 135), ("ASIN[1]", 90), ("ACOS[0]", 90), ("LN[EXP[2]]", 2),
     ("#[1+1]", 7), ("##3", 5), ("1 EQ 1", 1), ("#0 EQ #9", 1), ("#1 EQ #0", 0), ("2 GT 1 AND 1 LT 0", 0), ("2 GT 1 OR 1 LT 0", 1), ("1 XOR 1", 0), ("3 GE 3", 1), ("1 NE 2", 1)],
)  # fmt: skip
def test_expressions(text: str, value: float) -> None:
    known = {1: 5.0, 2: 7.0, 3: 1.0}
    assert whole(text, known.get) == pytest.approx(value)


@pytest.mark.parametrize(
    ("text", "says"),
    [("1/0", "divides by zero"), ("[1+2", "breaks off"), ("1+", "breaks off"), ("FOO[1]", "not understood"), ("SQRT[-1]", "does not exist"),
     ("LN[0]", "does not exist"), ("ASIN[2]", "no sine"), ("1 2", "behind the expression"), ("EXP[9999]", "beyond all numbers")],
)  # fmt: skip
def test_wrong_expressions_are_told(text: str, says: str) -> None:
    with pytest.raises(Wrong, match=says):
        whole(text, lambda _: 0.0)


@given(st.text("0123456789+-*/[]#. SINCOEQ", max_size=25))
def test_any_expression_has_a_value_or_a_sentence(text: str) -> None:
    try:
        value, _ = evaluate(text, lambda _: 1.0)
        assert math.isfinite(value)
    except (Wrong, RecursionError):
        pass


# control flow


def test_variables_and_arithmetic_in_words() -> None:
    same("#1=10\n#2=[#1*2]\nG1 X#1 Y-#2\nX[#1+#2/4.] Z-[#1]", "G1 X10. Y-20.\nX15. Z-10.")


def test_loops_and_branches() -> None:
    same(
        "#1=1\nWHILE [#1 LE 4] DO1\nG1 X[#1*5] Y#1\n#1=#1+1\nEND1\nG0 Z5.",
        "".join(f"G1 X{5 * i}. Y{i}.\n" for i in range(1, 5)) + "G0 Z5.",
    )
    same("#1=3\nN10 G1 X#1\n#1=#1-1\nIF [#1 GT 0] GOTO 10\nG1 Y9.", "G1 X3.\nX2.\nX1.\nG1 Y9.")
    same("#1=3\nIF [#1 EQ 3] THEN #1=8\nGOTO 5\nG1 X99.\nN5 G1 X#1", "G1 X8.")
    same(
        "#1=0\nWHILE [#1 LT 2] DO1\n#2=0\nWHILE [#2 LT 2] DO2\nG1 X#1 Y#2\n#2=#2+1\nEND2\n#1=#1+1\nEND1",
        "G1 X0. Y0.\nY1.\nX1. Y0.\nY1.",
    )


def test_subprograms() -> None:
    sub = "M30\nO100\nG91\nG1 X10.\nY2.\nG90\nM99\n"
    same("M98 P100 L3\n" + sub, "G91\n" + "G1 X10.\nY2.\n" * 3)
    same("G65 P200 X5. Y6. A3\nM30\nO200\nG1 X#24 Y#25\nG1 Z-#1\nM99", "G1 X5. Y6.\nZ-3.")
    same("M98 P1\nG1 X9.\nM30\nO1\nM98 P2\nM99\nO2\nG1 X1.\nM99", "G1 X1.\nX9.")
    same("#1=4\nG65 P7 A1.\nG1 Y#1\nM30\nO7\n#1=#1+1\nG1 X#1\nM99", "G1 X2.\nY4.")
    same("M98 P3\nG1 X1.\nN50 G1 X2.\nM30\nO3\nG1 X3.\nM99 P50", "G1 X3.\nX2.")


def test_moves_know_the_line_that_made_them() -> None:
    result = read("M98 P100 L2\nM30\nO100\nG1 X1.\nX2.\nM99")
    assert result.motion.line.tolist() == [5, 6, 5, 6]
    assert result.lines == 7
    assert unroll(b"#1=1\nG1 X#1").source == [2]


@pytest.mark.parametrize(
    ("text", "kind", "says", "line"),
    [
        ("#1=0\nWHILE [#1 LT 1] DO1\n#2=1\nEND1", "endless-loop", "does not end", None),
        ("N1 GOTO 1", "endless-loop", "does not end", 2),
        ("M98 P5\nM30\nO5\nM98 P5\nM99", "syntax", "O5 calls itself", 5),
        ("M98 P5\nM30\nO5\nG65 P6\nM99\nO6\nM98 P5\nM99", "syntax", "O5 calls itself", 8),
        ("M98 P9", "syntax", "no subprogram O9", 2),
        ("M98", "syntax", "no P", 2),
        ("GOTO 77", "syntax", "no line N77", 2),
        ("#1=0\nWHILE [#1 EQ 1] DO1\nG1 X1.", "syntax", "has no END1", 3),
        ("G1 X1.\nEND2", "syntax", "no DO2", 3),
        ("G1 X[1/0]", "syntax", "divides by zero", 2),
        ("G1 X#55", "unset-variable", "#55 has no value", 2),
        ("#0=3", "syntax", "#0 is always empty", 2),
        ("G1 X1.\nM99", "endless-loop", "starts it over", 3),
    ],
)
def test_what_goes_wrong_is_told_at_its_line(
    text: str, kind: str, says: str, line: int | None, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("bastler.core.gcode.unroll.MOST_JUMPS", 2000)
    result = read(text)
    found = [f for f in result.findings if f.kind == kind]
    assert says in found[0].text
    if line is not None:
        assert found[0].line == line


def test_subprograms_beside_the_program(tmp_path: Path) -> None:
    (tmp_path / "O0123.nc").write_text("O123\nG1 X7.\nM99\n")
    job = plate()
    checked = Engine().check(
        Request(
            job,
            text=b"T2 M6\nG54\nS1000 M3\nG43 H2 Z50.\nF100\nM98 P123\nM30\n",
            name="main",
            cell=1.0,
            folder=str(tmp_path),
        )
    )
    assert [f for f in checked.findings if f.kind == "syntax"] == []
    moved = checked.motion.end[checked.motion.kind == FEED]
    assert moved[-1][0] == pytest.approx(7.0)
    assert checked.motion.line[checked.motion.kind == FEED][-1] == 6


@given(st.text("NGXYM0123456789#[]=+-*/ \nOPLDWHILETENGO.", max_size=120))
def test_any_text_ends_in_words(text: str) -> None:
    result = read(text + "\nG1 X1.")
    assert all(f.text for f in result.findings)


# mirror, rotation, shifts


def test_mirror_turns_arcs_round() -> None:
    same(
        "G51.1 X0\nG1 X10. Y5.\nG2 X20. Y5. I5. J0.\nG50.1\nG1 X0. Y0.",
        "G1 X-10. Y5.\nG3 X-20. Y5. I-5. J0.\nG1 X0. Y0.",
    )
    same("G51.1 X5. Y0\nG1 X10. Y5.\nG2 X20. Y5. I5.", "G1 X0. Y-5.\nG2 X-10. Y-5. I-5.")


def test_rotation() -> None:
    assert ends("G68 X0 Y0 R90.\nG1 X10.\nY5.\nG69\nX1.") == [(0, 10, 0), (-5, 10, 0), (1, 10, 0)]
    same("G68 X10. Y0 R180.\nG1 X20. Y1.\nG2 X24. Y1. R2.", "G1 X0. Y-1.\nG2 X-4. Y-1. R2.")


def test_local_shift_and_increments() -> None:
    same("G52 X10. Y20. Z-1.\nG1 X0. Y0. Z0.\nG91\nX1.\nG90\nG52 X0 Y0 Z0\nG1 X0.", "G1 X10. Y20. Z-1.\nX11.\nX0.")
    same("G52 X10.\nG99 G81 X1. Y2. Z-5. R1.\nX3.\nG80", "G99 G81 X11. Y2. Z-5. R1.\nX13.\nG80")


@given(
    st.builds(
        Coordinates,
        mirror_x=st.none() | st.floats(-50, 50), mirror_y=st.none() | st.floats(-50, 50), angle=st.floats(-360, 360),
        centre=st.tuples(st.floats(-50, 50), st.floats(-50, 50)), local=st.tuples(*[st.floats(-50, 50)] * 3), offset=st.tuples(*[st.floats(-50, 50)] * 3),
    ),
    st.tuples(*[st.floats(-100, 100)] * 3),
)  # fmt: skip
def test_frames_lead_back(frame: Coordinates, place: tuple[float, float, float]) -> None:
    assert frame.back(frame.out(place)) == pytest.approx(place, abs=1e-8)
    a, b = frame.out(place), frame.out((place[0] + 1.0, place[1] + 2.0, place[2]))
    assert (b[0] - a[0], b[1] - a[1]) == pytest.approx(frame.turn(1.0, 2.0), abs=1e-8)


def test_further_offsets_are_known_by_name() -> None:
    control = Control({}, "G54", {"G55": (100.0, 0.0, 0.0), "G54.1 P3": (0.0, 50.0, -2.0)})
    result = interpret(
        (HEAD + "G54\nG1 X1. Y1. Z1.\nG55\nG1 X1. Y1. Z1.\nG54.1 P3\nG1 X1. Y1. Z1.\nG54\nG1 X1.").encode(), control
    )
    assert [f.kind for f in result.findings] == []
    assert result.motion.end.round(6).tolist() == [[1, 1, 1], [101, 1, 1], [1, 51, -1]]
    wrong = interpret((HEAD + "G56\nG1 X1.").encode(), control)
    assert "G56 is not this setup's work offset" in wrong.findings[0].text


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("G68 X0 Y0", "no angle"),
        ("G51.1", "names no axis"),
        ("G10 L10 P1 R5.", "changes what the control has stored"),
        ("G61\nG64\nG1 X1.", ""),
    ],
)
def test_words_of_frames_that_lack_something(text: str, says: str) -> None:
    result = read(text)
    assert [says in f.text for f in result.findings] == ([True] if says else [])


def test_offsets_that_the_program_sets_itself_lie_where_it_says() -> None:
    """From the setup's own offset: machine coordinates only say how far the others are away."""
    same(
        "G10 L2 P1 X-300. Y-200. Z-400.\nG10 L2 P2 X-220. Y-200. Z-402.\nG1 X1. Y1. Z1.\nG55\nX1. Y1. Z1.\nG54\nX1.",
        "G1 X1. Y1. Z1.\nX81. Y1. Z-1.\nX1.",
    )
    same("G10 L2 P1 X-300.\nG10 L20 P7 X-250. Y10.\nG54.1 P7\nG1 X1. Y0.\nG54\nX2.", "G1 X51. Y10.\nX2.")
    same("G91 G10 L2 P1 X10.\nG90\nG1 X5.\nG91 G10 L2 P1 Y3.\nG90\nX6.\nY0.", "G1 X15.\nX16.\nY3.")
    alone = read("G10 L2 P2 X5.\nG1 X1.")
    assert "G10 sets G55, but not G54" in alone.findings[0].text
    assert alone.motion.end[-1, 0] == 1.0


def test_blocks_of_a_loop_are_told_apart_while_their_line_is_one() -> None:
    """Single block stops behind each of them, and a repeated M word happens each time."""
    found = read("#1=0\nWHILE[#1 LT 3]DO1\nG1 X[#1*10+1] F100\nM8\nG1 Y[#1+1]\nM9\n#1=#1+1\nEND1\nM30\n")
    cuts = found.motion.kind == FEED
    assert len(set(found.motion.line[cuts].tolist())) == 2
    assert len(set(found.motion.block[cuts].tolist())) == int(cuts.sum()) == 6
    assert (np.diff(found.motion.block) >= 0).all(), "as the program runs"
    told = [e.what for e in found.events if e.what.startswith("coolant")]
    assert told == ["coolant", "coolant_off"] * 3
    starts = [e.move for e in found.events if e.what == "coolant"]
    assert [int(found.motion.line[i - 1]) for i in starts] == [int(found.motion.line[starts[0] - 1])] * 3
    assert len({e.line for e in found.events if e.what == "coolant"}) == 1
    assert len({e.block for e in found.events if e.what == "coolant"}) == 3
