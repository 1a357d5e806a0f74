"""A milling cycle on a turned part: on which surface it works, and the stock as it looks from there."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence, ValuesView
from functools import cache

from msgspec.structs import replace

from bastler.core.cycles.base import Cycle
from bastler.core.fields import Field, Suggestion, Unanswered, Values, drawable, read
from bastler.core.geometry.shapes import Box
from bastler.core.geometry.surface import On, Surface
from bastler.core.moves import Compensate, Feed, Holes, Move, Rapid, Turn
from bastler.core.planning.axisfeed import followed
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, said, show
from bastler.core.tooling.machines import Machine
from bastler.core.tooling.tools import Tool

MOST_ROUND = 360
FROM_FRONT_SHARE = 0.3
"""So far along what stands out of the chuck the outside is taken, unless it is said."""
ON_MIDDLE_MM = 0.001
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
          choices=(("end", "End face"), ("flat", "A flat"), ("round", "Round side"))),
    Field("at_angle", "At angle C", "Place", Kind.ANGLE, "At which angle of the spindle does the surface face the tool?", "0", Limits(-3600, 3600), stand_in=0.0, shown=_aside),
    Field("from_axis", "From the axis", "Place", Kind.LENGTH, "How far from the axis does the surface lie, from which depths count?", suggest=_suggest_distance,
          limits=Limits(0, 5000), stand_in=20.0, shown=_aside),
    Field("times_round", "Times round", "Place", Kind.COUNT, "At how many places evenly round the axis is it made?", "1", Limits(1, MOST_ROUND), stand_in=1, shown=_aside),
)  # fmt: skip


ON_SURFACE = tuple(f.key for f in SURFACE_FIELDS)


@cache
def surfaced(cycle: Cycle) -> Cycle:
    """The same cycle with the fields that say on which surface it works."""
    return replace(cycle, fields=(*SURFACE_FIELDS, *cycle.fields))


def every_field(cycle: Cycle) -> tuple[Field, ...]:
    """All that a step of a cycle may have been asked on some machine."""
    return surfaced(cycle).fields if cycle.on_surfaces else cycle.fields


def surfaces_of(typed: Mapping[str, str], work: Work) -> tuple[Surface, ...]:
    """Where a step works, with stand-ins for what isn't answered; several are alike, round the axis."""
    v = drawable(SURFACE_FIELDS, read(SURFACE_FIELDS, dict(typed), work, work.units).values)
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
        self._all, self._points = tools, points

    def __getitem__(self, number: int) -> Tool:
        return self._all[number]

    def __iter__(self) -> Iterator[int]:
        return iter(self._all)

    def __len__(self) -> int:
        return len(self._all)

    def values(self) -> ValuesView[Tool]:
        """Those that point the right way."""
        return {n: t for n, t in self._all.items() if t.driven == self._points}.values()


def seen_from(surface: Surface, work: Work) -> Work:
    """The stock as it looks from a surface: a box round it, never too low, and what was cut there before."""
    stock = work.lathe.stock
    z0, _, z1, radius = stock.bounds if not stock.is_empty else (work.block.z0, 0.0, work.block.z1, 1.0)
    if surface.on == "end":
        block = Box(-radius, radius, -radius, radius, z0, z1)
        part, clearance = replace(block, z1=min(work.part.z1, z1)), work.clearance
    else:
        above = work.block.size[0] / 2 - surface.distance
        block = Box(z0, z1, -radius, radius, -surface.distance - radius, radius - surface.distance)
        part, clearance = replace(block, z1=0.0), max(above, block.z1) + work.clearance - work.block.z1
    tools = PointedTools(work.tools, surface.points)
    done = tuple(r for where, r in work.carved if where == surface)
    return replace(
        work, block=block, part=part, clearance=clearance, tools=tools, done=done, machine=with_driven_tools(work.machine), surface=surface
    )  # fmt: skip


def pointing_problems(surface: Surface, v: Values) -> tuple[Problem, ...]:
    """A tool that stands still, or that points another way than the surface faces."""
    tool = v.get("tool")
    if not isinstance(tool, Tool) or tool.driven == surface.points:
        return ()
    now = f"points {POINTING[tool.driven]}" if tool.driven else "stands still"
    text = f"T{tool.number} ({tool.name}) {now}; this needs a driven tool that points {POINTING[surface.points]}. Choose another, or set “Driven” in the tool table."
    return (Problem("tool", text),)


def _across(move: Move) -> list[float]:
    """Where a move goes across the surface."""
    if isinstance(move, Holes):
        return [y for _, y in move.points]
    return [move.y] if isinstance(move, Rapid | Feed | Turn) and move.y is not None else []


def on_its_surface(
    surface: Surface, moves: tuple[Move, ...], work: Work
) -> tuple[tuple[Move, ...], tuple[Problem, ...]]:
    """A step's moves as the machine's axes can follow them, and what they show."""
    problems = reach_problems(surface, moves, work)
    turns = work.machine.axis("C")
    if problems or surface.on != "end" or turns is None:
        return moves, problems
    slow, lowered = followed(moves, turns.rapid)
    if lowered == math.inf:
        return slow, ()
    least = said(lowered, Kind.FEED, work.units, 0)
    return slow, (
        Problem("feed", f"Near the axis it feeds slower, down to {least}: C turns no faster there.", blocks=False),
    )


def reach_problems(surface: Surface, moves: Sequence[Move], work: Work) -> tuple[Problem, ...]:
    """Places that the machine's axes don't reach: beside the middle of a flat or of the round side only a Y axis goes."""
    steered = any(isinstance(m, Compensate) for m in moves)
    if steered:
        text = "The control doesn't offset the path of a driven tool here. Let Bastler do it."
        return (Problem("works_on", text),)
    if surface.on == "end":
        return ()
    beside = max((abs(y) for m in moves for y in _across(m)), default=0.0)
    if beside <= ON_MIDDLE_MM:
        return ()
    text = f"The tool would have to go {show(beside, units=work.units)} beside the middle of the surface. Only a Y axis goes there, and {work.machine.name} has none: give it Y 0, and turn the surface by “At angle C”."
    return (Problem("works_on", text),)
