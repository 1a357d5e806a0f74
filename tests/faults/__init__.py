"""Programs with one fault each beside their mended twins: ``{fault|mended}`` in one text, in the manner of six hands."""

from __future__ import annotations

import re
from pathlib import Path
from typing import NamedTuple

FOLDER = Path(__file__).parent
JOBS = FOLDER.parents[1] / "examples" / "bad"
CHOICE = re.compile(r"\{([^{}|]*)\|([^{}|]*)\}")
ANYWHERE = "> "


class Pair(NamedTuple):
    """A fault: its name, the finding's kind and line (0: any), the job it is checked against, its class in words, and both texts."""

    name: str
    kind: str
    job: str
    says: str
    hand: str
    line: int
    bad: str
    good: str


def pairs() -> list[Pair]:
    """All of them, in order."""
    return [pair for file in sorted(FOLDER.glob("hand_*.txt")) for pair in _read(file)]


def _read(file: Path) -> list[Pair]:
    found = []
    for part in re.split(r"^== ", file.read_text("utf-8"), flags=re.MULTILINE)[1:]:
        head, *lines = part.rstrip("\n").split("\n")
        name, kind, job, says = (word.strip() for word in head.split("|"))
        while lines and not lines[-1].strip():
            lines.pop()
        anywhere = lines[-1].startswith(ANYWHERE)
        if anywhere:
            lines.pop()
        marked = next((i for i, text in enumerate(lines) if text.startswith(">")), None)
        braced = next(i for i, text in enumerate(lines) if CHOICE.search(text))
        text = "\n".join(line.removeprefix(">") for line in lines) + "\n"
        bad, good = (CHOICE.sub(lambda m, k=k: m.group(k), text) for k in (1, 2))
        line = 0 if anywhere else (braced if marked is None else marked) + 1
        found.append(Pair(name, kind, job, says, file.stem, line, bad, good))
    return found
