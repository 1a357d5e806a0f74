"""Lathe tools in the plane that they cut in.

*Plane*: (z, r), millimetres; +Z away from the chuck, +r away from the axis. *Reference point*: the place that the control
steers, here the origin; the theoretical corner of a turning tool, the left corner of a blade (towards the chuck), the
point of a threading tool. *Edge*: what cuts: a convex polygon, the *skeleton*, rolled by the nose radius. *Body*: convex
polygons that must touch nothing. *Reach*: which way from the holder the edge points: ``out`` towards the axis on the
outside, ``in`` away from the axis in a bore, ``face`` along the axis.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Literal

from msgspec import Struct
from msgspec.structs import replace

from bastler.core.geometry.path import Point
from bastler.core.tooling.inserts import Insert, corners_of

Polygon = tuple[Point, ...]
Reach = Literal["out", "in", "face"]
Hand = Literal["right", "left", "neutral"]
SEAT_SHARE = 0.55
"""Of an insert this share stands free of its seat, measured from the nose."""
SEAT_BACK_MM = 0.6
NECK_SHARE = 0.8
"""A neutral tool's neck widens to its shank within this share of the shank."""
BODY_RELIEF_SHARE = 0.08
"""A blade is thinner behind its edge by this share of its width on each side."""
PLUNGE_SKELETON_MM = 1e-4
CLAMP_BESIDE_MM = 15.0
"""What clamps a bar stands out beside it by half the bar, at least by so much."""
FINGER_MM = 4.0
FINGER_SHARE = 0.2


class Cutter(Struct, frozen=True):
    """The outline of a lathe tool about its reference point.

    ``tip``: where the reference point lies from the nose's centre, in nose radii along z and r. ``second``: the other
    point a blade may be measured at. ``plunges``: whether it may feed straight down on its whole width. ``lean``: by how
    many degrees a blade points towards the chuck instead of straight, below 0 away from it.
    """

    skeleton: Polygon
    nose: float
    body: tuple[Polygon, ...]
    tip: tuple[int, int]
    reach: Reach
    second: Point | None = None
    plunges: bool = False
    lean: float = 0.0

    @property
    def nose_centre(self) -> Point:
        """From the reference point."""
        return (-self.tip[0] * self.nose, -self.tip[1] * self.nose)

    @property
    def past(self) -> float:
        """How far a blade at the outside goes past the axis until all of its edge does: its corner, and what it slants."""
        left = min(z for z, _ in self.skeleton)
        return min(r for z, r in self.skeleton if z == left)

    def mirrored(self) -> Cutter:
        """The same tool on the other side of the axis."""

        def flip(p: Polygon) -> Polygon:
            return tuple((z, -r) for z, r in reversed(p))

        turned: Reach = {"out": "in", "in": "out", "face": "face"}[self.reach]  # type: ignore[assignment]
        second = (self.second[0], -self.second[1]) if self.second else None
        return Cutter(
            flip(self.skeleton), self.nose, tuple(flip(b) for b in self.body), (self.tip[0], -self.tip[1]), turned, second,
            self.plunges, self.lean,
        )  # fmt: skip

    def outline(self, chord: float = 0.001) -> Polygon:
        """The cutting edge as one convex polygon, its roundings as chords that lie ``chord`` mm inside at most."""
        return _outline(self.skeleton, self.nose, chord)

    def extent(self) -> tuple[float, float, float, float]:
        """z0, z1, r0, r1 of all of it."""
        return _extent(self.skeleton, self.nose, self.body)


@lru_cache(maxsize=512)
def extent(points: Polygon) -> tuple[float, float, float, float]:
    """z0, z1, r0, r1 of points."""
    zs, rs = [p[0] for p in points], [p[1] for p in points]
    return (min(zs), max(zs), min(rs), max(rs))


@lru_cache(maxsize=256)
def _extent(skeleton: Polygon, nose: float, body: tuple[Polygon, ...]) -> tuple[float, float, float, float]:
    return extent((*_outline(skeleton, nose, 0.05), *(p for b in body for p in b)))


@lru_cache(maxsize=256)
def _outline(skeleton: Polygon, nose: float, chord: float) -> Polygon:
    if nose <= 0:
        return skeleton
    count = arc_count(nose, math.tau, chord)
    turns = [math.tau * k / count for k in range(count)]
    return hull([(z + nose * math.cos(t), r + nose * math.sin(t)) for z, r in skeleton for t in turns])


