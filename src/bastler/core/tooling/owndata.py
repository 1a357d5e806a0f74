"""Cutting data of one's own, kept with a tool: ``C45: 120 m/min, 0.06 per edge, 5 deep, 3 beside``.

One entry a material, by its id or for all of its group (ISO 513: P M K N S H); entries are set apart by semicolons. Always m/min and mm, whatever
the job's units. Each number is optional.
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from msgspec import Struct
from msgspec.structs import replace

from bastler.core.problems import Unusable
from bastler.core.quantities import show
from bastler.core.tooling.materials import Material, materials

if TYPE_CHECKING:
    from bastler.core.tooling.tools import Tool


GROUPS = "PMKNSH"
WORDS = {"m/min": "speed", "per edge": "feed", "per turn": "feed", "deep": "depth", "beside": "step"}
EXAMPLE = "C45: 120 m/min, 0.06 per edge, 5 deep, 3 beside"


class Own(Struct, frozen=True):
    """Values for a material or a group: ``speed`` m/min, ``feed`` mm per edge (of one edge: per turn), ``depth`` and side ``step`` mm."""

    of: str
    speed: float | None = None
    feed: float | None = None
    depth: float | None = None
    step: float | None = None


def parse_own(text: str) -> tuple[Own, ...]:
    """Entries from a text; raises :class:`Unusable` with what can't be read."""
    return tuple(_entry(part) for part in text.split(";") if part.strip())


def _entry(text: str) -> Own:
    name, colon, rest = text.partition(":")
    known = [key for key in (*materials(), *GROUPS) if key.lower() == name.strip().lower()]
    if not colon or not known:
        raise Unusable(
            f"“{name.strip()}” is no material of the table and no group. Write {EXAMPLE}, or P: … for all steels."
        )
    found: dict[str, float] = {}
    for part in (p.strip() for p in rest.split(",")):
        read = re.fullmatch(r"([0-9]*\.?[0-9]+)\s*(\S.*)", part)
        if read is None or read[2] not in WORDS or float(read[1]) <= 0:
            raise Unusable(f"“{part}” can't be read. Write numbers with {', '.join(WORDS)}, as {EXAMPLE}.")
        found[WORDS[read[2]]] = float(read[1])
    return Own(known[0], **found)


def written(entries: tuple[Own, ...], per: str = "edge") -> str:
    """The text of entries."""

    def one(e: Own) -> str:
        parts = [(e.speed, "m/min"), (e.feed, f"per {per}"), (e.depth, "deep"), (e.step, "beside")]
        return f"{e.of}: " + ", ".join(f"{show(n, digits=4)} {word}" for n, word in parts if n is not None)

    return "; ".join(one(e) for e in entries)


def own_for(tool: Tool, material: Material) -> Own | None:
    """A tool's own values for a material, else for its group."""
    by_name = {e.of: e for e in tool.own}
    return by_name.get(material.id) or by_name.get(material.group)


def kept(entries: tuple[Own, ...], new: Own) -> tuple[Own, ...]:
    """Entries with those values of a material that are new."""
    old = next((e for e in entries if e.of == new.of), Own(new.of))
    told = {k: getattr(new, k) for k in ("speed", "feed", "depth", "step") if getattr(new, k) is not None}
    return (*(e for e in entries if e.of != new.of), replace(old, **told))


def said_own(tool: Tool, material: Material) -> str:
    """Where a value of one's own comes from, as a reason."""
    return f"your own for {tool.name} in {material.id}"
