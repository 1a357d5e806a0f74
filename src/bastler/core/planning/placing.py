"""Moves planned in a feature's own frame, put where the feature is."""

from __future__ import annotations

import math

from msgspec.structs import replace

from bastler.core.geometry.path import Point
from bastler.core.moves import Feed, Move, Rapid, Turn


def placed(moves: list[Move], at: Point, angle_deg: float) -> list[Move]:
    """Moves turned by ``angle_deg`` about the origin, then shifted to ``at``; Z stays.

    A straight move that gives only one of X and Y has no meaning once turned, so both or none are expected.
    """
    c, s = math.cos(math.radians(angle_deg)), math.sin(math.radians(angle_deg))

    def put(x: float, y: float) -> Point:
        return (at[0] + c * x - s * y, at[1] + s * x + c * y)

    result: list[Move] = []
    for move in moves:
        if isinstance(move, Turn):
            x, y = put(move.x, move.y)
            result.append(replace(move, x=x, y=y, centre=put(*move.centre)))
        elif isinstance(move, Rapid | Feed) and move.x is not None and move.y is not None:
            x, y = put(move.x, move.y)
            result.append(replace(move, x=x, y=y))
        else:
            result.append(move)
    return result
