"""Dialects: tables that say how a control wants its G-code (``dialects/*.toml``)."""

from __future__ import annotations

import difflib
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, fields
from functools import cache
from importlib import resources
from typing import Any

from bastler.core.problems import Unusable


@dataclass(frozen=True)
class Numbers:
    """Decimals per kind of number."""

    length: int
    length_inch: int
    feed: int
    feed_inch: int
    spindle: int
    dwell: int


@dataclass(frozen=True)
class Lines:
    """Line numbers."""

    numbered: bool
    first: int
    step: int


@dataclass(frozen=True)
class Modal:
    """Which words are left out while they repeat."""

    motion: bool
    coordinates: bool
    feed: bool


@dataclass(frozen=True)
class Words:
    """Single words."""

    rapid: str
    feed: str
    clockwise: str
    counter_clockwise: str
    compensate_left: str
    compensate_right: str
    compensate_off: str
    metric: str
    inch: str
    centre: list[str]


@dataclass(frozen=True)
class Blocks:
    """Groups of lines."""

    start: list[str]
    tool_change: list[str]
    first_tool: list[str]
    approach: list[str]
    same_tool: list[str]
    step: list[str]
    end: list[str]


@dataclass(frozen=True)
class Drilling:
    """Canned cycles and what is written out instead."""

    straight: str
    dwell: str
    retract: str
    chip: str
    return_to_start: str
    cancel: str
    shrinking_pecks: bool
    pecks_with_dwell: bool
    written_out_dwell: str
    chip_break_back: float
    peck_gap: float


@dataclass(frozen=True)
class Dialect:
    """One control's G-code."""

    name: str
    title: str
    extension: str
    comment: str
    comment_length: int
    numbers: Numbers
    lines: Lines
    modal: Modal
    words: Words
    blocks: Blocks
    drilling: Drilling


_PARTS: Mapping[str, Any] = {
    "numbers": Numbers, "lines": Lines, "modal": Modal, "words": Words, "blocks": Blocks, "drilling": Drilling,
}  # fmt: skip


def parse_dialect(text: str, source: str) -> Dialect:
    """A dialect from TOML; an unknown or missing key is named, with the nearest known one."""
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise Unusable(f"Dialect {source} is not valid TOML: {error}.") from None
    for key, part in _PARTS.items():
        data[key] = _build(part, data.get(key, {}), f"{source} [{key}]")
    result: Dialect = _build(Dialect, data, source)
    return result


def _build(cls: Any, data: Mapping[str, Any], place: str) -> Any:
    known = [f.name for f in fields(cls)]
    for key in data:
        if key not in known:
            near = difflib.get_close_matches(key, known, 1)
            hint = f" Did you mean “{near[0]}”?" if near else ""
            raise Unusable(f"Dialect {place} has the unknown key “{key}”.{hint}")
    missing = [key for key in known if key not in data]
    if missing:
        raise Unusable(f"Dialect {place} lacks the key “{missing[0]}”. Add it.")
    return cls(**data)


@cache
def dialects() -> Mapping[str, Dialect]:
    """All shipped dialects by name."""
    folder = resources.files("bastler.core.post").joinpath("dialects")
    found = (parse_dialect(f.read_text("utf-8"), f.name) for f in folder.iterdir() if f.name.endswith(".toml"))
    return {d.name: d for d in found}
