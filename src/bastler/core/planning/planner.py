"""Job → plan: every step read, judged and turned into moves, each seeing the stock before it."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from msgspec import Struct
from msgspec.structs import replace

from bastler.core import faults
from bastler.core.cycles import cycles
from bastler.core.cycles.base import Cycle
from bastler.core.cycles.places import elsewhere, frozen
from bastler.core.fields import Answers, Unanswered, Values
from bastler.core.geometry.placement import Along, Placement
from bastler.core.geometry.shapes import Removal
from bastler.core.job.chucking import Section
from bastler.core.job.document import Job, Setup, Step
from bastler.core.job.frame import Frame, frame, read_setup, read_tools, setup_fields, work_of
from bastler.core.marks import Mark
from bastler.core.moves import Move, Retract
from bastler.core.planning.contours import NamedContour, read_contours
from bastler.core.planning.edgefeed import at_the_edge
from bastler.core.planning.gathering import Stint, gathered, whole
from bastler.core.planning.patterns import NamedPattern, read_patterns
from bastler.core.planning.placing import moved_along, placed
from bastler.core.planning.work import Cleared, Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind, Units
from bastler.core.tooling.tools import Tool


class StepPlan(Struct, frozen=True):
    """A step with all that follows from it.

    ``number`` counts from 1 in the order of the list; ``moves`` is empty while the step asks for
    something; ``removals`` are drawn from stand-ins then and not cut. A recipe's ``parts`` are the single
    steps that it stands for, in order; their moves are written instead of its own. ``where``: the place of a copy. On a
    lathe ``cleared`` stands for ``removals``. ``ways``: those of its problems that only its moves show.
    """

    step: Step
    number: int
    cycle: Cycle
    answers: Answers
    work: Work
    removals: tuple[Removal, ...]
    moves: tuple[Move, ...]
    parts: tuple[StepPlan, ...] = ()
    where: Placement | None = None
    cleared: tuple[Cleared, ...] = ()
    ways: tuple[Problem, ...] = ()

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
    def own_title(self) -> str:
        """What the cycle calls it."""
        try:
            return self.cycle.title(self.cycle.drawable(self.answers), self.work.units)
        except Exception as error:
            faults.record(error, f"title of a step {self.cycle.id}")
            return ""

    @property
    def title(self) -> str:
        """Its own name, or what the cycle calls it."""
        return self.step.name or self.own_title

    def marks(self) -> list[Mark]:
        """The drawing of its fields; none while they make no shape."""
        try:
            return self.cycle.marks(self.cycle.drawable(self.answers), self.work)
        except (Unanswered, ArithmeticError, ValueError):
            return []
        except Exception as error:
            faults.record(error, f"marks of a step {self.cycle.id}")
            return []

    @property
    def full_name(self) -> str:
        """Cycle and title, for sentences and comments."""
        return f"{self.cycle.name} {self.title}"


class Plan(Struct, frozen=True):
    """A setup planned: ``start`` the stock before its first step, ``steps`` in list order, ``stints`` what is
    cut one after another."""

    job: Job
    setup: Setup
    start: Work
    setup_answers: Answers
    tool_answers: tuple[Answers, ...]
    frame: Frame
    tools: Mapping[int, Tool]
    patterns: Mapping[str, NamedPattern]
    pattern_answers: tuple[Answers, ...]
    contours: Mapping[str, NamedContour]
    steps: tuple[StepPlan, ...]
    stints: tuple[Stint, ...]

    @property
    def order(self) -> tuple[int, ...]:
        """Indices of the ready steps, each where its first part is cut."""
        return tuple(dict.fromkeys(one.index for one in self.stints))

    @property
    def cut(self) -> list[StepPlan]:
        """The ready steps in cutting order."""
        return [self.steps[i] for i in self.order]

    @property
    def in_turn(self) -> list[tuple[StepPlan, tuple[StepPlan, ...]]]:
        """The ready steps as the program has them, each with its parts that are cut then; a recipe's may be apart."""
        found = []
        for one in self.stints:
            step = self.steps[one.index]
            found.append((step, tuple(step.parts[k] for k in one.parts) if one.parts else step.parts))
        return found

    def setup_asks(self) -> str:
        """What the setup still asks, or what is wrong there, as a sentence; empty if it is complete."""
        labels = [f.label for f in setup_fields(self.setup) if f.key in self.setup_answers.missing]
        if labels:
            most, last = ", ".join(labels[:-1]), labels[-1]
            return f"The setup still asks for {f'{most} and {last}' if most else last}."
        wrong = next((p.named for p in self.setup_answers.problems if p.blocks), "")
        return f"Setup: {wrong}" if wrong else ""

    def tools_left_out(self) -> list[str]:
        """Which lines of the tool table can't be used, and why, as sentences."""
        found = []
        for record, answers in zip(self.job.tools, self.tool_answers, strict=True):
            if not answers.complete:
                why = next((p.named for p in answers.problems if p.blocks), "its sizes are not all given.")
                found.append(f"Tool {record.number} ({record.name}) is left out: {why}")
        return found

    def first_obstacle(self) -> str | None:
        """The first thing that keeps the whole job from being posted, as a sentence."""
        for key in self.setup_answers.missing:
            label = next(f.label for f in setup_fields(self.setup) if f.key == key)
            return f"The setup asks for {label}. Answer it in the Setup station."
        for problem in self.setup_answers.problems:
            if problem.blocks:
                return f"Setup: {problem.named}"
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


