"""A milling cycle on a turned part: on which surface it works, and the stock as it looks from there."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence, ValuesView
from functools import cache

from msgspec.structs import replace

from bastler.core.cycles.base import Cycle
from bastler.core.fields import Field, Suggestion, Unanswered, Values, drawable, read
from bastler.core.geometry.shapes import Box, Removal, RoundHole
from bastler.core.geometry.surface import On, Surface
from bastler.core.moves import Compensate, Move
from bastler.core.planning.axisfeed import followed
from bastler.core.planning.extents import beside, deepest, level_points
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, said, show
from bastler.core.tooling.machines import Machine
from bastler.core.tooling.tools import Tool

MOST_ROUND = 360
FROM_FRONT_SHARE = 0.3
"""So far along what stands out of the chuck the outside is taken, unless it is said."""
ON_MIDDLE_MM, RIDGE_TOLD_MM = 0.001, 0.05
SURFACES: dict[On, str] = {
    "end": "End face",
    "flat": "A flat",
    "round": "Round side",
    "unrolled": "Round side, unrolled",
}
PLACE_KEYS = ("circle_diameter", "points", "arc_radius", "centre_x", "start_x", "contour")
"""Where a place is said, in the order that it is most likely wrong."""
POINTING = {"along": "along the axis", "across": "towards the axis"}


def _aside(v: Values) -> bool:
    return bool(v.get("works_on", "end") != "end")


def _suggest_distance(__: Values, w: Work) -> Suggestion:
    import shapely

    stock = w.lathe.stock
    z0, _, z1, r = stock.bounds
    z = z1 - FROM_FRONT_SHARE * (z1 - max(z0, w.lathe.fixed.bounds[2] if not w.lathe.fixed.is_empty else z0))
    line = shapely.intersection(stock, shapely.LineString([(z, 0.0), (z, r + 1.0)]))
    radius = float(line.bounds[3]) if not line.is_empty else float(r)
    return Suggestion(show(radius), f"the outside of the part at Z {show(z, units=w.units, digits=1)}")


SURFACE_FIELDS: tuple[Field, ...] = (
    Field("works_on", "Works on", "Place", Kind.CHOICE, "On which surface of the part does it work?", "end",
          choices=tuple(SURFACES.items())),
    Field("at_angle", "At angle C", "Place", Kind.ANGLE, "At which angle of the spindle does the surface face the tool?", "0", Limits(-3600, 3600), stand_in=0.0, shown=_aside),
    Field("from_axis", "From the axis", "Place", Kind.LENGTH, "How far from the axis does the surface lie, from which depths count?", suggest=_suggest_distance,
          limits=Limits(0, 5000), stand_in=20.0, shown=_aside),
    Field("times_round", "Times round", "Place", Kind.COUNT, "At how many places evenly round the axis is it made?", "1", Limits(1, MOST_ROUND), stand_in=1, shown=_aside),
)  # fmt: skip


def _suggest_moved_by(__: Values, w: Work) -> Suggestion:
    x, y = w.machine.axis("X"), w.machine.axis("Y")
    radius = w.block.x1
    if x is None or y is None:
        return Suggestion("c", "there is no Y axis, and the control's own interpolation runs smoother than short moves")
    most = min(y.travel / 2, y.travel / 2 if x.beyond is None else x.beyond)
    if radius <= most:
        return Suggestion("y", "straight axes are as quick in the middle as outside, and reach all of the face")
    return Suggestion("c", f"X and Y reach {show(most, units=w.units, digits=1)} from the axis, C all of the face")


MOVED_BY = Field(
    "moved_by", "Moved by", "Place", Kind.CHOICE, "By which axes does the tool go across the face?", suggest=_suggest_moved_by,
    choices=(("c", "X and C, polar"), ("written", "X and C, written out"), ("y", "X and Y, C held")), shown=lambda v: not _aside(v),
)  # fmt: skip

ON_SURFACE = tuple(f.key for f in (*SURFACE_FIELDS, MOVED_BY))


@cache
def surfaced(cycle: Cycle, *, has_y: bool) -> Cycle:
    """The same cycle with the fields that say on which surface it works, and by which axes: what goes across, and not straight in."""
    by = MOVED_BY if has_y else replace(MOVED_BY, choices=tuple(c for c in MOVED_BY.choices if c[0] != "y"))
    more = (by,) if cycle.metal is not None else ()
    first = surface_fields(cycle)
    own = (
        _into_the_bore(f) if f.key == "depth_to" and cycle.id == "drill" else f for f in cycle.fields if f not in first
    )
    return replace(cycle, fields=(*first, *more, *own))


def _into_the_bore(depth_to: Field) -> Field:
    """A hole in the side of a turned part may end in its bore."""
    return replace(depth_to, choices=(*depth_to.choices, ("bore", "Into the bore")))


@cache
def surface_fields(cycle: Cycle) -> tuple[Field, ...]:
    """The fields that say on which surface a cycle works: its own in place of the usual ones, and no choice where there is none."""
    own = {f.key: f for f in cycle.fields}
    where, *rest = (own.get(f.key, f) for f in SURFACE_FIELDS)
    where = replace(where, choices=tuple((on, SURFACES[on]) for on in cycle.on_surfaces))
    if len(cycle.on_surfaces) == 1:
        where = replace(where, default=cycle.on_surfaces[0], shown=lambda _: False)
    return (where, *rest)


def every_field(cycle: Cycle) -> tuple[Field, ...]:
    """All that a step of a cycle may have been asked on some machine."""
    return surfaced(cycle, has_y=True).fields if cycle.on_surfaces else cycle.fields


def surfaces_of(cycle: Cycle, typed: Mapping[str, str], work: Work) -> tuple[Surface, ...]:
    """Where a step works, with stand-ins for what isn't answered; several are alike, round the axis."""
    fields = surface_fields(cycle)
    v = drawable(fields, read(fields, dict(typed), work, work.units).values)
    on: On = v.get("works_on") or "end"
    if on == "end":
        return (Surface(),)
    first = Surface(on, float(v.get("at_angle") or 0.0), float(v.get("from_axis") or 0.0))
    times = int(v.get("times_round") or 1)
    return tuple(first.turned(360.0 * k / times) for k in range(times))


