"""Quantities and the expressions typed into fields.

*Kind*: what a number means; gives its unit, its limits and how it is converted.
*Expression*: what a person types: ``46/2``, ``3/8``, ``1in``, ``sin(30)*12`` (degrees).

Inside Bastler lengths are millimetres, feeds mm/min, angles degrees, times seconds;
the job's units exist only here, on the way in and on the way out.
"""

from __future__ import annotations

import math
import operator
import re
from collections.abc import Iterator
from enum import Enum
from functools import cache
from typing import Any, Literal, NamedTuple

from msgspec import Struct

from bastler.core.problems import Unfinished, Unusable

Units = Literal["mm", "inch"]
MM_PER_INCH = 25.4
LONGEST_EXPRESSION = 200
FURTHEST_MM = 100_000.0


class Kind(Enum):
    """What a field holds."""

    LENGTH = "length"
    ANGLE = "angle"
    COUNT = "count"
    NUMBER = "number"
    PERCENT = "percent"
    FEED = "feed"
    FEED_PER_REV = "feed per rev"
    SPINDLE = "spindle"
    CUTTING_SPEED = "cutting speed"
    TIME = "time"
    CHOICE = "choice"
    FLAG = "flag"
    TOOL = "tool"
    THREAD = "thread"
    PATTERN = "pattern"
    CONTOUR = "contour"
    CONTOURS = "contours"
    STEPS = "steps"
    LINES = "lines"
    TEXT = "text"
    POINTS = "points"
    NUMBERS = "numbers"
    CYLINDERS = "cylinders"


_UNIT: dict[Kind, tuple[str, str]] = {
    Kind.LENGTH: ("mm", "in"),
    Kind.ANGLE: ("°", "°"),
    Kind.PERCENT: ("%", "%"),
    Kind.FEED: ("mm/min", "in/min"),
    Kind.FEED_PER_REV: ("mm", "in"),
    Kind.SPINDLE: ("/min", "/min"),
    Kind.CUTTING_SPEED: ("m/min", "ft/min"),
    Kind.TIME: ("s", "s"),
}
_SCALE_INCH: dict[Kind, float] = {
    Kind.LENGTH: MM_PER_INCH,
    Kind.FEED: MM_PER_INCH,
    Kind.FEED_PER_REV: MM_PER_INCH,
    Kind.CUTTING_SPEED: 0.3048,
}


def unit_word(kind: Kind, units: Units) -> str:
    """The unit printed behind a field, empty for what has none."""
    metric, inch = _UNIT.get(kind, ("", ""))
    return metric if units == "mm" else inch


def scale(kind: Kind, units: Units) -> float:
    """Factor from the job's unit to the inner one."""
    return _SCALE_INCH.get(kind, 1.0) if units == "inch" else 1.0


def show(value: float, kind: Kind = Kind.LENGTH, units: Units = "mm", digits: int = 3) -> str:
    """A number as a person writes it: no trailing zeros, no exponent, no ``-0``."""
    number = round(value / scale(kind, units), digits + 1 if units == "inch" else digits)
    text = f"{number:.{digits + 1}f}".rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text


def drawn(value: float, units: Units = "mm", kind: Kind = Kind.LENGTH) -> str:
    """A size as a drawing gives it: three decimals at most in either unit."""
    inch = units == "inch" and scale(kind, units) != 1.0
    return show(value, kind, units, 2 if inch else 3)


def said(value: float, kind: Kind = Kind.LENGTH, units: Units = "mm", digits: int = 3) -> str:
    """A number with its unit, in the job's units: ``100 in/min``."""
    return f"{show(value, kind, units, digits)} {unit_word(kind, units)}".rstrip()


def metal(mm3: float, units: Units = "mm", digits: int = 1) -> str:
    """A volume in words: cm³, in an inch job in³."""
    inch = units == "inch"
    return f"{mm3 / (MM_PER_INCH**3 if inch else 1000.0):.{digits + inch}f} {'in' if inch else 'cm'}³"


def counted(n: int, word: str, several: str = "") -> str:
    """A number of things: ``1 line``, ``3 lines``."""
    return f"{n} {word if n == 1 else several or f'{word}s'}"


def _in_degrees(function: Any) -> Any:
    return lambda value: function(math.radians(value))