def what_it_asks(s: StepPlan) -> str:
    """What a step lacks, as a sentence."""
    for problem in s.answers.problems:
        if problem.blocks:
            return problem.named
    for sentence in s.answers.begun.values():
        return sentence
    labels = [s.cycle.field(key).label for key in s.answers.missing]
    first = s.cycle.field(s.answers.missing[0])
    if first.kind is Kind.TOOL:
        which = "" if first.key == "tool" else f" ({first.label})"
        return f"No tool in the table fits{which}. Add one, or choose another."
    return f"{', '.join(labels)} {'is' if len(labels) == 1 else 'are'} not answered yet."


Known = Mapping[str, tuple[Values, tuple[Problem, ...]]]
"""By step id, what its moves show (see :attr:`StepPlan.ways`) as long as its answers are these very ones."""


def plan(job: Job, setup_index: int = 0, *, moves: bool = True, known: Known = MappingProxyType({})) -> Plan:
    """Plan one setup. ``moves=False`` reads and judges only, with what is ``known`` of the moves: what the drawing needs."""
    setup = job.setups[setup_index]
    from_before = setup_index and setup.values.get("stock_kind") == "before"
    earlier = plan(job, setup_index - 1, moves=moves, known=known) if from_before else None
    contours = read_contours(job.contours, job.units)
    answers = read_setup(setup, job.units, earlier.frame if earlier else None, contours)
    section, wrong = _section(answers.values, earlier, job.units)
    wrong += _pieces_problems(setup, answers.values)
    answers = replace(answers, problems=(*answers.problems, *wrong))
    f = frame(setup, answers, earlier.frame if earlier else None, section)
    tools, tool_answers = read_tools(job)
    patterns, pattern_answers = read_patterns(job.patterns, job.units)
    start = work_of(job, f, tools, patterns, contours)
    if earlier is not None and (f.lying is not None or f.chucking is not None):
        obstacle = earlier.first_obstacle()
        if obstacle:
            there = Problem("stock_kind", f"Setup {setup_index}, which leaves this stock, is not complete. {obstacle}")
            answers = answers.with_problems((*answers.problems, there))
    if earlier is not None and f.lying is not None:
        cut = (*earlier.start.done, *(r for s in earlier.cut for r in s.removals))
        start = start.after(f.lying.removals([r for r in cut if not r.wanted], earlier.frame.block))
    if f.chucking is not None and f.chucking.section:
        from bastler.core.planning.turn.setting import held_well

        loose = held_well(f.chucking, answers.values, job.units)
        answers = replace(answers, problems=(*answers.problems, *loose))
    blocked = not answers.complete
    steps, order = _in_order(setup, start, range(len(setup.steps)), moves and not blocked, known)
    stints = whole(order)
    if setup.gather_by_tool and not blocked:
        stints = gathered(steps, order)
        order = list(dict.fromkeys(one.index for one in stints))
        full = order + [i for i in range(len(steps)) if i not in order]
        again, _ = _in_order(setup, start, full, moves, known)
        if any(len(again[i].parts) != len(steps[i].parts) for i in order):
            stints = whole(order)
        steps = again
    return Plan(
        job, setup, start, answers, tool_answers, f, tools, patterns, pattern_answers, contours, tuple(steps), stints if not blocked else ()
    )  # fmt: skip


def _pieces_problems(setup: Setup, v: Values) -> tuple[Problem, ...]:
    """Several pieces need the bar to come forward at the end of each."""
    if v.get("pieces", 1) < 2 or not setup.steps:
        return ()
    on = [s for s in setup.steps if s.on]
    if on and cycles()[on[-1].cycle].renews:
        return ()
    text = "For several pieces the bar must come forward behind each: add “Bar feed” as the last step."
    return (Problem("pieces", text, blocks=False),)


