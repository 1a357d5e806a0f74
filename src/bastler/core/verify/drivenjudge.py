"""From what driven tools did on a lathe to findings."""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from bastler.core.findings import Finding
from bastler.core.gcode.motion import ARC, FEED, RAPID, THREAD
from bastler.core.geometry.halfsection import bore_between
from bastler.core.geometry.surface import Surface
from bastler.core.planning.axisfeed import NEAREST_MM, nearest
from bastler.core.planning.extents import goes_across
from bastler.core.plans.plan import Plan
from bastler.core.quantities import Kind, said, show
from bastler.core.tooling.tools import Tool
from bastler.core.verify.carved import Carved, Spots, spots, standing, too_deep
from bastler.core.verify.dexels import Dexels
from bastler.core.verify.stock import BODY, EDGE, FIXED, Happened, Place, Touch
from bastler.core.verify.taps import PITCH_SHARE, hole_radii
from bastler.core.verify.turretdisc import Meeting, meetings
from bastler.core.verify.verdict import Verdict

CUTS_MM3 = 0.01
SPEED_NOTICED, ROUNDED_SHARE = 0.5, 1.001
REACH_MM = 0.01
SOLID_SHARE = 1.3
"""A tap that takes so much more than its thread is in the full, or in too narrow a hole."""
SWING_SHARE, SWING_CHORD_MM = 1.05, 0.001
WORDS = {
    EDGE: ("rapid-in-stock", "A rapid move of {tool} goes through metal at {at}. Go round it, or cut there first."),
    BODY: ("shank-contact", "Shank or holder of {tool} touches metal at {at}. Take a longer tool, or cut less deep."),
    FIXED: ("fixture-contact", "{tool} touches what holds the bar at {at}. Let the bar stand out further, or stay away from the chuck."),
}  # fmt: skip


def carved(plan: Plan) -> list[Carved]:
    """What the steps of driven tools promise."""
    widest: dict[Surface, float] = {}
    cut = [part for s in plan.cut for part in s.parts or (s,)]
    for s in cut:
        for surface in s.surfaces:
            widest[surface] = max(widest.get(surface, 0.0), s.tool.radius if s.tool is not None else 0.0)
    return [
        Carved(
            s.number - 1,
            surface,
            r,
            s.tool.radius if s.tool is not None else 0.0,
            widest[surface],
            goes_across(s.moves),
        )
        for s in cut
        for surface in s.surfaces
        for r in s.removals
        if not r.wanted
    ]


