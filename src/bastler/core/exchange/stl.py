"""The cut stock as binary STL, millimetres."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from bastler.core.checked import Checked
from bastler.core.exchange.closed import closed_triangles
from bastler.core.geometry.shapes import Box
from bastler.core.job.store import write_atomically
from bastler.core.verify.revolved import FINE_STEP_DEG, revolved

_RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])


def write_stl(checked: Checked, block: Box, path: Path, *, finished: bool = False) -> int:
    """Write the stock after the last move, or the ``finished`` shape that the steps declare; returns the number of triangles."""
    if checked.turned is not None:
        import shapely

        turned = checked.turned
        whole = shapely.union_all([turned.stock, turned.fallen])
        area = turned.target if finished else whole
        quads = revolved(area, [], whole=True, prism=turned.prism, step_deg=FINE_STEP_DEG).corners
        triangles = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])
        same = [np.all(triangles[:, i] == triangles[:, (i + 1) % 3], axis=1) for i in range(3)]
        triangles = triangles[~np.any(same, axis=0)]  # at the axis a quadrilateral is a triangle
    else:
        heights = checked.target if finished else checked.heights
        ny, nx = heights.shape
        xs, ys = np.linspace(block.x0, block.x1, nx + 1), np.linspace(block.y0, block.y1, ny + 1)
        triangles = closed_triangles(heights, block.z0, xs, ys).astype(np.float32)
    records = np.zeros(len(triangles), _RECORD)
    normal = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    records["normal"] = normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
    records["corners"] = triangles
    header = b"Stock after the last move, millimetres".ljust(80, b" ") + np.uint32(len(records)).tobytes()
    write_atomically(path, header + records.tobytes())
    return len(records)
