"""Following a contour: paths of the tool beside it or on it, what they take out, what can be wrong, the moves.

*Passes*: paths of the tool's centre, the one farthest from the contour first. The finished shape is what the tool's
circle sweeps along them and on the ways on and off. Field names are those of the outline.
"""

from __future__ import annotations

import math

from bastler.core.cycles import tabbing
from bastler.core.cycles.base import machine_problems
from bastler.core.cycles.cornerfit import corner_problems
from bastler.core.cycles.wallreach import reach_problems
from bastler.core.fields import Values
from bastler.core.geometry.bands import is_closed
from bastler.core.geometry.nearest import begun_near
from bastler.core.geometry.offsets import inset
from bastler.core.geometry.path import Line, Path, Point, path_bounds
from bastler.core.geometry.shapes import Removal
from bastler.core.geometry.track import track
from bastler.core.moves import Feed, Move, Rapid, follow
from bastler.core.planning import outlining
from bastler.core.planning.channel import Tabs, down_and_round, gaps, slope_for, start_of
from bastler.core.planning.edgefeed import Metal
from bastler.core.planning.outlining import SIDES, Run, centre_paths
from bastler.core.planning.passes import levels
from bastler.core.planning.work import ABOVE_METAL_MM, Work
from bastler.core.problems import Problem
from bastler.core.quantities import show

FITS_MM = 1e-6
ROUNDING_MM = 0.02
AIR_MM = 0.5


def path_of(v: Values) -> Path | None:
    """The contour that is followed."""
    contour = v.get("contour")
    return contour.path if contour is not None else None


def closed(v: Values) -> bool:
    """Whether it ends where it starts."""
    path = path_of(v)
    return path is not None and is_closed(path)


def opened(v: Values) -> bool:
    """Whether there is one, and it is open."""
    return path_of(v) is not None and not closed(v)


def side_of(v: Values) -> float:
    """+1 left of it, -1 right of it, 0 on the line."""
    return SIDES[v.get("side", "on")]


def radius_of(v: Values) -> float:
    """The tool's; a hair more where the control offsets, which wants room for rounding."""
    return float(v.tool.radius + (ROUNDING_MM if v.get("compensation") == "control" else 0.0))


def _backwards(v: Values) -> bool:
    """Whether the contour is run through from its end: climb milling has the tool on the left."""
    return bool(v.get("way", "climb") == "climb") == (side_of(v) < 0)


def free_left(v: Values) -> bool:
    """Whether the free side is on the left of the way that the tool goes."""
    return (side_of(v) >= 0) != _backwards(v)


def _offsets(v: Values) -> list[float]:
    """Distances of the passes from the contour, the farthest first."""
    if not side_of(v):
        return [0.0]
    count, step = v.get("side_passes", 1), v.get("side_step", 0.0)
    return [radius_of(v) + v.leave + k * step for k in range(count - 1, -1, -1)]


def start_point(contour: Path, v: Values) -> Point:
    """Where along the contour the person wants to begin."""
    along = min(v.get("start_at") or 0.0, contour.length)
    return contour.part(0.0, along).end if along > FITS_MM else contour.start


def _paths(v: Values) -> list[Path]:
    """All passes, begun where the person wants."""
    contour, result = path_of(v), list[Path]()
    assert contour is not None
    at = start_point(contour, v)
    for away in _offsets(v):
        for path in centre_paths(contour, side_of(v), away):
            one = path.reversed() if _backwards(v) else path
            result.append(begun_near(one, at) if is_closed(one) else one)
    return result


def _run(v: Values, path: Path) -> Run:
    return outlining.run(path, v.lead, v.lead_length, free_left(v), v.get("overlap", 0.0))


def by_ramp(v: Values) -> bool:
    """Whether the tool goes down along the contour."""
    return bool(v.get("down", "ramp") == "ramp")


def tabs_of(v: Values) -> Tabs | None:
    """The tabs that stay, on closed contours cut by ramp."""
    return tabbing.tabs_of(v) if closed(v) and by_ramp(v) else None


