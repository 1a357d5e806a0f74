"""What all hole cycles share: where the holes are, from where they start, what can be wrong, how they are drawn.

*Top*: Z of the surface that depths count from. *Tip*: Z of the tool's lowest point at the bottom.
*Start*: Z from which it feeds, a little above the metal. *Back*: Z between two holes.
"""

from __future__ import annotations

import math
from typing import Literal

from msgspec import Struct

from bastler.core.cycles.base import LONG, Pick, machine_problems, suggest_top
from bastler.core.fields import Field, Suggestion, Unanswered, Values
from bastler.core.geometry.path import Point
from bastler.core.geometry.shapes import Bounds, Removal, RoundHole
from bastler.core.geometry.underside import Profile
from bastler.core.marks import CentreCross, Distance, HoleSpot, Mark, Radius, SectionAt
from bastler.core.moves import Bore as Boring
from bastler.core.moves import Drill, Move, Rapid
from bastler.core.planning.ordering import length, shortest
from bastler.core.planning.patterns import (
    OWN_PATTERN,
    PLACES,
    place_marks,
    place_problems,
    positions,
    skipped,
    used,
)
from bastler.core.planning.work import SAME_CENTRE_MM, Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, show
from bastler.core.tooling.tools import Tool

CLOSEST_HOLES_MM = 0.01
INSIDE_MM = 1e-3
"""So far over the block's underside there is metal for sure."""
SAME_SIZE_MM = 0.005
WORTH_MM = 1.0
MOST_TO_ORDER = 300
"""Half a second of search; whoever wants more chooses it."""


TOP = Field(
    "top",
    "Top at Z",
    "Place",
    Kind.LENGTH,
    "At what Z is the surface that the holes are measured from?",
    suggest=suggest_top,
    limits=LONG,
    stand_in=0.0,
)


def suggest_order(v: Values, _: Work) -> Suggestion:
    """The shortest way, where it spares any."""
    points = used(v)
    numbered = length(points)
    if len(points) > MOST_TO_ORDER:
        return Suggestion("numbered", f"more than {MOST_TO_ORDER} holes")
    short = length(list(shortest(tuple(points))))
    if short > numbered - WORTH_MM:
        return Suggestion("numbered", "no way through them is shorter")
    return Suggestion("short", f"{short:.0f} mm from first to last hole, as numbered {numbered:.0f}")


PLACE_FIELDS: tuple[Field, ...] = (OWN_PATTERN, *PLACES, TOP)
ENTRY_FIELDS: tuple[Field, ...] = (
    Field("start_distance", "Start above", "Entry", Kind.LENGTH, "How far above the metal does it begin to feed?", "2", Limits(0.2, 100)),
    Field("between", "Between holes", "Entry", Kind.CHOICE, "How high does it travel from hole to hole?", "low",
          choices=(("low", "Just above"), ("high", "Clearance"))),
    Field("order", "Order", "Entry", Kind.CHOICE, "In which order are the holes made?", suggest=suggest_order, stand_in="numbered",
          choices=(("numbered", "As numbered"), ("short", "Shortest way"))),
)  # fmt: skip


def dwell_field(default: str) -> Field:
    """The stay at the bottom, in s."""
    return Field("dwell", "Dwell", "Cut", Kind.TIME, "How long does it stay at the bottom?", default, Limits(0, 60))


class HoleWay(Struct, frozen=True):
    """Where a hole cycle goes: points in their order, and the Z of start and of travel."""

    points: tuple[Point, ...]
    start: float
    back: float


def bounds(points: list[Point], reach: float) -> Bounds:
    """Extent of holes of a radius."""
    xs, ys = [p[0] for p in points], [p[1] for p in points]
    return (min(xs) - reach, max(xs) + reach, min(ys) - reach, max(ys) + reach)


def highest_metal(v: Values, w: Work) -> float:
    """Z up to which metal may stand where the holes are."""
    return max(w.top_over(bounds(used(v), v.tool.radius)), float(v.top))


def way(v: Values, w: Work) -> HoleWay:
    """Order and heights."""
    points = tuple(used(v))
    if v.get("order", "numbered") == "short":
        points = shortest(points)
    start = highest_metal(v, w) + v.start_distance
    return HoleWay(points, start, max(w.clearance, start) if v.get("between", "low") == "high" else start)


def enclosed(way_: HoleWay, w: Work, *moves: Move) -> list[Move]:
    """Moves of a hole cycle with the way there and back up."""
    low = way_.back <= way_.start
    return [Rapid(*way_.points[0]), *([Rapid(z=way_.start)] if low else []), *moves, Rapid(z=w.clearance)]