def _section(v: Values, earlier: Plan | None, units: Units) -> tuple[Section, tuple[Problem, ...]]:
    """The outlines of a lathe's stock that is no bar or tube, and what is wrong with it."""
    kind = v.get("stock_kind")
    if kind == "contour":
        from bastler.core.planning.turn.setting import cast

        return cast(v)
    if kind != "before" or earlier is None or earlier.start.turning is None:
        return (), ()
    from bastler.core.planning.turn.setting import left_by

    cut = tuple(c.area for s in earlier.steps if s.ready for c in s.cleared if not c.wanted)
    return left_by(earlier.start.turning.less(cut).stock, v, units)


def _in_order(
    setup: Setup, start: Work, order: list[int] | range, moves: bool, known: Known
) -> tuple[list[StepPlan], list[int]]:
    """Steps read in ``order``; returned in list order, with the ready ones in that order."""
    work, planned, ready = start, {}, []
    for i in order:
        one = _planned(setup.steps[i], i + 1, replace(work, earlier=setup.steps[:i]), moves)
        values, ways = known.get(one.step.id, (None, ()))
        if not moves and values is one.answers.values:
            one = _with_ways(one, ways)
        planned[i] = one
        if one.ready:
            work = replace(work, turning=start.turning) if one.cycle.renews else work.after(one.removals, one.cleared)
            ready.append(i)
    return [planned[i] for i in range(len(setup.steps))], ready


def _with_ways(one: StepPlan, ways: tuple[Problem, ...]) -> StepPlan:
    """A step with what its moves show."""
    answers = replace(one.answers, problems=(*one.answers.problems, *ways))
    return replace(one, answers=answers, ways=ways, cleared=one.cleared if answers.complete else ())


class _Remembered(Struct, frozen=True):
    """A step as it was planned last, and all that it depended on."""

    step: Step
    number: int
    seen: Work
    moves: bool
    plan: StepPlan


REMEMBERED: dict[str, _Remembered] = {}
"""By step id: an edit plans again only the steps that it touches."""
MOST_REMEMBERED = 500


def _planned(step: Step, number: int, work: Work, moves: bool) -> StepPlan:
    """A step planned, or as it was the last time if nothing that it sees has changed."""
    contours = {k: c for k, c in work.contours.items() if any(k in text for text in step.values.values())}
    repeats = cycles()[step.cycle].repeat is not None
    seen = work if repeats else replace(work, contours=contours, earlier=())
    before = REMEMBERED.get(step.id)
    if (
        before is not None
        and (before.step, before.number, before.moves) == (step, number, moves)
        and before.seen == seen
    ):
        return replace(before.plan, work=work)
    one = _plan_step(step, number, work, moves)
    while len(REMEMBERED) >= MOST_REMEMBERED:
        REMEMBERED.pop(next(iter(REMEMBERED)))
    REMEMBERED[step.id] = _Remembered(step, number, seen, moves, one)
    return one


def _plan_step(step: Step, number: int, work: Work, moves: bool) -> StepPlan:
    """A step planned. A fault in its own functions is that step's problem; the rest of the job goes on."""
    try:
        return _plan_sound(step, number, work, moves)
    except Exception as error:
        faults.record(error, f"step {number}, {step.cycle}")
        cycle = cycles()[step.cycle]
        text = f"This step could not be worked out: a fault in Bastler. Change its sizes or its tool, or switch it off. {faults.told()}"
        wrong = Answers(Values({}), (), (Problem(cycle.fields[0].key, text),))
        return StepPlan(step, number, cycle, wrong, work, (), ())


def _plan_sound(step: Step, number: int, work: Work, moves: bool) -> StepPlan:
    cycle = cycles()[step.cycle]
    if not is_at_home(cycle, work):
        return _misfit(step, number, cycle, work)
    answers = cycle.answers(step.values, work)
    wanted = moves and step.on and answers.complete
    if cycle.repeat is not None:
        return _plan_repeat(step, number, cycle, answers, work, wanted)
    if cycle.expand is not None:
        return _plan_recipe(step, number, cycle, answers, work, wanted)
    try:
        removals = cycle.removals(cycle.drawable(answers), work)
    except (Unanswered, ArithmeticError, ValueError):
        removals = ()
    ways = tuple(cycle.ways(answers.values, work)) if wanted and cycle.ways is not None else ()
    wanted = wanted and not any(p.blocks for p in ways)
    planned = tuple(cycle.plan(answers.values, work)) if wanted else ()
    if cycle.metal is not None and planned:
        planned = at_the_edge(planned, answers.values.tool.radius, cycle.metal(answers.values), work.machine.feed_limit)
    cleared = cycle.clears(answers.values, work) if cycle.clears is not None and answers.complete else ()
    one = StepPlan(step, number, cycle, answers, work, removals, _left(answers, planned), cleared=cleared)
    return _with_ways(one, ways) if ways else one


def is_at_home(cycle: Cycle, work: Work) -> bool:
    """Whether a cycle belongs to the kind of machine that the step is planned for."""
    return cycle.family == "move" or (cycle.family == "turn") == (work.turning is not None)


