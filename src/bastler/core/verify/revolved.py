"""A half section as a solid of revolution with a quarter cut out: faces for the 3-D picture.

Scene: x along the spindle (Z of the lathe), z up (its X), y away from the viewer. The quarter that is cut out
lies above and in front.
"""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from bastler.core.geometry.flatsided import FlatBar
from bastler.core.geometry.halfsection import Area, clipped, polygons
from bastler.core.verify.mesh import Mesh
from bastler.core.verify.pictures import Carving

STEP_DEG = 5.0
FINE_STEP_DEG = 1.5
"""Divisors of the angle between the corners of hexagons and squares; the fine one, for files, misses 0.01 % of the volume."""
COARSE_MM = 0.02
OPENED, RAW = -2, -1
ON_EDGE_MM = 0.03
QUARTER = np.pi / 2


def revolved(
    area: Area,
    cleared: list[tuple[int, Area]],
    *,
    label: int = RAW,
    whole: bool = False,
    prism: FlatBar | None = None,
    step_deg: float = STEP_DEG,
) -> Mesh:
    """Faces of the solid; ``cleared``: what each step took, whose surfaces get its number as label; ``prism``: a bar with flats
    ends there; ``step_deg``: how finely it goes round."""
    corners: list[NDArray[np.float64]] = []
    normals: list[NDArray[np.float64]] = []
    labels: list[NDArray[np.int32]] = []
    sides = round((360 if whole else 270) / step_deg)
    coarse = COARSE_MM * step_deg / STEP_DEG
    turns = np.linspace(0.0 if whole else QUARTER, 2 * np.pi, sides + 1)
    for shape in (s for one in polygons(area) for s in polygons(one.simplify(coarse))):
        for k, ring in enumerate((shape.exterior, *shape.interiors)):
            p = np.asarray(shapely.geometry.polygon.orient(shapely.Polygon(ring)).exterior.coords)
            p = p if k == 0 else p[::-1]
            a, b = p[:-1], p[1:]
            off = (a[:, 1] > 1e-9) | (b[:, 1] > 1e-9)
            a, b = a[off], b[off]
            own = _owners((a + b) / 2, cleared, label)
            faces, outward = _around(a, b, turns, prism)
            corners.append(faces)
            normals.append(outward)
            labels.append(np.repeat(own, sides))
        if not whole:
            for turn, out in ((0.0, (0.0, -1.0, 0.0)), (QUARTER, (0.0, 0.0, 1.0))):
                y, z = -np.sin(turn), np.cos(turn)
                flat = _strips(shape)
                if prism is not None:
                    flat[:, :, 1] = np.minimum(flat[:, :, 1], prism.radius(turn))
                corners.append(np.stack([flat[:, :, 0], flat[:, :, 1] * y, flat[:, :, 1] * z], axis=2))
                normals.append(np.tile(out, (len(flat), 1)))
                labels.append(np.full(len(flat), OPENED if label == RAW else label, np.int32))
    if not corners:
        return Mesh(np.zeros((0, 4, 3), np.float32), np.zeros((0, 3), np.float32), np.zeros(0, np.int32))
    return Mesh(
        np.concatenate(corners).astype(np.float32),
        np.concatenate(normals).astype(np.float32),
        np.concatenate(labels).astype(np.int32),
    )


