"""The 3-D picture: VTK rendered off-screen into an array; no Qt, no display, no GPU needed.

Scene coordinates are program coordinates in mm. Surfaces carry the colour of the step that cut them;
path lines differ by style, the tool is a solid of revolution at the moment shown.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import vtkmodules.vtkInteractionStyle
import vtkmodules.vtkRenderingOpenGL2  # noqa: F401
from numpy.typing import NDArray
from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray, vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkPoints, vtkUnsignedCharArray
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData
from vtkmodules.vtkFiltersSources import vtkSphereSource
from vtkmodules.vtkRenderingCore import (
    vtkActor,
    vtkCellPicker,
    vtkLight,
    vtkPolyDataMapper,
    vtkRenderer,
    vtkRenderWindow,
    vtkWindowToImageFilter,
)

from bastler.core.verify.mesh import Mesh

VIEWS = {
    "iso": ((-0.55, -0.85, 0.62), (0, 0, 1)),
    "top": ((0, 0, 1), (0, 1, 0)),
    "front": ((0, -1, 0), (0, 0, 1)),
    "right": ((1, 0, 0), (0, 0, 1)),
}

ROUND_SIDES = 40
ZOOM_STEP = 1.15
FIT_MARGIN = 1.12
SOFTENED = 0.30
Numbers = NDArray[Any]
Bounds = tuple[float, float, float, float, float, float]
MARKER_SHARE = 0.014


def rgb(colour: str) -> tuple[float, float, float]:
    """``#RRGGBB`` as 0..1."""
    r, g, b = (int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5))
    return (r, g, b)


def softened(colour: str) -> tuple[float, float, float]:
    """A hue mixed with white, so that shading stays readable on it."""
    r, g, b = (c + (1 - c) * SOFTENED for c in rgb(colour))
    return (r, g, b)


def _quads(corners: Numbers, normals: Numbers | None = None) -> vtkPolyData:
    n = len(corners)
    data = vtkPolyData()
    points = vtkPoints()
    points.SetData(numpy_to_vtk(np.ascontiguousarray(corners.reshape(-1, 3), np.float32), deep=1))
    cells = vtkCellArray()
    offsets = np.arange(0, 4 * n + 1, 4, dtype=np.int64)
    cells.SetData(
        numpy_to_vtkIdTypeArray(offsets, deep=1), numpy_to_vtkIdTypeArray(np.arange(4 * n, dtype=np.int64), deep=1)
    )
    data.SetPoints(points)
    data.SetPolys(cells)
    if normals is not None:
        array = numpy_to_vtk(np.repeat(normals, 4, axis=0).astype(np.float32), deep=1)
        data.GetPointData().SetNormals(array)
    return data


def _revolved(profile: Numbers) -> tuple[Numbers, Numbers]:
    """Corners (n, 4, 3) and normals (n, 3) of the solid that a profile of radius and Z makes about the Z axis."""
    angles = np.linspace(0, 2 * np.pi, ROUND_SIDES + 1)
    c, s = np.cos(angles), np.sin(angles)
    middle = (angles[:-1] + angles[1:]) / 2
    corners, normals = [], []
    for (r0, z0), (r1, z1) in zip(profile[:-1], profile[1:], strict=True):
        length = np.hypot(r1 - r0, z1 - z0)
        if length == 0:
            continue
        ends = [(r0, z0, slice(0, -1)), (r0, z0, slice(1, None)), (r1, z1, slice(1, None)), (r1, z1, slice(0, -1))]
        corners.append(
            np.stack([np.stack([r * c[k], r * s[k], np.full(ROUND_SIDES, z)], axis=1) for r, z, k in ends], axis=1)
        )
        out, up = (z1 - z0) / length, -(r1 - r0) / length
        normals.append(np.stack([out * np.cos(middle), out * np.sin(middle), np.full(ROUND_SIDES, up)], axis=1))
    return np.concatenate(corners), np.concatenate(normals)


def _colours(data: vtkPolyData, values: Numbers) -> None:
    array = numpy_to_vtk(
        np.ascontiguousarray(values, np.uint8), deep=1, array_type=vtkUnsignedCharArray().GetDataType()
    )
    array.SetName("colour")
    data.GetCellData().SetScalars(array)


