"""Where a tool goes on an end face, by a small reader of its own: X and Y, polar X and C, or X and C that go in even shares."""

from __future__ import annotations

import math
import re

import numpy as np
from numpy.typing import NDArray

WORD = re.compile(r"([A-Z])(-?\d*\.?\d+)")
STEP_MM = 0.02
ON, OFF = re.compile(r"\bG(?:12\.1|112)\b"), re.compile(r"\bG(?:13\.1|113)\b")


def places(text: str) -> NDArray[np.float64]:
    """Places X, Y, Z (mm) at short steps of all ways of the tool below the face, in their order."""
    scale = 25.4 if re.search(r"\bG20\b", text) else 1.0
    here = {"X": 0.0, "Y": 0.0, "C": 0.0, "Z": 0.0}
    found: list[tuple[float, float, float]] = []
    motion, polar = 0, False
    for line in re.sub(r"\([^)]*\)", "", text).splitlines():
        words = WORD.findall(line)
        motion = next((int(float(n)) for w, n in words if w == "G" and float(n) in (0, 1, 2, 3)), motion)
        if ON.search(line) or OFF.search(line):
            x, y, _ = _place(here, polar=polar)
            polar = bool(ON.search(line))
            here.update(X=2 * x, C=y) if polar else here.update(
                X=2 * math.hypot(x, y), C=math.degrees(math.atan2(y, x))
            )
            continue
        given = {w: float(n) * (1.0 if w == "C" and not polar else scale) for w, n in words if w in "XYCZIJ"}
        there = {**here, **{w: v for w, v in given.items() if w in here}}
        if given:
            found += _along(here, there, motion, (given.get("I", 0.0), given.get("J", 0.0)), polar=polar)
        here = there
    return np.array([p for p in found if p[2] < 0.0])


def _place(at: dict[str, float], *, polar: bool) -> tuple[float, float, float]:
    if polar:
        return at["X"] / 2, at["C"], at["Z"]
    r, y, c = at["X"] / 2, at["Y"], math.radians(at["C"])
    return r * math.cos(c) - y * math.sin(c), r * math.sin(c) + y * math.cos(c), at["Z"]


def _along(
    a: dict[str, float], b: dict[str, float], motion: int, centre: tuple[float, float], *, polar: bool
) -> list[tuple[float, float, float]]:
    (x0, y0, z0), (x1, y1, z1) = _place(a, polar=polar), _place(b, polar=polar)
    if motion < 2:
        way = max(math.dist((x0, y0, z0), (x1, y1, z1)), abs(math.radians(b["C"] - a["C"])) * a["X"] / 2 * (not polar))
        count = max(math.ceil(way / STEP_MM), 1)
        shares = [{w: a[w] + (b[w] - a[w]) * k / count for w in a} for k in range(count + 1)]
        return [_place(s, polar=polar) for s in shares]
    mx, my = x0 + centre[0], y0 + centre[1]
    left, radius = 1.0 if motion == 3 else -1.0, math.hypot(*centre)
    begin = math.atan2(y0 - my, x0 - mx)
    sweep = (left * (math.atan2(y1 - my, x1 - mx) - begin)) % math.tau
    sweep = math.tau if math.dist((x0, y0), (x1, y1)) < 1e-6 else sweep
    count = max(math.ceil(sweep * radius / STEP_MM), 1)
    turns = [begin + left * sweep * k / count for k in range(count + 1)]
    return [
        (mx + radius * math.cos(t), my + radius * math.sin(t), z0 + (z1 - z0) * k / count) for k, t in enumerate(turns)
    ]
