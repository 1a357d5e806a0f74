"""What the body of a lathe tool touches, and when."""

from __future__ import annotations

import pytest

from bastler.core.engine import Engine
from bastler.core.request import Request
from tests.turned import lathe_job

ALONG = "G1 X{x} Z-10. F0.2\nX24. Z-10.\nX24. Z1.\n"
"""Into the bore near its axis, out into the wall, and back along it: one run of cutting moves."""


@pytest.mark.parametrize(("x", "touches"), [(2.0, True), (4.0, True), (8.0, False)])
def test_a_bar_touches_metal_that_is_only_cut_later(x: float, touches: bool) -> None:
    """The back of the bar of 12, 13.5 below its tip, meets the bore of 22 as long as X is below 5."""
    text = f"G21 G18 G99\nT0606\nG97 S500 M3\nG0 X{x} Z3.\n" + ALONG.format(x=x) + "G0 X20.\nZ5.\nM30\n"
    found = Engine().check(Request(lathe_job(tube=True), text=text.encode(), name="bar"))
    contacts = [f for f in found.findings if f.kind == "shank-contact"]
    assert bool(contacts) == touches
    assert all("bar 12" in f.text for f in contacts)
