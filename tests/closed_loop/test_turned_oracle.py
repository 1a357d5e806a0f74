"""Turned contours against what follows from the drawing and the nose alone: the contour, less what a disc of the nose's radius can't reach.

Nothing of the planner is used: the finished section is opened by a disc, and only contours that rise towards the chuck are taken, which any
right-hand insert can follow. The second half gouges a text by a hair and asks who did it.
"""

from __future__ import annotations

from random import Random

import pytest
import shapely

from bastler.core.engine import Engine
from bastler.core.job.document import Step
from bastler.core.planner import plan
from bastler.core.request import Request
from tests.turned import lathe_job, lines

WIDE = 60.0


def rising(seed: int) -> list[tuple[float, float]]:
    """Ends (Z, diameter) of lines that rise towards the chuck: cylinders, faces and tapers."""
    dice = Random(seed)
    z, d, ends = 0.0, dice.choice((16.0, 20.0, 24.0)), []
    for _ in range(3):
        z -= dice.choice((6.0, 8.5, 11.0))
        ends.append((z, d))
        step = dice.choice((3.0, 5.0, 7.0))
        if dice.random() < 0.5:
            z -= step * dice.choice((0.4, 1.0, 2.0)) / 2
        d = min(d + step, 46.0)
        ends.append((z, d))
    return [e for k, e in enumerate(ends) if k == 0 or e != ends[k - 1]]


@pytest.mark.parametrize("seed", range(8))
def test_the_section_is_the_contour_less_what_the_nose_leaves(seed: int) -> None:
    dice, ends = Random(seed), rising(seed)
    start = ends[0][1]
    tool = dice.choice(("1", "2"))
    step = Step(
        id="t",
        cycle="turn",
        values={"shape": "contour", "contour": "c", "tool": tool, "compensation": dice.choice(("planner", "control"))},
    )
    job = lathe_job(step, contours=(lines("c", start, *ends),))
    planned = plan(job)
    checked = Engine().check(Request(job, dialect=dice.choice(("iso-lathe-a", "iso-lathe-b"))))
    assert [f.text for f in checked.findings if f.severity == "stop"] == []
    nose = planned.tools[int(tool)].corner_radius
    z_end = ends[-1][0]
    contour = [(0.0, start / 2), *((z, d / 2) for z, d in ends)]
    # What may go lies above the contour, in front of its end; the tool comes from in front and from outside.
    free = shapely.Polygon([*contour, (z_end, WIDE), (WIDE, WIDE), (WIDE, start / 2)])
    reached = free.buffer(-nose, quad_segs=200, join_style="mitre").buffer(nose, quad_segs=200)
    looked_at = shapely.box(z_end + nose, 0.0, -0.01, planned.frame.chucking.blank[3])  # type: ignore[union-attr]
    expected = looked_at.difference(reached)
    is_left = shapely.union_all([checked.section.stock, checked.section.fallen]).intersection(looked_at)
    differs = shapely.symmetric_difference(expected, is_left)
    assert differs.buffer(-0.004).is_empty, [p.bounds for p in getattr(differs.buffer(-0.004), "geoms", [differs])]


def test_a_hair_too_deep_is_laid_to_the_move_that_cut_it() -> None:
    step = Step(
        id="t",
        cycle="turn",
        values={
            "shape": "contour",
            "contour": "c",
            "tool": "2",
            "work": "finish",
            "compensation": "planner",
            "written": "moves",
        },
    )
    job = lathe_job(step, contours=(lines("c", 44.0, (-20.0, 44.0), (-20.0, 49.0)),))
    text = Engine().check(Request(job, dialect="iso-lathe-a")).program.text
    lines_of = text.splitlines()
    at = max(i for i, line in enumerate(lines_of) if "Z-20" in line or "Z-19" in line)
    spoilt = [*lines_of[:at], "G1 X44. Z-10.", "X43.92", "X44.", *lines_of[at:]]
    found = Engine().check(Request(job, text="\n".join(spoilt).encode(), dialect="iso-lathe-a")).findings
    gouges = [f for f in found if f.kind == "gouge"]
    assert [f.line for f in gouges] == [at + 2]
    assert gouges[0].step == "t"