def removals(v: Values, w: Work) -> tuple[Removal, ...]:
    """What the tool takes out along all passes and leads."""
    contour, tool, floor = path_of(v), v.get("tool"), v.top - v.depth
    if contour is None or tool is None:
        return ()
    tabs, found = tabs_of(v), list[Removal]()

    def cut(path: Path, z: float) -> None:
        found.append(track(path, tool.profile, z))

    for path in _paths(v):
        one = _run(v, path)
        if is_closed(path):
            cut(path, max(floor, tabs.top) if tabs else floor)
            for gap in gaps(path, tabs, tool.radius) if tabs else ():
                cut(gap, floor)
            for way in _ways(v, one, path):
                if way.elements:
                    cut(way, floor)
        else:
            cut(one.whole, floor)
    return tuple(found)


def _ways(v: Values, one: Run, path: Path) -> list[Path]:
    """Where the tool goes on the floor besides a closed path itself."""
    if _controlled(v, path) is not None:
        centre, on = one.onto.elements[0].centre, (one.onto, one.off)  # type: ignore[union-attr]
        return [*on, Path(centre, (Line(one.onto.start),)), Path(one.off.end, (Line(centre),))]
    if tabs_of(v):
        return []
    return [one.off] if by_ramp(v) else [one.onto, one.off]


def _controlled(v: Values, path: Path) -> Path | None:
    """The wall that the control offsets to a closed path; ``None`` if Bastler offsets."""
    if v.get("compensation") != "control" or not is_closed(path) or v.lead != "arc" or not v.lead_length or by_ramp(v):
        return None
    side, radius = (1.0 if free_left(v) else -1.0), radius_of(v)
    turned = path if side > 0 else path.reversed()
    walls = inset([turned], -radius)
    back = inset(walls, radius)
    if len(walls) != 1 or len(back) != 1 or abs(back[0].length - path.length) > 1e-3:
        return None
    return walls[0] if side > 0 else walls[0].reversed()


def problems(v: Values, w: Work) -> list[Problem]:
    """What is wrong with contour, tool, depth, leads, tabs."""
    tool, found, contour = v.tool, machine_problems(v, w), path_of(v)
    assert contour is not None
    name = f"Tool {tool.number}"

    def mm(value: float) -> str:
        return show(value, units=w.units)

    found += _fit_problems(v, w, contour)
    if any(p.blocks for p in found):
        return found
    high, bottom = _high(v, w, contour), v.top - v.depth
    found += reach_problems(v, w, high, bottom, "this needs")
    if v.get("side_passes", 1) > 1 and side_of(v) and v.side_step > 2 * tool.flat_radius - FITS_MM:
        found.append(
            Problem("side_step", f"A side step above {mm(2 * tool.flat_radius)} leaves ridges with {name}. Take less.")
        )
    return found + _way_problems(v, w, contour)


def _fit_problems(v: Values, w: Work, contour: Path) -> list[Problem]:
    """Whether the tool gets along the contour."""
    tool, side = v.tool, side_of(v)

    def mm(value: float) -> str:
        return show(value, units=w.units)

    for away in _offsets(v):
        if not centre_paths(contour, side, away):
            return [
                Problem(
                    "tool",
                    f"Tool {tool.number} ({mm(tool.diameter)}) doesn't fit beside the contour at {mm(away)}. Take a smaller one, or fewer side passes.",
                )
            ]
    if not side:
        return []
    return corner_problems(
        v, w, (contour,), lambda r: tuple(centre_paths(contour, side, r)), "; metal stays there.", blocks=False
    )


def _way_problems(v: Values, w: Work, contour: Path) -> list[Problem]:
    """What is wrong with the ways down, on and off."""
    tool, found, tabs = v.tool, list[Problem](), tabs_of(v)
    if by_ramp(v) and v.ramp_angle > tool.ramp_angle + FITS_MM:
        found.append(Problem("ramp_angle", f"Tool {tool.number} may ramp at {show(tool.ramp_angle)}° at most."))
    paths = _paths(v)
    runs = [_run(v, p) for p in paths]
    if side_of(v) and v.lead_length > 0:
        away = radius_of(v) + min(v.leave, 0.0)
        for path, one in zip(paths, runs, strict=True):
            ways = _ways(v, one, path)[:2] if is_closed(path) else [one.onto, one.off]
            if not all(outlining.has_room(way, contour, away) for way in ways if way.elements):
                text = "There is no room here to run on and off: the tool would cut into the contour. Take a shorter lead, or another start."
                found.append(Problem("lead_length", text))
                break
    if (
        not by_ramp(v)
        and not tool.plunges
        and not all(w.block.is_beyond(r.whole.start, tool.radius + AIR_MM) for r in runs)
    ):
        found.append(
            Problem(
                "down",
                f"Tool {tool.number} doesn't cut across its centre and may not plunge. Go down by a ramp, or begin outside the block.",
            )
        )
    if v.get("compensation") == "control" and any(_controlled(v, p) is None for p in paths):
        text = "The control can offset closed contours that the tool follows, with an arc on and off and plunging down. Let Bastler offset this one."
        found.append(Problem("compensation", text))
    found += tabbing.problems(v, w, tabs, min((p.length for p in paths), default=0.0))
    return found


