"""The cut stock as binary STL, millimetres."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from bastler.core.checked import Checked
from bastler.core.job.store import write_atomically
from bastler.core.verify.mesh import mesh_of
from bastler.core.verify.revolved import revolved

_RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])


def write_stl(checked: Checked, bottom: float, path: Path, *, finished: bool = False) -> int:
    """Write the stock after the last move, or the ``finished`` shape that the steps declare; returns the number of triangles."""
    if checked.turned is not None:
        import shapely

        turned = checked.turned
        whole = shapely.union_all([turned.stock, turned.fallen])
        quads = revolved(turned.target if finished else whole, [], whole=True, prism=turned.prism).corners
    else:
        heights = checked.target if finished else checked.heights
        quads = mesh_of(checked.grid, heights, np.zeros_like(checked.cut_by), bottom).corners
    triangles = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])
    records = np.zeros(len(triangles), _RECORD)
    normal = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    records["normal"] = normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
    records["corners"] = triangles
    header = b"Stock after the last move, millimetres".ljust(80, b" ") + np.uint32(len(records)).tobytes()
    write_atomically(path, header + records.tobytes())
    return len(records)
