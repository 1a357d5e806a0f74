"""What leaves as a file is exact: closed solids of true size, drawings of what is cut, figures that can be copied."""

from __future__ import annotations

import math
import re
from pathlib import Path

import ezdxf
import numpy as np
import pytest
import shapely

from bastler.core.engine import Engine
from bastler.core.exchange.closed import closed_triangles
from bastler.core.exchange.dxf import write_dxf
from bastler.core.exchange.stl import write_stl
from bastler.core.jobfiles.store import load
from bastler.core.planner import plan
from bastler.core.request import Request
from bastler.core.verify.pictures import HeightPicture

EXAMPLES = Path(__file__).parents[2] / "examples"


def triangles_of(path: Path) -> np.ndarray:
    record = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
    return np.frombuffer(path.read_bytes()[84:], record)["corners"]


def assert_closed(triangles: np.ndarray) -> None:
    """Every edge belongs to two triangles, once in each direction; none has no area."""
    points, index = np.unique(triangles.reshape(-1, 3), axis=0, return_inverse=True)
    index = index.reshape(-1, 3)
    edges = np.concatenate([index[:, [0, 1]], index[:, [1, 2]], index[:, [2, 0]]])
    assert (edges[:, 0] != edges[:, 1]).all()
    forward, backward = edges[:, 0] * len(points) + edges[:, 1], edges[:, 1] * len(points) + edges[:, 0]
    assert len(np.unique(forward)) == len(forward)
    assert np.array_equal(np.sort(forward), np.sort(backward))


def volume(triangles: np.ndarray) -> float:
    a, b, c = (triangles[:, k].astype(float) for k in range(3))
    return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6)


@pytest.mark.parametrize("name", ["pressure-plate", "foot-pad", "spindle", "guide-bush-inch"])
def test_an_stl_is_closed_and_of_true_size(name: str, tmp_path: Path) -> None:
    job = load(EXAMPLES / f"{name}.bastler")
    checked = Engine().check(Request(job, cell=0.3))
    bed = plan(job).frame.bed
    write_stl(checked, bed, tmp_path / "a.stl")
    triangles = triangles_of(tmp_path / "a.stl")
    assert_closed(triangles)
    low, high = triangles.reshape(-1, 3).min(axis=0), triangles.reshape(-1, 3).max(axis=0)
    if isinstance(checked.picture, HeightPicture):
        # The top is faced away by 2 mm at most; length, width and foot are the block's.
        assert (*low, high[0], high[1]) == pytest.approx((bed.x0, bed.y0, bed.z0, bed.x1, bed.y1), abs=1e-4)
        assert volume(triangles) == pytest.approx(checked.volume_after, rel=0.004), "threads count as no metal cut"
    else:
        solid = shapely.union_all([checked.section.stock, checked.section.fallen])
        exact = sum(_turned_volume(part) for part in getattr(solid, "geoms", [solid]))
        assert volume(triangles) == pytest.approx(exact, rel=2e-4)


def _turned_volume(area: shapely.Polygon) -> float:
    """The solid round the axis: cones between the corners of each ring, π/3 Δz (r₀² + r₀r₁ + r₁²), holes with the other sign."""
    total = 0.0
    for k, ring in enumerate((area.exterior, *area.interiors)):
        (z, r), sign = np.array(ring.coords).T, -1 if k else 1
        cones = np.sum((z[1:] - z[:-1]) * (r[:-1] ** 2 + r[:-1] * r[1:] + r[1:] ** 2))
        total += sign * abs(float(cones)) * math.pi / 3
    return total


def test_random_height_fields_are_closed() -> None:
    for seed in range(20):
        dice = np.random.default_rng(seed)
        heights = dice.integers(0, 4, (7, 9)).astype(np.float32) / 2
        triangles = closed_triangles(heights, 0.0, np.arange(10.0), np.arange(8.0))
        assert_closed(triangles)
        assert volume(triangles) >= heights.sum() - 1e-6, "a cell may be filled where two touch along an edge only"


def test_the_volume_before_is_exact() -> None:
    job = load(EXAMPLES / "pressure-plate.bastler")
    assert Engine().check(Request(job, cell=0.7)).volume_before == pytest.approx(204 * 124 * 22)
    job = load(EXAMPLES / "foot-pad.bastler")
    b = plan(job).frame.bed
    assert Engine().check(Request(job, cell=0.7)).volume_before == pytest.approx(
        math.pi / 4 * b.size[0] ** 2 * b.size[2]
    )


def test_a_drawing_shows_round_stock_round_and_spots_as_wide_as_they_are(tmp_path: Path) -> None:
    job = load(EXAMPLES / "foot-pad.bastler")
    write_dxf(plan(job), tmp_path / "a.dxf")
    stock = ezdxf.readfile(tmp_path / "a.dxf").modelspace().query('*[layer=="stock"]')
    assert {e.dxftype() for e in stock} <= {"CIRCLE", "ARC"}
    plate = load(EXAMPLES / "pressure-plate.bastler")
    write_dxf(plan(plate), tmp_path / "b.dxf")
    spots = ezdxf.readfile(tmp_path / "b.dxf").modelspace().query('CIRCLE[layer=="05-spot"]')
    asked = float(next(s for s in plate.setups[0].steps if s.cycle == "spot").values.get("diameter", "0") or 0)
    assert len(spots)
    assert all(c.dxf.radius < 5.0 for c in spots), "the spot drill itself is 10 wide"
    assert asked == 0 or all(2 * c.dxf.radius == pytest.approx(asked, abs=0.01) for c in spots)


def test_the_figures_of_a_setup_sheet_can_be_searched(tmp_path: Path) -> None:
    """Each glyph of the PDF has its sign in a ToUnicode table, the figures among them."""
    from bastler.ui.paper import write_pdf

    job = load(EXAMPLES / "pressure-plate.bastler")
    checked = Engine().check(Request(job, cell=1.0))
    write_pdf(job, plan(job), checked, tmp_path / "a.pdf")
    tables = re.findall(rb"beginbfrange(.*?)endbfrange", (tmp_path / "a.pdf").read_bytes(), re.DOTALL)
    named = {
        chr(int(code, 16))
        for table in tables
        for row in re.findall(rb"\[(.*?)\]", table, re.DOTALL)
        for code in re.findall(rb"<(\w{4})>", row)
    }
    assert set("0123456789") <= named
