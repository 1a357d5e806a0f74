"""Indexable inserts by ISO 1832 code, and holders by ISO 5608 style.

*Code*: ``CNMG120408``: shape C, clearance N, tolerance M, type G, edge length 12, thickness 04, nose radius 0.8.
*Inscribed circle*: the size behind the edge length; an edge of 12 in shape C is 12.9 long on a circle of 12.7.
*Style*: the third letter of a holder's code, which says at which angle the main edge leads (``PCLNR2525M12``: L, 95°).
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping

from msgspec import Struct

from bastler.core.problems import Unusable

CORNER_DEG: Mapping[str, float] = {
    "A": 85, "B": 82, "C": 80, "D": 55, "E": 75, "H": 120, "K": 55, "L": 90, "M": 86, "O": 135, "P": 108, "R": 0, "S": 90,
    "T": 60, "V": 35, "W": 80,
}  # fmt: skip
"""Angle at the nose by shape letter, ISO 1832 clause 4.1; R is round."""
CLEARANCE_DEG: Mapping[str, float] = {
    "A": 3, "B": 5, "C": 7, "D": 15, "E": 20, "F": 25, "G": 30, "N": 0, "P": 11, "O": 0,
}  # fmt: skip
"""Clearance angle by letter, ISO 1832 clause 4.2; O is special."""
TOLERANCES = "AFCHEGJKLMNU"
TYPES = "NRFAMGWTQUBHCJX"
CIRCLES_MM = (3.97, 4.76, 5.56, 6.35, 7.94, 9.525, 12.7, 15.875, 19.05, 25.4, 31.75)
"""Standard inscribed circles, ISO 1832 table 5."""
REGULAR: Mapping[str, int] = {"T": 3, "S": 4, "P": 5, "H": 6, "O": 8}
"""Corners of the regular shapes."""
TRIGON_EDGE_SHARE = 0.6845
"""Edge length of a trigon (W) as a share of its inscribed circle."""
THICKNESS = re.compile(r"[0-9][0-9]|[A-Z][0-9]")
DIGITS = re.compile(r"[0-9][0-9]")
ROUND_NOSES = ("M0", "00")

STYLE_DEG: Mapping[str, float] = {
    "A": 90, "B": 75, "C": 90, "D": 45, "E": 60, "F": 90, "G": 90, "H": 107.5, "J": 93, "K": 75, "L": 95, "M": 50, "N": 63,
    "P": 117.5, "Q": 107.5, "R": 75, "S": 45, "T": 60, "U": 93, "V": 72.5, "W": 60, "X": 120, "Y": 85,
}  # fmt: skip
"""Cutting edge angle by style letter, ISO 5608 table 3."""
HOLDER = re.compile(r"([A-Z])([A-Z])([A-Z])([A-Z])([RLN])(\d\d)(\d\d)([A-Z])(\d\d)\Z", re.ASCII)


class Insert(Struct, frozen=True):
    """What a code says; mm and degrees. ``corner`` 0: round, of diameter ``edge``."""

    code: str
    shape: str
    corner: float
    clearance: float
    edge: float
    thickness: float
    nose: float


class HolderStyle(Struct, frozen=True):
    """What a holder's code says: the main edge's angle to the feed, hand, and shank, mm."""

    code: str
    shape: str
    lead: float
    hand: str
    height: float
    width: float


def read_insert(text: str) -> Insert:
    """An insert from its ISO 1832 code; raises :class:`Unusable` naming the place that makes no sense."""
    code = re.sub(r"[\s.-]", "", text).upper()

    def wrong(at: int, what: str, known: str) -> Unusable:
        letter = code[at : at + 1]
        has = f"“{letter}” is no {what}" if letter else f"the {what} is missing"
        return Unusable(f"Insert code {text.strip()}: place {at + 1}, {has}. It can be {known}.")

    for at, (what, known) in enumerate(
        (("shape", "".join(CORNER_DEG)), ("clearance", "".join(CLEARANCE_DEG)), ("tolerance", TOLERANCES), ("type", TYPES))
    ):  # fmt: skip
        if code[at : at + 1] not in list(known):
            raise wrong(at, what, ", ".join(known))
    size, thick, nose = code[4:6], code[6:8], code[8:10]
    if not DIGITS.fullmatch(size):
        raise wrong(4, "edge length", "two digits, 06 to 32")
    if not THICKNESS.fullmatch(thick):
        raise wrong(6, "thickness", "two digits or T3")
    shape = code[0]
    if shape == "R":
        if nose not in ROUND_NOSES:
            raise wrong(8, "nose of a round insert", "M0 or 00")
        return Insert(code, shape, 0.0, CLEARANCE_DEG[code[1]], float(size), _thickness(thick), float(size) / 2)
    if not DIGITS.fullmatch(nose):
        raise wrong(8, "nose radius", "two digits, tenths of a millimetre")
    circle = next((c for c in CIRCLES_MM if int(_edge(shape, c)) == int(size)), None)
    if circle is None:
        sizes = ", ".join(sorted({f"{int(_edge(shape, c)):02d}" for c in CIRCLES_MM}))
        raise Unusable(f"Insert code {text.strip()}: shape {shape} has no edge length {size}. It can be {sizes}.")
    return Insert(
        code, shape, CORNER_DEG[shape], CLEARANCE_DEG[code[1]], _edge(shape, circle), _thickness(thick), int(nose) / 10
    )  # fmt: skip


def _thickness(text: str) -> float:
    """``04`` is 4.76, ``T3`` is 3.97: whole millimetres of the inch sizes; the digits are near enough here."""
    return float(text) if DIGITS.fullmatch(text) else float(text[1:]) + 0.97


def _edge(shape: str, circle: float) -> float:
    """Edge length on an inscribed circle."""
    if shape == "W":
        return circle * TRIGON_EDGE_SHARE
    if shape in REGULAR:
        return circle * math.tan(math.pi / REGULAR[shape])
    return circle / math.sin(math.radians(CORNER_DEG[shape]))


def corners_of(shape: str) -> tuple[float, ...]:
    """Angles at the corners of a shape, degrees, beginning at the one that cuts: regular, a trigon (W, six edges), or a parallelogram."""
    first = CORNER_DEG[shape]
    if shape in REGULAR:
        return (first,) * REGULAR[shape]
    if shape == "W":
        return (first, 240 - first) * 3
    return (first, 180 - first) * 2


def read_holder(text: str) -> HolderStyle:
    """A holder from its ISO 5608 code; raises :class:`Unusable` in words."""
    code = re.sub(r"[\s.-]", "", text).upper()
    found = HOLDER.match(code)
    if found is None:
        raise Unusable(
            f"Holder code {text.strip()} isn't of the form PCLNR2525M12: clamp, insert, style, clearance, hand, height, width, length, edge."
        )
    _, shape, style, _, hand, height, width, _, _ = found.groups()
    if shape not in CORNER_DEG:
        raise Unusable(f"Holder code {text.strip()}: “{shape}” is no insert shape. It can be {', '.join(CORNER_DEG)}.")
    if style not in STYLE_DEG:
        raise Unusable(f"Holder code {text.strip()}: “{style}” is no style. It can be {', '.join(STYLE_DEG)}.")
    return HolderStyle(code, shape, STYLE_DEG[style], hand, float(height), float(width))
