"""Recovery files, jobs open elsewhere and recent jobs, in the user's own folders.

*Slot*: each window owns one: a file rewritten after every edit and removed on a clean end, and beside it a *claim* that says
which file the window has open. A slot whose window is gone is what a crash left behind. *Owner*: who a slot or claim belongs
to: a process by its number, the time it was born at and the start of the machine, so that the same number given to another
process later hides nothing.
"""

from __future__ import annotations

import contextlib
import os
import time
from functools import cache, cached_property
from pathlib import Path

import msgspec
from msgspec import Struct

from bastler.core import diskfiles
from bastler.core.data import Table
from bastler.core.job.document import Job
from bastler.core.jobfiles import store
from bastler.core.problems import Unusable

Stamp = tuple[int, ...]
"""Of a file on the disk: when it was written, how long it is, which one it is."""
MOST_RECENT = 8
LARGEST_BYTES = 100_000_000


def _folder() -> Path:
    from platformdirs import user_state_path

    return user_state_path("bastler")


def library_file() -> Path:
    """The user's tool library."""
    from platformdirs import user_data_path

    return user_data_path("bastler") / "tools.json"


def stamp_of(path: Path | None) -> Stamp | None:
    """The stamp of a file as it is now; ``None`` if there is none."""
    try:
        about = path.stat() if path is not None else None
    except (OSError, ValueError):
        return None
    return (about.st_mtime_ns, about.st_size, about.st_ino) if about is not None else None


class Left(Struct, frozen=True):
    """A job that a crash left: its slot, the file it came from (with its stamp then), when it was last edited."""

    slot: Path
    job: Job
    path: Path | None
    when: float
    stamp: Stamp | None = None


class Slot:
    """The recovery file of this window."""

    def __init__(self) -> None:
        self._name = f"{os.getpid()}-{time.time_ns()}.json"

    @cached_property
    def file(self) -> Path:
        """Where it is; the user's folder is looked up at the first edit."""
        return _folder() / "recovery" / self._name

    @property
    def _claim(self) -> Path:
        return self.file.with_suffix(".open")

    def write(self, job: Job, path: Path | None, stamp: Stamp | None = None) -> str | None:
        """Keep the job as it is now, and as what its file was when it was read; returns a sentence if that fails."""
        data = {"path": str(path) if path else None, "stamp": stamp, "job": store.dump(job).decode()}
        trouble = self._put(self.file, data)
        return f"Edits are not kept for recovery: {trouble}. Save the job yourself." if trouble else None

    def claim(self, path: Path | None) -> None:
        """Say which file this window has open, so that another one can tell."""
        if path is not None:
            self._put(self._claim, {"path": str(path.resolve())})

    def clear(self) -> None:
        """Nothing to recover any more."""
        with contextlib.suppress(OSError):
            self.file.unlink(missing_ok=True)

    def release(self) -> None:
        """The window has no file open any more, or another one."""
        with contextlib.suppress(OSError):
            self._claim.unlink(missing_ok=True)

    def _put(self, file: Path, data: Table) -> str:
        """Write a file of this process; why not, in words, or nothing."""
        pid = os.getpid()
        try:
            file.parent.mkdir(parents=True, exist_ok=True)
            temporary = file.with_suffix(f"{file.suffix}.new")
            temporary.write_bytes(msgspec.json.encode({"pid": pid, "born": _born(pid), **data}))
            temporary.replace(file)
        except OSError as error:
            return diskfiles.reason(error)
        return ""


def left_behind() -> list[Left]:
    """Jobs of windows that ended without closing, newest first. What can't be read is left where it is."""
    found = []
    for file in _files("*.json"):
        try:
            data = _read(file)
            if not _lives(data):
                job = store.parse(data["job"].encode(), file.name)
                path, stamp = Path(data["path"]) if data["path"] else None, data.get("stamp")
                found.append(Left(file, job, path, file.stat().st_mtime, tuple(stamp) if stamp else None))
        except (OSError, ValueError, KeyError, TypeError, AttributeError, Unusable):
            continue
    return sorted(found, key=lambda left: -left.when)


def open_elsewhere(path: Path) -> bool:
    """Whether another living window has a file open; claims of dead ones are cleared away."""
    wanted, found = str(path.resolve()), False
    for file in _files("*.open"):
        with contextlib.suppress(OSError, ValueError, KeyError, TypeError):
            data = _read(file)
            if not _lives(data):
                file.unlink(missing_ok=True)
            elif int(data["pid"]) != os.getpid() and data["path"] == wanted:
                found = True
    return found


def _files(pattern: str) -> list[Path]:
    folder = _folder() / "recovery"
    return sorted(folder.glob(pattern)) if folder.is_dir() else []


def _read(file: Path) -> Table:
    data = msgspec.json.decode(diskfiles.read_file(file, LARGEST_BYTES, "too large"))
    if not isinstance(data, dict):
        raise TypeError
    return data


def _lives(data: Table) -> bool:
    """Whether the process that wrote a file is still the one of that number."""
    pid = int(data["pid"])
    return pid == os.getpid() or (bool(_born(pid)) and data.get("born", _born(pid)) == _born(pid))


def _born(pid: int) -> str:
    """When a process began, counted from the start of this run of the machine; empty for one that is gone."""
    try:
        fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
    except (OSError, IndexError):
        return ""
    return "" if fields[0] == "Z" else f"{_boot()}:{fields[19]}"


@cache
def _boot() -> str:
    try:
        return Path("/proc/sys/kernel/random/boot_id").read_text().strip()
    except OSError:
        return ""


def picture_folder() -> Path:
    """Where small pictures of recent jobs are."""
    return _folder() / "pictures"


def recent() -> list[Path]:
    """Jobs saved or opened lately that still exist, newest first."""
    try:
        paths = [Path(p) for p in msgspec.json.decode((_folder() / "recent.json").read_bytes())]
        return [p for p in paths if p.exists()]
    except (OSError, ValueError, TypeError):
        return []


def remember(path: Path) -> None:
    """Put a job at the head of the recent ones."""
    paths = [path.resolve(), *(p for p in recent() if p != path.resolve())][:MOST_RECENT]
    with contextlib.suppress(OSError, Unusable, ValueError):
        _folder().mkdir(parents=True, exist_ok=True)
        diskfiles.write_atomically(_folder() / "recent.json", msgspec.json.encode([str(p) for p in paths]))
