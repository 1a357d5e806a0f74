"""What a person says about a contour.

*Element*: a line or an arc of the chain. *Fact*: a number that the drawing gives about it, or that it leaves the
one before smoothly. *Plane*: XY as milled; ZX as turned, where Z is the first coordinate and X, typed as a
diameter, the second as a radius.

Inside, ``x`` and ``y`` are the plane's first and second coordinate; angles are degrees counter-clockwise from the
first axis towards the second. Lengths are in whatever unit the facts have.
"""

from __future__ import annotations

import math
from typing import Literal

from msgspec import Struct

from bastler.core.problems import Unusable

Key = Literal["x", "y", "dx", "dy", "length", "angle", "radius", "cx", "cy", "sweep"]
KEYS: tuple[Key, ...] = ("x", "y", "dx", "dy", "length", "angle", "radius", "cx", "cy", "sweep")
LINE_KEYS: frozenset[Key] = frozenset(("x", "y", "dx", "dy", "length", "angle"))
ARC_KEYS: frozenset[Key] = frozenset(("x", "y", "dx", "dy", "radius", "cx", "cy", "sweep"))
ANGLES = ("angle", "sweep")
FURTHEST = 1e6
MOST_ELEMENTS = 2000
SHORTEST = 1e-6


class Fact(Struct, frozen=True):
    """One number about one element; ``key`` as in the file, for plane XY."""

    key: Key
    value: float


class Element(Struct, frozen=True):
    """A line, or an arc that turns ``ccw``; ``bevel`` makes its corner a chamfer of that leg instead of a radius."""

    arc: bool
    ccw: bool = False
    facts: tuple[Fact, ...] = ()
    smooth: bool = False
    corner: float = 0.0
    bevel: bool = False
    pick: int = 0

    def get(self, key: Key) -> float | None:
        """The value of a fact, if it is given."""
        return next((f.value for f in self.facts if f.key == key), None)

    def without(self, key: str) -> Element:
        """The element with one fact less; ``smooth`` counts as a fact."""
        return _changed(self, smooth=False) if key == "smooth" else _changed(
            self, facts=tuple(f for f in self.facts if f.key != key)
        )  # fmt: skip


def _changed(one: Element, **changes: object) -> Element:
    from msgspec.structs import replace

    return replace(one, **changes)


class Mirror(Struct, frozen=True):
    """The line that the last element ends on, beyond which everything is repeated as in a mirror.

    Through ``x, y`` at ``angle`` degrees; ``smooth``: crossed without a corner.
    """

    x: float
    y: float
    angle: float
    smooth: bool = False


class Contour(Struct, frozen=True):
    """A chain. ``start``: coordinates as far as they are known. ``closed``: the last element ends at the start.

    ``unit``: so many of its lengths are one of those that the person types; sentences speak in these.
    """

    start: tuple[float | None, float | None]
    elements: tuple[Element, ...]
    closed: bool = False
    plane: Literal["XY", "ZX"] = "XY"
    mirror: Mirror | None = None
    unit: float = 1.0


class FactWords(Struct, frozen=True):
    """How a plane speaks of its facts: file key and words by inner key, and what an inner length is shown times."""

    names: dict[str, tuple[str, str]]
    times: dict[str, float]


_COMMON = {"length": ("length", "length"), "angle": ("angle", "angle"), "radius": ("radius", "radius"),
           "sweep": ("sweep", "sweep"), "smooth": ("tangent", "smooth start")}  # fmt: skip
PLANES: dict[str, FactWords] = {
    "XY": FactWords(
        {"x": ("x", "end X"), "y": ("y", "end Y"), "dx": ("dx", "way in X"), "dy": ("dy", "way in Y"),
         "cx": ("cx", "centre X"), "cy": ("cy", "centre Y"), **_COMMON}, {}),
    "ZX": FactWords(
        {"x": ("z", "end Z"), "y": ("x", "end X"), "dx": ("dz", "way in Z"), "dy": ("dx", "way in X"),
         "cx": ("cz", "centre Z"), "cy": ("cx", "centre X"), **_COMMON}, {"y": 2.0, "dy": 2.0, "cy": 2.0}),
}  # fmt: skip
"""X of the ZX plane is a diameter outside, a radius inside."""


