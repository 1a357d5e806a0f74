"""Every word is used or told: changing its number changes what happens, or the line says that the word isn't carried out."""

from __future__ import annotations

import string

import numpy as np
import pytest

from bastler.core.gcode.control import Control
from bastler.core.gcode.latheinterpreter import LatheInterpreter
from bastler.core.gcode.millinterpreter import MillInterpreter
from bastler.core.post.codes import codes
from tests.closed_loop.test_every_cycle import TOOLS
from tests.turned import lathe_job

LETTERS = [*(x for x in string.ascii_uppercase if x not in "GMNO"), ",R", ",C", ",A"]
WHOLE = "the whole line"
REFUSED = ("missing-word", "work-offset", "too-many", "syntax")
"""Findings that say of a line that it isn't carried out as it stands."""
WITHOUT_EFFECT = {(32.0, "Q"), (33.0, "Q"), (92.0, "Q"), (78.0, "Q"), (50.1, "X"), (50.1, "Y")}
"""At what angle of the spindle a thread starts has no place in a half section; G50.1 only wants the axis named."""
HEADS = {
    "mill": "G21 G17 G90 G94\nT2 M6\nG43 H2 Z50.\nS1000 M3\nG0 X40. Y30. Z3.\nF100.\n",
    "lathe-a": "G21 G18 G97 G99\nT0101\nS500 M3\nG0 X60. Z5.\nF0.2\n",
    "lathe-b": "G21 G18 G97 G95\nT1 D1\nS500 M3\nG0 X60. Z5.\nF0.2\n",
}
TAILS = {
    "mill": "G1 X70. Y50. Z-1.\nX71. Y55.\n",
    "lathe-a": "G1 X70. Z-10.\nX71. Z-15.\n",
    "lathe-b": "G1 X70. Z-10.\nX71. Z-15.\n",
}
PLACES = {"mill": ("", "X50. Y35.", "X50. Z-2. R1. Q1.", "X50. Y30. I5. J0."), "lathe-a": ("", "X50. Z-5.", "X50. Z-5. F1.5", "P10 Q20"), "lathe-b": ("", "X50. Z-5.", "X50. Z-5. F1.5", "P10 Q20")}  # fmt: skip


def tools(reading: str) -> dict:
    from bastler.core.job.document import Job
    from bastler.core.planner import plan

    job = Job(tools=TOOLS) if reading == "mill" else lathe_job()
    return dict(plan(job).tools)


def outcome(text: str, reading: str, table: dict) -> tuple[str, set[str]]:
    """Everything that a run leaves, as text; and the sentences about the line in question."""
    control = Control(table, machine_origin=(110.0, 50.0, 350.0), reading=reading)
    reader = (MillInterpreter if reading == "mill" else LatheInterpreter)(text.encode(), control)
    read = reader.run()
    line = HEADS[reading].count("\n") + 1
    told = {f.text for f in read.findings if f.line == line}
    told |= {WHOLE for f in read.findings if f.line == line and f.kind in REFUSED}
    motion = [
        np.round(getattr(read.motion, name), 9).tolist()
        for name in ("kind", "start", "end", "sweep", "centre", "feed", "speed", "seconds", "turn", "tool")
    ]
    rest = {
        k: v
        for k, v in vars(reader).items()
        if k
        not in (
            "data",
            "words",
            "builder",
            "findings",
            "_lines",
            "counts",
            "used",
            "counted",
            "exact",
            "control",
            "codes",
            "line_no",
        )
    }
    return repr((motion, rest)), told


@pytest.mark.parametrize("reading", ["mill", "lathe-a", "lathe-b"])
def test_every_word_beside_every_code_is_used_or_told(reading: str) -> None:
    table, silent = tools(reading), []
    for code in [c for c, what in codes(reading).g.items() if what != "look_ahead"]:
        for places in PLACES[reading]:
            for letter in LETTERS:
                if letter in [word[:1] for word in places.split()]:
                    continue
                first, other = (
                    f"{HEADS[reading]}G{code:g} {places} {letter}{value}\n{TAILS[reading]}" for value in ("3.", "4.")
                )
                (was, told), (now, told_other) = outcome(first, reading, table), outcome(other, reading, table)
                named = WHOLE in told or any(f"{letter}3" in sentence for sentence in told)
                if was == now and told == told_other and not named and (code, letter) not in WITHOUT_EFFECT:
                    silent.append(f"G{code:g} {places} {letter}")
    assert silent == []


@pytest.mark.parametrize("reading", ["mill", "lathe-a", "lathe-b"])
def test_every_code_is_known_or_told(reading: str) -> None:
    table, known = tools(reading), codes(reading)
    for letter, numbers in (("G", known.g), ("M", known.m)):
        for n in range(100):
            _, told = outcome(f"{HEADS[reading]}{letter}{n}\n{TAILS[reading]}", reading, table)
            assert (n in numbers) != any(f"{letter}{n} is not known" in sentence for sentence in told)


@pytest.mark.parametrize("reading", ["mill", "lathe-a", "lathe-b"])
def test_an_unread_code_with_places_moves_nothing(reading: str) -> None:
    table = tools(reading)
    control = Control(table, machine_origin=(110.0, 50.0, 350.0), reading=reading)
    kind = MillInterpreter if reading == "mill" else LatheInterpreter
    head = HEADS[reading]
    without = kind(head.encode(), control).run()
    unread = kind(f"{head}G187 X0. Z-50.\nX10. Z-60.\n".encode(), control).run()
    assert len(unread.motion) == len(without.motion)
    (told,) = [f for f in unread.findings if f.kind == "unknown-word"]
    assert "moves nothing" in told.text
    assert "isn't known" in told.text
    assert told.line == head.count("\n") + 1
