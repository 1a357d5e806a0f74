"""``make soak``: random jobs of several steps through the whole road, until a number or a time is reached.

Then random contours: facts hidden, solved, one taken away, one made wrong; steps of a lathe; jobs in a bore.
Then damaged jobs and programs: nothing may raise, nothing may hang.
Prints how many jobs were checked, how many steps they had, and every job that gave a ``stop`` finding.
"""

from __future__ import annotations

import os
import random
import resource
import sys
import tempfile
import time
from collections.abc import Callable

from tests.closed_loop.stops import unexpected
from tests.closed_loop.test_bore_rule import INSIDE, inside_job, touches
from tests.closed_loop.test_every_cycle import SIMPLE, STOCK, TOOLS
from tests.closed_loop.test_every_surface import SURFACED, judged, sampled
from tests.closed_loop.test_turning import LATHE_CYCLES, check_turned, turned_sample
from tests.closed_loop.test_whole_jobs import in_inches
from tests.contours import job_contours
from tests.core.contour.test_random import check_contradiction, check_one_less, check_original
from tests.damage import damaged_job, damaged_text, drawn, posted_demos
from tests.oracle.compare import lathe_differs, mill_differs
from tests.spelled import spelled_otherwise
from tests.stocks import height_field

from bastler.core import faults
from bastler.core.cycles import cycles
from bastler.core.engine import Engine
from bastler.core.job.document import Job, Setup, Step
from bastler.core.jobfiles.units import in_units
from bastler.core.planner import plan
from bastler.core.post.dialect import dialects, dialects_for
from bastler.core.problems import Unusable
from bastler.core.request import Request
from bastler.core.tooling.machines import machines
from bastler.core.verify.target import too_low

JOBS = 2000
CONTOURS = 10_000
TURNED = 2000
DRIVEN, SMALL_MM3 = 2000, 12.0
BORES = 500
ORACLES = 60
LONGEST_S = 3000.0
DAMAGE_S, HANG_S, DAMAGED_CELL_MM = 600.0, 10.0, 2.0
STEPS = 3
CELL_MM = 0.4


class Dice:
    """Sample answers from a seed."""

    def __init__(self, seed: int) -> None:
        self.dice = random.Random(seed)

    def number(self, low: float, high: float) -> float:
        """Between, to 0.001."""
        return round(self.dice.uniform(low, max(low, high)), 3)

    def choice(self, options: tuple[str, ...]) -> str:
        """One of them."""
        return self.dice.choice(options)


class Drawn(Dice):
    """The same in numbers as drawings have them, so that sizes often coincide."""

    def number(self, low: float, high: float) -> float:
        """Between, a multiple of 0.25 to 2."""
        step = self.dice.choice((0.25, 0.5, 1.0, 2.0))
        drawn = round(self.dice.uniform(low, max(low, high)) / step) * step
        return round(min(max(drawn, low), max(low, high)), 3)


def dice_for(seed: int) -> Dice:
    """Any numbers for even seeds, drawn ones for odd."""
    return Drawn(seed) if seed % 2 else Dice(seed)


def random_job(seed: int) -> tuple[Job, str]:
    """A job whose steps each fit the stock as those before left it, in either unit, and a dialect."""
    dice = dice_for(seed)
    dialect = dice.choice(tuple(dialects_for("mill")))
    steps: tuple[Step, ...] = ()
    contours = job_contours(dice)
    for i in range(STEPS):
        one = cycles()[dice.choice(tuple(cycles().ids("mill")))]
        probe = Job(
            tools=TOOLS,
            contours=contours,
            setups=(Setup(steps=(*steps, Step(id="probe", cycle=one.id)), values=STOCK),),
        )
        work = plan(probe, moves=False).steps[-1].work
        typed = one.sample(dice, work)
        before = one.sample_before(typed, work) if one.sample_before else ()
        more = [Step(id=f"{i}-{k}", cycle=s.cycle, values=s.values) for k, s in enumerate(before)]
        typed = {k: t.replace("before", f"{i}-") if k == "steps" else t for k, t in typed.items()}
        more.append(Step(id=str(i), cycle=one.id, values=typed))
        if not dialects()[dialect].words.compensate_left:
            more = [s.changed(values={**s.values, **SIMPLE}) for s in more]
        steps += tuple(more)
    gather = dice.choice(("yes", "no")) == "yes"
    job = Job(
        name=f"job {seed}",
        tools=TOOLS,
        contours=contours,
        setups=(Setup(steps=steps, values=STOCK, gather_by_tool=gather),),
    )
    return (in_inches(job) if dice.choice(("mm", "inch")) == "inch" else job), dialect


