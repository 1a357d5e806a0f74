"""Canned drilling cycles G73, G81, G82, G83: which moves a control makes of them."""

from __future__ import annotations

from msgspec import Struct

CANNED = (73, 81, 82, 83)
CHIP_BREAK_BACK_MM = 0.5
PECK_GAP_MM = 0.5


class Hole(Struct, frozen=True):
    """The words of a canned cycle: Z of start plane, of bottom and of return, mm; peck 0: none."""

    code: int
    start: float
    bottom: float
    back: float
    peck: float = 0.0
    dwell_s: float = 0.0


Action = tuple[str, float]
"""``rapid`` or ``feed`` to a Z, or ``dwell`` seconds."""


def hole_actions(hole: Hole) -> list[Action]:
    """What happens at one position, from the start plane to the return plane."""
    actions: list[Action] = [("rapid", hole.start)]
    if hole.code in (81, 82) or hole.peck <= 0:
        actions.append(("feed", hole.bottom))
    else:
        z = hole.start
        while z > hole.bottom + 1e-9:
            deeper = max(z - hole.peck, hole.bottom)
            if z < hole.start:
                if hole.code == 83:
                    actions += [("rapid", hole.start), ("rapid", min(z + PECK_GAP_MM, hole.start))]
                else:
                    actions.append(("rapid", min(z + CHIP_BREAK_BACK_MM, hole.start)))
            actions.append(("feed", deeper))
            z = deeper
    if hole.dwell_s > 0:
        actions.append(("dwell", hole.dwell_s))
    actions.append(("rapid", hole.back))
    return actions
