"""Answers: solved elements with their points, and how far redundant facts are off."""

from __future__ import annotations

import math
from collections.abc import Iterable

from msgspec import Struct

from bastler.core.geometry.contour.facts import Contour, Key, Mirror
from bastler.core.geometry.contour.known import Known
from bastler.core.geometry.contour.measure import directions_at, missed, sweep_of
from bastler.core.geometry.nearest import middle_of
from bastler.core.geometry.path import Arc, Line, Path, Point

Same = 1e-6


class Member(Struct, frozen=True):
    """One solved element. ``sweep``: signed radians, 0 for a line. ``source``: index of the element it comes from;
    ``corner``: whether it is the corner at that element's end."""

    source: int
    start: Point
    end: Point
    centre: Point | None = None
    sweep: float = 0.0
    corner: bool = False

    @property
    def radius(self) -> float:
        """Of an arc; 0 for a line."""
        return math.dist(self.start, self.centre) if self.centre is not None else 0.0

    @property
    def element(self) -> Line | Arc:
        """As an element of a path."""
        return Line(self.end) if self.centre is None else Arc(self.end, self.centre, self.ccw)

    @property
    def path(self) -> Path:
        """It alone."""
        return Path(self.start, (self.element,))

    @property
    def middle(self) -> Point:
        """Half way along it."""
        return middle_of(self.start, self.element, self.length)[0]

    @property
    def length(self) -> float:
        """Along it."""
        return abs(self.sweep) * self.radius if self.centre is not None else math.dist(self.start, self.end)

    @property
    def ccw(self) -> bool:
        """Way of an arc."""
        return self.sweep > 0

    def direction(self, at_end: bool) -> float:
        """Angle of its way at an end, radians."""
        if self.centre is None:
            return math.atan2(self.end[1] - self.start[1], self.end[0] - self.start[0])
        p = self.end if at_end else self.start
        s = 1.0 if self.ccw else -1.0
        return math.atan2(s * (p[0] - self.centre[0]), -s * (p[1] - self.centre[1]))

    def value(self, key: str) -> float:
        """What a fact of it really is; degrees and unsigned radius, as typed."""
        match key:
            case "x" | "y":
                return self.end["xy".index(key)]
            case "dx" | "dy":
                k = "xy".index(key[1])
                return self.end[k] - self.start[k]
            case "length":
                return self.length
            case "radius":
                return self.radius
            case "sweep":
                return math.degrees(abs(self.sweep))
            case "angle":
                return math.degrees(self.direction(False)) % 360
        assert self.centre is not None
        return self.centre[0] if key == "cx" else self.centre[1]

    def near(self, other: Member) -> bool:
        """Whether it is the same curve."""
        if (self.centre is None) != (other.centre is None):
            return False
        size = Same * max(1.0, abs(self.end[0]), abs(self.end[1]))
        if math.dist(self.start, other.start) > size or math.dist(self.end, other.end) > size:
            return False
        if self.centre is None or other.centre is None:
            return True
        return math.dist(self.centre, other.centre) < size * 10 and abs(self.sweep - other.sweep) < 1e-4


class Answer(Struct, frozen=True):
    """A solved contour; ``off``: by how much redundant facts differ from it: element, key, length.

    ``sharp``: its members before corners were put in, if any were.
    """

    members: tuple[Member, ...]
    off: tuple[tuple[int, Key, float], ...] = ()
    sharp: tuple[Member, ...] = ()

    @property
    def plain(self) -> tuple[Member, ...]:
        """The members that the facts are about: without corners."""
        return self.sharp or self.members

    @property
    def length(self) -> float:
        """Along all of it."""
        return sum(m.length for m in self.members)

    def near(self, other: Answer) -> bool:
        """Whether it is the same contour."""
        return all(a.near(b) for a, b in zip(self.members, other.members, strict=True))

    def path(self) -> Path:
        """As a plane path."""
        return Path(self.members[0].start, tuple(m.element for m in self.members))


