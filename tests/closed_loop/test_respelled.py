"""A program in other spellings does the same; thousands more in ``make soak``."""

from __future__ import annotations

from pathlib import Path

import pytest

from bastler.core.jobfiles.store import load
from tests.spelled import spelled_otherwise

EXAMPLES = Path(__file__).parents[2] / "examples"
JOBS = {"pressure-plate": "iso-mill", "drain-tray-insert": "iso-mill-inch", "foot-pad": "iso-mill-plain", "spindle": "iso-lathe-a", "guide-bush-inch": "iso-lathe-b"}  # fmt: skip


@pytest.mark.parametrize("name", JOBS)
def test_the_demos_in_other_spellings(name: str) -> None:
    job = load(EXAMPLES / f"{name}.bastler")
    assert [why for seed in range(25) if (why := spelled_otherwise(job, JOBS[name], seed))] == []


@pytest.mark.parametrize("seed", [3, 6, 10])
def test_random_jobs_in_other_spellings(seed: int) -> None:
    from benchmarks.soak import random_job

    job, dialect = random_job(seed)
    assert [why for k in range(25) if (why := spelled_otherwise(job, dialect, k))] == []
