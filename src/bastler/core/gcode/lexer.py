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


@njit(cache=True, nogil=True)
def _scan(raw, first, letter, value, point, flags):  # type: ignore[no-untyped-def]  # pragma: no cover
    n = len(raw)
    i = 0
    line = 0
    count = 0
    powers = 10.0 ** np.arange(23)
    while i < n:
        first[line] = count
        flag = 0
        simple = True
        seen = 0
        while raw[i] != 10:
            c = raw[i]
            if c == 40:
                i += 1
                while raw[i] != 41 and raw[i] != 10:
                    i += 1
                if raw[i] == 10:
                    flag |= OPEN_COMMENT
                    break
                i += 1
                continue
            if c == 59:
                while raw[i] != 10:
                    i += 1
                break
            if c == 32 or c == 9 or c == 13:
                i += 1
                continue
            if c == 37:
                flag |= PERCENT
                i += 1
                while 48 <= raw[i] <= 57:
                    i += 1
                continue
            if c == 47:
                flag |= SKIP
                simple = False
                i += 1
                if 49 <= raw[i] <= 57:
                    i += 1
                continue
            behind_comma = 0
            if c == 44:
                i += 1
                while raw[i] == 32 or raw[i] == 9:
                    i += 1
                c = raw[i]
                behind_comma = 32
            elif c == 58:
                c = 78
            if 97 <= c <= 122:
                c -= 32
            if c == 10:
                flag |= BROKEN
                simple = False
                continue
            if c < 65 or c > 90:
                flag |= BROKEN
                simple = False
                i += 1
                continue
            i += 1
            while raw[i] == 32 or raw[i] == 9:
                i += 1
            sign = 1.0
            if raw[i] == 45:
                sign = -1.0
                i += 1
            elif raw[i] == 43:
                i += 1
            mantissa = 0.0
            decimals = 0
            digits = 0
            dot = False
            while True:
                d = raw[i]
                if 48 <= d <= 57:
                    digits += 1
                    if mantissa < 9e14:
                        mantissa = mantissa * 10.0 + (d - 48)
                        if dot:
                            decimals += 1
                    elif not dot:
                        mantissa = 9e300
                    i += 1
                elif d == 46 and not dot:
                    dot = True
                    i += 1
                else:
                    break
            if digits == 0:
                flag |= BROKEN
                simple = False
                continue
            number = sign * mantissa / powers[decimals]
            if not (abs(number) < 1e9):
                flag |= BROKEN
                simple = False
                continue
            if behind_comma:
                c += 32
                simple = False
            letter[count] = c
            value[count] = number
            point[count] = dot
            count += 1
            if c == 88 or c == 89 or c == 90:
                bit = 1 << (c - 88)
                if seen & bit or not dot:
                    simple = False
                seen |= bit
            elif c == 70:
                if seen & 8 or number <= 0.0:
                    simple = False
                seen |= 8
            elif c == 71:
                if seen & 16 or (number != 0.0 and number != 1.0):
                    simple = False
                seen |= 16
            elif c == 78:
                if seen & 32:
                    simple = False
                seen |= 32
            else:
                simple = False
        if simple and flag == 0:
            flag |= SIMPLE
        flags[line] = flag
        line += 1
        i += 1
    first[line] = count
    return count
