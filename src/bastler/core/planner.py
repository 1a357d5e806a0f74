"""Job → plan: every step read, judged and turned into moves, each seeing the stock before it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
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
from bastler.core.quantities import Units
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
            work = work.renewed(start) if one.cycle.renews else _cut(work, one)
            ready.append(i)
    return [planned[i] for i in range(len(setup.steps))], ready


def _cut(work: Work, one: StepPlan) -> Work:
    """The stock after a step; each of a repetition's has its own surface."""
    for part in one.parts or (one,):
        work = work.after(part.removals, part.cleared, part.surfaces)
    return work


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


def _plan_step(step: Step, number: int, work: Work, moves: bool, where: Placement | None = None) -> StepPlan:
    """A step planned, and put ``where`` a copy is wanted. A fault in its own functions is that step's problem; the rest of the job goes on."""
    try:
        return _plan_sound(step, number, work, moves, where)
    except Exception as error:
        faults.record(error, f"step {number}, {step.cycle}")
        cycle = cycles()[step.cycle]
        text = f"This step could not be worked out: a fault in Bastler. Change its sizes or its tool, or switch it off. {faults.told()}"
        wrong = Answers(Values({}), (), (Problem(cycle.fields[0].key, text),))
        return StepPlan(step, number, cycle, wrong, work, (), ())


def _plan_sound(step: Step, number: int, work: Work, moves: bool, where: Placement | None) -> StepPlan:
    cycle = cycles()[step.cycle]
    if not is_at_home(cycle, work.machine):
        return _misfit(step, number, cycle, work)
    seen = BENCHES[work.machine.kind].seen(cycle, step.values, work)
    cycle, whole, there, surfaces = seen.cycle, work, seen.work, seen.surfaces
    work = there.seen_from(where) if where is not None else there
    answers = cycle.answers(step.values, work)
    if seen.points is not None:
        answers = answers.with_problems((*answers.problems, *pointing_problems(seen.points, answers.values)))
    wanted = moves and step.on and answers.complete
    if cycle.repeat is not None:
        return _plan_repeat(step, number, cycle, answers, work, wanted)
    if cycle.expand is not None:
        return _plan_recipe(step, number, answers, seen, whole, wanted, where)
    try:
        removals = cycle.removals(cycle.drawable(answers), work)
    except (Unanswered, ArithmeticError, ValueError):
        removals = ()
    if where is not None:
        removals = tuple(r.placed(where) for r in removals)
    for surface in surfaces[:1] if not answers.missing else ():
        beyond = beyond_problems(surface, removals, answers.values, there, cycle.fields)
        answers = answers.with_problems((*answers.problems, *beyond))
    ways = tuple(cycle.ways(answers.values, work)) if wanted and cycle.ways is not None else ()
    wanted = wanted and not any(p.blocks for p in ways)
    planned = tuple(cycle.plan(answers.values, work)) if wanted else ()
    if cycle.metal is not None and planned:
        planned = at_the_edge(planned, answers.values.tool.radius, cycle.metal(answers.values), work.machine.feed_limit)
    if where is not None:
        planned = tuple(placed(planned, where))
    for surface in surfaces[:1]:
        planned, more = on_its_surface(surface, planned, answers.values, there)
        ways += more
    cleared = cycle.clears(answers.values, work) if cycle.clears is not None and answers.complete else ()
    one = StepPlan(
        step, number, cycle, answers, work, removals, _left(answers, planned), where=where, cleared=cleared, surfaces=surfaces
    )  # fmt: skip
    return _with_ways(one, ways) if ways else one


def _misfit(step: Step, number: int, cycle: Cycle, work: Work) -> StepPlan:
    """A step of the other kind of machine: it keeps what was typed, and says so."""
    home = BENCHES[cycle.family].word if cycle.family in BENCHES else "a lathe with driven tools"
    text = f"{cycle.name} is for {home}; {work.machine.name} is none. Choose another machine, or delete or switch off the step."
    return StepPlan(step, number, cycle, Answers(Values({}), (), (Problem(cycle.fields[0].key, text),)), work, (), ())


def _left(answers: Answers, moves: tuple[Move, ...]) -> tuple[Move, ...]:
    """The moves, with the way up that the step asks for."""
    return (*moves, Retract()) if moves and answers.values.get("retreat") == "top" else moves


