"""Steps carried into another job: they cut there what they cut before, whatever its units and tools."""

from __future__ import annotations

import contextlib
import random

import pytest

from bastler.core.demo import BUSH, DEMO, SPINDLE, TRAY, demo_job, new_job
from bastler.core.job.document import Job
from bastler.core.jobfiles.clip import clashes, clip_of, packed, put, tool_numbers, unpacked
from bastler.core.jobfiles.units import in_units
from bastler.core.planner import plan
from bastler.core.problems import Unusable
from bastler.core.quantities import Units


def bounds(job: Job, ids: tuple[str, ...]) -> list[tuple[float, ...]]:
    """Where each step's moves go, mm."""
    found = []
    for step in plan(job).steps:
        if step.step.id in ids:
            ends = [m for m in step.moves if getattr(m, "x", None) is not None]
            found.append((len(step.moves), round(sum(m.x for m in ends), 2)))
    return found


@pytest.mark.parametrize("units", ["mm", "inch"])
@pytest.mark.parametrize("name", [DEMO, TRAY, SPINDLE, BUSH])
def test_all_steps_of_a_job_come_into_an_empty_one(name: str, units: Units) -> None:
    source = demo_job(name)
    ids = tuple(s.id for s in source.setups[0].steps)
    clip = unpacked(packed(clip_of(source, 0, ids)))
    assert {t.number for t in clip.tools} == {n for s in source.setups[0].steps for n in tool_numbers(s)}
    bare = in_units(source, units, keep_size=True).changed(tools=(), patterns=(), contours=())
    bare = bare.with_setup(bare.setups[0].changed(steps=()), 0)
    full = bare.changed(tools=in_units(source, units, keep_size=True).tools)
    job, steps = put(full, 0, -1, clip, {})
    assert [s.ready for s in plan(job, moves=False).steps] == [s.ready for s in plan(source, moves=False).steps]
    if units == source.units:
        assert bounds(job, tuple(s.id for s in steps)) == bounds(source, ids)


def test_what_is_there_already_is_shared_and_what_differs_comes_anew() -> None:
    source = demo_job(TRAY)
    ids = tuple(s.id for s in source.setups[0].steps if "contour" in s.values)
    clip = clip_of(source, 0, ids)
    same, steps = put(source, 0, 0, clip, {})
    assert same.contours == source.contours
    assert [s.id for s in same.setups[0].steps][1 : 1 + len(ids)] == [s.id for s in steps]
    assert not {s.id for s in steps} & set(ids)
    first = source.contours[0]
    changed = source.changed(contours=(first.changed(name="other", values={"start_x": "1"}), *source.contours[1:]))
    other, steps = put(changed, 0, 0, clip, {})
    assert len(other.contours) == len(source.contours) + (first.id in {c.id for c in clip.contours})
    known = {c.id for c in other.contours}
    for step in steps:
        assert step.values["contour"] in known
        if dict(zip((s.id for s in steps), ids, strict=True)) and step.values["contour"] == first.id:
            raise AssertionError("it lies on the other contour of that id")


def test_a_number_that_is_another_tool_is_a_clash_and_can_be_renumbered() -> None:
    source, target = demo_job(DEMO), new_job()
    pocket = next(s for s in source.setups[0].steps if s.cycle == "pocket")
    stepped = source.with_setup(
        source.setups[0].changed(steps=(pocket.changed(values={**pocket.values, "tool": "2"}),)), 0
    )
    clip = clip_of(stepped, 0, (pocket.id,))
    tools = tuple(t.changed(kind="drill", values={"diameter": "3"}) if t.number == 2 else t for t in target.tools)
    found = clashes(target.changed(tools=tools), clip)
    assert [(a.number, b.kind) for a, b in found] == [(2, "drill")]
    job, steps = put(target.changed(tools=tools), 0, -1, clip, {2: 77})
    assert steps[0].values["tool"] == "77"
    assert next(t for t in job.tools if t.number == 77).kind == "end-mill"
    assert next(t for t in job.tools if t.number == 2).kind == "drill"


def test_a_damaged_clipboard_is_refused_in_words() -> None:
    """Bytes changed here and there, several at once: what was copied is put in, or a sentence says why not."""
    good, dice = packed(clip_of(demo_job(DEMO), 0, ("left", "drill"))), random.Random(7)
    for data in (
        b"",
        b"null",
        b"{}",
        good[:99],
        good.replace(b'"pocket"', b'"nonsense"'),
        good.replace(b"small-mill-mm", b"no"),
    ):
        with contextlib.suppress(Unusable):
            put(new_job(), 0, -1, unpacked(data), {})
    for _ in range(400):
        data = bytearray(good)
        for _ in range(dice.randint(1, 4)):
            data[dice.randrange(len(data))] = dice.randrange(256)
        with contextlib.suppress(Unusable):
            clip = unpacked(bytes(data))
            clashes(new_job(), clip)
            put(new_job(), 0, -1, clip, {})
