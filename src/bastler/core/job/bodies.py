"""What holds the stock on a lathe, as half sections: jaws and chuck, or collet and spindle nose; a stop; a tailstock."""

from __future__ import annotations

import math
from typing import Literal

from msgspec import Struct

from bastler.core.fields import Values

CENTRE_DEG = 60.0
QUILL_MM = 40.0
STOP_MM, STOP_SHARE = 6.0, 0.7
"""How thick a stop behind the stock is drawn, and how wide as a share of the stock."""
COLLET_SHARE, COLLET_MM = 0.7, 8.0
"""How wide the spindle nose round a collet is as a share of the chuck, and how thick the collet itself."""
FURTHER_OUT = "let the stock stand out further"

Outline = tuple[tuple[float, float], ...]
"""Corners (z, r)."""
Role = Literal["jaws", "chuck", "collet", "nose", "stop", "tailstock"]


class Body(Struct, frozen=True):
    """Something that must not be touched: what it is there for, its half section, the word for it and the remedy."""

    role: Role
    word: str
    outline: Outline
    remedy: str


class Gripped(Struct, frozen=True):
    """Where a stock is held, mm: Z of its back, of the jaws' face and of its front; half of what is gripped, its radius; the chuck's radius and length."""

    back: float
    jaws: float
    front: float
    flats: float
    radius: float
    chuck: float
    chuck_length: float


def bodies_of(v: Values, at: Gripped) -> tuple[Body, ...]:
    """All bodies of a lathe setup."""
    held = _three_jaws(v, at) if v.get("held_in", "chuck") == "chuck" else _collet(at)
    stop = (_stop(at),) if v.get("stop", False) else ()
    tailstock = (_tailstock(v, at),) if v.get("tailstock", False) else ()
    return (*held, *stop, *tailstock)


def _three_jaws(v: Values, at: Gripped) -> tuple[Body, ...]:
    high = min(at.radius + v.get("jaw_height", 25.0), 2 * at.chuck)
    face = at.jaws - v.get("jaw_length", 35.0)
    return (
        Body("jaws", "the jaws", _ring(face, at.jaws, at.flats, high), FURTHER_OUT),
        Body("chuck", "the chuck", _ring(face - at.chuck_length, face, 0.0, at.chuck), FURTHER_OUT),
    )


def _collet(at: Gripped) -> tuple[Body, ...]:
    nose, wide = at.jaws - 0.35 * at.chuck, COLLET_SHARE * at.chuck
    over = at.flats + COLLET_MM
    cone = ((nose, at.flats), (at.jaws, at.flats), (at.jaws, over), (nose, max(wide, over)))
    return (
        Body("collet", "the collet", cone, FURTHER_OUT),
        Body("nose", "the spindle nose", _ring(nose - at.chuck_length, nose, 0.0, wide), FURTHER_OUT),
    )


def _stop(at: Gripped) -> Body:
    return Body(
        "stop", "the stop", _ring(at.back - STOP_MM, at.back, 0.0, STOP_SHARE * at.radius), "hold it further out"
    )


def _tailstock(v: Values, at: Gripped) -> Body:
    """A centre in the hole at the front, the quill behind it."""
    hole = v.get("centre_hole", 6.0) / 2
    wide = max(2.2 * hole, 8.0)
    cone = at.front + (wide - hole) / math.tan(math.radians(CENTRE_DEG / 2))
    quill, end = cone + QUILL_MM, cone + 3 * QUILL_MM
    outline = (
        (at.front, 0.0), (at.front, hole), (cone, wide), (quill, wide), (quill, 2 * wide), (end, 2 * wide), (end, 0.0),
    )  # fmt: skip
    return Body("tailstock", "the tailstock", outline, "take the tailstock away, or a slimmer tool")


def _ring(z0: float, z1: float, inner: float, outer: float) -> Outline:
    """A rectangle of a half section."""
    return ((z0, inner), (z1, inner), (z1, outer), (z0, outer))
