"""What a cycle adds to the drawing of the part: dimensions of its own fields.

*Mark*: one dimension or sign in the ``top`` view (x, y) or the ``section`` (x, z), in mm.
Marks name the field they show; the sheet decides how they look and where their text goes.
"""

from __future__ import annotations

from typing import Literal

from msgspec import Struct

from bastler.core.geometry.path import Point

View = Literal["top", "section"]


class Distance(Struct, frozen=True):
    """A straight dimension from ``a`` to ``b``, measured along ``angle`` degrees (0 = X, 90 = Y or Z)."""

    field: str
    a: Point
    b: Point
    angle: float = 0.0
    view: View = "top"


class Radius(Struct, frozen=True):
    """A radius with its leader at ``angle`` degrees; ``diameter`` writes Ø instead of R."""

    field: str
    centre: Point
    radius: float
    angle: float = 45.0
    diameter: bool = False


class Angle(Struct, frozen=True):
    """An angle at ``centre`` from ``start`` through ``sweep`` degrees, drawn at ``radius``."""

    field: str
    centre: Point
    radius: float
    start: float
    sweep: float


class Sign(Struct, frozen=True):
    """A text at a point for a field without a size (a count, a direction)."""

    field: str
    at: Point
    text: str
    view: View = "top"


class HoleSpot(Struct, frozen=True):
    """A numbered hole of a pattern, made or left out; a click on it changes that while its field has the cursor."""

    number: int
    at: Point
    radius: float
    skipped: bool


class CentreCross(Struct, frozen=True):
    """Chain lines through a centre, reaching ``reach`` mm along and across ``angle``."""

    centre: Point
    reach: tuple[float, float]
    angle: float = 0.0


class PitchCircle(Struct, frozen=True):
    """A chain-line circle."""

    centre: Point
    radius: float


class SectionAt(Struct, frozen=True):
    """The section of this step runs along X at this Y."""

    y: float


Mark = Distance | Radius | Angle | Sign | HoleSpot | CentreCross | PitchCircle | SectionAt
