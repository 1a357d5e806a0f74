"""How many facts a contour lacks, and where."""

from __future__ import annotations

import time

import numpy as np

from bastler.core.geometry.contour.facts import Contour, brief, named, word
from bastler.core.geometry.contour.groups import Group, group_of
from bastler.core.geometry.contour.known import Known

MOST = 40
"""Larger pieces are counted by their facts alone."""
STARTS = (80, 600, 2500)
"""An example is looked for from so many places before facts are called contradictory."""


def missing_in(known: Known, elements: list[int]) -> tuple[int, list[int]]:
    """Independent facts that a piece lacks, and the elements that could still move."""
    if len(elements) > MOST:
        group = group_of(known, elements)
        return max(group.size - len(group.equations), 1), elements
    group = _whole(known, elements)
    ways = group.freedom()
    if not len(ways):
        return 0, []
    moving = np.abs(ways).max(axis=0) > 1e-7
    loose = {_element(known, u) for u, m in zip(group.unknowns, moving, strict=False) if m}
    angles = {c for c, m in zip(group.angles, moving[len(group.unknowns) :], strict=True) if m}
    loose |= {i for i in elements for d in (known.chain.begin[i], known.chain.finish[i]) if d[0] in angles}
    return len(ways), sorted(i for i in loose if i in elements)


def _whole(known: Known, elements: list[int]) -> Group:
    """The group with every unknown of its elements, also those in no equation."""
    group, chain = group_of(known, elements), known.chain
    for i in elements:
        if known.done[i]:
            continue
        names = ("r", "cx", "cy") if chain.sign[i] else ("length",)
        for name in names:
            group.term(1.0, name, i)
        for j in (i, chain.end(i)):
            group.term(1.0, "x", j)
            group.term(1.0, "y", j)
    return group


def _element(known: Known, unknown: tuple[str, int]) -> int:
    """The element that an unknown belongs to; a joint's, the one that ends there."""
    name, index = unknown
    if name in ("x", "y"):
        before = known.chain.before(index) if index < known.chain.count else index - 1
        return max(before, 0)
    return index


def possible(known: Known, elements: list[int], scale: float, until: float) -> bool:
    """Whether the facts of an open piece can hold together at all, as far as can be told by ``until`` (monotonic s)."""
    if not elements or len(elements) > MOST:
        return True
    group = group_of(known, elements)
    if not group.equations:
        return True
    for count in STARTS:
        if group.examples(scale, known.chain.tolerance, count):
            return True
        if time.monotonic() > until:
            break
    return False


def asked_for(contour: Contour, known: Known, loose: tuple[int, ...], missing: int) -> list[tuple[int, str]]:
    """A sentence at the first element that lacks something: how much, and what would do."""
    if not loose:
        return []
    i = min(loose, key=lambda k: len(contour.elements[k].facts))
    e, chain = contour.elements[i], known.chain
    names: list[str] = []
    end = chain.end(i)
    if known.x[end] is None or known.y[end] is None:
        names.append("its end")
    if e.arc:
        if known.cx[i] is None or known.cy[i] is None:
            names.append("its centre")
        if known.r[i] is None:
            names.append(f"its {word(contour.plane, 'radius')}")
        elif known.direction(chain.finish[i]) is None:
            names.append("its sweep")
    else:
        if known.direction(chain.begin[i]) is None:
            names.append("its angle")
        if known.length[i] is None:
            names.append("its length")
    if not names:
        names = ["its end"]
    what = ", ".join(names[:-1]) + (" or " if len(names) > 1 else "") + names[-1]
    count = "One more fact is" if missing == 1 else f"Still {brief(missing)} facts"
    return [
        (i, f"{count} missing. {'Begin with' if missing > 1 else 'For'} {named(contour.elements, i)}: give {what}.")
    ]
