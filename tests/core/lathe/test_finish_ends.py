"""A finishing pass ends where its contour ends: no feed move of it is farther from the contour, or from the shoulder at its end, than the way off it."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
import shapely
from benchmarks.soak import dice_for

from bastler.core.cycles.lathe import turn
from bastler.core.geometry.halfsection import points_of
from bastler.core.job.document import Job, Step, ToolRecord
from bastler.core.moves import Curve, Either, Feed, Move, Rapid
from bastler.core.planner import plan
from tests.turned import lathe_job, turned_contours

FINISH = 0.111
"""A feed that nothing else has."""
LEAD_OUT_MM, LEAD_OUT_SHARE = 0.5, 0.5
"""The larger of both: the second of the nose radius, which rolls off an edge."""
SEEDS = 40


def drawn_job(seed: int) -> Job:
    """One turned step, outside or in a drilled bore, with its own feed for the finishing pass."""
    dice = dice_for(seed)
    contours = turned_contours(dice)
    where = dice.choice(("outside", "inside", "inside"))
    tool = dice.choice(("1", "2", "3", "4", "18") if where == "outside" else ("5", "6", "19"))
    typed = {"where": where, "tool": tool, "feed_finish": str(FINISH)}
    if dice.choice(("contour", "cylinder")) == "contour":
        typed |= {"shape": "contour", "contour": "~outer" if where == "outside" else "~bore"}
    else:
        wide = dice.number(24, 48) if where == "outside" else dice.number(23, 40)
        typed |= {"shape": "cylinder", "front_z": "0", "diameter": str(wide), "length": str(dice.number(5, 50))}
    deep = {"tool": "14", "depth": str(dice.number(30, 70)), "diameter": "22"}
    drilled = (Step(id="drill", cycle="axis_hole", values=deep),) if where == "inside" else ()
    return lathe_job(*drilled, Step(id="turn", cycle="turn", values=typed), contours=contours)


def written_out(moves: tuple[Move, ...]) -> Iterator[Move]:
    for one in moves:
        if isinstance(one, Either):
            yield from written_out(one.long)
        else:
            yield one


def farthest(job: Job) -> float | None:
    """How far the insert gets from the contour on a finishing feed, as a share of its way off; ``None`` if it leaves metal there or finds no way."""
    step = plan(job).steps[-1]
    if not step.answers.complete or any(p.field == "tool" for p in step.answers.problems):
        return None
    contour, stock = turn.contour(step.answers.values, step.work), step.work.lathe.stock
    z, r = contour.end
    inside = turn.inside(step.answers.values)
    beyond = stock.bounds[3] if not inside else 0.0
    if inside:
        at_end = shapely.intersection(stock, shapely.LineString([(z, 0.0), (z, 100.0)]))
        beyond = at_end.bounds[1] if not at_end.is_empty else r
    wanted = shapely.union(
        shapely.LineString(points_of(contour, 0.001)), shapely.LineString([(z, r), (z, beyond + 1e-6)])
    )
    insert = shapely.Polygon(step.answers.values.tool.in_plane.outline(0.02))
    worst, x, at = 0.0, 0.0, 0.0
    for m in written_out(step.moves):
        if isinstance(m, Rapid | Feed | Curve):
            x, at = x if m.x is None else m.x, at if m.z is None else m.z
            if not isinstance(m, Rapid) and m.feed == FINISH:
                worst = max(worst, float(shapely.distance(shapely.affinity.translate(insert, at, x), wanted)))
    nose = step.answers.values.tool.corner_radius
    return worst / max(LEAD_OUT_MM, LEAD_OUT_SHARE * nose)


def test_no_finishing_feed_is_farther_from_its_contour_than_its_way_off() -> None:
    found = {seed: far for seed in range(SEEDS) if (far := farthest(drawn_job(seed))) is not None}
    assert len(found) > SEEDS / 4
    assert {seed: far for seed, far in found.items() if far > 1.0} == {}


@pytest.mark.parametrize("length", [10, 25, 30])
def test_a_bored_step_ends_at_its_shoulder_and_not_in_the_drilled_hole(length: int) -> None:
    drill = ToolRecord(number=1, kind="drill", name="drill 20", values={"diameter": "20", "flutes": "2", "flute_length": "80", "stick_out": "95"})  # fmt: skip
    bar = ToolRecord(number=2, kind="boring-tool", name="bar 12", values={"insert": "DCMT11T304", "diameter": "12", "stick_out": "60", "lead_angle": "93"})  # fmt: skip
    steps = (
        Step(id="drill", cycle="axis_hole", values={"tool": "1", "depth": "35", "diameter": "20"}),
        Step(id="bore", cycle="turn", values={"where": "inside", "shape": "cylinder", "front_z": "0", "diameter": "26",
                                              "length": str(length), "tool": "2", "feed_finish": str(FINISH)}),
    )  # fmt: skip
    job = lathe_job(*steps).changed(tools=(drill, bar))
    fed = [m for m in written_out(plan(job).steps[-1].moves) if isinstance(m, Feed | Curve) and m.feed == FINISH]
    assert min(m.z for m in fed if m.z is not None) == pytest.approx(-length)
    assert len(fed) == 2