def _around(
    a: NDArray[np.float64], b: NDArray[np.float64], turns: NDArray[np.float64], prism: FlatBar | None
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The faces of segments a to b turned about the axis, and their normals."""
    y, z = -np.sin(turns), np.cos(turns)
    if np.isclose(turns[-1] - turns[0], 2 * np.pi):
        y[-1], z[-1] = y[0], z[0]  # closed to the last bit
    most = np.array([np.inf if prism is None else prism.radius(float(t)) for t in turns])

    def at(p: NDArray[np.float64], k: slice) -> NDArray[np.float64]:
        n = len(turns) - 1
        r = np.minimum(p[:, 1:], most[k])
        return np.stack([np.repeat(p[:, :1], n, axis=1), r * y[k], r * z[k]], axis=2)

    low, high = slice(0, -1), slice(1, None)
    faces = np.stack([at(b, low), at(b, high), at(a, high), at(a, low)], axis=2)
    d = b - a
    length = np.maximum(np.hypot(d[:, 0], d[:, 1]), 1e-12)
    along, out = d[:, 1] / length, -d[:, 0] / length
    middle = (turns[:-1] + turns[1:]) / 2
    outward = np.stack([
        np.repeat(along[:, None], len(middle), axis=1), out[:, None] * -np.sin(middle), out[:, None] * np.cos(middle)
    ], axis=2)  # fmt: skip
    faces, outward = faces.reshape(-1, 4, 3), outward.reshape(-1, 3)
    return (faces, outward) if prism is None else (faces, _flattened(faces, outward))


def _flattened(faces: NDArray[np.float64], outward: NDArray[np.float64]) -> NDArray[np.float64]:
    """The normals of faces some of which lie on flats; those without an area keep theirs."""
    across = np.cross(faces[:, 2] - faces[:, 0], faces[:, 3] - faces[:, 1])
    length = np.linalg.norm(across, axis=1, keepdims=True)
    across *= np.sign((across * outward).sum(axis=1, keepdims=True))
    return np.where(length > 1e-9, across / np.maximum(length, 1e-9), outward)


def _owners(middles: NDArray[np.float64], cleared: list[tuple[int, Area]], label: int) -> NDArray[np.int32]:
    """Which step made the surface at each place."""
    owner = np.full(len(middles), label, np.int32)
    spots = shapely.points(middles)
    for number, area in cleared:
        if not area.is_empty:
            owner[shapely.distance(spots, area) < ON_EDGE_MM] = number
    return owner


def _strips(shape: shapely.Polygon) -> NDArray[np.float64]:
    """A polygon as quadrilaterals between its corners' Z, shape (n, 4, 2)."""
    zs = np.unique(np.round([z for r in (shape.exterior, *shape.interiors) for z, _ in r.coords], 4))
    found = []
    for low, high in zip(zs, zs[1:], strict=False):
        for part in polygons(clipped(shape, float(low), -1.0, float(high), 1e5)):
            p = np.asarray(part.exterior.coords)[:-1]
            left, right = p[np.abs(p[:, 0] - low) < 1e-3], p[np.abs(p[:, 0] - high) < 1e-3]
            if len(left) and len(right):
                found.append(
                    [
                        (low, left[:, 1].min()),
                        (high, right[:, 1].min()),
                        (high, right[:, 1].max()),
                        (low, left[:, 1].max()),
                    ]
                )
    return np.array(found) if found else np.zeros((0, 4, 2))


def joined(meshes: list[Mesh]) -> Mesh:
    """Several as one."""
    return Mesh(*(np.concatenate([getattr(m, name) for m in meshes]) for name in ("corners", "normals", "labels")))


def scene_of(
    section: Area,
    cleared: list[tuple[int, Area]],
    bodies: list[Area],
    off: Area | None,
    body_label: int,
    prism: FlatBar | None = None,
) -> Mesh:
    """A section with what holds it and what has come off, as one mesh; bodies have a label of their own."""
    parts = [revolved(section, cleared, prism=prism), *(revolved(b, [], label=body_label) for b in bodies)]
    fallen = [revolved(off, cleared, prism=prism)] if off is not None and not off.is_empty else []
    return joined([*parts, *fallen])


def carved_scene(
    state: Carving, cleared: list[tuple[int, Area]], bodies: list[Area], labels: NDArray[np.int32], body_label: int
) -> Mesh:
    """A part that driven tools have cut, with what holds it; ``labels``: by move, of the surfaces that it cut."""
    corners, normals, cut_by = state.surface
    middles = corners.mean(axis=1).astype(float)
    turned = _owners(np.stack([middles[:, 2], np.hypot(middles[:, 0], middles[:, 1])], axis=1), cleared, RAW)
    own = np.where(cut_by >= 0, labels[np.maximum(cut_by, 0)], np.where(cut_by == OPENED, OPENED, turned))
    part = Mesh(_in_scene(corners), _in_scene(normals), own.astype(np.int32))
    return joined([part, *(revolved(b, [], label=body_label) for b in bodies)])


def _in_scene(places: NDArray[np.float32]) -> NDArray[np.float32]:
    """Of the part's X, Y, Z in the scene: along the spindle, away, up."""
    turned: NDArray[np.float32] = np.stack([places[..., 2], -places[..., 1], places[..., 0]], axis=-1)
    return turned
