"""Program text → steps of a control's life, in its own simple way: a dictionary of words a line, subprograms by recursion."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator

Point = tuple[float, ...]
NUMBER = re.compile(r"([A-Z])([-+]?\d*\.?\d*)")


def blocks(text: str) -> Iterator[dict[str, list[float]]]:
    """The lines as they run: words by letter; calls of subprograms (M98 P L) are gone into."""
    lines = [re.sub(r"\(.*?\)|;.*", "", line).replace(" ", "").upper() for line in text.split("\n")]
    heads = {int(m[1]): i for i, line in enumerate(lines) if (m := re.match(r"O(\d+)", line))}

    def run(at: int) -> Iterator[dict[str, list[float]]]:
        for line in lines[at:]:
            if not line or line[0] in "%O":
                continue
            words: dict[str, list[float]] = {}
            for letter, number in NUMBER.findall(line.lstrip("/")):
                words.setdefault(letter, []).append(float(number or 0))
            ms = words.get("M", [])
            if 98 in ms:
                for _ in range(int(words.get("L", [1])[0])):
                    yield from run(heads[int(words["P"][0])] + 1)
                continue
            if 99 in ms:
                return
            yield words
            if 30 in ms or 2 in ms:
                return

    main = min(heads.values(), default=-1)
    yield from run(main + 1)


def arc_points(a: Point, b: Point, centre: Point, ccw: bool, step: float) -> list[Point]:
    """Places along an arc from ``a`` to ``b`` in a plane, the last one exact."""
    a, b = a[:2], b[:2]
    r = math.dist(a, centre)
    t0, t1 = (math.atan2(p[1] - centre[1], p[0] - centre[0]) for p in (a, b))
    sweep = (t1 - t0) % math.tau if ccw else -((t0 - t1) % math.tau)
    if math.dist(a, b) < 1e-6:
        sweep = math.tau if ccw else -math.tau
    n = max(int(abs(sweep) * r / step), 8)
    points = [
        (centre[0] + r * math.cos(t0 + sweep * k / n), centre[1] + r * math.sin(t0 + sweep * k / n))
        for k in range(1, n)
    ]
    return [*points, (b[0], b[1])]


def centre_by_radius(a: Point, b: Point, radius: float, ccw: bool) -> Point:
    """The centre of an arc given by R: the short way for a positive one."""
    a, b = a[:2], b[:2]
    mx, my, chord = (a[0] + b[0]) / 2, (a[1] + b[1]) / 2, math.dist(a, b)
    h = math.sqrt(max(radius**2 - chord**2 / 4, 0.0)) * (1 if (radius > 0) == ccw else -1)
    return (mx - h * (b[1] - a[1]) / chord, my + h * (b[0] - a[0]) / chord)
