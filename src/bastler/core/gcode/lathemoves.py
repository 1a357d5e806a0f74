"""How a lathe's tool moves: places, lines, arcs and threads, with the turns per minute that each has.

With constant cutting speed a move is split where the turns per minute change by more than :data:`SPEED_STEP`, so that times and powers hold.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping

import numpy as np

from bastler.core.gcode.control import Control
from bastler.core.gcode.motion import ARC, DWELL, FEED, RAPID, THREAD
from bastler.core.gcode.reader import Reader
from bastler.core.geometry.compensation import EdgePiece, How, nose_ways

SPEED_STEP = 1.1
EVEN_SHARE = 0.02
"""A radius that changes by less doesn't change the speed worth a word."""
AXIS_MM = 0.05
"""Nearer to the axis than this the surface speed asks for more than any spindle turns."""


ARC_SAMPLES = 32
THREADS = (32, 33)


class LatheMoves(Reader):
    """A lathe whose state is known; words say where it goes."""

    def __init__(self, data: bytes, control: Control, name: str = "The program") -> None:
        super().__init__(data, control, name)
        self.state.plane, self.state.feed_mode = 1, "rev"
        self._surface = 0.0
        self._limit = 0.0
        self._shift = (0.0, 0.0)
        self._zero = (0.0, 0.0)
        self._turns_told = 0

    def gauge(self) -> float:
        """The reference point is steered itself."""
        return 0.0

    def tip(self) -> tuple[float, float, float]:
        """The tool's first reference point: radius, 0, Z."""
        x, _, z = self.state.nose
        return (x + self._shift[1], 0.0, z + self._shift[0])

    def _rev(self, radius: float) -> float:
        """Turns per minute at a radius."""
        s = self.state
        if not s.spindle:
            return 0.0
        if not self._surface:
            return min(s.speed, self._limit) if self._limit else s.speed
        n = 1000 * self._surface / (2 * math.pi * max(abs(radius), AXIS_MM))
        return min(n, self._limit) if self._limit else n

    def _place(self, words: Mapping[str, float], *, machine: bool = False) -> list[float]:
        """Where the reference point is sent: X a diameter from the zero in force, or from the machine's."""
        self.use("XZUW")
        s = self.state
        x, z = s.nose[0], s.nose[2]
        zero_x, zero_z = (self.control.machine_origin[0], self.control.machine_origin[2]) if machine else self._zero
        if "X" in words:
            x = words["X"] * s.scale / 2 + (zero_x if s.absolute or machine else x)
        if "U" in words:
            x += words["U"] * s.scale / 2
        if "Z" in words:
            z = words["Z"] * s.scale + (zero_z if s.absolute or machine else z)
        if "W" in words:
            z += words["W"] * s.scale
        return [x, 0.0, z]

    def _set_place(self, words: Mapping[str, float]) -> None:
        """G50 or G92 with places: the tool stands there; before the program has gone to a place that says where it is,
        afterwards it moves the zero."""
        s, target = self.state, self._place(words)
        if not s.placed:
            s.nose = target
            return
        x, z = self._zero
        self._zero = (x + s.nose[0] - target[0], z + s.nose[2] - target[2])

    def _home(self, words: Mapping[str, float]) -> None:
        target = self._place(words)
        self._straight(target, RAPID)
        origin = self.control.machine_origin
        named = {"X": 0, "U": 0, "Z": 2, "W": 2}
        axes = {named[k] for k in words if k in named} or {0, 2}
        home = [origin[i] if i in axes else self.state.nose[i] for i in range(3)]
        self._straight(home, RAPID)
        self.state.placed = False

    def _dwell(self, words: dict[str, float]) -> None:
        self.use(next((k for k in "PXU" if k in words), ""))
        if "P" not in words and "X" not in words and "U" not in words:
            self.find("missing-word", "warn", "G4 has no time. Add P with milliseconds.")
        seconds = words["P"] / 1000 if "P" in words else words.get("X", words.get("U", 0.0))
        at, s = self.tip(), self.state
        self.builder.add(
            DWELL,
            at,
            at,
            feed=0.0,
            speed=self._rev(at[0]),
            tool=s.tool,
            line=self.line_no,
            seconds=max(seconds, 0.0),
            turn=s.spindle,
        )

    def _move(self, words: dict[str, float], *, machine: bool = False) -> None:
        s = self.state
        target = self._place(words, machine=machine)
        s.placed = not machine
        if s.motion in (2, 3):
            self._arc(words, target)
        elif s.motion in THREADS:
            self._thread(words, target)
        elif s.motion == 1:
            self._feeds()
            self._line_to(target, FEED, self.corner_of(words))
        else:
            self._line_to(target, RAPID)

    def _ask_for_turns(self) -> None:
        """A tool on the axis cuts at the turns that are given, not at a cutting speed that grows without end there."""
        tool = self.control.tools.get(self.state.tool)
        if tool is None or tool.cutter is not None or not self._surface or self._turns_told == tool.number:
            return
        self._turns_told = tool.number
        text = f"T{tool.number} ({tool.name}) cuts on the axis while G96 keeps the cutting speed: the spindle runs up to its limit. Write G97 with S before."
        self.find("surface-speed", "stop", text)

    def _feeds(self) -> None:
        """What a cutting move needs."""
        self._ask_for_length()
        self._ask_for_turns()
        if self.state.feed <= 0:
            self.find("no-feed", "stop", "A cutting move has no feed. Add F to this line or before.")

    def _thread(self, words: dict[str, float], target: list[float]) -> None:
        """In step with the spindle: its feed is the pitch."""
        s = self.state
        pitch = self.pitch_of(words)
        if pitch is None:
            return
        before, mode = s.feed, s.feed_mode
        s.feed, s.feed_mode = pitch, "rev"
        slope = max(abs(target[2] - s.nose[2]), abs(target[0] - s.nose[0]), 1e-9)
        s.feed = pitch * math.dist(target, s.nose) / slope
        self._straight(target, THREAD)
        s.feed, s.feed_mode = before, mode

    def pitch_of(self, words: Mapping[str, float]) -> float | None:
        """A thread's pitch, mm; what stands against cutting it is told."""
        self.use("FQ")
        pitch = words.get("F", 0.0) * self.state.scale
        if pitch <= 0:
            self.find("missing-word", "stop", "The thread has no pitch. Add F with millimetres per turn.")
            return None
        if self._surface:
            text = "A thread is cut while the speed follows the diameter; its starts will not meet. Write G97 with S before."
            self.find("thread-speed", "stop", text)
        return pitch

    def _per_minute(self, rev: float) -> float:
        s = self.state
        return s.feed * rev if s.feed_mode == "rev" else s.feed

    def _straight(self, target: list[float], kind: int) -> None:
        """A straight move; with nose radius compensation it waits for the next ones."""
        if kind == FEED:
            self._feeds()
        if self._corner is not None:
            self._break_corner(None, straight=False)
        self._run(target, kind)

    def _run(self, target: list[float], kind: int) -> None:
        if self.state.comp and kind in (RAPID, FEED):
            self._chain_line(target, kind == RAPID)
        else:
            self._go_straight(target, kind)

    def _go_straight(self, target: list[float], kind: int) -> None:
        """A straight move, split where the turns per minute change."""
        s = self.state
        start = self.tip()
        if math.dist(s.nose, target) < 1e-9:
            return
        s.nose = target
        end = self.tip()
        shares = [0.0, 1.0]
        if kind == FEED and self._surface and abs(start[0] - end[0]) > EVEN_SHARE * abs(start[0]):
            shares = self._split(start[0], end[0])
        for a, b in itertools.pairwise(shares):
            p, q = _between(start, end, a), _between(start, end, b)
            rev = self._rev((p[0] + q[0]) / 2)
            self.builder.add(
                kind,
                p,
                q,
                feed=self._per_minute(rev) if kind != RAPID else 0.0,
                speed=rev,
                tool=s.tool,
                line=self.line_no,
                turn=s.spindle,
            )

    # nose radius compensation: the programmed contour waits as a chain in (z, r) until it is whole

    def _chain_line(self, target: list[float], rapid: bool) -> None:
        s = self.state
        p, q = (s.nose[2], s.nose[0]), (target[2], target[0])
        self._chain.append(EdgePiece(p, q, 0.0, 0.0, s.feed, self.line_no, rapid, how=self._how()))
        s.nose = target
        if self._leaving:
            self._close_chain(leaves=True)

    def _chain_arc(self, target: list[float], centre: tuple[float, float], sweep: float) -> None:
        s = self.state
        self._ask_for_straight_lead()
        p, q = (s.nose[2], s.nose[0]), (target[2], target[0])
        self._chain.append(EdgePiece(p, q, 0.0, 0.0, s.feed, self.line_no, False, centre, sweep, self._how()))
        s.nose = target

    def _close_chain(self, *, leaves: bool) -> None:
        """Run the chain with the middle of the nose beside it: the reference point lies off that by the tip."""
        if self._corner is not None:
            self._break_corner(None, straight=False)
        s, chain = self.state, self._chain
        after, feed, line = s.nose, s.feed, self.line_no
        tool = self.control.tools.get(s.tool)
        z, r = tool.in_plane.nose_centre if tool is not None else (0.0, 0.0)

        ways = self._compensated(nose_ways(chain, (z, r), leaves=leaves), leaves)
        self._chain, self._leaving, s.comp = [], False, 0.0
        now = self._how()
        for e in ways:
            self._as_it_was(e.how)
            s.nose, s.feed, self.line_no = [e.start[1] - r, 0.0, e.start[0] - z], e.feed, e.line
            target = [e.end[1] - r, 0.0, e.end[0] - z]
            if e.sweep:
                self._go_round(target, (e.centre[0] - z, e.centre[1] - r), e.sweep)
            else:
                self._go_straight(target, RAPID if e.rapid else FEED)
        s.nose, s.feed, self.line_no = after if leaves else s.nose, feed, line
        self._as_it_was(now)

    def _how(self) -> How:
        """What the spindle does as a line of a chain is read."""
        s = self.state
        return (s.spindle, s.speed, s.feed_mode, self._surface, self._limit)

    def _as_it_was(self, how: How) -> None:
        s = self.state
        if how:
            s.spindle, s.speed, s.feed_mode, self._surface, self._limit = how

    def _split(self, r0: float, r1: float) -> list[float]:
        """Shares of a move at which the turns per minute have changed by a step."""
        low = 1000 * self._surface / (2 * math.pi * self._limit) if self._limit else AXIS_MM
        low = max(low, AXIS_MM)
        cuts = {0.0, 1.0}
        small, large = sorted((abs(r0), abs(r1)))
        if r0 * r1 < 0:
            small = 0.0
            cuts.add(r0 / (r0 - r1))
        r = max(low, small)
        while r < large:
            for sign in (1, -1):
                if r1 != r0 and 0 < (share := (sign * r - r0) / (r1 - r0)) < 1:
                    cuts.add(share)
            r *= SPEED_STEP
        return sorted(cuts)

    def _go_arc(self, target: list[float], centre: tuple[float, float], sweep: float) -> None:
        """An arc about a centre (z, r)."""
        self._feeds()
        if self.state.comp:
            self._chain_arc(target, centre, sweep)
        else:
            self._go_round(target, centre, sweep)

    def _go_round(self, target: list[float], centre: tuple[float, float], sweep: float) -> None:
        """An arc about a centre (z, r), split where the turns per minute change."""
        s = self.state
        p0 = (s.nose[2], s.nose[0])
        r0, a0 = math.dist(p0, centre), math.atan2(p0[1] - centre[1], p0[0] - centre[0])
        start = self.tip()
        cz, cr = centre[0] + self._shift[0], centre[1] + self._shift[1]
        s.nose = target
        end = self.tip()

        def at(share: float) -> tuple[float, float, float]:
            if share in (0.0, 1.0):
                return end if share else start
            turn = a0 + share * sweep
            return (cr + r0 * math.sin(turn), 0.0, cz + r0 * math.cos(turn))

        shares = self._split_arc([at(k / ARC_SAMPLES)[0] for k in range(ARC_SAMPLES + 1)])
        for a, b in itertools.pairwise(shares):
            rev = self._rev(at((a + b) / 2)[0])
            self.builder.add(
                ARC,
                at(a),
                at(b),
                feed=self._per_minute(rev),
                speed=rev,
                tool=s.tool,
                line=self.line_no,
                centre=(cr, 0.0, cz),
                sweep=sweep * (b - a),
                plane=1,
                turn=s.spindle,
            )

    def _split_arc(self, radii: list[float]) -> list[float]:
        """Shares of an arc, whose radii from the axis are given evenly along it, at which the turns per minute have changed by a step."""
        if not self._surface or not self.state.spindle:
            return [0.0, 1.0]
        steps = np.abs(np.diff(np.log([self._rev(r) for r in radii]))) / math.log(SPEED_STEP)
        passed = np.concatenate([[0.0], np.cumsum(steps)])
        count = max(math.ceil(passed[-1] - 1e-9), 1)
        inner = np.interp(passed[-1] * np.arange(1, count) / count, passed, np.linspace(0.0, 1.0, len(radii)))
        return [0.0, *map(float, inner), 1.0]


def _between(a: tuple[float, float, float], b: tuple[float, float, float], share: float) -> tuple[float, float, float]:
    if share <= 0.0:
        return a
    if share >= 1.0:
        return b
    return (a[0] + (b[0] - a[0]) * share, 0.0, a[2] + (b[2] - a[2]) * share)
