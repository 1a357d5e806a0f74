"""Loops round a shape that stays, at one level: from outside the block, on and off by arcs; field names are those of the outside."""

from __future__ import annotations

from bastler.core.cycles.channeling import frame_of, loop_round
from bastler.core.cycles.cornerwise import corner_by_corner, only_corners, reached_in_air
from bastler.core.fields import Values
from bastler.core.geometry.path import Path, Point, path_bounds, rounded_rectangle
from bastler.core.geometry.placement import Placement
from bastler.core.geometry.shapes import rectangle
from bastler.core.moves import Compensate, Feed, Move, Rapid, Turn, follow
from bastler.core.planning.edgefeed import not_faster
from bastler.core.planning.passes import PAST_MM
from bastler.core.planning.work import Work

FITS_MM = 1e-6
LEAD_STEPS = 2.5
AIR_MM = 1.0
"""So far beside the block, beyond its radius, the tool goes down."""


def corners_of(w: Work) -> list[tuple[float, float]]:
    b = w.block
    return [(x, y) for x in (b.x0, b.x1) for y in (b.y0, b.y1)]


def _below(v: Values, w: Work) -> float:
    """A Y in the shape's own frame that surely lies beyond the block, with the tool."""
    back = frame_of(v).inverse()
    lows = [back.point(p)[1] for p in corners_of(w)]
    return float(min(lows) - v.tool.radius - v.run_out)


def _around(v: Values, w: Work) -> Path:
    """Where the tool's centre is a little beside the block, in the shape's own frame: there it may go down at a rapid."""
    b, near = w.block, v.tool.radius + AIR_MM
    box = rounded_rectangle(b.size[0] / 2 + near, b.size[1] / 2 + near, near)
    middle = Placement(((b.x0 + b.x1) / 2, (b.y0 + b.y1) / 2))
    return frame_of(v).inverse().path(middle.path(box))


def round_at(
    v: Values, w: Work, offsets: list[float], approach: float, level: float, *, finish: bool = False
) -> list[Move]:
    """Loops at ``offsets`` from the shape, outermost first, at one level: in from outside the block, and out again."""
    from bastler.core.planning.nest import Stretch, within

    outside, around, above = _below(v, w), _around(v, w), max(approach, level)
    by_control = finish and v.compensation == "control"
    corners = [] if finish else only_corners([loop_round(v, offset).reversed() for offset in offsets], around, v, w)
    moves = corner_by_corner(corners, v, w, above, level) if corners else []
    before: float | None = None
    for offset in offsets[len(corners) :]:
        loop = loop_round(v, 0.0 if by_control else offset).reversed()
        (x, low), apart = loop.start, v.side_step if before is None else before - offset
        # Begun on a wide arc in the clear, it comes into metal along its way and not across it.
        lead = v.lead_radius if finish else max(v.lead_radius, min(LEAD_STEPS * apart, low - outside))
        reach = lead + (offset if by_control else 0.0)
        centre_y = low - reach
        y = min(outside, centre_y - (2.0 if by_control else 0.0))
        if before is None:
            moves += reached_in_air(moves, (x + reach, y), above, level, v, w)
        before = offset
        feed = v.feed_finish if finish else v.feed
        if by_control:
            moves.append(Compensate("left"))
        moves += [
            Feed(x + reach, centre_y, None, feed if by_control else v.feed_air),
            Turn(*loop.start, (x, centre_y), True, feed, None, not finish),
        ]
        for part in (Stretch(loop, False),) if by_control else within(loop, around):
            along = follow(part.path, v.feed_air if part.wide else feed)
            moves += along if finish else not_faster(along)
        over = _past(v) if finish else 0.0
        if over > FITS_MM:
            moves.append(Feed(x - over, low, None, feed))
        moves.append(Turn(x - over - reach, centre_y, (x - over, centre_y), True, feed, None, not finish))
        if by_control:
            moves.append(Compensate(None))
        if offset == offsets[-1]:
            moves.append(Feed(x - over - reach, y, None, v.feed_air))
    return [*moves, Rapid(z=w.clearance)]


def wall_from(v: Values, near: Point, approach: float, level: float) -> list[Move]:
    """The wall's pass at one level, begun near a place that was chosen."""
    from bastler.core.planning.area import Height, lead_for, wall_round, walls_of

    wall, loop = (loop_round(v, by).reversed() for by in (0.0, v.tool.radius))
    x0, x1, y0, y1 = path_bounds(loop)
    far = 4 * (v.tool.diameter + v.lead_radius)
    room = walls_of((*rectangle((x0 - far, x1 + far, y0 - far, y1 + far), 0.0).outlines(), wall))
    lead = lead_for(loop, room, v.tool.radius, v.lead_radius, v.leave_walls, near)
    z = Height(level, max(approach, level), max(approach, level))
    by_control = v.compensation == "control" and lead.radius > 0
    return wall_round(
        wall if by_control else loop, lead, z, v.feed_finish, by_control=v.tool.radius if by_control else 0.0
    )


def _past(v: Values) -> float:
    """How far a wall's pass runs past the place where it began: where that is straight for sure."""
    if v.get("shape", "rectangle") != "rectangle":
        return 0.0
    return float(max(min(PAST_MM, v.length / 2 - v.corner), 0.0))
