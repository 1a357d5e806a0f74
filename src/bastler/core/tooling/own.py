"""The user's own copies of shipped tables: a form to edit one, and the TOML file that keeps it."""

from __future__ import annotations

import re
from collections.abc import Callable, Container, Mapping
from pathlib import Path
from typing import Any

from msgspec import Struct

from bastler.core.data import user_folder
from bastler.core.diskfiles import write_atomically
from bastler.core.fields import Answers, Field
from bastler.core.graphs import Graph

PREFIX = "own-"


class OwnKind(Struct, frozen=True):
    """A kind of table that the user may have copies of.

    ``texts`` gives one as typed values, ``made`` reads them back (``None`` with what is wrong), ``save`` keeps it,
    ``graph`` draws it.
    """

    word: str
    fields: tuple[Field, ...]
    known: Callable[[], Mapping[str, Any]]
    texts: Callable[[Any], dict[str, str]]
    made: Callable[[str, str, Mapping[str, str]], tuple[Any, Answers]]
    save: Callable[[Any], Path]
    graph: Callable[[Any], Graph]


def is_own(key: str) -> bool:
    """Whether an id is one of the user's."""
    return key.startswith(PREFIX)


def new_id(name: str, known: Container[str], word: str) -> str:
    """An id for a new table that no other has."""
    plain = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or word
    return next(i for i in (f"{PREFIX}{plain}", *(f"{PREFIX}{plain}-{n}" for n in range(2, 1000))) if i not in known)


def quoted(text: str) -> str:
    """A text as TOML has it, in one line."""
    plain = "".join(c if c.isprintable() else " " for c in text)
    return '"' + plain.replace("\\", "\\\\").replace('"', '\\"') + '"'


def write(kind: str, key: str, lines: list[str]) -> Path:
    """Keep lines as the user's own file; raises :class:`bastler.core.problems.Unusable` in words, or ``OSError``."""
    folder = user_folder(kind)
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"{key}.toml"
    write_atomically(path, ("\n".join(lines) + "\n").encode())
    return path