def with_driven_tools(machine: Machine) -> Machine:
    """A lathe as a driven tool sees it: its spindle is the one that turns tools."""
    driven = machine.driven
    if driven is None:
        raise Unanswered("driven")
    return replace(machine, spindles=(replace(driven, chuck=machine.spindle.chuck), *machine.spindles))


class PointedTools(Mapping[int, Tool]):
    """All tools by number, so that any can be named; who looks through them, as a suggestion does, sees those that point the right way."""

    def __init__(self, tools: Mapping[int, Tool], points: str) -> None:
        self._all, self.points = tools, points

    def __getitem__(self, number: int) -> Tool:
        return self._all[number]

    def __iter__(self) -> Iterator[int]:
        return iter(self._all)

    def __len__(self) -> int:
        return len(self._all)

    def with_tool(self, tool: Tool) -> PointedTools:
        """The same with a tool more, or another in its place."""
        return PointedTools({**self._all, tool.number: tool}, self.points)

    def values(self) -> ValuesView[Tool]:
        """Those that point the right way."""
        return {n: t for n, t in self._all.items() if t.driven == self.points}.values()


def seen_from(surface: Surface, work: Work) -> Work:
    """The stock as it looks from a surface: a box round it, never too low, and what was cut there before."""
    stock = work.lathe.stock
    z0, _, z1, radius = stock.bounds if not stock.is_empty else (work.block.z0, 0.0, work.block.z1, 1.0)
    if surface.on == "end":
        block = Box(-radius, radius, -radius, radius, z0, z1)
        part, clearance = replace(block, z1=min(work.part.z1, z1)), work.clearance
    else:
        above = work.block.size[0] / 2 - surface.distance
        half = math.pi * surface.distance if surface.on == "unrolled" else radius
        bottom = -surface.distance - (0.0 if surface.on == "unrolled" else radius)
        block = Box(z0, z1, -half, half, bottom, radius - surface.distance)
        part, clearance = replace(block, z1=0.0), max(above, block.z1) + work.clearance - work.block.z1
    tools = PointedTools(work.tools, surface.points)
    done = tuple(r for where, r in work.carved if where == surface)
    return replace(
        work, block=block, part=part, clearance=clearance, tools=tools, done=done, machine=with_driven_tools(work.machine), surface=surface
    )  # fmt: skip


