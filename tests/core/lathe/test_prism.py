"""Hexagonal and square bars: their volumes and faces are those of the bar, not of the circle round it."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely

from bastler.core.engine import Engine
from bastler.core.geometry.flatsided import FlatBar
from bastler.core.geometry.halfsection import box, volume
from bastler.core.job.document import Step
from bastler.core.request import Request
from bastler.core.verify.mesh import Mesh
from bastler.core.verify.revolved import revolved
from tests.turned import lathe_job

BARS = [FlatBar(6, 12.0), FlatBar(4, 15.0)]


def enclosed(mesh: Mesh) -> float:
    """Volume in mm³ inside a closed mesh of quadrilaterals (divergence theorem)."""
    q = mesh.corners.astype(float)
    triangles = np.concatenate([q[:, [0, 1, 2]], q[:, [0, 2, 3]]])
    return float(abs(np.einsum("ij,ij->i", triangles[:, 0], np.cross(triangles[:, 1], triangles[:, 2])).sum()) / 6)


@pytest.mark.parametrize("bar", BARS, ids=str)
def test_a_whole_bar_has_the_volume_of_its_polygon(bar: FlatBar) -> None:
    across = bar.sides * bar.half**2 * math.tan(math.pi / bar.sides)
    assert volume(box(-40, 0, 0, bar.corner), bar) == pytest.approx(40 * across, rel=1e-8)


@pytest.mark.parametrize("bar", BARS, ids=str)
def test_what_lies_within_the_flats_is_as_in_a_round_bar(bar: FlatBar) -> None:
    area = shapely.Polygon([(-20, 2), (0, 5), (-5, bar.half), (-18, 9)])
    assert volume(area, bar) == volume(area)


def test_the_corners_alone_are_what_the_polygon_has_over_its_circle() -> None:
    bar = FlatBar(6, 12.0)
    across = 6 * 12.0**2 * math.tan(math.pi / 6) - math.pi * 12.0**2
    assert volume(box(-10, 0, bar.half, bar.corner), bar) == pytest.approx(10 * across, rel=1e-3)


@pytest.mark.parametrize("bar", BARS, ids=str)
def test_its_faces_close_round_the_same_volume(bar: FlatBar) -> None:
    turned = shapely.union(box(-40, -10, 0, bar.corner), box(-10, 0, 0, bar.half - 3))
    mesh = revolved(turned, [], whole=True, prism=bar)
    # Round parts are chords of 5°: their circle is smaller by this share.
    chords = math.sin(math.tau / 72) / (math.tau / 72)
    exact = volume(box(-40, -10, 0, bar.corner), bar) + chords * volume(box(-10, 0, 0, bar.half - 3))
    assert enclosed(mesh) == pytest.approx(exact, rel=1e-6)
    r = np.hypot(mesh.corners[..., 1], mesh.corners[..., 2])
    assert r.max() == pytest.approx(bar.corner, rel=1e-6)


def test_normals_of_flats_are_square_to_them() -> None:
    bar = FlatBar(4, 15.0)
    mesh = revolved(box(-40, 0, 0, bar.corner), [], whole=True, prism=bar)
    side = np.abs(mesh.normals[:, 0]) < 0.5
    across = np.abs(mesh.normals[side][:, 1:])
    assert np.allclose(across, math.sqrt(0.5), atol=1e-6)
    assert ((mesh.normals * mesh.corners.mean(axis=1)).sum(axis=1)[side] > 0).all()


def test_the_check_counts_the_metal_of_a_hexagon() -> None:
    step = Step(id="turn", cycle="turn", values={"diameter": "26", "length": "20", "tool": "1"})
    job = lathe_job(step, stock_kind="hexagon", diameter="30")
    checked = Engine().check(Request(job))
    length = checked.section.blank.bounds[2] - checked.section.blank.bounds[0]
    across = 6 * 15.0**2 * math.tan(math.pi / 6)
    assert checked.volume_before == pytest.approx(length * across, rel=1e-6)
    assert checked.volume_before - checked.volume_after > 20 * (across - math.pi * 13.0**2)
    assert checked.removed.sum() == pytest.approx(checked.volume_before - checked.volume_after, rel=0.01, abs=5.0)
