"""Threads by their names: as a table has them, or by their designation where none lists them: any metric size and pitch (ISO
68-1), trapezoidal ones (ISO 2901, ISO 2904), unified ones by size and threads per inch (ASME B1.1).
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import cache

from msgspec.structs import replace

from bastler.core.problems import Unusable
from bastler.core.quantities import MM_PER_INCH
from bastler.core.threads.threadsizes import Thread, metric_by_numbers, threads, unified_by_numbers

NUMBER = r"(\d+(?:\.\d+)?)"
METRIC = re.compile(rf"M{NUMBER}X{NUMBER}", re.ASCII)
TRAPEZE = re.compile(rf"TR{NUMBER}X{NUMBER}(?:\(?P{NUMBER}\)?)?", re.ASCII)
UNIFIED = re.compile(
    r"(?:(\d+)[\s-])?(?:(\d+)/([1-9]\d*)|(\d*\.?\d+))\s*-\s*(\d+(?:\.\d+)?)\s*(UN[CFSJR]?|UNEF)?", re.ASCII
)
LEFT = re.compile(r"[\s-]*LH$", re.IGNORECASE)
STEEPEST = 1 / 3
"""A pitch is at most this share of the diameter."""
TRAPEZE_TOLERANCE = 0.09
"""Tolerance of a nut's minor diameter as a share of the pitch, about that of ISO 2903."""


def _plain(name: str) -> str:
    """A name as it compares: no blanks, ``x`` for ``×`` and ``*``, no zeros behind the point."""
    text = re.sub(r"\s+", "", name.upper().replace("×", "X").replace("*", "X").replace(",", "."))
    return re.sub(r"(\.\d*?)0+(?=\D|$)", lambda m: m.group(1) if m.group(1) != "." else "", text)


@cache
def _by_plain_name() -> Mapping[str, Thread]:
    known = {}
    for thread in threads().values():
        plain = _plain(thread.name)
        known[plain] = thread
        if plain.endswith(("UNC", "UNF")):
            known.setdefault(plain[:-3], thread)
        if thread.family == "metric":
            known[f"{plain}X{thread.pitch:g}"] = thread
    return known


def find_thread(name: str) -> Thread:
    """A thread by what is typed, "LH" behind it if it is left-hand; raises :class:`Unusable` with the nearest known names."""
    if name in threads():
        return threads()[name]
    right = LEFT.sub("", name)
    if right != name:
        return replace(find_thread(right), left=True)
    known, plain = _by_plain_name(), _plain(name)
    if found := known.get(plain) or _designated(plain, name):
        return found
    import difflib

    near = [known[n].name for n in difflib.get_close_matches(plain, known, 3, 0.5)]
    hint = (
        f" Near it: {', '.join(dict.fromkeys(near))}."
        if near
        else " Type it as M6, M8x1, 1/4-20 UNC, G 1/4 or Tr 24x5."
    )
    raise Unusable(f"“{name}” is no thread that Bastler knows.{hint}")


def _designated(plain: str, typed: str) -> Thread | None:
    """A thread by its designation without blanks in capitals (``plain``), or as ``typed``; ``None`` if that is none.

    Raises :class:`Unusable` if the numbers in it can't be a thread's.
    """
    if found := METRIC.fullmatch(plain):
        size, pitch = (float(n) for n in found.groups())
        return metric_by_numbers(f"M{size:g}x{pitch:g}", size, _checked(size, pitch, typed))
    if found := TRAPEZE.fullmatch(plain):
        across, lead, beside = found.groups()
        return _trapezoidal(float(across), float(lead), float(beside or lead), typed)
    if found := UNIFIED.fullmatch(typed.strip().upper().replace(",", ".")):
        whole, over, under, decimal, per_inch, series = found.groups()
        inches = int(whole or 0) + (int(over) / int(under) if over else float(decimal))
        size, pitch = inches * MM_PER_INCH, MM_PER_INCH / max(float(per_inch), 1e-3)
        word = f"{f'{whole} ' if whole else ''}{f'{over}/{under}' if over else decimal}"
        return unified_by_numbers(f"{word}-{per_inch} {series or 'UN'}", size, _checked(size, pitch, typed))
    return None


def _trapezoidal(size: float, lead: float, pitch: float, typed: str) -> Thread:
    _checked(size, pitch, typed)
    starts = round(lead / pitch)
    if starts < 1 or abs(starts * pitch - lead) > 1e-6:
        text = f"a lead of {lead:g} is no multiple of the pitch {pitch:g}. Type it as Tr 24x10P5 for two starts."
        raise Unusable(f"“{typed}”: {text}")
    minor = size - pitch
    name = f"Tr {size:g}x{lead:g}" + (f"P{pitch:g}" if starts > 1 else "")
    return Thread(name, "trapezoidal", size, pitch, round(minor, 3), minor + TRAPEZE_TOLERANCE * pitch, starts)


def _checked(size: float, pitch: float, typed: str) -> float:
    if not 0 < pitch <= STEEPEST * size:
        raise Unusable(
            f"“{typed}”: a pitch of {pitch:.4g} mm doesn't go with a diameter of {size:.5g} mm. Check both numbers."
        )
    return pitch
