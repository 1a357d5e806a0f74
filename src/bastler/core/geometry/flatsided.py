"""Bars with flats.

*Prism*: a bar with ``sides`` flats, each ``half`` mm from the axis; a corner is on top. Its half section goes out to the
corners; a place farther from the axis than the flats turns through metal and through air. What is worked out for
a half section (tool ways, contacts) holds for the circle round the corners; volumes and pictures are those of the prism.
"""

from __future__ import annotations

import math

from msgspec import Struct


class FlatBar(Struct, frozen=True):
    """A bar with flats."""

    sides: int
    half: float

    @property
    def corner(self) -> float:
        """Radius to a corner, mm."""
        return self.half / math.cos(math.pi / self.sides)

    def radius(self, turn: float) -> float:
        """How far it reaches at an angle from its topmost corner, radians."""
        step = math.tau / self.sides
        return self.half / math.cos(turn % step - step / 2)
