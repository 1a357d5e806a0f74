"""What pockets share, rectangular or round: fields, clearing from the middle outwards, finishing.

All is planned in the pocket's own frame (origin in its middle, the longer side along X) and placed at
the end; the tool's centre never leaves the outline offset by its radius. A cycle hands over its answers,
whose field names are those of :data:`CUT_FIELDS` and :data:`ENTRY_FIELDS`, and its :class:`Size`.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial

from msgspec import Struct

from bastler.core.cycles import loading
from bastler.core.cycles.base import NOT_NEGATIVE, PASS, Pick, speed_fields
from bastler.core.cycles.joints import joint_field, joint_of
from bastler.core.fields import Field, Suggest, Suggestion, Values
from bastler.core.geometry.path import Path, Point, rounded_rectangle
from bastler.core.geometry.placement import Placement
from bastler.core.geometry.shapes import Removal
from bastler.core.moves import Compensate, Feed, Move, Rapid, Turn, follow
from bastler.core.planning import entry, rest
from bastler.core.planning.clearing import loops
from bastler.core.planning.edgefeed import not_faster
from bastler.core.planning.passes import PAST_MM, levels
from bastler.core.planning.work import ABOVE_METAL_MM, Work
from bastler.core.quantities import Kind, Limits, show
from bastler.core.tooling.tools import Tool

LIFT_MM = 1.0
START_MM = 0.3
USUAL_LEAVE_MM = 0.2
ROUND_SHARE = 1.2
"""A tool for a round pocket is at most this share of its radius thick, so that it gets down by a helix and has room to go round."""
LOOPS_SHARE = 0.8
"""Loops are suggested at most this share of the flat radius apart."""
FITS_MM = 1e-6
MILLS = ("end-mill",)


class Size(Struct, frozen=True):
    """Half of the longer and of the shorter side, and the corner radius; a round pocket is all corner.

    ``left_radius``: only what a larger tool left in the corners with this radius is cut.
    """

    a: float
    b: float
    corner: float
    left_radius: float = 0.0

    @property
    def round(self) -> bool:
        """Whether it is a circle."""
        return self.corner >= self.a - FITS_MM


def left_on(v: Values, part: str) -> float:
    """What stays on walls or floor in the end, mm."""
    return 0.0 if v.get(f"finish_{part}", True) else float(v.get(f"leave_{part}", 0.0))


def _room(v: Values, size: Size) -> tuple[float, float]:
    """Half sizes that the tool's centre may use while roughing."""
    offset = v.tool.radius + v.get("leave_walls", USUAL_LEAVE_MM)
    return size.a - offset, size.b - offset


def helix_radius(v: Values, size: Size) -> float:
    """Radius of the way down by helix, 0 if there is no room."""
    return entry.helix_radius(v.tool.flat_radius, min(_room(v, size)))


def ramp_length(v: Values, size: Size) -> float:
    """Length of the way down by ramp, 0 if there is no room."""
    a, b = _room(v, size)
    return entry.ramp_length(v.tool.diameter, 2 * max(a, b)) if min(a, b) >= -FITS_MM else 0.0


def lead_of(v: Values, size: Size) -> float:
    """Radius of the arc on which the tool's centre runs onto the wall, as far as there is room."""
    return float(min(v.lead_radius, 0.9 * (size.a - v.tool.radius), 0.9 * (size.b - v.tool.radius)))


def moves(v: Values, w: Work, size: Size, removal: Removal, place: Placement) -> list[Move]:
    """The whole pocket in its own frame, which has its ``place``, from above clearance height to just over its floor."""
    bottom = v.top - v.depth
    high = w.top_over(removal.bounds())
    if size.left_radius:
        return _rest(v, w, size, high, bottom)
    rough_floor = bottom + v.leave_floor
    result: list[Move] = []
    z, top = high + ABOVE_METAL_MM, high
    heights = levels(high, rough_floor, v.depth_per_pass) if v.rough else []
    floor = bottom + left_on(v, "floor")
    own_floor = bool(v.finish_floor and heights and v.leave_floor > 0)
    if v.finish_floor and (not heights or v.leave_floor > 0):
        heights.append(floor)
    for i, level in enumerate(heights):
        if loading.is_even(v) and (i + 1 < len(heights) or not own_floor):
            result += _evenly(v, w, size, top, level, z, first=i == 0)
        else:
            floor_only = own_floor and i + 1 == len(heights)
            one = _clear(v, size, z, top, level, first=i == 0, floor=floor_only)
            result += one if floor_only else loading.fed(one, level, _box(size), v, w)
        top, z = level, level + LIFT_MM
    if v.finish_walls:
        for level in levels(high, floor, v.tool.flute_length):
            result += _finish_walls(v, w, size, z, level, joint_of(v, place))
            z = level + LIFT_MM
    return result


