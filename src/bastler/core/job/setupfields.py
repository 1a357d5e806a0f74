"""Which fields a setup has, by the kind of its machine."""

from __future__ import annotations

from collections.abc import Mapping

from bastler.core.fields import Field
from bastler.core.job.chucking import FIELDS as CHUCKING_FIELDS
from bastler.core.job.clamping import FIELDS as CLAMPING_FIELDS
from bastler.core.job.document import Setup
from bastler.core.tooling.machines import kind_of

SETUP_FIELDS: Mapping[str, tuple[Field, ...]] = {"mill": CLAMPING_FIELDS, "lathe": CHUCKING_FIELDS}


def setup_fields(setup: Setup) -> tuple[Field, ...]:
    """The fields that a setup has on its machine."""
    return SETUP_FIELDS[kind_of(setup.machine)]
