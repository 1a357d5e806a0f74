"""Steps gathered by tool: a tool stays in as long as nothing that overlaps must come before; the parts of a recipe may be cut apart from each other."""

from __future__ import annotations

from typing import TYPE_CHECKING

from msgspec import Struct

from bastler.core.geometry.shapes import Bounds

if TYPE_CHECKING:
    from bastler.core.plans.plan import StepPlan


class Stint(Struct, frozen=True):
    """What is cut of a step at one go: its index, and which of its parts; none for all that it does."""

    index: int
    parts: tuple[int, ...] = ()


def whole(order: list[int]) -> tuple[Stint, ...]:
    """Steps one after another."""
    return tuple(Stint(i) for i in order)


def gathered(steps: list[StepPlan], order: list[int]) -> tuple[Stint, ...]:
    """Ready steps, and parts of recipes, in the order that changes tools least."""
    waiting = [one for i in order for one in _singles(i, steps[i])]
    bounds = {one: _bounds(_cut(steps, one)) for one in waiting}
    found: list[Stint] = []
    tool = None
    while waiting:
        free = [one for n, one in enumerate(waiting) if not any(_holds(steps, bounds, a, one) for a in waiting[:n])]
        best = next((one for one in free if _cut(steps, one).tool == tool), free[0])
        tool = _cut(steps, best).tool
        waiting.remove(best)
        if found and found[-1].index == best.index and best.parts:
            found[-1] = Stint(best.index, (*found[-1].parts, *best.parts))
        else:
            found.append(best)
    return tuple(Stint(one.index) if len(one.parts) == len(steps[one.index].parts) else one for one in found)


def _singles(i: int, step: StepPlan) -> list[Stint]:
    """A recipe's parts each for itself; copies of other steps stay together, for they may share a subprogram."""
    return [Stint(i, (k,)) for k in range(len(step.parts))] if step.cycle.expand is not None else [Stint(i)]


def _cut(steps: list[StepPlan], one: Stint) -> StepPlan:
    return steps[one.index].parts[one.parts[0]] if one.parts else steps[one.index]


def _holds(steps: list[StepPlan], bounds: dict[Stint, Bounds | None], first: Stint, then: Stint) -> bool:
    """Whether one must be cut before the other, which comes later in the list: parts of one step, or where both touch the same place; on a lathe always."""
    if first.index == then.index:
        return True
    a, b = _cut(steps, first), _cut(steps, then)
    if a.cleared or b.cleared:
        return True
    near, other = bounds[first], bounds[then]
    if near is None or other is None or not _meet(near, other):
        return False
    return any(_meet(p.bounds(), q.bounds()) for p in a.removals for q in b.removals)


def _bounds(one: StepPlan) -> Bounds | None:
    """The box round all that it takes away."""
    every = [r.bounds() for r in one.removals]
    if not every:
        return None
    return (min(b[0] for b in every), max(b[1] for b in every), min(b[2] for b in every), max(b[3] for b in every))


def _meet(p: Bounds, q: Bounds) -> bool:
    return p[0] <= q[1] and q[0] <= p[1] and p[2] <= q[3] and q[2] <= p[3]
