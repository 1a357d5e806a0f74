"""Programs of driven tools that others wrote, in several manners: where their cuts end, in the part, was worked out by hand."""

from __future__ import annotations

import math

import numpy as np
import pytest

from bastler.core.engine import Engine
from bastler.core.gcode.motion import ARC, FEED
from bastler.core.request import Request
from tests.hub import hub

MM, INCH = "turning-centre-y-mm", "turning-centre-y-inch"
A = "G21 G18 G40 G97 G99\n{tool}\nM5\nM45\nG98 G0 C0.\nS1500 M33\n{body}\nM35\nM46\nG99\nG0 X220. Z150.\nM30\n"
B = "G20 G18 G40 G97 G95\n{tool}\nM5\nM43\nG94 G0 C0.\nS1500 M63\n{body}\nM65\nM44\nG95\nG0 X7. Z5.\nM30\n"
ALONG, ACROSS = ("T0202", "T2 D2"), ("T1818", "T18 D18")


def at(radius: float, degrees: float, z: float) -> tuple[float, float, float]:
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return (radius * c, radius * s, z)


def beside(x: float, y: float, degrees: float, z: float) -> tuple[float, float, float]:
    """X and Y of the machine while C is held."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return (x * c - y * s, x * s + y * c, z)


PROGRAMS = {
    "face holes by C": (A, ALONG, "G0 X42. Z2.\nC90.\nG1 Z-8. F100\nG0 Z2.\nC-30.\nG1 Z-9.5\nG0 Z2.", [at(21, 90, -8), at(21, -30, -9.5)]),
    "increments of C": (A, ALONG, "G0 X42. Z2.\nG1 Z-8. F100\nG0 Z2.\nH72.\nG1 Z-8.\nG0 Z2.\nH72.\nG1 Z-8.\nG0 Z2.", [at(21, 72 * k, -8) for k in range(3)]),
    "U and W": (A, ALONG, "G0 X50. Z2.\nU-10. C45.\nG1 W-7. F80\nG0 W7.", [at(20, 45, -5)]),
    "face cycle, modal": (A, ALONG, "G0 X42. Z5.\nG83 Z-12. C10. R-3. F90\nC130.\nC250.\nG80", [at(21, c, -12) for c in (10, 130, 250)]),
    "face cycle in pecks, K holes": (A, ALONG, "G0 X42. Z2.\nG83 Z-6. R0 Q3000 F90\nH120. K2\nG80", [at(21, c, z) for c in (0, 120, 240) for z in (-1, -4, -6)]),
    "fed out": (A, ALONG, "G0 X40. Z4.\nG85 Z-5. C60. R-2. F100\nG80", [at(20, 60, -5), at(20, 60, 2)]),
    "cross holes": (A, ACROSS, "G0 X64. Z-20.\nC120.\nG1 X40. F80\nG0 X64.\nC240.\nG1 X41.\nG0 X64.", [at(20, 120, -20), at(20.5, 240, -20)]),
    "side cycle by Z and C": (A, ACROSS, "G0 X64. Z-12.\nG87 X44. C30. R-1. F60\nZ-24.\nC210.\nG80", [at(22, 30, -12), at(22, 30, -24), at(22, 210, -24)]),
    "side cycle in inches, fed out": (B, ACROSS, "G0 X2.5 Z-.5\nG89 X2. C90. R-.05 F3.\nG80", [at(25.4, 90, -12.7), at(30.48, 90, -12.7)]),
    "axis X and C together": (A, ALONG, "G0 X30. Z2.\nG1 Z-1. F200\nC90.\nX50.\nG0 Z2.", [at(15, 0, -1), at(15, 90, -1), at(25, 90, -1)]),
    "face in X and Y by polar": (A, ("T0808", ""), "G0 X40. C0. Z2.\nG12.1\nG1 Z-1. F200\nX40. C10.\nX-10. C10.\nG1 Z2. F500\nG13.1", [(20, 0, -1), (20, 10, -1), (-5, 10, -1), (-5, 10, 2)]),
    "an arc by polar": (A, ("T0808", ""), "G0 X40. C0. Z2.\nG12.1\nG1 Z-1. F200\nG3 X0. C20. R20.\nG1 Z2. F500\nG13.1", [(20, 0, -1), (0, 20, -1), (0, 20, 2)]),
    "Y on the face": (A, ("T0808", ""), "G0 X24. Y5. Z2.\nG1 Z-2. F100\nX-24.\nY-5.\nG0 Z2.\nY0", [(12, 5, -2), (-12, 5, -2), (-12, -5, -2)]),
    "Y on the side, C held": (B, ACROSS, "G0 X2.5 Z-.4 C45.\nY.2\nG1 X2.2 F4.\nZ-.8\nY-.2\nG0 X2.5\nY0.", [beside(27.94, 5.08, 45, -10.16), beside(27.94, 5.08, 45, -20.32), beside(27.94, -5.08, 45, -20.32)]),
    "round the side in chords": (A, ACROSS, "G0 X64. Z-10.\nG1 X56. F100\nC60. Z-30.\nX64.", [at(28, 0, -10), at(28, 60, -30), at(32, 60, -30)]),
    "unrolled, an arc": (A, ACROSS, "G0 X64. Z-10.\nG19\nG7.1 C28.\nG1 X56. F100\nG3 Z-20. C20.463 R10.\nG1 X64.\nG7.1 C0\nG18", [at(28, 0, -10), at(28, 20.463, -20), at(32, 20.463, -20)]),
}  # fmt: skip


@pytest.mark.parametrize("name", PROGRAMS)
def test_its_cuts_end_where_the_text_says(name: str) -> None:
    head, tool, body, ends = PROGRAMS[name]
    job = hub(machine=MM if head is A else INCH)
    text = head.format(tool=tool[0 if head is A else 1], body=body)
    found = Engine().check(Request(job, text=text.encode()))
    m = found.motion
    cuts = np.flatnonzero((m.driver > 0) & np.isin(m.kind, (FEED, ARC)))
    ways = m.end - m.start
    last = [
        i
        for i, n in zip(cuts, [*cuts[1:], -1], strict=True)
        if n != i + 1 or m.block[i] != m.block[n] or ways[i] @ ways[n] < 0  # chords of one line end where the line does
    ]
    assert [tuple(m.end[i]) for i in last] == [pytest.approx(e, abs=2e-3) for e in ends]
    assert {f.kind for f in found.findings if f.severity == "stop"} <= {"no-hole", "gouge", "rapid-in-stock"}


def pecks(body: str) -> int:
    """How often a drill cuts."""
    found = Engine().check(Request(hub(machine=MM), text=A.format(tool=ALONG[0], body=body).encode()))
    return int(((found.motion.driver > 0) & (found.motion.kind == FEED)).sum())


def test_a_peck_stays_what_it_was_in_the_lines_behind_it() -> None:
    """With a decimal point it is mm, without one thousandths; a line that only says C has neither."""
    for q in ("Q2.", "Q2000"):
        assert pecks(f"G0 X42. Z2.\nG83 Z-6. R0 {q} F90\nC120.\nG80") == 8


def test_pecks_and_holes_without_end_are_told() -> None:
    for body in ("G83 Z-20. R0 Q1 F90", "G83 Z-6. R0 F90 H1. K99999"):
        text = A.format(tool=ALONG[0], body=f"G0 X42. Z2.\n{body}\nG80")
        found = Engine().check(Request(hub(machine=MM), text=text.encode()))
        assert "too-many" in {f.kind for f in found.findings}
