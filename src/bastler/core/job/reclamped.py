"""How the part lies in a setup compared with the one before: turned over, turned on the table, with another zero."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import Struct

from bastler.core.fields import Field, Values
from bastler.core.geometry.path import Point
from bastler.core.geometry.placement import Placement, about
from bastler.core.geometry.shapes import Box, Removal, RoundHole
from bastler.core.geometry.underside import Profile
from bastler.core.quantities import Kind

BELOW_MM = 1.0
"""What went right through goes so far below the block once it is turned over."""
QUARTERS = (("0", "0°"), ("90", "90°"), ("180", "180°"), ("270", "270°"))


def left_before(v: Values) -> bool:
    """Whether the stock is what the setup before left."""
    return bool(v.get("stock_kind", "block") == "before")


FIELDS: tuple[Field, ...] = (
    Field("turned_over", "Turned over", "Size", Kind.CHOICE, "Is the part turned over, and about which axis?", "no",
          choices=(("no", "No"), ("x", "About X"), ("y", "About Y")), shown=left_before),
    Field("quarter", "Turned by", "Size", Kind.CHOICE, "How far is it then turned on the table, counter-clockwise?", "0", choices=QUARTERS, shown=left_before),
)  # fmt: skip


class Lying(Struct, frozen=True):
    """From program coordinates of the setup before to those of this one: XY by ``place``, Z turned if ``over``, then by ``lift``."""

    place: Placement
    over: bool
    lift: float

    def z(self, z: float) -> float:
        """A height then."""
        return (-z if self.over else z) + self.lift

    def box(self, b: Box) -> Box:
        """A box then."""
        low, high = sorted((self.z(b.z0), self.z(b.z1)))
        return Box(*self.place.bounds(b.bounds), low, high)

    def shifted(self, zero: tuple[float, float, float]) -> Lying:
        """With the zero at a point of what it was."""
        (x, y), p = self.place.at, self.place
        return Lying(Placement((x - zero[0], y - zero[1]), p.angle, p.mirror), self.over, self.lift - zero[2])

    def removals(self, done: Iterable[Removal], before: Box) -> tuple[Removal, ...]:
        """What was cut before, as it lies now; of a part turned over only what went right through can be reached."""
        if not self.over:
            return tuple(r.placed(self.place).lifted(self.lift) for r in done)
        bottom = self.z(before.z1) - BELOW_MM
        found: list[Removal] = []
        for one in done:
            if isinstance(one, RoundHole):
                if one.tip + one.profile.tip_length <= before.z0 + 1e-6:
                    found.append(RoundHole(self.place.point(one.centre), Profile(one.radius, one.radius), bottom))
            elif one.floor <= before.z0 + 1e-6:
                there = one.placed(self.place)
                found.append(there.lifted(bottom - there.floor))
        return tuple(found)


def lying(v: Values, before: Box) -> Lying:
    """The part with its lower left corner at the origin, as the answers turn it."""
    over = v.get("turned_over", "no")
    angle = float(v.get("quarter", "0")) + (180.0 if over == "x" else 0.0)
    middle: Point = ((before.x0 + before.x1) / 2, (before.y0 + before.y1) / 2)
    turned = about(middle, (0.0, 0.0), angle, over != "no")
    x0, _, y0, _ = turned.bounds(before.bounds)
    found = Lying(turned, over != "no", before.z1 if over != "no" else -before.z0)
    return found.shifted((x0, y0, 0.0))