def pointing_problems(points: str, v: Values) -> tuple[Problem, ...]:
    """A tool that stands still, or that points another way than ``points``; with none, one that is driven where the part turns."""
    tool = v.get("tool")
    if not isinstance(tool, Tool) or tool.driven == points:
        return ()
    now = f"points {POINTING[tool.driven]}" if tool.driven else "stands still"
    if not points:
        text = f"T{tool.number} ({tool.name}) is driven; this needs a tool that stands still. Choose another, or set “Driven” in the tool table."
    else:
        text = f"T{tool.number} ({tool.name}) {now}; this needs a driven tool that points {POINTING[points]}. Choose another, or set “Driven” in the tool table."
    return (Problem("tool", text),)


def beyond_problems(
    surface: Surface, removals: Sequence[Removal], v: Values, work: Work, fields: Sequence[Field]
) -> tuple[Problem, ...]:
    """Shapes that lie wholly beside the face, in front of the part or behind what stands out: there is nothing to cut."""
    b = work.block
    for one in removals:
        x0, x1, y0, y1 = one.bounds()
        if surface.on == "end":
            middle, radius = (one.centre, one.profile.radius) if isinstance(one, RoundHole) else (None, 0.0)
            near = math.hypot(max(x0, -x1, 0.0), max(y0, -y1, 0.0))
            away = math.hypot(*middle) - radius if middle is not None else near
            edge, where = b.x1, "the face ends"
        else:
            away, edge, where = (x0, b.x1, "the part ends") if x0 >= b.x1 else (-x1, -b.x0, "the bar ends")
        if away >= edge - ON_MIDDLE_MM:
            place = f"X {show((x0 + x1) / 2, units=work.units, digits=2)} Y {show((y0 + y1) / 2, units=work.units, digits=2)}"
            limit = show(edge if surface.on == "end" or x0 >= b.x1 else b.x0, units=work.units, digits=2)
            how = f"{where} {limit} from the axis" if surface.on == "end" else f"{where} at X {limit}"
            keys = [f.key for f in fields]
            field = next((k for k in PLACE_KEYS if k in keys and v.get(k) is not None), "works_on")
            return (Problem(field, f"At {place} there is nothing to cut: {how}.", blocks=False),)
    return ()


def standing(work: Work) -> Work:
    """The stock of a step that turns: suggestions see tools that stand still."""
    return replace(work, tools=PointedTools(work.tools, ""))


def on_its_surface(
    surface: Surface, moves: tuple[Move, ...], v: Values, work: Work
) -> tuple[tuple[Move, ...], tuple[Problem, ...]]:
    """A step's moves as the machine's axes can follow them, and what they show."""
    problems = reach_problems(surface, moves, v, work)
    turns = work.machine.axis("C")
    if surface.on == "unrolled" and not problems:
        return moves, _ridges(surface, moves, v, work)
    if problems or surface.on != "end" or turns is None or v.get("moved_by") == "y":
        return moves, problems
    slow, lowered = followed(moves, turns.rapid)
    if lowered == math.inf:
        return slow, ()
    least = said(lowered, Kind.FEED, work.units, 0)
    return slow, (
        Problem("feed", f"Near the axis it feeds slower, down to {least}: C turns no faster there.", blocks=False),
    )


