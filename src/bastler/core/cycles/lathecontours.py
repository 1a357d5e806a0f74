"""Cutting along a contour with a lathe tool: judged, cleared, and turned into moves, for the cycles that do so."""

from __future__ import annotations

import itertools
from functools import lru_cache
from typing import Literal

import shapely
from msgspec.structs import replace

from bastler.core.cycles.lathefields import (
    FINISH,
    ROUGH,
    fed,
    holding_in_the_way,
    no_way,
    speed_problems,
    start,
    too_short,
)
from bastler.core.fields import Values
from bastler.core.geometry.halfsection import Area, clean, clipped, points_of, polygons, volume, widened
from bastler.core.geometry.path import Path
from bastler.core.moves import Either, Move
from bastler.core.planning.lathe.alongcontour import (
    finish,
    finish_path,
    finish_reach,
    layers,
    moves_of,
    rough,
    rough_following,
    walker_at,
)
from bastler.core.planning.lathe.ascycle import by_cycle
from bastler.core.planning.lathe.bycontrol import finish_by_control
from bastler.core.planning.lathe.reach import Reached, reached
from bastler.core.planning.lathe.space import space
from bastler.core.planning.lathe.walk import NoWay
from bastler.core.planning.work import Cleared, Work
from bastler.core.problems import Problem
from bastler.core.quantities import Units, metal, show
from bastler.core.tooling.cutters import Cutter
from bastler.core.tooling.tools import Tool

Runs = Literal["axis", "radius", "contour"]
"""Which way roughing passes run."""
NOSE_SHARE = 0.2
"""Largest circle in the fillet that a nose leaves in a corner, as a share of its radius, and a little more."""
FELT_MM = 0.03
"""Metal thinner than this that stays is not told."""
NOTICED_MM2 = 1e-3
NOTICED_MM3 = 2.0


def leave_of(v: Values) -> tuple[float, float]:
    """Allowance along z and along r, mm; nothing where the step finishes."""
    return (v.get("leave_z", 0.0), v.get("leave_x", 0.0) / 2)


def reach_of(v: Values, w: Work, contour: Path, leave: tuple[float, float]) -> Reached:
    """What the tool reaches."""
    t = w.lathe
    return reached(contour, t.stock, t.fixed, v.tool.in_plane, leave, t.away)


def final(v: Values, w: Work, contour: Path) -> Reached:
    """What the whole step reaches: without the allowance if it finishes."""
    work, leave = v.get("work", "both"), leave_of(v)
    found = reach_of(v, w, contour, leave if work == "rough" else (0.0, 0.0))
    if work == "finish":
        return finish_reach(found, contour)
    if work == "both" and any(leave):
        # Thicker walls may leave other places for the body: roughing then gets where the finished walls are out of reach.
        rough = reach_of(v, w, contour, leave).cleared
        if shapely.difference(rough, found.cleared).area > NOTICED_MM2:
            cleared = clean(shapely.union_all([found.cleared, rough]))
            return replace(found, cleared=cleared, left=clean(shapely.difference(found.left, rough)))
    return found


def clears(v: Values, w: Work, contour: Path) -> tuple[Cleared, ...]:
    """The metal that goes, and what ought to."""
    found = final(v, w, contour)
    stays = shapely.union_all(noticed(found.left, v.tool.in_plane.nose))
    wanted = (
        (Cleared(stays, remedy(v, w, contour)[0]),) if not stays.is_empty and v.get("work", "both") != "rough" else ()
    )
    return (Cleared(found.cleared), *wanted)


@lru_cache(maxsize=64)
def noticed(left: Area, nose: float) -> tuple[Area, ...]:
    """Of what stays the parts that are more than the fillet that any nose leaves in a corner."""
    thin = max(FELT_MM, NOSE_SHARE * nose)

    def much(p: Area) -> bool:
        z0, r0, z1, r1 = p.bounds
        return min(z1 - z0, r1 - r0) > 2 * thin and volume(p) > NOTICED_MM3 and not widened(p, -thin).is_empty

    return tuple(p for p in polygons(left) if much(p))


def left_at(tool: Tool, parts: tuple[Area, ...], units: Units) -> str:
    """Where a tool doesn't get to, and how much stays, as a sentence."""
    inner = max(parts, key=volume).representative_point()
    where = f"Z {show(inner.x, units=units, digits=2)} X {show(2 * inner.y, units=units, digits=2)}"
    return f"Tool {tool.number} can't reach {where}: {metal(sum(volume(p) for p in parts), units, 2)} remain."


def remedy(v: Values, w: Work, contour: Path) -> tuple[str, Tool | None]:
    """What would take more, as a sentence; with the other tool of the table, if that is it."""
    if (best := better_tool(v, w, contour)) is not None:
        return f"T{best.number} ({best.name}) reaches it: turn the rest with that.", best
    if short := too_short(v.tool, w, deepest(contour)):
        return short, None
    if volume(_unheld(v, w, contour).left) < 0.5 * volume(final(v, w, contour).left):
        return holding_in_the_way(w), None
    return "No tool of the table reaches it. A slimmer insert or a blade would.", None