def _box(size: Size) -> tuple[float, float, float, float]:
    return (-size.a, size.a, -size.b, size.b)


def _rest(v: Values, w: Work, size: Size, high: float, bottom: float) -> list[Move]:
    """The corners, one after the other from the top down; then the walls, if they are finished."""
    above = high + ABOVE_METAL_MM
    result, heights = list[Move](), levels(high, bottom, v.depth_per_pass)
    left = v.tool.radius + v.leave_walls
    step = size.left_radius - left if loading.is_even(v) else v.side_step
    if loading.is_even(v):
        result += _rest_evenly(v, w, size, heights, above)
    for paths in rest.corner_paths(size.a, size.b, size.corner, size.left_radius, v.tool.radius, v.leave_walls, step):
        if loading.is_even(v) and v.finish_walls:
            break
        result.append(Rapid(*paths[0].start))
        z = above
        for level in heights:
            result += [Rapid(z=min(z, level + LIFT_MM)), Feed(None, None, level, v.feed_down)]
            for path in paths:
                result += follow(path, v.feed)
            z = level
        result.append(Rapid(z=above))
    if v.finish_walls:
        for level in levels(high, bottom, v.tool.flute_length):
            result += _finish_walls(v, w, size, above, level)
            above = level + LIFT_MM
    return result


def _rest_evenly(v: Values, w: Work, size: Size, heights: list[float], safe: float) -> list[Move]:
    """The corners from the room that the larger tool left, with an even load."""
    from bastler.core.geometry.region import region
    from bastler.core.planning.evenfree import CutBefore, clear_from_free, trees

    left = v.tool.radius + v.leave_walls
    room, free = (
        rounded_rectangle(size.a - left, size.b - left, max(corner - left, 0.0))
        for corner in (size.corner, size.left_radius)
    )
    even, cleared = loading.even_of(v, w), CutBefore((region([free], 0.0),))
    return [
        move
        for tree in trees((room,), even, cleared) or ()
        for _, one in clear_from_free(tree, cleared, even, heights, safe)
        for move in one
    ]


def _evenly(v: Values, w: Work, size: Size, top: float, level: float, approach: float, *, first: bool) -> list[Move]:
    """One depth pass with an even load; its walls are followed at once if no pass of their own comes."""
    offset = v.tool.radius + v.leave_walls
    outline = rounded_rectangle(max(size.a - offset, 0.0), max(size.b - offset, 0.0), max(size.corner - offset, 0.0))
    from bastler.core.planning.evenload import clear_evenly

    safe = max(approach, level + LIFT_MM)
    result = clear_evenly((outline,), loading.even_of(v, w), top, level, safe, begin=(0.0, 0.0), first=first)
    result = loading.fed(result, level, _box(size), v, w)
    if not v.finish_walls:
        result += [*_once_round(outline, v, level), Rapid(z=safe)]
    return result


def _once_round(outline: Path, v: Values, level: float) -> list[Move]:
    """Along the edge of what is cleared, from its middle."""
    x, y = outline.start
    inside = (x, y + min(v.tool.radius / 2, abs(y)))
    return [Rapid(*inside), Rapid(z=level + LIFT_MM), Feed(None, None, level, v.feed), Feed(x, y, None, v.feed), *follow(outline, v.feed), Feed(*inside, level + LIFT_MM, v.feed)]  # fmt: skip


