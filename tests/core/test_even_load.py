"""Even load on a grid that knows nothing of it: never more of the tool in metal than wanted; all of the area is cleared; nothing outside is touched."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest
import shapely
from benchmarks.engaged import samples
from benchmarks.evenload import (
    ALLOWED_DEG,
    even_for,
    excess,
    motion_of,
    outside_excess,
    random_area,
    rest_excess,
)

from bastler.core.engine import Engine
from bastler.core.gcode.motion import ARC
from bastler.core.geometry.path import area, rounded_rectangle
from bastler.core.geometry.skeleton import Branch, skeleton
from bastler.core.job.document import Step
from bastler.core.moves import Feed, Rapid, Turn
from bastler.core.planner import plan
from bastler.core.planning.evenload import clear_evenly, discs, fits, in_metal
from bastler.core.planning.nest import shrunk
from bastler.core.request import Request
from tests.jobs import plate

SEEDS = (2, 13, 46, 80, 220)
CELL_MM = 0.1
"""Areas that were hard at one time: tight ends, passages hardly wider than the tool, corners that come close."""


@pytest.mark.parametrize("seed", SEEDS)
def test_no_more_of_the_tool_is_in_metal_than_wanted(seed: int) -> None:
    found = excess(seed, CELL_MM)
    assert found is not None
    assert found[0] <= ALLOWED_DEG


@pytest.mark.parametrize("seed", range(10))
def test_the_tool_stays_in_its_area_and_leaves_no_more_than_corners(seed: int) -> None:
    radius, angle = 3.0, math.radians(60)
    edge = random_area(seed)
    room = shrunk(edge, radius)
    if not fits(room, radius):
        pytest.skip("no room for a helix")
    motion = motion_of(clear_evenly(room, even_for(radius, angle), 0.0, -1.0, 2.0))
    low = motion.end[:, 2] < 1.0
    ways = np.concatenate([motion.chords(int(i), 0.005)[:, :2] for i in np.flatnonzero(low)])
    holes = [shapely.Polygon(_points(p)) for p in room if area(p) < 0]
    inside = shapely.union_all([shapely.Polygon(_points(p)) for p in room if area(p) >= 0])
    inside = shapely.difference(inside, shapely.union_all(holes))
    shapely.prepare(inside)
    assert shapely.distance(inside, shapely.points(ways)).max() < 0.01
    assert left(inside.buffer(radius), ways, radius) < 0.03


def left(whole: shapely.Geometry, ways: np.ndarray, radius: float) -> float:
    """Share of an area that a tool of a radius along points (n, 2) doesn't reach, on a grid of 0.3 mm."""
    x0, y0, x1, y1 = whole.bounds
    grid = np.stack(np.meshgrid(np.arange(x0, x1, 0.3), np.arange(y0, y1, 0.3)), axis=-1).reshape(-1, 2)
    grid = grid[shapely.contains_xy(whole, grid)]
    return float((shapely.distance(shapely.linestrings(ways), shapely.points(grid)) > radius).mean())


def _points(path):  # type: ignore[no-untyped-def]
    found = [path.start]
    for start, e, _ in path.pieces():
        found += list(_along(start, e))[1:]
    return found


def _along(start, e):  # type: ignore[no-untyped-def]
    from bastler.core.geometry.path import Arc, arc_points

    return arc_points(start, e, 0.001) if isinstance(e, Arc) else [start, e.end]


def test_the_angle_of_a_concentric_circle_is_a_closed_form() -> None:
    """A bore of R widened by t with a tool of r: cos φ = ((R)² - q² - r²) / 2qr with q = R - r + t."""
    r, clear, grown = 5.0, 10.0, 12.0
    found = float(in_metal(r, ((0.0, 0.0), clear), np.array([[0.0, 0.0]]), np.array([grown]))[0])
    wanted = math.acos(((clear + r) ** 2 - grown**2 - r**2) / (2 * grown * r))
    assert found == pytest.approx(wanted, abs=1e-6)


def test_straight_into_a_hole_as_wide_as_the_tool_half_its_round_is_in_metal() -> None:
    found = float(in_metal(5.0, ((0.0, 0.0), 0.001), np.array([[0.5, 0.0]]), np.array([0.001]))[0])
    assert math.degrees(found) > 150