def arc_count(radius: float, sweep: float, chord: float) -> int:
    """How many chords keep within ``chord`` mm of an arc."""
    step = 2 * math.acos(max(1 - chord / max(radius, chord), 0.5))
    return max(math.ceil(abs(sweep) / step), 2)


def hull(points: list[Point]) -> Polygon:
    """Convex hull, counter-clockwise (Andrew's monotone chain)."""
    every = sorted(set(points))
    if len(every) < 3:
        return tuple(every)

    def half(ps: list[Point]) -> list[Point]:
        out: list[Point] = []
        for p in ps:
            while len(out) > 1 and _turn(out[-2], out[-1], p) <= 0:
                out.pop()
            out.append(p)
        return out[:-1]

    return (*half(every), *half(every[::-1]))


def _turn(a: Point, b: Point, c: Point) -> float:
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])


def turning_cutter(insert: Insert, lead: float, hand: Hand, shank: float, overhang: float) -> Cutter:
    """An outside turning tool: ``lead`` is the angle between main edge and feed, degrees; ``shank`` its width, mm.

    A right-hand one cuts towards the chuck. Its main edge rises from the nose at 180° − lead, the other one at the
    corner angle less (DIN 6581). A neutral one is symmetrical about a line across the axis.
    """
    skeleton = _skeleton(insert, lead, hand)
    tip = (0 if hand == "neutral" or insert.corner == 0 else -1, -1)
    shift = (-tip[0] * insert.nose, -tip[1] * insert.nose)
    skeleton = tuple((z + shift[0], r + shift[1]) for z, r in skeleton)
    body = _shank(skeleton, insert.nose, shank, overhang, neutral=hand == "neutral" or insert.corner == 0)
    right = Cutter(skeleton, insert.nose, (body,), tip, "out")
    return right if hand != "left" else _left(right)


def _skeleton(insert: Insert, lead: float, hand: Hand) -> Polygon:
    """The insert less its nose radius, the nose's centre at the origin; right hand or neutral."""
    if insert.corner == 0:
        return ((0.0, 0.0),)
    main = 90 + insert.corner / 2 if hand == "neutral" else 180 - lead
    corners = corners_of(insert.shape)
    angles, lengths = [main], [_inset(insert, corners, 0)]
    for k in range(1, len(corners) - 1):
        angles.append(angles[-1] - (180 - corners[k]))
        lengths.append(_inset(insert, corners, k))
    at, points = (0.0, 0.0), [(0.0, 0.0)]
    for angle, length in zip(angles, lengths, strict=True):
        along = _along(angle)
        at = (at[0] + along[0] * length, at[1] + along[1] * length)
        points.append(at)
    return hull(points)


def _inset(insert: Insert, corners: tuple[float, ...], k: int) -> float:
    """Edge k of an insert's outline moved in by the nose radius: it loses r·cot(ε/2) at both of its corners ε."""
    ends = (corners[k], corners[(k + 1) % len(corners)])
    lost = sum(insert.nose / math.tan(math.radians(e / 2)) for e in ends)
    return max(insert.edge - lost, PLUNGE_SKELETON_MM)


def _along(angle: float) -> Point:
    return (math.cos(math.radians(angle)), math.sin(math.radians(angle)))


def _shank(skeleton: Polygon, nose: float, shank: float, overhang: float, *, neutral: bool) -> Polygon:
    """The seat under the insert's far part, and the shank that goes out from there, as one convex body."""
    zs, rs = [p[0] for p in skeleton], [p[1] for p in skeleton]
    middle = (sum(zs) / len(zs), sum(rs) / len(rs))
    seat = [
        (z + (middle[0] - z) * (1 - SEAT_SHARE), r + (middle[1] - r) * (1 - SEAT_SHARE))
        for z, r in skeleton
        if r > middle[1] - nose
    ] or [middle]
    low = max(min(r for _, r in seat), middle[1]) + (nose / 2 if len(skeleton) == 1 else 0.0)
    left = (middle[0] - shank / 2) if neutral else min(zs) - nose + SEAT_BACK_MM
    root = max(rs) + nose + (NECK_SHARE * shank if neutral else 0.0)
    return hull(
        [
            *((z, max(r, low)) for z, r in seat),
            (left, root),
            (left + shank, root),
            (left, overhang),
            (left + shank, overhang),
        ]
    )