def _plan_recipe(
    step: Step, number: int, answers: Answers, seen: Seen, whole: Work, wanted: bool, where: Placement | None
) -> StepPlan:
    """A recipe: its single steps planned one after another in the ``whole`` stock; what is wrong with one is wrong with the recipe."""
    cycle, work = seen.cycle, seen.work.seen_from(where) if where is not None else seen.work
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
        part = _plan_step(
            Step(id=step.id, cycle=single.cycle, name=single.name, values=values), number, then, wanted, where
        )
        parts.append(part)
        then = then.after(part.removals, on=part.surfaces)
        field = single.field if single.field not in answers.hidden else "tool"
        problems += [p.at(field) for p in part.answers.problems]
        if part.answers.missing and not answers.missing:
            problems.append(Problem(field, f"{part.cycle.name} {part.title}: {what_it_asks(part)}"))
    judged = answers.with_problems(problems)
    removals = tuple(r for p in parts for r in p.removals)
    if parts:
        parts[-1] = replace(parts[-1], moves=_left(answers, parts[-1].moves))
    return StepPlan(step, number, cycle, judged, work, removals, (), tuple(parts), where, surfaces=seen.surfaces)


def _plan_repeat(step: Step, number: int, cycle: Cycle, answers: Answers, work: Work, wanted: bool) -> StepPlan:
    """A repetition: each step that it names, planned anew where it is done again, in the stock as it is there."""
    assert cycle.repeat is not None
    parts: list[StepPlan] = []
    problems, ways = list(answers.problems), list[Problem]()
    then = work
    if answers.complete:
        places = cycle.repeat(answers.values, work)
        if not places:
            asked = {f.key for f in cycle.fields} - answers.hidden
            at = next(key for key in ("points", "pattern", "turn", "pitch") if key in asked)
            problems.append(Problem(at, "All places are where the steps already are. Give another one."))
        for source in answers.values.steps if places else ():
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
            if wrong := _not_along(original, places):
                problems.append(wrong)
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


def _not_along(original: StepPlan, places: Sequence[Placement | Along]) -> Problem | None:
    """Why a step of a lathe can't be done again along or round the axis."""
    along = [p for p in places if isinstance(p, Along)]
    if not along:
        return None
    if not original.surfaces and any(p.by == 0 for p in along):
        return Problem("pitch", f"{original.full_name} is turned, and the same all round. Give a pitch along the axis.")
    if original.surfaces and original.surfaces[0].on == "end" and any(p.by for p in along):
        text = f"{original.full_name} is on the end face, which lies nowhere else along the axis. Give a pitch of 0, and an angle."
        return Problem("pitch", text)
    return None


def _placed(original: StepPlan, source: Step, where: Placement, then: Work, wanted: bool) -> tuple[StepPlan, Work]:
    """A step done again: planned as seen from its own place, and put where it is wanted; the stock afterwards."""
    values = frozen(original.cycle.fields, original.answers, then.units)
    return _put(original.number, source.changed(values=values), where, then, wanted)


def _put(number: int, source: Step, where: Placement, then: Work, wanted: bool) -> tuple[StepPlan, Work]:
    there = _plan_step(source, number, then, wanted, where)
    return _typed_there(there, where, then.units), _cut(then, there)


def _typed_there(one: StepPlan, where: Placement, units: Units) -> StepPlan:
    """A copy with the answers that a person would type for it."""
    typed = elsewhere(one.cycle.fields, one.answers.values, dict(one.step.values), where, units)
    parts = tuple(_typed_there(p, where, units) for p in one.parts)
    return replace(one, step=one.step.changed(values=typed), parts=parts)


def _along(original: StepPlan, source: Step, where: Along, then: Work, wanted: bool) -> tuple[StepPlan, Work]:
    """A step of a lathe done again further along the axis, or round it."""
    values = frozen(original.cycle.fields, original.answers, then.units)
    if original.surfaces:
        return _milled_along(original, source.changed(values=values), where, then, wanted)
    seen = replace(then, chucked=then.lathe.moved(-where.by))
    there = _plan_step(source.changed(values=values), original.number, seen, wanted)
    cleared = tuple(c.moved(where.by) for c in there.cleared)
    one = replace(there, moves=tuple(moved_along(there.moves, where.by)), cleared=cleared)
    return one, then.after((), cleared)


def _milled_along(original: StepPlan, source: Step, where: Along, then: Work, wanted: bool) -> tuple[StepPlan, Work]:
    """A driven tool's step: round the axis an end face turns in itself, and a side is another one; along it goes only a side."""
    if original.surfaces[0].on == "end":
        return _put(original.number, source, Placement(angle=where.turned), then, wanted)
    angle = f"{original.surfaces[0].angle + where.turned:g}"
    source = source.changed(values={**source.values, "at_angle": angle})
    return _put(original.number, source, Placement((where.by, 0.0)), then, wanted)
