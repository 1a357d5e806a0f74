"""What can be wrong with a pocket: tool, depth, way down, steps, a hole that isn't there, corners that nobody cleared before."""

from __future__ import annotations

from msgspec.structs import replace

from bastler.core.cycles import loading
from bastler.core.cycles.base import machine_problems
from bastler.core.cycles.joints import joint_problems
from bastler.core.cycles.pocketing import FITS_MM, Size, helix_radius, lead_of, ramp_length
from bastler.core.cycles.wallreach import reach_problems
from bastler.core.fields import Values
from bastler.core.geometry.path import Point, rounded_rectangle
from bastler.core.geometry.shapes import Prism, Removal
from bastler.core.planning import rest
from bastler.core.planning.clearing import WIDEST_STEP_SHARE
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import show
from bastler.core.tooling.cutting import deepest

DEEPEST_PLUNGE_MM = 0.8
"""So much may still lie on the floor where a corner is begun; less than the lift."""
SMALLEST_LEAD_MM = 0.2
SENSIBLE_DEPTH_DIAMETERS = 1.5


def problems(v: Values, w: Work, size: Size, removal: Removal, centres: list[Point]) -> list[Problem]:
    """What is wrong with tool, depth, entry and steps for pockets of a size at some places."""
    tool, found = v.tool, machine_problems(v, w) + joint_problems(v)
    name = f"Tool {tool.number} ({show(tool.diameter, units=w.units)})"
    narrow = 2 * size.b
    fits = min(2 * (size.corner - v.leave_walls), narrow - 2 * v.leave_walls)
    if tool.diameter > narrow - 2 * v.leave_walls + FITS_MM:
        found.append(
            Problem(
                "tool",
                f"{name} is too big for a pocket {show(narrow, units=w.units)} wide. The largest that fits is {show(fits, units=w.units)}.",
            )
        )
    elif tool.radius > size.corner + FITS_MM:
        largest = show(2 * size.corner, units=w.units)
        found.append(
            Problem(
                "tool",
                f"{name} leaves radius {show(tool.radius, units=w.units)} in the corners; the pocket asks for {show(size.corner, units=w.units)}. The largest that fits is {largest}. Or leave the corners to a smaller tool.",
            )
        )
    if v.depth <= tool.corner_radius:
        found.append(
            Problem(
                "tool",
                f"{name} has corner radius {show(tool.corner_radius, units=w.units)}, more than the pocket is deep.",
            )
        )
    if tool.flat_radius < 0.1 * tool.radius:
        found.append(
            Problem("tool", f"{name} has no flat bottom to clear a floor with. Take one with a smaller corner radius.")
        )
    found += depth_problems(v, w, removal)
    if size.left_radius:
        found += _rest_problems(v, w, size, removal)
    else:
        found += _entry_problems(v, size)
        if v.entry == "hole":
            found += _hole_problems(v, w, removal, centres)
    if v.side_step > WIDEST_STEP_SHARE * tool.flat_radius + FITS_MM:
        limit = show(WIDEST_STEP_SHARE * tool.flat_radius, units=w.units)
        found.append(
            Problem(
                "side_step", f"With {name} a side step above {limit} leaves metal in the corners. Take at most {limit}."
            )
        )
    if v.get("leave_floor", 0.0) >= v.depth:
        found.append(Problem("leave_floor", "More is left on the floor than the pocket is deep."))
    return found


def depth_problems(v: Values, w: Work, removal: Removal) -> list[Problem]:
    """What is wrong with the depth and with how far the tool reaches."""
    tool, found = v.tool, []
    bottom = v.top - v.depth
    high = w.top_over(removal.bounds())
    name = f"Tool {tool.number}"
    if bottom < w.block.z0 - FITS_MM:
        found.append(
            Problem(
                "depth",
                f"The floor at Z {show(bottom, units=w.units)} lies below the block, which ends at Z {show(w.block.z0, units=w.units)}.",
            )
        )
    found += reach_problems(v, w, high, bottom, "the pocket needs")
    width = float(v.side_step) if loading.is_even(v) else float(tool.diameter)
    most = max(
        SENSIBLE_DEPTH_DIAMETERS * tool.diameter,
        loading.DEEPER_SHARE * deepest(tool, w.material, min(width, tool.diameter)),
    )
    if not loading.is_even(v):
        most = SENSIBLE_DEPTH_DIAMETERS * tool.diameter
    if tool.flute_length >= v.depth_per_pass > most:
        sensible = show(most, units=w.units)
        found.append(
            Problem(
                "depth_per_pass",
                f"{show(v.depth_per_pass, units=w.units)} per pass is much for {name}; {sensible} is sensible.",
                blocks=False,
            )
        )
    return found