def _unheld(v: Values, w: Work, contour: Path) -> Reached:
    """What it would reach if nothing held the stock."""
    t = w.lathe
    return reached(contour, t.stock, shapely.Polygon(), v.tool.in_plane, (0.0, 0.0), t.away)


def deepest(contour: Path) -> float:
    """The Z of a contour that lies nearest to the chuck."""
    return min(p[0] for p in points_of(contour, 0.1))


def better_tool(v: Values, w: Work, contour: Path) -> Tool | None:
    """The tool of the table that leaves least, if it leaves much less than the step's own."""
    now, t = volume(final(v, w, contour).left), w.lathe
    found: list[tuple[float, int]] = []
    for tool in w.tools.values():
        fits = tool.kind in ("turning-tool", "boring-tool")
        if fits and tool.number != v.tool.number and tool.in_plane.reach == v.tool.in_plane.reach:
            left = volume(reached(contour, t.stock, t.fixed, tool.in_plane, (0.0, 0.0), t.away).left)
            found.append((left, tool.number))
    least, number = min(found, default=(now, 0))
    return w.tools[number] if least < 0.5 * now else None


def problems(v: Values, w: Work, contour: Path, *, inside: bool) -> list[Problem]:
    """What is wrong with tool, depth and contour."""
    found = speed_problems(v, w)
    cutter = v.tool.in_plane
    points = points_of(contour, 0.01)
    if any(q[0] > p[0] + 1e-6 for p, q in itertools.pairwise(points)) and cutter.nose <= 0:
        found.append(Problem("tool", f"Tool {v.tool.number} has no nose radius. Take one that has."))
    if inside != (cutter.reach == "in"):
        which = "a bore: take a boring tool" if inside else "the outside: take one that points at the axis"
        return [*found, Problem("tool", f"Tool {v.tool.number} ({v.tool.name}) is not for {which}.")]
    if any(p.blocks for p in found):
        return found
    if inside and (narrow := _narrowest(w, contour)) < v.tool.smallest_bore - 1e-6:
        text = f"Tool {v.tool.number} fits into bores from {show(v.tool.smallest_bore, units=w.units)}; here is {show(narrow, units=w.units)}. Drill wider before, or take a thinner bar."
        return [*found, Problem("tool", text)]
    stock = w.lathe.stock
    widest = max((p[1] for p, q in itertools.pairwise(points) if abs(p[1] - q[1]) < 1e-6), default=0.0)
    if inside and not stock.is_empty and widest >= stock.bounds[3] - 1e-6:
        text = f"The bore, Ø{show(2 * widest, units=w.units)}, is as wide as the stock or wider, Ø{show(2 * stock.bounds[3], units=w.units)}. Check it."
        return [*found, Problem("diameter" if v.get("shape") == "cylinder" else "contour", text)]
    reach = final(v, w, contour)
    if reach.free.is_empty or volume(reach.cleared) < 1e-3:
        text = f"Tool {v.tool.number} finds no metal here that it can reach. "
        there = volume(_unheld(v, w, contour).cleared) >= 1e-3
        text += holding_in_the_way(w) if there else "Check the contour, or take another tool."
        return [*found, no_way(v.tool, w, deepest(contour), text)]
    if not reach.left.is_empty and v.get("work", "both") != "rough":
        parts = noticed(reach.left, cutter.nose)
        if parts:
            advice, best = remedy(v, w, contour)
            found.append(
                Problem(
                    "tool",
                    f"{left_at(v.tool, parts, w.units)} {advice}",
                    blocks=False,
                    remedy=("tool", str(best.number)) if best is not None else None,
                )
            )
    return found


def ways(v: Values, w: Work, contour: Path, *, towards: bool = False, inwards: bool = False) -> list[Problem]:
    """What only the moves show: no way without touching, or none for the control's own cycle."""
    found = _way_problems(v, w, contour, towards, inwards)
    if not found and _as_cycle(v) and _cycle(v, w, contour, across=towards) is None:
        text = "The control's cycle can't do this: the contour turns back, or the tool would touch metal on the control's own way. Every move is written."
        return [Problem("written", text, blocks=False)]
    return found


def _narrowest(w: Work, contour: Path) -> float:
    """The smallest diameter of the bore that is there in front of a contour's end."""
    ahead = clipped(w.lathe.stock, contour.end[0] + 1e-3, 0.0, 1e4, 1e4)
    return 2 * float(ahead.bounds[1]) if not ahead.is_empty else 1e9