def member_of(known: Known, i: int) -> Member:
    """A known element. Its end points are kept; an arc's centre gives way if facts are rounded."""
    chain = known.chain
    a, b = known.joint(i), known.joint(chain.end(i))
    assert a is not None
    assert b is not None
    circle = known.circle(i)
    if circle is None:
        return Member(i, a, b)
    turned = sweep_of(known, i)
    centre = (circle[0], circle[1])
    chord = math.dist(a, b)
    if chord > chain.tolerance:
        ux, uy = (b[0] - a[0]) / chord, (b[1] - a[1]) / chord
        along = (centre[0] - (a[0] + b[0]) / 2) * ux + (centre[1] - (a[1] + b[1]) / 2) * uy
        centre = (centre[0] - along * ux, centre[1] - along * uy)
    return Member(i, a, b, centre, chain.sign[i] * turned)


class Part(Struct, frozen=True):
    """Some solved elements of a chain, and by how much their redundant facts are off."""

    members: tuple[Member, ...]
    off: tuple[tuple[int, Key, float], ...]
    length: float


def part_of(known: Known, elements: Iterable[int], tolerance: float) -> Part | None:
    """Known elements as an answer; ``None`` if they miss a fact by more than ``tolerance``."""
    chain = known.chain
    off: list[tuple[int, Key, float]] = []
    members = []
    for i in elements:
        if not known.done[i] or missed(known, i, tolerance) is not None:
            return None
        if chain.sign[i] and _full_by_chance(known, i):
            return None
        members.append(member_of(known, i))
        for key, value in chain.fact[i].items():
            by = members[-1].value(key) - value
            by = (by + 180) % 360 - 180 if key == "angle" else by
            if abs(by) > 1e-7:
                off.append((i, key, by))
        before = chain.before(i)
        if chain.elements[i].smooth and before >= 0 and known.done[before]:
            turn = directions_at(known, i)[0] - directions_at(known, before)[1]
            turn = abs((turn + math.pi) % math.tau - math.pi)
            if turn * _reach(known, i, before) > tolerance:
                return None
        if i == chain.count - 1 and chain.contour.mirror is not None and not _meets_mirror(known, chain.contour.mirror):
            return None
    return Part(tuple(members), tuple(off), sum(m.length for m in members))


def _meets_mirror(known: Known, mirror: Mirror) -> bool:
    chain = known.chain
    last = known.joint(chain.joints - 1)
    assert last is not None
    a = math.radians(mirror.angle)
    if abs((last[1] - mirror.y) * math.cos(a) - (last[0] - mirror.x) * math.sin(a)) > chain.tolerance:
        return False
    return not mirror.smooth or abs(math.cos(directions_at(known, chain.count - 1)[1] - a)) < 1e-5


def _reach(known: Known, i: int, before: int) -> float:
    """Over which length a turn at a joint shows: the shorter of both neighbours."""
    sizes = []
    for k in (i, before):
        m = member_of(known, k)
        sizes.append(min(m.length, m.radius) if m.centre else m.length)
    return min(sizes)


def _full_by_chance(known: Known, i: int) -> bool:
    """Whether an arc is a full circle, or none at all, although nobody said so."""
    chain = known.chain
    facts = chain.fact[i]
    a, b = known.joint(i), known.joint(chain.end(i))
    assert a is not None
    assert b is not None
    if "sweep" in facts or math.dist(a, b) > chain.tolerance:
        return False
    return not (("x" in facts or "dx" in facts) and ("y" in facts or "dy" in facts)) and chain.count > 1


def mirrored(members: tuple[Member, ...], contour: Contour) -> tuple[Member, ...]:
    """The members with their mirror image appended, run through backwards, if the contour has a mirror."""
    mirror = contour.mirror
    if mirror is None:
        return members
    a = math.radians(mirror.angle)
    c, s = math.cos(2 * a), math.sin(2 * a)

    def put(p: Point) -> Point:
        x, y = p[0] - mirror.x, p[1] - mirror.y
        return (mirror.x + c * x + s * y, mirror.y + s * x - c * y)

    back = [
        Member(m.source, put(m.end), put(m.start), put(m.centre) if m.centre else None, m.sweep)
        for m in reversed(members)
    ]
    return (*members, *back)


def certain_of(known: Known) -> tuple[Member, ...]:
    """The elements that are known already."""
    return tuple(member_of(known, i) for i in range(known.chain.count) if known.done[i])
