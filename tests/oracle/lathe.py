"""A lathe by brute force: the half section as cells, emptied under the edge at every short step of its way."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
import shapely
import shapely.affinity

from tests.oracle.text import Point, arc_points, blocks, centre_by_radius

STEP_MM = 0.07


def rounded(points: list[tuple[float, float]], nose: float) -> shapely.Polygon:
    """A sharp outline with all its corners rounded, another way than by skeletons: opened by a disc."""
    sharp = shapely.Polygon(points)
    return sharp.buffer(-nose, quad_segs=64, join_style="mitre").buffer(nose, quad_segs=64) if nose else sharp


def insert_outline(shape: str, corner: float, edge: float, nose: float, lead: float) -> shapely.Polygon:
    """A right-hand insert with its theoretical corner at the origin, z to the right and r up: walked round edge by edge."""
    turns = {"T": [60] * 3, "S": [90] * 4, "W": [80, 160] * 3, "P": [108] * 5, "H": [120] * 6, "O": [135] * 8}.get(
        shape, [corner, 180 - corner] * 2
    )
    heading, at, points = 180.0 - lead, (0.0, 0.0), [(0.0, 0.0)]
    for k in range(len(turns) - 1):
        at = (at[0] + edge * math.cos(math.radians(heading)), at[1] + edge * math.sin(math.radians(heading)))
        points.append(at)
        heading -= 180 - turns[(k + 1) % len(turns)]
    area = rounded(points, nose)
    z0, r0 = area.bounds[:2]
    return shapely.affinity.translate(area, -z0, -r0) if nose else area


@dataclass
class Lathe:
    """The machine: bar as z0, z1, bore, radius; outlines of tools (z, r) by number about what is steered; mm."""

    blank: tuple[float, float, float, float]
    outlines: dict[int, shapely.Polygon]
    cell: float
    per_minute: int = 98
    metal: np.ndarray = field(init=False)

    def __post_init__(self) -> None:
        z0, z1, bore, radius = self.blank
        self.zs = np.arange(z0 + self.cell / 2, z1, self.cell)
        self.rs = np.arange(self.cell / 2, radius, self.cell)
        self.metal = np.broadcast_to((self.rs >= bore)[:, None], (len(self.rs), len(self.zs))).copy()

    def volume(self) -> float:
        """Metal left, mm³."""
        return float((self.metal.sum(axis=1) * self.rs).sum() * math.tau * self.cell**2)

    def run(self, text: str, four_figures: bool = True) -> None:
        """The whole program; threads leave no trace, taps neither."""
        at, scale, motion, tool, turning = [1e3, 1e3], 1.0, 0, 0, False
        for w in blocks(text):
            gs = w.get("G", [])
            scale = 25.4 if 20 in gs else 1.0 if 21 in gs else scale
            if "T" in w:
                tool = int(w["T"][0]) // 100 if four_figures else int(w["T"][0])
            for m in w.get("M", []):
                turning = True if m in (3, 4) else False if m == 5 else turning
            motion = next((int(g) for g in gs if g in (0, 1, 2, 3, 32, 33)), motion)
            if 50 in gs or 4 in gs or (92 in gs and "S" in w):
                continue
            new = [w["Z"][0] * scale if "Z" in w else at[0], w["X"][0] * scale / 2 if "X" in w else at[1]]
            if motion in (2, 3) and any(k in w for k in "XZ"):
                centre = (at[0] + w.get("K", [0])[0] * scale, at[1] + w.get("I", [0])[0] * scale) if "I" in w or "K" in w else centre_by_radius(tuple(at), tuple(new), w["R"][0] * scale, motion == 3)  # fmt: skip
                way = [(at[0], at[1]), *arc_points(tuple(at), tuple(new), centre, motion == 3, STEP_MM)]
            else:
                way = [(at[0], at[1]), (new[0], new[1])]
            if at[0] < 900 and motion in (1, 2, 3) and turning and tool in self.outlines:
                self._march(way, self.outlines[tool])
            at = new

    def _march(self, way: list[Point], outline: shapely.Polygon) -> None:
        """Cells whose middle an edge covers, on both sides of the axis."""
        places = []
        for a, b in zip(way, way[1:], strict=False):
            n = max(int(math.dist(a, b) / STEP_MM), 1)
            places += [(a[0] + (b[0] - a[0]) * k / n, a[1] + (b[1] - a[1]) * k / n) for k in range(n + 1)]
        z0, r0, z1, r1 = outline.bounds
        shapely.prepare(outline)
        for z, r in places:
            i = slice(*np.searchsorted(self.zs, (z + z0, z + z1)))
            for sign in (1.0, -1.0):
                low, high = sorted((sign * (r + r0), sign * (r + r1)))
                j = slice(*np.searchsorted(self.rs, (low, high)))
                part = self.metal[j, i]
                if part.size and part.any():
                    zz, rr = np.meshgrid(self.zs[i] - z, sign * self.rs[j] - r)
                    part &= ~shapely.contains_xy(outline, zz, rr)
