"""Whether another spelling of a program makes the control do anything else."""

from __future__ import annotations

from random import Random

import numpy as np

from bastler.core.benches import post
from bastler.core.engine import control_of
from bastler.core.gcode.control import Interpreted
from bastler.core.gcode.interpreter import interpret
from bastler.core.gcode.motion import CHANGE, Motion
from bastler.core.job.document import Job
from bastler.core.planner import plan
from bastler.core.post.dialect import dialects
from bastler.core.request import Request
from tests.respell import LATHE, MILL, respelled

COLUMNS = ("kind", "start", "end", "centre", "sweep", "feed", "speed", "tool", "turn", "seconds")
SAME, BY_RADIUS = 2e-5, 0.02
"""Millimetres. An arc by R has another centre than one by rounded I and J."""


def spelled_otherwise(job: Job, dialect: str, seed: int) -> str | None:
    """What differs, in words; empty: nothing; ``None``: the job posts nothing."""
    p = plan(job)
    if not p.order:
        return None
    text = post(p, dialects()[dialect]).text
    other, names = respelled(text, Random(seed), LATHE if p.frame.chucking is not None else MILL)
    control = control_of(p, Request(job, dialect=dialect))
    why = difference(interpret(text.encode(), control), interpret(other.encode(), control), "radii" in names)
    return f"{names} ({dialect}): {why}" if why else ""


def difference(a: Interpreted, b: Interpreted, by_radius: bool) -> str:
    """The first column of motion that differs, or the kinds of findings."""
    tolerance = BY_RADIUS if by_radius else SAME
    m, n = a.motion, b.motion
    keep, other = _lasting(m), _lasting(n)
    for name in COLUMNS:
        x, y = getattr(m, name)[keep], getattr(n, name)[other]
        if x.shape != y.shape:
            return f"{len(x)} moves are {len(y)}"
        if not np.allclose(x, y, atol=tolerance, rtol=tolerance):
            return f"{name} differs"
    kinds, others = ({f.kind for f in read.findings} for read in (a, b))
    return f"findings {kinds ^ others}" if kinds != others else ""


def _lasting(m: Motion) -> np.ndarray:
    """Moves that go somewhere, wait, or change the tool."""
    return np.asarray(
        (np.linalg.norm(m.end - m.start, axis=1) > 1e-9) | (m.sweep != 0) | (m.seconds > 0) | (m.kind == CHANGE)
    )
