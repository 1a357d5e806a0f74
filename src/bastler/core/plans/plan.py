"""A planned setup: its steps, each with all that follows from it, and the order in which they are cut."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct

from bastler.core import faults
from bastler.core.cycles.base import Cycle
from bastler.core.fields import Answers, Unanswered
from bastler.core.geometry.placement import Placement
from bastler.core.geometry.shapes import Removal
from bastler.core.geometry.surface import Surface
from bastler.core.job.document import Job, Setup, Step
from bastler.core.job.frame import Frame
from bastler.core.job.setupfields import setup_fields
from bastler.core.marks import Mark
from bastler.core.moves import Move
from bastler.core.planning.contours import NamedContour
from bastler.core.planning.gathering import Stint
from bastler.core.planning.patterns import NamedPattern
from bastler.core.planning.work import Cleared, Work
from bastler.core.problems import Problem
from bastler.core.quantities import Kind
from bastler.core.tooling.tools import Tool


class StepPlan(Struct, frozen=True):
    """A step with all that follows from it.

    ``number`` counts from 1 in the order of the list; ``moves`` is empty while the step asks for
    something; ``removals`` are drawn from stand-ins then and not cut. A recipe's ``parts`` are the single
    steps that it stands for, in order; their moves are written instead of its own. ``where``: the place of a copy. On a
    lathe ``cleared`` stands for ``removals``. ``ways``: those of its problems that only its moves show.
    ``surfaces``: where on a turned part it is milled, the same on each; removals and moves are in their frame.
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
    surfaces: tuple[Surface, ...] = ()

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
