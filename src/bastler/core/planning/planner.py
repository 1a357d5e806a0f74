"""Job → plan: every step read, judged and turned into moves, each seeing the stock before it."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct

from bastler.core.cycles import cycles
from bastler.core.cycles.base import Cycle
from bastler.core.fields import Answers, Unanswered
from bastler.core.geometry.shapes import Bounds, Removal
from bastler.core.job.document import Job, Setup, Step
from bastler.core.job.frame import Frame, frame, read_setup, read_tools, work_of
from bastler.core.moves import Move
from bastler.core.planning.patterns import NamedPattern, read_patterns
from bastler.core.planning.work import Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind
from bastler.core.tooling.tools import Tool


class StepPlan(Struct, frozen=True):
    """A step with all that follows from it.

    ``number`` counts from 1 in the order of the list; ``moves`` is empty while the step asks for
    something; ``removals`` are drawn from stand-ins then and not cut. A recipe's ``parts`` are the single
    steps that it stands for, in order; their moves are written instead of its own.
    """

    step: Step
    number: int
    cycle: Cycle
    answers: Answers
    work: Work
    removals: tuple[Removal, ...]
    moves: tuple[Move, ...]
    parts: tuple[StepPlan, ...] = ()

    @property
    def ready(self) -> bool:
        """Whether it is switched on and can be cut."""
        return self.step.on and self.answers.complete

    @property
    def tool(self) -> Tool | None:
        """The tool it uses, if known."""
        tool = self.answers.values.get("tool")
        if self.parts:
            return self.parts[0].tool
        return tool if isinstance(tool, Tool) else None

    @property
    def title(self) -> str:
        """Its own name, or what the cycle calls it."""
        return self.step.name or self.cycle.title(self.cycle.drawable(self.answers))

    @property
    def full_name(self) -> str:
        """Cycle and title, for sentences and comments."""
        return f"{self.cycle.name} {self.title}"


class Plan(Struct, frozen=True):
    """A setup planned: ``steps`` in list order, ``order`` the indices of ready steps in cutting order."""

    job: Job
    setup: Setup
    setup_answers: Answers
    tool_answers: tuple[Answers, ...]
    frame: Frame
    tools: Mapping[int, Tool]
    patterns: Mapping[str, NamedPattern]
    pattern_answers: tuple[Answers, ...]
    steps: tuple[StepPlan, ...]
    order: tuple[int, ...]

    @property
    def cut(self) -> list[StepPlan]:
        """The ready steps in cutting order."""
        return [self.steps[i] for i in self.order]

    def first_obstacle(self) -> str | None:
        """The first thing that keeps the whole job from being posted, as a sentence."""
        for key in self.setup_answers.missing:
            return f"The setup asks for {_label_of_setup(key)}. Answer it in the Setup station."
        for problem in self.setup_answers.problems:
            return f"Setup: {problem.text}"
        for record, answers in zip(self.job.tools, self.tool_answers, strict=True):
            for problem in answers.problems:
                if problem.field == "number":
                    return f"Tool {record.number}: {problem.text}"
        for s in self.steps:
            if s.step.on and not s.answers.complete:
                return f"Step {s.number} ({s.full_name}): {what_it_asks(s)}"
        if not self.order:
            return "The job has no step that cuts. Add one in the Steps station."
        return None


def _label_of_setup(key: str) -> str:
    from bastler.core.job.frame import FIELDS

    return next(f.label for f in FIELDS if f.key == key)


def what_it_asks(s: StepPlan) -> str:
    """What a step lacks, as a sentence."""
    for problem in s.answers.problems:
        if problem.blocks:
            return problem.text
    labels = [s.cycle.field(key).label for key in s.answers.missing]
    first = s.cycle.field(s.answers.missing[0])
    if first.kind is Kind.TOOL:
        which = "" if first.key == "tool" else f" ({first.label})"
        return f"No tool in the table fits{which}. Add one, or choose another."
    return f"{', '.join(labels)} {'is' if len(labels) == 1 else 'are'} not answered yet."


def plan(job: Job, setup_index: int = 0, *, moves: bool = True) -> Plan:
    """Plan one setup. ``moves=False`` reads and judges only: what the drawing needs."""
    setup = job.setups[setup_index]
    answers = read_setup(setup, job.units)
    f = frame(setup, answers)
    tools, tool_answers = read_tools(job)
    patterns, pattern_answers = read_patterns(job.patterns, job.units)
    start = work_of(job, f, tools, patterns)
    blocked = bool(answers.missing or answers.problems)
    steps, order = _in_order(setup, start, range(len(setup.steps)), moves and not blocked)
    if setup.gather_by_tool and not blocked:
        order = _gathered(steps, order)
        full = order + [i for i in range(len(steps)) if i not in order]
        steps, _ = _in_order(setup, start, full, moves)
    return Plan(
        job, setup, answers, tool_answers, f, tools, patterns, pattern_answers, tuple(steps), tuple(order) if not blocked else ()
    )  # fmt: skip


def _in_order(setup: Setup, start: Work, order: list[int] | range, moves: bool) -> tuple[list[StepPlan], list[int]]:
    """Steps read in ``order``; returned in list order, with the ready ones in that order."""
    work, planned, ready = start, {}, []
    for i in order:
        one = _plan_step(setup.steps[i], i + 1, work, moves)
        planned[i] = one
        if one.ready:
            work = work.after(one.removals)
            ready.append(i)
    return [planned[i] for i in range(len(setup.steps))], ready


def _plan_step(step: Step, number: int, work: Work, moves: bool) -> StepPlan:
    cycle = cycles()[step.cycle]
    answers = cycle.answers(step.values, work)
    wanted = moves and step.on and answers.complete
    if cycle.expand is not None:
        return _plan_recipe(step, number, cycle, answers, work, wanted)
    try:
        removals = cycle.removals(cycle.drawable(answers), work)
    except (Unanswered, ArithmeticError, ValueError):
        removals = ()
    return StepPlan(
        step, number, cycle, answers, work, removals, tuple(cycle.plan(answers.values, work)) if wanted else ()
    )


def _plan_recipe(step: Step, number: int, cycle: Cycle, answers: Answers, work: Work, wanted: bool) -> StepPlan:
    """A recipe: its single steps planned one after another; what is wrong with one is wrong with the recipe."""
    assert cycle.expand is not None
    try:
        singles = cycle.expand(cycle.drawable(answers), work)
    except (Unanswered, ArithmeticError, ValueError):
        singles = ()
    parts: list[StepPlan] = []
    problems = list(answers.problems)
    then = work
    for single in singles:
        part = _plan_step(
            Step(id=step.id, cycle=single.cycle, name=single.name, values=single.values), number, then, wanted
        )
        parts.append(part)
        then = then.after(part.removals)
        where = single.field if single.field not in answers.hidden else "tool"
        problems += [p.at(where) for p in part.answers.problems]
        if part.answers.missing and not answers.missing:
            problems.append(Problem(where, f"{part.cycle.name} {part.title}: {what_it_asks(part)}"))
    judged = Answers(answers.values, answers.missing, tuple(problems), answers.suggestions, answers.hidden)
    removals = tuple(r for p in parts for r in p.removals)
    return StepPlan(step, number, cycle, judged, work, removals, (), tuple(parts))


def _gathered(steps: list[StepPlan], order: list[int]) -> list[int]:
    """Ready steps reordered so that a tool stays in as long as no step that overlaps must come first."""
    waiting, result = list(order), []
    tool = None
    while waiting:
        free = [i for n, i in enumerate(waiting) if not any(_overlap(steps[i], steps[j]) for j in waiting[:n])]
        best = next((i for i in free if steps[i].tool == tool), free[0])
        tool = steps[best].tool
        waiting.remove(best)
        result.append(best)
    return result


def _overlap(a: StepPlan, b: StepPlan) -> bool:
    """Whether two steps touch the same place, so that their order matters."""
    return any(_meet(p.bounds(), q.bounds()) for p in a.removals for q in b.removals)


def _meet(p: Bounds, q: Bounds) -> bool:
    return p[0] <= q[1] and q[0] <= p[1] and p[2] <= q[3] and q[2] <= p[3]
