"""Part off: the part cut from the bar, its back edge broken before, slower near the axis."""

from __future__ import annotations

import math

import shapely

from bastler.core.cycles.base import Cycle, Pick
from bastler.core.cycles.lathefields import (
    LONG,
    NOT_NEGATIVE,
    SPEED_FIELDS,
    feed_field,
    speed_problems,
    start,
    suggest_kind,
)
from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.halfsection import clean, clipped, volume
from bastler.core.geometry.path import Point
from bastler.core.marks import Distance, Mark
from bastler.core.moves import Catcher, CuttingSpeed, Feed, Move, Rapid
from bastler.core.planning.lathe.space import body_is_clear, edge_along, space
from bastler.core.planning.work import Cleared, Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, show

ABOVE_MM = 1.0
OVER_CHAMFER_MM = 0.3
LEAST_MM3 = 0.05
THROUGH_MM = 0.2
"""So far it goes into a bore that is there."""


def _metal(v: Values, w: Work) -> tuple[float, float]:
    """Inner and outer radius of the metal there."""
    band = clipped(w.lathe.stock, v.back_z - v.tool.width, 0.0, v.back_z + v.get("chamfer", 0.0), 1e4)
    return (float(band.bounds[1]), float(band.bounds[3])) if not band.is_empty else (0.0, w.lathe.away[1])


def _top(v: Values, w: Work) -> float:
    return _metal(v, w)[1]


def _bottom(v: Values, w: Work) -> float:
    """Radius that the edge goes down to: past the axis or into the bore by its corners, and by what it slants, unless a pip stays."""
    bore, past = _metal(v, w)[0], float(v.tool.in_plane.past)
    if bore > THROUGH_MM:
        return bore - past - THROUGH_MM
    return float(v.pip / 2) if v.get("pip", 0.0) > 0 else -past


def _ways(v: Values, w: Work) -> list[list[Point]]:
    """Paths of the left corner: down beside the chamfer, along the chamfer and on, all the way down."""
    left, edge, c = v.back_z - v.tool.width, _top(v, w), v.get("chamfer", 0.0)
    top, bottom = edge + ABOVE_MM, _bottom(v, w)
    if c <= 0:
        return [[(left, top), (left, bottom)]]
    # The round of the corner touches the chamfer beside where a sharp one would: r (√2 − 1) along its normal.
    low = edge - c - (2 - math.sqrt(2)) * v.tool.in_plane.nose
    return [
        [(left, top), (left, low - OVER_CHAMFER_MM)],
        [(left + top - low, top), (left, low), (left, bottom)],
    ]


def _clears(v: Values, w: Work) -> tuple[Cleared, ...]:
    cut = shapely.union_all([edge_along(v.tool.in_plane, way) for way in _ways(v, w)])
    return (Cleared(clean(shapely.intersection(w.lathe.stock, cut))),)


def _problems(v: Values, w: Work) -> list[Problem]:
    tool, found = v.tool, speed_problems(v, w)

    def mm(value: float) -> str:
        return show(value, units=w.units)

    top = _top(v, w)
    if v.get("chamfer", 0.0) > top - _metal(v, w)[0]:
        text = f"The chamfer is wider than the metal there, {mm(top - _metal(v, w)[0])}. Make it smaller."
        return [*found, Problem("chamfer", text)]
    if top - _bottom(v, w) > tool.deep:
        found.append(
            Problem(
                "tool",
                f"The cut is {mm(top - _bottom(v, w))} deep, the blade goes {mm(tool.deep)}. Take a longer blade.",
            )
        )
    if v.back_z >= w.lathe.stock.bounds[2] if not w.lathe.stock.is_empty else True:
        found.append(Problem("back_z", "No metal lies in front of this Z. Give a smaller Z."))
    elif volume(_clears(v, w)[0].area) < LEAST_MM3:
        found.append(Problem("back_z", "There is no metal left to part off here. Check the Z."))
    if v.get("pip", 0.0) > 0 and (bore := _metal(v, w)[0]) > THROUGH_MM:
        text = f"The cut ends in a bore of Ø{mm(2 * bore)}, so there is no pip. Leave the field empty."
        found.append(Problem("pip", text, blocks=False))
    if any(p.blocks for p in found):
        return found
    one = space(w.lathe.stock, w.lathe.fixed, tool.in_plane).without(_clears(v, w)[0].area)
    if not all(body_is_clear(one, way) for way in _ways(v, w)):
        found.append(
            Problem(
                "back_z",
                f"The holder of tool {tool.number} touches the jaws or the part here. Let the stock stand out further, or take a slimmer blade.",
            )
        )
    return found


