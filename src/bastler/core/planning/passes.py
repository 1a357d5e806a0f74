"""How a distance is split into passes."""

from __future__ import annotations

import math

ROUNDING_MM = 1e-6


def levels(top: float, bottom: float, most: float) -> list[float]:
    """Z of each pass from below ``top`` down to ``bottom``, equal steps of at most ``most``; empty if nothing to cut."""
    height = top - bottom
    if height <= ROUNDING_MM:
        return []
    count = max(math.ceil(height / most - ROUNDING_MM), 1)
    return [bottom if i == count else top - height * i / count for i in range(1, count + 1)]


def rows(low: float, high: float, reach: float, step: float) -> list[float]:
    """Centre lines of strips, each ``2 * reach`` wide, at most ``step`` apart, that cover ``low`` to ``high``.

    The outer strips end exactly at ``low`` and ``high``; one centred strip if it is wide enough.
    """
    room = high - low - 2 * reach
    if room <= ROUNDING_MM:
        return [(low + high) / 2]
    count = math.ceil(room / step - ROUNDING_MM)
    return [low + reach + room * i / count for i in range(count + 1)]
