"""Names that steps give themselves: in the units of the job."""

from __future__ import annotations

from msgspec.structs import replace

from bastler.core.demo import BUSH, DEMO, demo_job
from bastler.core.jobfiles.units import in_units
from bastler.core.planner import plan


def test_an_inch_job_has_inch_titles() -> None:
    titles = [s.title for s in plan(demo_job(BUSH)).steps]
    assert "Ø0.6875, 1.6 deep" in titles
    assert "Z -1.25" in titles


def test_a_job_turned_to_inch_names_its_steps_anew() -> None:
    job = demo_job(DEMO)
    setup = job.setups[0]
    job = job.with_setup(setup.changed(steps=tuple(replace(s, name="") for s in setup.steps)))
    before, after = ([s.title for s in plan(j).steps] for j in (job, in_units(job, "inch", keep_size=True)))
    assert before[1] == "60 × 40"
    assert after[1] == "2.3622 × 1.5748"
