"""What holds the block: each way with its fields and the bodies that must not be touched.

A *body* is an upright box or cylinder; *seat*: Z of what the block lies on or in.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import Any

from msgspec import Struct

from bastler.core.fields import Field, Suggestion, Values
from bastler.core.geometry.shapes import Box
from bastler.core.job.reclamped import left_before
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Limits, Units, show

SIZE = Limits(0, 5_000, low_open=True)
JAW_THICKNESS_MM = 20.0
CLAMP_BEHIND_MM = 40.0
CHUCK_JAW_MM = 22.0


class Obstacle(Struct, frozen=True):
    """A box, or the upright cylinder in it if ``round``, with the word for it and how it gets out of the way;
    ``under``: the block lies over it."""

    word: str
    box: Box
    remedy: str = "let the jaws hold less"
    round: bool = False
    under: bool = False


class Holding(Struct, frozen=True):
    """One way to hold a block: ``bodies(values, block)`` gives its bodies and the Z of the bed below."""

    title: str
    fields: tuple[str, ...]
    bodies: Callable[[Values, Box], tuple[tuple[Obstacle, ...], float]]


def _jaws(v: Values, b: Box, ledge: float = 0.0) -> tuple[tuple[Obstacle, ...], float]:
    """Two jaws, with ledges that reach under the block if they are soft, and the bed."""
    top = b.z0 + v.get("grip", 5.0)
    bed = top - v.get("jaw_height", 45.0)
    half, t = v.get("jaw_width", 125.0) / 2, JAW_THICKNESS_MM
    cx, cy = (b.x0 + b.x1) / 2, (b.y0 + b.y1) / 2
    if v.get("jaws_along", "y") == "y":
        words = ("front jaw", "back jaw")
        jaws = [Box(cx - half, cx + half, y, y + t, bed, top) for y in (b.y0 - t, b.y1)]
        under = [Box(cx - half, cx + half, y, y + ledge, bed, b.z0) for y in (b.y0, b.y1 - ledge)]
        floor = Box(cx - half, cx + half, b.y0 - t, b.y1 + t, bed - t, bed)
    else:
        words = ("left jaw", "right jaw")
        jaws = [Box(x, x + t, cy - half, cy + half, bed, top) for x in (b.x0 - t, b.x1)]
        under = [Box(x, x + ledge, cy - half, cy + half, bed, b.z0) for x in (b.x0, b.x1 - ledge)]
        floor = Box(b.x0 - t, b.x1 + t, cy - half, cy + half, bed - t, bed)
    found = [Obstacle(f"the vice's {word}", jaw) for word, jaw in zip(words, jaws, strict=True)]
    if ledge:
        found += [
            Obstacle(f"the ledge of the {w}", box, "make the ledge narrower", under=True)
            for w, box in zip(words, under, strict=True)
        ]
    return (*found, Obstacle("the vice's bed", floor, "lift the block", under=True)), bed


def _vise(v: Values, b: Box) -> tuple[tuple[Obstacle, ...], float]:
    return _jaws(v, b)


def _soft_jaws(v: Values, b: Box) -> tuple[tuple[Obstacle, ...], float]:
    return _jaws(v, b, v.get("ledge", 5.0))


def _clamps(v: Values, b: Box) -> tuple[tuple[Obstacle, ...], float]:
    """Two bars over the left and the right edge."""
    half, reach, cy = v.get("clamp_width", 30.0) / 2, v.get("clamp_reach", 15.0), (b.y0 + b.y1) / 2
    top = b.z1 + v.get("clamp_height", 15.0)
    left = Box(b.x0 - CLAMP_BEHIND_MM, b.x0 + reach, cy - half, cy + half, b.z1, top)
    right = Box(b.x1 - reach, b.x1 + CLAMP_BEHIND_MM, cy - half, cy + half, b.z1, top)
    return (
        Obstacle("the left clamp", left, "move the clamp"),
        Obstacle("the right clamp", right, "move the clamp"),
    ), b.z0


def _screws(v: Values, b: Box) -> tuple[tuple[Obstacle, ...], float]:
    """Heads of the screws that go through holes of the block."""
    r, low = v.get("head_diameter", 16.0) / 2, b.z1 - v.get("head_sunk", 0.0)
    high = low + v.get("head_height", 10.0)
    heads = [Box(x - r, x + r, y - r, y + r, low, high) for x, y in v.get("screws_at", ())]
    return tuple(
        Obstacle(f"the head of screw {i}", h, "sink or move the screw", round=True) for i, h in enumerate(heads, 1)
    ), b.z0


def _chuck(v: Values, b: Box) -> tuple[tuple[Obstacle, ...], float]:
    """Three jaws round an upright bar, as upright boxes, on the chuck's body."""
    top = b.z0 + v.get("grip", 10.0)
    bed = top - v.get("jaw_height", 45.0)
    cx, cy, radius = (b.x0 + b.x1) / 2, (b.y0 + b.y1) / 2, b.size[0] / 2
    found = []
    for i, angle in enumerate((90.0, 210.0, 330.0), 1):
        h, c, s = CHUCK_JAW_MM / 2, math.cos(math.radians(angle)), math.sin(math.radians(angle))
        reach = radius + h * (abs(c) + abs(s))
        x, y = cx + reach * c, cy + reach * s
        found.append(Obstacle(f"jaw {i} of the chuck", Box(x - h, x + h, y - h, y + h, bed, top)))
    r = radius + 2 * CHUCK_JAW_MM
    body = Box(cx - r, cx + r, cy - r, cy + r, bed - JAW_THICKNESS_MM, bed)
    return (*found, Obstacle("the chuck's body", body, "lift the bar", round=True, under=True)), bed