def _clear(
    v: Values, size: Size, approach: float, top: float, level: float, *, first: bool, floor: bool = False
) -> list[Move]:
    """One depth pass, from ``approach`` (in air) down to ``level`` and out to the wall; ``floor``: only what was left on it."""
    tool = v.tool
    step, feed, full = (
        (floor_step(v), v.feed_floor, v.feed_floor) if floor else (v.side_step, v.feed, v.get("feed_full", v.feed))
    )
    paths = loops(size.a, size.b, size.corner, tool.radius + v.leave_walls, step, tool.flat_radius)
    helix, length = helix_radius(v, size), ramp_length(v, size)
    if floor and (down := _slid_down(paths[0], v, top, level, approach, first)):
        return not_faster([*down, *_loops(paths, feed, feed, level)], slower=False)
    if v.entry == "helix":
        start = (helix, 0.0)
        down = entry.helix(helix, top + min(LIFT_MM, approach - top), level, v.ramp_angle, v.feed_down)
    elif v.entry == "ramp":
        start = (-length / 2, 0.0)
        down = entry.ramp(length, top + min(LIFT_MM, approach - top), level, v.ramp_angle, v.feed_down)
    else:
        start = (0.0, 0.0)
        down = entry.plunge(level, v.feed_down)
    moves: list[Move] = [Rapid(*start)]
    if first:
        moves.append(Rapid(z=approach))
    if v.entry != "plunge":
        moves.append(Feed(None, None, top + min(LIFT_MM, approach - top), v.feed_down))
    moves += down
    return [*moves, *_loops(paths, feed, full, level)]


def _slid_down(loop: Path, v: Values, top: float, level: float, approach: float, first: bool) -> list[Move]:
    """Onto the floor along the beginning of a loop, no steeper than the tool may; nothing if that is too short."""
    drop = top - level + START_MM
    steep = math.tan(math.radians(v.get("ramp_angle", v.tool.ramp_angle)))
    if loop.pieces()[0][2] * steep < drop:
        return []
    first_piece = Path(loop.start, loop.elements[:1])
    moves: list[Move] = [
        Rapid(*loop.start),
        *([Rapid(z=approach)] if first else []),
        Feed(None, None, level + drop, v.feed_floor),
    ]
    return [*moves, *follow(first_piece, v.feed_floor, level), *follow(first_piece.reversed(), v.feed_floor)]


def _loops(paths: list[Path], feed: float, full: float, level: float) -> list[Move]:
    """Loops from the inside out, and up off the last."""
    moves: list[Move] = []
    for i, path in enumerate(paths):
        moves.append(Feed(*path.start, None, full))
        moves += follow(path, full if i == 0 else feed)
    x, y = paths[-1].start
    inward = min(LIFT_MM, abs(y))
    moves += [Feed(x, y + inward, level + LIFT_MM, feed)]
    return moves


def _finish_walls(
    v: Values, w: Work, size: Size, approach: float, level: float, near: Point | None = None
) -> list[Move]:
    """Once round at the true outline: quarter arc in, loop, quarter arc out; from the middle of a long side, or ``near`` a place."""
    tool, a, b = v.tool, size.a, size.b
    if near is not None:
        return _walls_from(v, w, size, approach, level, near)
    radius = tool.radius
    free = lead_of(v, size)
    centre_y = -(b - radius) + free
    roughed = min(-(b - radius) + max(free, v.leave_walls), 0.0)
    moves: list[Move] = [
        Rapid(0.0, roughed),
        Rapid(z=max(approach, level + LIFT_MM)),
        Feed(None, None, level, v.feed_finish),
        Feed(0.0, centre_y, None, v.feed_finish),
    ]
    by_control = v.compensation == "control"
    offset = 0.0 if by_control else radius
    loop = rounded_rectangle(a - offset, b - offset, size.corner - offset)
    reach = free + radius - offset
    centre = (0.0, centre_y)
    # It goes on past the place where it began, as far as the wall is straight and the arc off it has room.
    over = max(min(PAST_MM, a - size.corner, a - radius - free), 0.0) if reach > FITS_MM else 0.0
    round_ = follow(loop, v.feed_finish)
    if not by_control and not size.left_radius:
        round_ = _fed_at_wall([Rapid(*loop.start), Rapid(z=level), *round_], v, w, size, level)[2:]
    if by_control:
        moves.append(Compensate("left"))
    if reach > FITS_MM:
        moves += [
            Feed(-reach, centre_y, None, v.feed_finish),
            Turn(*loop.start, centre, True, v.feed_finish),
            *round_,
            *([Feed(over, loop.start[1], None, v.feed_finish)] if over > FITS_MM else []),
            Turn(reach + over, centre_y, (over, centre_y), True, v.feed_finish),
        ]
    else:
        moves += [Feed(*loop.start, None, v.feed_finish), *round_]
    if by_control:
        moves.append(Compensate(None))
    return [*moves, Feed(over, centre_y, None, v.feed_finish), Feed(None, None, level + LIFT_MM, v.feed_finish)]


