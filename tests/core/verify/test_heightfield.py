"""The kernels against closed forms: what a tool leaves is known exactly."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bastler.core.gcode.control import Control
from bastler.core.gcode.interpreter import interpret
from bastler.core.geometry.shapes import Box, Prism, RoundHole
from bastler.core.tooling.tools import Tool
from bastler.core.verify.grid import Grid, cell_for, heights_of
from bastler.core.verify.heightfield import HeightField

BLOCK = Box(-30, 30, -20, 20, -15, 0)
FLAT = Tool(1, "end-mill", "flat", 10, 3, 30, 10, 40)
BULL = Tool(2, "end-mill", "bull", 10, 3, 30, 10, 40, corner_radius=2)
DRILL = Tool(3, "drill", "drill", 8, 2, 30, 8, 40, point_angle=118)
TOOLS = {t.number: t for t in (FLAT, BULL, DRILL)}
CELL = 0.1
EXACT_MM = 2e-5


def cut(text: str, tool: Tool) -> HeightField:
    """Run a program with the tool's tip at program Z."""
    head = f"G21 G90 G94 T{tool.number} M6\nG43 H{tool.number} G0 X0. Y0. Z60.\nS1000 M3 F100\n"
    field = HeightField(BLOCK, TOOLS, CELL)
    field.cut(interpret((head + text).encode(), Control(TOOLS)).motion)
    return field


def distance_to_segment(x, y, a, b):  # type: ignore[no-untyped-def]
    d = np.array(b) - np.array(a)
    t = np.clip(((x - a[0]) * d[0] + (y - a[1]) * d[1]) / max(d @ d, 1e-12), 0, 1)
    return np.hypot(x - a[0] - t * d[0], y - a[1] - t * d[1])


def profile(d, tool: Tool):  # type: ignore[no-untyped-def]
    """Underside over distance from the axis."""
    if tool.point_angle < 180:
        z = tool.tip_length * d / tool.radius
    else:
        over = np.clip(d - tool.flat_radius, 0, tool.corner_radius)
        z = tool.corner_radius - np.sqrt(tool.corner_radius**2 - over**2)
    return np.where(d <= tool.radius, z, np.inf)


def brute(points: np.ndarray, tool: Tool, grid: Grid) -> np.ndarray:
    """Lowest underside over each cell for many tool positions."""
    x, y = np.meshgrid(grid.xs(), grid.ys())
    z = np.full(x.shape, BLOCK.z1)
    for px, py, pz in points:
        z = np.minimum(z, pz + profile(np.hypot(x - px, y - py), tool))
    return np.maximum(z, BLOCK.z0)


def same(found: np.ndarray, expected: np.ndarray, d: np.ndarray, tool: Tool) -> None:
    """Equal at every cell that is not on the rim itself."""
    off_rim = np.abs(d - tool.radius) > 1e-6
    assert np.abs(found - expected)[off_rim].max() < EXACT_MM


@pytest.mark.parametrize("tool", [FLAT, BULL, DRILL], ids=lambda t: t.name)
@pytest.mark.parametrize("end", [(12.0, 0.0), (0.0, 9.0), (11.0, -7.0)])
def test_a_level_line_leaves_the_exact_channel(tool: Tool, end: tuple[float, float]) -> None:
    field = cut(f"G0 X-5. Y1. Z5.\nG1 Z-4.\nX{end[0]} Y{end[1]}", tool)
    x, y = np.meshgrid(field.grid.xs(), field.grid.ys())
    d = distance_to_segment(x, y, (-5.0, 1.0), end)
    same(field.heights, np.minimum(0, -4 + profile(d, tool)), d, tool)


@pytest.mark.parametrize("tool", [FLAT, BULL, DRILL], ids=lambda t: t.name)
def test_a_level_arc_leaves_the_exact_ring(tool: Tool) -> None:
    field = cut("G0 X8. Y0. Z5.\nG1 Z-4.\nG3 X-8. Y0. I-8. J0.", tool)
    x, y = np.meshgrid(field.grid.xs(), field.grid.ys())
    beside = np.where(y >= 0, np.abs(np.hypot(x, y) - 8), np.minimum(np.hypot(x - 8, y), np.hypot(x + 8, y)))
    same(field.heights, np.minimum(0, -4 + profile(beside, tool)), beside, tool)


@pytest.mark.parametrize("tool", [FLAT, BULL, DRILL], ids=lambda t: t.name)
@pytest.mark.parametrize("text", ["G0 X-8. Y-3. Z1.\nG1 X9. Y4. Z-5.", "G0 X-8. Y-3. Z-5.\nG1 X9. Y4. Z1.", "G0 X7. Y0. Z1.\nG3 Z-4. I-7. J0.",
                                  "G0 X7. Y0. Z1.\nG2 X0. Y7. I-7. J0. Z-6."])  # fmt: skip
