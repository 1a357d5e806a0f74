"""Starting points: jobs kept by a person to begin others from, with machine, holding, zero, tools and usual steps."""

from __future__ import annotations

import contextlib
import re
from pathlib import Path

from bastler.core.diskfiles import write_atomically
from bastler.core.job.document import Job
from bastler.core.jobfiles.store import SUFFIX, dump, load
from bastler.core.problems import Unusable

FOLDER = "starts"
NEW = "New job"


def folder() -> Path:
    """Where the user's starting points are."""
    from platformdirs import user_data_path

    return user_data_path("bastler") / FOLDER


def names() -> list[str]:
    """All of them, in the order of the alphabet."""
    with contextlib.suppress(OSError):
        return sorted(p.stem for p in folder().glob(f"*{SUFFIX}"))
    return []


def keep(job: Job, name: str) -> str:
    """Keep a job as a starting point; one of that name is replaced. Gives the name it has; raises :class:`Unusable`."""
    plain = " ".join(re.sub(r"[^\w .,()+-]+", " ", name).split()).strip(" .")[:60]
    if not plain:
        raise Unusable("A starting point needs a name. Type one with a letter or a digit.")
    folder().mkdir(parents=True, exist_ok=True)
    write_atomically(folder() / f"{plain}{SUFFIX}", dump(job))
    return plain


def begun(name: str) -> Job:
    """A new job from a starting point; raises :class:`Unusable`."""
    job: Job = load(folder() / f"{name}{SUFFIX}").changed(name=NEW)
    return job


def forget(name: str) -> None:
    """Take a starting point away."""
    with contextlib.suppress(OSError):
        (folder() / f"{name}{SUFFIX}").unlink()
