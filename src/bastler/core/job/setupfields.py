"""Which fields a setup has, by the kind of its machine."""

from __future__ import annotations

from collections.abc import Mapping

from bastler.core.fields import Field
from bastler.core.job.chucking import FIELDS as CHUCKING_FIELDS
from bastler.core.job.clamping import FIELDS as CLAMPING_FIELDS
from bastler.core.job.document import Setup
from bastler.core.tooling.machines import kind_of, machines

SETUP_FIELDS: Mapping[str, tuple[Field, ...]] = {"mill": CLAMPING_FIELDS, "lathe": CHUCKING_FIELDS}


def setup_fields(setup: Setup) -> tuple[Field, ...]:
    """The fields that a setup has on its machine."""
    machine = machines().get(setup.machine)
    has_c = machine is not None and machine.axis("C") is not None
    return tuple(f for f in SETUP_FIELDS[kind_of(setup.machine)] if has_c or f.key != "c_zero")