def _misfit(step: Step, number: int, cycle: Cycle, work: Work) -> StepPlan:
    """A step of the other kind of machine: it keeps what was typed, and says so."""
    kind = "a lathe" if cycle.family == "turn" else "a mill"
    text = f"{cycle.name} is for {kind}; {work.machine.name} is none. Choose another machine, or delete or switch off the step."
    return StepPlan(step, number, cycle, Answers(Values({}), (), (Problem(cycle.fields[0].key, text),)), work, (), ())


def _left(answers: Answers, moves: tuple[Move, ...]) -> tuple[Move, ...]:
    """The moves, with the way up that the step asks for."""
    return (*moves, Retract()) if moves and answers.values.get("retreat") == "top" else moves


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
    judged = answers.with_problems(problems)
    removals = tuple(r for p in parts for r in p.removals)
    if parts:
        parts[-1] = replace(parts[-1], moves=_left(answers, parts[-1].moves))
    return StepPlan(step, number, cycle, judged, work, removals, (), tuple(parts))


def _plan_repeat(step: Step, number: int, cycle: Cycle, answers: Answers, work: Work, wanted: bool) -> StepPlan:
    """A repetition: each step that it names, planned anew where it is done again, in the stock as it is there."""
    assert cycle.repeat is not None
    parts: list[StepPlan] = []
    problems, ways = list(answers.problems), list[Problem]()
    then = work
    if answers.complete:
        places = cycle.repeat(answers.values, work)
        if not places:
            at = "points" if work.turning is None else "pitch"
            problems.append(Problem(at, "All places are where the steps already are. Give another one."))
        for source in answers.values.steps:
            original = _plan_step(source, number, work, False)
            # On a lathe its own metal is gone by now: only what it asks counts.
            answered = original.answers.complete if work.turning is None else not original.answers.missing
            if not answered or not original.step.on:
                problems.append(
                    Problem(
                        "steps", f"{original.full_name} can't be repeated: it asks for something, or is switched off."
                    )
                )
                continue
            if original.tool is None or original.cycle.repeat is not None:
                problems.append(
                    Problem(
                        "steps",
                        f"{original.full_name} can't be repeated: only steps that cut with a tool of their own can.",
                    )
                )
                continue
            copies = []
            for where in places:
                again = _along if isinstance(where, Along) else _placed
                one, then = again(original, source, where, then, wanted)  # type: ignore[arg-type]
                copies.append(one.parts or (one,))
                ways += [p.at("steps") for p in one.ways if p.blocks][:1]
                problems += [p.at("steps") for p in one.answers.problems if p.blocks and p not in one.ways][:1]
            parts += [part for same in zip(*copies, strict=False) for part in same]
    judged = answers.with_problems(problems)
    removals, cleared = (tuple(r for p in parts for r in p.removals), tuple(c for p in parts for c in p.cleared))
    one = StepPlan(step, number, cycle, judged, work, removals, (), tuple(parts), cleared=cleared)
    return _with_ways(one, tuple(ways)) if ways else one


def _placed(original: StepPlan, source: Step, where: Placement, then: Work, wanted: bool) -> tuple[StepPlan, Work]:
    """A step done again: planned as seen from its own place, and put where it is wanted; the stock afterwards."""
    seen = then.seen_from(where)
    values = frozen(original.cycle.fields, original.answers, then.units)
    plan_there = _plan_step(source.changed(values=values), original.number, seen, wanted)
    own = elsewhere(original.cycle.fields, plan_there.answers.values, values, where, then.units)

    def put(one: StepPlan, typed: dict[str, str]) -> StepPlan:
        removals = tuple(r.placed(where) for r in one.removals)
        parts = tuple(
            put(p, elsewhere(p.cycle.fields, p.answers.values, dict(p.step.values), where, then.units))
            for p in one.parts
        )
        return replace(
            one,
            step=one.step.changed(values=typed),
            removals=removals,
            moves=tuple(placed(one.moves, where)),
            where=where,
            parts=parts,
        )

    one = put(plan_there, own)
    return one, then.after(one.removals)


def _along(original: StepPlan, source: Step, where: Along, then: Work, wanted: bool) -> tuple[StepPlan, Work]:
    """A turned step done again further along the axis: planned in the stock as it looks from there."""
    values = frozen(original.cycle.fields, original.answers, then.units)
    seen = replace(then, turning=then.lathe.moved(-where.by))
    there = _plan_step(source.changed(values=values), original.number, seen, wanted)
    cleared = tuple(c.moved(where.by) for c in there.cleared)
    one = replace(there, moves=tuple(moved_along(there.moves, where.by)), cleared=cleared)
    return one, then.after((), cleared)
