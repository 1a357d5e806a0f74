"""What stands in a lathe's chuck, and what holds it, as geometry."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct

from bastler.core.geometry.flatsided import FlatBar
from bastler.core.geometry.shapes import Box
from bastler.core.job.bodies import Body
from bastler.core.quantities import Units, show

SIDES = {"hexagon": 6, "square": 4}
STOCK_WORDS: Mapping[str, str] = {
    "round": "Round bar", "hexagon": "Hexagonal bar", "square": "Square bar", "tube": "Tube", "contour": "Casting", "before": "Part",
}  # fmt: skip

Section = tuple[tuple[tuple[float, float], ...], ...]


class Chucking(Struct, frozen=True):
    """A lathe setup as geometry, mm, radii. ``blank``: rectangle z0, z1, bore, radius; ``bodies``: what holds it.

    ``flats``: half of what the jaws grip. ``section``: the stock's half section as outlines, if it isn't the whole blank. ``c_zero``: where C 0 of the part lies, degrees
    from the spindle's own mark.
    """

    blank: tuple[float, float, float, float]
    flats: float
    bodies: tuple[Body, ...]
    limit: float
    clearance: float
    part_length: float | None
    kind: str
    section: Section = ()
    c_zero: float = 0.0

    @property
    def prism(self) -> FlatBar | None:
        """The bar, if it has flats."""
        return FlatBar(SIDES[self.kind], self.flats) if self.kind in SIDES else None

    def said(self, units: Units) -> str:
        """The stock in words: what it is and how thick."""
        bore = f", bore Ø{show(2 * self.blank[2], units=units)}" if self.blank[2] else ""
        if self.prism is not None:
            return f"{STOCK_WORDS[self.kind]}, {show(2 * self.flats, units=units)} across flats"
        return f"{STOCK_WORDS[self.kind]} Ø{show(2 * self.blank[3], units=units)}{bore}"

    @property
    def box(self) -> Box:
        """The box round the blank."""
        z0, z1, _, r = self.blank
        return Box(-r, r, -r, r, z0, z1)
