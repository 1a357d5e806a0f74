"""Whatever a contour file holds: an answer or one sentence with the element and the fact. ``make bench`` has how long it takes."""

from __future__ import annotations

import json
import random
from pathlib import Path
from typing import Any

import pytest

from bastler.__main__ import main
from bastler.core.geometry.contour.facts import read_contour
from bastler.core.geometry.contour.report import report
from bastler.core.problems import Unusable

GOOD: dict[str, Any] = {
    "plane": "XY", "start": {"x": -20, "y": 0},
    "elements": [
        {"type": "line", "angle": 0, "corner": {"radius": 1}},
        {"type": "line", "length": 9, "angle": 40},
        {"type": "arc", "dir": "ccw", "tangent": True, "radius": 8},
        {"type": "arc", "dir": "cw", "tangent": True, "cx": 40, "cy": 25, "radius": 12, "x": 40, "y": 37},
    ],
}  # fmt: skip


def answered(data: Any) -> str:
    """The status, or the sentence that refuses."""
    try:
        found = report(read_contour(data))
        for problem in found["problems"]:
            assert problem["text"].strip(), data
        said = str(found["status"])
        assert json.dumps(found, allow_nan=False)
    except Unusable as error:
        said = str(error)
        assert said.endswith((".", ")")), said
    return said


@pytest.mark.parametrize(
    "value", [float("nan"), float("inf"), -float("inf"), 1e12, -1e12, 1e308, "7", None, [], {}, True]
)
@pytest.mark.parametrize(("element", "fact"), [(0, "angle"), (1, "length"), (2, "radius"), (3, "cx"), (3, "y")])
def test_a_fact_that_is_no_sensible_number(element: int, fact: str, value: Any) -> None:
    data = json.loads(json.dumps(GOOD))
    data["elements"][element][fact] = value
    said = answered(data)
    if said not in ("open", "solved", "conflict"):
        assert fact in said
        assert str(element + 1) in said


@pytest.mark.parametrize("radius", [0, -5, 1e-12])
def test_an_arc_without_radius(radius: float) -> None:
    data = json.loads(json.dumps(GOOD))
    data["elements"][2]["radius"] = radius
    found = answered(data)
    assert found == "conflict" or "radius" in found


def test_two_thousand_elements_are_solved_and_more_are_refused() -> None:
    steps = [{"type": "line", "dx": 1.0, "dy": (-1.0) ** k} for k in range(2000)]
    assert answered({"start": {"x": 0, "y": 0}, "elements": steps}) == "solved"
    assert "at most 2000" in answered({"start": {"x": 0, "y": 0}, "elements": [*steps, steps[0]]})


ARCS = [{"type": "arc", "dir": "cw", "tangent": k > 0} for k in range(40)]
RADII = [{"type": "arc", "dir": ("cw", "ccw")[k % 2], "tangent": k > 0, "radius": 5 + k} for k in range(12)]
HOPELESS: tuple[dict[str, Any], ...] = (
    {"start": {"x": 0, "y": 0}, "elements": [*ARCS, {"type": "line", "x": 9, "y": 9}]},
    {"start": {"x": 0, "y": 0}, "elements": [*RADII, {"type": "line", "tangent": True, "x": 90, "y": 9}]},
)
"""Far too much is unknown."""


def test_hopeless_ones_come_to_an_end() -> None:
    assert answered(HOPELESS[0]) == "open"
    answered(HOPELESS[1])


def test_a_file_damaged_in_any_byte(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    good = json.dumps(GOOD).encode()
    rng = random.Random(4)
    file = tmp_path / "bad.json"
    monkeypatch.setattr("sys.argv", ["bastler", "contour", str(file), "--json"])
    for place in rng.sample(range(len(good)), 120):
        bad = bytearray(good)
        bad[place] = rng.randrange(256)
        file.write_bytes(bytes(bad))
        code = main()
        out = capsys.readouterr()
        assert code in (0, 1, 2)
        assert "Traceback" not in out.err
        if code == 2:
            assert len(out.err.strip().splitlines()) == 1
        else:
            assert json.loads(out.out)["status"] in ("solved", "open", "conflict")