_FUNCTIONS = {
    "sin": _in_degrees(math.sin),
    "cos": _in_degrees(math.cos),
    "tan": _in_degrees(math.tan),
    "asin": lambda value: math.degrees(math.asin(value)),
    "acos": lambda value: math.degrees(math.acos(value)),
    "atan": lambda value: math.degrees(math.atan(value)),
    "sqrt": math.sqrt,
    "abs": abs,
    "min": min,
    "max": max,
}
_SUFFIX = re.compile(r"(?<=[\d.)])\s*(in|mm)\b", re.ASCII)
_PLAIN = re.compile(r"[-+]?(\d+\.?\d*|\.\d+)\Z", re.ASCII)
_TWO = re.compile(r"(\d+\.?\d*|\.\d+)\s*([-+*/])\s*(\d+\.?\d*|\.\d+)\Z", re.ASCII)
"""One operation on two numbers, which is most of what is typed: worked out without loading the evaluator."""
_OPERATIONS = {"+": operator.add, "-": operator.sub, "*": operator.mul, "/": operator.truediv}
_SEVERAL = re.compile(r"[;=#\n]")
_COMMA = re.compile(r"(?<=\d),(?=\d)|(?<![\d\w),]),(?=\d)|(?<=\d),\Z", re.ASCII)
"""A comma as number pads of half the world type it, between digits, before or behind them."""
_BOTH_SIGNS = re.compile(r"\d[.,]\d+[.,]\d", re.ASCII)
_LISTING = re.compile(r"(min|max)\s*\(")
_WORDS = "|".join((*_FUNCTIONS, "pi"))
_WRITABLE = re.compile(
    rf"(?:\s+|(?:\d+\.?\d*|\.\d+)(?:e[-+]?\d+)?(?=(?:mm|in)\b|[^\w.]|\Z)|(?:{_WORDS}|mm|in)\b|(?:(?<!\*)\*(?!\*)|(?<!/)/(?!/)|[-+(),]))*\Z", re.ASCII
)  # fmt: skip
"""Every sign that an expression may hold: what else the evaluator would take (powers, bits, comparisons, hexadecimal) means nothing on a drawing."""
_DRAWN_SIGNS = str.maketrans({"−": "-", "×": "*", "·": "*", "÷": "/"})
_MAY_BE_WRITTEN = "Write digits, + − * / ( ), pi, sqrt, sin, cos, tan, asin, acos, atan, abs, min, max, mm or in."
_LETTERS = "abcdefghijklmnopqrstuvwxyz"
_WHOLE = re.compile(r"[0-9]{1,9}\Z")


def whole_number(text: str) -> int | None:
    """The value of a text of plain digits, nine at most; ``None`` for anything else (``²`` and ``٣`` are digits to Python)."""
    text = text.strip()
    return int(text) if _WHOLE.match(text) else None


@cache
def _evaluator() -> Any:
    import ast

    from simpleeval import DEFAULT_OPERATORS, SimpleEval

    meant = (ast.Add, ast.Sub, ast.Mult, ast.Div, ast.UAdd, ast.USub)
    operators = {kind: DEFAULT_OPERATORS[kind] for kind in meant}
    return SimpleEval(operators=operators, functions=_FUNCTIONS, names={"pi": math.pi})


class Limits(Struct, frozen=True):
    """Inclusive limits in inner units; ``None`` is open."""

    low: float | None = None
    high: float | None = None
    low_open: bool = False


def evaluate(text: str, kind: Kind = Kind.LENGTH, units: Units = "mm") -> float:
    """The value of a typed expression in inner units.

    A bare number is in the job's units; ``mm`` and ``in`` behind a number or a bracket
    say otherwise. Raises :class:`Unusable` with a sentence naming what to change.
    """
    typed = text.strip()
    if len(typed) > LONGEST_EXPRESSION:
        raise Unusable(f"This is longer than {LONGEST_EXPRESSION} characters. Type a shorter expression.")
    if not typed.isascii():
        typed = typed.removesuffix("°").rstrip() if kind is Kind.ANGLE else typed
        typed = typed.translate(_DRAWN_SIGNS)
    if _PLAIN.match(typed) and len(typed) < 16:
        return _bounded(float(typed) * scale(kind, units), typed)
    if "," in typed:
        typed = _pointed(typed)
    simple = _TWO.match(typed)
    if simple and len(typed) < 32 and not (simple[2] == "/" and float(simple[3]) == 0):
        return _bounded(_OPERATIONS[simple[2]](float(simple[1]), float(simple[3])) * scale(kind, units), typed)
    if _SEVERAL.search(typed):
        raise Unusable(f"“{typed}” is more than one value. Type a single number or expression.")
    if not _WRITABLE.match(typed):
        raise _unread(typed, text.strip())
    plain = in_job_units(typed, units)
    try:
        result = float(_evaluator().eval(plain))
    except ZeroDivisionError:
        raise Unusable(f"“{typed}” divides by zero. Change the number under the line.") from None
    except (OverflowError, MemoryError):
        raise Unusable(f"“{typed}” is far too large. Type a smaller number.") from None
    except Exception:  # whatever the evaluator or a function of it (sqrt of -1) objects to
        raise _unread(typed, text.strip()) from None
    return _bounded(result * scale(kind, units), typed)


