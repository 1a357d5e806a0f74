"""Threads of a lathe, pass by pass: one pitch, one that the insert can cut, deep enough in the end and not too deep at once, with way enough to get up to speed."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from bastler.core.gcode.motion import THREAD
from bastler.core.geometry.halfsection import FAR_MM, Area, clipped
from bastler.core.quantities import show
from bastler.core.tooling.tools import Tool
from bastler.core.verify.lathejudge import LatheJudge
from bastler.core.verify.taps import PITCH_SHARE

SHALLOWEST, DEEPEST = 0.45, 0.95
"""Depth of a finished thread in pitches: 0.5413 inside and 0.6134 outside at 60° (ISO 68-1), 0.64 at 55°, half a pitch and play at 30°."""
FIRST_SHARE = 0.45
FIRST_MM = 0.55
"""A first pass may take so much of the thread's depth, or so many mm if that is more."""
SAME_DEPTH_MM = 0.005
IN_RELIEF_MM = 0.05
RUN_OUT_SLOPE = 0.2


@dataclass(frozen=True)
class ThreadPass:
    """One cut of a thread: its move, where it starts and ends along Z, the radius in its middle, and the way in one turn, mm; ``out``: it goes on out of the metal at an angle."""

    move: int
    start: float
    end: float
    radius: float
    lead: float
    out: bool = False


def threads(judge: LatheJudge, stock: Area) -> None:
    """Every thread that a threading tool cuts."""
    m = judge.motion
    for number, tool in judge.plan.tools.items():
        if tool.kind != "threading-tool":
            continue
        for passes in _groups(judge, np.flatnonzero((m.kind == THREAD) & (m.tool == number)).tolist()):
            _pitch(judge, tool, passes)
            _depth(judge, tool, passes, stock)
            _runs(judge, passes, stock)


def _groups(judge: LatheJudge, moves: list[int]) -> list[list[ThreadPass]]:
    """Passes over the same stretch, in order."""
    m = judge.motion
    groups: list[list[ThreadPass]] = []
    for i in moves:
        (x0, _, z0), (x1, _, z1) = m.start[i], m.end[i]
        way = float(np.hypot(z1 - z0, x1 - x0))
        along = max(abs(z1 - z0), abs(x1 - x0), 1e-9)
        lead = float(m.feed[i] / m.speed[i]) * along / way if m.speed[i] > 0 and way > 0 else 0.0
        one = ThreadPass(i, float(z0), float(z1), float(x0 + x1) / 2, lead)
        last = groups[-1][-1] if groups else None
        if last and _runs_out(judge, last, i):
            groups[-1][-1] = replace(last, out=True)
            continue
        if last and min(max(last.start, last.end), max(z0, z1)) > max(min(last.start, last.end), min(z0, z1)) + 1e-6:
            groups[-1].append(one)
        else:
            groups.append([one])
    return groups


def _runs_out(judge: LatheJudge, before: ThreadPass, i: int) -> bool:
    """Whether a move is the way out of the pass just before it: on from its end, steeper than any thread."""
    m = judge.motion
    if i != before.move + 1 or np.abs(m.start[i] - m.end[before.move]).max() > SAME_DEPTH_MM:
        return False
    return bool(abs(m.end[i, 0] - m.start[i, 0]) > RUN_OUT_SLOPE * abs(m.end[i, 2] - m.start[i, 2]))


def _pitch(judge: LatheJudge, tool: Tool, passes: list[ThreadPass]) -> None:
    units = judge.plan.job.units
    lead = passes[0].lead
    other = [p for p in passes if p.lead > 0 and abs(p.lead - lead) > PITCH_SHARE * lead]
    if other:
        text = f"This pass runs at a pitch of {show(other[0].lead, units=units, digits=4)}, the first one of the thread at {show(lead, units=units, digits=4)}: it cuts across it. Give every pass the same F."
        judge.gathered("thread-pitch", "stop", text, np.array([p.move for p in other]))
    if tool.pitch <= 0 or lead <= 0 or _starts(passes) > 1:
        return
    too_much = lead > (1 + PITCH_SHARE) * tool.pitch
    if too_much or (tool.full_profile and abs(lead - tool.pitch) > PITCH_SHARE * tool.pitch):
        word = "is for" if tool.full_profile else "cuts pitches up to"
        text = f"The thread has a pitch of {show(lead, units=units, digits=4)}; the insert of {judge.name(tool)} {word} {show(tool.pitch, units=units, digits=4)}. Take another insert, or correct F."
        judge.add("thread-insert", "stop", text, passes[0].move)