def named(elements: tuple[Element, ...], index: int) -> str:
    """An element in a sentence: ``line 3``, counted from 1."""
    return f"{'arc' if elements[index].arc else 'line'} {index + 1}"


def brief(value: float, digits: int = 4) -> str:
    """A number without trailing zeros."""
    text = f"{round(value, digits):.{digits}f}".rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text


def _typed(contour: Contour, key: str, value: float) -> float:
    return value if key in ANGLES else value * PLANES[contour.plane].times.get(key, 1.0) / contour.unit


def shown(contour: Contour, key: str, value: float, digits: int = 4) -> str:
    """A fact's value as the person types it."""
    return brief(_typed(contour, key, value), digits)


def at_most(contour: Contour, key: str, value: float) -> str:
    """The largest value that a person may type, rounded down."""
    return brief(math.floor(_typed(contour, key, value) * 1e4) / 1e4)


def word(plane: str, key: str) -> str:
    """A fact's name in a sentence."""
    return PLANES[plane].names[key][1]


def read_contour(data: object) -> Contour:
    """A contour from a parsed file; raises :class:`Unusable` with element and fact."""
    if not isinstance(data, dict):
        raise Unusable('A contour file holds one object with "plane", "start" and "elements".')
    plane = data.get("plane", "XY")
    if plane not in PLANES:
        raise Unusable(f'"plane" is XY or ZX, not {_quoted(plane)}.')
    unknown = set(data) - {"plane", "start", "elements", "closed", "mirror"}
    if unknown:
        raise Unusable(f"A contour has no {_quoted(min(unknown))}; it has plane, start, elements, closed, mirror.")
    elements = data.get("elements")
    if not isinstance(elements, list) or not elements:
        raise Unusable('"elements" must be a list with at least one line or arc.')
    if len(elements) > MOST_ELEMENTS:
        raise Unusable(f"A contour has at most {MOST_ELEMENTS} elements; this one has {len(elements)}. Split it.")
    closed = data.get("closed", False)
    if not isinstance(closed, bool):
        raise Unusable(f'"closed" is true or false, not {_quoted(closed)}.')
    contour = Contour(
        _start(data.get("start", {}), plane),
        tuple(_element(e, i, plane) for i, e in enumerate(elements)),
        closed, plane, _mirror(data.get("mirror"), plane),
    )  # fmt: skip
    problem = misplaced(contour)
    if problem:
        raise Unusable(problem[1])
    return contour


def misplaced(contour: Contour) -> tuple[int, str] | None:
    """The first fact that makes no sense where it stands: index of the element, and a sentence."""
    last = len(contour.elements) - 1
    if contour.closed and contour.mirror is not None:
        return (last, "A mirrored contour closes by itself if it starts on the mirror line; leave out “closed”.")
    for i, e in enumerate(contour.elements):
        name = named(contour.elements, i)
        before = contour.elements[i - 1] if i or contour.closed else None
        if e.smooth and before is None:
            return (i, f"{name} is the first: there is nothing that it could leave smoothly. Leave out tangent.")
        if e.smooth and before is not None and before.corner:
            return (
                i,
                f"{name} leaves the one before smoothly, so there is no corner to round or bevel. Leave one out.",
            )
        if e.corner and i == last and not contour.closed:
            return (i, f"{name} is the last: it has no corner with a next one. Leave out the corner.")
    return None


def _quoted(value: object) -> str:
    return f"“{str(value)[:40]}”"


def _number(value: object, place: str) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise Unusable(f"{place} must be a number, not {_quoted(value)}.")
    try:
        number = float(value)
    except OverflowError:
        number = math.inf
    if not math.isfinite(number):
        raise Unusable(f"{place} is not a finite number. Give its value.")
    if abs(number) > FURTHEST:
        raise Unusable(f"{place} is {number:g}, which is beyond {FURTHEST:,.0f}. Give a smaller one.".replace(",", " "))
    return number


def _start(data: object, plane: str) -> tuple[float | None, float | None]:
    if not isinstance(data, dict):
        raise Unusable('"start" is an object with the coordinates that are known.')
    names, times = PLANES[plane].names, PLANES[plane].times
    x, y = names["x"][0], names["y"][0]
    unknown = set(data) - {x, y}
    if unknown:
        raise Unusable(f"The start has {x} and {y}, but no {_quoted(min(unknown))}.")
    found = [
        _number(data[k], f"The start's {k}") / times.get(inner, 1.0) if data.get(k) is not None else None
        for k, inner in ((x, "x"), (y, "y"))
    ]
    return (found[0], found[1])


