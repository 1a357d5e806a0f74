"""What is wrong with a damaged job file, as a person would name the place: “setup 1, step 3, Depth”.

msgspec gives a path (``$.setups[0].steps[2].values[...]``) and what it wanted; which of several texts it was is looked up in the file.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

import msgspec

from bastler.core.cycles import cycles
from bastler.core.cycles.surfacing import every_field
from bastler.core.data import Table
from bastler.core.job.document import LONGEST_TEXT
from bastler.core.tooling.kinds import KINDS

_MEMBERS: Mapping[str, str] = {
    "setups": "setup", "steps": "step", "tools": "line {} of the tool table", "patterns": "pattern", "contours": "contour",
    "elements": "element",
}  # fmt: skip
_WANTED: Mapping[str, str] = {
    "str": "a text", "int": "a whole number", "bool": "yes or no", "array": "a list", "object": "a table of entries",
}  # fmt: skip
_STEP = re.compile(r"\.(\w+)|\[(\d+)\]|(\[\.\.\.\])", re.ASCII)


def sentence(error: msgspec.ValidationError, data: bytes) -> str:
    """``step 3, Depth: a text is wanted there``."""
    said, _, path = str(error).partition(" - at `")
    place = _place(path.rstrip("`"), data)
    return f"{place}: {_reason(said)}"


def _place(path: str, data: bytes) -> str:
    words: list[str] = []
    try:
        here: Any = msgspec.json.decode(data.decode("utf-8", "replace"))
    except (msgspec.DecodeError, RecursionError):
        here = None
    owner: Table = {}
    for name, index, anything in _STEP.findall(path):
        if name:
            here = here.get(name) if isinstance(here, dict) else None
            words.append("" if name == "values" else name)
        elif index:
            here = here[int(index)] if isinstance(here, list) and int(index) < len(here) else None
            what, number = _MEMBERS.get(words[-1] if words else "", "entry"), str(int(index) + 1)
            words[-1:] = [what.format(number) if "{}" in what else f"{what} {number}"]
            owner = here if isinstance(here, dict) else {}
        elif anything and isinstance(here, dict):
            key = next((k for k, v in here.items() if not isinstance(v, str) or len(v) > LONGEST_TEXT), "")
            words.append(_label(owner, key))
    return ", ".join(w for w in words if w) or "the file as a whole"


def _label(owner: Table, key: str) -> str:
    """The label of a field of a step or a tool, or its key where nobody knows it."""
    cycle, kind = str(owner.get("cycle", "")), str(owner.get("kind", ""))
    fields = every_field(cycles()[cycle]) if cycle in cycles() else KINDS[kind].fields if kind in KINDS else ()
    return {f.key: f.label for f in fields}.get(key, f"“{key}”")


def _reason(said: str) -> str:
    """What msgspec said, in our words."""
    names = re.findall(r"`([^`]*)`", said)
    if "missing required" in said:
        return f"the entry “{names[0]}” is missing"
    if "unknown field" in said:
        return f"the entry “{names[0]}” is none that a job has"
    if "length <=" in said:
        return f"the text is longer than {LONGEST_TEXT} characters"
    if "length >=" in said:
        return "the list is empty"
    if names and names[0] in _WANTED and "matching" not in said:
        return f"{_WANTED[names[0]]} is wanted there"
    return "what stands there means nothing"
