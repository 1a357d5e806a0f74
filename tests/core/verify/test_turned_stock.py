"""What the body of a lathe tool touches, and when."""

from __future__ import annotations

import pytest

from bastler.core.engine import Engine
from bastler.core.gcode.motion import RAPID, THREAD
from bastler.core.request import Request
from tests.damage import demo_jobs
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


def test_the_section_at_a_moment_is_the_one_cut_by_then() -> None:
    """Snapshot or none, whatever the move before did: a thread's run-out took metal that the check had not."""
    job = next(j for j in demo_jobs() if j.name == "Spindle")
    engine = Engine()
    checked = engine.check(Request(job))
    road = engine.moments
    motion = checked.motion
    outs = [i for i in range(1, len(motion)) if motion.kind[i] == RAPID and motion.kind[i - 1] == THREAD]
    assert outs
    for move in (outs[0], outs[len(outs) // 2], outs[-1]):
        for late in [k for k in road.states if k >= outs[0]]:
            del road.states[late]
        whole = road.at(move, 1.0)
        road.states[move] = road.at(move - 1, 1.0)
        assert road.at(move, 1.0).symmetric_difference(whole).area < 1e-6
        assert road.at(move, 0.5).symmetric_difference(whole).area < 1e-6
    assert road.at(len(motion) - 1, 1.0).symmetric_difference(road.stock.state()).area < 1e-3
