"""Dialects: tables that say how a control wants its G-code (``dialects/*.toml``)."""

from __future__ import annotations

import difflib
import re
import tomllib
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import Any

from msgspec import Struct

from bastler.core.data import Table
from bastler.core.post.codes import Codes, codes
from bastler.core.problems import Unusable


class Numbers(Struct, frozen=True):
    """Decimals per kind of number."""

    length: int
    length_inch: int
    feed: int
    feed_inch: int
    spindle: int
    dwell: int


class Lines(Struct, frozen=True):
    """Line numbers."""

    numbered: bool
    first: int
    step: int


class Modal(Struct, frozen=True):
    """Which words are left out while they repeat."""

    motion: bool
    coordinates: bool
    feed: bool


class Words(Struct, frozen=True):
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
    dwell: str
    spindle_right: str
    spindle_left: str
    spindle_stop: str
    spindle_orient: str
    pause: str
    optional_pause: str
    local_shift: str
    machine_top: str
    change_place: str
    subprogram_call: str
    subprogram_head: str
    subprogram_end: str


class CoolantWords(Struct, frozen=True):
    """How each way of cooling is switched on, empty where the control has none."""

    coolant: str = ""
    mist: str = ""
    coolant_air: str = ""
    coolant_through: str = ""
    coolant_off: str = ""


class Blocks(Struct, frozen=True):
    """Groups of lines."""

    start: list[str]
    tool_change: list[str]
    first_tool: list[str]
    approach: list[str]
    same_tool: list[str]
    resume: list[str]
    pause: list[str]
    step: list[str]
    end: list[str]
    close: list[str]


class HoleWords(Struct, frozen=True):
    """Canned cycles for holes. An empty one: the control lacks it, and the moves are written out."""

    straight: str
    dwell: str
    retract: str
    chip: str
    feed_out: str
    feed_out_dwell: str
    stop_out: str
    shift_out: str
    tap_right: str
    tap_left: str
    rigid: str
    return_to_start: str
    return_high: str
    cancel: str
    uneven_pecks: bool
    pecks_with_dwell: bool
    chip_break_back: float
    peck_gap: float


class LatheWords(Struct, frozen=True):
    """What only lathes have.

    Cycles are lines, none where the control has no such cycle: roughing ``along`` the axis and ``across`` it, finishing, and threads.
    """

    tool: str
    speed_limit: str
    surface_speed: str
    rev_speed: str
    thread: str
    thread_start: str
    tap: list[str]
    catcher_out: str
    catcher_in: str
    feed_decimals: int
    feed_decimals_inch: int
    rough_along: list[str] = []
    rough_across: list[str] = []
    finish: list[str] = []
    thread_cycle: list[str] = []
    per_minute: str = ""
    per_turn: str = ""
    chuck_open: str = ""
    chuck_close: str = ""
    repeat: str = ""


class DrivenWords(Struct, frozen=True):
    """How a lathe works with driven tools: lines that make the main spindle an axis and a spindle again, with feeds per minute between; words of the driven
    spindle, of counting C on from a number where it stands, of the brake that holds the axis, and of moves in X and Y of the end face, as X (a diameter) and C (a length), by the control's own polar interpolation
    or round a side that is unrolled at a radius, as Z and C, by its cylindrical one (empty where there is none); planes of the end face, of a side and of turning, for arcs with a Y axis; lines of rigid tapping along the axis and across it, none where the control has no such cycle."""

    begin: list[str]
    end: list[str]
    turn_on: str
    c_is: str
    tap_along: list[str] = []
    tap_across: list[str] = []
    driven_right: str = ""
    driven_left: str = ""
    driven_stop: str = ""
    brake_on: str = ""
    brake_off: str = ""
    polar_moves: str = ""
    polar_moves_off: str = ""
    unrolled_moves: str = ""
    unrolled_moves_off: str = ""
    plane_xy: str = ""
    plane_yz: str = ""
    plane_zx: str = ""


