"""*Track*: what a tool leaves that runs along a path at one height, as a finished shape.

No NumPy here either: see :mod:`bastler.core.geometry.shapes`.
"""

from __future__ import annotations

import math

from msgspec import Struct
from msgspec.structs import replace

from bastler.core.geometry.path import Arc, Element, Line, Path, Point, path_bounds, short_arcs
from bastler.core.geometry.placement import Placement
from bastler.core.geometry.shapes import Bounds, Numbers, larger, smaller
from bastler.core.geometry.underside import Profile


class Track(Struct, frozen=True):
    """What a tool with any underside leaves whose tip runs along a ``path``, open or closed, at Z ``floor``; see :class:`Removal`.

    Arcs of the path sweep at most half a turn each: :func:`track` sees to that.
    """

    path: Path
    profile: Profile
    floor: float
    wanted: str = ""

    @property
    def flat(self) -> bool:
        """See :class:`Removal`."""
        return self.profile.is_flat

    def depth(self, x: Numbers, y: Numbers) -> Numbers:
        """See :class:`Removal`."""
        nearest: Numbers = math.inf
        for start, element, _ in self.path.pieces():
            away = distance(start, element, x, y)
            nearest = away if nearest is math.inf else smaller(nearest, away)
        return self.profile.radius - nearest

    def rise(self, depth: Numbers) -> Numbers:
        """See :class:`Removal`."""
        return self.profile.height(self.profile.radius - depth)

    def bounds(self) -> Bounds:
        """See :class:`Removal`."""
        x0, x1, y0, y1 = path_bounds(self.path)
        r = self.profile.radius
        return (x0 - r, x1 + r, y0 - r, y1 + r)

    def covers(self, bounds: Bounds) -> bool:
        """Never: it is no wider than its tool."""
        return False

    def outlines(self) -> tuple[Path, ...]:
        """The edges of all that the tool's full width passes over."""
        from bastler.core.geometry.bands import band

        return band(self.path, self.profile.radius)

    def placed(self, where: Placement) -> Track:
        """See :class:`Removal`."""
        return replace(self, path=where.path(self.path))

    def lifted(self, by: float) -> Track:
        """See :class:`Removal`."""
        return replace(self, floor=self.floor + by)


def track(path: Path, profile: Profile, floor: float) -> Track:
    """A track along a path whose arcs may be of any sweep."""
    return Track(short_arcs(path), profile, floor)


def distance(start: Point, e: Element, x: Numbers, y: Numbers) -> Numbers:
    """Distance of points to an element."""
    if isinstance(e, Line):
        return _from_line(start, e.end, x, y)
    return _from_arc(start, e, x, y)


def _from_line(a: Point, b: Point, x: Numbers, y: Numbers) -> Numbers:
    dx, dy = b[0] - a[0], b[1] - a[1]
    along = ((x - a[0]) * dx + (y - a[1]) * dy) / (dx * dx + dy * dy)
    share = larger(smaller(along, 1.0), 0.0)
    px, py = x - a[0] - share * dx, y - a[1] - share * dy
    return (px * px + py * py) ** 0.5


def _from_arc(a: Point, arc: Arc, x: Numbers, y: Numbers) -> Numbers:
    """To the circle within the arc's angle, to the nearer end outside of it."""
    (cx, cy), b = arc.centre, arc.end
    way = 1.0 if arc.ccw else -1.0
    px, py = x - cx, y - cy
    after_start = way * ((a[0] - cx) * py - (a[1] - cy) * px) >= 0
    before_end = way * (px * (b[1] - cy) - py * (b[0] - cx)) >= 0
    inside = after_start & before_end
    to_circle = abs((px * px + py * py) ** 0.5 - math.dist(a, arc.centre))
    to_ends = smaller(_from_point(a, x, y), _from_point(b, x, y))
    return inside * to_circle + (1 - inside) * to_ends


def _from_point(p: Point, x: Numbers, y: Numbers) -> Numbers:
    return ((x - p[0]) ** 2 + (y - p[1]) ** 2) ** 0.5