def plunge(v: Values, w: Work, tip: float) -> list[Move]:
    """Straight down to ``tip`` at every hole, a moment there if asked, and out at rapid."""
    there = way(v, w)
    drilling = Drill(
        points=there.points, start=there.start, bottom=tip, feed=v.feed, back=there.back, dwell_s=v.get("dwell", 0.0)
    )
    return enclosed(there, w, drilling)


def bored(v: Values, w: Work, tip: float, leave: Literal["feed", "stop", "shift"], shift: float = 0.0) -> list[Move]:
    """Down to ``tip`` by feed at every hole, and out as ``leave`` says."""
    there = way(v, w)
    boring = Boring(points=there.points, start=there.start, bottom=tip, feed=v.feed, back=there.back, dwell_s=v.dwell,
                    leave=leave, shift=shift)  # fmt: skip
    return enclosed(there, w, boring)


def of_size(v: Values, w: Work, kinds: tuple[str, ...]) -> list[Tool]:
    """Tools of some kinds that are exactly as wide as the hole."""
    return [t for t in w.tools.values() if t.kind in kinds and abs(t.diameter - v.diameter) <= SAME_SIZE_MM]


def suggest_of_size(v: Values, w: Work, kinds: tuple[str, ...], reason: str) -> Suggestion | None:
    """The first of them."""
    fitting = of_size(v, w, kinds)
    return Suggestion(str(fitting[0].number), f"{fitting[0].name}: {reason}") if fitting else None


def size_problems(v: Values, w: Work, word: str) -> list[Problem]:
    """A tool of another size than the hole."""
    tool, size = v.tool, show(v.diameter, units=w.units)
    if abs(tool.diameter - v.diameter) > SAME_SIZE_MM:
        has = show(tool.diameter, units=w.units)
        return [Problem("tool", f"Tool {tool.number} makes {has}; the hole is {size}. Choose or add a {word} {size}.")]
    return []


def bores(v: Values, profile: Profile, tip: float) -> tuple[Removal, ...]:
    """What a tool leaves that goes down to ``tip`` at every hole."""
    return tuple(RoundHole(p, profile, tip) for p in used(v))


def hole_before(w: Work, at: Point) -> list[RoundHole]:
    """Holes that earlier steps made at this place, widest first."""
    found = [r for r in w.done if isinstance(r, RoundHole) and math.dist(r.centre, at) < SAME_CENTRE_MM]
    return sorted(found, key=lambda r: -r.radius)


def problems(v: Values, w: Work, tip: float, *, needs_hole: float = 0.0) -> list[Problem]:
    """What is wrong whatever the hole is: positions, reach of the tool.

    ``needs_hole``: the diameter that must be there already, 0 if the tool drills into the full.
    """
    tool, found = v.tool, machine_problems(v, w)
    points = used(v)
    found += place_problems(positions(v), skipped(v)) if not isinstance(v.get("pattern"), Struct) else []
    if not points:
        return found

    def mm(value: float) -> str:
        return show(value, units=w.units)

    closest = _closest(points)
    if closest is not None:
        found.append(
            Problem(
                "points" if v.pattern == "points" else "pattern",
                f"Two holes lie on the same place, X {mm(closest[0])} Y {mm(closest[1])}.",
            )
        )
    high = w.top_over(bounds(points, tool.radius))
    if tip >= min(high, v.top):
        found.append(Problem("depth", "The hole ends above the metal. Check Top at Z and Depth."))
    deep, whole = v.top - tip, max(high, v.top) - tip
    if whole > tool.stick_out:
        found.append(
            Problem(
                "tool",
                f"Tool {tool.number} stands out {mm(tool.stick_out)}; the hole needs {mm(whole)}. Take a longer {tool.kind.replace('-', ' ')}.",
            )
        )
    elif tool.clogs and deep > tool.flute_length:
        found.append(
            Problem(
                "tool",
                f"{tool.kind.replace('-', ' ').capitalize()} {tool.number} is {mm(deep - tool.flute_length)} too short: its flutes are {mm(tool.flute_length)}, the hole needs {mm(deep)}.",
            )
        )
    if needs_hole:
        found += _hole_problems(v, w, points, needs_hole, tip)
    return found


def _hole_problems(v: Values, w: Work, points: list[Point], needed: float, tip: float) -> list[Problem]:
    """Steps before must have made a hole of about ``needed`` diameter."""
    for i, p in enumerate(points, 1):
        if not hole_before(w, p) and not w.is_open(p, max(tip, w.block.z0 + INSIDE_MM), needed / 2):
            return [
                Problem(
                    "tool",
                    f"Hole {i} is not drilled yet: T{v.tool.number} needs a hole of {show(needed, units=w.units)} there. Add a drilling step before.",
                    blocks=False,
                    finding="no-hole",
                )
            ]
    return []


