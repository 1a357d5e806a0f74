"""The tool library: a file of the user's own, apart from any job; tools are copied from it into jobs."""

from __future__ import annotations

from pathlib import Path

import msgspec

from bastler.core.job.document import Document, ToolRecord
from bastler.core.job.store import reason, write_atomically
from bastler.core.problems import Unusable
from bastler.core.quantities import Units


class LibraryTool(Document, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A tool with the units that its sizes are typed in."""

    units: Units
    tool: ToolRecord


_FILE = msgspec.json.Decoder(tuple[LibraryTool, ...])


def read_library(path: Path) -> tuple[LibraryTool, ...]:
    """All tools of the library; none if there is no file yet. Raises :class:`Unusable` for a damaged one."""
    try:
        return _FILE.decode(path.read_bytes())
    except FileNotFoundError:
        return ()
    except OSError as error:
        raise Unusable(f"The tool library can't be read: {reason(error)}.") from None
    except msgspec.MsgspecError as error:
        raise Unusable(f"The tool library {path} is damaged ({error}). Move it away to start a new one.") from None


def keep(path: Path, tool: ToolRecord, units: Units) -> tuple[LibraryTool, ...]:
    """Put a tool into the library; one of the same name and units is replaced."""
    same = (units, tool.name.casefold())
    others = tuple(t for t in read_library(path) if (t.units, t.tool.name.casefold()) != same)
    tools = (*others, LibraryTool(units=units, tool=tool))
    path.parent.mkdir(parents=True, exist_ok=True)
    write_atomically(path, msgspec.json.format(msgspec.json.encode(tools), indent=1) + b"\n")
    return tools
