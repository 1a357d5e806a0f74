"""Gouges and leftovers of hundredths at a wall are found whatever the size of the cells."""

from __future__ import annotations

import re

import numpy as np
import pytest

from bastler.core.benches import post
from bastler.core.engine import Engine, control_of
from bastler.core.gcode.interpreter import interpret
from bastler.core.job.document import ContourRecord, Job, Setup, Step
from bastler.core.planner import plan
from bastler.core.post.dialect import dialects
from bastler.core.request import Request
from bastler.core.verify.milljudge import MillJudge
from bastler.core.verify.walls import leftover, ways_of
from tests.closed_loop.test_every_cycle import STOCK, TOOLS
from tests.closed_loop.test_whole_jobs import in_inches

POCKET = Step(id="p", cycle="pocket", values={"centre_x": "0", "centre_y": "40", "length": "40", "width": "30", "corner": "6", "depth": "5", "tool": "2"})  # fmt: skip
BOSS = Step(id="o", cycle="outside", values={"centre_x": "0", "centre_y": "40", "length": "60", "width": "40", "corner": "8", "depth": "4", "tool": "2"})  # fmt: skip


def text_of(job: Job) -> str:
    return post(plan(job), dialects()["iso-mill"]).text


def kinds(job: Job, text: str, cell: float) -> set[str]:
    found = Engine().check(Request(job, text=text.encode(), cell=cell)).findings
    return {f.kind for f in found if f.kind in ("gouge", "left-standing")}


def job_of(step: Step) -> Job:
    return Job(tools=TOOLS, setups=(Setup(steps=(step,), values=STOCK),))


@pytest.mark.parametrize("cell", [0.2, 0.5])
@pytest.mark.parametrize("by", [0.03, 0.05, 0.15])
def test_a_bulge_into_a_straight_wall(by: float, cell: float) -> None:
    job = job_of(POCKET)
    text = text_of(job)
    assert kinds(job, text, cell) == set()
    lines = text.splitlines()
    far = max(float(y) for y in re.findall(r"Y(-?\d+\.?\d*)", text))
    at = max(
        i
        for i, line in enumerate(lines)
        if re.search(rf"Y{re.escape(f'{far:g}')}\b", line) or f"Y{far:.3f}".rstrip("0") in line
    )
    bulged = [*lines[: at + 1], f"G1 X0. Y{far:.3f}", f"Y{far + by:.3f}", f"Y{far:.3f}", *lines[at + 1 :]]
    assert "gouge" in kinds(job, "\n".join(bulged), cell)


@pytest.mark.parametrize("step", [POCKET, BOSS], ids=["pocket", "outside"])
@pytest.mark.parametrize("by", [0.04, 0.1])
def test_a_tool_a_little_too_thin_leaves_metal_on_every_wall(step: Step, by: float) -> None:
    job = job_of(step)
    text = text_of(job)
    thin = tuple(
        t.changed(values={**t.values, "diameter": str(float(t.values["diameter"]) - 2 * by)}) if t.number == 2 else t
        for t in TOOLS
    )
    worn = job.changed(tools=thin)
    engine = Engine()
    planned = plan(job)
    assert kinds(job, text, 0.5) == set()
    # The text of the right tool, cut by the thinner one, judged against what the right one promised.

    read = interpret(text.encode(), control_of(planned, Request(job)))
    judge = MillJudge(plan(worn), read.motion, np.zeros(len(read.motion), np.int32))
    engine.check(Request(job, cell=0.5))
    stock = engine.stock
    assert stock is not None
    found = [
        leftover(ways_of(judge), r, stock.grid, stock.blank, stock.block.z0) for s in planned.cut for r in s.removals
    ]
    worst = max(f.by for f in found if f is not None)
    assert worst == pytest.approx(by, abs=0.01)


def test_where_a_lead_leaves_a_circle_the_border_is_no_metal() -> None:
    """Just behind the lead's wall lies the very wall of the ring; a program in inches rounds by a µm."""
    ring = ContourRecord(
        id="ring", name="ring", values={"shape": "circle", "centre_x": "2", "centre_y": "50.75", "diameter": "13"}
    )
    step = Step(id="o", cycle="outline", values={"contour": "ring", "side": "on", "top": "0", "tool": "5", "depth": "8.25", "depth_per_pass": "6", "down": "plunge", "lead": "tangent", "lead_length": "1.25", "overlap": "0", "way": "conventional"})  # fmt: skip
    job = in_inches(Job(tools=TOOLS, contours=(ring,), setups=(Setup(steps=(step,), values=STOCK),)))
    found = Engine().check(Request(job, dialect="iso-mill-inch", cell=0.4)).findings
    assert [f.text for f in found if f.kind in ("gouge", "left-standing")] == []