def reach_problems(surface: Surface, moves: Sequence[Move], v: Values, work: Work) -> tuple[Problem, ...]:
    """Places that the machine's axes don't reach: beside the middle of a flat or of the round side only a Y axis goes, and X not far past the axis."""
    steered = any(isinstance(m, Compensate) for m in moves)
    if steered:
        text = "The control doesn't offset the path of a driven tool here. Let Bastler do it."
        return (Problem("works_on", text),)
    by_y = surface.on == "end" and v.get("moved_by") == "y"
    if surface.on == "end" and not by_y:
        return ()
    if surface.on == "unrolled":
        return _round_problems(surface, moves, v, work)
    aside, where = beside(moves), "moved_by" if by_y else "works_on"
    if aside > ON_MIDDLE_MM and (text := _too_far_aside(aside, work, by_y=by_y)):
        return (Problem(where, text),)
    x = work.machine.axis("X")
    past = _past_axis(surface, moves, by_y=by_y)
    if x is None or x.beyond is None or past <= x.beyond + ON_MIDDLE_MM:
        return ()
    far, most = show(past, units=work.units), show(x.beyond, units=work.units)
    remedy = "Move it by C" if by_y else "Go less deep; from both sides, with “Times round” 2"
    return (
        Problem(where, f"X would have to go {far} past the axis; {work.machine.name} goes {most} at most. {remedy}."),
    )


def _round_problems(surface: Surface, moves: Sequence[Move], v: Values, work: Work) -> tuple[Problem, ...]:
    """What goes more than half way round to one side, or down to the axis."""
    tool = v.get("tool")
    half, aside = math.pi * surface.distance, beside(moves) + (tool.radius if tool is not None else 0.0)
    if aside > half + ON_MIDDLE_MM:
        far, most = show(aside, units=work.units, digits=1), show(half, units=work.units, digits=1)
        text = f"It goes {far} round from its middle; half way round is {most}. Turn the surface by “At angle C”, or make it in two steps."
        return (Problem("from_axis", text),)
    if -deepest(moves) >= surface.distance - ON_MIDDLE_MM:
        return (Problem("depth", "It goes down to the axis, round which nothing can be unrolled. Go less deep."),)
    return ()


def _ridges(surface: Surface, moves: Sequence[Move], v: Values, work: Work) -> tuple[Problem, ...]:
    """What a flat end leaves of a floor round the bar: beside its middle by d it lies at √(f² + d²) from the axis."""
    tool, step, low = v.get("tool"), v.get("side_step"), deepest(moves)
    if tool is None or not step or not moves or tool.profile.flat <= 0 or low == math.inf:
        return ()
    floor = surface.distance + low
    between, along = (math.hypot(floor, d) - floor for d in (step / 2, tool.radius))
    if along < RIDGE_TOLD_MM:
        return ()
    said_of = [show(h, units=work.units, digits=2) for h in (between, along)]
    text = f"Round the bar a flat end leaves the floor higher: up to {said_of[0]} between its ways, {said_of[1]} along walls. A smaller step or tool makes it less."
    return (Problem("side_step", text, blocks=False),)


def _too_far_aside(aside: float, work: Work, *, by_y: bool) -> str:
    """Why a tool can't go so far from the middle of its surface, if it can't."""
    y = work.machine.axis("Y")
    far, remedy = (
        show(aside, units=work.units),
        "Move it by C" if by_y else "Bring it nearer to Y 0, and turn the surface by “At angle C”",
    )
    if y is None:
        return f"The tool would have to go {far} beside the middle of the surface. Only a Y axis goes there, and {work.machine.name} has none: give it Y 0, and turn the surface by “At angle C”."
    most = show(y.travel / 2, units=work.units)
    return (
        ""
        if aside <= y.travel / 2
        else f"Y would have to go to {far}; {work.machine.name} goes {most} to each side. {remedy}."
    )


def _past_axis(surface: Surface, moves: Sequence[Move], *, by_y: bool) -> float:
    """How far X goes past the axis of the spindle, mm; 0 if it doesn't."""
    if by_y:
        return max((-x for x, _ in level_points(moves) if x is not None), default=0.0)
    return max(-(surface.distance + deepest(moves)), 0.0)
