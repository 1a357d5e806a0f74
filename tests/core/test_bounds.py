"""Bounds on work and memory: whatever stands in a program or a setup, the check ends soon and says in words what to change."""

from __future__ import annotations

import resource
import time
from pathlib import Path

import pytest

from bastler.core.engine import Engine
from bastler.core.gcode.control import Control
from bastler.core.gcode.interpreter import interpret
from bastler.core.gcode.unroll import KEPT_LINES
from bastler.core.jobfiles.store import load
from bastler.core.request import Cancelled, Request
from bastler.core.verify.grid import MOST_CELLS
from tests.jobs import FACE, plate

BAD = Path(__file__).parents[2] / "examples" / "bad"
SOON_S = 30.0
MILL = "G21 G90 G17 G54\nT1 M6\nG43 H1\nS1000 M3\nG0 X0. Y0. Z50.\n"
LATHE = "G21 G18 G99\nG50 S2000\nT0707\nG97 S800 M3\nG0 X0. Z5.\n"
LOOP = "#1=0\nWHILE [1 EQ 1] DO1\nG0 Z4.\nG1 Z3. F0.1\nEND1\n"


def findings(text: str, lathe: bool = False) -> dict[str, str]:
    """Findings by kind of a text read alone."""
    read = interpret(text.encode(), Control(with_job=False, reading="lathe-a" if lathe else "mill"))
    return {f.kind: f.text for f in read.findings}


def checked(text: str, job: str) -> dict[str, str]:
    """Findings of a text against the stock of a job, which have to come soon."""
    began = time.process_time()
    result = Engine().check(Request(load(BAD / f"{job}.bastler"), text=text.encode()))
    assert time.process_time() - began < SOON_S
    return {f.kind: f.text for f in result.findings}


@pytest.mark.parametrize(
    ("text", "lathe", "kind", "says"),
    [
        (MILL + "G83 X0. Y0. Z-20. R2. Q0.00001 F100.\n", False, "too-many", "more than 1000 pecks of this hole"),
        (MILL + "M98 P1 L999999\nM30\nO1\n" + "G0 X1.\nG0 X2.\n" * 100 + "M99\n", False, "endless-loop", "how often its subprogram is called"),
        (LATHE + "G74 R0.5\nG74 Z-30. Q8 F0.1\n", True, "too-many", "more than 1000 pecks. Give a larger peck"),
        (LATHE + "G71 U0.0001 R0.5\nG71 P10 Q20 U0.4 W0.1 F0.3\nN10 G0 X20.\nG1 Z-30. F0.1\nN20 X40.\n", True, "too-many", "more than 500 passes. Give a larger depth"),
        (LATHE + "G76 P010060 Q0 R0\nG76 X20. Z-30. P1000 Q1 F1.5\n", True, "too-many", "Give a larger first depth"),
        (LATHE + "G73 U5. W0 R999999\nG73 P10 Q20 U0.4 W0.1 F0.3\nN10 G0 X20.\nN20 G1 Z-30. F0.1\n", True, "too-many", "999999 times over"),
        (LATHE + "N10 G70 P10 Q20\nN20 G0 X20.\n", True, "syntax", "stands among the blocks that another cycle means"),
        (MILL + "#1=" + "[" * 400 + "1" + "]" * 400 + "\n", False, "syntax", "Brackets lie too deep"),
        (MILL + "#1=" + "-" * 4000 + "1\n", False, "syntax", "Brackets lie too deep"),
        (MILL + "G1 X" + "9" * 5000 + "\n", False, "syntax", "can't be read whole"),
        (MILL + "M98 P" + "9" * 5000 + "\n", False, "syntax", "nine digits at most"),
        (MILL + "#" + "9" * 5000 + "=1\n", False, "syntax", ""),
        (MILL + "N" + "9" * 5000 + " GOTO 1\n", False, "syntax", ""),
        (MILL + "S-1 M3\n", False, "syntax", "S-1 is no speed"),
        (LATHE + "G96 S-1 M3\nG1 X10. F0.1\n", True, "syntax", "S-1 is no speed"),
        (LATHE + "G50 S-5\n", True, "syntax", "S-5 is no speed"),
    ],
)  # fmt: skip
def test_what_nobody_means_is_told_with_the_remedy(text: str, lathe: bool, kind: str, says: str) -> None:
    began = time.process_time()
    found = findings(text, lathe)
    assert says in found[kind]
    assert time.process_time() - began < SOON_S


@pytest.mark.parametrize("job", ["mill", "lathe"])
def test_a_program_without_an_end_is_checked_as_far_as_it_is_shown(job: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("bastler.core.gcode.unroll.MOST_JUMPS", 10_000)
    head = MILL if job == "mill" else LATHE
    assert "Check the condition of its loop" in checked(head + LOOP + "M30\n", job)["endless-loop"]
    read = interpret((head + LOOP).encode(), Control(with_job=False, reading="lathe-a" if job == "lathe" else "mill"))
    assert 0 < len(read.motion) <= KEPT_LINES


def test_many_small_pecks_are_checked_in_time_that_grows_with_their_number() -> None:
    """Each peck left a point in the section: 12 lines took minutes."""
    assert "too-many" not in checked(LATHE + "G74 R0.5\nG74 Z-20. Q50 F0.1\nG0 X200. Z100.\nM30\n", "lathe")


def test_unrolling_can_be_cancelled() -> None:
    shares: list[float] = []

    def stop(share: float) -> None:
        shares.append(share)
        raise Cancelled

    text = MILL + "#1=0\nWHILE [#1 LT 90000] DO1\n#1=#1+1\nG0 X#1\nEND1\nM30\n"
    with pytest.raises(Cancelled):
        interpret(text.encode(), Control(with_job=False), progress=stop)
    assert len(shares) == 1


def test_more_moves_than_there_is_memory_for_are_told(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("bastler.core.gcode.motion.MOST_MOVES", 50)
    text = MILL + "".join(f"G1 X{i}. F100.\nG4 P1\n" for i in range(1, 60))
    read = interpret(text.encode(), Control(with_job=False))
    assert "is not checked. Split it" in next(f.text for f in read.findings if f.kind == "too-many")
    assert len(read.motion) == 51


def test_a_stock_of_five_metres_is_checked_in_bounded_memory_and_says_how_coarsely() -> None:
    job = plate(FACE)
    setup = job.setups[0]
    large = job.with_setup(setup.changed(values={**setup.values, "size_x": "5000", "size_y": "5000"}))
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    found = Engine().check(Request(large))
    assert found.field.grid.nx * found.field.grid.ny <= MOST_CELLS
    assert "in cells of 3.6 mm" in next(f.text for f in found.findings if f.kind == "coarse")
    assert (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024 < 300
    assert not any(f.kind == "coarse" for f in Engine().check(Request(plate(FACE), cell=2.0)).findings)
