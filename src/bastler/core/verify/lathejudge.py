"""From what happened at a lathe to findings: each with line, step, point and a sentence with the remedy."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import shapely

from bastler.core.findings import Finding
from bastler.core.gcode.motion import ALONG_AXES, ARC, FEED, RAPID, THREAD
from bastler.core.geometry.halfsection import Area, polygon, polygons, volume, widened
from bastler.core.geometry.rolling import swept
from bastler.core.plans.plan import StepPlan
from bastler.core.quantities import Kind, metal, said, show
from bastler.core.tooling.cutters import Cutter
from bastler.core.verify.stock import BODY, EDGE, FIXED, Happened, Place, Touch
from bastler.core.verify.verdict import NOTICED_MM, Verdict

LEAST_FEED_MM = 0.1
GOUGE_MM = 0.018
"""A sliver as thin is what the planner's chords and the check's differ by."""
PAST_CENTRE_MM = 0.3
BESIDE_MM = 1.0


class LatheJudge(Verdict):
    """Collects the findings of one checked program of a lathe; X is told as a diameter.

    ``front`` and ``thickest``: Z of the raw stock's face, and its radius, mm.
    """

    front: float = 0.0
    thickest: float = 0.0

    def zx(self, z: float, r: float) -> str:
        """A place in words, X as a diameter."""
        units = self.plan.job.units
        return f"X {show(2 * r, units=units, digits=2)} Z {show(z, units=units, digits=2)}"

    def tool(self, move: int) -> str:
        """The tool of a move in words."""
        number = int(self.motion.tool[move])
        known = self.plan.tools.get(number)
        return f"T{number} ({known.name})" if known else f"T{number}"

    def where(self, move: int) -> tuple[float, float, float]:
        """The end of a move as it is told."""
        x, _, z = self.motion.end[move]
        return _told(float(z), float(x))

    # what the moves did

    def moves(self, happened: Happened) -> None:
        """What was touched and cut, move by move."""
        m = self.motion
        for i, (r, _, z) in self._runs(happened.touched(EDGE)):
            self.add(
                "rapid-in-stock",
                "stop",
                f"A rapid move of {self.tool(i)} goes through metal at {self.zx(z, r)}. Go round it, or cut there first.",
                i,
                _told(z, r),
            )
        for i, (r, _, z) in self._runs(happened.touched(BODY)):
            self.add("shank-contact", "stop", self._body_text(i, z, r), i, _told(z, r))
        for i, (r, _, z) in self._runs(happened.touched(FIXED)):
            self.add(
                "fixture-contact",
                "stop",
                f"{self.tool(i)} touches {self._fixed_word(z, r)} at {self.zx(z, r)}. {self._fixed_remedy(z, r)}",
                i,
                _told(z, r),
            )
        cutting = (m.kind == FEED) | (m.kind == ARC) | (m.kind == THREAD)
        still = np.flatnonzero(cutting & (m.speed <= 0) & (m.turn == 0) & (happened.removed > 1e-3)).tolist()
        for i, _ in self._runs({i: Touch(i, EDGE, float(happened.removed[i]), (0.0, 0.0, 0.0)) for i in still}):
            self.add("spindle-off", "stop", "The tool cuts while the spindle stands. Add M3 with S before.", i)
        past = cutting & (m.end[:, 0] < m.start[:, 0] - 1e-6) & (happened.removed > 1e-3)
        for i in np.flatnonzero(past).tolist():
            cutter = self.plan.tools[int(m.tool[i])].in_plane if int(m.tool[i]) in self.plan.tools else None
            if cutter is not None and cutter.reach == "out" and m.end[i, 0] < -(_past(cutter) + PAST_CENTRE_MM):
                self.add(
                    "past-centre",
                    "warn",
                    f"{self.tool(i)} cuts past the axis to X {show(2 * m.end[i, 0], units=self.plan.job.units)}; there the metal moves the other way. Stop at the nose radius behind it.",
                    int(i),
                )
        for move, area in happened.parted.items():
            self._parted(move, area)

    def _body_text(self, i: int, z: float, r: float) -> str:
        tool = self.plan.tools.get(int(self.motion.tool[i]))
        name, where = self.tool(i), self.zx(z, r)
        if tool is None:
            return f"The body of {name} runs into metal at {where}."
        if tool.kind == "boring-tool":
            return f"The bar of {name} touches the bore at {where}. Take a thinner bar, or bore wider before."
        if tool.kind in ("grooving-tool", "parting-tool"):
            return f"{name} goes deeper than its blade, {self.mm(tool.deep)}, or the holder touches at {where}. Take a longer blade."
        return f"The holder of {name} touches metal at {where}. Take a slimmer one, or turn the other side before."

    def _fixed_word(self, z: float, r: float) -> str:
        return self._body_at(z, r)[0]

    def _fixed_remedy(self, z: float, r: float) -> str:
        remedy = self._body_at(z, r)[1]
        return remedy[:1].upper() + remedy[1:] + "."

    def _body_at(self, z: float, r: float) -> tuple[str, str]:
        p = shapely.Point(z, r)
        body = min(self.plan.frame.held.bodies, key=lambda b: polygon(b.outline).distance(p))
        return body.word, body.remedy

    def _runs(self, told: Mapping[int, Touch]) -> list[tuple[int, Place]]:
        """The first move of each run of neighbouring moves, or of those of one line, and where it was."""
        runs: list[list[int]] = []
        for i in sorted(told):
            last = runs[-1][-1] if runs else -9
            if i - last <= 3 or (runs and self.motion.line[i] == self.motion.line[last]):
                runs[-1].append(i)
            else:
                runs.append([i])
        return [(run[0], told[run[0]].at) for run in runs]

    def _parted(self, move: int, area: Area) -> None:
        """A piece has come off: nothing of it may be wanted afterwards."""
        cleared = [c.area for s in self.plan.cut for c in s.cleared if not c.wanted]
        finished = shapely.union_all(cleared) if cleared else shapely.Polygon()
        step = int(self.step_of_move[move])
        late = [
            s
            for s in self.plan.cut
            if s.number - 1 != step
            and self.plan.order.index(s.number - 1) > (self.plan.order.index(step) if step in self.plan.order else -1)
        ]
        unfinished = [s for s in late if any(c.area.intersection(area).area > 0.1 for c in s.cleared)]
        if unfinished:
            names = ", ".join(f"{s.number} ({s.full_name})" for s in unfinished)
            self.add("cut-off", "stop", f"The part is cut off here, before step {names}. Part it off last.", move)
        elif volume(shapely.intersection(area, finished)) > 5.0 and step < 0:
            self.add("cut-off", "warn", "The part is cut off here before it is finished. Part it off last.", move)

    def machine(self) -> None:
        """Speeds, feeds and travels."""
        m, machine = self.motion, self.plan.frame.machine
        cutting = (m.kind == FEED) | (m.kind == ARC) | (m.kind == THREAD)
        self.limits(cutting, cutting & (m.kind != THREAD))
        threads = np.flatnonzero(m.kind == THREAD)
        way = np.abs(m.end[threads] - m.start[threads])[:, [0, 2]]
        # On its way out of the metal a thread's tool is as fast along Z, and goes across besides.
        along = m.feed[threads] * way.max(axis=1, initial=0.0) / np.maximum(np.hypot(*way.T), 1e-9)
        for k in np.flatnonzero(along > machine.feed_limit)[:1]:
            self.add(
                "speed-limit",
                "stop",
                f"The thread needs {said(float(along[k]), Kind.FEED, self.plan.job.units, 0)} along Z; {machine.name} feeds {said(machine.feed_limit, Kind.FEED, self.plan.job.units, 0)} at most. Turn slower.",
                int(threads[k]),
            )
        self._travel()

    def bar(self, happened: Happened) -> None:
        """Whether the bar comes where the chuck opens for it."""
        for move, (by, _) in happened.fed.items():
            if by < LEAST_FEED_MM:
                text = "The chuck opens, but the bar stands at its stop already: nothing comes. Part off before, or stop it further out."
                tool = self.plan.tools.get(int(self.motion.tool[move]))
                if tool is not None and tool.kind == "bar-puller":
                    text = f"The chuck opens, but {self.tool(move)} pulls nothing: its fingers aren't over the end of the bar, or it stays where it is. Go further over it, and pull it out."
                self.add("bar-feed", "warn", text, move)

    def _travel(self) -> None:
        m = self.motion
        moves = np.flatnonzero(np.isin(m.kind, (*ALONG_AXES, THREAD)))
        if not len(moves):
            return
        low, high = m.extents(moves)
        travel = self.plan.frame.machine.travel
        for axis, column, most in (("X", 0, travel[0]), ("Z", 2, travel[2])):
            worst = int(np.argmax(high[:, column] - low[:, column].min()))
            used = float(high[:, column].max() - low[:, column].min())
            if used > most + NOTICED_MM:
                self.add(
                    "overtravel",
                    "stop",
                    f"The program moves {axis} by {self.mm(used)}; {self.plan.frame.machine.name} has {self.mm(most)}. Hold the bar further in, or take a larger lathe.",
                    int(moves[worst]),
                )

    # the shape

    def shape(self, stock: Area, target: Area) -> None:
        """Metal against the finished shape, if the job has steps that say it: what is cut too deep, and what stands."""
        if not self.plan.cut:
            return
        for spot in polygons(shapely.difference(target, stock)):
            if widened(spot, -GOUGE_MM / 2).is_empty:
                continue
            p = spot.representative_point()
            move = self._who(spot)
            step = int(self.step_of_move[move]) if move >= 0 else -1
            what = (
                f"Step {step + 1} ({self.plan.steps[step].full_name})"
                if step >= 0
                else f"Line {self.motion.line[move]}"
            )
            self.add(
                "gouge",
                "stop",
                f"{what} cuts deeper than the finished shape at {self.zx(p.x, p.y)}. Correct its path or its tool.",
                move,
                _told(p.x, p.y),
            )
        for s in self.plan.cut:
            self._standing(s, stock)

    def _who(self, spot: Area) -> int:
        """The move whose edge passed over a spot first, cuts before rapids; else the cut that came nearest."""
        m, inside = self.motion, spot.representative_point()
        nearest, least = 0, np.inf
        for kinds in ((FEED, ARC), (RAPID,)):
            for i in np.flatnonzero(np.isin(m.kind, kinds)).tolist():
                tool = self.plan.tools.get(int(m.tool[i]))
                if tool is None:
                    continue
                away = self._away(i, tool.in_plane, inside)
                if away <= NOTICED_MM / 10:
                    return int(i)
                if away < least and RAPID not in kinds:
                    nearest, least = int(i), away
        return nearest

    def _away(self, i: int, cutter: Cutter, p: shapely.Point) -> float:
        """How far a place lies outside of what an edge passes over in a move, mm; only a bound where it is far."""
        z0, z1, r0, r1 = cutter.extent()
        (x, _, z), (x2, _, z2) = self.motion.start[i], self.motion.end[i]
        beside = max(min(z, z2) + z0 - p.x, p.x - max(z, z2) - z1, min(x, x2) + r0 - p.y, p.y - max(x, x2) - r1)
        if beside > BESIDE_MM:
            return float(beside)
        way = self.motion.chords(i)[:, [2, 0]]
        return float(shapely.distance(swept(np.asarray(cutter.skeleton), way), p)) - cutter.nose

    def _standing(self, s: StepPlan, stock: Area) -> None:
        for wanted in (False, True):
            left = [
                (shapely.intersection(stock, c.area), c)
                for c in s.cleared
                if bool(c.wanted) == wanted and c.thread is None
            ]
            spots = [(p, c) for area, c in left for p in polygons(area) if not widened(p, -NOTICED_MM).is_empty]
            if not spots:
                continue
            spot, one = max(spots, key=lambda x: volume(x[0]))
            p = spot.representative_point()
            remedy = one.wanted or "Check the tool and the path of this step."
            of_step = np.flatnonzero(self.step_of_move == s.number - 1)
            line = int(self.motion.line[of_step[-1]]) if len(of_step) else None
            size = metal(sum(volume(x[0]) for x in spots), self.plan.job.units, 3)
            text = f"{size} of metal are left standing after step {s.number} ({s.full_name}), most at {self.zx(p.x, p.y)}. {remedy}"
            self.findings.append(Finding("left-standing", "warn", text, line, s.step.id, _told(p.x, p.y)))


def _past(cutter: Cutter) -> float:
    """So far past the axis an edge may have to go."""
    return max(2 * cutter.nose, cutter.past) if cutter.plunges else 2 * cutter.nose


def _told(z: float, r: float) -> tuple[float, float, float]:
    """A place of the section as findings have it."""
    return (2 * r, 0.0, z)