def in_job_units(typed: str, units: Units) -> str:
    """An expression whose ``mm`` and ``in`` are written out as what they make of numbers in the job's units."""
    other, factor = ("in", f"*{MM_PER_INCH}") if units == "mm" else ("mm", f"/{MM_PER_INCH}")
    return _SUFFIX.sub(lambda m: factor if m.group(1) == other else "", typed)


def _pointed(typed: str) -> str:
    """With points for decimal commas; in ``min(`` and ``max(`` a comma stands between numbers."""
    if _LISTING.search(typed):
        return typed
    if _BOTH_SIGNS.search(typed):
        raise Unusable(f"“{typed}” can be read in several ways. Write one decimal sign, as in 1234.5 or 1234,5.")
    return _COMMA.sub(".", typed)


def _unread(typed: str, said: str) -> Unusable:
    if begun(typed):
        return Unfinished(f"“{said}” isn't finished. Type the rest of it.")
    return Unusable(f"“{said}” can't be read as a number. {_MAY_BE_WRITTEN}")


def begun(typed: str) -> bool:
    """Whether a text that is no expression yet becomes one by typing on: ``-``, ``2+``, ``(``, ``sq``."""
    typed = typed.translate(_DRAWN_SIGNS).strip()
    head = typed.rstrip(_LETTERS)
    tail = typed[len(head) :]
    if tail and not any(word.startswith(tail) for word in (*_FUNCTIONS, "pi", "mm", "in")):
        return False
    if tail and head.rstrip()[-1:] in (*"0123456789.)",):
        whole = head if "mm".startswith(tail) or "in".startswith(tail) else ""
    else:
        whole = head + "1" if tail or head[-1:] in (*"+-*/(,.",) else head
    whole += ")" * (whole.count("(") - whole.count(")"))
    if whole == typed or not _WRITABLE.match(whole):
        return False
    try:
        _evaluator().eval(_SUFFIX.sub("", whole))
    except (ArithmeticError, TypeError):  # by what is typed on it may be right: 1/(2, min(1
        return True
    except Exception:
        return False
    return True


def _bounded(value: float, typed: str) -> float:
    if not math.isfinite(value):
        raise Unusable(f"“{typed}” has no finite value. Type a number.")
    if abs(value) > FURTHEST_MM:
        raise Unusable(f"“{typed}” is beyond {FURTHEST_MM:,.0f}. Type a smaller number.".replace(",", " "))
    return value


def _between_semicolons(text: str) -> list[str]:
    """The parts of a list that say something, each run of blanks made one."""
    return [p for p in (" ".join(p.split()) for p in text.split(";")) if p]


class TypedPoint(NamedTuple):
    """The two texts of a point: its X and Y, or where it is ``polar`` its distance from zero and its angle."""

    first: str
    second: str
    polar: bool = False

    def place(self, units: Units) -> tuple[float, float]:
        """Where it is, mm. Raises :class:`Unusable` as :func:`evaluate` does."""
        first = evaluate(self.first, Kind.LENGTH, units)
        if not self.polar:
            return first, evaluate(self.second, Kind.LENGTH, units)
        angle = math.radians(evaluate(self.second.rstrip("° "), Kind.ANGLE, units))
        return first * math.cos(angle), first * math.sin(angle)