def _mirror(data: object, plane: str) -> Mirror | None:
    if data is None:
        return None
    if not isinstance(data, dict):
        raise Unusable('"mirror" is an object with a point of the line and its angle.')
    names, times = PLANES[plane].names, PLANES[plane].times
    x, y = names["x"][0], names["y"][0]
    unknown = set(data) - {x, y, "angle", "tangent"}
    if unknown:
        raise Unusable(f"The mirror has {x}, {y}, angle and tangent, but no {_quoted(min(unknown))}.")
    smooth = data.get("tangent", False)
    if not isinstance(smooth, bool):
        raise Unusable(f"The mirror's tangent is true or false, not {_quoted(smooth)}.")
    default = 90.0 if x in data and y not in data else 0.0
    return Mirror(
        _number(data.get(x, 0.0), f"The mirror's {x}"),
        _number(data.get(y, 0.0), f"The mirror's {y}") / times.get("y", 1.0),
        _number(data.get("angle", default), "The mirror's angle"),
        smooth,
    )


def _element(data: object, index: int, plane: str) -> Element:
    place = f"Element {index + 1}"
    if not isinstance(data, dict):
        raise Unusable(f"{place} must be an object with a type.")
    kind = data.get("type")
    if kind not in ("line", "arc"):
        raise Unusable(f"{place}: type is line or arc, not {_quoted(kind)}.")
    arc = kind == "arc"
    place = f"{'Arc' if arc else 'Line'} {index + 1}"
    way = data.get("dir")
    if arc and way not in ("cw", "ccw"):
        raise Unusable(f"{place}: dir is cw or ccw, not {_quoted(way)}.")
    by_name = {outer: inner for inner, (outer, _) in PLANES[plane].names.items() if inner != "smooth"}
    allowed = ARC_KEYS if arc else LINE_KEYS
    facts: dict[Key, float] = {}
    for name, value in data.items():
        if name in ("type", "tangent", "corner", "pick") or (name == "dir" and arc):
            continue
        key = by_name.get(name)
        if key is None or key not in allowed:
            known = ", ".join(n for n, k in by_name.items() if k in allowed)
            raise Unusable(f"{place} has no {_quoted(name)}; it can have {known}.")
        facts[key] = _number(value, f"{place}: {name}") / PLANES[plane].times.get(key, 1.0)
    smooth = data.get("tangent", False)
    if not isinstance(smooth, bool):
        raise Unusable(f"{place}: tangent is true or false, not {_quoted(smooth)}.")
    pick = data.get("pick", 0)
    if isinstance(pick, bool) or not isinstance(pick, int) or not 0 <= pick <= MOST_ELEMENTS:
        raise Unusable(f"{place}: pick is a whole number, 1 for the first answer, not {_quoted(pick)}.")
    corner, bevel = _corner(data.get("corner"), place)
    one = Element(arc, way == "ccw", tuple(Fact(k, facts[k]) for k in KEYS if k in facts), smooth, corner, bevel, pick)
    wrong = out_of_range(one)
    if wrong:
        raise Unusable(f"{place}: {wrong[1]}")
    return one


def out_of_range(e: Element) -> tuple[str, str] | None:
    """The first fact whose value no line or arc can have: its key and a sentence."""
    for f in e.facts:
        if f.key in ("radius", "length") and f.value < SHORTEST:
            return (f.key, f"{f.key} must be above 0.")
        if f.key == "sweep" and not 0 < f.value <= 360:
            return (f.key, f"sweep must be above 0 and at most 360; it is {brief(f.value)}.")
    return None


def _corner(data: object, place: str) -> tuple[float, bool]:
    if data is None:
        return (0.0, False)
    if not isinstance(data, dict) or len(data) != 1 or next(iter(data)) not in ("radius", "chamfer"):
        raise Unusable(f'{place}: corner is {{"radius": r}} or {{"chamfer": leg}}.')
    name, value = next(iter(data.items()))
    size = _number(value, f"{place}: corner {name}")
    if size < 0:
        raise Unusable(f"{place}: the corner's {name} must be above 0; it is {brief(size)}.")
    return (size, name == "chamfer")
