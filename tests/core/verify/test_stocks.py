"""One set of tests for every kind of stock, and for one by brute force: what the protocol promises."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
import pytest
import shapely

from bastler.core.gcode.control import Control
from bastler.core.gcode.interpreter import interpret
from bastler.core.gcode.motion import FEED, RAPID, Motion
from bastler.core.geometry.halfsection import box
from bastler.core.geometry.shapes import Box, Prism
from bastler.core.planner import plan
from bastler.core.tooling.tools import Tool
from bastler.core.verify.heightfield import HeightField
from bastler.core.verify.section import SectionStock
from bastler.core.verify.stock import EDGE, Stock
from tests.turned import lathe_job
from tests.voxels import Floats, Voxels

BLOCK = Box(-20.0, 20.0, -10.0, 10.0, -10.0, 0.0)
MILL = Tool(1, "end-mill", "end mill 8", 8, 3, 20, 8, 40)
CELL = 0.5
SLOT = "T1 M6\nG43 H1 G0 X-12. Y0. Z5.\nS1000 M3 F100\nG1 Z-4.\nX12.\nG0 Z5.\nX0. Y20.\n"
THROUGH = "G0 X-12. Y6. Z5.\nG0 Z-6.\nG0 Z5.\n"
RADIUS, WIDTH = 12.0, 3.0
GROOVE = "T0707\nG97 S800 M3\nG0 X40. Z-10.\nG1 X12. F0.1\nX40.\nG0 X60. Z20.\n"
INTO = "G0 X40. Z-20.\nG0 X16.\nG0 X40.\n"


@dataclass
class Case:
    """A stock, a program that cuts it, a rapid into it, the finished shape of the program as the stock wants it said, and the same twice as large."""

    make: Callable[[], Stock]
    motion: Motion
    rapid: Motion
    gone: float
    finished: Any
    larger: Any


def milled(text: str) -> Motion:
    return interpret(f"G21 G90 G94\n{text}".encode(), Control({1: MILL})).motion


def turned(text: str) -> Motion:
    tools = dict(plan(lathe_job()).tools)
    return interpret(f"G21 G18 G99\n{text}".encode(), Control(tools, reading="lathe-a")).motion


def in_slot(p: Floats, more: float = 0.0) -> np.ndarray:
    along = np.clip(p[:, 0], -12, 12)
    return (np.hypot(p[:, 0] - along, p[:, 1]) < 4 + more) & (p[:, 2] > -4 - more)


def in_groove(p: Floats, more: float = 0.0) -> np.ndarray:
    r = np.hypot(p[:, 0], p[:, 1])
    return (r > 6 - more) & (p[:, 2] > -10 - more) & (p[:, 2] < -10 + WIDTH + more)


def under_mill(places: Floats, tip: Floats) -> np.ndarray:
    return (np.hypot(places[:, 0] - tip[0], places[:, 1] - tip[1]) < 4) & (places[:, 2] > tip[2])


def under_blade(places: Floats, tip: Floats) -> np.ndarray:
    r = np.hypot(places[:, 0], places[:, 1])
    return (r > tip[0]) & (places[:, 2] > tip[2]) & (places[:, 2] < tip[2] + WIDTH)


def whole_block(p: Floats) -> np.ndarray:
    return np.ones(len(p), bool)


def whole_bar(p: Floats) -> np.ndarray:
    return np.hypot(p[:, 0], p[:, 1]) < RADIUS


BLOCK_BOX = np.array([[-20.0, -10.0, -10.0], [20.0, 10.0, 0.0]])
BAR_BOX = np.array([[-RADIUS, -RADIUS, -30.0], [RADIUS, RADIUS, 0.0]])
SLOT_MM3 = 4 * (24 * 8 + np.pi * 16)
GROOVE_MM3 = np.pi * (RADIUS**2 - 36) * WIDTH


def section_stock() -> SectionStock:
    return SectionStock(box(-30.0, 0.0, 0.0, RADIUS), shapely.Polygon(), dict(plan(lathe_job()).tools), -29.0)


CASES = {
    "height field": lambda: Case(
        lambda: HeightField(BLOCK, {1: MILL}, 0.1), milled(SLOT), milled(SLOT + THROUGH), SLOT_MM3,
        (Prism((0, 0), 32, 8, 4, 0, -4),), (Prism((0, 0), 36, 12, 6, 0, -6),),
    ),
    "half section": lambda: Case(
        section_stock, turned(GROOVE), turned(GROOVE + INTO), GROOVE_MM3, [box(-10.0, -10.0 + WIDTH, 6.0, 50.0)],
        [box(-12.0, -5.0, 4.0, 50.0)],
    ),
    "cubes of a block": lambda: Case(
        lambda: Voxels(BLOCK_BOX, CELL, whole_block, under_mill, turned=False), milled(SLOT), milled(SLOT + THROUGH), SLOT_MM3,
        lambda p: ~in_slot(p), lambda p: ~in_slot(p, 2.0),
    ),
    "cubes of a bar": lambda: Case(
        lambda: Voxels(BAR_BOX, CELL, whole_bar, under_blade, turned=True), turned(GROOVE), turned(GROOVE + INTO), GROOVE_MM3,
        lambda p: whole_bar(p) & ~in_groove(p), lambda p: whole_bar(p) & ~in_groove(p, 2.0),
    ),
}  # fmt: skip


@pytest.fixture(params=sorted(CASES))
def case(request: pytest.FixtureRequest) -> Case:
    made: Case = CASES[request.param]()
    return made


def solid_of(stock: Stock) -> float:
    """What its surface holds, by the divergence theorem."""
    q = stock.mesh().corners.astype(float)
    triangles = np.concatenate([q[:, [0, 1, 2]], q[:, [0, 2, 3]]])
    return float(np.einsum("ij,ij->i", triangles[:, 0], np.cross(triangles[:, 1], triangles[:, 2])).sum() / 6)


def area(outlines: list[Floats]) -> float:
    return sum(shapely.Polygon(one).area for one in outlines)


def test_what_moves_remove_is_what_is_gone(case: Case) -> None:
    stock = case.make()
    before = stock.volume()
    happened = stock.cut(case.motion, 0, len(case.motion))
    assert before - stock.volume() == pytest.approx(happened.removed.sum(), rel=2e-3)
    assert happened.removed.sum() == pytest.approx(case.gone, rel=0.02)
    assert (happened.removed[case.motion.kind != FEED] < 1e-6).all()
    assert happened.touches == []
    known = happened.deepest[~np.isnan(happened.deepest)]
    assert known.max(initial=4.0) == pytest.approx(4.0, abs=0.01) or isinstance(stock, Voxels)


def test_moves_may_be_cut_piece_by_piece(case: Case) -> None:
    at_once, in_pieces, n = case.make(), case.make(), len(case.motion)
    whole = at_once.cut(case.motion, 0, n)
    pieces = [in_pieces.cut(case.motion, i, i + 1).removed for i in range(n)]
    assert in_pieces.volume() == pytest.approx(at_once.volume(), rel=1e-6)
    assert np.concatenate(pieces) == pytest.approx(whole.removed, rel=0.01, abs=0.5)


def test_a_state_is_the_metal_of_then(case: Case) -> None:
    stock, n = case.make(), len(case.motion)
    fresh, full = stock.state(), stock.volume()
    stock.cut(case.motion, 0, n)
    cut, left = stock.state(), stock.volume()
    stock.restore(fresh)
    assert stock.volume() == pytest.approx(full)
    stock.cut(case.motion, 0, n)
    assert stock.volume() == pytest.approx(left)
    stock.restore(fresh)
    assert stock.volume() == pytest.approx(full), "a state that was given back once is still whole"
    stock.restore(cut)
    assert stock.volume() == pytest.approx(left)
    assert stock.state_bytes > 0


def test_a_rapid_through_metal_is_told_where_it_is(case: Case) -> None:
    stock, n = case.make(), len(case.rapid)
    happened = stock.cut(case.rapid, 0, n, 100)
    told = happened.touched(EDGE)
    assert 1 <= len(told) <= 2, "the way in, and the way out if both are cut at one go"
    move, touch = min(told.items())
    assert case.rapid.kind[move - 100] == RAPID
    assert move - 100 == int(np.flatnonzero(happened.removed * (case.rapid.kind == RAPID) > 0.5)[0])
    low = np.minimum(case.rapid.start[move - 100], case.rapid.end[move - 100]) - 8.0
    high = np.maximum(case.rapid.start[move - 100], case.rapid.end[move - 100]) + 8.0
    assert (low <= touch.at).all()
    assert (touch.at <= high).all()


def test_a_finished_shape_is_met_or_missed(case: Case) -> None:
    stock = case.make()
    uncut = stock.compare(case.finished)
    assert uncut.left == pytest.approx(case.gone, rel=0.02)
    assert uncut.missing == pytest.approx(0.0, abs=0.5)
    stock.cut(case.motion, 0, len(case.motion))
    cut = stock.compare(case.finished)
    assert max(cut.missing, cut.left) < 0.02 * case.gone
    assert stock.compare(case.larger).left > 0.3 * case.gone


def test_surface_and_volume_agree(case: Case) -> None:
    stock = case.make()
    stock.cut(case.motion, 0, len(case.motion))
    assert solid_of(stock) == pytest.approx(stock.volume(), rel=5e-3)


def test_sections_add_up_to_the_volume(case: Case) -> None:
    stock = case.make()
    stock.cut(case.motion, 0, len(case.motion))
    if isinstance(stock, SectionStock) or (isinstance(stock, Voxels) and stock.turned):
        found = 2 * np.pi * sum(p.area * p.centroid.y for p in map(shapely.Polygon, stock.section(0.0)))
    else:
        xs = np.arange(BLOCK.x0 + 0.25, BLOCK.x1, 0.5)
        found = 0.5 * sum(area(stock.section(float(x))) for x in xs)
    assert found == pytest.approx(stock.volume(), rel=0.01)


def test_a_kind_and_its_cubes_remove_the_same() -> None:
    for real, cubes in (("height field", "cubes of a block"), ("half section", "cubes of a bar")):
        one, other = CASES[real](), CASES[cubes]()
        a, b = (c.make().cut(c.motion, 0, len(c.motion)).removed for c in (one, other))
        assert a == pytest.approx(b, rel=0.05, abs=2.0)