def _left(right: Cutter) -> Cutter:
    """The same tool for the other feed direction."""

    def flip(p: Polygon) -> Polygon:
        return tuple((-z, r) for z, r in reversed(p))

    return Cutter(
        flip(right.skeleton), right.nose, tuple(flip(b) for b in right.body), (-right.tip[0], right.tip[1]), right.reach
    )


def boring_cutter(insert: Insert, lead: float, hand: Hand, bar: float, smallest: float, length: float) -> Cutter:
    """A boring bar along the axis whose nose points outwards; ``smallest``: bore it fits into before it cuts, mm."""
    right = turning_cutter(insert, lead, "left" if hand == "left" else "right", 1.0, 1.0)
    skeleton = tuple((z, -r) for z, r in reversed(right.skeleton))
    edge = Cutter(skeleton, insert.nose, (), (right.tip[0], 1), "in")
    lowest = min(p[0] for p in edge.outline(0.05))
    top = -max((smallest - bar) / 2, 0.0)
    back = lowest + max(SEAT_BACK_MM, 0.1 * insert.edge)
    low = min(min(r for _, r in edge.outline(0.05)), top)
    bodies = (
        (
            (back, top - bar),
            (length, top - bar),
            (length, top),
            (back + insert.edge, top),
            (back, max(low, top - bar / 2)),
        ),
        _clamp(length, top - bar, bar),
    )
    return Cutter(skeleton, insert.nose, tuple(hull(list(b)) for b in bodies), edge.tip, "in")


def blade_cutter(
    width: float,
    corner: float,
    deep: float,
    reach: Reach,
    shank: float,
    overhang: float,
    lean: float = 0.0,
    slant: float = 0.0,
) -> Cutter:
    """A grooving or parting blade ``width`` wide that goes ``deep`` mm; its left corner is the reference point.

    ``lean``: degrees that it points towards the chuck instead of straight at the axis or at a bore's wall. ``slant``: degrees
    that its edge rises towards the chuck, so that its corner beside the part comes through first.
    """
    c = min(corner, width / 2)
    rise = (width - 2 * c) * math.tan(math.radians(slant))
    top = max(width, 2 * c) + rise
    skeleton = hull([(c, c + rise), (width - c, c), (c, top), (width - c, top)])
    thin = BODY_RELIEF_SHARE * width
    behind = width / 2 + rise
    blade: Polygon = ((thin, behind), (width - thin, behind), (width - thin, deep), (thin, deep))
    half = shank / 2
    root: Polygon = (
        (width / 2 - half, deep),
        (width / 2 + half, deep),
        (width / 2 + half, deep + overhang),
        (width / 2 - half, deep + overhang),
    )
    out = Cutter(skeleton, c, (blade, root), (-1, -1), "out", (width, 0.0), plunges=True)
    if lean and reach != "face":
        return _leaning(out, lean, reach, shank, overhang)
    if reach == "out":
        return out
    if reach == "in":
        neck: Polygon = tuple((z, -r) for z, r in reversed(blade))
        edge = out.mirrored()
        return Cutter(
            edge.skeleton, c, (neck, *_bar(thin, shank, deep, overhang)), edge.tip, "in", edge.second, plunges=True
        )

    def turn(p: Polygon) -> Polygon:
        """A blade that points along −Z; its outer corner is the reference point."""
        return tuple((r, -z) for z, r in p)

    return Cutter(
        hull(list(turn(skeleton))),
        c,
        tuple(hull(list(turn(b))) for b in (blade, root)),
        (-1, 1),
        "face",
        (0.0, -width),
        plunges=True,
    )


def _leaning(straight: Cutter, lean: float, reach: Reach, shank: float, overhang: float) -> Cutter:
    """A straight outside blade leant over; where the tangents to its edge along X and Z meet is its reference point."""
    cos, sin = math.cos(math.radians(abs(lean))), math.sin(math.radians(abs(lean)))

    def lay(p: Polygon) -> list[Point]:
        return [(cos * z + sin * r, cos * r - sin * z) for z, r in p]

    edge, blade = lay(straight.skeleton), lay(straight.body[0])
    left, low = (min(p[k] for p in edge) - straight.nose for k in (0, 1))
    edge, blade = ([(z - left, r - low) for z, r in shape] for shape in (edge, blade))
    back, high = min(z for z, _ in blade[2:]), min(r for _, r in blade[2:])
    root: list[Polygon] = [
        ((back, high), (back + shank, high), (back + shank, high + overhang), (back, high + overhang))
    ]
    if reach == "in":
        root = [tuple((z, -r) for z, r in part) for part in _bar(back, shank, high, overhang)]
    right = Cutter(
        hull(edge),
        straight.nose,
        tuple(hull(list(p)) for p in (blade, *root)),
        (-1, -1),
        "out",
        plunges=True,
        lean=abs(lean),
    )
    one = right if lean > 0 else replace(_left(right), plunges=True, lean=lean)
    return one.mirrored() if reach == "in" else one


