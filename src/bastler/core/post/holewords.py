"""Holes in G-code: which canned cycle of a dialect does one, or the plain moves that do the same."""

from __future__ import annotations

from bastler.core.moves import Bore, Drill, Dwell, Feed, Move, Rapid, Tap, TurnSpindle
from bastler.core.post.dialect import HoleWords


def canned(move: Drill | Bore | Tap, table: HoleWords) -> str:
    """The template of the cycle that makes exactly these holes; empty if the dialect has none."""
    match move:
        case Tap():
            return table.tap_left if move.left else table.tap_right
        case Bore(leave="feed"):
            return table.feed_out_dwell if move.dwell_s > 0 else table.feed_out
        case Bore(leave="stop"):
            return table.stop_out if move.dwell_s <= 0 else ""
        case Bore():
            return table.shift_out
        case Drill(pecks=None):
            return "" if move.slow_depth > 0 else table.dwell if move.dwell_s > 0 else table.straight
        case _:
            assert move.pecks is not None
            wanting = (not move.pecks.even and not table.uneven_pecks) or (
                move.dwell_s > 0 and not table.pecks_with_dwell
            )
            if wanting or move.slow_depth > 0:
                return ""
            return table.retract if move.pecks.retract else table.chip


def written_out(move: Drill | Bore | Tap, table: HoleWords) -> list[Move]:
    """Plain moves that make the holes, each from above and back to ``move.back``."""
    moves: list[Move] = []
    for x, y in move.points:
        moves += [Rapid(x, y), Rapid(z=move.start)]
        if isinstance(move, Drill):
            moves += _drilled(move, table)
        elif isinstance(move, Bore):
            moves += _bored(move, x, y)
        else:
            moves += _tapped(move)
        if move.back > move.start:
            moves.append(Rapid(z=move.back))
    return moves


def _drilled(d: Drill, table: HoleWords) -> list[Move]:
    moves: list[Move] = []
    z = d.start
    if d.slow_depth > 0:
        z = max(d.start - d.slow_depth, d.bottom)
        moves.append(Feed(None, None, z, d.slow_feed))
    retract = d.pecks is not None and d.pecks.retract
    first = True
    for depth in d.pecks.depths(z, d.bottom) if d.pecks else [d.bottom]:
        if z < d.start and retract and not (first and d.slow_depth > 0):
            moves += [Rapid(z=d.start), Rapid(z=min(z + table.peck_gap, d.start))]
        elif z < d.start and not first:
            moves.append(Feed(None, None, min(z + table.chip_break_back, d.start), d.feed))
        moves.append(Feed(None, None, depth, d.feed))
        z, first = depth, False
    return [*moves, *_wait(d.dwell_s), Rapid(z=d.start)]


def _bored(b: Bore, x: float, y: float) -> list[Move]:
    moves: list[Move] = [Feed(None, None, b.bottom, b.feed), *_wait(b.dwell_s)]
    if b.leave == "feed":
        return [*moves, Feed(None, None, b.start, b.feed)]
    if b.leave == "stop":
        return [*moves, TurnSpindle("stop"), Rapid(z=b.start), TurnSpindle("right")]
    return [*moves, TurnSpindle("orient"), Rapid(x + b.shift, y), Rapid(z=b.start), Rapid(x, y), TurnSpindle("right")]


def _tapped(t: Tap) -> list[Move]:
    feed = t.pitch * t.speed
    forward, back = TurnSpindle("left" if t.left else "right"), TurnSpindle("right" if t.left else "left")
    return [
        Feed(None, None, t.bottom, feed), *_wait(t.dwell_s), back, Feed(None, None, t.start, feed), forward,
    ]  # fmt: skip


def _wait(seconds: float) -> list[Move]:
    return [Dwell(seconds)] if seconds > 0 else []