def _other_ways(v: Values, size: Size) -> str:
    """Which ways down are left, as a sentence."""
    there = [("a helix", helix_radius(v, size)), ("a ramp", ramp_length(v, size)), ("a plunge", v.tool.plunges)]
    ways = [word for word, possible in there if possible]
    if ways:
        return f"Use {' or '.join(ways)}."
    return "Drill a hole before and go down in that, or take a smaller tool."


def _entry_problems(v: Values, size: Size) -> list[Problem]:
    if v.entry == "helix" and not helix_radius(v, size):
        return [Problem("entry", f"The pocket is too narrow for a helix. {_other_ways(v, size)}")]
    if v.entry == "ramp" and not ramp_length(v, size):
        return [Problem("entry", f"The pocket is too short for a ramp. {_other_ways(v, size)}")]
    if v.entry == "plunge" and not v.tool.plunges:
        return [
            Problem(
                "entry",
                f"Tool {v.tool.number} doesn't cut across its centre and may not plunge. Use a helix or a ramp.",
            )
        ]
    if v.entry in ("helix", "ramp") and v.ramp_angle > v.tool.ramp_angle + FITS_MM:
        return [Problem("ramp_angle", f"Tool {v.tool.number} may ramp at {show(v.tool.ramp_angle)}° at most.")]
    return _lead_problems(v, size)


def _lead_problems(v: Values, size: Size) -> list[Problem]:
    if v.finish_walls and v.compensation == "control" and lead_of(v, size) < SMALLEST_LEAD_MM:
        return [
            Problem(
                "compensation",
                "There is no room for a run-in with compensation by the control. Let Bastler offset the path, "
                "or give a larger lead-in radius.",
            )
        ]
    return []


def _hole_problems(v: Values, w: Work, removal: Removal, centres: list[Point]) -> list[Problem]:
    """Going down in a hole wants one as wide as the tool, down to the floor."""
    for at in centres:
        wide = 2 * w.hole_radius(at, removal.floor + FITS_MM)
        if wide < v.tool.diameter - FITS_MM:
            there = (
                f"is only {show(wide, units=w.units)} wide down there"
                if wide
                else "does not reach the floor, or is not there"
            )
            return [
                Problem(
                    "entry",
                    f"The hole at X {show(at[0], units=w.units)} Y {show(at[1], units=w.units)} {there}; T{v.tool.number} needs {show(v.tool.diameter, units=w.units)}. Drill before, or go down by helix.",
                )
            ]
    return []


def _rest_problems(v: Values, w: Work, size: Size, removal: Removal) -> list[Problem]:
    """Corners are cut from where a larger tool stood before; that must be so, down to the floor."""
    if v.tool.radius + v.leave_walls >= 0.98 * size.left_radius:
        return [
            Problem(
                "tool",
                f"Tool {v.tool.number} is no smaller than what cut the pocket: radius {show(size.left_radius, units=w.units)} stands in its corners. Take a smaller tool.",
            )
        ]
    assert isinstance(removal, Prism)
    path = rounded_rectangle(size.a - size.left_radius, size.b - size.left_radius, 0.0)
    turned = removal.angle if removal.length >= removal.width else removal.angle + 90.0
    ends = [e.end for e in path.placed(removal.centre, turned).elements] or [removal.centre]
    floor = max(w.open_floor(p, v.tool.radius) for p in ends)
    if floor > removal.floor + DEEPEST_PLUNGE_MM:
        return [
            Problem(
                "corners",
                "No step before has cleared this pocket down to its floor. Cut it first with a larger tool, and with Corners left to a smaller one.",
            )
        ]
    if floor > removal.floor + FITS_MM and not v.tool.plunges:
        return [
            Problem(
                "tool",
                f"The floor still has {show(floor - removal.floor, units=w.units)} on it, and tool {v.tool.number} doesn't plunge. Finish the floor before.",
            )
        ]
    wanted = replace(removal, length=v.length, width=v.width)
    before = rest.cut_before(wanted, w.done)
    standing = rest.on_walls(wanted, before) if before else 0.0
    if not v.finish_walls and v.leave_walls < standing - FITS_MM:
        return [
            Problem(
                "leave_walls",
                f"The walls still have {show(standing, units=w.units)} on them. Leave as much in the corners, or finish the walls.",
            )
        ]
    return _lead_problems(v, size)
