"""Recovery files and recent jobs, in the user's own folders.

Each window owns one *slot*: a file rewritten after every edit and removed on a clean end. A slot whose
process is gone is what a crash left behind.
"""

from __future__ import annotations

import contextlib
import os
import time
from functools import cached_property
from pathlib import Path

import msgspec
from msgspec import Struct

from bastler.core.job import store
from bastler.core.job.document import Job
from bastler.core.problems import Unusable

MOST_RECENT = 8


def _folder() -> Path:
    from platformdirs import user_state_path

    return user_state_path("bastler")


def library_file() -> Path:
    """The user's tool library."""
    from platformdirs import user_data_path

    return user_data_path("bastler") / "tools.json"


class Left(Struct, frozen=True):
    """A job that a crash left: its slot, the file it came from, when it was last edited."""

    slot: Path
    job: Job
    path: Path | None
    when: float


class Slot:
    """The recovery file of this window."""

    def __init__(self) -> None:
        self._name = f"{os.getpid()}-{time.time_ns()}.json"

    @cached_property
    def file(self) -> Path:
        """Where it is; the user's folder is looked up at the first edit."""
        return _folder() / "recovery" / self._name

    def write(self, job: Job, path: Path | None) -> str | None:
        """Keep the job as it is now; returns a sentence if that fails."""
        try:
            self.file.parent.mkdir(parents=True, exist_ok=True)
            data = {"pid": os.getpid(), "path": str(path) if path else None, "job": store.dump(job).decode()}
            temporary = self.file.with_suffix(".new")
            temporary.write_bytes(msgspec.json.encode(data))
            temporary.replace(self.file)
        except OSError as error:
            return f"Edits are not kept for recovery: {store.reason(error)}. Save the job yourself."
        return None

    def clear(self) -> None:
        """Nothing to recover any more."""
        with contextlib.suppress(OSError):
            self.file.unlink(missing_ok=True)


def left_behind() -> list[Left]:
    """Jobs of windows that ended without closing, newest first."""
    found = []
    folder = _folder() / "recovery"
    if not folder.is_dir():
        return []
    for file in folder.glob("*.json"):
        try:
            data = msgspec.json.decode(file.read_bytes())
            if _alive(int(data["pid"])):
                continue
            job = store.parse(data["job"].encode(), file.name)
            found.append(Left(file, job, Path(data["path"]) if data["path"] else None, file.stat().st_mtime))
        except (OSError, ValueError, KeyError, TypeError, Unusable):
            continue
    return sorted(found, key=lambda left: -left.when)


def _alive(pid: int) -> bool:
    if pid == os.getpid():
        return True
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    stat = Path(f"/proc/{pid}/stat")
    return not (stat.exists() and stat.read_text().rsplit(")", 1)[1].split()[0] == "Z")


def recent() -> list[Path]:
    """Jobs saved or opened lately that still exist, newest first."""
    try:
        paths = [Path(p) for p in msgspec.json.decode((_folder() / "recent.json").read_bytes())]
    except (OSError, ValueError, TypeError):
        return []
    return [p for p in paths if p.exists()]


def remember(path: Path) -> None:
    """Put a job at the head of the recent ones."""
    paths = [path.resolve(), *(p for p in recent() if p != path.resolve())][:MOST_RECENT]
    with contextlib.suppress(OSError, Unusable):
        _folder().mkdir(parents=True, exist_ok=True)
        store.write_atomically(_folder() / "recent.json", msgspec.json.encode([str(p) for p in paths]))
