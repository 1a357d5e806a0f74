"""The setup sheet: what somebody needs at the machine, as rows of text, and the page made of them."""

from __future__ import annotations

import datetime
from collections.abc import Mapping

from msgspec import Struct

from bastler.core.benches import bench_of
from bastler.core.checked import Checked
from bastler.core.data import DATA
from bastler.core.plans.plan import Plan, StepPlan
from bastler.core.quantities import Kind, Units, show, unit_word

TEMPLATE = "setup-sheet.html.j2"


class ToolRow(Struct, frozen=True):
    """A tool that the program calls."""

    number: int
    name: str
    diameter: str
    stick_out: str
    gauge: str
    minutes: str


class StepRow(Struct, frozen=True):
    """A step, or a single step of a recipe."""

    number: str
    name: str
    tool: str
    speed: str
    feed: str
    minutes: str


class SheetOfSetup(Struct, frozen=True):
    """Everything on the sheet but its pictures."""

    job: str
    date: str
    units: str
    facts: tuple[tuple[str, str], ...]
    tools: tuple[ToolRow, ...]
    steps: tuple[StepRow, ...]
    total: str
    findings: tuple[str, ...]


def minutes(seconds: float) -> str:
    """Seconds as ``12:05``."""
    whole = round(seconds)
    return f"{whole // 60}:{whole % 60:02d}"


def collect(plan: Plan, checked: Checked, today: datetime.date | None = None) -> SheetOfSetup:
    """The sheet of a checked plan."""
    units = plan.job.units
    facts = _facts(plan, checked)
    used = [int(n) for n in dict.fromkeys(checked.motion.tool.tolist()) if n in plan.tools]
    tools = tuple(_tool_row(plan, checked, n) for n in used)
    seconds = checked.step_seconds()
    steps = tuple(row for s in plan.cut for row in _step_rows(s, seconds.get(s.number - 1, 0.0), units))
    date = (today or datetime.date.today()).isoformat()
    findings = tuple(f.text for f in checked.findings if f.severity != "note")
    several = len(plan.job.setups)
    name = (
        f"{plan.job.name}, setup {plan.job.setups.index(plan.setup) + 1} of {several}" if several > 1 else plan.job.name
    )
    return SheetOfSetup(name, date, units, facts, tools, steps, minutes(float(checked.times.sum())), findings)


def _facts(plan: Plan, checked: Checked) -> tuple[tuple[str, str], ...]:
    """What the machine's operator needs to know."""
    f, weight = plan.frame, checked.volume_before * plan.frame.material.density * 1e-6
    return (
        ("Machine", f.machine.name), ("Work offset", plan.setup.work_offset), ("Material", f"{f.material.name} (ISO 513 {f.material.group})"),
        *bench_of(plan).facts(plan, weight), ("Program", f"{checked.lines} lines, {minutes(float(checked.times.sum()))} min"),
    )  # fmt: skip


def _tool_row(plan: Plan, checked: Checked, number: int) -> ToolRow:
    tool, units = plan.tools[number], plan.job.units
    seconds = float(checked.times[checked.motion.tool == number].sum())
    return ToolRow(
        number,
        tool.name,
        show(tool.diameter, units=units),
        show(tool.stick_out, units=units),
        show(tool.gauge_length, units=units),
        minutes(seconds),
    )


def _step_rows(s: StepPlan, seconds: float, units: Units) -> list[StepRow]:
    """A row for a step; for a recipe its own row and one for each single step."""
    rows = [_row(str(s.number), s, units, minutes(seconds))]
    return rows + [_row("", p, units, "") for p in s.parts]


def _row(number: str, s: StepPlan, units: Units, time: str) -> StepRow:
    v, tool = s.answers.values, s.tool if not s.parts else None
    speed, feed = v.get("speed"), v.get("feed")
    if v.get("cutting_speed"):
        speed_text = f"{show(v.cutting_speed, Kind.CUTTING_SPEED, units, 0)} {unit_word(Kind.CUTTING_SPEED, units)}"
    else:
        speed_text = show(speed, digits=0) if speed else ""
    kind = next((f.kind for f in s.cycle.fields if f.key == "feed"), Kind.FEED)
    name = s.full_name if number else f"– {s.full_name}"
    return StepRow(
        number, name, f"T{tool.number} {tool.name}" if tool else "", speed_text,
        show(feed, kind, units) if feed else "", time,
    )  # fmt: skip


def html(
    sheet: SheetOfSetup,
    pictures: Mapping[str, str],
    font: str = "sans-serif",
    setup_width: int = 600,
    part_width: int = 460,
) -> str:
    """The sheet as a page; ``pictures`` gives the address of each (``setup``, ``part``, ``tool7`` …)."""
    from jinja2 import Environment, FileSystemLoader, StrictUndefined

    environment = Environment(
        loader=FileSystemLoader(DATA), autoescape=True, undefined=StrictUndefined, trim_blocks=True
    )
    template = environment.get_template(TEMPLATE)
    return template.render(sheet=sheet, pictures=pictures, font=font, setup_width=setup_width, part_width=part_width)
