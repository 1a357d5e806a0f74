"""Chamfer: the edge along a contour broken by a cone.

The tip runs below the foot of the chamfer, so far beside the contour that the cone's flank passes through the foot.
Its finished shape is what the cone leaves along the path.
"""

from __future__ import annotations

from bastler.core.cycles.base import (
    AND_UNROLLED,
    LONG,
    NOT_NEGATIVE,
    SIZE,
    Cycle,
    Pick,
    feed_down_field,
    machine_problems,
    speed_fields,
    suggest_top,
)
from bastler.core.cycles.following import path_of, side_of
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.bands import is_closed
from bastler.core.geometry.nearest import begun_near
from bastler.core.geometry.path import area, path_bounds
from bastler.core.geometry.shapes import Removal
from bastler.core.geometry.track import track
from bastler.core.marks import Distance, Mark, SectionAt
from bastler.core.moves import Feed, Move, Rapid, follow
from bastler.core.planning import outlining
from bastler.core.planning.outlining import best_start, centre_paths
from bastler.core.planning.tight import missed
from bastler.core.planning.work import ABOVE_METAL_MM, Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Units, show

FITS_MM = 1e-6
CONES = ("chamfer-mill", "countersink", "spot-drill")
LEAST_MM = 0.01


def _foot_radius(v: Values) -> float:
    """How far from its axis the cone passes through the chamfer's foot."""
    profile = v.tool.profile
    return float(profile.flat + v.below / profile.slope)


def _foot(v: Values) -> float:
    """Z of the chamfer's foot on the wall."""
    return float(v.top - v.width * v.tool.profile.slope)


def _runs(v: Values) -> list[outlining.Run]:
    contour = path_of(v)
    assert contour is not None
    left, found = side_of(v) > 0, []
    away = max(_foot_radius(v), LEAST_MM)
    for path in centre_paths(contour, side_of(v), away):
        one = path if left else path.reversed()
        if is_closed(one):
            start = best_start(contour, side_of(v), away, "arc", v.lead_length, True)
            at = contour.part(0.0, start).end if start else contour.start
            one = begun_near(one, at)
        found.append(outlining.run(one, "arc", v.lead_length, True, 0.0))
    return found


def _removals(v: Values, w: Work) -> tuple[Removal, ...]:
    tool = v.get("tool")
    if path_of(v) is None or tool is None or tool.profile.slope <= 0:
        return ()
    tip = _foot(v) - v.below
    return tuple(track(one.whole, tool.profile, tip) for one in _runs(v))


def _problems(v: Values, w: Work) -> list[Problem]:
    tool, found, contour = v.tool, machine_problems(v, w), path_of(v)
    assert contour is not None

    def mm(value: float) -> str:
        return show(value, units=w.units)

    if tool.profile.slope <= 0:
        return [
            *found,
            Problem("tool", f"Tool {tool.number} has no cone. Take a chamfer mill, a countersink or a spot drill."),
        ]
    reach = _foot_radius(v) + v.width
    if reach > tool.radius + FITS_MM:
        widest = tool.radius - _foot_radius(v)
        found.append(
            Problem(
                "width",
                f"The cone of tool {tool.number} is {mm(tool.diameter)} wide: with its tip {mm(v.below)} below, the chamfer can be {mm(max(widest, 0.0))} wide at most.",
            )
        )
        return found
    if _foot(v) - v.below < w.block.z0 - tool.tip_length:
        found.append(Problem("width", f"The chamfer would reach below the block, to Z {mm(_foot(v) - v.below)}."))
    if not centre_paths(contour, side_of(v), max(_foot_radius(v), LEAST_MM)):
        return [
            *found,
            Problem(
                "tool", f"Tool {tool.number} doesn't fit along the contour. Take a smaller one, or less Tip below."
            ),
        ]
    away = max(_foot_radius(v), LEAST_MM)
    place = missed((contour,), tuple(centre_paths(contour, side_of(v), away)), away)
    if place is not None:
        text = f"The cone can't reach the corner at X {mm(place[0])} Y {mm(place[1])}; the edge stays sharp there. With less Tip below it reaches further."
        found.append(Problem("below", text, blocks=False))
    if not all(
        outlining.has_room(way, contour, away) for one in _runs(v) for way in (one.onto, one.off) if way.elements
    ):
        found.append(
            Problem(
                "lead_length",
                "There is no room here to run on and off: the tool would cut into the contour. Take a shorter lead.",
            )
        )
    return found


