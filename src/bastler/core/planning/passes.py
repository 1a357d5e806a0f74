"""How a distance is split into passes."""

from __future__ import annotations

import math

ROUNDING_MM = 1e-6
PAST_MM = 1.0
"""A wall's pass runs so far past the place where it began."""


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


def even_strips(low: float, high: float, reach: float, step: float) -> list[float]:
    """Centre lines of strips as wide as each other, at most ``step``, of a tool that reaches ``reach`` and may hang over both ends.

    It hangs over at ``low``, and clears up to its strip's far side. One centred strip if it is wide enough.
    """
    if high - low <= 2 * reach + ROUNDING_MM:
        return [(low + high) / 2]
    count = math.ceil((high - low) / step - ROUNDING_MM)
    return [low + (high - low) * (i + 1) / count - reach for i in range(count)]
