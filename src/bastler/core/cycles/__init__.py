"""All cycles, found by scanning the package: a new file in ``mill/`` is a new cycle."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Mapping
from functools import cache

from bastler.core.cycles.base import Cycle

FAMILIES = ("mill",)


@cache
def cycles() -> Mapping[str, Cycle]:
    """Every cycle by id, in alphabetical order of family and file; an id used twice is refused."""
    found: dict[str, Cycle] = {}
    for family in FAMILIES:
        package = importlib.import_module(f"bastler.core.cycles.{family}")
        for info in pkgutil.iter_modules(package.__path__):
            cycle: Cycle = importlib.import_module(f"{package.__name__}.{info.name}").CYCLE
            if cycle.id in found:
                raise ValueError(f"two cycles have the id {cycle.id!r}: rename the one in {info.name}.py")
            found[cycle.id] = cycle
    return found
