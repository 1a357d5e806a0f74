"""What was typed in a step as its tool's own cutting data: the way from a step's feed per minute back to what one edge takes."""

from __future__ import annotations

import math

from bastler.core.fields import Unanswered
from bastler.core.plans.plan import StepPlan
from bastler.core.quantities import Kind
from bastler.core.tooling.cutting import shallow
from bastler.core.tooling.owndata import Own
from bastler.core.tooling.power import thinning

KEYS = ("speed", "cutting_speed", "feed", "depth_per_pass", "side_step")
FIGURES = 4


def typed_values(step: StepPlan) -> Own | None:
    """The speeds, feeds and cuts that somebody typed in a step; ``None`` if none, or if the step isn't complete."""
    typed = {k for k in KEYS if step.step.values.get(k, "").strip()}
    v, work = step.answers.values, step.work
    if not typed or step.tool is None or not step.answers.complete:
        return None
    speed = feed = None
    try:
        if "cutting_speed" in typed:
            speed = float(v.cutting_speed)
        elif "speed" in typed:
            speed = math.pi * v.tool.diameter * v.speed / 1000
        if "feed" in typed:
            feed = float(v.feed)
            if step.cycle.field("feed").kind is Kind.FEED:
                feed /= v.speed * v.tool.flutes
                if step.cycle.engagement is not None:
                    depth, width = step.cycle.engagement(v)
                    feed /= thinning(v.tool, width) * max(shallow(v.tool, work.material, depth), 1.0)
    except Unanswered:
        return None
    return Own(
        work.material.id, _told(speed), _told(feed), v.get("depth_per_pass") if "depth_per_pass" in typed else None,
        v.get("side_step") if "side_step" in typed else None,
    )  # fmt: skip


def per_word(step: StepPlan) -> str:
    """What a step's feed is kept by: the turn, or the edge."""
    return "turn" if any(f.kind is Kind.FEED_PER_REV for f in step.cycle.fields) else "edge"


def _told(value: float | None) -> float | None:
    """To four figures."""
    return float(f"{value:.{FIGURES}g}") if value is not None else None
