"""Job → plan: every step read, judged and turned into moves, each seeing the stock before it."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from msgspec import Struct
from msgspec.structs import replace

from bastler.core import faults
from bastler.core.benches import BENCHES
from bastler.core.benches.bench import Seen
from bastler.core.cycles import cycles, is_at_home
from bastler.core.cycles.base import Cycle
from bastler.core.cycles.elsewhere import elsewhere, frozen
from bastler.core.cycles.surfacing import ON_SURFACE, beyond_problems, on_its_surface, pointing_problems
from bastler.core.fields import Answers, Unanswered, Values
from bastler.core.geometry.placement import Along, Placement
from bastler.core.job.document import Job, Setup, Step
from bastler.core.job.tooltable import read_tools
from bastler.core.moves import Move, Retract
from bastler.core.planning.contours import read_contours
from bastler.core.planning.edgefeed import at_the_edge
from bastler.core.planning.gathering import Stint, gathered, whole
from bastler.core.planning.patterns import read_patterns
from bastler.core.planning.placing import moved_along, placed
from bastler.core.planning.work import Work
from bastler.core.plans.plan import Plan, StepPlan, what_it_asks
from bastler.core.problems import Problem
from bastler.core.tooling.machines import kind_of

Known = Mapping[str, tuple[Values, tuple[Problem, ...]]]
"""By step id, what its moves show (see :attr:`StepPlan.ways`) as long as its answers are these very ones."""


def plan(job: Job, setup_index: int = 0, *, moves: bool = True, known: Known = MappingProxyType({})) -> Plan:
    """Plan one setup. ``moves=False`` reads and judges only, with what is ``known`` of the moves: what the drawing needs."""
    setup = job.setups[setup_index]
    bench = BENCHES[kind_of(setup.machine)]
    from_before = setup_index and setup.values.get("stock_kind") == "before"
    earlier = plan(job, setup_index - 1, moves=moves, known=known) if from_before else None
    contours = read_contours(job.contours, job.units)
    answers, f = bench.set_up(setup, job.units, earlier, contours)
    tools, tool_answers = read_tools(job)
    patterns, pattern_answers = read_patterns(job.patterns, job.units)
    bare = Work(
        f.block, f.part, f.clearance, f.material, f.machine, tools, patterns, units=job.units, contours=contours
    )
    start = bench.start(bare, f, earlier)
    blocked = not answers.complete
    steps, order = _in_order(setup, start, range(len(setup.steps)), moves and not blocked, known)
    stints = whole(order)
    if setup.gather_by_tool and not blocked:
        steps, stints = _gathered(setup, start, steps, order, moves, known)
    return Plan(
        job, setup, start, answers, tool_answers, f, tools, patterns, pattern_answers, contours, tuple(steps), stints if not blocked else ()
    )  # fmt: skip


def _gathered(
    setup: Setup, start: Work, steps: list[StepPlan], order: list[int], moves: bool, known: Known
) -> tuple[list[StepPlan], tuple[Stint, ...]]:
    """Steps planned again in the order that changes tools least; in the list's, if that leaves a recipe with other parts."""
    stints = gathered(steps, order)
    order = list(dict.fromkeys(one.index for one in stints))
    full = order + [i for i in range(len(steps)) if i not in order]
    again, _ = _in_order(setup, start, full, moves, known)
    if any(len(again[i].parts) != len(steps[i].parts) for i in order):
        stints = whole(order)
    return again, stints


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
            work = work.renewed(start) if one.cycle.renews else work.after(one.removals, one.cleared, one.surfaces)
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
        return replace(before.plan, work=replace(before.plan.work, earlier=work.earlier, contours=work.contours))
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
    if not is_at_home(cycle, work.machine):
        return _misfit(step, number, cycle, work)
    seen = BENCHES[work.machine.kind].seen(cycle, step.values, work)
    cycle, whole, work, surfaces = seen.cycle, work, seen.work, seen.surfaces
    answers = cycle.answers(step.values, work)
    if seen.points is not None:
        answers = answers.with_problems((*answers.problems, *pointing_problems(seen.points, answers.values)))
    wanted = moves and step.on and answers.complete
    if cycle.repeat is not None:
        return _plan_repeat(step, number, cycle, answers, work, wanted)
    if cycle.expand is not None:
        return _plan_recipe(step, number, answers, seen, whole, wanted)
    try:
        removals = cycle.removals(cycle.drawable(answers), work)
    except (Unanswered, ArithmeticError, ValueError):
        removals = ()
    for surface in surfaces[:1] if not answers.missing else ():
        beyond = beyond_problems(surface, removals, answers.values, work, cycle.fields)
        answers = answers.with_problems((*answers.problems, *beyond))
    ways = tuple(cycle.ways(answers.values, work)) if wanted and cycle.ways is not None else ()
    wanted = wanted and not any(p.blocks for p in ways)
    planned = tuple(cycle.plan(answers.values, work)) if wanted else ()
    if cycle.metal is not None and planned:
        planned = at_the_edge(planned, answers.values.tool.radius, cycle.metal(answers.values), work.machine.feed_limit)
    for surface in surfaces[:1]:
        planned, more = on_its_surface(surface, planned, answers.values, work)
        ways += more
    cleared = cycle.clears(answers.values, work) if cycle.clears is not None and answers.complete else ()
    one = StepPlan(
        step, number, cycle, answers, work, removals, _left(answers, planned), cleared=cleared, surfaces=surfaces
    )
    return _with_ways(one, ways) if ways else one


