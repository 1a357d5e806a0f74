"""The whole road in one call: job → plan → post → interpret → verify, with progress and cancelling.

*Engine* keeps the last check, so the stock at any moment can be asked for afterwards.
Nothing here knows a window; it runs on the command line and in the window's worker process alike.
"""

from __future__ import annotations

import itertools
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple

import numpy as np
from msgspec import structs
from numpy.typing import NDArray

from bastler.core.benches import bench_of, post
from bastler.core.checked import Checked
from bastler.core.data import Table
from bastler.core.findings import Finding, in_order
from bastler.core.gcode.control import Control, Interpreted
from bastler.core.gcode.interpreter import interpret
from bastler.core.gcode.lexer import plain_lines, without_skipped
from bastler.core.gcode.motion import Motion
from bastler.core.job.document import Job
from bastler.core.planner import plan
from bastler.core.plans.plan import Plan
from bastler.core.post.dialect import dialects
from bastler.core.post.program import Program, lines_of
from bastler.core.problems import Unusable
from bastler.core.request import Cancelled, Request
from bastler.core.verify.moments import Moments
from bastler.core.verify.pictures import NOTHING
from bastler.core.verify.pictures import State as Shown
from bastler.core.verify.stock import Happened, State, Stock
from bastler.core.verify.timing import move_times
from bastler.core.verify.trial import LeftStock, Trial

STATES_BYTES = 50_000_000
LEAST_STATES = 4
MOST_STARTS = 60
"""Beginnings of steps at which the stock is kept besides."""
LARGEST_COMPARISON = 40_000_000
LARGEST_SUBPROGRAM_BYTES = 5_000_000


def _never() -> bool:
    return False


class _Asked(NamedTuple):
    """What a check was asked for, and by whom."""

    request: Request
    progress: Callable[[float], None]
    cancelled: Callable[[], bool]
    began: float


