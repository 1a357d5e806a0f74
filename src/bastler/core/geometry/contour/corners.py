"""Corners put in after solving: a radius or a chamfer where two elements meet.

A radius is the arc that touches both elements on the inner side of the turn; a chamfer cuts the same leg off both,
measured straight from the corner.
"""

from __future__ import annotations

import math

from msgspec.structs import replace

from bastler.core.geometry.contour.answers import Answer, Member
from bastler.core.geometry.contour.facts import Contour, at_most, named, shown
from bastler.core.geometry.path import Point

STRAIGHT = 1e-7
HALVINGS = 60


class NoRoom(Exception):
    """A corner doesn't fit: the element, and a sentence that says how large it may be."""

    def __init__(self, element: int, text: str) -> None:
        super().__init__(text)
        self.element, self.text = element, text


def with_corners(answer: Answer, contour: Contour) -> Answer:
    """The answer with every corner put in; raises :class:`NoRoom`."""
    count = len(contour.elements)
    wanted = {i: (e.corner, e.bevel) for i, e in enumerate(contour.elements) if e.corner}
    if not wanted:
        return answer
    members = list(answer.members)
    if contour.mirror is not None:
        return _mirrored_corners(answer, contour, wanted)
    cut = {i: _cut(members, i, (i + 1) % count, size, bevel, contour) for i, (size, bevel) in wanted.items()}
    return replace(answer, members=_put_in(members, cut, contour, wanted), sharp=answer.members)


def _mirrored_corners(answer: Answer, contour: Contour, wanted: dict[int, tuple[float, bool]]) -> Answer:
    """Both halves have the corner: its image lies between the images of the same two elements."""
    count, members = len(contour.elements), list(answer.members)
    places: dict[int, tuple[float, bool]] = {}
    for i, what in wanted.items():
        places[i] = what
        places[2 * count - 2 - i] = what
    cut = {
        k: _cut(members, k, k + 1, size, bevel, contour) for k, (size, bevel) in places.items() if k + 1 < len(members)
    }
    return replace(answer, members=_put_in(members, cut, contour, places), sharp=answer.members)


Cut = tuple[Point, Point, Member]
"""Where the first element ends, where the second begins, and what lies between."""


def _put_in(
    members: list[Member], cut: dict[int, Cut], contour: Contour, wanted: dict[int, tuple[float, bool]]
) -> tuple[Member, ...]:
    result: list[Member] = []
    for k, m in enumerate(members):
        before = (k - 1) % len(members)
        start = cut[before][1] if before in cut and (k or contour.closed) else m.start
        end = cut[k][0] if k in cut else m.end
        begin, finish = place_on(m, start), place_on(m, end)
        if (k in cut and start == m.start and finish < -STRAIGHT) or finish < begin - 1e-9:
            _no_room(members, k, cut, contour, wanted)
        if finish - begin > 1e-9:
            sweep = m.sweep * (finish - begin) / m.length if m.centre is not None else 0.0
            result.append(Member(m.source, start, end, m.centre, sweep))
        if k in cut:
            result.append(cut[k][2])
    return tuple(result)


def _no_room(
    members: list[Member], k: int, cut: dict[int, Cut], contour: Contour, wanted: dict[int, tuple[float, bool]]
) -> None:
    """Two corners on one element together need more than it is long."""
    m, before = members[k], (k - 1) % len(members)
    at = k if k in cut else before
    other = before if at == k else k
    taken = (
        place_on(m, cut[before][1])
        if at == k and before in cut
        else (m.length - place_on(m, cut[k][0]) if k in cut else 0.0)
    )
    size, bevel = wanted[at]
    low, high = 0.0, size
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        try:
            one = _cut(members, at, (at + 1) % len(members), middle, bevel, contour)
            need = m.length - place_on(m, one[0]) if at == k else place_on(m, one[1])
            fits = need <= m.length - taken
        except NoRoom:
            fits = False
        low, high = (middle, high) if fits else (low, middle)
    what = "chamfer" if bevel else "corner radius"
    beside = (
        f" beside the corner of {named(contour.elements, members[other].source)}"
        if other in cut and other != at
        else ""
    )
    raise NoRoom(members[at].source, f"{named(contour.elements, members[at].source)}: the {what} can be at most {at_most(contour, 'radius', low)}{beside}; it is {shown(contour, 'radius', size)}.")  # fmt: skip