def typed_points(text: str) -> Iterator[TypedPoint]:
    """Points typed as ``12, 12; 188, 12``, ``12 12; 188 12`` or ``21 at 72`` (radius and angle): semicolon between points.

    A comma with a blank behind it stands between X and Y; one without is a decimal sign where a blank, or such a comma,
    stands between X and Y too (``12,5 60``), else it stands between them (``100,60``). Raises :class:`Unusable` where
    both can be meant, :class:`Unfinished` while the last point lacks its Y or its angle.
    """
    commas = set()
    for number, part in enumerate(_between_semicolons(text), 1):
        if polar := _AT.fullmatch(part):
            if not polar[2]:
                raise Unfinished(f"Point {number} (“{part}”) lacks its angle. Type it behind, as in 21 at 72.")
            yield TypedPoint(polar[1], polar[2], polar=True)
            continue
        pair, comma = _pair(part)
        commas.add(comma)
        both = commas >= {"decimal", "between"}
        if pair is None or both:
            said = "X and Y can't be told apart" if comma == "both" or both else "it needs X and Y"
            raise Unusable(f"Point {number} (“{part}”): {said}. Write a blank between them, as in 12.5 30.")
        if not pair[1]:
            raise Unfinished(f"Point {number} (“{part}”) lacks its Y. Type a blank and Y behind it, as in 12.5 30.")
        yield TypedPoint(*pair)


def parse_points(text: str, units: Units = "mm") -> tuple[tuple[float, float], ...]:
    """Places in mm of points as :func:`typed_points` takes them; raises what that does, and what :func:`evaluate` does."""
    points, last = [], len(_between_semicolons(text))
    for number, point in enumerate(typed_points(text), 1):
        try:
            points.append(point.place(units))
        except Unfinished as error:
            raise (error if number == last else Unusable(f"Point {number}: {error}")) from None
    return tuple(points)


def both_of(text: str, units: Units) -> tuple[str, str] | None:
    """X and Y, as expressions, of a place typed as radius and angle (``21 at 72``); ``None`` for anything else, or what can't be read."""
    polar = _AT.fullmatch(" ".join(text.split()))
    if polar is None or not polar[2]:
        return None
    try:
        TypedPoint(polar[1], polar[2], polar=True).place(units)
    except Unusable:
        return None
    radius, angle = polar[1], polar[2].rstrip("° ")
    radius = radius if re.fullmatch(r"[\d.]+", radius) else f"({radius})"
    return f"{radius}*cos({angle})", f"{radius}*sin({angle})"


_AT = re.compile(r"(.+?)\s+at\b\s*(.*)", re.IGNORECASE)
_SPACED_COMMA = re.compile(r"\s*,\s+|\s+,\s*|,\Z")
_BLANK = re.compile(r"(?<![-+*/(,\s])\s+(?![\s+*/),]|-\s|(?:mm|in)\b)")
"""A blank between two numbers, not one within an expression."""


def _pair(part: str) -> tuple[tuple[str, str] | None, str]:
    """The two texts of a point (``None`` if they can't be told), and what a comma without a blank was in it."""
    plain = part.count(",") - len(_SPACED_COMMA.findall(part))
    for separator in (_SPACED_COMMA, _BLANK):
        pair = separator.split(part)
        if len(pair) == 2:
            return (pair[0], pair[1]), "decimal" if plain else ""
        if len(pair) > 2:
            return None, ""
    first, comma, second = part.partition(",")
    if plain > 1:
        return None, "both"
    return (first, second), "between" if comma else ""


def parse_numbers(text: str) -> tuple[int, ...]:
    """Whole numbers typed as ``2, 5`` or ``2 5``."""
    numbers = []
    for part in re.split(r"[\s,;]+", text.strip(" ,;")) if text.strip(" ,;") else ():
        number = whole_number(part)
        if number is None:
            raise Unusable(f"“{part}” is not a hole number. Type whole numbers with commas, as in 2, 5.")
        numbers.append(number)
    return tuple(numbers)


def parse_cylinders(text: str, units: Units = "mm") -> tuple[tuple[float, float], ...]:
    """A holder typed from the tool upwards as ``40 x 30; 63 x 20`` (diameter x length)."""
    stack = []
    parts = _between_semicolons(text)
    for number, part in enumerate(parts, 1):
        pair = re.split(r"\s*[x×]\s*", part)
        if len(pair) != 2:
            fault = Unfinished if number == len(parts) and len(pair) == 1 else Unusable
            raise fault(f"Cylinder {number} (“{part}”) needs diameter x length, as in 40 x 30.")
        diameter, length = (evaluate(p, Kind.LENGTH, units) for p in pair)
        if diameter <= 0 or length <= 0:
            raise Unusable(f"Cylinder {number} (“{part}”) needs a diameter and a length above zero.")
        stack.append((diameter, length))
    return tuple(stack)
