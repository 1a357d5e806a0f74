"""G-code text → words, in one compiled pass over the bytes.

*Word*: a letter with a number. *Line flag*: what the interpreter must know before it looks at the
words. Lower case is read as upper case; blanks don't matter; ``( )`` and ``;`` are comments. A letter behind a comma
(``,R5.``) is another word than without: it is kept in lower case. ``:1001`` is the number of a main block, ``%4711`` that of
a program, ``/2`` a skip switch (DIN 66025).
"""

from __future__ import annotations

import re

import numpy as np
from msgspec import Struct
from numba import njit
from numpy.typing import NDArray

from bastler.core.problems import Unusable

SIMPLE = 1
"""Only N, F, X, Y, Z (with decimal points) and at most one G0 or G1."""
SKIP = 2
BROKEN = 4
PERCENT = 8
OPEN_COMMENT = 16
LONGEST_BYTES = 400_000_000
LINE_FEED, RETURN, TAB, BLANK, ZERO, NINE, LOWER = 10, 13, 9, 32, 48, 57, 32
FULL, LARGEST = 9e14, 1e9
"""Digits behind so large a mantissa change nothing; no word of a program has so large a number."""
MARKS = (b"\xef\xbb\xbf",)
"""A byte order mark at the head of a text is no word."""


SKIPPED = re.compile(rb"\s*(?:N\s*\d+\s*)?/", re.IGNORECASE)
"""How a line begins that the skip switch leaves out."""


class Tokens(Struct, frozen=True):
    """The words of a program.

    ``first[i]`` to ``first[i + 1]`` are the words of line i (from 0); ``letter`` holds ASCII codes,
    ``value`` the numbers, ``point`` whether a decimal point was written; ``flags`` one byte a line.
    """

    first: NDArray[np.int64]
    letter: NDArray[np.uint8]
    value: NDArray[np.float64]
    point: NDArray[np.bool_]
    flags: NDArray[np.uint8]

    @property
    def lines(self) -> int:
        """Number of lines."""
        return len(self.flags)


def lex(data: bytes, name: str = "The program") -> Tokens:
    """Words of a program text; raises :class:`Unusable` for what is no text at all."""
    if not data.strip():
        raise Unusable(f"{name} is empty. Choose a file with G-code.")
    if b"\0" in data[:1_000_000] or len(data) > LONGEST_BYTES:
        raise Unusable(f"{name} is not a G-code text. Choose a text file.")
    data = plain_lines(data)
    raw = np.frombuffer(data, np.uint8)
    head = raw[:100_000]
    strange = np.count_nonzero((head < 32) & (head != 10) & (head != 13) & (head != 9))
    if strange > len(head) // 50:
        raise Unusable(f"{name} is not a G-code text. Choose a text file.")
    lines = int(np.count_nonzero(raw == 10))
    most = int(np.count_nonzero((raw >= 58) & (raw <= 122)))
    first = np.zeros(lines + 1, np.int64)
    letter, value = np.empty(most, np.uint8), np.empty(most)
    point, flags = np.zeros(most, np.bool_), np.zeros(lines, np.uint8)
    count = _scan(raw, first, letter, value, point, flags)
    return Tokens(first, letter[:count].copy(), value[:count].copy(), point[:count].copy(), flags)


def plain_lines(data: bytes) -> bytes:
    """A text whose lines all end in a line feed, as they are counted everywhere: without a mark at its head, old carriage returns turned into line feeds."""
    for mark in MARKS:
        data = data.removeprefix(mark)
    if b"\r" in data and b"\n" not in data:
        data = data.replace(b"\r", b"\n")
    return data if data.endswith(b"\n") else data + b"\n"


def without_skipped(data: bytes) -> bytes | None:
    """A text as it runs with the skip switch on: what starts with ``/`` is left out; ``None`` if no line does."""
    lines = data.split(b"\n")
    left = [b"" if SKIPPED.match(line) else line for line in lines]
    return b"\n".join(left) if left != lines else None


Bytes = NDArray[np.uint8]


@njit(cache=True, nogil=True, inline="always")
def _past_blanks(raw: Bytes, i: int) -> int:
    while raw[i] == BLANK or raw[i] == TAB:
        i += 1
    return i


