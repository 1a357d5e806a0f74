"""Contradictions that a sentence can name exactly: a radius too small, a length that doesn't fit, a point inside a circle."""

from __future__ import annotations

import contextlib
import math

from bastler.core.geometry.contour.chain import Chain
from bastler.core.geometry.contour.facts import Contour, named, shown
from bastler.core.geometry.contour.search import Trouble
from bastler.core.geometry.contour.spread import Dead, Spread


def limit_of(contour: Contour, element: int, tolerance: float) -> Trouble | None:
    """The sentence for one of the well-known cases at or beside an element, if it is one."""
    chain = Chain(contour, tolerance)
    known = Spread(chain)
    known.begin_facts()
    with contextlib.suppress(Dead):
        known.spread()
    near = [i for i in (element, chain.before(element), chain.after(element)) if i >= 0]
    for i in near:
        found = (_arc if chain.sign[i] else _line)(known, i)
        if found is not None:
            return found
    return None


def _ends(known: Spread, i: int) -> tuple[tuple[float, float], tuple[float, float]] | None:
    """Start and end as the facts have them."""
    a, b = known.joint(i), known.joint(known.chain.end(i))
    return None if a is None or b is None else (a, b)


def _arc(known: Spread, i: int) -> Trouble | None:
    contour, facts = known.chain.contour, known.chain.fact[i]
    ends, radius = _ends(known, i), facts.get("radius")
    name = named(contour.elements, i)
    if ends is None or radius is None:
        return None
    apart = math.dist(*ends)
    if radius < apart / 2 - known.chain.tolerance:
        need = shown(contour, "radius", apart / 2)
        return Trouble(i, f"{name}: a radius of at least {need} is needed, for its ends are {shown(contour, 'length', apart)} apart; it is {shown(contour, 'radius', radius)}.", "radius")  # fmt: skip
    cx, cy = facts.get("cx"), facts.get("cy")
    if cx is not None and cy is not None:
        away = math.dist(ends[0], (cx, cy))
        if (
            abs(away - radius) > known.chain.tolerance
            and abs(math.dist(ends[1], (cx, cy)) - away) < known.chain.tolerance
        ):
            return Trouble(i, f"{name}: radius {shown(contour, 'radius', radius)} contradicts its centre, which is {shown(contour, 'length', away)} from both ends. Leave one of them out.", "radius")  # fmt: skip
    return None


def _line(known: Spread, i: int) -> Trouble | None:
    chain = known.chain
    contour, facts = chain.contour, chain.fact[i]
    name = named(contour.elements, i)
    ends, length = _ends(known, i), facts.get("length")
    if ends is not None:
        apart = math.dist(*ends)
        if apart < 1e-6:
            return Trouble(i, f"{name} ends where it starts. Give it another end, or take it out.", "x")
        if length is not None and abs(length - apart) > chain.tolerance:
            return Trouble(i, f"{name}: length {shown(contour, 'length', length)} contradicts the two end points, which are {shown(contour, 'length', apart)} apart. Leave the length out.", "length")  # fmt: skip
    if length is not None and ends is None:
        for key, w in (("dx", known.wx[i]), ("dy", known.wy[i])):
            if w is not None and abs(w) > length + chain.tolerance:
                return Trouble(i, f"{name}: a length of at least {shown(contour, 'length', abs(w))} is needed, for it goes {shown(contour, key, abs(w))} in {'the first axis' if key == 'dx' else 'the second axis'}; it is {shown(contour, 'length', length)}.", "length")  # fmt: skip
    after = chain.after(i)
    start = known.joint(i)
    if start is not None and ends is None and after >= 0 and chain.elements[after].smooth and chain.sign[after]:
        circle = known.circle(after)
        if circle is not None:
            away = math.hypot(circle[0] - start[0], circle[1] - start[1])
            if away < abs(circle[2]) - chain.tolerance:
                return Trouble(after, f"{named(contour.elements, after)}: {name} starts inside its circle, {shown(contour, 'length', away)} from the centre; a radius of at most {shown(contour, 'length', away)} is needed.", "radius")  # fmt: skip
    return None