def _way_problems(v: Values, w: Work, contour: Path, towards: bool, inwards: bool) -> list[Problem]:
    if _moves(v, w, contour, towards, inwards) is None:
        if _by_control(v) and _moves(v, w, contour, towards, inwards, planned=True):
            return [
                Problem(
                    "compensation",
                    f"The control would lead tool {v.tool.number} along all of the contour, into places that its nose, insert or body doesn't reach. Let Bastler make the path, or take another tool.",
                )
            ]
        text = f"Tool {v.tool.number} finds no way here without its holder touching. "
        if v.get("work", "both") == "finish":
            text += "Rough it before if all of its metal is still there, or take a slimmer tool."
        else:
            text += "Take a slimmer one, a smaller depth per pass, or let the passes run the other way."
        return [no_way(v.tool, w, deepest(contour), text)]
    return []


def moves(v: Values, w: Work, contour: Path, *, towards: bool = False, inwards: bool = False) -> list[Move]:
    """Roughed in slices, finished along the contour; ``inwards``: the finishing pass runs the other way."""
    feeds = {ROUGH: v.get("feed", 0.0), FINISH: v.get("feed_finish", 0.0)}
    long = _moves(v, w, contour, towards, inwards)
    assert long is not None
    short = _cycle(v, w, contour, across=towards) if _as_cycle(v) else None
    if short is not None:
        return [*start(v), Either(tuple(fed(short, feeds)), tuple(fed(long, feeds)))]
    return [*start(v), *fed(long, feeds)]


def _as_cycle(v: Values) -> bool:
    """Whether a cycle of the control is wanted."""
    return bool(v.get("written", "moves") == "cycle")


def _cycle(v: Values, w: Work, contour: Path, *, across: bool) -> tuple[Move, ...] | None:
    t = w.lathe
    leave = leave_of(v)
    return _cycled(contour, t.stock, t.fixed, v.tool.in_plane, t.away, leave, v.depth_per_pass, across)


@lru_cache(maxsize=64)
def _cycled(
    contour: Path, stock: Area, fixed: Area, cutter: Cutter, away: tuple[float, float],
    leave: tuple[float, float], depth: float, across: bool,
) -> tuple[Move, ...] | None:  # fmt: skip
    """The moves with a cycle among them; ``None`` if the control's way would touch something."""
    whole = reached(contour, stock, fixed, cutter, (0.0, 0.0), away)
    walker = walker_at(whole.space, away)
    path = finish_path(whole, contour)
    if across and path:
        # A face is one straight cut from the outside in: past the middle, or out into the bore.
        ends = [u for _, u in path]
        path = ((contour.start[0], min(ends)), (contour.start[0], max(ends)))
    try:
        by_cycle(walker, whole, path, depth, leave, (ROUGH, FINISH), across=across)
        return tuple(moves_of(walker))
    except NoWay:
        return None


def _moves(
    v: Values, w: Work, contour: Path, towards: bool, inwards: bool, *, planned: bool = False
) -> tuple[Move, ...] | None:
    t, work = w.lathe, v.get("work", "both")
    runs: Runs = "radius" if towards else v.get("along", "axis")
    roughing = (leave_of(v), v.depth_per_pass, runs) if work != "finish" else None
    finishing = (
        None if work == "rough" else "control" if _by_control(v) and not planned else "inwards" if inwards else "along"
    )
    return _walked(contour, t.stock, t.fixed, v.tool.in_plane, t.away, roughing, finishing)


def _by_control(v: Values) -> bool:
    """Whether the control offsets the finishing pass by the nose radius."""
    return bool(v.get("compensation", "planner") == "control")


@lru_cache(maxsize=64)
def _walked(
    contour: Path, stock: Area, fixed: Area, cutter: Cutter, away: tuple[float, float],
    roughing: tuple[tuple[float, float], float, Runs] | None, finishing: Literal["along", "inwards", "control"] | None,
) -> tuple[Move, ...] | None:  # fmt: skip
    """The moves, their feeds as :data:`ROUGH` and :data:`FINISH`; ``None`` if the tool finds no way."""

    def at(leave: tuple[float, float]) -> Reached:
        return reached(contour, stock, fixed, cutter, leave, away)

    walker = walker_at(space(stock, fixed, cutter), away)
    try:
        if roughing is not None:
            leave, depth, runs = roughing
            if runs == "contour":
                for k in reversed(range(layers(at(leave), contour, depth))):
                    rough_following(walker, at((leave[0] + k * depth, leave[1] + k * depth)), contour, ROUGH)
            else:
                rough(walker, at(leave), depth, ROUGH, towards=runs == "radius")
        if finishing is not None:
            whole = at((0.0, 0.0))
            if finishing == "control":
                finish_by_control(walker, whole, contour, FINISH)
            else:
                path = finish_path(whole, contour)
                finish(walker, whole, path[::-1] if finishing == "inwards" else path, FINISH)
        return tuple(moves_of(walker))
    except NoWay:
        return None
