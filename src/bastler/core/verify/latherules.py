"""What the tool table says against a lathe's text, whoever wrote it: which tool may go where, on what turns, and where the turret turns."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from bastler.core.gcode.motion import ARC, BAR, CHANGE, FEED, RAPID, THREAD
from bastler.core.geometry.halfsection import FAR_MM, Area, clipped, widened
from bastler.core.quantities import show
from bastler.core.tooling.tools import Tool
from bastler.core.verify.lathejudge import LatheJudge
from bastler.core.verify.plausible import CUTS_MM3, dwells, feeds, wrong_turns
from bastler.core.verify.stock import Happened
from bastler.core.verify.taps import PITCH_SHARE, hole_radii
from bastler.core.verify.threadrules import threads

ON_AXIS = ("drill", "insert-drill", "spot-drill", "centre-drill", "reamer", "tap", "countersink")
OFF_AXIS_MM = 0.02
FLOATING_SHARE = 0.88
"""A floating holder lets a tap be fed a little less than its pitch."""
TURRET = "turret"
SWING_MM = 1.0
"""What a turning turret must stay off the metal."""
FULL_BLADE_SHARE = 0.8
FELL_MM = 0.3


def rules(judge: LatheJudge, happened: Happened, stock: Area) -> None:
    """Every rule over the whole program; ``stock``: the half section at the end, with what was parted off."""
    m = judge.motion
    cutting = (m.kind == FEED) | (m.kind == ARC)
    cuts = cutting & (happened.removed > CUTS_MM3)
    tapping = np.isin(m.tool, [n for n, t in judge.plan.tools.items() if t.kind == "tap"])
    falling = (m.end[:, 2] < m.start[:, 2] - 1e-9) & (m.end[:, 2] < judge.front)
    wrong_turns(judge, np.where(tapping, (cutting | (m.kind == THREAD)) & falling, cuts | (m.kind == THREAD)))
    feeds(judge, cuts)
    dwells(judge)
    _axis_tools(judge, cuts, stock)
    _taps(judge, stock)
    _face_blades(judge, happened.removed)
    _fallen(judge, happened, cutting)
    _indexing(judge)
    threads(judge, stock)


def _axis_tools(judge: LatheJudge, cuts: NDArray[np.bool_], stock: Area) -> None:
    m, units = judge.motion, judge.plan.job.units
    front = float(stock.bounds[2]) if not stock.is_empty else 0.0
    for number, tool in judge.plan.tools.items():
        if tool.kind not in ON_AXIS:
            continue
        mine = m.tool == number
        off = np.flatnonzero(mine & (cuts | (m.kind == THREAD)) & (np.abs(m.end[:, 0]) > OFF_AXIS_MM))
        if len(off):
            text = f"{judge.name(tool)} cuts at X {show(2 * float(m.end[off[0], 0]), units=units, digits=2)}; on a lathe it cuts on the axis only. Write X0."
            judge.gathered("off-axis", "stop", text, off)
        deep = np.flatnonzero(
            mine & (cuts | (m.kind == THREAD)) & (m.end[:, 2] < front - tool.flute_length - OFF_AXIS_MM)
        )
        if len(deep) and tool.clogs:
            by = front - float(m.end[deep, 2].min()) - tool.flute_length
            text = f"{judge.name(tool)} goes {judge.mm(by)} deeper than its flutes: chips can't get out. Take a longer one, or drill less deep."
            judge.gathered("depth-of-cut", "stop", text, deep)


def _taps(judge: LatheJudge, stock: Area) -> None:
    """In at the pitch, back at the pitch with the spindle turned round, in a hole that suits."""
    m = judge.motion
    for number, tool in judge.plan.tools.items():
        if tool.kind != "tap" or tool.pitch <= 0:
            continue
        moves = (m.tool == number) & ((m.kind == FEED) | (m.kind == THREAD))
        down = np.flatnonzero(moves & (m.end[:, 2] < m.start[:, 2] - 1e-9) & (m.end[:, 2] < judge.front))
        if not len(down):
            continue
        pitch = np.divide(m.feed[down], m.speed[down], out=np.full(len(down), tool.pitch), where=m.speed[down] > 0)
        least = np.where(m.kind[down] == THREAD, 1 - PITCH_SHARE, FLOATING_SHARE) * tool.pitch
        off = down[(pitch < least) | (pitch > (1 + PITCH_SHARE) * tool.pitch)]
        if len(off):
            units = judge.plan.job.units
            has, right = (show(float(p), units=units, digits=4) for p in (m.feed[off[0]] / m.speed[off[0]], tool.pitch))
            judge.gathered(
                "wrong-pitch",
                "stop",
                f"F makes a pitch of {has}; {judge.name(tool)} has {right}. Write F{right} a turn.",
                off,
            )
        _out(judge, tool, down)
        _hole(judge, tool, down, stock)


def _out(judge: LatheJudge, tool: Tool, down: NDArray[np.int64]) -> None:
    m, name = judge.motion, judge.name(tool)
    torn: list[tuple[str, int]] = []
    for i in down.tolist():
        after = next((k for k in range(i + 1, len(m)) if m.kind[k] in (RAPID, FEED, THREAD)), None)
        if after is None or m.end[after, 2] <= m.start[after, 2]:
            continue
        if m.kind[after] == RAPID:
            torn.append((f"{name} is pulled out at rapid without turning back: it tears the thread. Use G84.", after))
        elif m.turn[after] == m.turn[i] and m.turn[i]:
            torn.append(
                (
                    f"{name} comes out while the spindle turns as on the way in: it tears the thread. Use G84, or turn the spindle back before.",
                    after,
                )
            )
        elif m.kind[i] == THREAD and m.line[after] != m.line[i]:
            torn.append(
                (
                    f"{name} is cut in step with the spindle, which runs on while it is turned round between two lines: it tears the thread. Use G84.",
                    after,
                )
            )
    if torn:
        judge.gathered("tap-torn", "stop", torn[0][0], np.array([i for _, i in torn]))


def _hole(judge: LatheJudge, tool: Tool, down: NDArray[np.int64], stock: Area) -> None:
    m, units = judge.motion, judge.plan.job.units
    bottom = float(m.end[down, 2].min()) + tool.tip_length
    front = min(judge.front, float(stock.bounds[2])) if not stock.is_empty else 0.0
    middle = (bottom + front) / 2
    band = clipped(stock, middle - 0.01, 0.0, middle + 0.01, FAR_MM)
    if band.is_empty or bottom >= front:
        return
    radius = float(band.bounds[1])
    least, core, most = hole_radii(tool)
    if least <= radius <= most:
        return
    right = show(2 * core, units=units, digits=3)
    if radius < 1e-6:
        text = f"{judge.name(tool)} goes where there is no hole. Drill Ø{right} before."
    else:
        word = "narrow" if radius < least else "wide"
        text = f"The hole is too {word} for {judge.name(tool)}: Ø{show(2 * radius, units=units, digits=3)}. Drill Ø{right}."
    judge.gathered("tap-hole", "stop", text, down[-1:])


def _face_blades(judge: LatheJudge, removed: NDArray[np.float64]) -> None:
    """A blade for face grooves starts only between the diameters that its curved support fits."""
    m, units = judge.motion, judge.plan.job.units
    for number, tool in judge.plan.tools.items():
        if tool.cutter is None or tool.cutter.reach != "face" or not (tool.face_from or tool.face_to):
            continue
        falling = m.end[:, 2] < m.start[:, 2] - 1e-6
        mine = np.flatnonzero((m.tool == number) & (m.kind == FEED) & falling & (removed > CUTS_MM3))
        low, high = tool.face_from, tool.face_to or FAR_MM
        for i in mine.tolist():
            if not low - 0.01 <= 2 * m.end[i, 0] <= high + 0.01 and _in_solid(judge, tool, int(i), removed):
                text = f"{judge.name(tool)} starts its groove at Ø{show(2 * float(m.end[i, 0]), units=units, digits=2)}; it can start between Ø{show(low, units=units)} and Ø{show(high, units=units)}. Take another blade."
                judge.add("face-blade", "stop", text, int(i))
                break


def _in_solid(judge: LatheJudge, tool: Tool, i: int, removed: NDArray[np.float64]) -> bool:
    """Whether a blade's whole width is in metal: it took a full ring, as deep as it went below the front."""
    m = judge.motion
    outer = float(m.end[i, 0])
    deep = min(float(m.start[i, 2]), judge.front) - float(m.end[i, 2])
    ring = np.pi * (outer**2 - max(outer - tool.width, 0.0) ** 2) * max(deep, 1e-6)
    return bool(removed[i] > FULL_BLADE_SHARE * ring)


