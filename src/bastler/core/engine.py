"""The whole road in one call: job → plan → post → interpret → verify, with progress and cancelling.

*Engine* keeps the last check, so the stock at any moment can be asked for afterwards.
Nothing here knows a window; it runs on the command line and in the window's worker process alike.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from msgspec import structs
from numpy.typing import NDArray

from bastler.core.benches import bench_of, post
from bastler.core.checked import Checked
from bastler.core.findings import Finding, in_order
from bastler.core.gcode.control import Control, Interpreted
from bastler.core.gcode.interpreter import interpret
from bastler.core.gcode.lexer import plain_lines, without_skipped
from bastler.core.gcode.motion import Motion
from bastler.core.job.document import Job
from bastler.core.planner import plan
from bastler.core.planning.plan import Plan
from bastler.core.post.dialect import dialects
from bastler.core.post.program import Program, lines_of
from bastler.core.problems import Unusable
from bastler.core.request import Cancelled, Request
from bastler.core.verify.grid import COARSEST_MM, Grid, heights_of
from bastler.core.verify.heightfield import Cuts, HeightField, Heights
from bastler.core.verify.leftbefore import laid
from bastler.core.verify.milljudge import Judge
from bastler.core.verify.millrules import Effects, rules
from bastler.core.verify.spindleload import in_metal, power_shares
from bastler.core.verify.timing import move_times

if TYPE_CHECKING:
    from bastler.core.verify.turnroad import TurnedRoad

CHUNK = 1500
SNAPSHOT_BYTES = 100_000_000
LARGEST_COMPARISON = 40_000_000
LARGEST_SUBPROGRAM_BYTES = 5_000_000


def _never() -> bool:
    return False


class Engine:
    """Checks, one at a time, and remembers the last."""

    def __init__(self) -> None:
        self._stock: HeightField | None = None
        self._motion: Motion | None = None
        self._turned: TurnedRoad | None = None
        self._before: tuple[object, HeightField, float] | None = None
        self._snapshots: dict[int, NDArray[np.float32]] = {}
        self._owners: dict[int, NDArray[np.int32]] = {}

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
        checked = self._verify(p, program, read, request, progress, cancelled, began)
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

    def _left_before(
        self, p: Plan, request: Request, cancelled: Callable[[], bool]
    ) -> Callable[[Grid], tuple[Heights, Heights]] | None:
        """The stock as the setup before leaves it; that one is checked for it, once as long as it stays the same."""
        lying = p.frame.lying
        if lying is None:
            return None
        job = request.job.changed(setups=request.job.setups[: request.setup], name="")
        key = (job, request.cell)
        if self._before is None or self._before[0] != key:
            engine = Engine()
            done = engine.check(Request(job, request.setup - 1, cell=request.cell), cancelled=cancelled)
            assert engine._stock is not None
            self._before = (key, engine._stock, done.volume_after)
        old = self._before[1]
        return lambda grid: laid(old, lying, p.frame.block, grid)

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

    def _verify(
        self, p: Plan, program: Program, read: Interpreted, request: Request, progress: Callable[[float], None],
        cancelled: Callable[[], bool], began: float,
    ) -> Checked:  # fmt: skip
        start = self._left_before(p, request, cancelled)
        motion = read.motion
        owner = np.full(read.lines + 2, -1, np.int32)
        mapped = program.step_of_line[: read.lines]
        owner[1 : len(mapped) + 1] = mapped
        step_of_move = owner[motion.line]
        if p.frame.chucking is not None:
            from bastler.core.verify.turnroad import TurnedRoad

            road = TurnedRoad(p, motion)
            checked = road.check(
                program, read, step_of_move, owner, progress, cancelled, began, edited=request.text is not None
            )
            self._motion, self._stock, self._turned = motion, None, road
            return checked
        judge = Judge(p, motion, step_of_move, edited=request.text is not None)
        stock = HeightField(p.frame.bed, dict(p.tools), request.cell, p.frame.pieces, start)
        snapshots, owners = {0: stock.heights.copy()}, {0: stock.cut_by.copy()}
        before = p.frame.stock_volume() if start is None or self._before is None else self._before[2]
        cells = stock.volume()
        removed, cores, deepest = np.zeros(len(motion)), np.zeros(len(motion)), np.zeros(len(motion))
        starts = set((np.flatnonzero(np.diff(step_of_move)) + 1).tolist())
        edges = sorted({*range(0, len(motion), CHUNK), *(starts if len(starts) < 60 else ()), len(motion)})
        room = max(SNAPSHOT_BYTES // (8 * stock.heights.size), 4)
        keep = set(edges[:: max(len(edges) // room, 1)])
        for low, high in zip(edges, edges[1:], strict=False):
            if cancelled():
                raise Cancelled
            cuts: Cuts = stock.cut(motion.part(low, high), low)
            removed[low:high], cores[low:high], deepest[low:high] = cuts.removed, cuts.cores, cuts.deepest
            judge.cuts(cuts, stock, low)
            if high in keep:
                snapshots[high], owners[high] = stock.heights.copy(), stock.cut_by.copy()
            progress(0.3 + 0.6 * high / max(len(motion), 1))
        judge.machine()
        rules(judge, Effects(removed, cores, judge.tap_radii, stock.grid.cell))
        target = heights_of(stock.grid, stock.block, judge.wanted(), stock.blank)
        judge.shape(stock, target)
        judge.advice()
        if request.cell is None and stock.grid.cell > COARSEST_MM:
            judge.coarse(stock.grid.cell)
        names = tuple(s.full_name for s in p.steps)
        read_findings = tuple(
            structs.replace(f, step=judge.step_id(int(owner[f.line]))) if f.line else f for f in read.findings
        )
        progress(1.0)
        times = move_times(motion, p.frame.machine)
        power = power_shares(motion, times, removed, p.tools, p.frame.material, p.frame.machine)
        judge.powers(power, times)
        judge.dry(read.cooled, removed)
        degrees = in_metal(motion, removed, deepest, p.tools)
        # Threads are marks here as on a lathe: what a tap takes of its hole's wall counts as no metal.
        tapped = np.isin(motion.tool, [n for n, t in p.tools.items() if t.kind == "tap"])
        threads, removed[tapped] = float(removed[tapped].sum()), 0.0
        # Only now: a check that was cancelled leaves the moments of the one before, which is still in view.
        self._motion, self._stock, self._turned = motion, stock, None
        self._snapshots, self._owners = snapshots, owners
        return Checked(
            program, motion, read.lines, read.units, times, step_of_move,
            tuple(s.step.id for s in p.steps), names, {n: t.name for n, t in p.tools.items()},
            judge.done(read_findings), stock.grid, stock.heights, stock.cut_by, target, removed, power, before, before - (cells - stock.volume()) + threads,
            time.perf_counter() - began, degrees=degrees,
        )  # fmt: skip

    @property
    def is_turned(self) -> bool:
        """Whether what was checked last was a lathe's program."""
        return self._turned is not None

    def section_at(self, move: int, share: float) -> Any:
        """The half section of a turned part once ``share`` (0..1) of ``move`` is done."""
        if self._turned is None:
            raise Unusable("Nothing has been checked yet. Run the check first.")
        return self._turned.at(move, share)

    def stock_at(self, move: int, share: float) -> tuple[NDArray[np.float32], NDArray[np.int32]]:
        """Heights and cutting moves once ``share`` (0..1) of ``move`` is done, from the nearest snapshot."""
        if self._stock is None or self._motion is None:
            raise Unusable("Nothing has been checked yet. Run the check first.")
        motion = self._motion
        move = min(max(move, 0), max(len(motion) - 1, 0))
        near = max(k for k in self._snapshots if k <= move)
        stock = self._stock
        final = stock.heights, stock.cut_by
        stock.heights, stock.cut_by = self._snapshots[near].copy(), self._owners[near].copy()
        try:
            part = motion.part(near, move + 1)
            if share < 1.0 and len(part):
                part = replace(part, end=part.end.copy(), sweep=part.sweep.copy())
                part.end[-1] = motion.at(move, share)
                part.sweep[-1] *= share
            if share > 0.0 or len(part) > 1:
                stock.cut(part if share > 0.0 else motion.part(near, move), near)
            return stock.heights, stock.cut_by
        finally:
            stock.heights, stock.cut_by = final


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
        most_turns=bench_of(p).most_turns(p.frame),
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


def check_text_only(text: bytes, name: str, dialect: str | None = None) -> dict[str, Any]:
    """The report of a program without a job: words, motion and time on the default machine, no stock."""
    p = plan(Job())
    reading = dialects()[dialect].reading if dialect else "mill"
    read = interpret(text, Control(with_job=False, machine_origin=p.frame.machine_origin, reading=reading), name)
    motion, none = read.motion, np.zeros(len(read.motion))
    note = Finding(
        "no-job", "note", "No job was given, so there is no stock, tool or offset to check against. Add --job JOB."
    )
    flat = Grid(0.0, 0.0, 1.0, 1, 1)
    checked = Checked(
        Program("", (), name), motion, read.lines, read.units, move_times(motion, p.frame.machine),
        np.full(len(motion), -1, np.int32), (), (), {}, (*read.findings, note), flat, np.zeros((1, 1), np.float32),
        np.zeros((1, 1), np.int32), np.zeros((1, 1), np.float32), none, none.astype(np.float32), 0.0, 0.0, 0.0,
    )  # fmt: skip
    return checked.report()
