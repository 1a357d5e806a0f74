"""Where the demo job is, and how a new job starts."""

from __future__ import annotations

from msgspec import Struct

from bastler.core.data import DATA, table
from bastler.core.job.document import Job, ToolRecord
from bastler.core.jobfiles.store import parse
from bastler.core.tooling.machines import machines

DEMO = "pressure-plate.bastler"
TRAY = "drain-tray-insert.bastler"
SPINDLE = "spindle.bastler"
HUB = "handle-hub.bastler"
BUSH = "guide-bush-inch.bastler"


class Sample(Struct, frozen=True):
    """A job that ships with Bastler: its file, what it is called, what it shows."""

    file: str
    name: str
    line: str


SAMPLE_JOBS = (
    Sample(DEMO, "Pressure plate", "Milled: face, two pockets, a bolt circle, fitted holes"),
    Sample(TRAY, "Drain tray insert", "Milled: a pocket with islands, an outline, chamfers"),
    Sample("foot-pad.bastler", "Foot pad", "Milled from a round bar: round pockets, holes"),
    Sample("frame-foot-inch.bastler", "Frame foot", "Milled in inch: an upright shape, a pocket, threads"),
    Sample(SPINDLE, "Spindle", "Turned: a contour, a trapezoidal thread, grooves, part off"),
    Sample(
        HUB,
        "Handle hub",
        "Turned, and milled by driven tools: threads and a recess in the face, a keyway, holes round the side",
    ),
    Sample(BUSH, "Guide bush", "Turned in inch: a bore, an inside groove, a thread"),
)
SAMPLES = {"mill": "tools.toml", "lathe": "lathe-tools.toml"}
"""Sample tools by kind of machine."""


def demo_job(name: str = DEMO) -> Job:
    """The pressure plate of the bench-top cider press, or another of its parts."""
    return parse((DATA / name).read_bytes(), name)


def new_job() -> Job:
    """An empty job with the sample tools."""
    return Job(tools=sample_tools("mill"))


def sample_tools(machine: str) -> tuple[ToolRecord, ...]:
    """What a new job has in its table on a kind of machine."""
    return tuple(ToolRecord(**row) for row in table(DATA / SAMPLES[machine])["tool"])


def on_machine(job: Job, setup: int, machine: str) -> Job:
    """The job with another machine; sample tools that nobody has touched yet become those of its kind."""
    changed: Job = job.with_setup(job.setups[setup].changed(machine=machine), setup)
    known = machines()
    old, new = known.get(job.setups[setup].machine), known.get(machine)
    if old is None or new is None or old.kind == new.kind or job.tools != sample_tools(old.kind):
        return changed
    swapped: Job = changed.changed(tools=sample_tools(new.kind))
    return swapped


def is_blank(job: Job) -> bool:
    """Whether a job holds no number that anybody typed, so that other units change nothing."""
    typed = any(setup.values or setup.steps for setup in job.setups) or job.patterns or job.contours
    return not typed and job.tools in [sample_tools(kind) for kind in SAMPLES]
