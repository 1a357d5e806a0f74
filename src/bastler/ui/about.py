"""What Bastler is made of, in words."""

from __future__ import annotations

from importlib.metadata import PackageNotFoundError, version

from bastler import __version__

PARTS = (
    ("PyQt6", "GPL 3"), ("PyQt6-QScintilla", "GPL 3"), ("numpy", "BSD"), ("numba", "BSD"), ("shapely", "BSD"), ("vtk", "BSD"),
    ("msgspec", "BSD"), ("ezdxf", "MIT"), ("jinja2", "BSD"), ("simpleeval", "MIT"), ("platformdirs", "MIT"), ("typer", "MIT"),
    ("rich", "MIT"),
)  # fmt: skip
"""Libraries, and the licence of each."""


def words() -> str:
    """Version and licences."""
    lines = [
        f"Bastler {__version__}: part programs from feature cycles, drawn, checked and posted.",
        "",
        "Bastler's own code is under the MIT licence. Together with Qt's binding it is used and passed on under the GPL, version 3.",
        "The typeface Atkinson Hyperlegible Next is under the SIL Open Font License 1.1.",
        "",
        "It is built on",
    ]
    for name, licence in PARTS:
        try:
            lines.append(f"    {name} {version(name)}, {licence}")
        except PackageNotFoundError:
            continue
    return "\n".join(lines)
