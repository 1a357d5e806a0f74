"""Closed forms: where conditions on a point, a line or a circle meet.

A *directed line* has the unit normal ``n`` to the left of its way and the offset ``p``: its points fulfil n·P = p.
A *directed circle* has a signed radius, positive counter-clockwise, so that its centre lies ``r`` to the left of every
way along it. Two directed things touch without corner and without reversal exactly if

    line and circle     n·c − p = r
    circle and circle   |c₁ − c₂| = |r₁ − r₂|        (a point is a circle of radius 0)

so every tangent problem is made of linear conditions and one common quadratic form (Laguerre's geometry of directed
circles; Blaschke, Vorlesungen über Differentialgeometrie III, 1929).
"""

from __future__ import annotations

import math

Row = tuple[float, ...]
"""Coefficients of the unknowns, then the constant: their sum is 0."""
POINT = (1.0, 1.0)
"""Signature of the quadratic form for a point: x² + y²."""
CIRCLE = (1.0, 1.0, -1.0)
"""And for a directed circle: cx² + cy² − r²."""
DEPENDENT = 1e-9
CLOSE = 1e-7
"""Two roots nearer than this share of their size come from touching curves."""


def meet(linear: list[Row], quadric: list[Row], signature: tuple[float, ...], tolerance: float) -> list[Row] | None:
    """All points that fulfil the conditions; ``None`` if they leave a freedom.

    ``linear``: rows Σ aᵢvᵢ + k = 0. ``quadric``: rows Σ sᵢvᵢ² + Σ aᵢvᵢ + k = 0 with the common ``signature`` s.
    Conditions beyond those needed must hold within ``tolerance`` (a length); the list is empty if they don't.
    Curves that miss each other by less than that are taken to touch.
    """
    size = len(signature)
    first = quadric[0] if quadric else None
    rows = linear + [tuple(a - b for a, b in zip(q, first, strict=True)) for q in quadric[1:] if first]
    pivots, free = _eliminated(rows, size)
    if pivots is None:
        return []
    if not free:
        point = tuple(-pivots[i][size] for i in range(size))
        return [point] if first is None or _fulfils(first, signature, point, tolerance) else []
    if len(free) > 1 or first is None:
        return None
    (f,) = free
    base = [-pivots[i][size] if i in pivots else 0.0 for i in range(size)]
    way = [-pivots[i][f] if i in pivots else (1.0 if i == f else 0.0) for i in range(size)]
    return _on_line(base, way, first, signature, tolerance)


def _eliminated(rows: list[Row], size: int) -> tuple[dict[int, list[float]] | None, list[int]]:
    """Reduced rows by the unknown that they give, and the unknowns left free; ``None`` for a contradiction 0 = k."""
    work = []
    for row in rows:
        scale = math.sqrt(sum(a * a for a in row[:size]))
        if scale > 0:
            work.append([a / scale for a in row])
    pivots: dict[int, list[float]] = {}
    for _ in range(size):
        best, at, column = DEPENDENT, -1, -1
        for n, candidate in enumerate(work):
            for i in range(size):
                if i not in pivots and abs(candidate[i]) > best:
                    best, at, column = abs(candidate[i]), n, i
        if at < 0:
            break
        chosen = work.pop(at)
        chosen = [a / chosen[column] for a in chosen]
        for other in (*work, *pivots.values()):
            share = other[column]
            if share:
                for i in range(size + 1):
                    other[i] -= share * chosen[i]
        pivots[column] = chosen
    return pivots, [i for i in range(size) if i not in pivots]


def _on_line(base: list[float], way: list[float], q: Row, signature: tuple[float, ...], tolerance: float) -> list[Row]:
    """Where the line ``base + t·way`` meets a quadric."""
    a = sum(s * w * w for s, w in zip(signature, way, strict=True))
    half = sum(s * b * w for s, b, w in zip(signature, base, way, strict=True))
    half += sum(k * w for k, w in zip(q, way, strict=False)) / 2
    c = sum(s * b * b + k * b for s, b, k in zip(signature, base, q, strict=False)) + q[-1]
    size = sum(w * w for w in way)

    def at(t: float) -> Row:
        return tuple(b + t * w for b, w in zip(base, way, strict=True))

    if abs(a) <= DEPENDENT * size:
        return [at(-c / (2 * half))] if abs(half) > 1e-12 else []
    least = at(-half / a)
    spare = half * half - a * c
    if spare <= 0 or spare <= (CLOSE * abs(half)) ** 2:
        if _fulfils(q, signature, least, tolerance / 2):
            return [least]
        if spare <= 0:
            return []
    root = math.sqrt(spare)
    far = -(half + math.copysign(root, half))
    return [at(t) for t in sorted((far / a, c / far if far else far / a))]


def _fulfils(q: Row, signature: tuple[float, ...], v: Row, tolerance: float) -> bool:
    """Whether a point lies on a quadric within a length, to first order; at its very middle, by the radius itself."""
    value = sum(s * x * x + k * x for s, x, k in zip(signature, v, q, strict=False)) + q[-1]
    slope = math.sqrt(sum((2 * s * x + k) ** 2 for s, x, k in zip(signature, v, q, strict=False)))
    return abs(value) <= tolerance * max(slope, tolerance)


def touching(a: tuple[float, float, float], b: tuple[float, float, float]) -> list[tuple[float, float]]:
    """Left normals of the directed lines that touch two directed circles ``(cx, cy, r)``; points have radius 0."""
    dx, dy = b[0] - a[0], b[1] - a[1]
    away = math.hypot(dx, dy)
    if away <= 1e-12:
        return []
    share = (b[2] - a[2]) / away
    rest = 1.0 - share * share
    if rest < 0:
        if away * (abs(share) - 1.0) > 1e-9 * (1 + away):
            return []
        rest, share = 0.0, math.copysign(1.0, share)
    ex, ey, side = dx / away, dy / away, math.sqrt(rest)
    return [(share * ex - s * ey, share * ey + s * ex) for s in ((side, -side) if side else (0.0,))]
