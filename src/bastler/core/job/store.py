"""Job files: load with migrations, save atomically with a backup of the last good one.

A file is JSON with a ``schema`` number. Older numbers are migrated step by step on a copy;
a newer one is refused in words. Nothing here ever changes the file that could not be read.
"""

from __future__ import annotations

import contextlib
import errno
import json
import os
import tempfile
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from bastler.core.cycles import cycles
from bastler.core.job.document import SCHEMA, Job
from bastler.core.problems import Unusable

SUFFIX = ".bastler"
LARGEST_BYTES = 50_000_000
Migration = Callable[[dict[str, Any]], dict[str, Any]]
MIGRATIONS: Mapping[int, Migration] = {}
"""From a schema number to the next; each takes and returns the whole file as a dict."""


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
        raw = json.loads(data)
    except (UnicodeDecodeError, RecursionError):
        raise Unusable(f"{name} is not a job file. Choose a {SUFFIX} file.") from None
    except json.JSONDecodeError as error:
        raise Unusable(f"{name} is damaged at line {error.lineno}, column {error.colno}. {backup}") from None
    if not isinstance(raw, dict) or not isinstance(raw.get("schema"), int):
        raise Unusable(f"{name} is not a job file: it has no schema number. Choose a {SUFFIX} file.")
    if raw["schema"] > SCHEMA:
        raise Unusable(
            f"{name} was made by a newer Bastler (schema {raw['schema']}, this one reads up to {SCHEMA}). "
            "Update Bastler to open it."
        )
    raw = _migrated(raw, name)
    try:
        job = Job.model_validate(raw)
    except ValidationError as error:
        first = error.errors()[0]
        place = " → ".join(str(part + 1 if isinstance(part, int) else part) for part in first["loc"]) or "the file"
        raise Unusable(f"{name} is damaged at {place}: {first['msg'].lower()}. {backup}") from None
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


def _migrated(raw: dict[str, Any], name: str) -> dict[str, Any]:
    version = raw["schema"]
    while version < SCHEMA:
        if version not in MIGRATIONS:
            raise Unusable(f"{name} has schema {version}, which no Bastler has written. Choose another file.")
        raw = MIGRATIONS[version](json.loads(json.dumps(raw)))
        version += 1
        raw["schema"] = version
    return raw


def dump(job: Job) -> bytes:
    """The file's bytes: indented JSON, stable order."""
    return (json.dumps(job.model_dump(mode="json", by_alias=True), indent=1, ensure_ascii=False) + "\n").encode()


def save(job: Job, path: Path) -> None:
    """Write a job file atomically; the file before stays as ``NAME.backup``."""
    if path.exists():
        with contextlib.suppress(OSError):
            write_atomically(path.with_name(path.name + ".backup"), path.read_bytes())
    write_atomically(path, dump(job))


def write_atomically(path: Path, data: bytes) -> None:
    """Put ``data`` at ``path`` whole or not at all; raises :class:`Unusable` in words."""
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