class Engine:
    """Checks, one at a time, and remembers the last."""

    def __init__(self) -> None:
        self._done: Moments | None = None
        self._before: tuple[object, LeftStock] | None = None

    def check(
        self,
        request: Request,
        progress: Callable[[float], None] = lambda _: None,
        cancelled: Callable[[], bool] = _never,
    ) -> Checked:
        """Run the road. Raises :class:`Unusable` for a text that is none, :class:`Cancelled` when asked to stop."""
        began = time.perf_counter()
        p = plan(request.job, request.setup)
        program = self._program(p, request)
        control = control_of(p, request)

        def reading(share: float) -> None:
            progress(0.3 * share)
            if cancelled():
                raise Cancelled

        data = request.text if request.text is not None else program.text.encode()
        read = interpret(data, control, request.name or program.name, reading, _beside(request.folder))
        checked = self._verify(p, read, program, _Asked(request, progress, cancelled, began))
        checked = self._with_skip(checked, data, request, cancelled)
        ways = {s.step.id: s.ways for s in p.steps if s.ways}
        return replace(checked, ways=ways) if ways else checked

    def _with_skip(self, checked: Checked, data: bytes, request: Request, cancelled: Callable[[], bool]) -> Checked:
        """What a program with skipped lines (``/``) does with the switch on, told besides."""
        skipped = without_skipped(plain_lines(data))
        if skipped is None:
            return checked
        other = Engine().check(structs.replace(request, text=skipped), cancelled=cancelled)
        known = {(f.kind, f.line) for f in checked.findings}
        more = [
            structs.replace(f, text=f"With the skip switch on: {f.text}")
            for f in other.findings
            if (f.kind, f.line) not in known
        ]
        return replace(checked, findings=in_order([*checked.findings, *more]))

    def _left_before(self, p: Plan, asked: _Asked) -> LeftStock | None:
        """The stock of the setup before, where this one goes on with it; that is checked for it, once as long as it stays the same."""
        if p.frame.lying is None:
            return None
        request = asked.request
        job = request.job.changed(setups=request.job.setups[: request.setup], name="")
        key = (job, request.cell)
        if self._before is None or self._before[0] != key:
            engine = Engine()
            done = engine.check(Request(job, request.setup - 1, cell=request.cell), cancelled=asked.cancelled)
            self._before = (key, LeftStock(engine.stock, done.volume_after))
        return self._before[1]

    def _program(self, p: Plan, request: Request) -> Program:
        if request.text is None:
            return post(p, dialects()[request.dialect or p.frame.machine.dialect])
        lines = request.text.count(b"\n") + 1
        steps: tuple[int, ...] = ()
        if lines < 200_000:
            posted = post(p, dialects()[p.frame.machine.dialect])
            steps = _steps_of_edited(posted, request.text.decode("utf-8", "replace"))
        text = request.text.decode("utf-8", "replace") if lines < 200_000 else ""
        return Program(text, steps, request.name or p.job.name)

    def _verify(self, p: Plan, read: Interpreted, program: Program, asked: _Asked) -> Checked:
        """Cut, judge, and tell: the same for every machine, with what its bench gives."""
        motion, owner = read.motion, _owners(program, read)
        bench, step_of_move = bench_of(p), owner[read.motion.line]
        trial = bench.trial(p, motion, step_of_move, asked.request, self._left_before(p, asked))
        happened, states = _cut(trial, motion, step_of_move, asked)
        trial.whole(happened)
        judge, times = trial.judge, move_times(motion, p.frame.machine)
        told = tuple(structs.replace(f, step=judge.step_id(int(owner[f.line]))) if f.line else f for f in read.findings)
        asked.progress(1.0)
        power, degrees = trial.load(happened, times)
        judge.powers(power, times)
        judge.dry(read.cooled(), happened.removed)
        before, after = trial.volumes(happened)
        # Only now: a check that was cancelled leaves the moments of the one before, which is still in view.
        self._done = Moments(trial.stock, motion, states)
        return Checked(
            program, motion, read.lines, read.units, times, step_of_move, tuple(s.step.id for s in p.steps), tuple(s.full_name for s in p.steps),
            {n: t.name for n, t in p.tools.items()}, judge.done(told), trial.picture(), trial.without_threads(happened).removed, power, before, after,
            time.perf_counter() - asked.began, degrees=degrees, events=read.events,
        )  # fmt: skip

    @property
    def moments(self) -> Moments:
        """The last check's stock at any moment."""
        if self._done is None:
            raise Unusable("Nothing has been checked yet. Run the check first.")
        return self._done

    @property
    def stock(self) -> Stock:
        """The stock as the last check left it."""
        return self.moments.stock

    def stock_at(self, move: int, share: float) -> Shown:
        """What is shown of the stock once ``share`` (0..1) of ``move`` is done; what it is, its kind of picture knows."""
        return self.moments.at(move, share)


def _owners(program: Program, read: Interpreted) -> NDArray[np.int32]:
    """The step of each line, by its number; -1 for none."""
    owner = np.full(read.lines + 2, -1, np.int32)
    mapped = program.step_of_line[: read.lines]
    owner[1 : len(mapped) + 1] = mapped
    return owner


