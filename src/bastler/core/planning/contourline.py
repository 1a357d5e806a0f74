"""A line or arc of a contour typed in one go: ``x24 z-40`` is a line to there.

*Word*: letters and what stands behind them, up to the next blank. Ends and ways along the axes of the plane (``x``, ``y``
or ``z``, with ``d`` before it for a way), ``a`` angle, ``l`` length, ``cw`` and ``ccw`` an arc with its radius, ``t`` smoothly
from the element before, ``r`` and ``c`` the corner at the end rounded or bevelled. Numbers are expressions as in a field.
"""

from __future__ import annotations

import re

from bastler.core.job.document import ElementRecord
from bastler.core.problems import Unusable

_WORD = re.compile(r"(ccw|cw|d?[xyz]|c[xyz](?=[-+.,\d(])|[alrct])(.*)\Z", re.IGNORECASE)
_LETTERS = {"a": "angle", "l": "length", "r": "corner", "c": "chamfer"}
AXES = {"XY": ("x", "y"), "ZX": ("x", "z")}


def typed_element(text: str, plane: str) -> ElementRecord:
    """The element that a line of words means.

    A line that ends at one coordinate alone runs along its axis. Raises :class:`Unusable` with the words that can be typed.
    """
    axes, facts, way, smooth = AXES[plane], {}, "", False
    for word in text.split():
        found = _WORD.match(word)
        if found is None:
            raise Unusable(f"“{word}” isn't known here. {_example(plane)}")
        letters, number = found[1].lower(), found[2]
        if letters == "t" and not number:
            smooth = True
        elif letters in ("cw", "ccw"):
            way = letters
            if number:
                facts["radius"] = number
        elif not number or letters == "t":
            raise Unusable(f"“{word}” lacks its number. {_example(plane)}")
        elif letters[-1] in "xyz" and letters[-1] not in axes:
            raise Unusable(f"“{word}”: this contour lies in {' and '.join(axes).upper()}. {_example(plane)}")
        else:
            facts[_LETTERS.get(letters, letters)] = number
    if not facts and not way:
        raise Unusable(_example(plane))
    if not way and not smooth and len(facts.keys() - {"corner", "chamfer"}) == 1:
        one = next((axis for axis in axes if axis in facts or f"d{axis}" in facts), None)
        if one is not None:
            facts[f"d{axes[1 - axes.index(one)]}"] = "0"
    if way and facts.keys() & {"length", "angle"}:
        raise Unusable("An arc has no length or angle here. Give its radius, its end or its centre.")
    return ElementRecord(type="arc" if way else "line", dir=way, tangent=smooth, facts=facts)  # type: ignore[arg-type]


def _example(plane: str) -> str:
    a, b = AXES[plane]
    return f"Type for example {a}24 {b}-40, a30 l20, or cw12 {a}40 {b}5; behind it r2 or c1 for its corner."
