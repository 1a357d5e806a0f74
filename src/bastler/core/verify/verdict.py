"""What the judges of mills and lathes share: findings in order, words for lengths, and what every machine can't do."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, field

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from bastler.core.findings import MOST_OF_A_KIND, Finding, Severity, also, in_order
from bastler.core.gcode.motion import RAPID, Motion
from bastler.core.plans.plan import Plan
from bastler.core.quantities import Kind, said, show, unit_word
from bastler.core.tooling.coolant import WAYS
from bastler.core.tooling.power import times_power
from bastler.core.tooling.tools import Tool

NUMBER = re.compile(r"-?\d+(\.\d+)?")
SPEED_NOTICED = 0.5
NOTICED_MM = 0.01
LASTING_S = 0.25
LOAD_MM3 = 1.0
"""A move as short is no load that the spindle notices."""


@dataclass
class Verdict:
    """Collects the findings of one checked program; ``edited``: its text is somebody's own, not posted from the plan."""

    plan: Plan
    motion: Motion
    step_of_move: NDArray[np.int32]
    findings: list[Finding] = field(default_factory=list)
    edited: bool = False
    _counts: dict[str, int] = field(default_factory=dict)
    _told: dict[tuple[object, ...], tuple[int, list[int]]] = field(default_factory=dict)

    def mm(self, value: float) -> str:
        """A length with its unit."""
        units = self.plan.job.units
        return f"{show(value, Kind.LENGTH, units, 2)} {unit_word(Kind.LENGTH, units)}"

    def step_id(self, index: int) -> str | None:
        """The id of a step by its index."""
        return self.plan.steps[index].step.id if index >= 0 else None

    def add(
        self, kind: str, severity: Severity, text: str, move: int, at: tuple[float, float, float] | None = None
    ) -> None:
        """A finding at a move; the same fault of one tool in one step, whatever its numbers, is one finding that names the other lines."""
        line, step = int(self.motion.line[move]), self.step_id(int(self.step_of_move[move]))
        key = (kind, severity, step, int(self.motion.tool[move]), NUMBER.sub("#", text))
        if key in self._told:
            self._told[key][1].append(line)
            return
        self._counts[kind] = self._counts.get(kind, 0) + 1
        if self._counts[kind] <= MOST_OF_A_KIND:
            self._told[key] = (len(self.findings), [line])
            self.findings.append(Finding(kind, severity, text, line, step, at or self.where(move)))

    def gathered(self, kind: str, severity: Severity, text: str, moves: NDArray[np.int64]) -> None:
        """One finding for one fault at several moves: at the first, the lines of the others named behind it."""
        lines = list(dict.fromkeys(int(line) for line in self.motion.line[moves]))
        self.add(kind, severity, f"{text}{also(lines[1:])}", int(moves[0]))

    def name(self, tool: Tool) -> str:
        """A tool in words."""
        return f"T{tool.number} ({tool.name})"

    def where(self, move: int) -> tuple[float, float, float]:
        """The end of a move as it is told."""
        x, y, z = self.motion.end[move]
        return (float(x), float(y), float(z))

    def done(self, more: Iterable[Finding]) -> tuple[Finding, ...]:
        """All findings, worst first, then by line."""
        mine = list(self.findings)
        for place, lines in self._told.values():
            others = [n for n in dict.fromkeys(lines) if n != lines[0]]
            if others:
                mine[place] = replace(mine[place], text=f"{mine[place].text}{also(others)}")
        every = [*mine, *more]
        for kind, count in self._counts.items():
            if count > MOST_OF_A_KIND:
                text = f"{count - MOST_OF_A_KIND} more findings of this kind are not listed."
                every.append(Finding(kind, "note", text))
        return in_order(every)

    def advice(self) -> None:
        """What the planner warned of and the cutting alone can't show; and a program that does nothing."""
        told = {(f.kind, f.step) for f in self.findings}
        for s in self.plan.cut:
            for problem in s.answers.problems:
                if problem.finding and (problem.finding, s.step.id) not in told:
                    text = f"Step {s.number} ({s.full_name}): {problem.text}"
                    self.findings.append(Finding(problem.finding, "warn", text, None, s.step.id))
        for s in self.plan.steps if self.edited else ():
            if s not in self.plan.cut and s.step.on:
                text = f"Step {s.number} ({s.full_name}) isn't complete, so what this text cuts is compared without it."
                self.findings.append(Finding("incomplete-step", "note", text, None, s.step.id))
        if not len(self.motion):
            text = "The program moves nothing. Check that it is the right file."
            self.findings.append(Finding("no-motion", "warn", text))

    def coarse(self, cell: float) -> None:
        """A stock too large for cells of the usual size: what the check can't see is said."""
        text = f"The stock is large, so it was checked in cells of {self.mm(cell)}: walls and narrow places are judged no finer. For more, check details in a smaller stock."
        self.findings.append(Finding("coarse", "note", text))

    def limits(self, cutting: NDArray[np.bool_], feeding: NDArray[np.bool_]) -> None:
        """Speeds of cutting moves and feeds of feeding ones that the machine hasn't: one finding each, with the worst."""
        m, machine = self.motion, self.plan.frame.machine
        beyond = (m.speed > machine.spindle.highest + SPEED_NOTICED) | (
            m.speed < machine.spindle.lowest - SPEED_NOTICED
        )
        fast = np.flatnonzero(cutting & (m.speed > 0) & beyond)
        if len(fast):
            off = np.maximum(m.speed[fast] - machine.spindle.highest, machine.spindle.lowest - m.speed[fast])
            worst = fast[np.argmax(off)]
            text = f"The machine turns {machine.spindle.lowest:g} to {machine.spindle.highest:g} /min; {m.speed[worst]:.0f} /min is outside. Change the speed."
            self.gathered("speed-limit", "warn", text, fast)
        much = np.flatnonzero(feeding & (m.feed > machine.feed_limit + 1e-6))
        if len(much):
            units = self.plan.job.units
            typed, most = (said(f, Kind.FEED, units, 1) for f in (float(m.feed[much].max()), machine.feed_limit))
            text = f"A feed of {typed} is more than the machine's {most}. Lower it."
            self.gathered("speed-limit", "warn", text, much)

    def dry(self, cooled: list[tuple[int, bool]], removed: NDArray[np.float64]) -> None:
        """Cuts of steps that ask for coolant, made without; ``cooled``: from which move on there is some, or none any more."""
        state = np.zeros(len(self.motion) + 1, bool)
        for move, on in cooled:
            state[move:] = on
        for i, one in enumerate(self.plan.steps):
            way = one.answers.values.get("coolant", "off")
            if way == "off" or one not in self.plan.cut:
                continue
            without = np.flatnonzero((self.step_of_move == i) & (removed > LOAD_MM3) & ~state[:-1])
            if len(without):
                text = f"Step {one.number} ({one.full_name}) asks for coolant ({dict(WAYS)[way].lower()}), and cuts without. Switch it on before, or choose “Off” at Coolant."
                self.gathered("coolant", "warn", text, without)

    def powers(self, shares: NDArray[np.float32], seconds: NDArray[np.float64]) -> None:
        """Per step the move that asks for most of the spindle's power, if that is more than it has; ``shares`` and ``seconds`` per move."""
        known = {f.step for f in self.findings if f.kind == "power"}
        over = (shares > 1.0) & (seconds >= LASTING_S) & (self.motion.kind != RAPID)
        for step in np.unique(self.step_of_move[over]).tolist():
            i = int(np.argmax(np.where(over & (self.step_of_move == step), shares, 0.0)))
            if self.step_id(step) in known:
                continue
            text = f"The cut needs {times_power(float(shares[i]))} at {self.motion.speed[i]:.0f} /min. Reduce depth or feed."
            self.add("power", "warn", text, i)
