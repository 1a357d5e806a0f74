"""Recovery files and recent jobs, in the user's own folders.

Each window owns one *slot*: a file rewritten after every edit and removed on a clean end. A slot whose
process is gone is what a crash left behind.
"""

from __future__ import annotations

import contextlib
import json
import os
import time
from dataclasses import dataclass
from pathlib import Path

from bastler.core.job import store
from bastler.core.job.document import Job
from bastler.core.problems import Unusable

MOST_RECENT = 8


def _folder() -> Path:
    from platformdirs import user_state_path

    return user_state_path("bastler")


@dataclass(frozen=True)
class Left:
    """A job that a crash left: its slot, the file it came from, when it was last edited."""

    slot: Path
    job: Job
    path: Path | None
    when: float


class Slot:
    """The recovery file of this window."""

    def __init__(self) -> None:
        self.file = _folder() / "recovery" / f"{os.getpid()}-{time.time_ns()}.json"

    def write(self, job: Job, path: Path | None) -> str | None:
        """Keep the job as it is now; returns a sentence if that fails."""
        try:
            self.file.parent.mkdir(parents=True, exist_ok=True)
            data = {"pid": os.getpid(), "path": str(path) if path else None, "job": store.dump(job).decode()}
            temporary = self.file.with_suffix(".new")
            temporary.write_text(json.dumps(data))
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
            data = json.loads(file.read_text())
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
        paths = [Path(p) for p in json.loads((_folder() / "recent.json").read_text())]
    except (OSError, ValueError, TypeError):
        return []
    return [p for p in paths if p.exists()]


def remember(path: Path) -> None:
    """Put a job at the head of the recent ones."""
    paths = [path.resolve(), *(p for p in recent() if p != path.resolve())][:MOST_RECENT]
    with contextlib.suppress(OSError, Unusable):
        _folder().mkdir(parents=True, exist_ok=True)
        store.write_atomically(_folder() / "recent.json", json.dumps([str(p) for p in paths]).encode())
