"""Faults of our own: what no code expected. Each is written once, with its trace, to a log in the user's state folder.

*Fault*: an exception that reached a guard: one round each step, one round the window's slots, one round each worker.
What a person reads of it is one sentence that names the log.
"""

from __future__ import annotations

import contextlib
import os
import time
from pathlib import Path

LARGEST_LOG_BYTES = 1_000_000
MOST_TOLD = 100
_told: set[tuple[object, ...]] = set()
"""Places that have been written already: a fault that comes back with every picture fills no disk."""


def log_file() -> Path:
    """Where faults are written."""
    from platformdirs import user_state_path

    return user_state_path("bastler") / "faults.log"


def told() -> str:
    """The sentence that says where faults are written."""
    return f"What happened is written in {log_file()}."


def record(error: BaseException, where: str) -> bool:
    """Write a fault and where it came up; whether it is one that was not written before."""
    if not _is_new(error):
        return False
    with contextlib.suppress(OSError):
        _append(log_file(), error, where)
    return True


def _is_new(error: BaseException) -> bool:
    import traceback

    trace = traceback.extract_tb(error.__traceback__)
    place = (type(error), *((frame.filename, frame.lineno) for frame in trace[-3:]))
    if place in _told or len(_told) >= MOST_TOLD:
        return False
    _told.add(place)
    return True


def forget() -> None:
    """Count from nothing again."""
    _told.clear()


def _append(file: Path, error: BaseException, where: str) -> None:
    import traceback

    file.parent.mkdir(parents=True, exist_ok=True)
    if file.exists() and file.stat().st_size > LARGEST_LOG_BYTES:
        file.replace(file.with_suffix(".old"))
    when = time.strftime("%Y-%m-%d %H:%M:%S")
    trace = "".join(traceback.format_exception(error))
    text = f"--- {when}, process {os.getpid()}, {where}\n{trace}\n"
    with file.open("a", encoding="utf-8", errors="backslashreplace") as out:
        out.write(text)
