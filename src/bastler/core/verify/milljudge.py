"""From what happened to findings: each with line, step, point and a sentence with the remedy."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from bastler.core.findings import MOST_OF_A_KIND, Finding
from bastler.core.gcode.motion import ALONG_AXES, ARC, FEED
from bastler.core.geometry.placement import Placement
from bastler.core.geometry.shapes import Removal
from bastler.core.plans.plan import StepPlan
from bastler.core.quantities import show
from bastler.core.tooling.cutting import slot_depth
from bastler.core.tooling.tools import Tool
from bastler.core.verify.contact import contacts
from bastler.core.verify.heightfield import HeightField
from bastler.core.verify.stock import BODY, EDGE, Happened, Touch
from bastler.core.verify.taps import radius_found, runs_down
from bastler.core.verify.target import Spot, spot_of, standing, too_low
from bastler.core.verify.verdict import NOTICED_MM, Verdict
from bastler.core.verify.walls import gouges, leftover, ways_of

SIDEWAYS_KINDS = ("face-mill", "end-mill", "ball-mill", "taper-mill", "thread-mill")
"""Tools whose depth of cut has a sensible limit; the others go as deep as their hole."""
SENSIBLE_DEPTH_DIAMETERS = 1.5
DEEPER_SHARE = 1.3
"""A cut may be this much deeper than the tables suggest before it is told."""
LONGEST_TAPPED = 50
"""Feeds into one hole of which some may lie in the moves cut before these."""
FINISHING_SHARE = 0.05
"""A cut thinner than this share of the tool's diameter may be as deep as its flutes."""


