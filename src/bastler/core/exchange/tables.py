"""Tables as CSV: the steps of a checked job; tools out and in again.

A tool file names its units in the first line, so nobody has to guess; one without is refused with the
question. A damaged line is named with its number and the rest is read.
"""

from __future__ import annotations

import csv
import io
from pathlib import Path

from bastler.core.checked import Checked
from bastler.core.diskfiles import read_file, shown, write_atomically
from bastler.core.job.document import ToolRecord
from bastler.core.jobfiles.units import tool_in_units
from bastler.core.plans.plan import Plan
from bastler.core.problems import Unusable
from bastler.core.quantities import Units, whole_number
from bastler.core.tooling.kinds import KINDS, read_tool

FIRST_COLUMNS = ("number", "kind", "name")
LARGEST_BYTES = 20_000_000


def write_csv(plan: Plan, checked: Checked, path: Path) -> int:
    """Tools and steps of a checked job; returns the number of lines."""
    text = io.StringIO()
    out = csv.writer(text)
    out.writerow(["step", "name", "tool", "seconds", "removed_mm3"])
    seconds = checked.step_seconds()
    for s in plan.cut:
        removed = float(checked.removed[checked.step_of_move == s.number - 1].sum())
        tool = s.tool
        out.writerow(
            [
                s.number,
                s.full_name,
                tool.number if tool else "",
                f"{seconds.get(s.number - 1, 0.0):.1f}",
                f"{removed:.1f}",
            ]
        )
    write_atomically(path, text.getvalue().encode())
    return len(plan.cut) + 1


def _columns() -> list[str]:
    return [*FIRST_COLUMNS, *dict.fromkeys(f.key for kind in KINDS.values() for f in kind.fields)]


def write_tools(tools: tuple[ToolRecord, ...], units: Units, path: Path) -> int:
    """The tool table as typed; returns the number of tools."""
    text = io.StringIO()
    text.write(f"units,{units}\n")
    out = csv.DictWriter(text, _columns(), extrasaction="ignore")
    out.writeheader()
    for t in tools:
        out.writerow({"number": t.number, "kind": t.kind, "name": t.name, **t.values})
    write_atomically(path, text.getvalue().encode())
    return len(tools)


def csv_units(path: Path) -> Units | None:
    """The units that a tool file names in its first line; ``None`` if it names none. Raises :class:`Unusable`."""
    head = [w.strip().lower() for w in (_lines(path) or [""])[0].split(",")]
    if head[:1] != ["units"]:
        return None
    return "mm" if head[1:2] == ["mm"] else "inch" if head[1:2] == ["inch"] else None


def _lines(path: Path) -> list[str]:
    data = read_file(path, LARGEST_BYTES, "larger than any tool list. Choose another file")
    try:
        return data.decode("utf-8-sig").replace("\r\n", "\n").split("\n")
    except UnicodeDecodeError:
        raise Unusable(f"{shown(path)} can't be read: it is not a text.") from None


def read_tools_csv(
    path: Path, units: Units, given: Units | None = None
) -> tuple[tuple[ToolRecord, ...], tuple[str, ...]]:
    """Tools of a file in the job's ``units``, and a sentence for every line that can't be used.

    ``given``: what a person said of a file that names no units, or that its tools shall be converted from others.
    Raises :class:`Unusable` for a file without tools, and for units that nobody has answered for.
    """
    lines, named = _lines(path), csv_units(path)
    own = given or named
    if own is None:
        raise Unusable(f"{path.name} doesn't say its units. Write “units,mm” or “units,inch” as its first line.")
    if named is not None and named != units and given is None:
        raise Unusable(
            f"{path.name} is in {named}, the job in {units}. Open it in a job in {named}, or have it converted."
        )
    rows = csv.DictReader(lines[1:] if lines and lines[0].lower().startswith("units") else lines)
    try:
        columns = set(rows.fieldnames or ())
    except csv.Error:
        columns = set()
    if not set(FIRST_COLUMNS) <= columns:
        raise Unusable(f"{path.name} needs the columns {', '.join(FIRST_COLUMNS)} in its second line.")
    found: list[ToolRecord] = []
    trouble: list[str] = []
    number = 2 if named else 1
    while True:
        number += 1
        try:
            row = next(rows)
            found.append(tool_in_units(_record(row, own), own, units))
        except StopIteration:
            return tuple(found), tuple(trouble)
        except Unusable as error:
            trouble.append(f"Line {number} was left out: {error}")
        except csv.Error:
            trouble.append(f"Line {number} was left out: it is longer than any tool, or holds signs that no text has.")


def _record(row: dict[str, str | None], units: Units) -> ToolRecord:
    number, kind = (row.get("number") or "").strip(), (row.get("kind") or "").strip()
    whole = whole_number(number)
    if whole is None:
        raise Unusable(f"“{number}” is not a tool number.")
    if kind not in KINDS:
        raise Unusable(f"“{kind}” is no kind of tool. Use one of {', '.join(KINDS)}.")
    own = {f.key for f in KINDS[kind].fields}
    values = {k: v.strip() for k, v in row.items() if k in own and v and v.strip()}
    record = ToolRecord(number=whole, kind=kind, name=(row.get("name") or "").strip(), values=values)
    _, answers = read_tool(record.number, kind, record.name, values, units)
    if answers.problems:
        raise Unusable(answers.problems[0].text)
    return record
