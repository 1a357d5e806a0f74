"""The top view, or the half section of a turned part, as DXF: stock, part, every step's outline and every contour on a layer of its own, arcs as arcs."""

from __future__ import annotations

import io
import math
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec.structs import replace

from bastler.core.benches import bench_of
from bastler.core.diskfiles import write_atomically
from bastler.core.geometry.path import Arc, arc_sweep
from bastler.core.geometry.path import Path as Outline
from bastler.core.geometry.shapes import Removal, RoundHole
from bastler.core.geometry.underside import Profile
from bastler.core.plans.plan import Plan, StepPlan
from bastler.core.quantities import MM_PER_INCH

if TYPE_CHECKING:
    from ezdxf.layouts import Modelspace

NOT_IN_LAYERS = str.maketrans(dict.fromkeys('<>/\\":;?*|=`', "-"))
UNITS_CODE = {"mm": 4, "inch": 1}


def write_dxf(plan: Plan, path: Path) -> int:
    """Write the drawing in the job's units; returns the number of entities."""
    import ezdxf

    document = ezdxf.new("R2010")
    document.units = UNITS_CODE[plan.job.units]
    space = document.modelspace()
    factor = 1.0 if plan.job.units == "mm" else 1.0 / MM_PER_INCH
    document.layers.add("stock")
    document.layers.add("part")
    for layer, outline in bench_of(plan).outlines(plan):
        _outline(space, outline, layer, factor)
    for one in plan.cut:
        layer = f"{one.number:02d}-{one.cycle.id}"
        document.layers.add(layer)
        for removal in one.removals:
            if not removal.wanted:
                for outline in _as_cut(removal, one).outlines():
                    _outline(space, outline, layer, factor)
    for contour in plan.contours.values():
        if contour.path is not None:
            layer = f"contour {contour.name}".translate(NOT_IN_LAYERS)
            if layer not in document.layers:
                document.layers.add(layer)
            _outline(space, contour.path, layer, factor)
    text = io.StringIO()
    document.write(text)
    write_atomically(path, text.getvalue().encode())
    return len(space)


def _as_cut(removal: Removal, one: StepPlan) -> Removal:
    """A hole as wide as it is at its top: a spot is narrower than the tool that made it."""
    top = one.answers.values.get("top")
    if not isinstance(removal, RoundHole) or top is None:
        return removal
    radius = removal.profile.radius_at(top - removal.tip)
    return replace(removal, profile=Profile(radius, min(removal.profile.flat, radius)))


def _outline(space: Modelspace, outline: Outline, layer: str, f: float) -> None:
    here = outline.start
    attributes = {"layer": layer}
    for e in outline.elements:
        if isinstance(e, Arc):
            radius = math.dist(here, e.centre)
            centre = (e.centre[0] * f, e.centre[1] * f)
            sweep = arc_sweep(here, e)
            a = math.degrees(math.atan2(here[1] - e.centre[1], here[0] - e.centre[0]))
            b = a + math.degrees(sweep)
            if abs(sweep) >= math.tau - 1e-9:
                space.add_circle(centre, radius * f, dxfattribs=attributes)
            else:
                space.add_arc(centre, radius * f, *((a, b) if e.ccw else (b, a)), dxfattribs=attributes)
        else:
            space.add_line((here[0] * f, here[1] * f), (e.end[0] * f, e.end[1] * f), dxfattribs=attributes)
        here = e.end