def _fallen(judge: LatheJudge, happened: Happened, cutting: NDArray[np.bool_]) -> None:
    """Cutting a piece that lies in the catcher already; parting off against the tailstock."""
    m = judge.motion
    for move, area in happened.parted.items():
        if any(body.role == "tailstock" for body in judge.plan.frame.held.bodies):
            text = "The part is cut off while the tailstock pushes against it: it jams. Take the tailstock back before, in a setup of its own, or leave a pip to break off."
            judge.add("cut-off", "stop", text, move)
        inside = widened(area, -FELL_MM)
        if inside.is_empty:
            continue
        shapely.prepare(inside)
        comes = np.flatnonzero(m.kind[move:] == BAR)
        until = move + int(comes[0]) if len(comes) else len(m)
        later = np.flatnonzero((cutting | (m.kind == THREAD))[move + 1 : until]) + move + 1
        for i in later.tolist():
            if m.line[i] == m.line[move]:
                continue
            tool = judge.plan.tools.get(int(m.tool[i]))
            if tool is None or m.tool[i] == m.tool[move]:
                continue
            edge = np.asarray(tool.in_plane.outline(0.05)) + np.array([m.end[i, 2], m.end[i, 0]])
            if shapely.intersects(inside, shapely.MultiPoint(edge).convex_hull):
                text = f"{judge.name(tool)} works on a piece that was cut off in line {m.line[move]}. Part off last."
                judge.add("cut-off", "stop", text, i)
                return


def _indexing(judge: LatheJudge) -> None:
    """The turret turns where none of its tools, swung past, reaches the metal."""
    m, plan = judge.motion, judge.plan
    if plan.frame.machine.turret.carrier != TURRET:
        return
    axial = {n: t.gauge_length if t.cutter is None or t.cutter.reach != "out" else 0.0 for n, t in plan.tools.items()}
    longest = max(axial, key=lambda n: axial[n], default=None)
    radius = max((t.radius for t in plan.tools.values() if t.cutter is None), default=0.0)
    before = None
    for i in np.flatnonzero(m.kind == CHANGE).tolist():
        last, before = before, int(m.tool[i])
        if i == 0 or last is None or longest is None:
            continue
        x, _, z = (float(c) for c in m.start[i])
        swung = z + axial.get(last, 0.0) - axial[longest]
        if swung < judge.front + SWING_MM and x < judge.thickest + radius + SWING_MM:
            text = f"The turret turns at X {show(2 * x, units=plan.job.units, digits=2)} Z {show(z, units=plan.job.units, digits=2)}: {judge.name(plan.tools[longest])}, swung past, reaches the part. Go further away before, as to the change place."
            judge.add("change-place", "stop", text, i)
