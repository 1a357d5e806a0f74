"""Cycle time against a bound, for every cycle in three materials; and what the tool feels on the way.

Bound = removed volume ÷ (depth · side step · feed that the tables allow at 80 % of the spindle's power) + tool changes + shortest rapids.
Engagement comes from :mod:`benchmarks.engaged`, which knows nothing of the planner. ``python -m benchmarks.paths [WORD]``
"""

from __future__ import annotations

import math
import sys
from dataclasses import dataclass

import numpy as np

from bastler.core.checked import Checked
from bastler.core.cycles.lathefields import surface_speed, turning_feed
from bastler.core.cycles.latheload import depth_of
from bastler.core.engine import Engine
from bastler.core.gcode.motion import CHANGE, RAPID, THREAD
from bastler.core.job.document import ContourRecord, ElementRecord, Job, Setup, Step, ToolRecord
from bastler.core.planner import plan
from bastler.core.planning.work import Work
from bastler.core.plans.plan import Plan
from bastler.core.request import Request
from bastler.core.tooling import cutting
from bastler.core.tooling.cuttingdata import feed_per_tooth
from bastler.core.tooling.feeds import suggest_speed
from bastler.core.tooling.power import EFFICIENCY, available
from bastler.core.tooling.tools import Tool
from benchmarks.engaged import samples

MATERIALS = ("C45", "AW-6082", "X5CrNi18-10")
CELL_MM = 0.1
WINDOW = 9
"""Samples that a rate is taken over."""


@dataclass(frozen=True)
class Row:
    """One job of the table: steps on a stock, the tool whose cut is judged, and the bar of its cycle."""

    name: str
    steps: tuple[Step, ...]
    bar: float
    stock: dict[str, str]
    machine: str = "small-mill-mm"
    contours: tuple[ContourRecord, ...] = ()


def _mill(
    number: int, diameter: str, flutes: str, length: str, out: str, kind: str = "end-mill", **more: str
) -> ToolRecord:
    return ToolRecord(number=number, kind=kind, name=f"{kind.replace('-', ' ')} {diameter}",
                      values={"diameter": diameter, "flutes": flutes, "flute_length": length, "stick_out": out, **more})  # fmt: skip


TOOLS = (
    _mill(1, "50", "5", "10", "40", "face-mill", shank_diameter="22"),
    _mill(2, "6", "3", "16", "24", plunges="yes"), _mill(3, "8", "3", "20", "30", plunges="yes"), _mill(4, "10", "3", "22", "32", plunges="yes"),
    _mill(5, "12", "4", "26", "38", plunges="yes"), _mill(6, "16", "4", "34", "48", plunges="yes"), _mill(7, "20", "4", "42", "58", plunges="yes"),
    _mill(8, "6.8", "2", "69", "76", "drill"), _mill(9, "10", "2", "60", "76", "drill"),
    ToolRecord(number=10, kind="tap", name="tap M8", values={"thread": "M8", "lead_threads": "3", "flute_length": "26", "stick_out": "60"}),
    ToolRecord(number=11, kind="thread-mill", name="thread mill 1.5", values={"diameter": "9", "pitch": "1.5", "flute_length": "15", "shank_diameter": "7", "stick_out": "40"}),
)  # fmt: skip
PLATE = {"size_x": "120", "size_y": "80", "size_z": "30", "over_x": "2", "over_y": "2", "over_top": "0", "grip": "4"}


def _stock(**more: str) -> dict[str, str]:
    return {**PLATE, **more}


def _contour(key: str, *points: tuple[float, float]) -> ContourRecord:
    elements = tuple(ElementRecord(type="line", facts={"x": str(x), "y": str(y)}) for x, y in (*points[1:], points[0]))
    return ContourRecord(
        id=key,
        name=key,
        values={"start_x": str(points[0][0]), "start_y": str(points[0][1]), "closed": "yes"},
        elements=elements,
    )


def _step(cycle: str, **values: str) -> Step:
    return Step(id=cycle, cycle=cycle, values=values)