class DrivenJudge(Verdict):
    """Collects the findings of the moves of driven tools; places are told by diameter, Z and C."""

    def zxc(self, at: Place) -> str:
        """A place in words."""
        x, y, z = at
        units = self.plan.job.units
        turned = math.degrees(math.atan2(y, x)) % 360.0
        return (
            f"X {show(2 * math.hypot(x, y), units=units, digits=2)} Z {show(z, units=units, digits=2)} C {turned:.0f}"
        )

    def told(self, at: Place) -> Place:
        """A place as findings have it: X as a diameter."""
        return (2 * math.hypot(at[0], at[1]), 0.0, at[2])

    def where(self, move: int) -> Place:
        """The end of a move."""
        x, y, z = (float(a) for a in self.motion.end[move])
        return self.told((x, y, z))

    def moves(self, happened: Happened) -> None:
        """What was touched, what turns, how fast."""
        for what, (kind, text) in WORDS.items():
            for one in _firsts(happened.touched(what), self.motion.line):
                tool = self.plan.tools.get(int(self.motion.tool[one.move]))
                name = self.name(tool) if tool is not None else f"T{self.motion.tool[one.move]}"
                self.add(kind, "stop", text.format(tool=name, at=self.zxc(one.at)), one.move, self.told(one.at))
        for meeting in meetings(self.plan, self.motion, self.step_of_move):
            self._meets(meeting, self.plan.tools[int(self.motion.tool[meeting.move])])
        self._comes_out(happened)
        self._turns(happened)
        self.taps(happened)

    def _comes_out(self, happened: Happened) -> None:
        """Drills that end in the bore, where their step doesn't say so."""
        m, out = self.motion, []
        across = (m.driver > 0) & (m.kind == FEED) & (happened.removed > CUTS_MM3) & (m.axis[:, 2] < REACH_MM)
        for i in np.flatnonzero(across & np.isin(m.tool, [n for n, t in self.plan.tools.items() if t.clogs])).tolist():
            step = int(self.step_of_move[i])
            if step >= 0 and self.plan.steps[step].answers.values.get("depth_to") in ("bore", "through"):
                continue
            stock = (self.plan.steps[step].work if step >= 0 else self.plan.start).lathe.stock
            z, tip = float(m.end[i, 2]), math.hypot(float(m.end[i, 0]), float(m.end[i, 1]))
            if tip < bore_between(stock, z, z, 2) - REACH_MM:
                out.append(i)
        if out:
            text = f"{self.name(self.plan.tools[int(m.tool[out[0]])])} comes out into the bore at {self.zxc((float(m.end[out[0], 0]), float(m.end[out[0], 1]), float(m.end[out[0], 2])))}. If that isn’t meant, drill less deep."
            self.gathered("comes-out", "note", text, np.array(out))

    def _meets(self, one: Meeting, tool: Tool) -> None:
        """The turret's disc against what turns."""
        out, z = one.at
        at = f"X {show(2 * out, units=self.plan.job.units, digits=1)} Z {show(z, units=self.plan.job.units, digits=1)}"
        text = f"The turret’s disc meets {one.what} at {at}, with {self.name(tool)} {show(tool.gauge_length, units=self.plan.job.units)} out of it. Let the bar or the tool stand out further."
        kind = "shank-contact" if one.what == "the part" else "fixture-contact"
        self.add(kind, "stop", text, one.move, self.told((out, 0.0, z)))

    def _turns(self, happened: Happened) -> None:
        m, machine = self.motion, self.plan.frame.machine
        mine = (m.driver > 0) & (m.kind == FEED)
        cuts = mine & (happened.removed > CUTS_MM3)
        still = np.flatnonzero(cuts & (m.turn == 0))
        if len(still):
            text = "The driven tool cuts while it stands. Switch the driven spindle on before, with S."
            self.gathered("spindle-off", "stop", text, still)
        for number, tool in self.plan.tools.items():
            wrong = np.flatnonzero(cuts & (m.tool == number) & (m.turn == (1 if tool.left_hand else -1)))
            if len(wrong):
                text = f"{self.name(tool)} cuts while it turns the wrong way. Let it turn the other way."
                self.gathered("wrong-turn", "stop", text, wrong)
        driven = machine.driven
        if driven is None:
            if mine.any():
                text = f"{machine.name} has no driven tools. Take a machine that has them."
                self.add("axis-mode", "stop", text, int(np.flatnonzero(mine)[0]))
            return
        fast = np.flatnonzero(
            mine
            & (m.turn != 0)
            & ((m.speed > driven.highest + SPEED_NOTICED) | (m.speed < driven.lowest - SPEED_NOTICED))
        )
        if len(fast):
            text = f"The driven spindle turns {driven.lowest:g} to {driven.highest:g} /min; {m.speed[fast[0]]:.0f} /min is outside. Change the speed."
            self.gathered("speed-limit", "warn", text, fast)
        self._swings(mine)
        self._reach()
        much = np.flatnonzero(mine & (m.feed > machine.feed_limit * ROUNDED_SHARE))
        if len(much):
            typed, most = (
                said(f, Kind.FEED, self.plan.job.units, 1) for f in (float(m.feed[much].max()), machine.feed_limit)
            )
            self.gathered(
                "speed-limit", "warn", f"A feed of {typed} is more than the machine's {most}. Lower it.", much
            )

    def _reach(self) -> None:
        """Y to its sides, and X past the axis."""
        m, machine, units = self.motion, self.plan.frame.machine, self.plan.job.units
        moves = np.flatnonzero(m.driver > 0)
        if not len(moves):
            return
        c, (x, y, _) = m.c1[moves], m.end[moves].T
        across, aside = x * np.cos(c) + y * np.sin(c), np.abs(y * np.cos(c) - x * np.sin(c))
        by_y, by_x = machine.axis("Y"), machine.axis("X")
        for letter, way in (("X", across), ("Z", m.end[moves][:, 2])):
            axis, used = machine.axis(letter), float(way.max() - way.min())
            if axis is not None and used > axis.travel + REACH_MM:
                text = f"The program moves {letter} by {show(used, units=units, digits=1)} with driven tools; {machine.name} has {show(axis.travel, units=units)}. Stay nearer to the part."
                self.add("overtravel", "stop", text, int(moves[np.argmax(np.abs(way))]))
        polar = m.kind[moves] == ARC
        if by_y is not None and (far := moves[(aside > by_y.travel / 2 + REACH_MM) & ~polar]).size:
            text = f"Y goes {show(by_y.travel / 2, units=units)} to each side; the program wants {show(float(aside.max()), units=units, digits=2)}. Bring the tool nearer to the middle."
            self.gathered("overtravel", "stop", text, far)
        beyond = by_x.beyond if by_x is not None else None
        if beyond is not None and (far := moves[(across < -beyond - REACH_MM) & ~polar]).size:
            text = f"X goes {show(beyond, units=units)} past the axis; the program wants {show(-float(across.min()), units=units, digits=2)}. Turn C half round, and come from the other side."
            self.gathered("overtravel", "stop", text, far)

    def taps(self, happened: Happened) -> None:
        """The pitch of each tap, and the hole that it goes into."""
        m = self.motion
        for number, tool in self.plan.tools.items():
            down = np.flatnonzero((m.driver > 0) & (m.tool == number) & (m.kind == THREAD) & (happened.removed > 0))
            if tool.kind != "tap" or tool.pitch <= 0 or not len(down):
                continue
            pitch = np.divide(m.feed[down], m.speed[down], out=np.full(len(down), tool.pitch), where=m.speed[down] > 0)
            off = down[np.abs(pitch - tool.pitch) > PITCH_SHARE * tool.pitch]
            if len(off):
                has, right = (
                    show(float(p), units=self.plan.job.units, digits=4)
                    for p in (m.feed[off[0]] / m.speed[off[0]], tool.pitch)
                )
                self.gathered(
                    "wrong-pitch",
                    "stop",
                    f"F makes a pitch of {has}; {self.name(tool)} has {right}. Write F as pitch times S.",
                    off,
                )
            least, core, _ = hole_radii(tool)
            deep = np.linalg.norm(m.end[down] - m.start[down], axis=1)
            solid = down[happened.removed[down] > SOLID_SHARE * np.pi * (tool.radius**2 - least**2) * deep]
            if len(solid):
                text = f"{self.name(tool)} goes where there is no hole, or into one that is too narrow. Drill Ø{show(2 * core, units=self.plan.job.units, digits=3)} before."
                self.gathered("tap-hole", "stop", text, solid)

    def _swings(self, mine: NDArray[np.bool_]) -> None:
        """Moves across an end face so near to the axis that C can't turn fast enough."""
        m, turns = self.motion, self.plan.frame.machine.axis("C")
        if turns is None:
            return
        rate = math.radians(turns.rapid) * SWING_SHARE
        fast = []
        for i in np.flatnonzero((m.driver > 0) & np.isin(m.kind, (FEED, ARC)) & (m.c0 != m.c1)).tolist():
            p = m.chords(i, SWING_CHORD_MM)
            if max(_swing(a, b) for a, b in itertools.pairwise(p[:, :2])) * float(m.feed[i]) > rate:
                fast.append(i)
        if fast:
            text = f"C would have to turn faster than its {turns.rapid:g} degrees a minute so near to the axis. Feed slower there."
            self.gathered("speed-limit", "warn", text, np.array(fast))

    def shape(self, dexels: Dexels) -> None:
        """Metal against what the steps promise."""
        promised = carved(self.plan)
        if not self.plan.cut:
            return
        deep, stands = list[Spots](), [list[NDArray[np.float64]]() for _ in promised]
        for there in spots(dexels):
            deep.append(too_deep(there, promised))
            for one, left_of in zip(promised, stands, strict=True):
                left_of.append(standing(there, one))
            del there  # before the next family's: each is much to hold
        self._too_deep(np.concatenate([d.places for d in deep]), np.concatenate([d.who for d in deep]))
        worst: dict[int, tuple[int, Place]] = {}
        for one, left_of in zip(promised, stands, strict=True):
            left = np.concatenate(left_of)
            if len(left) > worst.get(one.step, (0, (0.0, 0.0, 0.0)))[0]:
                x, y, z = (float(a) for a in left[len(left) // 2])
                worst[one.step] = (len(left), (x, y, z))
        for step, (_, at) in worst.items():
            s = self.plan.steps[step]
            text = f"Metal is left standing after step {s.number} ({s.full_name}), as at {self.zxc(at)}. Check the tool and the path of this step."
            of_step = np.flatnonzero(self.step_of_move == step)
            line = int(self.motion.line[of_step[-1]]) if len(of_step) else None
            self.findings.append(Finding("left-standing", "warn", text, line, s.step.id, self.told(at)))

    def _too_deep(self, places: NDArray[np.float64], who: NDArray[np.int32]) -> None:
        for move in np.unique(who).tolist():
            if self.motion.kind[move] == RAPID:
                continue
            x, y, z = (float(a) for a in places[who == move][0])
            step = int(self.step_of_move[move])
            what = (
                f"Step {step + 1} ({self.plan.steps[step].full_name})"
                if step >= 0
                else f"Line {self.motion.line[move]}"
            )
            text = f"{what} cuts deeper than the finished shape at {self.zxc((x, y, z))}. Correct its path or its tool."
            self.add("gouge", "stop", text, move, self.told((x, y, z)))


def _swing(a: NDArray[np.float64], b: NDArray[np.float64]) -> float:
    """How fast the direction from the axis turns at most along a straight way, rad for each mm of it: the distance of its line from the axis over the square of the
    nearest place. Straight through the axis, none."""
    way = b - a
    length = float(np.hypot(*way))
    if length < 1e-9:
        return 0.0
    beside = abs(float(a[0] * way[1] - a[1] * way[0])) / length
    if beside < NEAREST_MM:
        return 0.0
    return beside / nearest((float(a[0]), float(a[1])), (float(b[0]), float(b[1]))) ** 2


def _firsts(touched: Mapping[int, Touch], lines: NDArray[np.int32]) -> list[Touch]:
    """The first touch of each line."""
    found: dict[int, Touch] = {}
    for move in sorted(touched):
        found.setdefault(int(lines[move]), touched[move])
    return list(found.values())
