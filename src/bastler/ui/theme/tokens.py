"""The look as named values: two themes from one set of tokens, and one hue per step.

Hues are the Okabe-Ito set (colour-blind safe), in an order of our own. A *fill* is a hue laid thinly
over the paper; *ink* on top stays readable. A hue that is too near the paper is outlined.

*Contrast*: of two colours by WCAG 2.1, 1 to 21: at least 4.5 for text, 3 for lines and shapes.
"""

from __future__ import annotations

from functools import cache

from msgspec import Struct

HUES = ("#0072B2", "#E69F00", "#009E73", "#CC79A7", "#56B4E9", "#D55E00", "#F0E442", "#7A7F83")


class Theme(Struct, frozen=True):
    """Colours as ``#RRGGBB``."""

    name: str
    paper: str
    bench: str
    well: str
    line: str
    border: str
    focus: str
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
    name="day", paper="#F6F4EE", bench="#ECE8DE", well="#FBFAF6", line="#D3CDBF", border="#858071", focus="#0B5254", ink="#1F2A30", soft_ink="#565E61",
    accent="#0F6B6E", accent_fill="#D3E6E3", on_accent="#FFFFFF", stop="#B3261E", warn="#8A5200", stock="#C9C4B8",
    hatch="#7D827F",
)  # fmt: skip
NIGHT = Theme(
    name="night", paper="#1B2226", bench="#151B1E", well="#232C31", line="#3A464C", border="#75858C", focus="#8FE0DC", ink="#E8E6DF", soft_ink="#AEB7BA",
    accent="#5CC2BE", accent_fill="#20403F", on_accent="#10201F", stop="#FF8A7A", warn="#F0B45A", stock="#59646A",
    hatch="#7C898E",
)  # fmt: skip
THEMES = {t.name: t for t in (DAY, NIGHT)}


def hue(step_index: int) -> str:
    """The colour of a step, by its place in the list."""
    return HUES[step_index % len(HUES)]


TEXT, SHAPE = 4.5, 3.0


def _channels(colour: str) -> tuple[float, float, float]:
    r, g, b = (int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5))
    return (r, g, b)


def luminance(colour: str) -> float:
    """Relative luminance, 0 to 1."""
    linear = [c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in _channels(colour)]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(one: str, other: str) -> float:
    """Of two colours, 1 to 21."""
    low, high = sorted((luminance(one), luminance(other)))
    return (high + 0.05) / (low + 0.05)


def mixed(over: str, under: str, share: float) -> str:
    """A colour laid over another one."""
    pairs = zip(_channels(over), _channels(under), strict=True)
    return "#" + "".join(f"{round(255 * (a * share + b * (1 - share))):02X}" for a, b in pairs)


def readable_on(colour: str) -> str:
    """Black or white, whichever is read better on a colour: one of the two always has 4.5."""
    return max(("#000000", "#FFFFFF"), key=lambda ink: contrast(ink, colour))


@cache
def outline(colour: str, theme: Theme) -> str:
    """A hue as a line: towards ink until it stands out from paper and bench."""
    for k in range(11):
        found = mixed(theme.ink, colour, k / 10)
        if min(contrast(found, theme.paper), contrast(found, theme.bench)) >= SHAPE:
            return found
    return theme.ink
