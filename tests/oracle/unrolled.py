"""A driven tool round the side by brute force: cells of angle, length and radius, emptied under a cylinder that points to the axis at every short step of its way."""

from __future__ import annotations

import math
import re

import numpy as np

WORD = re.compile(r"([A-Z])(-?\d*\.?\d+)")
STEP_MM = 0.1
BEGIN = re.compile(r"G(?:7\.1|107) C([0-9.]+)")


def ways(text: str) -> list[list[tuple[float, float, float]]]:
    """Places (tip's radius mm, angle rad, Z mm) at short steps, a list for each time that the control unrolls the side.

    Reads X, Z, C, R of G1, G2 and G3; arcs lie in C·radius and Z, counter-clockwise as G19 has it.
    """
    scale = 25.4 if re.search(r"\bG20\b", text) else 1.0
    here = {"X": 0.0, "C": 0.0, "Z": 0.0}
    found: list[list[tuple[float, float, float]]] = []
    radius, motion = 0.0, 1
    for line in re.sub(r"\([^)]*\)", "", text).splitlines():
        words = WORD.findall(line)
        if begun := BEGIN.search(line):
            radius = float(begun[1]) * scale
            if radius:
                found.append([])
            continue
        for letter, number in words:
            if letter == "G" and float(number) in (0, 1, 2, 3):
                motion = int(float(number))
        there = {**here, **{w: float(n) * (1.0 if w == "C" else scale) for w, n in words if w in here}}
        if radius and any(w in "XZC" for w, _ in words):
            given = next((float(n) * scale for w, n in words if w == "R"), None)
            found[-1] += _along(here, there, radius, motion if given is not None else 1, given or 0.0)
        here = there
    return found


def _along(a: dict[str, float], b: dict[str, float], radius: float, motion: int, r: float) -> list[tuple[float, float, float]]:  # fmt: skip
    p, q = ((math.radians(e["C"]) * radius, e["Z"]) for e in (a, b))
    if motion == 1:
        count = max(math.ceil(math.hypot(math.dist(p, q), (b["X"] - a["X"]) / 2) / STEP_MM), 1)
        flat = [(p[0] + (q[0] - p[0]) * k / count, p[1] + (q[1] - p[1]) * k / count) for k in range(count + 1)]
    else:
        chord = math.dist(p, q)
        left = 1.0 if motion == 3 else -1.0
        high = math.sqrt(max(r * r - chord * chord / 4, 0.0)) * left
        middle = ((p[0] + q[0]) / 2 - high * (q[1] - p[1]) / chord, (p[1] + q[1]) / 2 + high * (q[0] - p[0]) / chord)
        begin = math.atan2(p[1] - middle[1], p[0] - middle[0])
        sweep = (left * (math.atan2(q[1] - middle[1], q[0] - middle[0]) - begin)) % math.tau
        count = max(math.ceil(sweep * r / STEP_MM), 1)
        turns = [begin + left * sweep * k / count for k in range(count + 1)]
        flat = [(middle[0] + r * math.cos(t), middle[1] + r * math.sin(t)) for t in turns]
    deep = [(a["X"] + (b["X"] - a["X"]) * k / count) / 2 for k in range(count + 1)]
    return [(x, u / radius, z) for x, (u, z) in zip(deep, flat, strict=True)]


def removed(text: str, tool: float, bar: float, cell: float = 0.2, layers: float = 0.2) -> float:
    """Volume (mm³) that a flat tool of a radius takes out of a bar of another."""
    places = np.array([p for way in ways(text) for p in way])
    places = places[places[:, 0] < bar]
    low = float(places[:, 0].min())
    rs = np.arange(low + layers / 2, bar, layers)
    layers = (bar - low) / len(rs)
    rs = low + layers * (np.arange(len(rs)) + 0.5)
    z0, z1 = places[:, 2].min() - tool - cell, places[:, 2].max() + tool + cell
    zs = np.arange(z0, z1, cell)
    count = math.ceil(math.tau * bar / cell)
    gone = np.zeros((len(rs), count, len(zs)), bool)
    half = min(math.asin(min(tool / low, 1.0)), math.pi / 2)
    reach = math.ceil(half / math.tau * count) + 1
    for tip, angle, z in np.unique(np.round(places, 4), axis=0):
        first = int((z - tool - z0) / cell)
        zz = slice(max(first, 0), int((z + tool - z0) / cell) + 2)
        middle = round(angle / math.tau * count)
        which = np.arange(middle - reach, middle + reach + 1)
        aside = (which + 0.5) / count * math.tau - angle
        across = rs[:, None] * np.sin(aside)[None, :]
        under = rs[:, None] * np.cos(aside)[None, :] >= tip
        room = tool * tool - across**2
        hit = ((zs[None, None, zz] + cell / 2 - z) ** 2 <= room[:, :, None]) & under[:, :, None]
        gone[:, which % count, zz] |= hit
    area = rs * (math.tau / count) * cell * layers
    return float((gone.sum(axis=(1, 2)) * area).sum())
