"""The job: what the person decided, as typed.

Frozen documents: an edit is a new document that shares what did not change, so undo is a list.
Numbers are kept as the expression typed; they become values in :mod:`bastler.core.job.frame`
and in the cycles.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from typing import Annotated, Any, Literal

from msgspec import Meta, Struct, field
from msgspec.structs import replace

from bastler.core.quantities import Units

SCHEMA = 1
LONGEST_TEXT = 20_000
Typed = Annotated[str, Meta(max_length=LONGEST_TEXT)]
WORK_OFFSETS = ("G54", "G55", "G56", "G57", "G58", "G59", *(f"G54.1 P{i}" for i in range(1, 49)))
OFFSET_PATTERN = r"^(G5[4-9]|G54\.1 P([1-9]|[1-3][0-9]|4[0-8]))$"


def new_id() -> str:
    """A short id for a step."""
    return os.urandom(4).hex()


class Document(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Base of all stored things: frozen, unknown keys refused."""

    def changed(self, **changes: Any) -> Any:
        """A copy with some entries replaced."""
        return replace(self, **changes)


class ToolRecord(Document, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A line of the tool table; ``values`` as typed, by field of its kind."""

    number: int
    kind: str
    name: Typed = ""
    values: dict[str, Typed] = field(default_factory=dict)


class PatternRecord(Document, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A named pattern; ``values`` as typed. Steps name it by its id."""

    id: str = field(default_factory=lambda: "#" + new_id())
    name: Typed = ""
    values: dict[str, Typed] = field(default_factory=dict)


class ElementRecord(Document, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A line or arc of a contour; ``facts`` as typed, by the keys of the contour file; ``radius``/``leg`` of its corner too."""

    type: Literal["line", "arc"]
    dir: Literal["", "cw", "ccw"] = ""
    tangent: bool = False
    facts: dict[str, Typed] = field(default_factory=dict)


class ContourRecord(Document, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A named contour; ``values`` as typed. Steps name it by its id."""

    id: str = field(default_factory=lambda: "~" + new_id())
    name: Typed = ""
    values: dict[str, Typed] = field(default_factory=dict)
    elements: tuple[ElementRecord, ...] = ()


class Step(Document, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """One feature and how it is cut; ``values`` as typed, by field of its cycle."""

    id: str = field(default_factory=new_id)
    cycle: str
    name: Typed = ""
    on: bool = True
    values: dict[str, Typed] = field(default_factory=dict)


class Setup(Document, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """One clamping: machine, stock, zero, holding, and its steps. ``values`` as typed."""

    machine: str = "small-mill-mm"
    material: str = "S235"
    work_offset: Annotated[str, Meta(pattern=OFFSET_PATTERN)] = "G54"
    gather_by_tool: bool = False
    values: dict[str, Typed] = field(default_factory=dict)
    steps: tuple[Step, ...] = ()


class Job(Document, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """One file: everything about one part."""

    schema_version: int = field(default=SCHEMA, name="schema")
    name: Typed = "New job"
    units: Units = "mm"
    tools: tuple[ToolRecord, ...] = ()
    patterns: tuple[PatternRecord, ...] = ()
    contours: tuple[ContourRecord, ...] = ()
    setups: Annotated[tuple[Setup, ...], Meta(min_length=1)] = (Setup(),)

    def texts(self) -> Iterator[str]:
        """Everything in it that somebody has typed."""
        steps = (s for one in self.setups for s in one.steps)
        named: tuple[ToolRecord | PatternRecord | ContourRecord | Step, ...] = (
            *self.tools, *self.patterns, *self.contours, *steps
        )  # fmt: skip
        yield self.name
        for one in named:
            yield one.name
            yield from one.values.values()
        for setup in self.setups:
            yield from setup.values.values()
        for contour in self.contours:
            for element in contour.elements:
                yield from element.facts.values()

    def with_setup(self, setup: Setup, index: int = 0) -> Job:
        """The job with one setup replaced."""
        setups = (*self.setups[:index], setup, *self.setups[index + 1 :])
        return replace(self, setups=setups)
