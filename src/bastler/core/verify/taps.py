"""Taps of a milling machine: feed by the pitch at any time, out the way they came in, in a hole that suits them."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

import numpy as np

from bastler.core.gcode.motion import CHANGE, DWELL, FEED, RAPID, Motion
from bastler.core.quantities import show
from bastler.core.tooling.tools import THREAD_DEPTH_SHARE, Tool
from bastler.core.verify.heightfield import HeightField
from bastler.core.verify.verdict import Verdict

PITCH_SHARE = 0.005
"""Feed and speed may miss the pitch by so much: rounding."""
NARROWEST, WIDEST = 0.64, 0.36
"""Bounds of a cut tap's hole as its radius less so many pitches (the minor diameter is 0.5413 pitches less, ISO 68-1)."""
NARROWEST_FORMED, RIGHT_FORMED, WIDEST_FORMED = 0.33, 0.225, 0.12
"""The same of a forming tap, whose hole is about 0.23 pitches less than its radius."""
CELL_SHARE = 0.4
"""A hole's radius is known from the cells to this share of one."""
SECTORS = 24
MOST_SECTORS = 0.3
"""A neighbouring hole takes metal away in some directions; a wide hole lacks it in all."""
INSIDE_SHARE = 0.2
"""The innermost cell of a sector lies that much further out than the hole's wall."""


Tell = Callable[[str, str, int], None]


def taps(judge: Verdict, radii: Mapping[int, float], cell: float) -> None:
    """Every tap of the table over the whole program; ``radii``: of the hole that the tap found, by its last move down (:func:`radius_found`)."""
    for number, tool in judge.plan.tools.items():
        if tool.kind != "tap" or tool.pitch <= 0:
            continue
        faults: dict[str, tuple[str, list[int]]] = {}

        def tell(kind: str, text: str, move: int, faults: dict[str, tuple[str, list[int]]] = faults) -> None:
            faults.setdefault(kind, (text, []))[1].append(move)

        for run in runs_down(judge.motion, number):
            if float(judge.motion.end[run[-1], 2]) > judge.plan.frame.bed.z1:
                continue
            _pitch(judge, tool, run, tell)
            _out(judge, tool, run, tell)
            on_bottom = any(f.kind == "tap-bottom" and f.line == judge.motion.line[run[-1]] for f in judge.findings)
            if run[-1] in radii and not on_bottom:
                _hole(judge, tool, radii[run[-1]], cell, run[-1], tell)
        for kind, (text, moves) in faults.items():
            judge.gathered(kind.split("/")[0], "stop", text, np.array(moves))


def runs_down(m: Motion, number: int) -> list[list[int]]:
    """Feeds of a tap straight down, those of one hole together."""
    down = (m.kind == FEED) & (m.tool == number) & (m.end[:, 2] < m.start[:, 2] - 1e-9)
    runs: list[list[int]] = []
    for i in np.flatnonzero(down).tolist():
        if runs and i == runs[-1][-1] + 1:
            runs[-1].append(i)
        else:
            runs.append([i])
    return runs


def _pitch(judge: Verdict, tool: Tool, run: list[int], tell: Tell) -> None:
    m = judge.motion
    for i in run:
        if m.speed[i] <= 0:
            continue
        pitch = float(m.feed[i] / m.speed[i])
        if abs(pitch - tool.pitch) > PITCH_SHARE * tool.pitch:
            units = judge.plan.job.units
            text = f"F and S make a pitch of {show(pitch, units=units, digits=4)}; {judge.name(tool)} has {show(tool.pitch, units=units, digits=4)}. Write {_feed(judge, tool, i)} a minute."
            tell("wrong-pitch", text, i)
            return


def _feed(judge: Verdict, tool: Tool, move: int) -> str:
    """The F word that keeps a tap's pitch at a move's speed."""
    return f"F{show(float(tool.pitch * judge.motion.speed[move]), units=judge.plan.job.units, digits=3)}"


def _out(judge: Verdict, tool: Tool, run: list[int], tell: Tell) -> None:
    """A tap comes out by turning back, at the same pitch."""
    m = judge.motion
    after = run[-1] + 1
    while after < len(m) and m.kind[after] == DWELL:
        after += 1
    if after >= len(m) or m.kind[after] == CHANGE or m.end[after, 2] <= m.start[after, 2]:
        return
    name = judge.name(tool)
    if m.kind[after] == RAPID:
        tell(
            "tap-torn",
            f"{name} is pulled out at rapid without turning back: it tears the thread. Use G84, or turn the spindle back and feed out.",
            after,
        )
    elif m.turn[after] != -m.turn[run[-1]]:
        tell(
            "tap-torn",
            f"{name} comes out while the spindle turns as on the way in: it tears the thread. Use G84, or turn the spindle back before.",
            after,
        )
    elif m.speed[after] > 0 and abs(m.feed[after] / m.speed[after] - tool.pitch) > PITCH_SHARE * tool.pitch:
        tell(
            "wrong-pitch",
            f"{name} comes out at another feed than its pitch. Write {_feed(judge, tool, after)} a minute.",
            after,
        )


def _hole(judge: Verdict, tool: Tool, radius: float, cell: float, move: int, tell: Tell) -> None:
    units, slack = judge.plan.job.units, CELL_SHARE * cell
    least, right, most = hole_radii(tool)
    if least - slack <= radius <= most + slack:
        return
    word, verb = ("narrow", "Drill it wider") if radius < least else ("wide", "Drill it narrower")
    text = f"The hole is too {word} for {judge.name(tool)}: about Ø{show(2 * radius, units=units, digits=1 if units == 'mm' else 2)}. {verb}, about Ø{show(2 * right, units=units, digits=2 if units == 'mm' else 3)}."
    tell(f"tap-hole/{word}", text, move)


def hole_radii(tool: Tool) -> tuple[float, float, float]:
    """Least, right and largest radius of the hole that a tap can thread, mm."""
    shares = (
        (NARROWEST_FORMED, RIGHT_FORMED, WIDEST_FORMED) if tool.forming else (NARROWEST, THREAD_DEPTH_SHARE, WIDEST)
    )
    least, right, most = (tool.radius - share * tool.pitch for share in shares)
    return least, right, most


def radius_found(stock: HeightField, m: Motion, tool: Tool, run: list[int]) -> float | None:
    """Radius of the hole that a tap went into, mm, from the cells that it cut: where its cut begins, in most directions.

    ``None`` where there is no metal round it, or a thread already; the tap's own radius where it cut nothing.
    """
    end = m.end[run[-1]]
    grid, r = stock.grid, tool.radius
    by = r + 2 * grid.cell
    rows, columns = grid.window((end[0] - by, end[0] + by, end[1] - by, end[1] + by))
    x, y = np.meshgrid(grid.xs()[columns] - end[0], grid.ys()[rows] - end[1])
    away = np.hypot(x, y)
    cut_by = stock.cut_by[rows, columns]
    own = (cut_by >= run[0]) & (cut_by <= run[-1]) & (away <= r)
    if not own.any():
        around = (away > r) & (stock.heights[rows, columns] > end[2] + tool.pitch)
        again = (away <= r) & (cut_by >= 0) & (m.tool[np.maximum(cut_by, 0)] == tool.number)
        return r if around.any() and not again.any() else None
    sector = ((np.arctan2(y, x) / math.tau + 1) * SECTORS).astype(int) % SECTORS
    nearest = np.full(SECTORS, np.inf)
    np.minimum.at(nearest, sector[own], away[own])
    return float(np.quantile(nearest[np.isfinite(nearest)], MOST_SECTORS)) - INSIDE_SHARE * grid.cell