@dataclass
class MillJudge(Verdict):
    """Collects the findings of one checked program of a mill; ``tap_radii``: what holes taps found, by their last move down, mm."""

    tap_radii: dict[int, float] = field(default_factory=dict)

    def xy(self, x: float, y: float) -> str:
        """A place in words."""
        units = self.plan.job.units
        return f"X {show(x, units=units, digits=2)} Y {show(y, units=units, digits=2)}"

    # what the moves did

    def _allowed(self, tool: Tool, width: NDArray[np.float64]) -> NDArray[np.float64]:
        """How deep a tool may cut on each move, by how wide it cuts on the whole: see :mod:`bastler.core.tooling.cutting`."""
        wraps = np.arccos(np.clip(1 - 2 * width / tool.diameter, -1.0, 1.0))
        slot = slot_depth(tool, self.plan.frame.material)
        return np.asarray(DEEPER_SHARE * slot * np.pi / np.maximum(wraps, 1e-3))

    def cuts(self, cuts: Happened, stock: HeightField, first: int) -> None:
        """Findings of moves ``first`` onwards from what they cut and touched."""
        n = len(cuts.removed)
        part = slice(first, first + n)
        kind = self.motion.kind[part]
        for one in self._worst(t for t in cuts.touches if t.what == EDGE):
            text = f"A rapid move goes {self.mm(one.by)} deep through metal at {self.xy(*one.at[:2])}. {self._rapid_remedy(one.move, one.at[2])}"
            self.add("rapid-in-stock", "stop", text, one.move, one.at)
        cutting = (kind == FEED) | (kind == ARC)
        stands = cutting & (self.motion.speed[part] <= 0) & (self.motion.turn[part] == 0) & (cuts.removed > 1e-6)
        for i in _runs(stands, -np.arange(n, dtype=float), self.motion.line[part]):
            self.add("spindle-off", "stop", "The tool cuts while the spindle stands. Add M3 with S before.", first + i)
        self._depths(cuts, cutting, first)
        self._taps(cutting, stock, first)
        bodies = [t for t in cuts.touches if t.what == BODY]
        for k in sorted({t.part for t in bodies}):
            for one in self._worst(t for t in bodies if t.part == k):
                self._touch(self.plan.tools[int(self.motion.tool[one.move])], one)

    def _worst(self, touches: Iterable[Touch]) -> list[Touch]:
        """The worst of each run of neighbouring moves."""
        felt = [t for t in touches if t.by > NOTICED_MM]
        runs: list[list[Touch]] = []
        for one in felt:
            if runs and self._follows(runs[-1][-1].move, one.move):
                runs[-1].append(one)
            else:
                runs.append([one])
        return [max(run, key=lambda t: t.by) for run in runs]

    def _follows(self, before: int, move: int) -> bool:
        """Whether a move goes on with what one before it did: gaps up to 3 moves, or to the next line, are bridged."""
        return move - before <= 4 or int(self.motion.line[move]) - int(self.motion.line[before]) <= 1

    def _rapid_remedy(self, move: int, top: float) -> str:
        """How a rapid move stays clear of metal that is ``top`` high."""
        (x0, y0, z0), (x1, y1, z1) = self.motion.start[move], self.motion.end[move]
        height = show(top, units=self.plan.job.units, digits=2)
        if abs(x1 - x0) + abs(y1 - y0) > NOTICED_MM:
            return f"Lift it above Z {height} before, or cut there first."
        return f"Stop it above Z {height} and feed on from there." if z1 < z0 else "Take it out the way it came in."

    def _touch(self, tool: Tool, one: Touch) -> None:
        """A body in metal."""
        name, by, where = f"T{tool.number} ({tool.name})", one.by, self.xy(*one.at[:2])
        if tool.clogs and one.part == 0:
            text = f"{name} goes {self.mm(by)} deeper than its flutes at {where}: chips can't get out. Take a longer drill."
            self.add("depth-of-cut", "stop", text, one.move, one.at)
            return
        index = one.part - (1 if tool.clogs else 0)
        shank = index == 0 and tool.stick_out > tool.flute_length
        word = "shank" if shank else "holder"
        remedy = f"Take flutes {self.mm(by)} longer." if shank else f"Clamp it {self.mm(by)} longer."
        text = f"The {word} of {name} runs {self.mm(by)} deep into metal at {where}. {remedy}"
        self.add("shank-contact", "stop", text, one.move, one.at)

    def _depths(self, cuts: Happened, cutting: NDArray[np.bool_], first: int) -> None:
        tool_of = self.motion.tool[first : first + len(cuts.removed)]
        line = self.motion.line[first : first + len(cuts.removed)]
        part = self.motion.run(first, first + len(cuts.removed))
        lengths, sweeps = part.lengths(), np.abs(part.sweep)
        for number, tool in self.plan.tools.items():
            if tool.clogs or tool.kind == "boring-bar":
                continue
            mine = cutting & (tool_of == number)
            width = _widths(cuts, mine, lengths + tool.radius * sweeps, tool.radius)
            thick = width > FINISHING_SHARE * tool.diameter
            much = mine & (
                (cuts.deepest > tool.flute_length + NOTICED_MM)
                | (
                    (tool.kind in SIDEWAYS_KINDS)
                    & thick
                    & (cuts.deepest > SENSIBLE_DEPTH_DIAMETERS * tool.diameter + NOTICED_MM)
                    & (cuts.deepest > self._allowed(tool, width))
                )
            )
            for i in _runs(much, cuts.deepest, line):
                deep = float(cuts.deepest[i])
                name = f"T{number} ({tool.name})"
                if deep > tool.flute_length + NOTICED_MM:
                    self.add(
                        "depth-of-cut",
                        "stop",
                        f"{name} cuts {self.mm(deep)} deep at once; its flutes are {self.mm(tool.flute_length)}. Give a smaller depth per pass.",
                        first + i,
                    )
                else:
                    self.add(
                        "depth-of-cut",
                        "warn",
                        f"{name} cuts {self.mm(deep)} deep at once, more than {SENSIBLE_DEPTH_DIAMETERS:g} diameters, and too wide for that. Give a smaller depth per pass or side step.",
                        first + i,
                    )

    def _taps(self, cutting: NDArray[np.bool_], stock: HeightField, first: int) -> None:
        """A tap whose point cuts on its own axis has run onto the bottom of its hole, or there is none."""
        for number, tool in self.plan.tools.items():
            if tool.kind != "tap":
                continue
            before = max(first - LONGEST_TAPPED, 0)
            for part in runs_down(self.motion.run(before, first + len(cutting)), number):
                run = [before + i for i in part]
                found = radius_found(stock, self.motion, tool, run) if run[-1] >= first else None
                if found is not None:
                    self.tap_radii[run[-1]] = found
            mine = np.flatnonzero(cutting & (self.motion.tool[first : first + len(cutting)] == number)) + first
            for move in mine:
                x, y, z = (float(c) for c in self.motion.end[move])
                ix, iy = stock.grid.cell_of(x, y)
                if stock.grid.holds(ix, iy) and stock.cut_by[iy, ix] == move:
                    self.add("tap-bottom", "stop",
                             f"The point of T{number} ({tool.name}) runs into metal at {self.xy(x, y)}, Z {show(z, units=self.plan.job.units, digits=2)}. "
                             "Drill deeper before, or tap less deep.", int(move), (x, y, z))  # fmt: skip

    # machine and fixture

    def machine(self) -> None:
        """Speeds, feeds, travels and the vise."""
        m = self.motion
        cutting = (m.kind == FEED) | (m.kind == ARC)
        self.limits(cutting, cutting)
        self._travel()
        before: tuple[int, str] | None = None
        for c in contacts(m, dict(self.plan.tools), self.plan.frame.obstacles):
            key = (int(self.step_of_move[c.move]), c.obstacle.word)
            if key != before:
                self.add("fixture-contact", "stop",
                         f"The {c.part} touches {c.obstacle.word}. It must stay {self.mm(c.lift)} higher: {c.obstacle.remedy}, or move the cut.", c.move)  # fmt: skip
            before = key

    def _travel(self) -> None:
        m, f = self.motion, self.plan.frame
        origin = np.array(f.machine_origin)
        gauge = np.zeros(len(m))
        for number, tool in self.plan.tools.items():
            gauge[m.tool == number] = tool.gauge_length
        moves = np.flatnonzero(np.isin(m.kind, ALONG_AXES))
        if not len(moves):
            return
        low, high = m.extents(moves)
        low[:, 2] += gauge[moves]
        high[:, 2] += gauge[moves]
        for i, axis in enumerate("XYZ"):
            travel = f.machine.travel[i]
            over = np.maximum(high[:, i] - origin[i], (origin[i] - travel) - low[:, i])
            worst = int(np.argmax(over))
            if over[worst] > NOTICED_MM:
                self.add("overtravel", "stop",
                         f"{axis} leaves the travel of {f.machine.name} ({self.mm(travel)}) by {self.mm(over[worst])}. "
                         f"{'Clamp the tool shorter or the part lower' if i == 2 else 'Move the block on the table'}, or use a larger machine.",
                         int(moves[worst]))  # fmt: skip

    # the shape

    def wanted(self) -> tuple[Removal, ...]:
        """What all steps promise to take away, at every part."""
        return tuple(r for s in self.plan.cut for r in self.of_all_parts(s) if not r.wanted)

    def shape(self, stock: HeightField, target: NDArray[np.float32]) -> None:
        """Stock against the finished shape that the steps declare, as heights; a job without steps says nothing of it."""
        ready = self.plan.cut
        if not ready:
            return
        everything = self.wanted()
        iy, ix, by = too_low(stock, everything, target)
        if len(ix):
            move = stock.cut_by[iy, ix]
            step = np.where(move >= 0, self.step_of_move[np.maximum(move, 0)], -1)
            owner = np.where(step >= 0, step, -1 - self.motion.line[np.maximum(move, 0)])
            if len(np.unique(owner)) > MOST_OF_A_KIND:
                owner = step
            for index in np.unique(owner):
                mine = owner == index
                self._gouge(spot_of(stock.grid, iy[mine], ix[mine], by[mine]), stock)
        for s in ready:
            self._standing(s, stock)
        self._walls(everything, stock)

    def _walls(self, everything: tuple[Removal, ...], stock: HeightField) -> None:
        """What the cells are too coarse for: the walls of every step, by distance from the paths."""
        ways = ways_of(self)
        if not ways:
            return
        known = {(f.kind, f.step) for f in self.findings}
        z0 = stock.block.z0
        for s in self.plan.cut:
            step = s.step.id
            for one in (r for r in self.of_all_parts(s) if not r.wanted):
                for bad in gouges(ways, one, everything, stock.grid, stock.blank, z0):
                    owner = self.step_id(int(self.step_of_move[bad.move]))
                    if ("gouge", owner) in known:
                        continue
                    known.add(("gouge", owner))
                    text = f"{self._who(bad.move)} cuts {self.mm(bad.by)} into the finished wall at {self.xy(bad.x, bad.y)}. Correct its path, or the radius that it is offset by."
                    self.add("gouge", "stop", text, bad.move, (bad.x, bad.y, float(self.motion.end[bad.move, 2])))
                left = None if ("left-standing", step) in known else leftover(ways, one, stock.grid, stock.blank, z0)
                if left is not None:
                    known.add(("left-standing", step))
                    self._stands(
                        s,
                        left.by,
                        "on its wall, most",
                        (left.x, left.y, one.floor),
                        "Check the tool and the path of this step.",
                    )

    def of_all_parts(self, s: StepPlan) -> list[Removal]:
        """What a step takes away, at every part."""
        return [r.placed(Placement(at)) for at in self.plan.frame.parts for r in s.removals]

    def _who(self, move: int) -> str:
        """Whose cut a move is, in words."""
        step = int(self.step_of_move[move])
        return f"Step {step + 1} ({self.plan.steps[step].full_name})" if step >= 0 else f"Line {self.motion.line[move]}"

    def _gouge(self, spot: Spot, stock: HeightField) -> None:
        move = int(stock.cut_by[spot.iy, spot.ix])
        x, y = stock.grid.point(spot.ix, spot.iy)
        self.add(
            "gouge",
            "stop",
            f"{self._who(move)} cuts {self.mm(spot.worst)} deeper than the finished shape at {self.xy(x, y)}. Correct its depth or its path.",
            move,
            (x, y, float(stock.heights[spot.iy, spot.ix])),
        )

    def _standing(self, s: StepPlan, stock: HeightField) -> None:
        """One finding per step and per kind of shape: the worst place."""
        spots = [(standing(stock, r), r) for r in self.of_all_parts(s)]
        for wanted in (False, True):
            mine = [(spot, r) for spot, r in spots if spot is not None and bool(r.wanted) == wanted]
            if not mine:
                continue
            spot, removal = max(mine, key=lambda m: m[0].worst)
            x, y = stock.grid.point(spot.ix, spot.iy)
            if wanted:
                remedy = removal.wanted
            else:
                places = f"at {len(mine)} places; " if len(mine) > 1 else ""
                remedy = f"{places}Check the tool and the path of this step.".capitalize()
            self._stands(s, spot.worst, "highest", (x, y, float(stock.heights[spot.iy, spot.ix])), remedy)

    def _stands(self, s: StepPlan, by: float, where: str, at: tuple[float, float, float], remedy: str) -> None:
        text = f"Up to {self.mm(by)} of metal stands after step {s.number} ({s.full_name}), {where} at {self.xy(at[0], at[1])}. {remedy}"
        of_step = np.flatnonzero(self.step_of_move == s.number - 1)
        line = int(self.motion.line[of_step[-1]]) if len(of_step) else None
        self.findings.append(Finding("left-standing", "warn", text, line, s.step.id, at))


def _widths(cuts: Happened, mine: NDArray[np.bool_], ways: NDArray[np.float64], least: float) -> NDArray[np.float64]:
    """How wide each move cuts on the whole, over its own way or at least so much of the tool's: a corner is passed in a moment."""
    along = np.cumsum(np.where(mine, ways, 0.0))
    gone = np.cumsum(np.where(mine, cuts.removed, 0.0))
    way = np.maximum(ways, least)
    before = np.interp(along - way, np.concatenate([[0.0], along]), np.concatenate([[0.0], gone]), left=0.0)
    area = cuts.deepest * way
    return np.asarray(np.divide(gone - before, area, out=np.zeros(len(ways)), where=mine & (area > 1e-9)))


def _runs(mask: NDArray[np.bool_], amount: NDArray[np.float64], line: NDArray[np.int32]) -> list[int]:
    """The worst move of each run of neighbouring moves (gaps up to 3 moves are bridged)."""
    hits = np.flatnonzero(mask)
    if not len(hits):
        return []
    groups = np.split(hits, np.flatnonzero((np.diff(hits) > 4) & (np.diff(line[hits]) > 1)) + 1)
    return [int(g[np.argmax(amount[g])]) for g in groups]