def _misfit(step: Step, number: int, cycle: Cycle, work: Work) -> StepPlan:
    """A step of the other kind of machine: it keeps what was typed, and says so."""
    home = BENCHES[cycle.family].word if cycle.family in BENCHES else "a lathe with driven tools"
    text = f"{cycle.name} is for {home}; {work.machine.name} is none. Choose another machine, or delete or switch off the step."
    return StepPlan(step, number, cycle, Answers(Values({}), (), (Problem(cycle.fields[0].key, text),)), work, (), ())


def _left(answers: Answers, moves: tuple[Move, ...]) -> tuple[Move, ...]:
    """The moves, with the way up that the step asks for."""
    return (*moves, Retract()) if moves and answers.values.get("retreat") == "top" else moves


def _plan_recipe(step: Step, number: int, answers: Answers, seen: Seen, whole: Work, wanted: bool) -> StepPlan:
    """A recipe: its single steps planned one after another in the ``whole`` stock; what is wrong with one is wrong with the recipe."""
    cycle, work = seen.cycle, seen.work
    assert cycle.expand is not None
    where_on = {key: step.values[key] for key in ON_SURFACE if key in step.values} if seen.surfaces else {}
    try:
        singles = cycle.expand(cycle.drawable(answers), work)
    except (Unanswered, ArithmeticError, ValueError):
        singles = ()
    parts: list[StepPlan] = []
    problems = list(answers.problems)
    then = whole
    for single in singles:
        values = {**where_on, **single.values}
        part = _plan_step(Step(id=step.id, cycle=single.cycle, name=single.name, values=values), number, then, wanted)
        parts.append(part)
        then = then.after(part.removals, on=part.surfaces)
        where = single.field if single.field not in answers.hidden else "tool"
        problems += [p.at(where) for p in part.answers.problems]
        if part.answers.missing and not answers.missing:
            problems.append(Problem(where, f"{part.cycle.name} {part.title}: {what_it_asks(part)}"))
    judged = answers.with_problems(problems)
    removals = tuple(r for p in parts for r in p.removals)
    if parts:
        parts[-1] = replace(parts[-1], moves=_left(answers, parts[-1].moves))
    return StepPlan(step, number, cycle, judged, work, removals, (), tuple(parts), surfaces=seen.surfaces)


def _plan_repeat(step: Step, number: int, cycle: Cycle, answers: Answers, work: Work, wanted: bool) -> StepPlan:
    """A repetition: each step that it names, planned anew where it is done again, in the stock as it is there."""
    assert cycle.repeat is not None
    parts: list[StepPlan] = []
    problems, ways = list(answers.problems), list[Problem]()
    then = work
    if answers.complete:
        places = cycle.repeat(answers.values, work)
        if not places:
            at = next(f.key for f in cycle.fields if f.key in ("points", "pitch"))
            problems.append(Problem(at, "All places are where the steps already are. Give another one."))
        for source in answers.values.steps:
            original = _plan_step(source, number, work, False)
            # Of the half section its own metal is gone by now: only what it asks counts.
            along = any(isinstance(where, Along) for where in places)
            answered = not original.answers.missing if along else original.answers.complete
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
                if isinstance(where, Along):
                    one, then = _along(original, source, where, then, wanted)
                else:
                    one, then = _placed(original, source, where, then, wanted)
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
    seen = replace(then, chucked=then.lathe.moved(-where.by))
    there = _plan_step(source.changed(values=values), original.number, seen, wanted)
    cleared = tuple(c.moved(where.by) for c in there.cleared)
    one = replace(there, moves=tuple(moved_along(there.moves, where.by)), cleared=cleared)
    return one, then.after((), cleared)
