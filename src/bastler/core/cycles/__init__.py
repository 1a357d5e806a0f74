"""All cycles, found by scanning the package: a new file in ``mill/``, ``lathe/``, ``driven/`` (lathes with driven tools) or ``either/`` (any) is a new cycle of the same name.

A cycle is loaded when it is first used, so that a job opens without those that it doesn't have.
"""

from __future__ import annotations

import importlib
from collections.abc import Iterator, Mapping
from functools import cache
from pathlib import Path

from msgspec.structs import replace

from bastler.core.cycles.base import COOLANT, RETREAT, Cycle
from bastler.core.fields import Field
from bastler.core.tooling.machines import Machine

FAMILIES = ("mill", "lathe", "driven", "either")
LAST_FIELDS: Mapping[str, tuple[Field, ...]] = {"mill": (RETREAT,), "driven": (RETREAT,)}
"""What every cycle of a family asks at the end, if it cuts."""
FIRST_ON_LATHES = ("lathe", "driven", "mill", "either")
ENDING = 70
"""From this rank on a cycle parts off, repeats, waits or notes."""
MACHINES = {"": FAMILIES, "mill": ("mill", "either"), "lathe": ("lathe", "either")}


class Registry(Mapping[str, Cycle]):
    """Every cycle by id; two files of one name, or a file whose cycle has another id, are refused."""

    def __init__(self) -> None:
        self._modules: dict[str, str] = {}
        self._loaded: dict[str, Cycle] = {}
        for family in FAMILIES:
            package = importlib.import_module(f"bastler.core.cycles.{family}")
            for file in sorted(file for folder in package.__path__ for file in Path(folder).glob("[!_]*.py")):
                if file.stem in self._modules:
                    raise ValueError(f"two cycles have the id {file.stem!r}: rename one of the files")
                self._modules[file.stem] = f"{package.__name__}.{file.stem}"

    def __getitem__(self, key: str) -> Cycle:
        if key not in self._loaded:
            cycle: Cycle = importlib.import_module(self._modules[key]).CYCLE
            if cycle.id != key:
                raise ValueError(
                    f"two cycles have the id {cycle.id!r}, or {key}.py has the wrong one: give it the id {key!r}"
                )
            family = self.family(key)
            own_tool = any(f.key == "tool" for f in cycle.fields) and family != "either" and not cycle.expand
            fields = (*cycle.fields, COOLANT) if own_tool else cycle.fields
            if cycle.tool_kinds or cycle.expand:
                fields = (*fields, *LAST_FIELDS.get(family, ()))
            self._loaded[key] = replace(cycle, fields=fields, family=family)
        return self._loaded[key]

    def __contains__(self, key: object) -> bool:
        return key in self._modules

    def __iter__(self) -> Iterator[str]:
        return iter(self._modules)

    def __len__(self) -> int:
        return len(self._modules)

    def in_order(self, machine: str = "") -> list[Cycle]:
        """All of them, or those for a kind of machine, as work goes."""
        return sorted((self[k] for k in self.ids(machine)), key=lambda c: c.rank)

    def ids(self, machine: str = "") -> list[str]:
        """The ids of all, or of those for a kind of machine."""
        return sorted(k for k in self if self.family(k) in MACHINES[machine])

    def offered(self, machine: Machine) -> list[Cycle]:
        """Those that a machine can do, as work goes: on a lathe with driven tools what it turns, then what it mills, then what ends a piece."""
        if machine.driven is None:
            return self.in_order(machine.kind)
        found = [c for c in self.in_order() if is_at_home(c, machine)]
        return sorted(
            found, key=lambda c: (c.rank >= ENDING, c.rank < ENDING and FIRST_ON_LATHES.index(c.family), c.rank)
        )

    def family(self, key: str) -> str:
        """The folder that a cycle's file lies in."""
        return self._modules[key].split(".")[-2]


def is_at_home(cycle: Cycle, machine: Machine) -> bool:
    """Whether a cycle belongs to a kind of machine."""
    return cycle.family in MACHINES[machine.kind] or (bool(cycle.on_surfaces) and machine.driven is not None)


@cache
def cycles() -> Registry:
    """The one registry."""
    return Registry()
