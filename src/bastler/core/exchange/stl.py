"""The cut stock as binary STL, millimetres."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import shapely
from numpy.typing import NDArray

from bastler.core.checked import Checked
from bastler.core.diskfiles import write_atomically
from bastler.core.exchange.closed import closed_triangles
from bastler.core.geometry.shapes import Box
from bastler.core.problems import Unusable
from bastler.core.verify.pictures import HeightPicture, SectionPicture
from bastler.core.verify.revolved import FINE_STEP_DEG, revolved

_RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])


def _turned(picture: SectionPicture, finished: bool) -> NDArray[np.float32]:
    """Triangles (n, 3, 3) of a solid round the axis."""
    if picture.closed is not None:
        if finished:
            raise Unusable(
                "Of a part that driven tools have cut only the stock after the last move can be written. Export that."
            )
        quads = picture.closed[0]
    else:
        area = picture.target if finished else shapely.union_all([picture.stock, picture.fallen])
        quads = revolved(area, [], whole=True, prism=picture.prism, step_deg=FINE_STEP_DEG).corners
    triangles = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])
    same = [np.all(triangles[:, i] == triangles[:, (i + 1) % 3], axis=1) for i in range(3)]
    whole: NDArray[np.float32] = triangles[~np.any(same, axis=0)]  # at the axis a quadrilateral is a triangle
    return whole


def _milled(picture: HeightPicture, finished: bool, block: Box) -> NDArray[np.float32]:
    """Triangles of a height field."""
    heights = picture.target if finished else picture.heights
    ny, nx = heights.shape
    xs, ys = np.linspace(block.x0, block.x1, nx + 1), np.linspace(block.y0, block.y1, ny + 1)
    return closed_triangles(heights, block.z0, xs, ys).astype(np.float32)


def write_stl(checked: Checked, block: Box, path: Path, *, finished: bool = False) -> int:
    """Write the stock after the last move, or the ``finished`` shape that the steps declare; returns the number of triangles."""
    picture = checked.picture
    if isinstance(picture, SectionPicture):
        triangles = _turned(picture, finished)
    else:
        triangles = _milled(picture, finished, block)
    records = np.zeros(len(triangles), _RECORD)
    normal = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    records["normal"] = normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
    records["corners"] = triangles
    header = b"Stock after the last move, millimetres".ljust(80, b" ") + np.uint32(len(records)).tobytes()
    write_atomically(path, header + records.tobytes())
    return len(records)