BASIN = _contour("basin", (12, 10), (108, 10), (108, 50), (80, 70), (12, 70))
ISLAND = _contour("island", (40, 30), (58, 30), (58, 46), (40, 46))
POST = _contour("post", (76, 32), (88, 32), (88, 44), (76, 44))
SHAPE = _contour("shape", (10, 8), (110, 8), (110, 50), (80, 72), (10, 72))
POCKET = {"centre_x": "60", "centre_y": "40", "length": "80", "width": "50", "depth": "20"}
MILLED: tuple[Row, ...] = (
    Row("face 2", (_step("face"),), 1.3, _stock(over_top="2")),
    Row("face 0.5", (_step("face"),), 1.6, _stock(over_top="0.5")),
    Row("pocket 80x50x20", (_step("pocket", **POCKET, corner="6"),), 1.6, _stock()),
    Row("pocket 80x50x20 R8", (_step("pocket", **POCKET, corner="8"),), 1.6, _stock()),
    Row("narrow pocket", (_step("pocket", **{**POCKET, "length": "80", "width": "15"}, corner="5", tool="4"),), 2.2, _stock()),
    Row("narrow pocket 9", (_step("pocket", **{**POCKET, "length": "60", "width": "9", "depth": "12"}, corner="4", tool="2"),), 2.2, _stock()),
    Row("slot 16", (_step("slot", centre_x="60", centre_y="40", length="90", width="16", depth="16", tool="4"),), 2.2, _stock()),
    Row("channel 16", (_step("outside", length="80", width="50", corner="5", depth="15", centre_x="60", centre_y="40", clear="channel", channel_width="16", tool="4"),), 2.2, _stock()),
    Row("round pocket 40", (_step("round", points="60, 40", diameter="40", depth="20"),), 2.2, _stock()),
    Row("round pocket 20", (_step("round", points="60, 40", diameter="20", depth="15"),), 2.2, _stock()),
    Row("contour pocket", (_step("contour_pocket", contour="basin", islands="island, post", depth="15"),), 1.8, _stock(), contours=(BASIN, ISLAND, POST)),
    Row("outside", (_step("outside", length="100", width="60", corner="8", depth="18", centre_x="60", centre_y="40"),), 1.5, _stock()),
    Row("outside contour", (_step("outside", shape="contour", contour="shape", depth="15"),), 1.5, _stock(), contours=(SHAPE,)),
    Row("outline", (_step("outline", contour="shape", depth="10"),), 1.5, _stock(), contours=(SHAPE,)),
    Row("drill 10", (_step("drill", points="20, 20; 60, 20; 100, 20; 20, 60; 60, 60; 100, 60", diameter="10", depth_to="through"),), 2.0, _stock()),
)  # fmt: skip


@dataclass(frozen=True)
class Found:
    """What one job shows."""

    ratio: float
    seconds: float
    bound: float
    degrees: float
    chip: float
    air: float
    power: float
    retracts: int
    findings: tuple[str, ...]


def run_mill(row: Row, material: str) -> Found:
    """One job of a mill, planned with our own suggestions, posted, read back."""
    setup = Setup(machine=row.machine, material=material, values=row.stock, steps=row.steps)
    job = Job(name=row.name, tools=TOOLS, contours=row.contours, setups=(setup,))
    planned = plan(job)
    problems = [p.text for s in planned.steps for p in s.answers.problems]
    if not planned.cut:
        return Found(math.nan, 0, 0, 0, 0, 0, 0, 0, tuple(problems))
    checked = Engine().check(Request(job))
    return _judged(planned, checked, problems)


def _judged(planned: Plan, checked: Checked, problems: list[str]) -> Found:
    frame, motion, tools = planned.frame, checked.motion, planned.tools
    block = frame.block
    seen = samples(
        motion,
        (block.x0, block.x1, block.y0, block.y1, block.z0, block.z1),
        {n: t.radius for n, t in tools.items()},
        CELL_MM,
    )
    feed, turns = motion.feed[seen.move], np.maximum(motion.speed[seen.move], 1.0)
    tool = [tools[int(n)] for n in motion.tool[seen.move]]
    teeth = np.array([max(t.flutes, 1) for t in tool], float)
    angle = np.radians(np.minimum(seen.degrees, 90.0))
    flat = np.array([t.kind not in ("drill", "tap") for t in tool])
    level = np.abs(motion.end[seen.move, 2] - motion.start[seen.move, 2]) < 1e-6
    material = frame.material
    chips = np.array(
        [cutting.table_chip(t, material, max(float(d), 0.05)) for t, d in zip(tool, seen.deep, strict=True)]
    )
    share = feed / turns / teeth * np.sin(angle) / chips
    cutting_now = flat & level & (seen.volume > 1e-6)
    h = np.maximum(0.7 * feed / turns / teeth, 0.003)
    kc = material.kc11 * h**-material.mc
    minutes = seen.way / np.maximum(feed, 1.0)
    around = np.ones(WINDOW)
    rate = np.convolve(seen.volume, around, "same") / np.maximum(np.convolve(minutes, around, "same"), 1e-9)
    has = np.array([available(frame.machine, float(n)) for n in turns])
    power = rate * kc / 60e6 / EFFICIENCY / has
    times = seen.way / np.maximum(feed, 1.0)
    air = float(times[seen.volume < 1e-6].sum() / max(times.sum(), 1e-9))
    bound = _bound(planned, checked)
    total = checked.seconds_whole
    down = (motion.kind[1:] == RAPID) & (motion.end[1:, 2] > motion.start[1:, 2] + 0.5)
    text = [f.text for f in checked.findings if f.severity != "note"]
    return Found(
        total / bound, total, bound, float(np.percentile(seen.degrees[cutting_now], 99.8)) if cutting_now.any() else 0.0,
        float(np.percentile(share[cutting_now], 99.8)) if cutting_now.any() else 0.0, air, float(np.percentile(power, 99.8)) if len(power) else 0.0,
        int(down.sum()), (*problems, *text),
    )  # fmt: skip


