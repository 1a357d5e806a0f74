"""Pairs of programs by hand: each fault is found, of the right kind and at the right line, and the mended twin isn't accused."""

from __future__ import annotations

from functools import cache

import pytest

from bastler.core.engine import Engine
from bastler.core.findings import Finding
from bastler.core.job.document import Job
from bastler.core.jobfiles.store import load
from bastler.core.request import Request
from tests.faults import JOBS, Pair, pairs
from tests.faults.table import PAGE, page, rows

PAIRS = pairs()


@cache
def job(name: str) -> Job:
    return load(JOBS / f"{name}.bastler")


def told(pair: Pair, text: str) -> list[Finding]:
    checked = Engine().check(Request(job(pair.job), text=text.encode(), name=pair.name))
    return [f for f in checked.findings if f.severity != "note"]


def test_there_are_enough_hands_and_units() -> None:
    assert len(PAIRS) >= 75
    assert len({p.hand for p in PAIRS}) >= 6
    assert sum(p.job.endswith("-inch") for p in PAIRS) * 3 >= 75
    assert len({p.name for p in PAIRS}) == len(PAIRS)


@pytest.mark.parametrize("pair", PAIRS, ids=[p.name for p in PAIRS])
def test_the_fault_is_found_and_its_twin_is_not_accused(pair: Pair) -> None:
    found = told(pair, pair.bad)
    assert any(f.kind == pair.kind and pair.line in (0, f.line) for f in found), found
    assert told(pair, pair.good) == []


def test_the_page_lists_every_class() -> None:
    assert PAGE.read_text("utf-8") == page(), "python -m tests.faults.table"
    assert len({row[1] for row in rows()}) >= 90