def _bar(front: float, bar: float, below: float, length: float) -> tuple[Polygon, Polygon]:
    """A bar along the axis whose upper side lies ``below`` a tool's point, and the clamp behind it."""
    low, top, back = -below - bar, -below, max(length, front + bar / 2)
    return (((front, low), (back, low), (back, top), (front, top)), _clamp(back, low, bar))


def _clamp(front: float, low: float, bar: float) -> Polygon:
    """What holds a bar whose lower side is there."""
    beside = max(bar / 2, CLAMP_BESIDE_MM)
    below, above, back = low - beside, low + bar + beside, front + bar
    return ((front, below), (back, below), (back, above), (front, above))


def thread_cutter(pitch: float, angle: float, flat: float, reach: Reach, shank: float, overhang: float) -> Cutter:
    """A threading insert: a tooth of ``angle`` degrees with a ``flat`` at its point, deep enough for ``pitch``."""
    slope = math.tan(math.radians(angle / 2))
    high = pitch
    half = flat / 2 + high * slope
    skeleton = hull([(-flat / 2, 0.0), (flat / 2, 0.0), (half, high), (-half, high)])
    wide = max(2 * half, 0.5 * shank)
    body: Polygon = (
        (-half, high),
        (half, high),
        (wide, high + wide - half),
        (wide, overhang),
        (-wide, overhang),
        (-wide, high + wide - half),
    )
    out = Cutter(skeleton, 0.0, (hull(list(body)),), (0, -1), "out", plunges=True)
    if reach == "out":
        return out
    edge = out.mirrored()
    return Cutter(edge.skeleton, 0.0, _bar(-half, shank, high, overhang), edge.tip, "in", plunges=True)


def axis_cutter(silhouette: tuple[Point, ...], cutting_length: float) -> Cutter:
    """A drill or tap on the axis, from its half outline ``(radius, height over the tip)``: it points along −Z."""
    edge = [p for p in silhouette if p[1] <= cutting_length + 1e-9]
    wide, high = max(p[0] for p in edge), max(p[1] for p in edge)
    skeleton = hull([(h, s * r) for r, h in [*edge, (wide, max(high, cutting_length))] for s in (1, -1)])
    rest = [p for p in silhouette if p[1] >= cutting_length - 1e-9 and p[0] > 0]
    bodies = tuple(
        ((a[1], -a[0]), (b[1], -b[0]), (b[1], b[0]), (a[1], a[0]))
        for a, b in zip(rest, rest[1:], strict=False)
        if b[1] > a[1] + 1e-9
    )
    return Cutter(skeleton, 0.0, bodies, (0, 0), "face", plunges=True)


def puller_cutter(bar: float, deep: float, length: float) -> Cutter:
    """Fingers that slide ``deep`` mm over the end of a ``bar``, the plate behind them; the middle of their mouth is the reference
    point; it cuts nothing."""
    inner, outer = bar / 2, bar / 2 + max(FINGER_MM, FINGER_SHARE * bar)
    finger: Polygon = ((0.0, inner), (deep, inner), (deep, outer), (0.0, outer))
    plate: Polygon = ((deep, -outer), (deep + length, -outer), (deep + length, outer), (deep, outer))
    other: Polygon = tuple((z, -r) for z, r in reversed(finger))
    return Cutter(((deep, -inner), (deep, inner)), 0.0, (finger, other, plate), (0, 0), "face")


def stop_cutter(face: float, length: float) -> Cutter:
    """A stop that the bar comes against: its flat face, whose middle is the reference point; it cuts nothing."""
    half = face / 2
    plate: Polygon = ((0.0, -half), (length, -half), (length, half), (0.0, half))
    return Cutter(((0.0, -half), (0.0, half)), 0.0, (plate,), (0, 0), "face")
