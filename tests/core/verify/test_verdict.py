"""What the checks of mills and lathes say alike."""

from __future__ import annotations

import pytest

from bastler.core.demo import DEMO, SPINDLE, demo_job
from bastler.core.engine import Engine
from bastler.core.request import Request


@pytest.mark.parametrize("name", [DEMO, SPINDLE])
def test_a_program_that_moves_nothing_is_told(name: str) -> None:
    found = Engine().check(Request(demo_job(name), text=b"(nothing)\nM30\n", name="empty")).findings
    assert "no-motion" in {f.kind for f in found}
