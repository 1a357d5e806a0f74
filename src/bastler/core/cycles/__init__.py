"""All cycles, found by scanning the package: a new file in ``mill/`` is a new cycle."""

from __future__ import annotations

import importlib
from collections.abc import Mapping
from functools import cache
from pathlib import Path

from bastler.core.cycles.base import Cycle

FAMILIES = ("mill",)


@cache
def cycles() -> Mapping[str, Cycle]:
    """Every cycle by id, in the order of its rank; an id used twice is refused."""
    found: dict[str, Cycle] = {}
    for family in FAMILIES:
        package = importlib.import_module(f"bastler.core.cycles.{family}")
        files = sorted(file for folder in package.__path__ for file in Path(folder).glob("[!_]*.py"))
        for file in files:
            cycle: Cycle = importlib.import_module(f"{package.__name__}.{file.stem}").CYCLE
            if cycle.id in found:
                raise ValueError(f"two cycles have the id {cycle.id!r}: rename the one in {file.name}")
            found[cycle.id] = cycle
    return dict(sorted(found.items(), key=lambda item: item[1].rank))
