"""Variables and arithmetic of G-code: ``#n`` and ``[ ]`` with the functions that controls share.

Angles are degrees. A variable that was never set is *empty*: it counts as 0 in arithmetic, is told once,
and equals only ``#0``. Trouble is raised as :class:`Wrong` with a sentence.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from functools import lru_cache

from bastler.core.quantities import whole_number

SHOWN = 60
EMPTY: None = None
Value = float | None
DEEPEST = 60
"""Brackets, signs and functions within each other; controls take five."""
_TOKEN = re.compile(r"\s*(#|\[|\]|\+|-|\*|/|\d+\.?\d*|\.\d+|[A-Z]+)", re.ASCII)


class Wrong(Exception):
    """What is wrong with an expression, as a sentence."""


def _root(v: float) -> float:
    if v < 0:
        raise Wrong(f"SQRT of {v:g} does not exist. Check the values before it.")
    return math.sqrt(v)


def _log(v: float) -> float:
    if v <= 0:
        raise Wrong(f"LN of {v:g} does not exist. Check the values before it.")
    return math.log(v)


def _inverse(function: Callable[[float], float]) -> Callable[[float], float]:
    def safe(v: float) -> float:
        if not -1 <= v <= 1:
            raise Wrong(f"{v:g} is no sine or cosine. Check the values before it.")
        return math.degrees(function(v))

    return safe


_FUNCTIONS: dict[str, Callable[[float], float]] = {
    "SIN": lambda v: math.sin(math.radians(v)),
    "COS": lambda v: math.cos(math.radians(v)),
    "TAN": lambda v: math.tan(math.radians(v)),
    "ASIN": _inverse(math.asin),
    "ACOS": _inverse(math.acos),
    "SQRT": _root,
    "ABS": abs,
    "ROUND": lambda v: math.floor(v + 0.5),
    "FIX": math.trunc,
    "FUP": lambda v: math.ceil(v) if v > 0 else math.floor(v),
    "LN": _log,
    "EXP": math.exp,
}
_COMPARE: dict[str, Callable[[float, float], bool]] = {
    "EQ": lambda a, b: a == b, "NE": lambda a, b: a != b, "GT": lambda a, b: a > b, "LT": lambda a, b: a < b,
    "GE": lambda a, b: a >= b, "LE": lambda a, b: a <= b,
}  # fmt: skip


def evaluate(text: str, variables: Callable[[int], Value]) -> tuple[float, str]:
    """The value at the head of ``text`` (a number, ``#n`` or ``[ ]``, with a sign) and what stands behind it."""
    reader = _Reader(text, variables)
    value = reader.signed()
    return _number(value), text[reader.at :]


def whole(text: str, variables: Callable[[int], Value]) -> float:
    """The value of a whole expression, as behind ``=``."""
    reader = _Reader(text, variables)
    value = reader.logical()
    if text[reader.at :].strip():
        raise Wrong(
            f"“{text[reader.at :].strip()}” is not understood behind the expression. Remove it or close a bracket."
        )
    return _number(value)


def _number(value: Value) -> float:
    number = 0.0 if value is None else float(value)
    if not math.isfinite(number):
        raise Wrong("The expression has no finite value. Check the numbers in it.")
    return number


@lru_cache(maxsize=1024)
def _tokens(text: str) -> tuple[tuple[str, int], ...]:
    """The tokens at the head of a text, each with where it ends; a loop asks for the same again and again."""
    found, at = [], 0
    while match := _TOKEN.match(text, at):
        at = match.end()
        found.append((match.group(1), at))
    return tuple(found)


class _Reader:
    """Recursive descent, one level per precedence."""

    def __init__(self, text: str, variables: Callable[[int], Value]) -> None:
        self.text, self.variables, self.depth = text, variables, 0
        self._tokens, self._next = _tokens(text), 0

    @property
    def at(self) -> int:
        """Where in the text the next token is looked for."""
        return self._tokens[self._next - 1][1] if self._next else 0

    @property
    def shown(self) -> str:
        """The expression as a message shows it."""
        return self.text.strip()[:SHOWN]

    def peek(self) -> str:
        """The next token, empty at the end."""
        return self._tokens[self._next][0] if self._next < len(self._tokens) else ""

    def take(self) -> str:
        """The next token, moved past."""
        token = self.peek()
        if not token:
            raise Wrong(f"“{self.shown}” breaks off. Complete the expression.")
        self._next += 1
        return token

    def logical(self) -> Value:
        """AND, OR, XOR over comparisons."""
        value = self.comparison()
        while self.peek() in ("AND", "OR", "XOR"):
            word, other = self.take(), bool(_number(self.comparison()))
            one = bool(_number(value))
            value = float(one and other if word == "AND" else one or other if word == "OR" else one != other)
        return value

    def comparison(self) -> Value:
        """EQ to LE over sums."""
        value = self.sum()
        while self.peek() in _COMPARE:
            word, other = self.take(), self.sum()
            if value is None or other is None:
                same = value is other
                value = float(
                    same
                    if word == "EQ"
                    else not same
                    if word == "NE"
                    else _COMPARE[word](_number(value), _number(other))
                )
            else:
                value = float(_COMPARE[word](value, other))
        return value

    def sum(self) -> Value:
        """Plus and minus."""
        value = self.product()
        while self.peek() in ("+", "-"):
            sign = 1.0 if self.take() == "+" else -1.0
            value = _number(value) + sign * _number(self.product())
        return value

    def product(self) -> Value:
        """Times, divided by, MOD."""
        value = self.signed()
        while self.peek() in ("*", "/", "MOD"):
            word, other = self.take(), _number(self.signed())
            if word != "*" and other == 0:
                raise Wrong(f"“{self.shown}” divides by zero. Check the value under the line.")
            a = _number(value)
            value = a * other if word == "*" else a / other if word == "/" else math.fmod(a, other)
        return value

    def deeper(self, read: Callable[[], Value]) -> Value:
        """What is read one level further in."""
        self.depth += 1
        if self.depth > DEEPEST:
            raise Wrong(f"Brackets lie too deep within each other in “{self.shown} …”. Write it in several lines.")
        value = read()
        self.depth -= 1
        return value

    def signed(self) -> Value:
        """A sign before one value."""
        if self.peek() == "-":
            self.take()
            return -_number(self.deeper(self.signed))
        if self.peek() == "+":
            self.take()
        return self.deeper(self.value)

    def value(self) -> Value:
        """A number, a variable, a bracket or a function."""
        token = self.take()
        if token == "#":
            return self.variables(self._index())
        if token == "[":
            value = self.logical()
            if self.take() != "]":
                raise Wrong(f"A bracket is not closed in “{self.shown}”.")
            return value
        if token in _FUNCTIONS:
            try:
                return float(_FUNCTIONS[token](_number(self.deeper(self.value))))
            except OverflowError:
                raise Wrong(
                    f"{token} grows beyond all numbers in “{self.shown}”. Check the values before it."
                ) from None
        if token == "ATAN":
            up = _number(self.deeper(self.value))
            if self.peek() == "/":
                self.take()
                return math.degrees(math.atan2(up, _number(self.deeper(self.value)))) % 360
            return math.degrees(math.atan(up))
        if token[0] in ".0123456789":
            return float(token)
        raise Wrong(
            f"“{token}” is not understood in “{self.shown}”. Use # [ ] + - * / and SIN, COS, SQRT and the like."
        )

    def _index(self) -> int:
        if self.peek() == "[":
            return round(_number(self.value()))
        token = self.take()
        if token == "#":
            return round(_number(self.deeper(lambda: self.variables(self._index()))))
        number = whole_number(token)
        if number is None:
            raise Wrong(f"#{token} is no variable. Write # with a number of nine digits at most.")
        return number
