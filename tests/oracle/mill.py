"""A milling machine by brute force: heights on a grid, lowered under the tool at every short step of its way."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numba import njit

from tests.oracle.text import Point, arc_points, blocks, centre_by_radius

STEP_MM = 0.12
PROFILE_POINTS = 400


@dataclass
class Cutter:
    """Half width and, at even steps from its axis outwards, height over the tip; mm."""

    radius: float
    heights: np.ndarray


def cutter(t) -> Cutter:  # type: ignore[no-untyped-def]
    """By the sizes of a tool record, each kind in its own words."""
    r = t.diameter / 2
    if t.kind == "thread-mill":
        r -= 0.5413 * t.pitch
    d = np.linspace(0.0, r, PROFILE_POINTS)
    h = np.zeros_like(d)
    if t.kind == "ball-mill":
        h = r - np.sqrt(r * r - d * d)
    elif t.kind in ("end-mill", "face-mill") and t.corner_radius:
        over = np.maximum(d - (r - t.corner_radius), 0.0)
        h = t.corner_radius - np.sqrt(np.maximum(t.corner_radius**2 - over**2, 0.0))
    elif t.kind in ("drill", "insert-drill", "spot-drill", "countersink", "chamfer-mill"):
        h = np.maximum(d - t.tip_diameter / 2, 0.0) / math.tan(math.radians(t.point_angle / 2))
    elif t.kind == "centre-drill":
        inner = d <= t.tip_diameter / 2
        h = np.where(
            inner,
            d / math.tan(math.radians(59)),
            t.pilot_length + (d - t.tip_diameter / 2) / math.tan(math.radians(30)),
        )
    elif t.kind == "taper-mill":
        h = np.maximum(d - t.tip_diameter / 2, 0.0) / math.tan(math.radians(t.side_angle))
    elif t.kind == "reamer" and t.lead:
        h = np.maximum(d - (r - t.lead), 0.0)
    elif t.kind == "tap":
        core = max(r - 0.6134 * t.pitch, 0.1 * r)
        h = np.maximum(d - core, 0.0) * t.lead_threads * t.pitch / (r - core)
    return Cutter(r, h)


@njit(cache=True)
def sink(heights, x0, y0, cell, floor, places, radius, profile):  # type: ignore[no-untyped-def]  # pragma: no cover
    """Lower every cell under a tool at every place."""
    ny, nx = heights.shape
    last = len(profile) - 1
    for k in range(len(places)):
        x, y, z = places[k]
        for j in range(max(int((y - radius - y0) / cell), 0), min(int((y + radius - y0) / cell) + 1, ny)):
            for i in range(max(int((x - radius - x0) / cell), 0), min(int((x + radius - x0) / cell) + 1, nx)):
                away = math.hypot(x0 + (i + 0.5) * cell - x, y0 + (j + 0.5) * cell - y)
                if away <= radius:
                    under = max(z + profile[int(away / radius * last)], floor)
                    if under < heights[j, i]:
                        heights[j, i] = under


@dataclass
class Mill:
    """The machine: block ``x0, x1, y0, y1, z0, z1``, tools by number, zero of each work offset, cell; mm."""

    block: tuple[float, float, float, float, float, float]
    tools: dict  # type: ignore[type-arg]
    offsets: dict[str, tuple[float, float]]
    cell: float
    heights: np.ndarray = field(init=False)
    seconds: float = 0.0

    def __post_init__(self) -> None:
        x0, x1, y0, y1, _, z1 = self.block
        nx, ny = round((x1 - x0) / self.cell), round((y1 - y0) / self.cell)
        self.heights = np.full((ny, nx), z1)
        self.x0, self.y0 = (x0 + x1 - nx * self.cell) / 2, (y0 + y1 - ny * self.cell) / 2

    def run(self, text: str) -> None:
        """The whole program."""
        at, scale, motion, tool, offset, shift = [1e3, 1e3, 1e3], 1.0, 0, 0, "G54", (0.0, 0.0)
        turning, feed, chain, side, hole, high, before = False, 0.0, list[Point](), 0.0, dict[str, float](), True, 0.0
        for w in blocks(text):
            gs = w.get("G", [])
            scale = 25.4 if 20 in gs else 1.0 if 21 in gs else scale
            if "T" in w and 6 in w.get("M", []):
                tool, turning = int(w["T"][0]), False
            for m in w.get("M", []):
                turning = True if m in (3, 4) else False if m in (5, 19) else turning
            if "F" in w:
                feed = w["F"][0] * scale
            for g in gs:
                if 54 <= g <= 59:
                    offset = f"G{g:g}"
                motion = int(g) if g in (0, 1, 2, 3, 73, 74, 76, 81, 82, 83, 84, 85, 86, 89) else motion
                high = True if g == 98 else False if g == 99 else high
            if 52 in gs:
                shift = (w.get("X", [0])[0] * scale, w.get("Y", [0])[0] * scale)
                continue
            if 80 in gs:
                motion, hole = 0, {}
            if 4 in gs or 10 in gs:
                continue
            if 53 in gs:
                if "Z" in w:
                    at[2] = 1e3
                if "X" in w or "Y" in w:
                    at[0] = at[1] = 1e3
                continue
            ox, oy = (a + b for a, b in zip(self.offsets.get(offset, (0.0, 0.0)), shift, strict=True))
            new = [
                w["X"][0] * scale + ox if "X" in w else at[0],
                w["Y"][0] * scale + oy if "Y" in w else at[1],
                w["Z"][0] * scale if "Z" in w else at[2],
            ]
            if 41 in gs or 42 in gs:
                side, chain = (
                    self.tools[int(w.get("D", [tool])[0])].diameter / 2 * (1 if 41 in gs else -1),
                    [(at[0], at[1], at[2])],
                )
            if motion in (73, 74, 76, 81, 82, 83, 84, 85, 86, 89):
                if any(g == motion for g in gs):
                    if not hole:
                        before = at[2]
                    hole = {k: w[k][0] * scale for k in "ZR" if k in w} | {"q": w.get("Q", [0])[0] * scale}
                if any(k in w for k in "XY") or any(g == motion for g in gs):
                    self._march([(new[0], new[1], hole["R"]), (new[0], new[1], hole["Z"])], tool, turning)
                    at = [new[0], new[1], before if high else hole["R"]]
                continue
            if not any(k in w for k in "XYZIJR"):
                continue
            if motion in (2, 3):
                centre = (at[0] + w.get("I", [0])[0] * scale, at[1] + w.get("J", [0])[0] * scale) if "I" in w or "J" in w else centre_by_radius(tuple(at), tuple(new), w["R"][0] * scale, motion == 3)  # fmt: skip
                flat = arc_points(tuple(at), tuple(new), centre, motion == 3, STEP_MM)
                way = [(x, y, at[2] + (new[2] - at[2]) * (k + 1) / len(flat)) for k, (x, y) in enumerate(flat)]
            else:
                way = [(new[0], new[1], new[2])]
            if side:
                chain += way
                if 40 in gs:
                    side, chain = self._close(chain, side, tool, turning)
            elif at[0] < 900 and at[2] < 900:
                self._march([(at[0], at[1], at[2]), *way], tool, turning and motion > 0)
                if motion > 0 and feed > 0:
                    self.seconds += (
                        60 / feed * sum(math.dist(a, b) for a, b in zip([tuple(at), *way], way, strict=False))
                    )
            at = new

    def _close(self, chain: list[Point], side: float, tool: int, turning: bool) -> tuple[float, list[Point]]:
        """Beside the programmed way: every short piece is shifted, and left out where that comes nearer to its neighbours than the radius."""
        r, points = abs(side), []
        inner = chain[1:-1]
        fine: list[Point] = [inner[0]]
        for a, b in zip(inner, inner[1:], strict=False):
            n = max(int(math.dist(a, b) / STEP_MM), 1)
            fine += [tuple(p + (q - p) * k / n for p, q in zip(a, b, strict=True)) for k in range(1, n + 1)]
        xy = np.array([p[:2] for p in fine])
        reach = int(4 * r / STEP_MM)
        for k, (a, b) in enumerate(zip(fine, fine[1:], strict=False)):
            long = math.dist(a[:2], b[:2])
            if long < 1e-9:
                continue
            nx, ny = -(b[1] - a[1]) / long * side, (b[0] - a[0]) / long * side
            for p in (a, b):
                at = (p[0] + nx, p[1] + ny)
                near = xy[max(k - reach, 0) : k + reach]
                if np.hypot(near[:, 0] - at[0], near[:, 1] - at[1]).min() >= r - 0.03:
                    points.append((at[0], at[1], p[2]))
        self._march([chain[0], points[0]], tool, turning)
        self._march(points, tool, turning)
        self._march([points[-1], chain[-1]], tool, turning)
        return 0.0, []

    def _march(self, way: Sequence[Point], tool: int, turning: bool) -> None:
        if not turning or tool not in self.tools:
            return
        places = []
        for a, b in zip(way, way[1:], strict=False):
            n = max(int(math.dist(a, b) / STEP_MM), 1)
            places += [tuple(p + (q - p) * k / n for p, q in zip(a, b, strict=True)) for k in range(n + 1)]
        if places:
            c = cutter(self.tools[tool])
            sink(self.heights, self.x0, self.y0, self.cell, self.block[4], np.array(places), c.radius, c.heights)
