"""How the check's stock and a simulator's are held against each other."""

from __future__ import annotations

import math

import numpy as np
import shapely
import shapely.affinity

from bastler.core.engine import Engine
from bastler.core.job.document import Job
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.oracle.lathe import Lathe, insert_outline, rounded
from tests.oracle.mill import Mill
from tests.stocks import height_field

CELL_MM = 0.5
LATHE_CELL_MM = 0.05
VOLUME_SHARE = 0.004
SMALL_MM3 = 60.0
LATHE_SHARE = 0.015
"""Half a cell at both walls of a groove."""
EDGE_SHARE = 0.02
"""Cells at the foot of a wall may differ: the simulator steps past them."""


def mill_differs(job: Job, dialect: str = "iso-mill") -> str:
    """Where a mill's stock differs, in words; empty if it doesn't."""
    p = plan(job)
    engine = Engine()
    checked = engine.check(Request(job, cell=CELL_MM, dialect=dialect))
    b = p.frame.bed
    names = p.frame.offset_names(p.setup.work_offset)
    offsets = {name: (float(x), float(y)) for name, (x, y) in zip(names, p.frame.parts, strict=False) if name}
    mill = Mill((b.x0, b.x1, b.y0, b.y1, b.z0, b.z1), dict(p.tools), offsets, CELL_MM)
    if p.frame.pieces:
        mill.heights = height_field(engine).blank.astype(float).copy()
    before = mill.heights.copy()
    mill.run(checked.program.text)
    gone, asked = (before - mill.heights).sum() * CELL_MM**2, (before - checked.field.heights).sum() * CELL_MM**2
    off = np.abs(mill.heights - checked.field.heights) > 0.05
    touched = np.maximum((checked.field.heights < before - 0.01).sum(), 1)
    if abs(gone - asked) > VOLUME_SHARE * asked + SMALL_MM3 or off.sum() > EDGE_SHARE * touched + 20:
        return f"removed {asked:.0f} by the check, {gone:.0f} by the simulator; {off.sum()} of {touched} cells differ"
    return ""


def outlines_of(tools: dict) -> dict[int, shapely.Polygon]:  # type: ignore[type-arg]
    """Edges of a lathe's tools by the sizes that were typed."""
    found = {}
    for number, t in tools.items():
        kind = t.kind
        if kind in ("turning-tool", "boring-tool", "threading-tool"):
            continue  # by their inserts' codes, below
        if kind in ("drill", "insert-drill", "spot-drill", "countersink"):
            r, tip = t.diameter / 2, t.tip_diameter / 2
            point = (r - tip) / math.tan(math.radians(t.point_angle / 2))
            found[number] = shapely.Polygon(
                [(0, -tip), (point, -r), (t.flute_length, -r), (t.flute_length, r), (point, r), (0, tip)]
            )
        elif kind in ("grooving-tool", "parting-tool") and not t.cutter.lean and t.cutter.reach == "out":
            low = min(r for _, r in t.cutter.skeleton)
            if all(r == low or r > low + 0.5 for _, r in t.cutter.skeleton):
                found[number] = rounded([(0, 0), (t.width, 0), (t.width, t.width), (0, t.width)], t.corner_radius)
    return found


def lathe_differs(job: Job, dialect: str = "iso-lathe-a", cell: float = LATHE_CELL_MM) -> str | None:
    """Where a lathe's half section differs, in words; empty if it doesn't; ``None`` for a tool or a cycle that the simulator doesn't know."""
    from bastler.core.tooling.inserts import read_insert

    p = plan(job)
    outlines = outlines_of(dict(p.tools))
    for record in job.tools:
        if record.kind in ("turning-tool", "boring-tool") and record.values.get("hand", "right") == "right":
            code, tool = read_insert(record.values["insert"]), p.tools[record.number]
            if code.corner:
                lead = _lead_of(record.values, code.shape)
                edge = insert_outline(code.shape, code.corner, code.edge, tool.corner_radius, lead)
                inside = record.kind == "boring-tool"
                outlines[record.number] = shapely.affinity.scale(edge, 1, -1, origin=(0, 0)) if inside else edge
    used = {s.tool.number for s in p.cut for s in (s.parts or (s,)) if s.tool is not None}
    unknown = {n for n in used if n not in outlines and p.tools[n].kind not in ("threading-tool", "tap")}
    if unknown or not p.order:
        return None
    checked = Engine().check(Request(job, dialect=dialect))
    text = checked.program.text
    if any(code in text for code in ("G71", "G72", "G41", "G42", "M11")):
        return None
    assert p.frame.chucking is not None
    z0, z1, bore, radius = p.frame.chucking.blank
    lathe = Lathe((z0, z1, bore, radius), outlines, cell)
    before = lathe.volume()
    lathe.run(text)
    gone = before - lathe.volume()
    asked = float(checked.removed.sum())
    if abs(gone - asked) > LATHE_SHARE * asked + SMALL_MM3:
        return f"removed {asked:.0f} by the check, {gone:.0f} by the simulator"
    return ""


def _lead_of(values: dict[str, str], shape: str) -> float:
    if values.get("lead_angle"):
        return float(values["lead_angle"])
    style = {
        "L": 95,
        "J": 93,
        "G": 90,
        "U": 93,
        "D": 45,
        "S": 45,
        "Q": 107.5,
        "K": 75,
        "R": 75,
        "V": 72.5,
        "N": 63,
        "H": 107.5,
        "C": 90,
        "F": 90,
    }
    code = values.get("holder_code", "")
    usual = {"C": 95, "D": 93, "V": 93, "W": 95, "T": 91, "S": 75, "K": 93}
    return style.get(code[2:3], usual.get(shape, 93)) if code else usual.get(shape, 93)
