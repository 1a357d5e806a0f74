"""Turning cycles of foreign programs, of two lines and of one, against where they must go."""

from __future__ import annotations

import math

import numpy as np
import pytest

from bastler.core.gcode.control import Control, Interpreted
from bastler.core.gcode.interpreter import interpret
from bastler.core.gcode.motion import FEED, RAPID, THREAD
from bastler.core.geometry.roughingcycles import faced, pecked, repeated, roughed
from bastler.core.job.tooltable import read_tools
from tests.turned import lathe_job

HEAD = {
    "a": "G21 G18 G99\nT0101\nG97 S800 M3\nG0 X52. Z2.\n",
    "b": "G21 G18 G95 G90\nT1 D1\nG97 S800 M3\nG0 X52. Z2.\n",
}
SHAFT = "N10 G0 X20.\nG1 Z-10. F0.15\nX30.\nZ-20.\nN20 X52.\n"
END_FACE = "N10 G0 Z-12.\nG1 X40. F0.15\nZ-6.\nX20.\nN20 Z2.\n"


def read(text: str, reading: str = "a") -> Interpreted:
    tools, _ = read_tools(lathe_job())
    return interpret(
        (HEAD[reading] + text).encode(), Control(tools, machine_origin=(110.0, 0.0, 150.0), reading=f"lathe-{reading}")
    )


def ends(text: str, reading: str = "a", kind: int | None = None) -> list[tuple[float, float]]:
    """Diameter and Z after each move, or each of one kind."""
    found = read(text, reading)
    assert [f.text for f in found.findings if f.severity == "stop"] == []
    m = found.motion
    return [
        (round(2 * float(x), 3), round(float(z), 3))
        for k, (x, _, z) in zip(m.kind, m.end, strict=True)
        if kind is None or k == kind
    ]


def test_facing_stays_off_its_profile_and_steps_along_the_axis() -> None:
    feeds = ends("G72 W2. R0.5\nG72 P10 Q20 U0.4 W0.1 F0.3\n" + END_FACE, kind=FEED)
    for x, z in feeds:
        stands = -11.9 if x > 40.4 - 1e-6 else -5.9 if x > 20.4 - 1e-6 else 2.0
        assert z >= stands - 1e-6
    assert min(z for _, z in feeds) == pytest.approx(-11.9)
    levels = sorted({z for x, z in feeds if x == 20.4 and -5.9 < z < 2}, reverse=True)
    assert np.diff([2.0, *levels]) == pytest.approx(-2.0)


def test_both_roughing_cycles_are_each_other_s_mirror() -> None:
    profile = [(-20.0, 10.0), (-20.0, 15.0), (-12.0, 15.0), (-5.0, 22.0), (2.0, 22.0)]
    along = roughed((30.0, 2.0), [(r, z) for z, r in profile], 1.5, 0.5, (0.3, 0.1))
    across = faced((2.0, 30.0), profile, 1.5, 0.5, (0.1, 0.3))
    assert [(how, (p[1], p[0])) for how, p in along] == across


def test_a_profile_is_repeated_nearer_each_time() -> None:
    feeds = ends("G73 U3. W1. R3\nG73 P10 Q20 U0.4 W0.1 F0.3\n" + SHAFT, kind=FEED)
    first_cut = [p for p in feeds if p[1] in (-8.9, -9.4, -9.9)]
    assert first_cut[::2] == [(26.4, -8.9), (23.4, -9.4), (20.4, -9.9)]
    assert ends("G73 P10 Q20 I3. K1. U0.4 W0.1 D3 F0.3\n" + SHAFT, "b", FEED) == feeds
    assert repeated((2.0, 30.0), [(0.0, 10.0), (-5.0, 10.0)], (1.0, 3.0), 1, (0.0, 0.0))[1] == ("rapid", (0.0, 10.0))


def test_pecks_along_the_axis_come_out_between_and_step_across() -> None:
    text = "G0 X0.\nG74 R0.5\nG74 Z-12. Q5000 F0.1\n"
    assert ends(text)[3:] == [(0, -3), (0, -2.5), (0, -8), (0, -7.5), (0, -12), (0, 2)]
    assert ends("G0 X0.\nG74 Z-12. K5. F0.1\n", "b", FEED) == [(0, -3), (0, -8), (0, -12)]
    grooves = ends("G0 X40.\nG74 R1.\nG74 X30. Z-3. P2000 Q9000 F0.1\n", kind=FEED)
    assert grooves == [(40, -3), (36, -3), (32, -3), (30, -3)]