def place_on(m: Member, p: Point) -> float:
    """How far along a member a point on it lies."""
    if m.centre is None:
        ux, uy = (m.end[0] - m.start[0]) / m.length, (m.end[1] - m.start[1]) / m.length
        return (p[0] - m.start[0]) * ux + (p[1] - m.start[1]) * uy
    start = math.atan2(m.start[1] - m.centre[1], m.start[0] - m.centre[0])
    turned = (math.atan2(p[1] - m.centre[1], p[0] - m.centre[0]) - start) * (1 if m.ccw else -1) % math.tau
    if turned > math.tau - 1e-9 or (turned > (abs(m.sweep) + math.tau) / 2 and abs(m.sweep) < math.tau - 1e-9):
        turned -= math.tau
    if abs(m.sweep) > math.tau - 1e-9 and p == m.end:
        turned = math.tau
    return turned * m.radius


def _cut(members: list[Member], k: int, after: int, size: float, bevel: bool, contour: Contour) -> Cut:
    """One corner between two members."""
    a, b = members[k], members[after]
    turn = b.direction(False) - a.direction(True)
    turn = (turn + math.pi) % math.tau - math.pi
    name = named(contour.elements, a.source)
    if abs(turn) < STRAIGHT:
        raise NoRoom(a.source, f"{name} runs into the next element smoothly: there is no corner. Leave the corner out.")
    if bevel:
        return _bevel(a, b, size, contour, name)
    found = _fillet(a, b, size, turn)
    if found is not None:
        return found
    low, high = 0.0, size
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        low, high = (middle, high) if _fillet(a, b, middle, turn) is not None else (low, middle)
    if low < 1e-6:
        raise NoRoom(a.source, f"{name} turns back on itself here: no radius fits. Leave the corner out.")
    raise NoRoom(
        a.source,
        f"{name}: the corner radius can be at most {at_most(contour, 'radius', low)}; it is {shown(contour, 'radius', size)}.",
    )


def _fillet(a: Member, b: Member, radius: float, turn: float) -> Cut | None:
    """The arc inside the turn that touches both; ``None`` if it doesn't fit on them."""
    side = math.copysign(1.0, turn)
    best: tuple[float, Cut] | None = None
    for centre in _crossings(_beside(a, side * radius), _beside(b, side * radius)):
        p, q = _foot(a, centre), _foot(b, centre)
        if p is None or q is None:
            continue
        at, to = place_on(a, p), place_on(b, q)
        if not (-1e-9 <= at <= a.length + 1e-9 and -1e-9 <= to <= b.length + 1e-9):
            continue
        swept = math.atan2(q[1] - centre[1], q[0] - centre[0]) - math.atan2(p[1] - centre[1], p[0] - centre[0])
        swept = side * (side * swept % math.tau)
        if abs(swept) > math.pi + 1e-9 and abs(turn) < math.pi - 1e-9 and a.centre is None and b.centre is None:
            continue
        away = (a.length - at) + to
        if best is None or away < best[0]:
            best = (away, (p, q, Member(a.source, p, q, centre, swept, corner=True)))
    return None if best is None else best[1]


Curve = tuple[Point, Point] | tuple[Point, float]
"""A line by point and unit direction, or a circle by centre and radius."""


def _beside(m: Member, left: float) -> Curve | None:
    """The curve at a distance to the left of a member."""
    if m.centre is None:
        d = m.direction(False)
        c, s = math.cos(d), math.sin(d)
        return ((m.start[0] - s * left, m.start[1] + c * left), (c, s))
    radius = m.radius - left if m.ccw else m.radius + left
    return (m.centre, radius) if radius > 1e-9 else None


