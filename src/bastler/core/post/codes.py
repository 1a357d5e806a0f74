"""What G and M words mean to a control: one table a kind of control (``readings/*.toml``), for the writer and for the interpreter."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from pathlib import Path

from msgspec import Struct

from bastler.core.data import table


class Codes(Struct, frozen=True):
    """Meanings by number, of a kind of ``machine``; ``late``: those that act at the end of a move on their line, not before it; ``offset_in_tool``: T has
    station and offset in four figures, and the offset is no word of its own; ``feed_counts_degrees``: of a move of C with others, by no interpolation of the
    control's, a feed is that of all axes together with degrees as if they were lengths; else that of the tool in the part."""

    machine: str
    g: Mapping[float, str]
    m: Mapping[float, str]
    late: frozenset[str]
    offset_in_tool: bool = False
    feed_counts_degrees: bool = False

    def word(self, meaning: str) -> str:
        """The first word of a meaning, as ``M8``; empty if the control has none."""
        for letter, known in (("G", self.g), ("M", self.m)):
            number = next((n for n, what in known.items() if what == meaning), None)
            if number is not None:
                return f"{letter}{number:g}"
        return ""


@cache
def codes(reading: str) -> Codes:
    """The table of a reading: ``mill``, ``lathe-a``, ``lathe-b``."""
    data = table(Path(__file__).parent / "readings" / f"{reading}.toml")
    g, m = ({float(n): what for n, what in data[letter].items()} for letter in "gm")
    return Codes(
        data["machine"],
        g,
        m,
        frozenset(data["acts"]["late"]),
        data.get("offset_in_tool", False),
        data.get("feed_counts_degrees", False),
    )
