"""Canned hole cycles of a milling control, line by line: what each keeps, where it is done, and how often."""

from __future__ import annotations

from bastler.core.gcode.canned import (
    HOLE_LETTERS,
    MOST_PECKS,
    PECKED,
    SHIFTED,
    WITHOUT_DWELL,
    Hole,
    hole_actions,
)
from bastler.core.gcode.motion import FEED, RAPID
from bastler.core.gcode.origins import Origins

MOST_REPEATS = 1000
MOST_MOVES_A_LINE = 20_000
LEAST_PECK_MM = 0.1
LEAST_PECK_DIAMETERS = 0.05


class Drilling(Origins):
    """A control with canned cycles."""

    def _canned(self, words: dict[str, float], *, new: bool) -> None:
        """A line of a canned cycle: what it says anew is kept; a place or a depth is drilled, K or L times (0: only kept)."""
        s = self.state
        if new and s.hole is None:
            s.before_hole = s.nose[2]
        letters = HOLE_LETTERS[s.motion]
        self.use("XY" + letters)
        if "Z" in words or "R" in words or new or any(k in words for k in letters):
            self._keep(words, new=new)
        count, hole = self.count_of(words, "KL"), s.hole
        if count > MOST_REPEATS or (hole is not None and count * len(hole_actions(hole)) > MOST_MOVES_A_LINE):
            self.find(
                "too-many", "stop", f"The hole is drilled {count} times over; the check does it once. Correct K or L."
            )
            count = 1
        if hole is None or not any(k in words for k in "XYZR"):
            return
        for _ in range(count):
            self._hole(hole, self._target({k: v for k, v in words.items() if k in "XY"}))

    def _hole(self, hole: Hole, place: list[float]) -> None:
        s = self.state
        if s.nose[2] < hole.start:
            self._straight([s.nose[0], s.nose[1], hole.start], RAPID)
        self._straight([place[0], place[1], s.nose[2]], RAPID)
        x, turning = place[0], s.spindle
        for what, value in hole_actions(hole):
            if what == "dwell":
                self._wait(value)
            elif what == "shift":
                s.spindle, x = 0, place[0] + value
                self._straight([x, place[1], s.nose[2]], RAPID)
                s.spindle = 0 if value else turning
            elif what == "turn":
                s.spindle = -turning if value < 0 else turning
            else:
                self._straight([x, place[1], value], RAPID if what == "rapid" else FEED)

    def _judge_peck(self, peck: float) -> None:
        tool = self.control.tools.get(self.state.tool)
        least = min(LEAST_PECK_MM, LEAST_PECK_DIAMETERS * tool.diameter) if tool is not None else LEAST_PECK_MM
        if self.state.motion in PECKED and 0 < peck < least:
            text = f"The pecks of this G{self.state.motion} are {peck:.3f} mm: hundreds for one hole. Check Q, and its decimal point."
            self.find("value", "warn", text)

    def _keep(self, words: dict[str, float], *, new: bool) -> None:
        """What the cycle is from here on; words of an earlier line stay until it is cancelled."""
        s = self.state
        kept = {**s.hole_words, **{k: v for k, v in words.items() if k in "ZRQP"}}
        s.hole_words = kept
        lacking = next((k for k in "RZ" if k not in kept), None)
        if lacking:
            text = f"G{s.motion} has no {lacking}. Add the Z of the {'start plane' if lacking == 'R' else 'bottom'}."
            self.find("missing-word", "stop", text)
            s.hole = None
            return
        offset = s.length + s.frame.local[2] + s.frame.offset[2] if s.absolute else s.before_hole
        start = kept["R"] * s.scale + offset
        bottom = kept["Z"] * s.scale + (offset if s.absolute else start)
        peck = abs(kept.get("Q", 0.0)) * s.scale if "Q" in HOLE_LETTERS[s.motion] else 0.0
        if new and s.motion in (*PECKED, SHIFTED) and peck == 0:
            what = "shift off the wall" if s.motion == SHIFTED else "peck"
            self.find("missing-word", "stop", f"G{s.motion} has no {what}. Add Q.")
        if s.motion in PECKED and peck > 0 and abs(start - bottom) > MOST_PECKS * peck:
            text = f"Q makes more than {MOST_PECKS} pecks of this hole; the check goes down in one. Give a larger Q."
            self.find("too-many", "stop", text)
            peck = 0.0
        self._judge_peck(peck)
        if bottom > start + 1e-9:
            text = f"The bottom of this G{s.motion}, Z, lies above its start plane R. Correct one of them."
            self.find("syntax", "stop", text)
        dwell = kept.get("P", 0.0) / 1000 if s.motion not in WITHOUT_DWELL else 0.0
        back = s.before_hole if s.return_high else start
        s.hole = Hole(s.motion, start, bottom, max(back, start), peck, dwell)
