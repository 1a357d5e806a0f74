"""Where the elements of an open contour could be: some of the ways in which their facts hold, to be drawn thinly."""

from __future__ import annotations

import time

from bastler.core.geometry.contour.answers import Member, member_of
from bastler.core.geometry.contour.facts import Contour
from bastler.core.geometry.contour.search import Search
from bastler.core.geometry.contour.spread import Dead

MOST_LOOSE = 4
LONGEST_S = 0.2


def family(contour: Contour, tolerance: float, most: int = 24) -> list[tuple[Member, ...]]:
    """Up to ``most`` examples of each open part, each as the elements that it leaves unknown."""
    from bastler.core.geometry.contour.groups import group_of

    search = Search(contour, tolerance, None, time.monotonic() + LONGEST_S)
    try:
        known = search.base()
    except Dead:
        return []
    found: list[tuple[Member, ...]] = []
    sizes = [abs(v) for name in ("x", "y", "cx", "cy", "r", "length") for v in getattr(known, name) if v is not None]
    scale = max([*sizes, 1.0])
    for piece in search.pieces(known):
        left = [i for i in piece.elements if not known.done[i]]
        if not left or len(left) > MOST_LOOSE:
            continue
        group = group_of(known, left)
        if not group.equations:
            continue
        for settings in group.examples(scale, tolerance)[:most]:
            branch = known.copy()
            for one in settings:
                branch.put(*one)
            try:
                branch.spread()
            except Dead:
                continue
            if all(branch.done[i] for i in left):
                found.append(tuple(member_of(branch, i) for i in left))
    return found
