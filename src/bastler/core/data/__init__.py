"""Shipped tables: machines, materials, threads, sample tools, demo jobs; and how any table is read."""

from __future__ import annotations

import contextlib
import marshal
import os
import sys
from pathlib import Path
from typing import Any, TypeAlias

DATA = Path(__file__).parent
Stamp = tuple[int, int]


Table: TypeAlias = dict[str, Any]
"""What a file says: TOML or JSON by its words, before it is checked."""


def table(path: Path) -> Table:
    """A TOML file as a dict; raises ``OSError`` and ``ValueError`` (of ``tomllib``).

    Beside a shipped table the parsed form is kept, the way Python keeps compiled modules: reading TOML
    would take a tenth of the time until the window opens.
    """
    stat = path.stat()
    stamp = (stat.st_mtime_ns, stat.st_size)
    kept = path.parent / "__pycache__" / f"{path.name}.{sys.implementation.cache_tag}"
    with contextlib.suppress(OSError, ValueError, EOFError, TypeError):
        known, data = marshal.loads(kept.read_bytes())
        if known == stamp:
            return dict(data)
    import tomllib

    data = tomllib.loads(path.read_text("utf-8"))
    if path.is_relative_to(DATA.parent):
        with contextlib.suppress(OSError, ValueError):
            _keep(kept, marshal.dumps((stamp, data)))
    return data


def user_folder(kind: str) -> Path:
    """Where the user's own tables of a kind lie (the XDG data folder)."""
    home = os.environ.get("XDG_DATA_HOME") or str(Path.home() / ".local" / "share")
    return Path(home) / "bastler" / kind


def own_files(kind: str) -> tuple[tuple[str, int], ...]:
    """The user's tables of a kind with the time of their last change, in order."""
    folder = user_folder(kind)
    return tuple((str(f), f.stat().st_mtime_ns) for f in sorted(folder.glob("*.toml"))) if folder.is_dir() else ()


def _keep(path: Path, data: bytes) -> None:
    """Whole or not at all: two processes may start at once."""
    path.parent.mkdir(exist_ok=True)
    own = path.with_name(f"{path.name}.{os.getpid()}")
    own.write_bytes(data)
    own.replace(path)