def run(jobs: int = JOBS, longest_s: float = LONGEST_S) -> dict[str, float]:
    """Check them all; the counts. Taps whose hole another random step has cut open are told by the check, and counted apart."""
    began, checked, steps, told, bad = time.perf_counter(), 0, 0, 0, 0
    for seed in range(jobs):
        if time.perf_counter() - began > longest_s:
            break
        try:
            job, dialect = random_job(seed)
            planned = plan(job)
        except Exception as failure:
            bad += 1
            print(f"seed {seed}: {type(failure).__name__} {str(failure)[:200]}", flush=True)
            continue
        if any(
            p.finding in ("tap-bottom", "no-hole")
            for s in planned.cut
            for p in s.answers.problems
            if s.cycle.id == "tap" or p.finding == "tap-bottom"
        ):
            continue
        if not planned.order:
            continue
        engine = Engine()
        result = engine.check(Request(job, cell=CELL_MM, dialect=dialect))
        shape = tuple(r for s in planned.cut for r in s.removals if not r.wanted)
        deep = too_low(height_field(engine), shape)[2].size
        checked, steps = checked + 1, steps + len(planned.order)
        every = unexpected(result, planned)
        stops = [f.text for f in every if f.kind != "tap-hole"]
        told += len(stops) < len(every)
        if stops or deep:
            bad += 1
            print(f"seed {seed} ({job.units}, {dialect}): {stops[:2] or f'{deep} cells too deep'}", flush=True)
    return {"jobs": checked, "steps": steps, "open taps": told, "bad": bad, "seconds": time.perf_counter() - began}


def turned(count: int = TURNED, longest_s: float = LONGEST_S) -> dict[str, float]:
    """So many random steps of a lathe, each in its job; every failure is printed. Those that can't be cut are counted."""
    began, checked, asked, bad = time.perf_counter(), 0, 0, 0
    for seed in range(count):
        if time.perf_counter() - began > longest_s:
            break
        dice = dice_for(seed)
        try:
            job = turned_sample(dice.choice(tuple(LATHE_CYCLES)), dice, dice.choice(("bar", "tube")) == "tube")
            if not all(s.answers.complete for s in plan(job).steps):
                asked += 1
                continue
            check_turned(
                in_units(job, "inch", keep_size=True) if dice.choice(("mm", "inch")) == "inch" else job,
                dice.choice(tuple(dialects_for("lathe"))),
            )
            checked += 1
        except Exception as failure:
            bad += 1
            print(f"turned seed {seed}: {type(failure).__name__} {str(failure)[:200]}", flush=True)
    return {"turned": checked, "not cut": asked, "bad": bad, "seconds": time.perf_counter() - began}


def turned_job(seed: int) -> Job:
    """A random step of a lathe in its job."""
    dice = dice_for(seed)
    return turned_sample(dice.choice(tuple(LATHE_CYCLES)), dice, dice.choice(("bar", "tube")) == "tube")


def driven(count: int = DRIVEN, longest_s: float = LONGEST_S) -> dict[str, float]:
    """So many random steps of driven tools, by any surface, machine, axes and unit; every failure is printed. Those that can't be cut are counted, and those whose holder
    the check finds at the jaws: samples don't know how far it reaches."""
    began, checked, asked, told, bad = time.perf_counter(), 0, 0, 0, 0
    for seed in range(count):
        if time.perf_counter() - began > longest_s:
            break
        dice = dice_for(seed)
        cycle, machine = dice.choice(tuple(SURFACED)), dice.choice(tuple(m for m in machines() if machines()[m].driven))
        on = dice.choice(cycles()[cycle].on_surfaces)
        by = ("c", "written", "y") if machines()[machine].axis("Y") else ("c", "written")
        more = {"moved_by": dice.choice(by)} if on == "end" else {}
        try:
            job = sampled(cycle, dice, on, machine, more)
            job = in_units(job, "inch", keep_size=True) if dice.choice(("mm", "inch")) == "inch" else job
            p = plan(job)
            if not all(s.answers.complete for s in p.steps):
                asked += 1
                continue
            judged(job, p, SMALL_MM3)
            checked += 1
        except Exception as failure:
            if "fixture-contact" in str(failure):
                told += 1
                continue
            bad += 1
            print(
                f"driven seed {seed} ({cycle}, {on}, {machine}): {type(failure).__name__} {str(failure)[:200]}",
                flush=True,
            )
    return {
        "driven": checked,
        "not cut": asked,
        "at the jaws": told,
        "bad": bad,
        "seconds": time.perf_counter() - began,
    }


def oracle(count: int = ORACLES, longest_s: float = LONGEST_S) -> dict[str, float]:
    """So many random jobs of each machine kind, held against the brute-force simulators; every difference is printed."""
    began, bad, held = time.perf_counter(), 0, {"mills": 0, "lathes": 0}
    for seed in range(20 * count):
        if time.perf_counter() - began > longest_s or min(held.values()) >= count:
            break
        for name, job_of, differs in (
            ("mills", lambda n: random_job(n)[0], mill_differs),
            ("lathes", turned_job, lathe_differs),
        ):
            if held[name] >= count:
                continue
            try:
                job = job_of(seed)
            except Unusable:
                continue
            why = differs(job)
            held[name] += why is not None
            if why:
                bad += 1
                print(f"oracle, {name}, seed {seed}: {why}", flush=True)
    return {**held, "bad": bad, "seconds": time.perf_counter() - began}


