"""The 3-D picture: views, colours by step, picking, the tool, in a renderer without a window."""

from __future__ import annotations

import numpy as np
import pytest

from bastler.core.tooling.tools import Tool
from bastler.core.verify.grid import Grid
from bastler.core.verify.mesh import mesh_of
from bastler.ui.scene.renderer import Renderer, softened
from bastler.ui.theme.tokens import HUES

GRID = Grid(0.0, 0.0, 1.0, 60, 40)
PAPER = "#F6F4EE"


@pytest.fixture(scope="module")
def scene() -> Renderer:
    heights = np.zeros((40, 60), np.float32)
    labels = np.full(heights.shape, -1, np.int32)
    heights[10:30, 10:30], labels[10:30, 10:30] = -5, 0
    heights[10:30, 35:50], labels[10:30, 35:50] = -8, 2
    result = Renderer()
    result.resize(480, 360)
    result.set_background(PAPER)
    result.set_bounds((0, 60, 0, 40, -12, 0))
    result.set_mesh(mesh_of(GRID, heights, labels, -12.0), list(HUES), "#C9C4B8", "#D3E6E3")
    return result


def at(scene: Renderer, x: float, y: float) -> tuple[int, int]:
    """The pixel of a point, seen from the top."""
    scale = 2 * scene.renderer.GetActiveCamera().GetParallelScale() / 360
    return round(240 + (x - 30) / scale), round(180 - (y - 20) / scale)


def near(pixel: np.ndarray, colour: tuple[float, float, float]) -> float:
    """Angle between a shaded pixel and a colour: shading changes the strength, not the direction."""
    a, b = pixel.astype(float), np.array(colour)
    return float(np.degrees(np.arccos(np.clip(a @ b / np.linalg.norm(a) / np.linalg.norm(b), -1, 1))))


def test_surfaces_have_the_colour_of_their_step(scene: Renderer) -> None:
    scene.view("top")
    picture = scene.image()
    assert picture.shape == (360, 480, 3)
    assert tuple(picture[2, 2]) == (0xF6, 0xF4, 0xEE)
    for place, index in (((20, 20), 0), ((42, 20), 2)):
        x, y = at(scene, *place)
        assert near(picture[y, x], softened(HUES[index])) < 4


def test_picking_names_the_step(scene: Renderer) -> None:
    scene.view("top")
    scene.image()
    assert scene.pick(*at(scene, 20, 20)) == 0
    assert scene.pick(*at(scene, 42, 20)) == 2
    assert scene.pick(*at(scene, 5, 5)) == -1
    assert scene.pick(2, 2) is None


@pytest.mark.parametrize("view", ["iso", "top", "front", "right"])
def test_every_view_shows_the_whole_stock(scene: Renderer, view: str) -> None:
    scene.view(view)
    picture = scene.image()
    paper = np.all(np.abs(picture.astype(int) - (0xF6, 0xF4, 0xEE)) < 3, axis=2)
    assert 0.05 < 1 - paper.mean() < 0.95
    assert paper[0].all()
    assert paper[-1].all()
    assert paper[:, 0].all()
    assert paper[:, -1].all()


def test_turning_panning_and_zooming_change_the_picture(scene: Renderer) -> None:
    scene.view("iso")
    seen = [scene.image()]
    for change in (lambda: scene.turn(40, 10), lambda: scene.pan(30, 20), lambda: scene.zoom(2)):
        change()
        seen.append(scene.image())
        assert not np.array_equal(seen[-1], seen[-2])
    scene.resize(300, 200)
    assert scene.image().shape == (200, 300, 3)
    scene.resize(480, 360)
    scene.view("iso")
    assert np.array_equal(scene.image(), seen[0])


def test_tool_paths_and_fixture_are_drawn_and_taken_away(scene: Renderer) -> None:
    scene.view("front")
    bare = scene.image()
    tool = Tool(1, "end-mill", "mill", 10, 3, 20, 10, 30, holder=((30, 20),))
    scene.set_tool(tool.silhouette(), (30, 20, -5), ("#8D918F", "#0F6B6E", 20.0))
    assert not np.array_equal(scene.image(), bare)
    scene.set_tool(None, None, None)
    scene.set_fixture([((10, 50, -20, 0, -30, -6), False)], "#8D918F")
    boxed = scene.image()
    scene.set_fixture([((10, 30, -20, 0, -30, -6), True)], "#8D918F")
    assert not np.array_equal(scene.image(), boxed)
    scene.set_axes(10.0, "#1F2A30")
    scene.set_paths([(np.array([[0, 0, 5], [60, 40, 5]], float), np.array([[0, 1]]), "#1F2A30", 2.0, 1.0)])
    assert not np.array_equal(scene.image(), bare)
    scene.set_fixture([], "#8D918F")
    scene.set_paths([])
    for actor in scene.axes:
        scene.renderer.RemoveActor(actor)
    assert np.array_equal(scene.image(), bare)
