"""What is asked of the engine. Light: the window asks before it has loaded anything that answers."""

from __future__ import annotations

from msgspec import Struct

from bastler.core.job.document import Job


class Cancelled(Exception):
    """The check was asked to stop."""


class Request(Struct, frozen=True):
    """What to check: a job, or a program ``text`` against the job's stock and tools; subprograms may lie in ``folder``."""

    job: Job
    setup: int = 0
    text: bytes | None = None
    name: str = ""
    cell: float | None = None
    dialect: str | None = None
    folder: str = ""