def test_pecks_across_the_axis_step_along_it() -> None:
    text = "G0 Z-5.\nG75 R0.5\nG75 X44. Z-9. P3000 Q2000 F0.1\n"
    assert ends(text, kind=FEED) == [(46, -5), (44, -5), (46, -7), (44, -7), (46, -9), (44, -9)]
    assert ends("G0 Z-5.\nG75 X44. Z-9. I3. K2. F0.1\n", "b", FEED) == ends(text, kind=FEED)
    relief = pecked((0.0, 10.0), (-4.0, 12.0), 9.0, 2.0, 0.5, 0.3)
    assert ("rapid", (-4.0, 12.0 - 0.3)) in relief
    assert ("rapid", (-4.0, 10.0 - 0.3)) not in relief


def test_one_line_does_what_two_lines_do() -> None:
    two = ends("G71 U2. R0.5\nG71 P10 Q20 U0.4 W0.1 F0.3\n" + SHAFT)[4:]
    assert ends("G71 P10 Q20 U0.4 W0.1 D2000 F0.3\n" + SHAFT, "b")[4:] == two
    assert ends("G71 P10 Q20 U0.4 W0.1 D2. F0.3\n" + SHAFT, "b")[4:] == two


def test_single_cycles_have_numbers_of_their_own_where_g90_means_absolute() -> None:
    assert ends("G77 X48. Z-20. F0.2\nX44.\n", "b")[4:] == ends("G90 X48. Z-20. F0.2\nX44.\n")[4:]
    assert ends("G79 X10. Z-1. F0.2\n", "b")[4:] == ends("G94 X10. Z-1. F0.2\n")[4:]
    assert ends("G78 X48. Z-20. F1.5\n", "b", THREAD) == ends("G92 X48. Z-20. F1.5\n", kind=THREAD) == [(48, -20)]


def test_a_thread_in_one_line() -> None:
    roots = [x for x, _ in ends("G0 Z6.\nG76 X48.16 Z-20. K0.92 D300 F1.5 A60\n", "b", THREAD)]
    assert roots[0] == pytest.approx(48.16 + 2 * (0.92 - 0.3))
    assert roots[-1] == 48.16
    assert (np.diff(roots) <= 1e-9).all()


def test_finishing_a_profile_with_compensation_offsets_it() -> None:
    """At the outer corner behind a taper of 45° the nose's middle goes round it: the tip, r nearer in both, from r/√2 - r beside it to r behind it."""
    taper = "N10 G0 X20. Z2.\nG1 Z0. F0.15\nX30. Z-5.\nZ-20.\nN20 X56.\n"
    with_it, without = (f"{on}G70 P10 Q20\n{off}" + taper for on, off in (("G42\n", "G40\n"), ("", "")))
    assert [f.text for f in read(with_it).findings if f.severity == "stop"] == []
    nose, corner = 0.8, (30.0, -5.0)
    short = nose / math.sqrt(2) - nose
    rolled = [(corner[0] + 2 * short, corner[1] + short), (corner[0], corner[1] - nose)]
    at = ends(without).index(corner)
    assert ends(with_it)[at : at + 2] == [pytest.approx(p, abs=6e-4) for p in rolled]


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("G72 W2. R0.5\nG72 P10 Q99 U0.4 F0.3\n" + END_FACE, "which blocks it means"),
        (
            "G71 U2.\nG71 P10 Q20 F0.3\nN10 G0 X20.\nG1 Z-10. F0.1\nX30.\nZ-12.\nX25.\nN20 X52.\n",
            "turns back on itself",
        ),
        ("G76 X40. Z-10. F1.5\n", "no height"),
        ("G42 G1 X30. Z1. F0.2\nG90 X48. Z-5.\nG40\n", "without nose radius compensation"),
    ],
)
def test_what_can_t_be_followed_is_told(text: str, told: str) -> None:
    assert any(told in f.text for f in read(text).findings)


def test_a_count_needs_no_decimal_point() -> None:
    found = read("G73 U3. W1. R3\nG73 P10 Q20 U0.4 W0.1 F0.3\n" + SHAFT)
    assert [f.kind for f in found.findings] == []
    assert (found.motion.kind == RAPID).sum() > 3


def test_what_a_cycle_in_one_line_leaves_out_is_as_large_in_inches() -> None:
    """How far it backs off is told nowhere: half a millimetre, not half an inch. The depth is 1.27 mm, 0.05 in."""
    ways = []
    for units, f, deep in (("G21", 1.0, "D1270"), ("G20", 25.4, "D500")):
        text = f"{units} G0 X{52 / f:.5f} Z{2 / f:.5f}\nG71 P10 Q20 U0. W0. {deep} F{0.2 / f:.5f}\n"
        text += f"N10 G0 X{40 / f:.5f}\nG1 Z{-10 / f:.5f}\nN20 X{52 / f:.5f}\n"
        ways.append(np.array(ends(text, "b"))[-20:])
    assert np.abs(ways[0] - ways[1]).max() < 0.01