@pytest.mark.parametrize(("a", "b", "corner"), [(40, 25, 6), (30, 30, 30), (50, 8, 3), (20, 20, 0)])
def test_the_skeleton_of_a_rectangle_lies_in_the_middle_and_runs_into_its_corners(
    a: float, b: float, corner: float
) -> None:
    tree = skeleton((rounded_rectangle(a, b, corner),), 0.3, 0.05, 0.1)
    assert tree is not None
    assert tree.radius[0] == pytest.approx(b, abs=0.05)
    ends = list(_leaves(tree))
    if a == b == corner:
        assert ends == [tree]
        return
    assert len(ends) == 4
    for end in ends:
        x, y = np.abs(end.points[-1])
        assert end.radius[-1] == pytest.approx(corner, abs=0.6)
        assert (x, y) == (pytest.approx(a - end.radius[-1], abs=0.1), pytest.approx(b - end.radius[-1], abs=0.1))


def _leaves(one: Branch):  # type: ignore[no-untyped-def]
    if not one.further:
        yield one
    for further in one.further:
        yield from _leaves(further)


def test_every_disc_but_the_first_goes_on_from_one_before() -> None:
    found = discs((rounded_rectangle(30, 18, 4),), 5.0, math.radians(60))
    assert found[0].before == -1
    assert all(0 <= d.before < k for k, d in enumerate(found) if k)


@pytest.mark.parametrize("entry", ["helix", "ramp", "plunge"])
def test_every_way_down_ends_in_the_same_cleared_area(entry: str) -> None:

    from msgspec.structs import replace

    even = replace(even_for(3.0, math.radians(60)), entry=entry)
    moves = clear_evenly((rounded_rectangle(15, 10, 2),), even, 0.0, -2.0, 2.0, begin=(0.0, 0.0))
    assert isinstance(moves[0], Rapid)
    low = [m for m in moves if isinstance(m, Feed | Turn) and m.z is not None]
    assert min(m.z for m in low if m.z is not None) == pytest.approx(-2.0)
    motion = motion_of(moves)
    ways = np.concatenate([motion.chords(i, 0.005)[:, :2] for i in range(len(moves))])
    assert left(shapely.box(-15, -10, 15, 10).buffer(-2).buffer(2 + 3.0), ways, 3.0) < 0.005
    assert np.abs(ways).max(axis=0) == pytest.approx((15, 10), abs=0.01)


@pytest.mark.parametrize("seed", [3, 7, 11])
@pytest.mark.parametrize("excess_of", [outside_excess, rest_excess])
def test_nor_from_space_that_is_clear_already(excess_of: Callable[..., float | None], seed: int) -> None:
    """Round a shape from the air beside its block, and into corners that a thicker tool left."""
    found = next(one for k in range(seed * 10, seed * 10 + 10) if (one := excess_of(k, CELL_MM)) is not None)
    assert found <= ALLOWED_DEG


@pytest.mark.parametrize("seed", [176, 227])
def test_a_passage_as_wide_as_the_tool_is_gone_through_slowly(seed: int) -> None:
    """Discs that are points one after the other: what goes on from one goes on from where the tool was."""
    found = rest_excess(seed, CELL_MM)
    assert found is not None
    assert found <= ALLOWED_DEG


@pytest.mark.parametrize(
    ("cycle", "values"),
    [
        ("slot", {"length": "70", "width": "18", "depth": "8"}),
        ("outside", {"length": "40", "width": "30", "corner": "6", "depth": "8", "clear": "channel", "channel_width": "18"}),
        ("outside", {"length": "185", "width": "105", "corner": "6", "depth": "8", "clear_by": "even"}),
    ],
)  # fmt: skip
def test_a_posted_step_keeps_its_angle_but_on_its_way_down(cycle: str, values: dict[str, str]) -> None:
    asked = {"centre_x": "100", "centre_y": "60", "tool": "2", "clear_by": "even", "side_step": "2", "by_load": "no"}
    shown = {k: t for k, t in {**asked, **values}.items() if not (values.get("clear") and k == "clear_by")}
    job = plate(Step(id="p", cycle=cycle, values=shown))
    checked = Engine().check(Request(job, cell=0.5))
    step = plan(job).steps[0]
    tool = step.answers.values.get("tool")
    wanted = math.degrees(math.acos(1 - 2.0 / tool.radius))
    block = step.work.block
    seen = samples(
        checked.motion, (block.x0, block.x1, block.y0, block.y1, block.z0, block.z1), {2: tool.radius}, CELL_MM, 8
    )
    motion = checked.motion
    flat = (np.abs(motion.end[seen.move, 2] - motion.start[seen.move, 2]) < 1e-9) & (seen.volume > 1e-6)
    # A helix ends in a flat turn, and is opened by half circles of the tool's whole width.
    down = np.flatnonzero((motion.kind == ARC) & (motion.end[:, 2] < motion.start[:, 2] - 1e-6))
    flat &= ~np.isin(seen.move, [int(k) + 1 for k in down])
    assert seen.degrees[flat].max() <= wanted + ALLOWED_DEG
