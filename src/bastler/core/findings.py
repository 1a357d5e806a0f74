"""Findings: what the check says, each with line, step, point and a sentence with the remedy."""

from __future__ import annotations

from typing import Literal

from msgspec import Struct

Severity = Literal["stop", "warn", "note"]
RANK: dict[str, int] = {"stop": 0, "warn": 1, "note": 2}


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
