"""Whether a mill reaches down a wall: metal at all, its stick-out, its flutes, its shank."""

from __future__ import annotations

from bastler.core.fields import Values
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import show

FITS_MM = 1e-6
SHANK_CLEAR_MM = 0.02
"""A shank that is thinner than the flutes by this much, in diameter, doesn't rub."""


def reach_problems(v: Values, w: Work, high: float, bottom: float, needs: str) -> list[Problem]:
    """What is wrong with cutting from ``high`` down to ``bottom`` (Z); ``needs``: "the pocket needs"."""
    tool, found = v.tool, list[Problem]()
    name = f"Tool {tool.number}"

    def mm(value: float) -> str:
        return show(value, units=w.units)

    if bottom >= high:
        found.append(Problem("depth", f"There is no metal above Z {mm(bottom)} any more. Check Top at Z and Depth."))
    deep = high - bottom
    if deep > tool.stick_out:
        text = f"{name} stands out {mm(tool.stick_out)}, {needs} {mm(deep)}: the holder would touch. Clamp it longer or take a longer one."
        found.append(Problem("tool", text))
    elif deep > tool.flute_length and tool.shank_diameter > tool.diameter - SHANK_CLEAR_MM:
        text = f"{name} cuts {mm(tool.flute_length)} deep, {needs} {mm(deep)}: its shank would rub on the wall."
        found.append(Problem("tool", text))
    if v.depth_per_pass > tool.flute_length + FITS_MM:
        text = f"{name} has flutes of {mm(tool.flute_length)}; take at most that per pass."
        found.append(Problem("depth_per_pass", text))
    return found
