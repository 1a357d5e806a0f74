"""The 3-D picture as a process of its own: scene changes in, pictures out.

Every waiting message is applied before one picture is made, so a fast mouse never builds a queue.
"""

from __future__ import annotations

import sys
from multiprocessing.connection import Connection

import numpy as np

from bastler.core import faults
from bastler.core.messages import Message
from bastler.core.verify.grid import Grid
from bastler.core.verify.mesh import Mesh, mesh_of
from bastler.ui.scene.labels import Heights, Labels, labels_of

OPENED = -2
SETTERS = {
    word: f"set_{word}" for word in ("bounds", "background", "fixture", "paths", "axes", "tool", "turned", "marker")
}
"""Methods of the renderer by the word of a message; the others have its name."""
SEAM_CELLS = 0.03
"""Faces are drawn this much larger, so that no light shows through where large and small ones meet."""


def opened_mesh(grid: Grid, heights: Heights, labels: Labels, bottom: float, axis: int | None, position: float) -> Mesh:
    """The solid's faces, cut open at a plane across X, Y or Z; the cut itself is labelled ``OPENED``."""
    if axis == 2:
        labels = np.where(heights > position, OPENED, labels)
        heights = np.maximum(np.minimum(heights, np.float32(position)), np.float32(bottom))
    elif axis is not None:
        count = grid.nx if axis == 0 else grid.ny
        low = grid.x0 if axis == 0 else grid.y0
        k = min(max(round((position - low) / grid.cell), 1 if axis == 0 else 0), count if axis == 0 else count - 1)
        if axis == 0:
            heights, labels = heights[:, :k], labels[:, :k]
            grid = Grid(grid.x0, grid.y0, grid.cell, k, grid.ny)
            plane = grid.x0 + k * grid.cell
        else:
            heights, labels = heights[k:], labels[k:]
            plane = grid.y0 + k * grid.cell
            grid = Grid(grid.x0, plane, grid.cell, grid.nx, count - k)
        mesh = mesh_of(grid, heights, labels, bottom, SEAM_CELLS)
        cut = np.all(np.abs(mesh.corners[:, :, axis] - plane) < grid.cell * 0.1, axis=1)
        return Mesh(mesh.corners, mesh.normals, np.where(cut, OPENED, mesh.labels).astype(np.int32))
    return mesh_of(grid, heights, labels, bottom, SEAM_CELLS)


def serve(connection: Connection) -> None:
    """Answer until the other side is gone."""
    from bastler.ui.scene.renderer import Renderer

    scene = Renderer()
    number = 0
    stock: Message = ()
    section: Message = (None, 0.0)
    stale = False

    def apply(message: Message) -> None:
        nonlocal number, stock, section, stale
        word, rest = str(message[0]), message[1:]
        if word == "stock":
            stock, stale = tuple(rest), True
        elif word == "section":
            section, stale = tuple(rest), bool(stock)
        elif word == "mesh":
            stock, stale = (), False
            scene.set_mesh(*rest)
        elif word == "pick":
            connection.send(("picked", scene.pick(*rest)))
        elif word == "number":
            number = rest[0]
        else:
            getattr(scene, SETTERS.get(word, word))(*rest)

    while True:
        try:
            apply(connection.recv())
            while connection.poll():
                apply(connection.recv())
            if stale:
                grid, heights, way, bottom, *paints = stock
                scene.set_mesh(opened_mesh(grid, heights, labels_of(heights, way), bottom, *section), *paints)
                stale = False
            picture = scene.image()
            connection.send(("picture", number, picture.shape[1], picture.shape[0], picture.tobytes()))
        except (EOFError, ConnectionError):
            return
        except Exception as error:  # a fault of ours: told once, and the next message may do better
            stale = False
            if faults.record(error, "solid view"):
                connection.send(("failed", f"The solid view could not be drawn. {faults.told()}"))


if __name__ == "__main__":
    serve(Connection(int(sys.argv[1])))
