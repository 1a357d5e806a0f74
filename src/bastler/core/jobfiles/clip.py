"""Steps carried from one place to another: within a job, to another setup, into another job, with all that they use.

*Clip*: a small job that holds the steps and the contours, patterns and tools that they name. *Clash*: a tool number
of the clip that is another tool where it is put.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TypeVar

from bastler.core.cycles import cycles
from bastler.core.job.document import ContourRecord, Job, PatternRecord, Setup, Step, ToolRecord, new_id
from bastler.core.jobfiles.store import dump, parse
from bastler.core.jobfiles.units import in_units
from bastler.core.quantities import Kind, whole_number

MIME = "application/x-bastler-steps+json"
Named = TypeVar("Named", ContourRecord, PatternRecord)
LISTED = (Kind.STEPS, Kind.CONTOURS, Kind.CONTOUR, Kind.PATTERN)


def clip_of(job: Job, setup: int, ids: tuple[str, ...]) -> Job:
    """The steps of these ids, in the order of the plan, with what they use."""
    steps = tuple(s for s in job.setups[setup].steps if s.id in ids)
    named = {word for s in steps for word in _words(s)}
    patterns = {p.id: p for p in job.patterns}
    while more := {p.values.get("source", "") for i, p in patterns.items() if i in named} - named - {""}:
        named |= more
    numbers = {n for s in steps for n in tool_numbers(s)}
    one = job.setups[setup]
    return Job(
        name=job.name, units=job.units,
        tools=tuple(t for t in job.tools if t.number in numbers),
        patterns=tuple(p for p in job.patterns if p.id in named),
        contours=tuple(c for c in job.contours if c.id in named),
        setups=(Setup(machine=one.machine, material=one.material, steps=steps),),
    )  # fmt: skip


def packed(clip: Job) -> bytes:
    """A clip as bytes."""
    return dump(clip)


def unpacked(data: bytes) -> Job:
    """A clip from bytes; raises :class:`Unusable`."""
    return parse(data, "what was copied")


def _words(step: Step) -> set[str]:
    """What a step names: contours, patterns, other steps."""
    kinds = {f.key: f.kind for f in cycles()[step.cycle].fields}
    texts = (t for k, t in step.values.items() if kinds.get(k) in LISTED)
    return {word.strip() for text in texts for word in text.split(",")}


def tool_numbers(step: Step) -> set[int]:
    """The tools that a step names by number."""
    kinds = {f.key: f.kind for f in cycles()[step.cycle].fields}
    found = (whole_number(t.strip().lstrip("Tt")) for k, t in step.values.items() if kinds.get(k) is Kind.TOOL)
    return {n for n in found if n is not None}


def clashes(job: Job, clip: Job) -> list[tuple[ToolRecord, ToolRecord]]:
    """Tool numbers that are other tools in the job: as the clip has them, as the job has them."""
    here = {t.number: t for t in job.tools}
    mine = in_units(clip, job.units, keep_size=True).tools
    return [(t, here[t.number]) for t in mine if t.number in here and not _same(t, here[t.number])]


def _same(one: ToolRecord, other: ToolRecord) -> bool:
    return (one.kind, one.values) == (other.kind, other.values)


def put(job: Job, setup: int, after: int, clip: Job, renumbered: Mapping[int, int]) -> tuple[Job, tuple[Step, ...]]:
    """The job with a clip's steps behind the step at ``after`` (-1: first), in the job's units.

    ``renumbered``: for a clashing tool the number that its steps take; one that the job hasn't is added from the clip.
    Contours and patterns that the job has under the same id are shared if they are alike, else they come as new ones.
    """
    clip = in_units(clip, job.units, keep_size=True)
    ids: dict[str, str] = {s.id: new_id() for s in clip.setups[0].steps}
    contours = _fresh(clip.contours, {c.id: c for c in job.contours}, "~", ids)
    patterns = _fresh(clip.patterns, {p.id: p for p in job.patterns}, "#", ids)
    patterns = tuple(
        p.changed(values={k: _renamed(t, ids) if k == "source" else t for k, t in p.values.items()}) for p in patterns
    )
    have = {t.number for t in job.tools}
    tools = tuple(t.changed(number=renumbered.get(t.number, t.number)) for t in clip.tools)
    tools = tuple(t for t in tools if t.number not in have)
    steps = tuple(_moved(s, ids, renumbered) for s in clip.setups[0].steps)
    old = job.setups[setup].steps
    placed = job.setups[setup].changed(steps=(*old[: after + 1], *steps, *old[after + 1 :]))
    new: Job = job.changed(
        tools=(*job.tools, *tools), contours=(*job.contours, *contours), patterns=(*job.patterns, *patterns)
    )
    return new.with_setup(placed, setup), steps


def _fresh(mine: tuple[Named, ...], here: Mapping[str, Named], sign: str, ids: dict[str, str]) -> tuple[Named, ...]:
    """Those that the job hasn't yet; one whose id is another there gets a new one, which ``ids`` learns."""
    new: list[Named] = []
    for one in mine:
        known = here.get(one.id)
        if (
            known is not None
            and known.values == one.values
            and getattr(known, "elements", ()) == getattr(one, "elements", ())
        ):
            continue
        if known is not None:
            ids[one.id] = sign + new_id()
        new.append(one.changed(id=ids.get(one.id, one.id)))
    return tuple(new)


def _renamed(typed: str, ids: Mapping[str, str]) -> str:
    """A list of names with those that came under new ids."""
    words = [w.strip() for w in typed.split(",")]
    return ", ".join(ids.get(w, w) for w in words) if any(w in ids for w in words) else typed


def _moved(step: Step, ids: Mapping[str, str], renumbered: Mapping[int, int]) -> Step:
    kinds = {f.key: f.kind for f in cycles()[step.cycle].fields}
    values = dict(step.values)
    for key, typed in step.values.items():
        if kinds.get(key) in LISTED:
            values[key] = _renamed(typed, ids)
        elif kinds.get(key) is Kind.TOOL:
            number = whole_number(typed.strip().lstrip("Tt"))
            if number is not None and number in renumbered:
                values[key] = str(renumbered[number])
    moved: Step = step.changed(id=ids[step.id], values=values)
    return moved
