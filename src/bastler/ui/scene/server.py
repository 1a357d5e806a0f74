"""The 3-D picture as a process of its own: scene changes in, pictures out.

Every waiting message is applied before one picture is made, so a fast mouse never builds a queue.
"""
# mypy: ignore-errors

from __future__ import annotations

import sys
from multiprocessing.connection import Connection

from bastler.core.verify.mesh import mesh_of


def serve(connection: Connection) -> None:
    """Answer until the other side is gone."""
    from bastler.ui.scene.renderer import Renderer

    scene = Renderer()
    number = 0

    def apply(message) -> None:
        nonlocal number
        word, *rest = message
        if word == "stock":
            grid, heights, labels, bottom, colours, raw = rest
            scene.set_mesh(mesh_of(grid, heights, labels, bottom), colours, raw)
        elif word == "pick":
            connection.send(("picked", scene.pick(*rest)))
        elif word == "number":
            number = rest[0]
        else:
            getattr(scene, {"bounds": "set_bounds", "background": "set_background", "section": "set_section", "fixture": "set_fixture",
                            "paths": "set_paths", "axes": "set_axes", "tool": "set_tool"}.get(word, word))(*rest)  # fmt: skip

    while True:
        try:
            apply(connection.recv())
            while connection.poll():
                apply(connection.recv())
            picture = scene.image()
            connection.send(("picture", number, picture.shape[1], picture.shape[0], picture.tobytes()))
        except (EOFError, ConnectionError):
            return


if __name__ == "__main__":
    serve(Connection(int(sys.argv[1])))