class Renderer:
    """A scene with its camera; ``image`` gives RGB rows from the top."""

    def __init__(self) -> None:
        self.renderer = vtkRenderer()
        self.window = vtkRenderWindow()
        self.window.SetOffScreenRendering(1)
        self.window.SetMultiSamples(0)
        self.window.AddRenderer(self.renderer)
        self.renderer.SetUseFXAA(True)
        self._lights()
        self.stock = vtkActor()
        self.labels = np.zeros(0, np.int32)
        self.data: vtkPolyData | None = None
        self.paths: list[vtkActor] = []
        self.tool = vtkActor()
        self._turned = 0.0
        self.marker = vtkActor()
        self.fixture: list[vtkActor] = []
        self.axes: list[vtkActor] = []
        self._fitted = True
        self.bounds = (0.0, 100.0, 0.0, 60.0, 0.0, 20.0)
        self._tool_shape = None
        self.picker = vtkCellPicker()
        self.picker.SetTolerance(0.0005)

    def _lights(self) -> None:
        self.renderer.RemoveAllLights()
        self.renderer.AutomaticLightCreationOff()
        for place, strength in (((-0.6, 0.9, 1.4), 0.62), ((1.0, 0.2, 0.5), 0.30), ((0.0, 0.0, 1.0), 0.22)):
            light = vtkLight()
            light.SetLightTypeToCameraLight()
            light.SetPosition(*place)
            light.SetFocalPoint(0, 0, 0)
            light.SetIntensity(strength)
            self.renderer.AddLight(light)

    # content

    def set_background(self, colour: str) -> None:
        """The paper behind."""
        self.renderer.SetBackground(*rgb(colour))

    def set_mesh(self, mesh: Mesh, colours: list[str], raw: str, opened: str) -> None:
        """Faces coloured by label: -2 is a section face (``opened``), -1 raw stock, i is ``colours[i]``."""
        paints = [rgb(opened), rgb(raw), *(softened(one) for one in colours)]
        table = np.array([[round(c * 255) for c in paint] for paint in paints], np.uint8)
        self.labels = mesh.labels
        self.data = _quads(mesh.corners, mesh.normals)
        _colours(self.data, table[np.clip(mesh.labels, -2, len(colours) - 1) + 2])
        self.renderer.RemoveActor(self.stock)
        mapper = vtkPolyDataMapper()
        mapper.SetInputData(self.data)
        self.stock = vtkActor()
        self.stock.SetMapper(mapper)
        self.stock.SetOrientation(self._turned, 0.0, 0.0)
        look = self.stock.GetProperty()
        look.SetAmbient(0.32)
        look.SetDiffuse(0.80)
        look.SetSpecular(0.08)
        look.SetSpecularPower(18)
        look.SetInterpolationToPhong()
        self.renderer.AddActor(self.stock)

    def set_turned(self, degrees: float) -> None:
        """The part, swung by its axis C: about X of the scene, the other way."""
        self._turned = -degrees
        self.stock.SetOrientation(self._turned, 0.0, 0.0)

    def set_bounds(self, bounds: Bounds) -> None:
        """What the standard views fit: x0, x1, y0, y1, z0, z1."""
        self.bounds = bounds

    def set_fixture(self, bodies: list[tuple[Bounds, bool]], colour: str) -> None:
        """Jaws, clamps and screws: boxes (x0, x1, y0, y1, z0, z1), or the upright cylinders in them."""
        for actor in self.fixture:
            self.renderer.RemoveActor(actor)
        self.fixture = []
        for (x0, x1, y0, y1, z0, z1), is_round in bodies:
            if is_round:
                r = (x1 - x0) / 2
                corners, normals = _revolved(np.array([[0, z0], [r, z0], [r, z1], [0, z1]], float))
                corners += np.array([(x0 + x1) / 2, (y0 + y1) / 2, 0])
                self.fixture.append(self._plain(_quads(corners, normals), colour, 1.0, soft=True))
                continue
            corners = np.array(
                [
                    [[x0, y0, z1], [x1, y0, z1], [x1, y1, z1], [x0, y1, z1]], [[x0, y1, z0], [x1, y1, z0], [x1, y0, z0], [x0, y0, z0]],
                    [[x0, y0, z0], [x1, y0, z0], [x1, y0, z1], [x0, y0, z1]], [[x1, y1, z0], [x0, y1, z0], [x0, y1, z1], [x1, y1, z1]],
                    [[x1, y0, z0], [x1, y1, z0], [x1, y1, z1], [x1, y0, z1]], [[x0, y1, z0], [x0, y0, z0], [x0, y0, z1], [x0, y1, z1]],
                ], np.float32)  # fmt: skip
            normals = np.array([[0, 0, 1], [0, 0, -1], [0, -1, 0], [0, 1, 0], [1, 0, 0], [-1, 0, 0]], np.float32)
            self.fixture.append(self._plain(_quads(corners, normals), colour, 1.0, soft=True))

    def _plain(self, data: vtkPolyData, colour: str, opacity: float, *, soft: bool = False) -> vtkActor:
        mapper = vtkPolyDataMapper()
        mapper.SetInputData(data)
        mapper.ScalarVisibilityOff()
        actor = vtkActor()
        actor.SetMapper(mapper)
        look = actor.GetProperty()
        look.SetColor(*(softened(colour) if soft else rgb(colour)))
        look.SetOpacity(opacity)
        look.SetAmbient(0.35)
        look.SetDiffuse(0.7)
        self.renderer.AddActor(actor)
        return actor

    def set_paths(self, groups: list[tuple[Numbers, Numbers, str, float, float]]) -> None:
        """Lines: ``(points (n, 3), pairs (m, 2), colour, width, opacity)`` each."""
        for actor in self.paths:
            self.renderer.RemoveActor(actor)
        self.paths = [self._lines(*group) for group in groups]

    def _lines(self, points: Numbers, pairs: Numbers, colour: str, width: float, opacity: float) -> vtkActor:
        data = vtkPolyData()
        vp = vtkPoints()
        vp.SetData(numpy_to_vtk(np.ascontiguousarray(points, np.float32), deep=1))
        cells = vtkCellArray()
        m = len(pairs)
        cells.SetData(
            numpy_to_vtkIdTypeArray(np.arange(0, 2 * m + 1, 2, dtype=np.int64), deep=1),
            numpy_to_vtkIdTypeArray(np.ascontiguousarray(pairs.reshape(-1), np.int64), deep=1),
        )
        data.SetPoints(vp)
        data.SetLines(cells)
        actor = self._plain(data, colour, opacity)
        actor.GetProperty().SetLineWidth(width)
        actor.GetProperty().LightingOff()
        actor.PickableOff()
        return actor

    def set_axes(self, size: float, colour: str) -> None:
        """The zero point with arms along X, Y and Z."""
        for actor in self.axes:
            self.renderer.RemoveActor(actor)
        points = np.array([[0, 0, 0], [size, 0, 0], [0, size, 0], [0, 0, size]], float)
        self.axes = [self._lines(points, np.array([[0, 1], [0, 2], [0, 3]]), colour, 3.0, 1.0)]

    def set_marker(self, at: tuple[float, float, float] | None, colour: str) -> None:
        """A ball at the place of a finding, drawn over everything; ``None`` takes it away."""
        self.renderer.RemoveActor(self.marker)
        if at is None:
            return
        ball = vtkSphereSource()
        ball.SetCenter(*at)
        ball.SetRadius(max(self.bounds[1] - self.bounds[0], self.bounds[3] - self.bounds[2]) * MARKER_SHARE)
        ball.SetThetaResolution(24)
        ball.SetPhiResolution(16)
        ball.Update()
        self.marker = self._plain(ball.GetOutput(), colour, 1.0)
        self.marker.GetProperty().LightingOff()
        self.marker.PickableOff()

    def set_tool(
        self, silhouette: list[tuple[float, float]] | None, at: tuple[float, float, float], colours: tuple[str, str, float], along: str = "Z"
    ) -> None:  # fmt: skip
        """The tool as a solid of revolution about Z, or X, with its tip at ``at``; ``None`` hides it."""
        self.renderer.RemoveActor(self.tool)
        if silhouette is None:
            return
        corners, normals = _revolved(np.array(silhouette, float))
        shade = corners[:, :, 2].max(axis=1) <= colours[2] + 1e-9
        if along == "X":
            corners, normals = (np.stack([q[..., 2], q[..., 1], -q[..., 0]], axis=-1) for q in (corners, normals))
        data = _quads(corners + np.array(at), normals)
        table = np.array([[round(c * 255) for c in rgb(one)] for one in colours[:2]], np.uint8)
        _colours(data, table[shade.astype(int)])
        mapper = vtkPolyDataMapper()
        mapper.SetInputData(data)
        self.tool = vtkActor()
        self.tool.SetMapper(mapper)
        self.tool.PickableOff()
        look = self.tool.GetProperty()
        look.SetOpacity(0.85)
        look.SetAmbient(0.35)
        look.SetSpecular(0.4)
        self.renderer.AddActor(self.tool)

    # camera

    def view(self, name: str) -> None:
        """A standard view that fits the stock."""
        direction, up = VIEWS[name]
        camera = self.renderer.GetActiveCamera()
        b = self.bounds
        centre = [(b[0] + b[1]) / 2, (b[2] + b[3]) / 2, (b[4] + b[5]) / 2]
        camera.SetFocalPoint(*centre)
        camera.SetPosition(*[c + d * 500 for c, d in zip(centre, direction, strict=True)])
        camera.SetViewUp(*up)
        camera.ParallelProjectionOn()
        self.renderer.ResetCamera(*b)
        self._fitted = True
        self._fit()

    def _fit(self) -> None:
        """Scale so that the stock's box fills most of the picture."""
        camera = self.renderer.GetActiveCamera()
        b = self.bounds
        matrix = camera.GetViewTransformMatrix()
        turn = np.array([[matrix.GetElement(i, j) for j in range(4)] for i in range(4)])
        corners = np.array([[b[i], b[2 + j], b[4 + k], 1.0] for i in (0, 1) for j in (0, 1) for k in (0, 1)])
        seen = corners @ turn.T
        half_x, half_y = np.abs(seen[:, 0]).max(), np.abs(seen[:, 1]).max()
        width, height = self.window.GetSize()
        camera.SetParallelScale(max(half_y, half_x * height / max(width, 1)) * FIT_MARGIN)

    def turn(self, dx: float, dy: float) -> None:
        """Rotate by pixels dragged."""
        self._fitted = False
        camera = self.renderer.GetActiveCamera()
        camera.Azimuth(-dx * 0.4)
        camera.Elevation(dy * 0.4)
        camera.OrthogonalizeViewUp()

    def pan(self, dx: float, dy: float) -> None:
        """Shift by pixels dragged."""
        self._fitted = False
        camera = self.renderer.GetActiveCamera()
        height = max(self.window.GetSize()[1], 1)
        unit = 2 * camera.GetParallelScale() / height
        matrix = camera.GetViewTransformMatrix()
        right = np.array([matrix.GetElement(0, i) for i in range(3)])
        up = np.array([matrix.GetElement(1, i) for i in range(3)])
        shift = -right * dx * unit + up * dy * unit
        for get, put in ((camera.GetPosition, camera.SetPosition), (camera.GetFocalPoint, camera.SetFocalPoint)):
            put(*(np.array(get()) + shift))

    def zoom(self, notches: float) -> None:
        """Closer (positive) or further."""
        self._fitted = False
        self.renderer.GetActiveCamera().Zoom(ZOOM_STEP**notches)

    # pictures

    def resize(self, width: int, height: int) -> None:
        """Size of the picture in pixels."""
        self.window.SetSize(max(width, 16), max(height, 16))
        if self._fitted:
            self._fit()

    def image(self) -> np.ndarray:
        """The picture, (height, width, 3) uint8."""
        self.renderer.ResetCameraClippingRange()
        self.window.Render()
        grab = vtkWindowToImageFilter()
        grab.SetInput(self.window)
        grab.ReadFrontBufferOff()
        grab.Update()
        out = grab.GetOutput()
        width, height, _ = out.GetDimensions()
        pixels = vtk_to_numpy(out.GetPointData().GetScalars()).reshape(height, width, -1)
        return np.ascontiguousarray(pixels[::-1, :, :3])

    def pick(self, x: int, y: int) -> int | None:
        """The label of the face under a pixel (y from the top); ``None`` beside the stock."""
        height = self.window.GetSize()[1]
        self.picker.InitializePickList()
        self.picker.PickFromListOn()
        self.picker.AddPickList(self.stock)
        if not self.picker.Pick(x, height - 1 - y, 0, self.renderer):
            return None
        cell = self.picker.GetCellId()
        return int(self.labels[cell]) if 0 <= cell < len(self.labels) else None
