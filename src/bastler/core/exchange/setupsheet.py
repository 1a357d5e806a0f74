"""The setup sheet: what somebody needs at the machine, as rows of text, and the page made of them."""

from __future__ import annotations

import datetime
from collections.abc import Mapping

from msgspec import Struct

from bastler.core.checked import Checked
from bastler.core.data import DATA
from bastler.core.job.holding import HOLDINGS
from bastler.core.planning.plan import Plan, StepPlan
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
    units, f = plan.job.units, plan.frame
    facts = _turned_facts(plan, checked) if f.chucking is not None else _milled_facts(plan, checked)
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


def _milled_facts(plan: Plan, checked: Checked) -> tuple[tuple[str, str], ...]:
    """What a mill's operator needs to know."""
    units, f, v = plan.job.units, plan.frame, plan.setup_answers.values

    def length(value: float) -> str:
        return show(value, units=units)

    block = " × ".join(length(s) for s in f.block.size)
    zero = {"part": "a point of the part", "block": "a point of the block", "typed": "typed"}[v.get("zero_by", "part")]
    weight = checked.volume_before * f.material.density * 1e-6
    return (
        ("Machine", f.machine.name), ("Work offset", plan.setup.work_offset),
        ("Material", f"{f.material.name} (ISO 513 {f.material.group})"), ("Block", f"{block} {unit_word(Kind.LENGTH, units)}, {weight:.1f} kg"),
        ("Zero", f"{zero}: X {length(f.block.x0)}, Y {length(f.block.y0)}, Z {length(f.block.z1)} is the block's left, front, top"),
        ("Held in", _held(plan)),
        ("Clearance", f"Z {length(f.clearance)}"), ("Program", f"{checked.lines} lines, {minutes(float(checked.times.sum()))} min"),
    )  # fmt: skip


def _turned_facts(plan: Plan, checked: Checked) -> tuple[tuple[str, str], ...]:
    """What a lathe's operator needs to know."""
    units, f, v = plan.job.units, plan.frame, plan.setup_answers.values
    held = f.chucking
    assert held is not None
    z0, z1, _, _ = held.blank

    def length(value: float) -> str:
        return show(value, units=units)

    bar = held.said(units)
    zero = {"face": "front of the finished part", "stock": "front of the stock", "jaws": "face of the jaws"}[
        v.get("zero_by", "face")
    ]
    held_in = "three-jaw chuck" if v.get("held_in", "chuck") == "chuck" else "collet"
    tail = (", against a stop" if v.get("stop") else "") + (", tailstock" if v.get("tailstock") else "")
    return (
        ("Machine", f.machine.name), ("Work offset", plan.setup.work_offset),
        ("Material", f"{f.material.name} (ISO 513 {f.material.group})"), ("Bar", f"{bar} × {length(z1 - z0)} {unit_word(Kind.LENGTH, units)}"),
        ("Zero", f"{zero}: the stock ends at Z {length(z1)}"),
        ("Held in", f"{held_in}{tail}, {length(v.get('grip', 0.0))} gripped, {length(v.get('out', 0.0))} out"),
        ("Speed limit", f"{held.limit:.0f} /min with constant cutting speed"), ("Program", f"{checked.lines} lines, {minutes(float(checked.times.sum()))} min"),
    )  # fmt: skip


def _held(plan: Plan) -> str:
    v, units = plan.setup_answers.values, plan.job.units
    way = HOLDINGS[v.get("held_in", "vise")]
    word = "as the drawing shows" if v.get("held_in") == "free" else way.title.lower()
    if "jaws_along" in way.fields:
        word += f", jaws press along {str(v.get('jaws_along', 'y')).upper()}"
    return f"{word}, {show(v.get('grip', 0.0), units=units)} held" if "grip" in way.fields else word


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
    turned = s.cycle.family == "lathe"
    if turned and v.get("cutting_speed"):
        speed_text = f"{show(v.cutting_speed, Kind.CUTTING_SPEED, units, 0)} {unit_word(Kind.CUTTING_SPEED, units)}"
    else:
        speed_text = show(speed, digits=0) if speed else ""
    kind = Kind.FEED_PER_REV if turned else Kind.FEED
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
