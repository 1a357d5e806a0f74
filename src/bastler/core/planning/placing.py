"""Moves planned in a feature's own frame, put where the feature is."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec.structs import replace

from bastler.core.geometry.path import Point
from bastler.core.geometry.placement import Placement
from bastler.core.moves import (
    Compensate,
    Curve,
    Either,
    Feed,
    Holes,
    Move,
    Rapid,
    TapCycle,
    ThreadCut,
    ThreadCycle,
    Turn,
    TurnCycle,
)

OTHER_SIDE = {"left": "right", "right": "left", None: None}


def placed(moves: list[Move] | tuple[Move, ...], where: Placement) -> list[Move]:
    """Moves as :class:`Placement` says; Z stays. A straight move that gives only one of X and Y keeps the other."""
    here: Point | None = None
    result: list[Move] = []
    for move in moves:
        if isinstance(move, Turn):
            here = (move.x, move.y)
            x, y = where.point(here)
            result.append(replace(move, x=x, y=y, centre=where.point(move.centre), ccw=move.ccw != where.mirror))
        elif isinstance(move, Rapid | Feed) and (move.x is not None or move.y is not None):
            assert here is not None or (move.x is not None and move.y is not None), "the first move gives X and Y"
            before = here or (0.0, 0.0)
            here = (before[0] if move.x is None else move.x, before[1] if move.y is None else move.y)
            x, y = where.point(here)
            result.append(replace(move, x=x, y=y))
        elif isinstance(move, Holes):
            here = move.points[-1]
            result.append(replace(move, points=tuple(where.point(p) for p in move.points)))
        elif isinstance(move, Compensate) and where.mirror:
            result.append(Compensate(OTHER_SIDE[move.side]))  # type: ignore[arg-type]
        else:
            result.append(move)
    return result


def moved_along(moves: Iterable[Move], by: float) -> list[Move]:
    """A lathe's moves ``by`` mm further along Z."""

    def one(m: Move) -> Move:
        if isinstance(m, Curve):
            return replace(m, z=m.z + by, centre=(m.centre[0] + by, m.centre[1]))
        if isinstance(m, Either):
            return Either(tuple(moved_along(m.short, by)), tuple(moved_along(m.long, by)))
        if isinstance(m, TurnCycle):
            return replace(m, profile=tuple(moved_along(m.profile, by)))
        if isinstance(m, Rapid | Feed | ThreadCut | ThreadCycle | TapCycle) and m.z is not None:
            return replace(m, z=m.z + by)
        return m

    return [one(m) for m in moves]