def _crossings(a: Curve | None, b: Curve | None) -> list[Point]:
    if a is None or b is None:
        return []
    if isinstance(a[1], tuple) and isinstance(b[1], tuple):
        (px, py), (ux, uy), (qx, qy), (vx, vy) = a[0], a[1], b[0], b[1]
        cross = ux * vy - uy * vx
        if abs(cross) < 1e-12:
            return []
        t = ((qx - px) * vy - (qy - py) * vx) / cross
        return [(px + t * ux, py + t * uy)]
    if isinstance(a[1], tuple):
        return line_and_circle(a[0], a[1], b[0], b[1])  # type: ignore[arg-type]
    if isinstance(b[1], tuple):
        return line_and_circle(b[0], b[1], a[0], a[1])
    return two_circles(a[0], a[1], b[0], b[1])


def line_and_circle(p: Point, u: Point, c: Point, r: float) -> list[Point]:
    """Where a line (point, unit direction) meets a circle."""
    along = (c[0] - p[0]) * u[0] + (c[1] - p[1]) * u[1]
    away = (c[0] - p[0]) * u[1] - (c[1] - p[1]) * u[0]
    rest = r * r - away * away
    if rest < -1e-9 * r * r:
        return []
    half = math.sqrt(max(rest, 0.0))
    return [(p[0] + t * u[0], p[1] + t * u[1]) for t in (along - half, along + half)]


def two_circles(c: Point, r: float, d: Point, q: float) -> list[Point]:
    """Where two circles meet."""
    away = math.dist(c, d)
    if away < 1e-12:
        return []
    along = (away * away + r * r - q * q) / (2 * away)
    rest = r * r - along * along
    if rest < -1e-9 * r * r:
        return []
    half = math.sqrt(max(rest, 0.0))
    ux, uy = (d[0] - c[0]) / away, (d[1] - c[1]) / away
    return [(c[0] + along * ux - s * half * uy, c[1] + along * uy + s * half * ux) for s in (1, -1)]


def _foot(m: Member, centre: Point) -> Point | None:
    """The point of a member's line or circle nearest to a centre."""
    if m.centre is None:
        t = place_on(m, centre)
        share = t / m.length
        return (m.start[0] + share * (m.end[0] - m.start[0]), m.start[1] + share * (m.end[1] - m.start[1]))
    away = math.dist(centre, m.centre)
    if away < 1e-12:
        return None
    share = m.radius / away
    return (m.centre[0] + share * (centre[0] - m.centre[0]), m.centre[1] + share * (centre[1] - m.centre[1]))


def _bevel(a: Member, b: Member, leg: float, contour: Contour, name: str) -> Cut:
    p, q = _at_leg(a, a.end, leg, at_end=True), _at_leg(b, b.start, leg, at_end=False)
    if p is None or q is None:
        most = min(_longest_leg(a, a.start, a.end), _longest_leg(b, b.end, b.start))
        raise NoRoom(
            a.source,
            f"{name}: the chamfer can be at most {at_most(contour, 'length', most)}; it is {shown(contour, 'length', leg)}.",
        )
    return (p, q, Member(a.source, p, q, corner=True))


def _longest_leg(m: Member, far: Point, corner: Point) -> float:
    if m.centre is None or abs(m.sweep) <= math.pi:
        return math.dist(far, corner)
    return 2 * m.radius


def _at_leg(m: Member, corner: Point, leg: float, *, at_end: bool) -> Point | None:
    """The point of a member at a straight distance from its corner."""
    if m.centre is None:
        if leg > m.length + 1e-9:
            return None
        share = leg / m.length
        far = m.start if at_end else m.end
        return (corner[0] + share * (far[0] - corner[0]), corner[1] + share * (far[1] - corner[1]))
    if leg > 2 * m.radius:
        return None
    turn = 2 * math.asin(leg / (2 * m.radius))
    if turn > abs(m.sweep) + 1e-9:
        return None
    turn *= (-1 if at_end else 1) * (1 if m.ccw else -1)
    c, s = math.cos(turn), math.sin(turn)
    dx, dy = corner[0] - m.centre[0], corner[1] - m.centre[1]
    return (m.centre[0] + c * dx - s * dy, m.centre[1] + s * dx + c * dy)