def _cut(
    trial: Trial, motion: Motion, step_of_move: NDArray[np.int32], asked: _Asked
) -> tuple[Happened, dict[int, State]]:
    """All moves cut, piece by piece: what happened, and states of the stock on the way."""
    stock, n = trial.stock, len(motion)
    happened, states = Happened.none(n), {0: stock.state()}
    starts = set((np.flatnonzero(np.diff(step_of_move)) + 1).tolist())
    edges = sorted({*range(0, n, trial.chunk), *(starts if len(starts) < MOST_STARTS else ()), n})
    every = 1
    for k, (low, high) in enumerate(itertools.pairwise(edges), 1):
        if asked.cancelled():
            raise Cancelled
        now = stock.cut(motion, low, high)
        happened.take(now, low)
        trial.cut(now, low)
        if k % every == 0:
            # How large a state is, is known only on the way: a lathe's grows with the first driven tool.
            states[high] = stock.state()
            if len(states) > max(STATES_BYTES // stock.state_bytes, LEAST_STATES):
                every *= 2
                states = {edges[i]: states[edges[i]] for i in range(0, k + 1, every) if edges[i] in states}
        asked.progress(0.3 + 0.6 * high / max(n, 1))
    return happened, states


def _steps_of_edited(posted: Program, text: str) -> tuple[int, ...]:
    """Steps of an edited text's lines, from the lines it still shares with the posted one."""
    import difflib

    old, new = posted.lines, lines_of(text)
    if old == new:
        return posted.step_of_line
    unknown = -2
    result = [unknown] * len(new)
    if len(old) * len(new) < LARGEST_COMPARISON:
        for a, b, size in difflib.SequenceMatcher(None, old, new, autojunk=False).get_matching_blocks():
            result[b : b + size] = posted.step_of_line[a : a + size]
    for i, step in enumerate(result):
        if step == unknown:
            result[i] = result[i - 1] if i else -1
    return tuple(result)


def _offsets(p: Plan) -> dict[str, tuple[float, float, float]]:
    """Where the work offsets of further parts lie."""
    names = p.frame.offset_names(p.setup.work_offset)
    return {name: (dx, dy, 0.0) for name, (dx, dy) in zip(names[1:], p.frame.parts[1:], strict=True) if name}


def control_of(p: Plan, request: Request) -> Control:
    """What the control knows, and how it reads its codes."""
    dialect = dialects()[request.dialect or p.frame.machine.dialect]
    if dialect.machine != p.frame.machine.kind:
        own = dialects()[p.frame.machine.dialect]
        raise Unusable(
            f"{dialect.title} isn't for {p.frame.machine.name}. Choose a dialect of its kind, as {own.name}."
        )
    return Control(
        p.tools, p.setup.work_offset, _offsets(p), p.frame.machine_origin, reading=dialect.reading,
        most_turns=bench_of(p).most_turns(p.frame), has_y=p.frame.machine.axis("Y") is not None,
        has_brake=(turns := p.frame.machine.axis("C")) is not None and turns.brake, bar_radius=bench_of(p).bar_radius(p.frame), c_zero=bench_of(p).c_zero(p.frame),
    )  # fmt: skip


def _beside(folder: str) -> Callable[[int], bytes | None]:
    """Subprograms as files beside a program: ``O1000.nc``, ``1000.nc``, with any ending."""

    def lookup(number: int) -> bytes | None:
        if not folder:
            return None
        for file in sorted(Path(folder).glob("*.*")):
            stem = file.stem.upper().lstrip("O").lstrip("0")
            if stem == str(number) and file.is_file() and file.stat().st_size < LARGEST_SUBPROGRAM_BYTES:
                return file.read_bytes()
        return None

    return lookup


def check_text_only(text: bytes, name: str, dialect: str | None = None) -> Table:
    """The report of a program without a job: words, motion and time on the default machine, no stock."""
    p = plan(Job())
    reading = dialects()[dialect].reading if dialect else "mill"
    read = interpret(text, Control(with_job=False, machine_origin=p.frame.machine_origin, reading=reading), name)
    motion, none = read.motion, np.zeros(len(read.motion))
    note = Finding(
        "no-job", "note", "No job was given, so there is no stock, tool or offset to check against. Add --job JOB."
    )
    checked = Checked(
        Program("", (), name), motion, read.lines, read.units, move_times(motion, p.frame.machine),
        np.full(len(motion), -1, np.int32), (), (), {}, (*read.findings, note), NOTHING, none, none.astype(np.float32), 0.0, 0.0, 0.0,
    )  # fmt: skip
    return checked.report()