def _plan(v: Values, w: Work) -> list[Move]:
    front, high = w.lathe.away[0] + ABOVE_MM, w.lathe.away[1] + ABOVE_MM
    moves: list[Move] = [*start(v), Rapid(high, None, front)]
    *before, last = _ways(v, w)
    for way in before:
        moves += [*_to(way), *(Feed(r, None, z, v.feed) for z, r in way[1:]), Rapid(high)]
    moves += _to(last)
    if v.get("catch", False):
        moves.append(Catcher(out=True))
    *down, (_, bottom) = last[1:]
    moves += [Feed(r, None, z, v.feed) for z, r in down]
    slow = v.get("slow_below", 0.0) / 2
    if bottom < slow:
        if slow < (down or last[:1])[-1][1]:
            moves.append(Feed(slow, None, None, v.feed))
        if v.get("speed_by", "rev") == "surface":
            moves.append(CuttingSpeed(v.cutting_speed, v.slow_speed))
        moves.append(Feed(bottom, None, None, v.feed * v.slow_feed / 100))
    else:
        moves.append(Feed(bottom, None, None, v.feed))
    moves.append(Rapid(high))
    if v.get("catch", False):
        moves.append(Catcher(out=False))
    return [*moves, Rapid(None, None, front)]


def _to(way: list[Point]) -> list[Move]:
    """At rapid to where a way begins, beside it first."""
    return [Rapid(None, None, way[0][0]), Rapid(way[0][1])]


def _marks(v: Values, w: Work) -> list[Mark]:
    z = v.get("back_z", -30.0)
    return [Distance("back_z", (0.0, 0.0), (z, 0.0), 0.0, "section")]


def _suggest_slow(v: Values, w: Work) -> Suggestion:
    return Suggestion(show(round(0.35 * 2 * w.lathe.away[1], 0)), "about a third of the bar")


def _sample(pick: Pick, w: Work) -> dict[str, str]:
    return {
        "back_z": str(pick.number(-45.0, -15.0)), "chamfer": str(pick.number(0.0, 1.0)), "pip": pick.choice(("0", "2")),
        "catch": pick.choice(("no", "yes")), "speed_by": pick.choice(("surface", "rev")),
    }  # fmt: skip


CYCLE = Cycle(
    id="part_off",
    rank=70,
    name="Part off",
    words=("part", "off", "cut", "saw", "separate"),
    summary="Cut the part from the bar",
    tool_kinds=("parting-tool",),
    fields=(
        Field("back_z", "Back of the part", "Place", Kind.LENGTH, "At what Z is the back face of the part?", limits=LONG, stand_in=-30.0),
        Field("chamfer", "Back chamfer", "Size", Kind.LENGTH, "How wide is the chamfer at its back edge (0 for none)?", "0", NOT_NEGATIVE),
        Field("pip", "Leave a pip of", "Size", Kind.LENGTH, "What diameter is left uncut at the axis (0: cut right through)?", "0", NOT_NEGATIVE),
        Field("tool", "Tool", "Cut", Kind.TOOL, "Which blade is used?", suggest=suggest_kind("parting-tool")),
        *SPEED_FIELDS,
        feed_field(),
        Field("slow_below", "Slower below", "Cut", Kind.LENGTH, "Below what diameter does it feed slower?", suggest=_suggest_slow, limits=NOT_NEGATIVE),
        Field("slow_feed", "Feed there", "Cut", Kind.PERCENT, "To what share of its feed does it slow down?", "50", Limits(1, 100)),
        Field("slow_speed", "Speed limit there", "Cut", Kind.SPINDLE, "What is the highest spindle speed there?", suggest=lambda _, w: Suggestion(show(min(1500.0, w.lathe.limit), digits=0), "so that the part falls quietly"), limits=Limits(0, 100_000, low_open=True), shown=lambda v: bool(v.get("speed_by") == "surface")),
        Field("catch", "Part catcher", "Entry", Kind.FLAG, "Does the part catcher come out for it?", "no"),
    ),
    pictogram=(("frame", 0.05, 0.3, 0.4, 0.4), ("frame", 0.55, 0.3, 0.4, 0.4), ("line", 0.5, 0.1, 0.0, 0.75)),
    problems=_problems,
    clears=_clears,
    plan=_plan,
    marks=_marks,
    title=lambda v, units: f"Z {show(v.get('back_z', 0.0), units=units)}",
    sample=_sample,
)  # fmt: skip
