"""Canned hole cycles G73, G74, G76, G81 to G86, G89: which moves a control makes of them."""

from __future__ import annotations

from msgspec import Struct

PECKED = (73, 83)
TAPPING = (74, 84)
FEED_OUT = (85, 89)
SHIFTED = 76
CANNED = (73, 74, 76, 81, 82, 83, 84, 85, 86, 89)
WITHOUT_DWELL = (81, 85, 86)
HOLE_LETTERS = {
    73: "ZRQP", 74: "ZRP", 76: "ZRQP", 81: "ZR", 82: "ZRP", 83: "ZRQP", 84: "ZRP", 85: "ZR", 86: "ZR", 89: "ZRP",
}  # fmt: skip
"""What each of them reads besides its place."""
MOST_PECKS = 1000
CHIP_BREAK_BACK_MM = 0.5
PECK_GAP_MM = 0.5


class Hole(Struct, frozen=True):
    """The words of a canned cycle: Z of start plane, of bottom and of return, mm; Q is the peck, or the shift of G76."""

    code: int
    start: float
    bottom: float
    back: float
    q: float = 0.0
    dwell_s: float = 0.0


Action = tuple[str, float]
"""``rapid`` or ``feed`` to a Z, ``dwell`` seconds, ``shift`` along X from the hole's middle, or ``turn`` the other way (-1) and back (1)."""


def hole_actions(hole: Hole) -> list[Action]:
    """What happens at one position, from the start plane to the return plane."""
    actions: list[Action] = [("rapid", hole.start)]
    actions += _pecks(hole) if hole.code in PECKED and hole.q > 0 else [("feed", hole.bottom)]
    if hole.dwell_s > 0:
        actions.append(("dwell", hole.dwell_s))
    if hole.code in TAPPING:
        actions += [("turn", -1.0), ("feed", hole.start), ("turn", 1.0)]
    elif hole.code in FEED_OUT:
        actions.append(("feed", hole.start))
    elif hole.code == SHIFTED:
        return [*actions, ("shift", hole.q), ("rapid", hole.back), ("shift", 0.0)]
    actions.append(("rapid", hole.back))
    return actions


def _pecks(hole: Hole) -> list[Action]:
    actions: list[Action] = []
    z = hole.start
    while z > hole.bottom + 1e-9:
        deeper = max(z - hole.q, hole.bottom)
        if z < hole.start and hole.code == 83:
            actions += [("rapid", hole.start), ("rapid", min(z + PECK_GAP_MM, hole.start))]
        elif z < hole.start:
            actions.append(("rapid", min(z + CHIP_BREAK_BACK_MM, hole.start)))
        actions.append(("feed", deeper))
        z = deeper
    return actions
