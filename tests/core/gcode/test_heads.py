"""Heads and marks of ISO 6983 and DIN 66025 texts, calls with the count in front, mirrored planes, and words that act at the end of a move."""

from __future__ import annotations

import numpy as np
import pytest

from bastler.core.gcode.control import Control, Interpreted
from bastler.core.gcode.interpreter import interpret
from bastler.core.gcode.lexer import without_skipped
from bastler.core.gcode.motion import ARC, FEED, THREAD

BODY = "G21 G17 G90 G94\nS1000 M3\nG0 X10. Y5. Z5.\nG1 Z-1. F100\nX30. F200\nG0 Z50.\nM30\n"
CONTROL = Control(with_job=False, machine_origin=(300.0, 200.0, 400.0))


def read(text: str | bytes) -> Interpreted:
    return interpret(text.encode() if isinstance(text, str) else text, CONTROL)


def ends(text: str | bytes) -> list[list[float]]:
    return read(text).motion.end.round(6).tolist()


@pytest.mark.parametrize(
    "text",
    [
        b"\xef\xbb\xbf" + BODY.encode(), BODY.replace("\n", "\r").encode(), BODY.replace("\n", "\r\n").encode(), b"%4711\n" + BODY.encode(),
        b"%\nO4711 (HEAD)\n" + BODY.encode(), b":4711\n" + BODY.encode(), BODY.replace("G1 Z", ":20 G1 Z").encode(), BODY.replace("G1 Z", "/2 G1 Z").encode(),
        BODY.replace("G1 Z", "/N40 G1 Z").encode(), BODY.replace("\n", " (REMARK)\n").encode(), BODY.lower().encode(),
    ],
)  # fmt: skip
def test_a_head_changes_nothing(text: bytes) -> None:
    assert ends(text) == ends(BODY)
    assert read(text).findings == ()


def test_lines_are_counted_as_they_stand() -> None:
    old = BODY.replace("X30. F200", "X30. Q5. F200").replace("\n", "\r")
    (told,) = read(old).findings
    assert (told.kind, told.line) == ("unknown-word", 5)


@pytest.mark.parametrize("call", ["M98 P31000", "M98 P1000 L3", "M98 P0031000", "M 98 P 1000 L 3", "m98p1000l3"])
def test_a_call_may_have_its_count_in_front(call: str) -> None:
    text = f"G21 G90 G94\nG91\n{call}\nG90\nM30\nO1000\nG1 X1. F100\nM99\n"
    assert [x for x, *_ in ends(text)] == [301.0, 302.0, 303.0]


def test_what_the_skip_switch_leaves_out() -> None:
    text = b"G0 X1.\n/G0 X2.\nN3 /G0 X3.\n/4 G0 X4.\nG0 X[8/4]\n"
    assert without_skipped(text) == b"G0 X1.\n\n\n\nG0 X[8/4]\n"
    assert without_skipped(BODY.encode()) is None


@pytest.mark.parametrize(
    ("plane", "arc", "mirror", "swapped"),
    [
        ("G17", "G3 X20. Y10. I0. J5.", "G51.1 X0.", True), ("G17", "G3 X20. Y10. I0. J5.", "G51.1 X0. Y0.", False),
        ("G18", "G3 X20. Z10. I5. K0.", "G51.1 X0.", True), ("G18", "G3 X20. Z10. I5. K0.", "G51.1 Y0.", False),
        ("G19", "G3 Y20. Z10. J5. K0.", "G51.1 Y0.", True), ("G19", "G3 Y20. Z10. J5. K0.", "G51.1 X0.", False),
    ],
)  # fmt: skip
def test_arcs_turn_round_only_in_planes_with_the_mirrored_axis(
    plane: str, arc: str, mirror: str, swapped: bool
) -> None:
    start = "G21 G90 G94\nG0 X10. Y10. Z10.\n"
    plain = read(f"{start}{plane} {arc} F100\n").motion
    turned = read(f"G21 G90 G94\n{mirror}\nG0 X10. Y10. Z10.\n{plane} {arc} F100\n").motion
    assert plain.kind[-1] == turned.kind[-1] == ARC
    assert turned.sweep[-1] == pytest.approx(plain.sweep[-1] * (-1 if swapped else 1))
    sign = np.array([-1.0 if "X0." in mirror else 1.0, -1.0 if "Y0." in mirror else 1.0, 1.0])
    for share in (0.0, 0.25, 0.5, 1.0):
        assert turned.at(len(turned) - 1, share) == pytest.approx(
            tuple(np.array(plain.at(len(plain) - 1, share)) * sign)
        )


@pytest.mark.parametrize(
    ("lines", "speeds"),
    [
        ("G1 X10. F100 M5\nX20.", [1000, 0]), ("M5\nG1 X10. F100\nX20.", [0, 0]), ("M5\nG1 X10. F100 M3\nX20.", [1000, 1000]),
        ("M5\nG1 X10. F100\nX20. M13", [0, 1000]), ("G1 X10. F100 S500\nX20.", [500, 500]), ("G1 X10. F100 M19\nX20. M4", [1000, 1000]),
    ],
)  # fmt: skip
def test_words_on_a_line_with_a_move_act_when_the_control_acts(lines: str, speeds: list[int]) -> None:
    m = read(f"G21 G90 G94\nS1000 M3\n{lines}\n").motion
    assert m.speed[m.kind == FEED].tolist() == speeds


@pytest.mark.parametrize(
    ("corner", "ends_at"), [("R2.", (8.0, 12.0)), (",R2.", (8.0, 12.0)), ("C2.", (8.0, 12.0)), (",C2.", (8.0, 12.0))]
)
def test_corners_between_two_lines(corner: str, ends_at: tuple[float, float]) -> None:
    m = read(f"G21 G90 G94 G17\nG0 X0. Y10. Z0.\nG1 X10. {corner} F100\nY20.\n").motion
    first, second, last = m.end[-3:]
    assert first[:2] == pytest.approx((ends_at[0], 10.0))
    assert second[:2] == pytest.approx((10.0, ends_at[1]))
    assert last[:2] == pytest.approx((10.0, 20.0))
    assert (m.kind[-2] == ARC) == ("R" in corner)
    if "R" in corner:
        assert m.centre[-2, :2] == pytest.approx((8.0, 12.0))


def test_a_hole_is_repeated_and_k0_only_keeps_it() -> None:
    text = "G21 G90 G94\nG0 X0. Y0. Z5.\nG99 G81 X10. Z-2. R1. F100 K0\nG91 X5. K3\nY5.\nG80\n"
    m = read(text).motion
    bottoms = m.end[(m.kind == FEED) & (m.end[:, 2] < m.start[:, 2])]
    assert bottoms[:, :2].tolist() == [[5.0, 0.0], [10.0, 0.0], [15.0, 0.0], [15.0, 5.0]]


def test_a_tap_of_a_lathe_goes_once_for_each_place() -> None:
    control = Control(with_job=False, machine_origin=(100.0, 0.0, 200.0), reading="lathe-a")
    text = "G21 G18 G99 G97\nS300 M3\nG0 X0. Z5.\nG84 Z-20. F1.5\nM8\nM9\nZ-22.\nG80\nM5\n"
    m = interpret(text.encode(), control).motion
    bottoms = m.end[(m.kind == THREAD) & (m.end[:, 2] < m.start[:, 2]), 2]
    assert bottoms.tolist() == [-20.0, -22.0]
    out = (m.kind == THREAD) & (m.end[:, 2] > m.start[:, 2])
    assert m.turn[out].tolist() == [-1, -1]
    assert m.end[out, 2].tolist() == [5.0, 5.0]