def metal_beside(v: Values) -> Metal:
    """On which side of its way the tool cuts."""
    if not side_of(v) or v.get("side_passes", 1) == 1 or (opened(v) and v.get("both_ways", True)):
        return "both"
    return "right" if free_left(v) else "left"


def _high(v: Values, w: Work, contour: Path) -> float:
    """Z of the highest metal that the tool meets."""
    reach = v.tool.diameter + v.lead_length + sum(_offsets(v))
    x0, x1, y0, y1 = path_bounds(contour)
    return w.top_over((x0 - reach, x1 + reach, y0 - reach, y1 + reach))


def moves(v: Values, w: Work) -> list[Move]:
    """All passes, the farthest first, each down to the bottom."""
    contour = path_of(v)
    assert contour is not None
    high, bottom = _high(v, w, contour), v.top - v.depth
    safe = high + ABOVE_METAL_MM
    heights = levels(high, bottom, v.depth_per_pass)
    moves: list[Move] = []
    for path in _paths(v):
        one, wall = _run(v, path), _controlled(v, path)
        if not moves:
            moves += [Rapid(*one.whole.start), Rapid(z=safe)]
        if wall is not None:
            moves += _by_control(v, one, wall, heights, high, safe)
        elif not by_ramp(v):
            moves += outlining.in_levels(
                one, heights, high, safe, v.feed, v.feed_down, both_ways=opened(v) and v.get("both_ways", True)
            )
        elif is_closed(path):
            moves += _round(v, one, path, high, bottom)
        else:
            slope = math.tan(math.radians(v.ramp_angle))
            moves += outlining.ramped(one, high, bottom, slope, v.depth_per_pass, v.feed, v.feed_down)
        moves.append(Rapid(z=safe))
    return [*moves, Rapid(z=w.clearance)]


def _by_control(v: Values, one: Run, wall: Path, heights: list[float], high: float, safe: float) -> list[Move]:
    moves: list[Move] = []
    centre, above = one.onto.elements[0].centre, high  # type: ignore[union-attr]
    for level in heights:
        moves += [Rapid(*centre), Rapid(z=above + outlining.ABOVE_MM), Feed(None, None, level, v.feed_down)]
        moves += [*outlining.by_control(wall, one, radius_of(v), free_left(v), v.feed), Rapid(z=safe)]
        above = level
    return moves


def _round(v: Values, one: Run, path: Path, high: float, bottom: float) -> list[Move]:
    """A closed path: down all the way round, lifted over tabs, on to where it is left, and off it."""
    tabs, top, whole = tabs_of(v), high + outlining.ABOVE_MM, path.length
    slope = slope_for(v.ramp_angle, v.depth_per_pass, path)
    # Without tabs it begins where its last lap will end at the path's start: nothing is cut twice.
    begin = 0.0 if tabs else -(top - bottom) / slope % whole
    laps = path.part(begin, begin + whole)
    moves: list[Move] = [
        Rapid(*laps.part(start_of(laps, tabs), whole).start),
        Rapid(z=top + outlining.ABOVE_MM),
        Feed(None, None, top, v.feed),
    ]
    moves += down_and_round(laps, tabs, v.tool.radius, top, bottom, slope, v.feed, v.feed_down)
    if tabs is None:
        moves += follow(path.part(0.0, v.overlap), v.feed) if v.overlap else []
        moves += follow(one.off, v.feed)
    return moves
