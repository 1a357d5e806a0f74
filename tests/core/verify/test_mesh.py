"""Meshes: closed, of the right volume, few faces, labels kept; and cut open."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bastler.core.verify.grid import Grid
from bastler.core.verify.mesh import Mesh, mesh_of
from bastler.ui.scene.sceneserver import OPENED, opened_mesh

GRID = Grid(0.0, 0.0, 0.5, 24, 16)
BOTTOM = -10.0


def volume(mesh: Mesh) -> float:
    q = mesh.corners.astype(float)
    triangles = np.concatenate([q[:, [0, 1, 2]], q[:, [0, 2, 3]]])
    return float(np.einsum("ij,ij->i", triangles[:, 0], np.cross(triangles[:, 1], triangles[:, 2])).sum() / 6)


def steps(seed: int, kinds: int) -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(seed)
    heights = rng.choice(np.array([0.0, -2.0, -5.0, BOTTOM], np.float32), (GRID.ny, GRID.nx))
    labels = rng.integers(-1, kinds, (GRID.ny, GRID.nx)).astype(np.int32)
    return heights, labels


@given(seed=st.integers(0, 10_000), kinds=st.integers(1, 5))
@settings(max_examples=40)
def test_the_mesh_holds_the_stocks_volume(seed: int, kinds: int) -> None:
    heights, labels = steps(seed, kinds)
    mesh = mesh_of(GRID, heights, labels, BOTTOM)
    assert volume(mesh) == pytest.approx(float((heights - BOTTOM).sum()) * 0.25, rel=1e-5)
    normal = np.cross(mesh.corners[:, 1] - mesh.corners[:, 0], mesh.corners[:, 2] - mesh.corners[:, 0])
    area = np.linalg.norm(normal, axis=1)
    assert np.abs((normal).sum(axis=0)).max() < 1e-2 * area.sum(), "a closed surface has no area left over"
    assert (area > 0).all()


def test_flat_places_are_a_handful_of_faces() -> None:
    heights = np.zeros((GRID.ny, GRID.nx), np.float32)
    labels = np.full(heights.shape, -1, np.int32)
    assert len(mesh_of(GRID, heights, labels, BOTTOM).labels) == 6
    heights[4:9, 5:12] = -3
    labels[4:9, 5:12] = 2
    mesh = mesh_of(GRID, heights, labels, BOTTOM)
    assert len(mesh.labels) < 20
    assert (mesh.labels == 2).sum() == 5, "a floor and four walls belong to the step that cut them"


def test_walls_face_outwards() -> None:
    heights = np.zeros((GRID.ny, GRID.nx), np.float32)
    mesh = mesh_of(GRID, heights, np.full(heights.shape, -1, np.int32), BOTTOM)
    middle = mesh.corners.mean(axis=(0, 1))
    outward = mesh.corners.mean(axis=1) - middle
    assert (np.einsum("ij,ij->i", outward, mesh.normals) > 0).all()


@pytest.mark.parametrize(("axis", "position"), [(0, 5.0), (1, 3.0), (2, -4.0)])
def test_a_section_is_closed_and_marked(axis: int, position: float) -> None:
    heights = np.zeros((GRID.ny, GRID.nx), np.float32)
    labels = np.full(heights.shape, 1, np.int32)
    mesh = opened_mesh(GRID, heights, labels, BOTTOM, axis, position)
    cut = mesh.corners[mesh.labels == OPENED]
    assert len(cut)
    assert np.abs(cut[:, :, axis] - position).max() < 0.26
    assert volume(mesh) == pytest.approx({0: 5 * 8 * 10, 1: 12 * 5 * 10, 2: 12 * 8 * 6}[axis], rel=0.08)


def test_no_section_is_the_whole() -> None:
    heights, labels = steps(3, 2)
    whole = opened_mesh(GRID, heights, labels, BOTTOM, None, 0.0)
    assert len(whole.labels) == len(mesh_of(GRID, heights, labels, BOTTOM).labels)
    assert OPENED not in whole.labels
