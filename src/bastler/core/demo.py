"""Where the demo job is, and how a new job starts."""

from __future__ import annotations

from bastler.core.data import DATA, table
from bastler.core.job.document import Job, ToolRecord
from bastler.core.job.store import parse

DEMO = "pressure-plate.bastler"
TRAY = "drain-tray-insert.bastler"


def demo_job(name: str = DEMO) -> Job:
    """The pressure plate of the bench-top cider press, or another of its parts."""
    return parse((DATA / name).read_bytes(), name)


def new_job() -> Job:
    """An empty job with the sample tools."""
    return Job(tools=tuple(ToolRecord(**row) for row in table(DATA / "tools.toml")["tool"]))
