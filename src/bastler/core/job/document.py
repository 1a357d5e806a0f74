"""The job: what the person decided, as typed.

Frozen documents: an edit is a new document that shares what did not change, so undo is a list.
Numbers are kept as the expression typed; they become values in :mod:`bastler.core.job.frame`
and in the cycles.
"""

from __future__ import annotations

import secrets
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from bastler.core.quantities import Units

SCHEMA = 1
Typed = Annotated[str, StringConstraints(max_length=20_000)]
WORK_OFFSETS = ("G54", "G55", "G56", "G57", "G58", "G59")


def new_id() -> str:
    """A short id for a step."""
    return secrets.token_hex(4)


class Document(BaseModel):
    """Base of all stored things: frozen, unknown keys refused."""

    model_config = ConfigDict(frozen=True, extra="forbid", str_max_length=20_000)

    def changed(self, **changes: Any) -> Any:
        """A copy with some entries replaced."""
        return self.model_copy(update=changes)


class ToolRecord(Document):
    """A line of the tool table; ``values`` as typed, by field of its kind."""

    number: int
    kind: str
    name: Typed = ""
    values: dict[str, Typed] = Field(default_factory=dict)


class Step(Document):
    """One feature and how it is cut; ``values`` as typed, by field of its cycle."""

    id: str = Field(default_factory=new_id)
    cycle: str
    name: Typed = ""
    on: bool = True
    values: dict[str, Typed] = Field(default_factory=dict)


class Setup(Document):
    """One clamping: machine, stock, zero, holding, and its steps. ``values`` as typed."""

    machine: str = "small-mill-mm"
    material: str = "S235"
    work_offset: Literal["G54", "G55", "G56", "G57", "G58", "G59"] = "G54"
    gather_by_tool: bool = False
    values: dict[str, Typed] = Field(default_factory=dict)
    steps: tuple[Step, ...] = ()


class Job(Document):
    """One file: everything about one part."""

    schema_version: int = Field(default=SCHEMA, alias="schema")
    name: Typed = "New job"
    units: Units = "mm"
    tools: tuple[ToolRecord, ...] = ()
    setups: tuple[Setup, ...] = Field(default=(Setup(),), min_length=1)

    model_config = ConfigDict(frozen=True, extra="forbid", populate_by_name=True, str_max_length=20_000)

    def with_setup(self, setup: Setup, index: int = 0) -> Job:
        """The job with one setup replaced."""
        setups = (*self.setups[:index], setup, *self.setups[index + 1 :])
        return self.model_copy(update={"setups": setups})
