"""Where the demo job is, and how a new job starts."""

from __future__ import annotations

import tomllib

from bastler.core.data import DATA
from bastler.core.job.document import Job, ToolRecord
from bastler.core.job.store import parse

DEMO = "pressure-plate.bastler"


def demo_job() -> Job:
    """The pressure plate of the bench-top cider press."""
    return parse((DATA / DEMO).read_bytes(), DEMO)


def new_job() -> Job:
    """An empty job with the sample tools."""
    text = (DATA / "tools.toml").read_text("utf-8")
    return Job(tools=tuple(ToolRecord(**row) for row in tomllib.loads(text)["tool"]))
