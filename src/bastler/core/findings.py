"""Findings: what the check says, each with line, step, point and a sentence with the remedy."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

from msgspec import Struct

Severity = Literal["stop", "warn", "note"]
RANK: dict[str, int] = {"stop": 0, "warn": 1, "note": 2}


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