@njit(cache=True, nogil=True, inline="always")
def _passed_over(raw: Bytes, i: int) -> tuple[int, int]:  # pragma: no cover
    """Behind a blank, a comment, a program's number or a skip switch, and the flag that it sets; the same place where a word begins."""
    c = raw[i]
    if c > ord(";"):
        return i, 0
    if c in (BLANK, TAB, RETURN):
        return i + 1, 0
    if c == ord("("):
        while raw[i] != ord(")") and raw[i] != LINE_FEED:
            i += 1
        return (i, OPEN_COMMENT) if raw[i] == LINE_FEED else (i + 1, 0)
    if c == ord(";"):
        while raw[i] != LINE_FEED:
            i += 1
        return i, 0
    if c == ord("%"):
        i += 1
        while ZERO <= raw[i] <= NINE:
            i += 1
        return i, PERCENT
    if c == ord("/"):
        return (i + 2, SKIP) if ZERO < raw[i + 1] <= NINE else (i + 1, SKIP)
    return i, 0


@njit(cache=True, nogil=True, inline="always")
def _letter(raw: Bytes, i: int) -> tuple[int, int]:  # pragma: no cover
    """The letter of a word, in lower case behind a comma, and the place behind it; 0 for none."""
    c, case = int(raw[i]), 0
    if c == ord(","):
        i = _past_blanks(raw, i + 1)
        c, case = int(raw[i]), LOWER
    elif c == ord(":"):
        c = ord("N")
    if ord("a") <= c <= ord("z"):
        c -= LOWER
    if c == LINE_FEED:
        return i, 0
    return i + 1, (c + case if ord("A") <= c <= ord("Z") else 0)


@njit(cache=True, nogil=True, inline="always")
def _number(raw: Bytes, i: int, powers: NDArray[np.float64]) -> tuple[int, float, bool]:  # pragma: no cover
    """The number behind a letter, infinite if there is none or it is far too large; whether it has a point."""
    sign = -1.0 if raw[i] == ord("-") else 1.0
    if raw[i] == ord("-") or raw[i] == ord("+"):
        i += 1
    mantissa, decimals, digits, dot = 0.0, 0, 0, False
    while True:
        d = raw[i]
        if ZERO <= d <= NINE:
            digits += 1
            if mantissa < FULL:
                mantissa = mantissa * 10.0 + (d - ZERO)
                decimals += 1 if dot else 0
            elif not dot:
                mantissa = 9e300
        elif d == ord(".") and not dot:
            dot = True
        else:
            break
        i += 1
    number = sign * mantissa / powers[decimals]
    return i, (number if digits > 0 and abs(number) < LARGEST else np.inf), dot


@njit(cache=True, nogil=True, inline="always")
def _seen(c: int, number: float, dot: bool, seen: int) -> int:  # pragma: no cover
    """The words of a simple line seen by now, a bit each; -1 once it is none."""
    bit = 0
    if ord("X") <= c <= ord("Z") and dot:
        bit = 1 << (c - ord("X"))
    elif c == ord("F") and number > 0.0:
        bit = 8
    elif c == ord("G") and (number == 0.0 or number == 1.0):
        bit = 16
    elif c == ord("N"):
        bit = 32
    return -1 if bit == 0 or seen < 0 or seen & bit else seen | bit


@njit(cache=True, nogil=True)
def _scan(
    raw: Bytes, first: NDArray[np.int64], letter: Bytes, value: NDArray[np.float64], point: NDArray[np.bool_], flags: Bytes
) -> int:  # pragma: no cover  # fmt: skip
    """All words of a text that ends in a line feed, into the columns of :class:`Tokens`; their number."""
    i, line, count = 0, 0, 0
    powers = 10.0 ** np.arange(23)
    while i < len(raw):
        first[line] = count
        flag, seen = 0, 0
        while raw[i] != LINE_FEED:
            behind, told = _passed_over(raw, i)
            if behind != i:
                i, flag = behind, flag | told
                continue
            i, c = _letter(raw, i)
            if c == 0:
                flag |= BROKEN
                continue
            i, number, dot = _number(raw, _past_blanks(raw, i), powers)
            if number == np.inf:
                flag |= BROKEN
                continue
            letter[count], value[count], point[count] = c, number, dot
            count += 1
            seen = _seen(c, number, dot, seen)
        flags[line] = SIMPLE if flag == 0 and seen >= 0 else flag
        line += 1
        i += 1
    first[line] = count
    return count