def respelling(texts: int = 500, each: int = 20, longest_s: float = LONGEST_S) -> dict[str, float]:
    """Random programs in other spellings: the same moves, the same findings; every other one is printed."""
    began, spelled, bad, seed = time.perf_counter(), 0, 0, -1
    while spelled < texts * each and time.perf_counter() - began < longest_s:
        seed += 1
        lathe = seed % 4 == 3
        try:
            job, dialect = (
                (turned_job(seed), dice_for(seed).choice(tuple(dialects_for("lathe")))) if lathe else random_job(seed)
            )
        except Unusable:
            continue
        for k in range(each):
            why = spelled_otherwise(job, dialect, seed * 1000 + k)
            if why is None:
                break
            spelled += 1
            if why:
                bad += 1
                print(f"respelling {seed * 1000 + k}: {why}", flush=True)
    return {"spelled": spelled, "programs": seed + 1, "bad": bad, "seconds": time.perf_counter() - began}


def bores(count: int = BORES, longest_s: float = LONGEST_S) -> dict[str, float]:
    """So many random jobs in a bore that can be cut, judged in small steps: bar and holder never touch. Every touch is printed."""
    began, judged, bad, seed = time.perf_counter(), 0, 0, 0
    while judged < count and time.perf_counter() - began < longest_s:
        seed += 1
        dice = dice_for(seed)
        job = inside_job(dice, dice.choice(INSIDE))
        if job is not None:
            judged += 1
            if found := touches(job):
                bad += 1
                print(f"bore seed {seed}: {found[0]}", flush=True)
    return {"bores": judged, "bad": bad, "seconds": time.perf_counter() - began}


def damage(longest_s: float = DAMAGE_S, first: int = 0) -> dict[str, float]:
    """Damaged jobs of both machines (read, drawn, planned, every second one checked too) and damaged programs, in turn.

    Every trace and everything slower than :data:`HANG_S` is printed with its seed; the log of guards has to stay empty.
    """
    began, jobs, programs, bad, hangs = time.perf_counter(), 0, 0, 0, 0
    demos, seed, slowest = tuple(posted_demos().values()), first, 0.0
    os.environ["XDG_STATE_HOME"] = tempfile.mkdtemp()
    while time.perf_counter() - began < longest_s:
        seed += 1
        start = time.perf_counter()
        try:
            if seed % 2:
                jobs += _damaged_job(seed)
            else:
                job, data = demos[seed // 2 % len(demos)]
                Engine().check(Request(job, text=damaged_text(data, seed), cell=DAMAGED_CELL_MM)).report()
                programs += 1
        except Unusable:
            programs += 1
        except Exception as failure:
            bad += 1
            print(f"damage seed {seed}: {type(failure).__name__} {str(failure)[:200]}", flush=True)
        if faults.log_file().exists():
            bad += 1
            print(f"damage seed {seed}: a guard was needed\n{faults.log_file().read_text()}", flush=True)
            faults.log_file().unlink()
        took = time.perf_counter() - start
        slowest = max(slowest, took)
        if took > HANG_S:
            hangs += 1
            print(f"damage seed {seed}: {took:.1f} s", flush=True)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    return {
        "jobs": jobs,
        "programs": programs,
        "bad": bad,
        "hangs": hangs,
        "slowest_s": slowest,
        "peak_mb": peak,
        "last seed": seed,
    }


def _damaged_job(seed: int) -> int:
    """One damaged job through all that the window does with it; 0 if it was refused as no job file."""
    job = damaged_job(seed)
    if job is None:
        return 0
    for index in range(len(job.setups)):
        drawn(plan(job, index, moves=False))
        planned = plan(job, index)
        if seed % 4 == 1 and planned.order:
            Engine().check(Request(job, index, cell=DAMAGED_CELL_MM)).report()
    return 1


def contours(count: int = CONTOURS, first: int = 100_000) -> dict[str, float]:
    """So many random contours; every failure is printed."""
    began, bad, judged = time.perf_counter(), 0, 0
    for seed in range(first, first + count):
        checks = [check_original, check_one_less, check_contradiction] if seed % 4 == 0 else [check_original]
        for check in checks:
            try:
                judged += check(seed) is not False
            except AssertionError as failure:
                bad += 1
                print(f"contour {check.__name__} {str(failure)[:160]}", flush=True)
    return {"contours": count, "judged": judged, "bad": bad, "seconds": time.perf_counter() - began}


PARTS: dict[str, Callable[..., dict[str, float]]] = {
    "contours": contours, "turned": turned, "bores": bores, "driven": driven, "oracle": oracle, "respelling": respelling,
}  # fmt: skip

if __name__ == "__main__":
    name, *numbers = sys.argv[1:] or [""]
    if name in PARTS:
        print(PARTS[name](*(int(a) for a in numbers)))
    elif name == "damage":
        seconds, *first = numbers or [str(DAMAGE_S)]
        print(damage(float(seconds), *(int(a) for a in first[:1])))
    else:
        print(run(*(int(a) for a in sys.argv[1:2])))
        for part in PARTS.values() if not name else ():
            print(part())
