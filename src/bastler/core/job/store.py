"""Job files: load with migrations, save atomically with a backup of the last good one.

A file is JSON with a ``schema`` number. Older numbers are migrated step by step on a copy;
a newer one is refused in words. Nothing here ever changes the file that could not be read.
"""

from __future__ import annotations

import contextlib
import errno
import os
import re
from collections.abc import Callable, Mapping
from copy import deepcopy
from pathlib import Path
from typing import Any

import msgspec

from bastler.core.cycles import cycles
from bastler.core.job.document import SCHEMA, Job
from bastler.core.problems import Unusable

SUFFIX = ".bastler"
LARGEST_BYTES = 50_000_000
Migration = Callable[[dict[str, Any]], dict[str, Any]]
MIGRATIONS: Mapping[int, Migration] = {}
"""From a schema number to the next; each takes and returns the whole file as a dict."""


class _Head(msgspec.Struct):
    """The part of a job file that says how to read the rest."""

    schema: int


_HEAD = msgspec.json.Decoder(_Head)
_JOB = msgspec.json.Decoder(Job)


def load(path: Path) -> Job:
    """Read a job file; raises :class:`Unusable` with one sentence."""
    try:
        if path.stat().st_size > LARGEST_BYTES:
            raise Unusable(f"{path.name} is larger than any job. Choose a {SUFFIX} file.")
        data = path.read_bytes()
    except OSError as error:
        raise Unusable(f"{path.name} can't be read: {reason(error)}.") from None
    return parse(data, path.name)


def parse(data: bytes, name: str) -> Job:
    """A job from the bytes of a file called ``name``."""
    backup = f"The backup {name}.backup beside it may be whole." if not name.endswith(".backup") else "It is damaged."
    try:
        version = _HEAD.decode(data).schema
        if version == SCHEMA:
            job = _JOB.decode(data)
        else:
            job = msgspec.convert(_migrated(msgspec.json.decode(data), version, name), Job)
    except msgspec.ValidationError as error:
        said, _, path = str(error).partition(" - at `")
        if (path == "" and "schema" in said) or path.startswith("$.schema`"):
            raise Unusable(f"{name} is not a job file: it has no schema number. Choose a {SUFFIX} file.") from None
        raise Unusable(
            f"{name} is damaged at {_place(path)}: {said.replace('`', '“', 1).replace('`', '”', 1).lower()}. {backup}"
        ) from None
    except msgspec.DecodeError as error:
        raise Unusable(f"{name} is damaged at {_line_of(str(error), data)}. {backup}") from None
    except (UnicodeDecodeError, RecursionError):
        raise Unusable(f"{name} is not a job file. Choose a {SUFFIX} file.") from None
    for setup in job.setups:
        seen: set[str] = set()
        for number, step in enumerate(setup.steps, 1):
            if step.cycle not in cycles():
                known = ", ".join(sorted(cycles()))
                raise Unusable(
                    f"{name}: step {number} is of the unknown cycle “{step.cycle}”. This Bastler knows: {known}."
                )
            if step.id in seen:
                raise Unusable(f"{name}: step {number} has the same id as another step, “{step.id}”. {backup}")
            seen.add(step.id)
    return job


def _place(path: str) -> str:
    """``$.setups[0].steps[1]`` as a person counts: ``setups → 1 → steps → 2``."""
    parts = [str(int(n) + 1) if n else word for word, n in re.findall(r"\.(\w+)|\[(\d+)\]", path)]
    return " → ".join(parts) or "the file"


def _line_of(said: str, data: bytes) -> str:
    """Where malformed JSON breaks off; ``said`` names the byte, or nothing if the file ends too early."""
    at = re.search(r"\(byte (\d+)\)", said)
    head = data[: int(at.group(1))] if at else data
    return f"line {head.count(10) + 1}, column {len(head) - head.rfind(10)}"


def _migrated(raw: Any, version: int, name: str) -> dict[str, Any]:
    if version > SCHEMA:
        raise Unusable(
            f"{name} was made by a newer Bastler (schema {version}, this one reads up to {SCHEMA}). "
            "Update Bastler to open it."
        )
    result: dict[str, Any] = deepcopy(raw)
    while version < SCHEMA:
        if version not in MIGRATIONS:
            raise Unusable(f"{name} has schema {version}, which no Bastler has written. Choose another file.")
        result = MIGRATIONS[version](result)
        version += 1
        result["schema"] = version
    return result


def dump(job: Job) -> bytes:
    """The file's bytes: indented JSON, stable order."""
    return msgspec.json.format(msgspec.json.encode(job), indent=1) + b"\n"


def save(job: Job, path: Path) -> None:
    """Write a job file atomically; the file before stays as ``NAME.backup``."""
    if path.exists():
        with contextlib.suppress(OSError):
            write_atomically(path.with_name(path.name + ".backup"), path.read_bytes())
    write_atomically(path, dump(job))


def write_atomically(path: Path, data: bytes) -> None:
    """Put ``data`` at ``path`` whole or not at all; raises :class:`Unusable` in words."""
    import tempfile

    temporary = None
    try:
        with tempfile.NamedTemporaryFile(dir=path.parent, prefix=f".{path.name}.", delete=False) as file:
            temporary = Path(file.name)
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        mode = path.stat().st_mode if path.exists() else 0o644
        temporary.chmod(mode & 0o777)
        temporary.replace(path)
    except OSError as error:
        if temporary is not None:
            temporary.unlink(missing_ok=True)
        raise Unusable(f"{path.name} was not saved: {reason(error)}. The file as it was is untouched.") from None


def reason(error: OSError) -> str:
    """An operating-system error in plain words with the remedy."""
    words = {
        errno.ENOENT: "it, or its folder, does not exist; check the name",
        errno.EACCES: "you may not use this folder; choose another one",
        errno.EPERM: "it is locked; choose another name",
        errno.EROFS: "the disk is write-protected; choose another folder",
        errno.ENOSPC: "the disk is full; free some space",
        errno.EDQUOT: "your share of the disk is used up; free some space",
        errno.EISDIR: "it is a folder; choose a file",
        errno.ENOTDIR: "a part of its path is not a folder; check the name",
        errno.ENAMETOOLONG: "its name is too long; choose a shorter one",
    }
    return words.get(error.errno or 0, (error.strerror or "unknown reason").lower())
