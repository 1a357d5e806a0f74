"""Undercuts: the table's own other figures, and tangents where an arc meets a line."""

from __future__ import annotations

import math

import pytest

from bastler.core.cycles.undercuts import DIN_76, DIN_509, din_76, din_509, usual_76, usual_509
from bastler.core.geometry.path import Arc, Path, Point

HEIGHTS = {
    "0.2 x 0.1": 0.9, "0.4 x 0.2": 1.1, "0.6 x 0.2": 1.4, "0.6 x 0.3": 2.1, "0.8 x 0.3": 2.3, "1 x 0.2": 1.8, "1 x 0.4": 3.2,
    "1.2 x 0.2": 2.0, "1.2 x 0.4": 3.4, "1.6 x 0.3": 3.1, "2.5 x 0.4": 4.8, "4 x 0.5": 6.4,
}  # fmt: skip
"""DIN 509, form F: from the floor to where it leaves the shoulder (g)."""
WIDTHS = {0.5: 1.75, 0.7: 2.45, 0.8: 2.8, 1.0: 3.5, 1.25: 4.4, 1.5: 5.2, 1.75: 6.1, 2.0: 7.0, 2.5: 8.7, 3.0: 10.5}
"""DIN 76-1 form A: greatest width at the thread's diameter (g2)."""


@pytest.mark.parametrize("size", DIN_509)
@pytest.mark.parametrize("way", [1.0, -1.0])
def test_form_f_leaves_the_shoulder_where_the_table_says(size: str, way: float) -> None:
    row = DIN_509[size]
    found = din_509(size, "F", -20.0, 15.0, way)
    assert found.height + row.depth == pytest.approx(HEIGHTS[size], abs=0.08)
    path = Path((-10.0, 15.0), found.elements)
    ends = [e.end for e in path.elements]
    assert min(z for z, _ in ends) >= -20.0 - row.into_face - 1e-9
    assert path.end == pytest.approx((-20.0, 15.0 + way * found.height))
    assert_tangent(path)


@pytest.mark.parametrize("size", DIN_509)
def test_form_e_stays_in_front_of_the_shoulder(size: str) -> None:
    row, found = DIN_509[size], din_509(size, "E", -20.0, 15.0, 1.0)
    path = Path((-10.0, 15.0), found.elements)
    assert min(e.end[0] for e in path.elements) == pytest.approx(-20.0)
    assert min(e.end[1] for e in path.elements) == pytest.approx(15.0 - row.depth)
    assert found.elements[0].end == pytest.approx((-20.0 + row.width, 15.0))
    assert_tangent(path)


@pytest.mark.parametrize("pitch", DIN_76)
def test_behind_a_thread_its_width_is_the_tables(pitch: float) -> None:
    found = din_76(pitch, -30.0, 10.0)
    assert found.width == pytest.approx(WIDTHS[pitch], abs=0.1)
    assert_tangent(Path((0.0, 10.0), found.elements))


def test_the_usual_sizes() -> None:
    assert [usual_509(d) for d in (3.0, 12.0, 40.0, 100.0)] == ["0.2 x 0.1", "0.4 x 0.2", "0.6 x 0.3", "1.2 x 0.4"]
    assert [usual_76(d) for d in (6.0, 10.0, 20.0, 22.0, 60.0)] == [1.0, 1.5, 2.5, 2.5, 3.0]


def assert_tangent(path: Path) -> None:
    """Every arc goes on from the line before it, and ends in the axis or lean that the line after it has."""
    before: Point = path.start
    for index, e in enumerate(path.elements):
        if isinstance(e, Arc):
            line = path.elements[index - 1].end, path.elements[index - 2].end
            flat = (line[0][0] - line[1][0], line[0][1] - line[1][1])
            spoke = (before[0] - e.centre[0], before[1] - e.centre[1])
            assert abs(flat[0] * spoke[0] + flat[1] * spoke[1]) < 1e-9
            assert math.dist(before, e.centre) == pytest.approx(math.dist(e.end, e.centre))
            if index + 1 < len(path.elements):
                after = path.elements[index + 1].end
                spoke = (e.end[0] - e.centre[0], e.end[1] - e.centre[1])
                assert abs((after[0] - e.end[0]) * spoke[0] + (after[1] - e.end[1]) * spoke[1]) < 1e-9
        before = e.end