def _free(_: Values, b: Box) -> tuple[tuple[Obstacle, ...], float]:
    return (), b.z0


_IN_JAWS = ("jaws_along", "jaw_height", "jaw_width", "grip")
HOLDINGS: Mapping[str, Holding] = {
    "vise": Holding("Vice", _IN_JAWS, _vise),
    "soft-jaws": Holding("Soft jaws", (*_IN_JAWS, "ledge"), _soft_jaws),
    "clamps": Holding("Two clamps", ("clamp_height", "clamp_width", "clamp_reach"), _clamps),
    "screws": Holding("Screws through it", ("screws_at", "head_diameter", "head_height", "head_sunk"), _screws),
    "chuck": Holding("Three-jaw chuck", ("jaw_height", "grip"), _chuck),
    "free": Holding("Nothing drawn", (), _free),
}


def held(v: Values, block: Box) -> tuple[tuple[Obstacle, ...], float]:
    """What holds a block, with the table's Z."""
    bodies, bed = HOLDINGS[v.get("held_in", "vise")].bodies(v, block)
    return bodies, bed - v.get("bed_height", 60.0)


def holding_problems(v: Values, height: float, units: Units) -> list[Problem]:
    """Jaws that can't hold the block as asked."""

    def mm(value: float) -> str:
        return show(value, units=units)

    problems, grip = [], v.get("grip")
    if grip and height and grip > height:
        problems.append(Problem("grip", f"The block is {mm(height)} high; the jaws can't hold {mm(grip)} of it."))
    if grip and grip > v.get("jaw_height", grip):
        problems.append(Problem("grip", f"The jaws are {mm(v.jaw_height)} high; they can't hold {mm(grip)}."))
    return problems


def _suggest_grip(v: Values, before: Any) -> Suggestion | None:
    if left_before(v):
        if before is None:
            return None
        return Suggestion(show(round(min(before.block.size[2] / 3, 20.0), 1)), "a third of the part's height")
    height = v.size_z + (v.over_top + v.over_bottom if v.stock_by == "part" else 0.0)
    return Suggestion(show(round(min(height / 3, 20.0), 1)), "a third of the block's height")


def _of(key: str) -> Callable[[Values], bool]:
    """Whether the way of holding has a field."""
    return lambda v: key in HOLDINGS[v.held_in].fields


def _length(key: str, label: str, question: str, default: str | None, limits: Limits = SIZE) -> Field:
    return Field(key, label, "Cut", Kind.LENGTH, question, default, limits, shown=_of(key))


HELD_IN = Field(
    "held_in", "Held in", "Cut", Kind.CHOICE, "What holds the block?", "vise",
    choices=tuple((key, way.title) for key, way in HOLDINGS.items()),
)  # fmt: skip
FIELDS: tuple[Field, ...] = (
    Field("jaws_along", "Jaws press along", "Cut", Kind.CHOICE, "Along which axis do the jaws press?", "y", choices=(("y", "Y"), ("x", "X")), shown=_of("jaws_along")),
    _length("jaw_height", "Jaw height", "How high do the jaws stand over the bed?", "45"),
    _length("jaw_width", "Jaw width", "How wide are the jaws?", "125"),
    Field("grip", "Grip", "Cut", Kind.LENGTH, "How much of the block's height is between the jaws?", suggest=_suggest_grip, limits=SIZE, shown=_of("grip")),
    _length("ledge", "Ledge", "How far do the jaws reach under the block?", "5"),
    _length("clamp_height", "Clamp height", "How high do the clamps stand over the block?", "15"),
    _length("clamp_width", "Clamp width", "How wide are the clamps?", "30"),
    _length("clamp_reach", "Reach over the block", "How far do the clamps reach over the block's left and right edge?", "15"),
    Field("screws_at", "Screws at", "Cut", Kind.POINTS, "Where do screws go through the block (X, Y; X, Y; …)?", stand_in=(), shown=_of("screws_at")),
    _length("head_diameter", "Head diameter", "How wide are the heads of the screws, with their washers?", "16"),
    _length("head_height", "Head height", "How high are the heads of the screws?", "10"),
    _length("head_sunk", "Sunk by", "How far are the heads sunk below the top of the block?", "0", Limits(0, 5_000)),
)  # fmt: skip