def test_sloped_lines_and_helices_match_a_brute_sweep(tool: Tool, text: str) -> None:
    head = "G21 G90 G94\nS1000 M3 F100\n"
    motion = interpret((head + f"T{tool.number} M6\nG43 H{tool.number}\n" + text).encode(), Control(TOOLS)).motion
    field = HeightField(BLOCK, TOOLS, 0.5)
    field.cut(motion.run(len(motion) - 1, len(motion)))
    points = np.array([motion.at(len(motion) - 1, t) for t in np.linspace(0, 1, 2001)])
    swept = brute(points, tool, field.grid)
    inside = np.minimum(field.heights, swept) < -1e-3
    difference = (swept - field.heights)[inside]
    assert difference.min() > -1e-4, "never shallower than the true sweep"
    assert np.quantile(np.abs(difference), 0.99) < 0.01


def test_a_drilled_hole_has_its_exact_cone() -> None:
    field = cut("G0 X2. Y3. Z5.\nG1 Z-9.", DRILL)
    hole = RoundHole((2.0, 3.0), DRILL.profile, -9.0)
    assert np.abs(field.heights - heights_of(field.grid, BLOCK, (hole,))).max() < EXACT_MM


def test_volume_of_a_pocket_and_a_hole_within_half_a_percent() -> None:
    field = cut("G0 X0. Y0. Z5.\nG1 Z-6.", FLAT)
    assert BLOCK.size[0] * BLOCK.size[1] * 15 - field.volume() == pytest.approx(math.pi * 25 * 6, rel=0.005)
    grid = Grid.over(BLOCK, CELL)
    prism = Prism((1.0, 2.0), 20.0, 14.0, 4.0, 30.0, -5.0)
    removed = (BLOCK.z1 - heights_of(grid, BLOCK, (prism,))).sum() * CELL**2
    assert removed == pytest.approx((20 * 14 - (4 - math.pi) * 16) * 5, rel=0.005)


def test_arcs_in_the_other_planes_are_cut() -> None:
    field = cut("G0 X-8. Y0. Z0.\nG18 G2 X8. Z0. I8. K0. F100", FLAT)
    assert field.heights.min() == pytest.approx(-8.0, abs=0.01) or field.heights.min() == 0.0
    down = cut("G0 X-8. Y0. Z0.\nG18 G3 X8. Z0. I8. K0. F100", FLAT)
    assert min(field.heights.min(), down.heights.min()) == pytest.approx(-8.0, abs=0.01)


@given(length=st.floats(5, 40), width=st.floats(5, 30), share=st.floats(0, 1), angle=st.floats(-180, 180))
@settings(max_examples=40)
def test_a_prism_knows_its_bounds_and_what_it_covers(length: float, width: float, share: float, angle: float) -> None:
    prism = Prism((3.0, -2.0), length, width, share * min(length, width) / 2, angle, -5.0)
    x0, x1, y0, y1 = prism.bounds()
    for x, y in prism.outlines()[0].points():
        assert x0 - 1e-6 <= x <= x1 + 1e-6
        assert y0 - 1e-6 <= y <= y1 + 1e-6
    middle = (3.0, 3.0, -2.0, -2.0)
    assert prism.covers(middle)
    assert not prism.covers((x0 - 1, x1, y0, y1))


def test_cells_are_chosen_from_the_part() -> None:
    assert cell_for(Box(0, 204, 0, 124, -22, 0)) == 0.21
    assert cell_for(Box(0, 10, 0, 10, -5, 0)) == 0.02
    assert cell_for(Box(0, 700, 0, 600, -5, 0)) == 0.5
    assert cell_for(Box(0, 5000, 0, 5000, -5, 0)) == 3.6, "no more cells than there is memory for"


def test_each_cell_remembers_the_move_that_cut_it_last() -> None:
    field = cut("G0 X-10. Y0. Z5.\nG1 Z-1.\nX10.\nZ-2.\nX-10.", FLAT)
    rows, columns = field.grid.window((-1, 1, -1, 1))
    assert len(np.unique(field.cut_by[rows, columns])) == 1
    assert field.cut_by[0, 0] == -1


@pytest.mark.parametrize("x", [-60.0, -36.0, 36.0, 60.0])
def test_a_tool_beside_the_block_cuts_nothing(x: float) -> None:
    field = cut(f"G0 X{x} Y-30. Z5.\nG1 Z-4.\nY30.", FLAT)
    assert (field.heights == 0).all()
