"""Kinds of machines: whatever goes by kind knows all of them, and nothing else."""

from __future__ import annotations

import pytest

from bastler.core.benches import BENCHES, bench_of
from bastler.core.cycles import FAMILIES, MACHINES, cycles
from bastler.core.gcode.interpreter import READERS
from bastler.core.job.document import Job, Setup
from bastler.core.job.setupfields import SETUP_FIELDS
from bastler.core.planner import plan
from bastler.core.post.dialect import dialects
from bastler.core.tooling.machines import NEEDED, machines
from bastler.ui.benches import PLACES

KINDS = set(BENCHES)


def test_every_table_by_kind_has_every_kind() -> None:
    assert KINDS == set(NEEDED) == set(SETUP_FIELDS) == set(READERS) == set(PLACES) == set(MACHINES) - {""}
    assert {m.kind for m in machines().values()} == KINDS
    assert {d.machine for d in dialects().values()} == KINDS
    assert set(FAMILIES) > KINDS


@pytest.mark.parametrize("machine", sorted(machines()))
def test_a_bench_works_with_an_empty_setup(machine: str) -> None:
    planned = plan(Job(setups=(Setup(machine=machine),)))
    bench = bench_of(planned)
    assert bench.kind == planned.frame.machine.kind
    assert bench.word.endswith(bench.kind)
    assert dialects()[planned.frame.machine.dialect].machine == bench.kind
    assert {label for label, _ in bench.facts(planned, 1.0)} >= {"Zero", "Held in"}
    assert {layer for layer, _ in bench.outlines(planned)} == {"stock", "part"}


@pytest.mark.parametrize("machine", sorted(machines()))
def test_cycles_of_the_other_kind_say_so_and_nothing_else(machine: str) -> None:
    own = machines()[machine].kind
    for cycle in cycles().values():
        misfit = cycle.family not in MACHINES[own]
        assert misfit == (cycle.family in {*KINDS, "driven"} - {own})
