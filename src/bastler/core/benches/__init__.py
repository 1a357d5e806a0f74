"""One object per kind of machine; nothing outside of this folder and ``ui/benches`` asks which kind it is.

A bench is a handful of functions that the road calls: what a setup says, the stock that the first step finds, the text of a plan, the stock and the judge of
a check. Whatever only one kind needs lies below it, in modules of its own (``job/clamping.py`` and ``job/chucking.py``, ``planning/lathe/``, ``post/lathewriter.py``, …).
"""

from __future__ import annotations

from collections.abc import Mapping

from bastler.core.benches.bench import Bench
from bastler.core.benches.lathe import LatheBench
from bastler.core.benches.mill import MillBench
from bastler.core.plans.plan import Plan
from bastler.core.post.dialect import Dialect
from bastler.core.post.program import Program

BENCHES: Mapping[str, Bench] = {bench.kind: bench for bench in (MillBench(), LatheBench())}


def bench_of(plan: Plan) -> Bench:
    """The bench that a setup is planned for."""
    return BENCHES[plan.frame.machine.kind]


def post(plan: Plan, dialect: Dialect) -> Program:
    """The G-code of a plan; steps that ask for something are left out (the caller decides whether that may be).

    Raises :class:`bastler.core.problems.Unusable` for a dialect of another kind of machine, and for a step that this control can't do.
    """
    bench = bench_of(plan)
    bench.fits(dialect)
    return bench.post(plan, dialect)
