"""Round pocket: circles cut into the stock on a pattern; from the full, or opened from a hole that is there."""

from __future__ import annotations

from msgspec.structs import replace

from bastler.core.cycles import holes, pocketing, pocketproblems
from bastler.core.cycles.base import AND_UNROLLED, SIZE, Cycle, Pick, climbs
from bastler.core.cycles.pocketing import Size, left_on
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.placement import Placement
from bastler.core.geometry.shapes import Prism, Removal
from bastler.core.marks import Mark
from bastler.core.moves import Move, Rapid
from bastler.core.planning.ordering import shortest
from bastler.core.planning.patterns import place_problems, positions, skipped, used
from bastler.core.planning.placing import placed
from bastler.core.planning.work import ABOVE_METAL_MM, Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Units

BETWEEN = replace(
    holes.ENTRY_FIELDS[1],
    label="Between circles",
    question="How high does it travel from circle to circle?",
    default="high",
)


def _size(v: Values) -> Size:
    return Size(v.diameter / 2, v.diameter / 2, v.diameter / 2)


def _removals(v: Values, _: Work) -> tuple[Removal, ...]:
    wide = v.diameter - 2 * left_on(v, "walls")
    floor, tool = v.top - v.depth + left_on(v, "floor"), v.get("tool")
    fillet = tool.corner_radius if tool else 0.0
    return tuple(Prism(p, wide, wide, wide / 2, 0.0, floor, fillet) for p in used(v))


def _problems(v: Values, w: Work) -> list[Problem]:
    found = place_problems(positions(v), skipped(v))
    if found:
        return found
    for removal in _removals(v, w):
        found = pocketproblems.problems(v, w, _size(v), removal, used(v))
        if found:
            return found
    return []


def _plan(v: Values, w: Work) -> list[Move]:
    points = tuple(used(v))
    shapes = dict(zip(points, _removals(v, w), strict=True))
    back = w.clearance
    if v.between == "low":
        back = max(w.top_over(holes.bounds(list(points), v.diameter / 2)), v.top) + ABOVE_METAL_MM
    moves: list[Move] = []
    for p in shortest(points) if v.order == "short" else points:
        here = Placement(p)
        moves += [*placed(pocketing.moves(v, w, _size(v), shapes[p], here), here), Rapid(z=back)]
    return [*moves, Rapid(z=w.clearance)]


def _marks(v: Values, w: Work) -> list[Mark]:
    return holes.sized_marks(v, v.top - v.depth)


def _title(v: Values, units: Units) -> str:
    return holes.size_title(v, units, "circles")


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    return pocketing.suggest_mill(v, w, _size(v))


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    number = int(pick.choice(tuple(str(t.number) for t in w.tools.values() if t.kind in pocketing.MILLS)))
    tool, b = w.tools[number], w.block
    leave = pick.number(0.0, 0.4)
    x, y = pick.number(b.x0 + 12, b.x1 - 12), pick.number(b.y0 + 12, b.y1 - 12)
    diameter = pick.number(1.3 * tool.diameter + 2 * leave, 40.0)
    return {
        "points": f"{x}, {y}; {x + 30}, {y - 6}",
        "top": str(b.z1),
        "diameter": str(diameter),
        "depth": str(pick.number(tool.corner_radius + 0.5, min(tool.flute_length, b.z1 - b.z0) - 0.5)),
        **holes.sample_entry(pick),
        **pocketing.sample_cut(pick, tool, leave, diameter / 2 - tool.radius - leave),
    }


CYCLE = Cycle(
    id="round",
    on_surfaces=AND_UNROLLED,
    rank=25,
    name="Round pocket",
    words=("round", "circle", "pocket", "bore", "counterbore", "circular"),
    summary="Mill circles into the stock",
    tool_kinds=pocketing.MILLS,
    fields=(
        *holes.PLACE_FIELDS,
        Field("diameter", "Diameter", "Size", Kind.LENGTH, "What is the diameter of the round pocket?", limits=SIZE, stand_in=25.0),
        Field("depth", "Depth", "Size", Kind.LENGTH, "How deep is the pocket below its top?", limits=SIZE, stand_in=5.0),
        *pocketing.fields(_suggest_tool, _size, "Which tool cuts the round pocket?"),
        BETWEEN,
        holes.ENTRY_FIELDS[2],
    ),
    pictogram=(("frame", 0.08, 0.15, 0.84, 0.7), ("dot", 0.28, 0.28, 0.44, 0.44)),
    problems=_problems,
    removals=_removals,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
    metal=climbs,
    engagement=pocketing.engagement,
)  # fmt: skip
