"""Tabs that stay behind a cut all round: read from the fields, and judged, for the cycles that have them."""

from __future__ import annotations

from bastler.core.fields import Values
from bastler.core.planning.channel import Tabs, length_taken
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import show

MOST_TABS_SHARE = 0.8
"""Of a lap, that its tabs may take."""


def tabs_of(v: Values) -> Tabs | None:
    """The tabs that are asked for."""
    count = v.get("tabs", 0)
    return Tabs(count, v.tab_length, v.top - v.depth + v.tab_height) if count else None


def problems(v: Values, w: Work, tabs: Tabs | None, lap: float) -> list[Problem]:
    """What is wrong with them; ``lap``: the shortest way round, mm."""
    if tabs is None:
        return []
    tool, found = v.tool, list[Problem]()
    if not tool.plunges:
        text = f"Behind each tab the tool goes straight down, which tool {tool.number} can't. Take one that plunges, or no tabs."
        found.append(Problem("tabs", text))
    if v.tab_height >= v.depth:
        found.append(Problem("tab_height", "The tabs are as high as the cut is deep. Give a smaller height."))
    if length_taken(tabs, tool.radius) > MOST_TABS_SHARE * lap:
        text = f"{tabs.count} tabs of {show(v.tab_length, units=w.units)} leave no way round between them. Take fewer or shorter ones."
        found.append(Problem("tabs", text))
    return found
