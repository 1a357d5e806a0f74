"""Which tools a step can use, best first, and why the others don't fit.

Every tool of the right kind is tried: the step is read and judged with it, as it would be once chosen.
"""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import Struct
from msgspec.structs import replace

from bastler.core.cycles import is_at_home
from bastler.core.cycles.base import Cycle
from bastler.core.cycles.surfacing import PointedTools, pointing_problems
from bastler.core.fields import Answers, Field, Unanswered, typed_text
from bastler.core.planning.work import Work
from bastler.core.plans.plan import StepPlan
from bastler.core.quantities import metal, show
from bastler.core.tooling.tools import Tool

CM3 = 1000.0


class Choice(Struct, frozen=True):
    """A tool with what speaks for it, or what keeps it out; ``rate``: metal it takes away, cm³/min, if that is known."""

    tool: Tool
    fits: bool
    sentence: str
    rate: float = 0.0
    suggested: bool = False


def tool_choices(step: StepPlan, field: Field, tools: Iterable[Tool]) -> list[Choice]:
    """The tools of the kinds that ``field`` takes: those that fit by what they take away, then those that don't."""
    if not is_at_home(step.cycle, step.work.machine):
        return []
    kinds = field.tool_kinds or step.cycle.tool_kinds
    found = [_judged(step, field, tool) for tool in tools if tool.kind in kinds]
    return sorted(found, key=lambda c: (not c.fits, not c.suggested, -c.rate, -c.tool.diameter))


def _judged(step: StepPlan, field: Field, tool: Tool) -> Choice:
    tools, points = step.work.tools, None
    if isinstance(tools, PointedTools):
        tools, points = tools.with_tool(tool), tools.points
    else:
        tools = {**tools, tool.number: tool}
    work = replace(step.work, tools=tools)
    typed = {k: t for k, t in step.step.values.items() if k != field.key}
    proposal = step.cycle.answers(typed, work).suggestions.get(field.key)
    suggested = proposal is not None and proposal.text == str(tool.number)
    answers = _answers(step.cycle, {**typed, field.key: str(tool.number)}, work)
    problems = answers.problems
    if points is not None:
        problems = (*problems, *pointing_problems(points, answers.values))
    wrong = next((p for p in problems if p.blocks and p.field == field.key), None)
    wrong = wrong or next((p for p in problems if p.blocks), None)
    if wrong is not None:
        return Choice(tool, False, wrong.text)
    rate = _rate(step.cycle, answers)
    words = [proposal.reason.partition(": ")[2] or proposal.reason] if suggested and proposal is not None else []
    words.append(f"cuts {show(tool.flute_length, units=work.units)} deep")
    if rate:
        share = step.cycle.power_share(answers.values, work) or 0.0
        words.append(f"{metal(rate * CM3, work.units)}/min with {share * 100:.0f} % of the power")
    words += [p.text for p in problems if not p.blocks][:1]
    return Choice(tool, True, "; ".join(words), rate, suggested)


def _answers(cycle: Cycle, typed: dict[str, str], work: Work) -> Answers:
    """The step read; answers that are still missing are taken as they are drawn."""
    answers = cycle.answers(typed, work)
    drawn = {
        f.key: typed_text(f, f.stand_in, work.units)
        for f in cycle.fields
        if f.key in answers.missing and f.stand_in is not None
    }
    return cycle.answers({**typed, **drawn}, work) if drawn else answers


def _rate(cycle: Cycle, answers: Answers) -> float:
    """cm³/min of a milling cut."""
    if cycle.engagement is None:
        return 0.0
    try:
        depth, width = cycle.engagement(answers.values)
        return depth * min(width, float(answers.values.tool.diameter)) * float(answers.values.feed) / CM3
    except Unanswered:
        return 0.0