def _fed_at_wall(moves: list[Move], v: Values, w: Work, size: Size, level: float) -> list[Move]:
    left = v.tool.radius + v.leave_walls
    rough = rounded_rectangle(*(max(s - left, 0.0) for s in (size.a, size.b, size.corner)))
    return loading.fed_at_wall(moves, level, (rough,), _box(size), v, w)


def _walls_from(v: Values, w: Work, size: Size, approach: float, level: float, near: Point) -> list[Move]:
    """The same from a place that was chosen."""
    from bastler.core.planning.area import Height, lead_for, wall_round, walls_of

    radius, by_control = v.tool.radius, v.compensation == "control"
    wall, loop = (rounded_rectangle(size.a - by, size.b - by, max(size.corner - by, 0.0)) for by in (0.0, radius))
    lead = lead_for(loop, walls_of((wall,)), radius, lead_of(v, size), v.leave_walls, near)
    z = Height(level, max(approach - LIFT_MM, level), level + LIFT_MM)
    if by_control and lead.radius:
        return wall_round(wall, lead, z, v.feed_finish, by_control=radius)
    fed = partial(_fed_at_wall, v=v, w=w, size=size, level=level)
    return wall_round(loop, lead, z, v.feed_finish, fed=fed)


def suggest_mill(v: Values, w: Work, size: Size) -> Suggestion | None:
    """The largest end mill that fits corner, width and depth; for the corners alone one smaller than what is left."""
    mills = [
        t
        for t in w.tools.values()
        if t.kind in MILLS and t.radius <= size.corner + FITS_MM and t.diameter <= 2 * size.b
    ]
    if size.left_radius:
        mills = [t for t in mills if t.radius + v.get("leave_walls", 0.0) < 0.98 * size.left_radius]
    if size.round:
        mills = [t for t in mills if t.diameter <= ROUND_SHARE * size.b] or mills
    reach = [
        t for t in mills if t.flute_length >= v.depth or (t.stick_out >= v.depth and t.shank_diameter < t.diameter)
    ]
    best = max(reach, key=lambda t: (t.corner_radius == 0, t.diameter, -t.number), default=None)
    if best is None:
        return None
    return Suggestion(str(best.number), f"{best.name}: the largest that fits radius {show(size.corner, units=w.units)}")


def floor_step(v: Values) -> float:
    """Side step of the floor's own pass."""
    return 1.25 * float(v.tool.flat_radius)


def suggest_ramp(v: Values, w: Work) -> Suggestion:
    """The tool's own angle, or as much of it as the spindle has power for at the whole feed."""
    round_ = math.tau * entry.HELIX_SHARE * max(v.tool.flat_radius, 0.1)
    most = math.degrees(math.atan(loading.deepest_slot(v, w) / round_))
    if most >= v.tool.ramp_angle:
        return Suggestion(show(v.tool.ramp_angle), f"the steepest for tool {v.tool.number}")
    return Suggestion(show(max(math.floor(10 * most) / 10, 0.5)), "as steep as the spindle has power for")


def suggest_lead(v: Values, w: Work) -> Suggestion:
    return Suggestion(show(v.tool.radius / 2), "half the tool's radius")


def engagement(v: Values) -> tuple[float, float]:
    """Depth and width of the roughing cut."""
    return (float(v.depth_per_pass), float(v.side_step))


def whole(v: Values) -> bool:
    """Whether the pocket itself is cut, not just what is left in its corners."""
    return bool(v.get("corners", "size") != "rest")


def roughs(v: Values) -> bool:
    """Whether metal is cleared before walls and floor are finished."""
    return not whole(v) or bool(v.get("rough", True))


