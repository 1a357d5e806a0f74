"""What driven tools take, cut open in the half section: each as if it lay in the plane of the section."""

from __future__ import annotations

import math

import shapely
from PyQt6.QtGui import QColor, QPainter

from bastler.core.geometry.halfsection import Area
from bastler.core.geometry.shapes import Box, Removal, RoundHole
from bastler.core.geometry.surface import Surface
from bastler.core.planning.work import Work
from bastler.core.plans.plan import StepPlan
from bastler.ui.drawing import pens
from bastler.ui.drawing.lathe.latheview import area_path
from bastler.ui.drawing.projection import Projection
from bastler.ui.theme.tokens import Theme

CHORDS = 24
LINE_POINTS = 240
ON_AXIS_MM = 1e-6

Outline = list[tuple[float, float]]


def paint_milled(p: QPainter, view: Projection, t: Theme, step: StepPlan, stock: Area, fill: QColor) -> None:
    """What a step takes of a half section, above the axis."""
    p.setPen(pens.edge(t.ink))
    p.setBrush(fill)
    for area in _areas(step):
        p.drawPath(area_path(view, shapely.intersection(area, stock)))


_known: dict[str, tuple[StepPlan, list[Area]]] = {}
"""By step id, as it was drawn last: a replay draws the same steps many times a second."""
MOST_KNOWN = 500


def _areas(step: StepPlan) -> list[Area]:
    """Each outline once, as an area."""
    known = _known.get(step.step.id)
    if known is not None and known[0] is step:
        return known[1]
    each = {tuple(round(c, 3) for q in outline for c in q): outline for outline in outlines(step)}
    areas: list[Area] = [shapely.Polygon(outline).buffer(0.0) for outline in each.values()]
    if len(_known) >= MOST_KNOWN:
        _known.clear()
    _known[step.step.id] = (step, areas)
    return areas


def outlines(step: StepPlan) -> list[Outline]:
    """Outlines (z, r) of what a step takes, through the middle of each of its shapes."""
    found: list[Outline] = []
    for part in step.parts or (step,):
        for surface in part.surfaces[:1]:
            for one in part.removals:
                if isinstance(one, RoundHole):
                    found += _hole(one, surface, part.work.block)
                else:
                    found += _along_line(one, surface, part.work)
    return found


def _along_line(one: Removal, surface: Surface, work: Work) -> list[Outline]:
    """What a shape takes along the line through its middle: out from the axis on the end face, along it on the outside; as (z, r)."""
    x0, x1, y0, y1 = one.bounds()
    x, y = (x0 + x1) / 2, (y0 + y1) / 2
    away = math.hypot(x, y)
    c, s = (x / away, y / away) if away > ON_AXIS_MM else (1.0, 0.0)
    low, high = (0.0, work.block.x1) if surface.on == "end" else (max(x0, work.block.x0), min(x1, work.block.x1))
    runs: list[list[tuple[float, float]]] = [[]]
    for k in range(LINE_POINTS + 1):
        at = low + (high - low) * k / LINE_POINTS
        depth = float(one.depth(at * c, at * s) if surface.on == "end" else one.depth(at, y))
        if depth >= 0:
            runs[-1].append((at, one.floor + float(one.rise(depth))))
        elif runs[-1]:
            runs.append([])
    top = work.block.z1
    rings = [[*run, (run[-1][0], top), (run[0][0], top)] for run in runs if len(run) > 1]
    return [[_seen_at(q, surface) for q in ring] for ring in rings]


def _seen_at(q: tuple[float, float], surface: Surface) -> tuple[float, float]:
    """A place along the surface, and over it, in the half section."""
    across, z = q
    return (z, across) if surface.on == "end" else (across, surface.distance + z)


def _hole(one: RoundHole, surface: Surface, block: Box) -> list[Outline]:
    """A hole cut through its middle, as (z, r)."""
    top, profile = block.z1, one.profile
    half = [(profile.radius_at(h), one.tip + h) for h in (k * profile.tip_length / CHORDS for k in range(CHORDS + 1))]
    half = [(0.0, one.tip), *half, (profile.radius, top)]
    middle = math.hypot(*one.centre) if surface.on == "end" else one.centre[0]
    ring = [(middle + r, z) for r, z in half] + [(middle - r, z) for r, z in reversed(half)]
    return [[_seen_at(q, surface) for q in ring]]