def _bound(planned: Plan, checked: Checked) -> float:
    """Seconds that no plan can beat by much: the metal of each tool at the best cut of the tables, its changes, the shortest rapids."""
    motion, machine = checked.motion, planned.frame.machine
    seconds = float(checked.times[motion.kind == CHANGE].sum())
    for number in np.unique(motion.tool):
        if int(number) not in planned.tools:
            continue
        tool = planned.tools[int(number)]
        mine = motion.tool == number
        volume = float(checked.removed[mine].sum())
        low = float(motion.end[mine & (checked.removed > 0), 2].min()) if (mine & (checked.removed > 0)).any() else 0.0
        high = planned.frame.block.z1
        seconds += 60 * volume / _best_rate(tool, planned, high - low)
        up = float(motion.end[mine, 2].max()) - low
        seconds += 2 * 60 * up / machine.rapid[2]
    return seconds


def _best_rate(tool: Tool, planned: Plan, height: float) -> float:
    """mm³/min."""
    machine, material = planned.frame.machine, planned.frame.material
    speed = float(suggest_speed(tool, material, machine).text)
    if tool.kind in ("drill", "tap", "reamer"):
        fz = feed_per_tooth(tool, material)
        return math.pi * tool.radius**2 * fz * tool.flutes * speed
    widest = 0.7 * tool.diameter if tool.kind == "face-mill" else 0.8 * tool.diameter
    return cutting.best_cut(tool, material, machine, speed, height, widest).rate


LATHE_TOOLS = (
    ToolRecord(number=1, kind="turning-tool", name="roughing CNMG 0.8", values={"insert": "CNMG120408", "holder_code": "PCLNR2020K12", "stick_out": "40"}),
    ToolRecord(number=2, kind="drill", name="drill 20", values={"diameter": "20", "flutes": "2", "flute_length": "80", "stick_out": "95", "material": "carbide"}),
    ToolRecord(number=3, kind="boring-tool", name="boring bar 12", values={"insert": "DCMT11T304", "diameter": "12", "stick_out": "60", "lead_angle": "93"}),
    ToolRecord(number=4, kind="grooving-tool", name="grooving blade 3", values={"points": "out", "width": "3", "corner_radius": "0.2", "deep": "12"}),
    ToolRecord(number=5, kind="parting-tool", name="parting blade 3", values={"width": "3", "corner_radius": "0.2", "deep": "26"}),
    ToolRecord(number=6, kind="threading-tool", name="threading 60°, outside", values={"points": "out", "pitch": "3", "thread_angle": "60"}),
)  # fmt: skip
BAR = {"diameter": "50", "out": "90", "over_front": "1"}
DRILLED = Step(id="drill", cycle="axis_hole", values={"tool": "2", "depth": "40"})
NARROW = {"diameter": "20", "out": "60", "over_front": "0"}
TURNED: tuple[Row, ...] = (
    Row("turn outside", (_step("turn", shape="cylinder", diameter="38", length="50", tool="1"),), 1.25, {**BAR, "over_front": "0"}),
    Row("bore", (DRILLED, _step("turn", where="inside", shape="cylinder", diameter="32", length="30", tool="3")), 1.5, {**BAR, "over_front": "0"}),
    Row("end face", (_step("end_face", tool="1"),), 1.6, {**BAR, "over_front": "2"}),
    Row("groove 3", (_step("groove", middle_z="-20", width="3", surface="50", bottom="42", tool="4"),), 1.6, {**BAR, "over_front": "0"}),
    Row("groove 8", (_step("groove", middle_z="-20", width="8", surface="50", bottom="42", tool="4"),), 1.6, {**BAR, "over_front": "0"}),
    Row("part off", (_step("part_off", back_z="-20", tool="5"),), 1.6, {**BAR, "diameter": "40", "over_front": "0"}),
    Row("thread M20", (_step("turn_thread", thread="M20", end_z="-25", tool="6"),), 2.0, NARROW),
)  # fmt: skip