def _plan(v: Values, w: Work) -> list[Move]:
    contour = path_of(v)
    assert contour is not None
    reach = v.tool.diameter + v.lead_length
    x0, x1, y0, y1 = path_bounds(contour)
    tip = _foot(v) - v.below
    safe = max(w.top_over((x0 - reach, x1 + reach, y0 - reach, y1 + reach)), v.top) + ABOVE_METAL_MM
    moves: list[Move] = []
    for one in _runs(v):
        moves += [
            Rapid(*one.whole.start),
            Rapid(z=safe),
            Feed(None, None, tip, v.feed_down),
            *follow(one.whole, v.feed),
            Rapid(z=safe),
        ]
    return [*moves, Rapid(z=w.clearance)]


def _marks(v: Values, w: Work) -> list[Mark]:
    contour = path_of(v)
    if contour is None:
        return []
    x0, x1, y0, y1 = path_bounds(contour)
    return [
        SectionAt((y0 + y1) / 2), Distance("top", (x0, 0.0), (x0, v.top), 90.0, "section"),
        Distance("width", (x1, v.top), (x1, v.top - v.width), 90.0, "section"),
    ]  # fmt: skip


def _title(v: Values, units: Units) -> str:
    contour = v.get("contour")
    wide = show(v.width, units=units) if v.get("width") else ""
    return f"{wide} on {contour.name}".strip() if contour is not None else "contour"


def _suggest_side(v: Values, _: Work) -> Suggestion:
    path = path_of(v)
    outside = path is not None and area(path) > 0
    return Suggestion(
        "right" if outside else "left",
        "outside the contour" if path is not None and is_closed(path) else "the tool is left of it",
    )


def _suggest_tool(v: Values, w: Work) -> Suggestion | None:
    cones = [
        t for t in w.tools.values() if t.kind in CONES and t.profile.slope > 0 and t.radius > v.width + t.profile.flat
    ]
    best = min(cones, key=lambda t: (CONES.index(t.kind), t.diameter), default=None)
    return Suggestion(str(best.number), f"{best.name}: its cone is wide enough") if best else None


def _suggest_below(v: Values, _: Work) -> Suggestion:
    room = v.tool.tip_length - v.width * v.tool.profile.slope
    return Suggestion(show(max(min(0.5, room / 2), 0.0), digits=2), "the tip itself cuts badly")


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    cones = [t for t in w.tools.values() if t.kind in CONES and t.profile.slope > 0]
    number = pick.choice(tuple(str(t.number) for t in cones))
    tool = w.tools[int(number)]
    room = tool.radius - tool.profile.flat
    width = pick.number(0.2, 0.7 * room)
    return {
        "contour": pick.choice(tuple(k for k, c in w.contours.items() if c.path is not None)),
        "side": pick.choice(("left", "right")), "top": str(w.block.z1), "width": str(width), "tool": number,
        "below": str(pick.number(0.0, 0.9 * (room - width) * tool.profile.slope)), "lead_length": str(pick.number(0.0, 3.0)),
    }  # fmt: skip


def _engagement(v: Values) -> tuple[float, float]:
    return (float(v.width), float(v.width))


CYCLE = Cycle(
    id="chamfer",
    on_surfaces=AND_UNROLLED,
    rank=26,
    name="Chamfer",
    words=("chamfer", "bevel", "edge", "deburr", "contour"),
    summary="Break the edge along a contour",
    tool_kinds=CONES,
    fields=(
        Field("contour", "Contour", "Place", Kind.CONTOUR, "Along which contour is the edge broken?"),
        Field("side", "Tool runs", "Place", Kind.CHOICE, "On which side of the contour does the tool run (the metal is on the other)?", suggest=_suggest_side,
              choices=(("left", "Left of it"), ("right", "Right of it"))),
        Field("top", "Top at Z", "Place", Kind.LENGTH, "At what Z is the edge before it is broken?", suggest=suggest_top, limits=LONG, stand_in=0.0),
        Field("width", "Width", "Size", Kind.LENGTH, "How wide is the chamfer, seen from above?", limits=SIZE, stand_in=1.0),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which tool with a cone breaks the edge?", suggest=_suggest_tool),
        Field("below", "Tip below", "Cut", Kind.LENGTH, "How far below the chamfer does the tip run?", suggest=_suggest_below, limits=NOT_NEGATIVE),
        *speed_fields(engagement=_engagement),
        feed_down_field(),
        Field("lead_length", "Lead-in radius", "Entry", Kind.LENGTH, "On what radius does it run onto the edge?", "1", NOT_NEGATIVE),
    ),
    pictogram=(("frame", 0.08, 0.15, 0.84, 0.7), ("ring", 0.2, 0.25, 0.6, 0.5), ("ring", 0.26, 0.31, 0.48, 0.38)),
    problems=_problems,
    removals=_removals,
    plan=_plan,
    marks=_marks,
    title=_title,
    sample=_sample,
    metal=lambda _: "both",
    engagement=_engagement,
)  # fmt: skip
