"""The look as named values: two themes from one set of tokens, and one hue per step.

Hues are the Okabe-Ito set (colour-blind safe), in an order of our own. A *fill* is a hue laid thinly
over the paper; *ink* on top stays readable.
"""

from __future__ import annotations

from msgspec import Struct

HUES = ("#0072B2", "#E69F00", "#009E73", "#CC79A7", "#56B4E9", "#D55E00", "#F0E442", "#7A7F83")


class Theme(Struct, frozen=True):
    """Colours as ``#RRGGBB``."""

    name: str
    paper: str
    bench: str
    well: str
    line: str
    ink: str
    soft_ink: str
    accent: str
    accent_fill: str
    on_accent: str
    stop: str
    warn: str
    stock: str
    hatch: str


DAY = Theme(
    name="day", paper="#F6F4EE", bench="#ECE8DE", well="#FBFAF6", line="#D3CDBF", ink="#1F2A30", soft_ink="#5F676A",
    accent="#0F6B6E", accent_fill="#D3E6E3", on_accent="#FFFFFF", stop="#B3261E", warn="#8A5200", stock="#C9C4B8",
    hatch="#8D918F",
)  # fmt: skip
NIGHT = Theme(
    name="night", paper="#1B2226", bench="#151B1E", well="#232C31", line="#3A464C", ink="#E8E6DF", soft_ink="#A4ADB0",
    accent="#5CC2BE", accent_fill="#24474A", on_accent="#10201F", stop="#FF8A7A", warn="#F0B45A", stock="#59646A",
    hatch="#6F7B80",
)  # fmt: skip
THEMES = {t.name: t for t in (DAY, NIGHT)}


def hue(step_index: int) -> str:
    """The colour of a step, by its place in the list."""
    return HUES[step_index % len(HUES)]
