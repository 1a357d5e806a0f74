"""Job files: load with migrations, save atomically with a backup of the last good one.

A file is JSON with a ``schema`` number. Older numbers are migrated step by step on a copy;
a newer one is refused in words. Nothing here ever changes the file that could not be read.
"""

from __future__ import annotations

import contextlib
import re
from collections.abc import Callable, Mapping
from copy import deepcopy
from pathlib import Path
from typing import Any

import msgspec

from bastler.core.cycles import cycles
from bastler.core.data import Table
from bastler.core.diskfiles import read_file, write_atomically
from bastler.core.job.document import SCHEMA, Job
from bastler.core.jobfiles.broken import sentence
from bastler.core.problems import Unusable

SUFFIX = ".bastler"
LARGEST_BYTES = 50_000_000
Migration = Callable[[Table], Table]
MIGRATIONS: Mapping[int, Migration] = {}
"""From a schema number to the next; each takes and returns the whole file as a dict."""


class _Head(msgspec.Struct):
    """The part of a job file that says how to read the rest."""

    schema: int


_HEAD = msgspec.json.Decoder(_Head)
_JOB = msgspec.json.Decoder(Job)


def load(path: Path) -> Job:
    """Read a job file; raises :class:`Unusable` with one sentence."""
    return parse(read_file(path, LARGEST_BYTES, f"larger than any job. Choose a {SUFFIX} file"), path.name)


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
        raise Unusable(f"{name} is damaged at {sentence(error, data)}. {backup}") from None
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


def _line_of(said: str, data: bytes) -> str:
    """Where malformed JSON breaks off; ``said`` names the byte, or nothing if the file ends too early."""
    at = re.search(r"\(byte (\d+)\)", said)
    head = data[: int(at.group(1))] if at else data
    return f"line {head.count(10) + 1}, column {len(head) - head.rfind(10)}"


def _migrated(raw: Any, version: int, name: str) -> Table:
    if version > SCHEMA:
        raise Unusable(
            f"{name} was made by a newer Bastler (schema {version}, this one reads up to {SCHEMA}). "
            "Update Bastler to open it."
        )
    result: Table = deepcopy(raw)
    while version < SCHEMA:
        if version not in MIGRATIONS:
            raise Unusable(f"{name} has schema {version}, which no Bastler has written. Choose another file.")
        result = MIGRATIONS[version](result)
        version += 1
        result["schema"] = version
    return result


def dump(job: Job) -> bytes:
    """The file's bytes: indented JSON, stable order. Half a character (as a damaged clipboard gives) becomes ``?``."""
    try:
        data = msgspec.json.encode(job)
    except UnicodeEncodeError:
        import json

        data = json.dumps(msgspec.to_builtins(job), ensure_ascii=False).encode("utf-8", "replace")
    return msgspec.json.format(data, indent=1) + b"\n"


def save(job: Job, path: Path) -> str:
    """Write a job file atomically; the file before stays as ``NAME.backup``. Gives what the person should know, often nothing."""
    with contextlib.suppress(OSError, ValueError, Unusable):
        if path.is_file():
            write_atomically(path.with_name(path.name + ".backup"), path.read_bytes())
    return write_atomically(path, dump(job))