def _closest(points: list[Point]) -> Point | None:
    """A place where two holes coincide."""
    ordered = sorted(points)
    for i, p in enumerate(ordered):
        for q in ordered[i + 1 :]:
            if q[0] - p[0] > CLOSEST_HOLES_MM:
                break
            if math.dist(p, q) < CLOSEST_HOLES_MM:
                return p
    return None


def marks(v: Values, field: str, diameter: float) -> list[Mark]:
    """Holes with their numbers, the diameter as ``field``, and the pattern's dimensions."""
    points, leave = positions(v), skipped(v)
    first = points[0] if points else (0.0, 0.0)
    result: list[Mark] = [SectionAt(first[1])]
    result += [CentreCross(p, (diameter / 2 + 2, diameter / 2 + 2)) for p in points]
    if len(points) > 1:
        result += [HoleSpot(i, p, diameter / 2, i in leave) for i, p in enumerate(points, 1)]
    return [*result, Radius(field, first, diameter / 2, 60.0, diameter=True), *place_marks(v)]


def depth_marks(v: Values, field: str, reach: float, bottom: float) -> list[Mark]:
    """Depth and top beside the first hole in the section."""
    points = positions(v)
    x = points[0][0] if points else 0.0
    return [Distance(field, (x + reach, v.top), (x + reach, bottom), 90.0, "section"), top_mark(v, reach)]


def top_mark(v: Values, reach: float) -> Mark:
    """The top beside the first hole in the section."""
    points = positions(v)
    x = points[0][0] if points else 0.0
    return Distance("top", (x - reach, 0.0), (x - reach, v.top), 90.0, "section")


def sized_marks(v: Values, bottom: float) -> list[Mark]:
    """Marks of holes that are given by diameter and depth."""
    return [*marks(v, "diameter", v.diameter), *depth_marks(v, "depth", v.diameter / 2, bottom)]


def count_title(v: Values, size: str) -> str:
    """``6 × Ø8.5``."""
    try:
        return f"{len(used(v))} × {size}"
    except Unanswered:
        return size


def size_title(v: Values, units: Units, word: str) -> str:
    """``6 × Ø8.5``, or ``6 × holes`` while the diameter is open."""
    return count_title(v, f"Ø{show(v.diameter, units=units)}" if v.get("diameter") else word)


def sample_place(pick: Pick, w: Work) -> dict[str, str]:
    """Positions for the closed-loop test, every kind of pattern."""
    b = w.block
    x, y = str(pick.number(b.x0 + 12, b.x1 - 12)), str(pick.number(b.y0 + 12, b.y1 - 12))
    kind = pick.choice(("points", "line", "grid", "frame", "circle", "arc"))
    angle = str(pick.number(-90, 90))
    by_kind: dict[str, dict[str, str]] = {
        "points": {"points": f"{x}, {y}; {float(x) + 21}, {float(y) - 4}"},
        "line": {"first_x": x, "first_y": y, "count": pick.choice(("1", "3")), "pitch_x": str(pick.number(1, 25)), "angle": angle},
        "grid": {
            "first_x": x, "first_y": y, "columns": pick.choice(("1", "2", "4")), "rows": pick.choice(("1", "3")), "pitch_x": str(pick.number(1, 15)),
            "pitch_y": str(pick.number(1, 15)), "angle": angle, "staggered": pick.choice(("yes", "no")), "skew": str(pick.number(-20, 20)),
        },
        "frame": {"centre_x": x, "centre_y": y, "frame_length": str(pick.number(12, 60)), "frame_width": str(pick.number(12, 40)),
                  "columns": pick.choice(("2", "3")), "rows": pick.choice(("2", "4")), "angle": angle},
        "circle": {"centre_x": x, "centre_y": y, "circle_diameter": str(pick.number(5, 60)), "count": pick.choice(("1", "3", "6")), "start_angle": angle},
        "arc": {"centre_x": x, "centre_y": y, "circle_diameter": str(pick.number(20, 60)), "count": pick.choice(("1", "4")),
                "start_angle": angle, "step_angle": str(pick.number(15, 60))},
    }  # fmt: skip
    typed = {"pattern": kind, "top": str(b.z1), **by_kind[kind]}
    if (
        kind in ("circle", "grid")
        and pick.choice(("all", "not 1")) == "not 1"
        and "1" not in (typed.get("count"), typed.get("rows"), typed.get("columns"))
    ):
        typed["skip"] = "1"
    return typed


def sample_entry(pick: Pick) -> dict[str, str]:
    """Entry answers for the closed-loop test."""
    return {"between": pick.choice(("low", "high")), "order": pick.choice(("numbered", "short"))}
