"""The check's stock against the brute-force simulators: on demos, and on random jobs (many more of them in ``make soak``)."""

from __future__ import annotations

from pathlib import Path

import pytest
from msgspec.structs import replace

from bastler.core.jobfiles.store import load
from tests.oracle import compare
from tests.oracle.compare import lathe_differs, mill_differs

EXAMPLES = Path(__file__).parents[2] / "examples"


@pytest.mark.parametrize("name", ["pressure-plate", "frame-foot-inch"])
def test_a_milled_demo(name: str) -> None:
    assert mill_differs(load(EXAMPLES / f"{name}.bastler")) == ""


def test_a_turned_demo() -> None:
    assert lathe_differs(load(EXAMPLES / "spindle.bastler"), cell=0.2) == ""


@pytest.mark.parametrize("seed", [4, 9, 16])
def test_random_milled_jobs(seed: int) -> None:
    from benchmarks.soak import random_job

    job, _ = random_job(seed)
    assert mill_differs(job) == ""


@pytest.mark.parametrize("seed", [1, 10, 18])
def test_random_turned_jobs(seed: int) -> None:
    from benchmarks.soak import turned_job

    assert lathe_differs(turned_job(seed)) == ""


def test_a_tool_a_little_thicker_would_be_seen(monkeypatch: pytest.MonkeyPatch) -> None:
    true = compare.Mill

    def thicker(block, tools, offsets, cell):  # type: ignore[no-untyped-def]
        return true(block, {n: replace(t, diameter=t.diameter + 0.3) for n, t in tools.items()}, offsets, cell)

    monkeypatch.setattr(compare, "Mill", thicker)
    assert mill_differs(load(EXAMPLES / "pressure-plate.bastler")) != ""


def test_an_edge_a_little_aside_would_be_seen(monkeypatch: pytest.MonkeyPatch) -> None:
    import shapely.affinity

    true = compare.Lathe

    def aside(blank, outlines, cell):  # type: ignore[no-untyped-def]
        return true(blank, {n: shapely.affinity.translate(o, 0.0, 0.3) for n, o in outlines.items()}, cell)

    monkeypatch.setattr(compare, "Lathe", aside)
    assert lathe_differs(load(EXAMPLES / "spindle.bastler"), cell=0.2) != ""
