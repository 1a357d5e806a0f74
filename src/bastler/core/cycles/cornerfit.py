"""Whether a mill gets into the corners and narrow places of a contour."""

from __future__ import annotations

from collections.abc import Callable

from bastler.core.fields import Values
from bastler.core.planning.nest import Loops
from bastler.core.planning.tight import cornered
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import show


def corner_problems(
    v: Values, w: Work, edge: Loops, centres: Callable[[float], Loops], rest: str, *, blocks: bool
) -> list[Problem]:
    """What stays in corners and narrow places of an edge; ``centres`` as for :func:`cornered`, ``rest`` ends the sentence."""
    tool = v.tool
    found = cornered(edge, centres, tool.radius)
    if found is None:
        return []

    def mm(value: float) -> str:
        return show(value, units=w.units)

    (x, y), largest = found
    remedy = f"The largest that follows it is {mm(2 * largest)}" if largest else "No tool reaches into a sharp corner"
    text = f"Tool {tool.number} ({mm(tool.diameter)}) can't reach the corner at X {mm(x)} Y {mm(y)}. {remedy}{rest}"
    return [Problem("tool", text, blocks=blocks)]
