"""What known elements measure, beside what is said of them."""

from __future__ import annotations

import math

from bastler.core.geometry.contour.facts import SHORTEST, Key
from bastler.core.geometry.contour.known import Known


def measured(known: Known, i: int, key: Key) -> float:
    """What a fact of a known element really is; degrees and unsigned radius, as typed."""
    chain = known.chain
    a, b = known.joint(i), known.joint(chain.end(i))
    assert a is not None
    assert b is not None
    match key:
        case "x":
            return b[0]
        case "y":
            return b[1]
        case "dx":
            return b[0] - a[0]
        case "dy":
            return b[1] - a[1]
        case "length":
            return math.dist(a, b)
        case "angle":
            return math.degrees(math.atan2(b[1] - a[1], b[0] - a[0]))
    circle = known.circle(i)
    assert circle is not None
    match key:
        case "radius":
            return abs(circle[2])
        case "cx":
            return circle[0]
        case "cy":
            return circle[1]
    return math.degrees(sweep_of(known, i))


def sweep_of(known: Known, i: int) -> float:
    """Angle that a known arc turns through, radians, above 0 and at most a full turn."""
    chain = known.chain
    a, b, circle = known.joint(i), known.joint(chain.end(i)), known.circle(i)
    assert a is not None
    assert b is not None
    assert circle is not None
    start = math.atan2(a[1] - circle[1], a[0] - circle[0])
    turned = (math.atan2(b[1] - circle[1], b[0] - circle[0]) - start) * chain.sign[i] % math.tau
    near = chain.tolerance / max(abs(circle[2]), chain.tolerance)
    stated = chain.fact[i].get("sweep")
    if min(turned, math.tau - turned) < near:
        if stated is not None:
            return math.tau if stated > 180 else turned % (math.tau - near)
        return math.tau if math.dist(a, b) < chain.tolerance else turned
    return turned


def missed(known: Known, i: int, allowed: float) -> tuple[str, float] | None:
    """The first fact that a known element doesn't fulfil within a length: key and by how much."""
    chain = known.chain
    a, b = known.joint(i), known.joint(chain.end(i))
    assert a is not None
    assert b is not None
    circle = known.circle(i)
    reach = abs(circle[2]) if circle is not None else math.dist(a, b)
    if reach < SHORTEST:
        return ("length" if circle is None else "radius", 0.0)
    for key, value in chain.fact[i].items():
        by = measured(known, i, key) - value
        if key in ("angle", "sweep"):
            by = ((by + 180) % 360 - 180) if key == "angle" else by
            by = math.radians(by) * reach
        if abs(by) > allowed:
            return (key, abs(by))
    if circle is not None:
        for point in (a, b):
            by = abs(math.hypot(point[0] - circle[0], point[1] - circle[1]) - abs(circle[2]))
            if by > allowed:
                return ("radius", by)
        if chain.sign[i] * circle[2] < 0:
            return ("radius", abs(circle[2]))
    for angle, d in zip(directions_at(known, i), (chain.begin[i], chain.finish[i]), strict=True):
        wanted = known.direction(d)
        if wanted is not None:
            off = abs((angle - wanted + math.pi) % math.tau - math.pi)
            if off * reach > allowed:
                return ("smooth" if chain.elements[i].smooth else "angle", off * reach)
    return None


def directions_at(known: Known, i: int) -> tuple[float, float]:
    """Directions at both ends of a known element, from its points, radians."""
    chain = known.chain
    a, b = known.joint(i), known.joint(chain.end(i))
    assert a is not None
    assert b is not None
    circle = known.circle(i)
    if circle is None:
        along = math.atan2(b[1] - a[1], b[0] - a[0])
        return (along, along)
    s = chain.sign[i]
    first, last = (math.atan2(-s * (circle[0] - p[0]), s * (circle[1] - p[1])) for p in (a, b))
    return (first, last)
