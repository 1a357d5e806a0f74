"""The tool library: a file of the user's own, apart from any job; tools are copied from it into jobs."""

from __future__ import annotations

from pathlib import Path

import msgspec
from msgspec.structs import replace

from bastler.core.diskfiles import read_file, write_atomically
from bastler.core.job.document import Document, Job, ToolRecord
from bastler.core.jobfiles.store import LARGEST_BYTES
from bastler.core.problems import Unusable
from bastler.core.quantities import Units
from bastler.core.tooling.kinds import read_tool
from bastler.core.tooling.tools import Tool


class LibraryTool(Document, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A tool with the units that its sizes are typed in."""

    units: Units
    tool: ToolRecord


_FILE = msgspec.json.Decoder(tuple[LibraryTool, ...])


def read_library(path: Path) -> tuple[LibraryTool, ...]:
    """All tools of the library; none if there is no file yet. Raises :class:`Unusable` for a damaged one."""
    if not path.exists():
        return ()
    try:
        return _FILE.decode(read_file(path, LARGEST_BYTES, "larger than any tool library. Move it away"))
    except (msgspec.MsgspecError, ValueError):
        raise Unusable(f"The tool library {path} is damaged. Move it away to start a new one.") from None


def keep(path: Path, tool: ToolRecord, units: Units) -> tuple[LibraryTool, ...]:
    """Put a tool into the library; one of the same name and units is replaced."""
    same = (units, tool.name.casefold())
    others = tuple(t for t in read_library(path) if (t.units, t.tool.name.casefold()) != same)
    tools = (*others, LibraryTool(units=units, tool=tool))
    path.parent.mkdir(parents=True, exist_ok=True)
    write_atomically(path, msgspec.json.format(msgspec.json.encode(tools), indent=1) + b"\n")
    return tools


def tools_beside(path: Path, job: Job, first_number: int) -> dict[int, tuple[ToolRecord, Tool]]:
    """Usable tools of the library in the job's units that its table doesn't have by name, numbered from ``first_number``.

    Raises :class:`Unusable` for a damaged library.
    """
    have = {t.name.casefold() for t in job.tools}
    found: dict[int, tuple[ToolRecord, Tool]] = {}
    for one in read_library(path):
        record, number = one.tool, first_number + len(found)
        tool, _ = read_tool(record.number, record.kind, record.name, record.values, job.units)
        if tool is not None and one.units == job.units and record.name.casefold() not in have:
            found[number] = (record, replace(tool, number=number))
    return found