def fields(
    suggest_tool: Suggest, size_of: Callable[[Values], Size], question: str, suggest_leave: Suggest | None = None
) -> tuple[Field, ...]:
    """The groups Cut and Entry of a pocket whose :class:`Size` is ``size_of(values)``; ``suggest_leave``: how much on its walls."""

    def even_fits(v: Values, _: Work) -> bool:
        return bool(not whole(v) or helix_radius(v, size_of(v)))

    def suggest_entry(v: Values, _: Work) -> Suggestion:
        if helix_radius(v, size_of(v)):
            return Suggestion("helix", "the pocket is wide enough")
        if ramp_length(v, size_of(v)) or not v.tool.plunges:
            return Suggestion("ramp", "too narrow for a helix")
        return Suggestion("plunge", "too narrow for helix and ramp")

    return (
        Field("tool", "Tool", "Cut", Kind.TOOL, question, suggest=suggest_tool),
        Field("rough", "Rough", "Cut", Kind.FLAG, "Is the pocket roughed out in depth passes?", "yes", shown=whole),
        *loading.clearing_fields(even_fits, roughs, LOOPS_SHARE),
        Field("leave_walls", "Leave on walls", "Cut", Kind.LENGTH, "How much do the roughing passes leave on the walls?", "0.2", NOT_NEGATIVE, suggest=suggest_leave),
        Field("finish_walls", "Finish walls", "Cut", Kind.FLAG, "Are the walls finished in a pass of their own?", "yes"),
        Field("leave_floor", "Leave on floor", "Cut", Kind.LENGTH, "How much do the roughing passes leave on the floor?", "0.1", NOT_NEGATIVE, shown=whole),
        Field("finish_floor", "Finish floor", "Cut", Kind.FLAG, "Is the floor finished in a pass of its own?", "yes", shown=whole),
        Field("side_step", "Side step", "Cut", Kind.LENGTH, "How far apart are the loops?", suggest=loading.suggest_step(LOOPS_SHARE), limits=PASS),
        Field("compensation", "Path by", "Cut", Kind.CHOICE, "Who offsets the finishing path by the tool's radius: Bastler, or the control with G41 or G42?", "planner",
              choices=(("planner", "Bastler"), ("control", "Control"))),
        *speed_fields(feed=False),
        *loading.feed_fields(roughs, floor_step, whole),
        Field("entry", "Way down", "Entry", Kind.CHOICE, "How does the tool get down into the metal?", suggest=suggest_entry, shown=whole,
              choices=(("helix", "Helix"), ("ramp", "Ramp"), ("plunge", "Plunge"), ("hole", "In a hole"))),
        Field("ramp_angle", "Ramp angle", "Entry", Kind.ANGLE, "How steep is the way down?", suggest=suggest_ramp, limits=Limits(0, 45, low_open=True),
              shown=lambda v: whole(v) and v.entry in ("helix", "ramp")),
        loading.down_field(),
        Field("lead_radius", "Lead-in radius", "Entry", Kind.LENGTH, "On what radius does it run onto the wall?", suggest=suggest_lead, limits=NOT_NEGATIVE,
              shown=lambda v: bool(v.finish_walls)),
        joint_field(lambda v: whole(v) and bool(v.finish_walls)),
    )  # fmt: skip


def sample_cut(pick: Pick, tool: Tool, leave: float, room: float = 0.0) -> dict[str, str]:
    """Cut and entry answers for the closed-loop test; ``room``: half of what the tool's centre has sideways."""
    typed = {
        "tool": str(tool.number),
        "side_step": str(pick.number(0.3 * tool.flat_radius, 1.49 * tool.flat_radius)),
        "depth_per_pass": str(pick.number(0.8, tool.diameter)),
        "leave_walls": str(leave),
        "leave_floor": str(pick.number(0.0, 0.3)),
        "finish_walls": pick.choice(("yes", "no")),
        "finish_floor": pick.choice(("yes", "no")),
        "compensation": pick.choice(("planner", "control")),
        "lead_radius": str(pick.number(0.0, 6.0)),
    }
    if entry.helix_radius(tool.flat_radius, room) and pick.choice((loading.EVEN, loading.LOOPS)) == loading.EVEN:
        typed |= {
            "clear_by": loading.EVEN,
            "entry": "helix",
            "side_step": str(pick.number(0.1, 0.7) * tool.flat_radius),
        }
    elif tool.plunges and pick.choice(("suggested", "plunge")) == "plunge":
        typed |= {"entry": "plunge", "clear_by": loading.LOOPS}
    return typed