def _starts(passes: list[ThreadPass]) -> int:
    """How many starts a thread seems to have: how often its first depth is cut, at the same or at shifted places."""
    return sum(abs(p.radius - passes[0].radius) < SAME_DEPTH_MM for p in passes)


def _crest(stock: Area, p: ThreadPass, *, inside: bool) -> float | None:
    """Radius of the cylinder that a thread is cut into, by the middle of its stretch in metal."""
    low, high = min(p.start, p.end), max(p.start, p.end)
    middle = low + 0.5 * (high - low)
    band = clipped(stock, middle - 0.01, 0.0, middle + 0.01, FAR_MM)
    return None if band.is_empty else float(band.bounds[1] if inside else band.bounds[3])


def _depth(judge: LatheJudge, tool: Tool, passes: list[ThreadPass], stock: Area) -> None:
    inside = tool.in_plane.reach == "in"
    crest = _crest(stock, passes[0], inside=inside)
    lead, starts = passes[0].lead, _starts(passes)
    if crest is None or lead <= 0 or passes[0].start == passes[0].end:
        return
    way = -1.0 if inside else 1.0
    depths = [way * (crest - p.radius) for p in passes]
    pitch = lead / starts
    units = judge.plan.job.units
    if depths[0] > max(FIRST_MM, FIRST_SHARE * pitch * 0.6134) + 1e-6:
        text = f"The first pass of the thread is {show(depths[0], units=units, digits=3)} deep: too much for the insert. Begin with less, and let the passes get thinner."
        judge.add("thread-depth", "warn", text, passes[0].move)
    last = max(depths)
    if last < SHALLOWEST * pitch or last > DEEPEST * pitch:
        word = "shallow" if last < SHALLOWEST * pitch else "deep"
        text = f"The thread ends {show(last, units=units, digits=3)} deep, too {word} for a pitch of {show(pitch, units=units, digits=4)} on Ø{show(2 * crest, units=units, digits=3)}. Correct the last X, or the diameter before."
        judge.add("thread-depth", "warn", text, passes[int(np.argmax(depths))].move)


def _runs(judge: LatheJudge, passes: list[ThreadPass], stock: Area) -> None:
    """The slide needs v² / 2a to get up to the thread's speed and to come to rest, v: lead · turns (uniform acceleration).

    A thread that ends in the metal has no run-out to judge; where the relief begins is judged by the first pass, near the crests.
    """
    m, a = judge.motion, judge.plan.frame.machine.acceleration[2]
    for p in passes:
        v = float(m.feed[p.move]) / 60
        needed = v * v / (2 * a)
        low, high = sorted((p.start, p.end))
        metal = clipped(stock, low, max(min(abs(p.radius), FAR_MM) - 0.001, 0.0), high, abs(p.radius) + 0.001)
        if metal.is_empty or needed <= 0:
            continue
        first = float(metal.bounds[2] if p.start > p.end else metal.bounds[0])
        room = abs(p.start - first)
        if room < needed - 0.01:
            text = f"The thread begins {judge.mm(room)} before the metal; at {m.speed[p.move]:.0f} /min the slide needs {judge.mm(needed)} to get up to its pitch. Begin further ahead, or turn slower."
            judge.add("run-in", "warn", text, p.move)
            return
        last = float(metal.bounds[0] if p.start > p.end else metal.bounds[2])
        room = abs(p.end - last)
        if p is passes[0] and IN_RELIEF_MM < room < needed - 0.01:
            text = f"The thread goes {judge.mm(room)} on past the metal; at {m.speed[p.move]:.0f} /min the slide needs {judge.mm(needed)} to come to rest, so its last turns are narrower. Turn slower, or end further in the relief."
            judge.add("run-out", "warn", text, p.move)
            return