class Dialect(Struct, frozen=True):
    """One control's G-code; ``reading`` names the table of what its words mean (:mod:`bastler.core.post.codes`)."""

    name: str
    title: str
    reading: str
    extension: str
    comment: str
    comment_length: int
    numbers: Numbers
    lines: Lines
    modal: Modal
    words: Words
    blocks: Blocks
    holes: HoleWords
    lathe: LatheWords | None = None
    coolant: CoolantWords = CoolantWords()
    driven: DrivenWords | None = None

    @property
    def turning(self) -> LatheWords:
        """The words that only a lathe has; only its own writer asks for them."""
        if self.lathe is None:
            raise TypeError(f"{self.title} has no words for a lathe")
        return self.lathe

    @property
    def machine(self) -> str:
        """The kind of machine that it is for."""
        return codes(self.reading).machine


_PARTS: Table = {
    "numbers": Numbers, "lines": Lines, "modal": Modal, "words": Words, "blocks": Blocks, "holes": HoleWords,
}  # fmt: skip


CODE = re.compile(r"(?<![A-Za-z])([GM])(\d+(?:\.\d+)?)")
CALLS = ("M98", "M99", "G65")
"""Written out before a text is interpreted."""
UNCODED = ("name", "title", "extension", "comment")


def parse_dialect(text: str, source: str) -> Dialect:
    """A dialect from TOML; an unknown or missing key is named, with the nearest known one."""
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise Unusable(f"Dialect {source} is not valid TOML: {error}.") from None
    _refuse_unknown(Dialect, data, source)
    known = codes(data["reading"])
    for part in ("words", "holes", "lathe", "driven"):
        if part in data:
            data[part] = {**_single_words(part, known), **data[part]}
    _refuse_unread(data, known, source)
    if "lathe" in data:
        data["lathe"] = _build(LatheWords, data["lathe"], f"{source} [lathe]")
    if "driven" in data:
        data["driven"] = _build(DrivenWords, data["driven"], f"{source} [driven]")
    for key, part in _PARTS.items():
        data[key] = _build(part, data.get(key, {}), f"{source} [{key}]")
    data["coolant"] = CoolantWords(**{k: known.word(k) for k in CoolantWords.__struct_fields__})
    result: Dialect = _build(Dialect, data, source)
    return result


def _refuse_unread(data: Any, known: Codes, source: str, key: str = "") -> None:
    """What a dialect writes must mean something to the table that its texts are read by."""
    if isinstance(data, dict):
        for name, value in data.items():
            _refuse_unread(value, known, source, name)
    elif isinstance(data, list):
        for value in data:
            _refuse_unread(value, known, source, key)
    elif isinstance(data, str) and key not in UNCODED:
        for letter, number in CODE.findall(data):
            if float(number) not in (known.g if letter == "G" else known.m) and f"{letter}{number}" not in CALLS:
                raise Unusable(
                    f"Dialect {source} writes {letter}{number} at “{key}”, which its reading doesn't know. Correct it, or add it there."
                )


def _single_words(part: str, known: Codes) -> dict[str, str]:
    """The words of a part that are one code: they come from the table that the interpreter reads too."""
    named = {**_PARTS, "lathe": LatheWords, "driven": DrivenWords}[part].__struct_fields__
    return {key: word for key in named if (word := known.word(key))}


def _refuse_unknown(cls: Any, data: Table, place: str) -> None:
    known = list(cls.__struct_fields__)
    for key in data:
        if key not in known:
            near = difflib.get_close_matches(key, known, 1)
            hint = f" Did you mean “{near[0]}”?" if near else ""
            raise Unusable(f"Dialect {place} has the unknown key “{key}”.{hint}")


def _build(cls: Any, data: Table, place: str) -> Any:
    _refuse_unknown(cls, data, place)
    known = list(cls.__struct_fields__)
    missing = [key for key in known[: len(known) - len(cls.__struct_defaults__)] if key not in data]
    if missing:
        raise Unusable(f"Dialect {place} lacks the key “{missing[0]}”. Add it.")
    return cls(**data)


@cache
def dialects() -> Mapping[str, Dialect]:
    """All shipped dialects by name."""
    folder = Path(__file__).with_name("dialects")
    found = (parse_dialect(f.read_text("utf-8"), f.name) for f in sorted(folder.glob("*.toml")))
    return {d.name: d for d in found}


def dialects_for(machine: str) -> list[str]:
    """The names of those for a kind of machine, ``mill`` or ``lathe``."""
    return sorted(name for name, d in dialects().items() if d.machine == machine)