def run_lathe(row: Row, material: str) -> Found:
    """One job of a lathe; the last step's tool is judged."""
    setup = Setup(machine="small-lathe-mm", material=material, values=row.stock, steps=row.steps)
    job = Job(name=row.name, tools=LATHE_TOOLS, setups=(setup,))
    planned = plan(job)
    problems = [p.text for s in planned.steps for p in s.answers.problems]
    if len(planned.cut) < len(row.steps):
        return Found(math.nan, 0, 0, 0, 0, 0, 0, 0, tuple(problems))
    checked = Engine().check(Request(job))
    motion, last = checked.motion, len(row.steps) - 1
    mine = checked.step_of_move == last
    step = planned.steps[last]
    tool, v, machine = planned.tools[int(motion.tool[mine][-1])], step.answers.values, planned.frame.machine
    fed = mine & (motion.kind != RAPID) & (motion.kind != CHANGE)
    seconds = float(checked.times[mine & (motion.kind != CHANGE)].sum())
    volume = float(checked.removed[mine].sum())
    if row.name.startswith("thread"):
        passes = int((motion.kind[mine] == THREAD).sum()) // (2 if v.out == "cone" else 1)
        return Found(passes / 12, seconds, 0, passes, 0, 0, float(checked.power[mine].max()), 0, tuple(problems))
    vc = surface_speed(tool, step.work)
    if tool.kind in ("grooving-tool", "parting-tool"):
        f = turning_feed(tool, step.work)
        width = 8.0 if "8" in row.name else 3.0
        r1, r0 = (25.0, 21.0) if tool.kind == "grooving-tool" else (20.0, 0.0)
        plunges = math.ceil(width / 3.0 - 1e-6)
        radii = np.linspace(r0, r1, 400)
        turns = np.minimum(1000 * vc / (2 * math.pi * np.maximum(radii, 1e-3)), step.work.lathe.limit)
        cutting_s = plunges * float(np.trapezoid(60 / (f * turns), radii))
    else:
        rate = best_turning_rate(tool, step.work)
        cutting_s = 60 * volume / rate
    bound = cutting_s + 60 * 2 * (
        abs(machine.turret.change_x / 2 - 25) / machine.rapid[0] + abs(machine.turret.change_z) / machine.rapid[2]
    )
    air = float(checked.times[fed & (checked.removed < 1e-6)].sum() / max(checked.times[fed].sum(), 1e-9))
    text = [f.text for f in checked.findings if f.severity != "note"]
    return Found(seconds / bound, seconds, bound, 0, 0, air, float(checked.power[mine].max()), 0, (*problems, *text))


def best_turning_rate(tool: Tool, w: Work) -> float:
    """mm³/min of the deepest table cut that 80 % of the power allow: P = Q k_c (Kienzle)."""
    vc, f, depth = surface_speed(tool, w), turning_feed(tool, w), depth_of(tool)
    table = 1000 * vc * f * depth
    speed = 1000 * vc / (math.pi * 2 * w.lathe.stock.bounds[3])
    power = (
        cutting.POWER_SHARE * available(w.machine, speed) * EFFICIENCY * 60e6 / (w.material.kc11 * f**-w.material.mc)
    )
    return float(min(table, power))


def table(word: str = "") -> list[tuple[str, str, float, Found]]:
    """All rows whose name has the word."""
    found = []
    for row in (*MILLED, *TURNED):
        for material in MATERIALS:
            if word in row.name:
                one = run_lathe(row, material) if row in TURNED else run_mill(row, material)
                found.append((row.name, material, row.bar, one))
                print(
                    f"{row.name:22} {material:12} {one.ratio:5.2f} (<= {row.bar}) {one.seconds:6.0f} s of {one.bound:5.0f}  {one.degrees:4.0f}°  chip {one.chip:4.2f}  air {one.air * 100:3.0f} %  up {one.retracts:3}  power {one.power * 100:4.0f} %  {'; '.join(one.findings)[:150]}",
                    flush=True,
                )
    return found


def run() -> dict[str, float]:
    """Prints the table; the figures are how many rows keep their bar, and the worst of what must not be."""
    found = table()
    kept = sum(one.ratio <= bar for _, _, bar, one in found)
    told = sum(bool(one.findings) for *_, one in found)
    return {"rows": len(found), "rows_within_bar": kept, "rows_with_findings": told}


if __name__ == "__main__":
    table(*sys.argv[1:2])
