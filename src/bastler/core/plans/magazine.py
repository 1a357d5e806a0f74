"""What is in the magazine: which pocket holds what, what clashes, what is missing, what is not needed any more."""

from __future__ import annotations

from msgspec import Struct

from bastler.core.plans.plan import Plan
from bastler.core.tooling.tools import Tool


class Pocket(Struct, frozen=True):
    """A pocket with its tools: none, one, or several that clash; ``needed`` if a step uses one of them."""

    number: int
    tools: tuple[Tool, ...]
    needed: bool


class Magazine(Struct, frozen=True):
    """``outside``: tools without a pocket; ``remarks``: what is to be done, as sentences with a severity."""

    pockets: tuple[Pocket, ...]
    outside: tuple[Tool, ...]
    remarks: tuple[tuple[str, str], ...]


def pocket_of(tool: Tool, pockets: int) -> int:
    """The pocket typed for a tool, else the one of its number if there is one; 0 for none."""
    return tool.pocket or (tool.number if tool.number <= pockets else 0)


def used_tools(plan: Plan) -> list[Tool]:
    """The tools that steps use, in the order of their first cut."""
    parts = [part for one, parts in plan.in_turn for part in (parts or (one,))]
    return list({p.tool.number: p.tool for p in parts if p.tool is not None}.values())


def magazine(plan: Plan) -> Magazine:
    """The magazine of the setup's machine; without one, tools are put in by hand, in order."""
    machine, used = plan.frame.machine, used_tools(plan)
    numbers = {t.number for t in used}
    if machine.pockets <= 1:
        order = ", ".join(f"T{t.number} {t.name}" for t in used)
        said = f"{machine.name} has no magazine. Tools are put in by hand, in this order: {order or 'none yet'}."
        return Magazine((), tuple(plan.tools.values()), (("note", said),))
    place = {t.number: pocket_of(t, machine.pockets) for t in plan.tools.values()}
    pockets = []
    for number in range(1, machine.pockets + 1):
        here = tuple(t for t in plan.tools.values() if place[t.number] == number)
        pockets.append(Pocket(number, here, any(t.number in numbers for t in here)))
    inside = {t.number for p in pockets for t in p.tools}
    outside = tuple(t for t in plan.tools.values() if t.number not in inside)
    return Magazine(
        tuple(pockets),
        outside,
        (*_clashes(pockets), *_missing(outside, numbers, machine.pockets), *_idle(pockets, numbers)),
    )


def _clashes(pockets: list[Pocket]) -> list[tuple[str, str]]:
    return [
        ("stop", f"Pocket {p.number} is given to {' and '.join(f'T{t.number}' for t in p.tools)}. Give one of them another pocket.")
        for p in pockets
        if len(p.tools) > 1
    ]  # fmt: skip


def _missing(outside: tuple[Tool, ...], used: set[int], pockets: int) -> list[tuple[str, str]]:
    return [
        ("warn", f"T{t.number} ({t.name}) is used but is in no pocket of 1 to {pockets}. Give it one in the tool table.")
        for t in outside
        if t.number in used
    ]  # fmt: skip


def _idle(pockets: list[Pocket], used: set[int]) -> list[tuple[str, str]]:
    idle = [t for p in pockets for t in p.tools if t.number not in used]
    if not idle:
        return []
    names = ", ".join(f"T{t.number}" for t in idle)
    return [
        (
            "note",
            f"{names} {'is' if len(idle) == 1 else 'are'} not needed by any step: {'its pocket is' if len(idle) == 1 else 'their pockets are'} free for others.",
        )
    ]
