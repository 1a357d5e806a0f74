"""Letters as lines and arcs of one stroke (``data/strokes.toml``)."""

from __future__ import annotations

import math
from functools import cache

from msgspec import Struct

from bastler.core.data import DATA, table
from bastler.core.geometry.path import Arc, Element, Line, Path, Point

STRAIGHT_RAD = 1e-6


class Glyph(Struct, frozen=True):
    """The strokes of a letter, and how wide it is, on the grid of the table."""

    strokes: tuple[Path, ...]
    width: float


class Lettering(Struct, frozen=True):
    """All letters; capitals ``height`` high, ``gap`` between two, ``blank`` for a space."""

    height: float
    gap: float
    blank: float
    glyphs: dict[str, Glyph]


@cache
def lettering() -> Lettering:
    """The letters that there are."""
    rows = table(DATA / "strokes.toml")
    return Lettering(
        rows["height"], rows["gap"], rows["blank"], {name: _glyph(text) for name, text in rows["glyphs"].items()}
    )


def unknown(text: str) -> str:
    """The signs of a text that have no stroke."""
    return "".join(dict.fromkeys(c for c in text.upper() if c != " " and c not in lettering().glyphs))


class Letter(Struct, frozen=True):
    """A letter of a line of text: where its middle lies along it, mm, and its strokes about that."""

    at: float
    strokes: tuple[Path, ...]


def written(text: str, height: float) -> tuple[tuple[Letter, ...], float]:
    """The letters of a line of text whose capitals are ``height`` mm high, from the origin to the right, and how long it is."""
    letters, found, x = lettering(), list[Letter](), 0.0
    scale = height / letters.height
    for sign in text.upper():
        if sign == " ":
            x += letters.blank
            continue
        glyph = letters.glyphs[sign]
        strokes = tuple(_scaled(one, -glyph.width / 2, scale) for one in glyph.strokes)
        found.append(Letter((x + glyph.width / 2) * scale, strokes))
        x += glyph.width + letters.gap
    return tuple(found), max(x - letters.gap, 0.0) * scale


def _scaled(path: Path, x: float, scale: float) -> Path:
    def put(p: Point) -> Point:
        return ((p[0] + x) * scale, p[1] * scale)

    moved: list[Element] = [
        Line(put(e.end)) if isinstance(e, Line) else Arc(put(e.end), put(e.centre), e.ccw) for e in path.elements
    ]
    return Path(put(path.start), tuple(moved))


def _glyph(text: str) -> Glyph:
    strokes, width = [], 0.0
    for part in text.split(";"):
        corners = [_corner(word) for word in part.split()]
        width = max(width, *(p[0] for p, _ in corners))
        strokes.append(_rounded(corners))
    return Glyph(tuple(strokes), width)


def _corner(word: str) -> tuple[Point, bool]:
    x, y = word.removeprefix("~").split(",")
    return (float(x), float(y)), word.startswith("~")


def _rounded(corners: list[tuple[Point, bool]]) -> Path:
    """A stroke: each rounded corner takes its sides as far as they go, half of one that it shares."""
    points = [p for p, _ in corners]
    elements: list[Element] = []
    for k in range(1, len(corners)):
        p, is_round = corners[k]
        if not is_round or k == len(corners) - 1:
            elements.append(Line(p))
            continue
        a, b = points[k - 1], points[k + 1]
        before, after = (math.dist(p, q) * (0.5 if corners[n][1] else 1.0) for q, n in ((a, k - 1), (b, k + 1)))
        elements += _corner_arc(a, p, b, min(before, after))
    whole, here = list[Element](), points[0]
    for e in elements:
        if math.dist(here, e.end) > STRAIGHT_RAD:
            whole.append(e)
            here = e.end
    return Path(points[0], tuple(whole))


def _corner_arc(a: Point, p: Point, b: Point, leg: float) -> list[Element]:
    """A corner from ``a`` over ``p`` to ``b``, rounded from ``leg`` before it to as far behind it."""
    u, v = (
        ((p[0] - a[0]) / math.dist(a, p), (p[1] - a[1]) / math.dist(a, p)),
        ((b[0] - p[0]) / math.dist(p, b), (b[1] - p[1]) / math.dist(p, b)),
    )
    turn = math.atan2(u[0] * v[1] - u[1] * v[0], u[0] * v[0] + u[1] * v[1])
    if abs(turn) < STRAIGHT_RAD:
        return [Line(p)]
    radius = math.copysign(leg / math.tan(abs(turn) / 2), turn)
    first, second = (p[0] - leg * u[0], p[1] - leg * u[1]), (p[0] + leg * v[0], p[1] + leg * v[1])
    centre = (first[0] - radius * u[1], first[1] + radius * u[0])
    return [Line(first), Arc(second, centre, turn > 0)]
