"""Roughing and finishing handed to the control as a cycle, once its own way, written out, has been tried against the metal.

The profile is the planner's finishing pass, so the nose radius is in it already. The control's roughing knows neither the
stock nor the tool's body: each of its moves is tried here as the walker's own are.
"""

from __future__ import annotations

import itertools

from bastler.core.geometry.halfsection import as_path
from bastler.core.geometry.path import Line, Path, Point
from bastler.core.geometry.roughingcycles import Way, faced, is_steady, roughed
from bastler.core.moves import Rapid, TurnCycle
from bastler.core.planning.lathe.reach import Reached
from bastler.core.planning.lathe.space import TOUCHES_MM2, seen_area, way_is_clear
from bastler.core.planning.lathe.walk import GAP_MM, NoWay, Walker
from bastler.core.problems import TooMany

ESCAPE_MM = 0.5


def by_cycle(
    walker: Walker, reach: Reached, path: tuple[Point, ...], depth: float, leave: tuple[float, float],
    feeds: tuple[float, float], *, across: bool,
) -> None:  # fmt: skip
    """Rough and finish along ``path`` by one cycle; raises :class:`NoWay` where the control's way would touch something.

    ``leave``: along a and u; ``feeds``: roughing's and finishing's; ``across``: passes towards the axis.
    """
    if len(path) < 2 or reach.space.view.back or reach.cleared.is_empty:
        raise NoWay
    gone = seen_area(reach.cleared, reach.space.view).bounds
    start = (max(gone[2], path[0][0], path[-1][0]) + GAP_MM, max(gone[3], path[0][1], path[-1][1]) + GAP_MM)
    chain = [(path[-1][0], start[1]), *reversed(path)] if across else [(start[0], path[0][1]), *path]
    if not is_steady(chain):
        raise NoWay
    walker.rapid(start)
    try:
        way = (faced if across else roughed)(start, chain, depth, ESCAPE_MM, leave)
    except TooMany:
        raise NoWay from None
    _carry_out(walker, way)
    profile = as_path(chain)
    _carry_out(walker, [("rapid", profile.start)])
    walker.along(profile)
    _carry_out(
        walker,
        [("rapid", (start[0], walker.at[1])) if across else ("rapid", (walker.at[0], start[1])), ("rapid", start)],
    )
    out = walker.space.view.reach == "in"
    x, z = walker.out(profile.start)
    walker.moves.append(
        TurnCycle(across, (Rapid(x, None, z), *walker.written(profile, feeds[1])), depth, ESCAPE_MM, (leave[0], -leave[1] if out else leave[1]), feeds[0])
    )  # fmt: skip


def _carry_out(walker: Walker, way: Way) -> None:
    """Do what the control does, without writing it; each run of cuts at once."""
    for how, places in itertools.groupby(way, key=lambda one: one[0]):
        points = [p for _, p in places]
        if how == "feed":
            walker.along(Path(walker.at, tuple(Line(p) for p in points)))
            continue
        for p in points:
            if not way_is_clear(walker.space, walker.at, p, TOUCHES_MM2):
                raise NoWay
            walker.at = p
