"""Copies of a step that only shift: written once as a subprogram, and called at each of their places."""

from __future__ import annotations

from typing import TYPE_CHECKING

from msgspec.structs import replace

from bastler.core.geometry.placement import Placement
from bastler.core.planning.placing import placed
from bastler.core.plans.plan import StepPlan

if TYPE_CHECKING:
    from bastler.core.post.millwriter import MillWriter

SHORTEST_SUBPROGRAM = 6
"""Lines from which on a copy is called instead of written again."""
FIRST_SUBPROGRAM = 8001


def alike(writer: MillWriter, parts: tuple[StepPlan, ...]) -> list[tuple[StepPlan, ...]]:
    """Parts in order, those together that are the same but for a shift and worth a subprogram; one empty row for none."""
    words = writer.dialect.words
    if not parts or not (words.subprogram_call and words.local_shift):
        return [(part,) for part in parts] or [()]
    rows: list[tuple[StepPlan, ...]] = []
    for part in parts:
        before = rows[-1] if rows else ()
        if before and before[0].step.id == part.step.id and _shifted(writer, before[0], part):
            rows[-1] = (*before, part)
        else:
            rows.append((part,))
    return [
        r
        for row in rows
        for r in ([row] if len(_alone(writer, row[0])) >= SHORTEST_SUBPROGRAM else [(p,) for p in row])
    ]


def _shifted(writer: MillWriter, first: StepPlan, other: StepPlan) -> bool:
    """Whether the lines of two copies are the same but for a shift."""
    a, b = first.where, other.where
    if a is None or b is None or first.tool != other.tool or a.angle != b.angle or a.mirror != b.mirror:
        return False
    back = Placement((a.at[0] - b.at[0], a.at[1] - b.at[1]))
    return _alone(writer, first) == _alone(writer, replace(other, moves=tuple(placed(other.moves, back))))


def _alone(writer: MillWriter, part: StepPlan) -> list[str]:
    """The lines of a part's moves, written by a control that knows nothing yet."""
    fresh = writer.fresh()
    fresh.tool = part.tool
    for move in part.moves:
        fresh.move(move)
    return fresh.lines


def call(writer: MillWriter, same: tuple[StepPlan, ...]) -> None:
    """Copies that only shift: written once as a subprogram, called at each of their places."""
    first, words = same[0], writer.dialect.words
    number = FIRST_SUBPROGRAM + len(writer.subprograms)
    writer.block(writer.dialect.blocks.step, step=writer.plain(f"{first.full_name}, {len(same)} times"))
    writer.take(first, list(first.moves))
    at = first.where.at if first.where is not None else (0.0, 0.0)
    for part in same:
        assert part.where is not None
        dx, dy = part.where.at[0] - at[0], part.where.at[1] - at[1]
        if part is not first:
            writer.line(words.local_shift.format(x=writer.length(dx), y=writer.length(dy)))
        writer.line(words.subprogram_call.format(number=number))
    writer.line(words.local_shift.format(x=writer.length(0.0), y=writer.length(0.0)))
    writer.forget()
    writer.here = [None, None, None]
    head = words.subprogram_head.format(number=number, name=writer.plain(first.full_name))
    writer.subprograms.append((writer.current, [head, *_alone(writer, first), words.subprogram_end]))
