"""The contour calculator's one question: all answers, or what lacks, or what contradicts, in words."""

from __future__ import annotations

from msgspec.structs import replace

from bastler.core.geometry.contour.facts import Contour
from bastler.core.geometry.contour.search import LONGEST_S, TOLERANCE_MM, Memory, Result, searched


def solve(
    contour: Contour,
    tolerance: float = TOLERANCE_MM,
    memory: Memory | None = None,
    *,
    reasons: bool = True,
    longest_s: float = LONGEST_S,
) -> Result:
    """All answers of a contour (see :func:`searched`). ``reasons=False`` leaves out the search for the contradicting fact."""
    found = searched(contour, tolerance, memory, longest_s)
    wordless = [t for t in found.troubles if not t.text]
    if found.status != "conflict" or not wordless or not reasons:
        return found
    from bastler.core.geometry.contour.explain import explained

    return replace(found, troubles=explained(contour, tolerance, wordless[0].element, wordless[0].key))
