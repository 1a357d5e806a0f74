"""Positions of holes: points, grid, circle.

Holes are numbered from 1 in the order they are made here; a skip list names numbers to leave out.
"""

from __future__ import annotations

import math

from bastler.core.geometry.path import Point


def grid(first: Point, columns: int, rows: int, pitch_x: float, pitch_y: float, angle_deg: float) -> list[Point]:
    """Row by row from ``first``, every other row backwards, turned about ``first``."""
    c, s = math.cos(math.radians(angle_deg)), math.sin(math.radians(angle_deg))
    points = []
    for row in range(rows):
        order = range(columns) if row % 2 == 0 else range(columns - 1, -1, -1)
        for column in order:
            x, y = column * pitch_x, row * pitch_y
            points.append((first[0] + c * x - s * y, first[1] + s * x + c * y))
    return points


def circle(centre: Point, diameter: float, count: int, start_deg: float) -> list[Point]:
    """Counter-clockwise from ``start_deg`` (0 = +X)."""
    angles = [math.radians(start_deg + 360.0 * i / count) for i in range(count)]
    return [(centre[0] + diameter / 2 * math.cos(a), centre[1] + diameter / 2 * math.sin(a)) for a in angles]
