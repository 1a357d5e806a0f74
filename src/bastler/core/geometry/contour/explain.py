"""Which fact contradicts the others, what it would have to be, and which one to leave out."""

from __future__ import annotations

import time

from msgspec.structs import replace

from bastler.core.geometry.contour.facts import Contour, Element, named, shown, word
from bastler.core.geometry.contour.search import Result, Trouble, searched

LONGEST_S = 0.6
EACH_S = 0.2


def explained(contour: Contour, tolerance: float, element: int, key: str) -> tuple[Trouble, ...]:
    """The best single fact to change, as a sentence at its element; near the place where the search failed first."""
    from bastler.core.geometry.contour.limits import limit_of

    until = time.monotonic() + LONGEST_S
    said = limit_of(contour, element, tolerance)
    if said is not None:
        return (said,)
    best: tuple[float, Trouble] | None = None
    for i, fact in _candidates(contour, element, key):
        if time.monotonic() > until:
            break
        rest = _without(contour, i, fact)
        result = searched(rest, tolerance, longest_s=EACH_S)
        if result.status == "conflict":
            continue
        trouble, cost = _would_be(contour, i, fact, result)
        cost += 0.1 * abs(i - element) + (0.0 if fact == key and i == element else 0.05)
        if best is None or cost < best[0]:
            best = (cost, trouble)
    if best is not None:
        return (best[1],)
    name = named(contour.elements, element)
    return (
        Trouble(element, f"The facts of {name} and its neighbours contradict each other. Take one of them out.", key),
    )


def _candidates(contour: Contour, element: int, key: str) -> list[tuple[int, str]]:
    """Facts, the nearest to the element first; ends are trusted longest."""
    n = len(contour.elements)
    found = []
    for i, e in enumerate(contour.elements):
        away = abs(i - element)
        if contour.closed:
            away = min(away, n - away)
        keys: list[str] = [f.key for f in e.facts] + (["smooth"] if e.smooth else [])
        for k in keys:
            found.append(((away, k != key, k in ("x", "y")), i, k))
    return [(i, k) for _, i, k in sorted(found, key=lambda f: f[0])]


def _without(contour: Contour, i: int, key: str) -> Contour:
    elements = list(contour.elements)
    elements[i] = elements[i].without(key)
    return replace(contour, elements=tuple(elements))


def _would_be(contour: Contour, i: int, key: str, result: Result) -> tuple[Trouble, float]:
    """The sentence for one fact, and how well it explains: small is good."""
    e = contour.elements[i]
    name = named(contour.elements, i)
    if key == "smooth":
        return Trouble(
            i,
            f"{name} can't leave {named(contour.elements, i - 1)} smoothly with these facts. Leave out smooth, or change one.",
            key,
        ), 3.0
    value = e.get(key)  # type: ignore[arg-type]
    assert value is not None
    text = f"{name}: {word(contour.plane, key)} {shown(contour, key, value)} contradicts {_others(e, key)}"
    if result.status == "open":
        return Trouble(i, f"{text}. Leave it out or change it.", key), 2.0
    real = min((a.members[i].value(key) for a in result.answers), key=lambda v: abs(v - value))
    return Trouble(i, f"{text}; it would have to be {shown(contour, key, real)}. Leave it out or change it.", key), (
        0.5 if key in ("x", "y") else 0.0
    ) + min(abs(real - value) / (1 + abs(value)), 1.0)


def _others(e: Element, key: str) -> str:
    return "the two end points" if key == "length" else "the other facts"
