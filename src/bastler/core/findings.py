"""Findings: what the check says, each with line, step, point and a sentence with the remedy."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

from msgspec import Struct

MOST_OF_A_KIND = 40
"""Of more findings of a kind only their number is told."""
Severity = Literal["stop", "warn", "note"]
MOST_LINES_NAMED = 4
RANK: dict[str, int] = {"stop": 0, "warn": 1, "note": 2}


def also(lines: list[int]) -> str:
    """Further lines with the same fault, in words."""
    if not lines:
        return ""
    named = [str(line) for line in lines[:MOST_LINES_NAMED]]
    more = len(lines) - len(named)
    if more:
        return f" The same in lines {', '.join(named)} and {more} more."
    if len(named) == 1:
        return f" The same in line {named[0]}."
    return f" The same in lines {', '.join(named[:-1])} and {named[-1]}."


def in_order(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """Worst first, then by line."""
    return tuple(sorted(findings, key=lambda f: (RANK[f.severity], f.line or 0)))


class Finding(Struct, frozen=True):
    """One thing the check found.

    ``line`` counts from 1; ``step`` is a step's id; ``at`` is in program coordinates, mm.
    """

    kind: str
    severity: Severity
    text: str
    line: int | None = None
    step: str | None = None
    at: tuple[float, float, float] | None = None
