"""Stop findings that a plan didn't warn of: a reamed hole that no step drilled is told by the step and by the check alike."""

from __future__ import annotations

from bastler.core.checked import Checked
from bastler.core.findings import Finding
from bastler.core.plans.plan import Plan

SAME = {"thread-hole": "tap-hole"}


def unexpected(checked: Checked, planned: Plan) -> list[Finding]:
    warned = {p.finding for s in planned.steps for p in s.answers.problems}
    warned |= {SAME[kind] for kind in warned & SAME.keys()}
    return [f for f in checked.findings if f.severity == "stop" and f.kind not in warned]
