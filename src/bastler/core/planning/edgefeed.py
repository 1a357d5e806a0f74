"""Feeds on arcs: a step's feed is meant where the edge cuts, a program's is that of the tool's centre.

Inside a curve the edge goes farther than the centre: centre feed = edge feed · R / (R + r), with R the radius of the centre's way and r the tool's. So a
bore of D cut by a tool of d feeds (D − d) / D. Round an outside curve it goes less far, by R / (R − r); but less of the tool is in metal there, by the root of
that for thin cuts, and it is the chip that must not get thicker: the centre feeds √(R / (R − r)) as much.
Where the angle of the tool in metal is what a feed was chosen by, as on a helix and with an even load, it is the centre's already: the tool's
disc only moves, and its thickest chip is the centre's feed per tooth by the sine of that angle.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal

from msgspec.structs import replace

from bastler.core.moves import Compensate, Move, Turn

Metal = Literal["right", "left", "both"]
"""On which side of the tool's way it stands."""
LEAST_SHARE, MOST_SHARE = 0.1, 1.5
"""Round the tightest curves the centre hardly moves; and outside no machine is asked for more than this."""


def share_on(turn: Turn, radius: float, metal: Metal, *, by_control: bool = False) -> float:
    """Feed of the centre by that of the edge on an arc. ``by_control``: the arc is the wall's, and the control offsets it."""
    inside = metal == "both" or turn.ccw == (metal == "right")
    path = math.dist((turn.x, turn.y), turn.centre)
    wall = path if by_control else path + radius if inside else path - radius
    centre = path - radius if by_control and inside else path + radius if by_control else path
    if wall <= 0.0:
        return 1.0
    share = centre / wall
    return min(max(share if inside else math.sqrt(share), LEAST_SHARE), MOST_SHARE)


def not_faster(moves: Sequence[Move], *, slower: bool = True) -> list[Move]:
    """Moves that climb and take a whole side step, or more: round outside curves they feed no faster, and with ``slower=False`` in none any slower."""
    return [
        replace(m, centred=True) if isinstance(m, Turn) and not (slower and m.ccw) else m for m in moves
    ]  # fmt: skip


def at_the_edge(moves: Sequence[Move], radius: float, metal: Metal, most: float) -> tuple[Move, ...]:
    """Moves of a tool's centre whose arcs feed so that its edge has the feed that was given, at most what the machine feeds."""
    found, by_control = list[Move](), False
    for one in moves:
        if isinstance(one, Compensate):
            by_control = one.side is not None
        if isinstance(one, Turn) and not one.centred:
            one = replace(one, feed=min(one.feed * share_on(one, radius, metal, by_control=by_control), most))
        found.append(one)
    return tuple(found)
