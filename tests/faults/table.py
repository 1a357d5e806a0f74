"""The table of fault classes in ``docs/faults.md``: ``python -m tests.faults.table`` writes it anew."""

from __future__ import annotations

import re
from itertools import groupby
from pathlib import Path

from tests.faults import JOBS, pairs

PAGE = Path(__file__).parents[2] / "docs" / "faults.md"
BEGIN, END = "<!-- fault classes -->", "<!-- end of fault classes -->"
GROUPS = {
    "words": ("unknown-word", "missing-word", "missing-point", "syntax", "unset-variable", "endless-loop", "too-many"),
    "lengths, offsets, tools": ("wrong-offset", "unknown-tool", "work-offset", "change-place"),
    "planes, axis C, driven tools": ("wrong-plane", "axis-mode", "feed-mode"),
    "compensation": ("compensation", "gouge"),
    "spindle and feed": ("spindle-off", "wrong-turn", "no-feed", "speed-limit", "surface-speed", "power"),
    "values that can't be meant": ("value",),
    "which tool may do what": ("plunge", "ramp", "wrong-tool", "no-hole", "off-axis", "face-blade", "past-centre", "depth-of-cut"),
    "threads and taps": ("wrong-pitch", "tap-torn", "tap-hole", "tap-bottom", "thread-pitch", "thread-insert", "thread-depth", "run-in", "run-out", "thread-speed"),
    "metal, holding, travel": ("rapid-in-stock", "shank-contact", "fixture-contact", "overtravel", "chuck-open", "bar-feed"),
    "order": ("cut-off",),
}  # fmt: skip


def rows() -> list[tuple[str, str, str, str, str]]:
    """Group, class in words, kind, machine, where the pair is."""
    found = [(group_of(p.kind), p.says, p.kind, p.job, f"`{p.hand}.txt`, {p.name}") for p in pairs()]
    for file in sorted(JOBS.glob("*.nc")):
        if not file.stem.endswith("-mended"):
            kind, says = re.search(r"\(([a-z-]+): ([^)]*)\)", file.read_text()).groups()  # type: ignore[union-attr]
            machine = "mill" if file.stem.startswith("mill-") else "lathe"
            found.append((group_of(kind), says, kind, machine, f"`examples/bad/{file.name}`"))
    order = list(GROUPS)
    return sorted(found, key=lambda row: (order.index(row[0]), row[2]))


def group_of(kind: str) -> str:
    return next(group for group, kinds in GROUPS.items() if kind in kinds)


def table() -> str:
    """The section of the page."""
    parts = [BEGIN, ""]
    for group, mine in groupby(rows(), key=lambda row: row[0]):
        parts += [
            f"### {group[0].upper()}{group[1:]}",
            "",
            "| fault | kind of the finding | machine | program |",
            "|---|---|---|---|",
        ]
        parts += [f"| {says} | `{kind}` | {job} | {where} |" for _, says, kind, job, where in mine]
        parts.append("")
    return "\n".join([*parts, END])


def page() -> str:
    """The whole page with the table as it is now."""
    text = PAGE.read_text("utf-8")
    return re.sub(re.escape(BEGIN) + ".*?" + re.escape(END), lambda _: table(), text, flags=re.DOTALL)


if __name__ == "__main__":
    PAGE.write_text(page(), "utf-8")
