"""Holes by cycle on a lathe: G83 and G85 into the face, G87 and G89 into the side, by a driven tool or on the axis; modal until G80.

A line goes to its place and its C at rapid, by R to the start plane (from where the tool is), down to Z or X in pecks of Q, waits P milliseconds, and comes out; with K holes, each by H
farther round.
"""

from __future__ import annotations

from collections.abc import Mapping

from bastler.core.gcode.axismoves import AxisMoves
from bastler.core.gcode.canned import MOST_PECKS, PECKED, Hole, hole_actions
from bastler.core.gcode.drilling import MOST_REPEATS
from bastler.core.gcode.motion import FEED, RAPID, THREAD

HOLES: dict[str, tuple[int, bool, int]] = {
    "drill_face": (83, False, 83),
    "bore_face": (85, False, 85),
    "drill_side": (87, True, 83),
    "bore_side": (89, True, 85),
}
"""Code, whether into the side, and which cycle of a mill makes the same of a hole."""
KEPT = "XZUWRQPF"


class DrivenHoles(AxisMoves):
    """The cycles that make holes."""

    _cycle: dict[str, float]
    exact: set[str]

    def _small(self, words: Mapping[str, float], letter: str, otherwise: float = 0.0) -> float:
        """A length that is told in thousandths where it has no decimal point, mm."""
        if letter not in words:
            return otherwise
        s = self.state
        parts = 1.0 if letter in self.exact else 10_000 if s.scale != 1.0 else 1000
        return words[letter] * s.scale / parts

    def drill_driven(self, words: Mapping[str, float], what: str) -> None:
        """All holes of a line."""
        _, across, code = HOLES[what]
        deep, by = ("X", "U") if across else ("Z", "W")
        if across and not self._is_axis:
            word = self.codes.word("axis_on")
            text = f"A hole is made from the side while the main spindle is no axis. Write {word} before."
            self._once("axis-mode", text)
            return
        self._cycle = {**self._cycle, **{k: v for k, v in words.items() if k in KEPT}}
        if "Q" in words:
            # Kept in mm: whether it had a decimal point is known on its own line only.
            self._cycle["Q"] = abs(self._small(words, "Q"))
        self.use(("ZW" if across else "XU") + (deep if deep in self._cycle else by) + "RPF")
        self.use(("Q" if code in PECKED else "") + ("CH" if self._is_axis else ""))
        self.counted.update("QP")
        count = self.count_of(words, "K")
        if count > MOST_REPEATS:
            self.find("too-many", "stop", f"The hole is made {count} times over; the check does it once. Correct K.")
            count = 1
        if deep not in self._cycle and by not in self._cycle:
            self.find("missing-word", "stop", f"The cycle has no depth. Add {deep}.")
            return
        place = {k: v for k, v in words.items() if k in "XZUW" and k not in (deep, by)}
        for k in range(count):
            step = {k2: v for k2, v in words.items() if k2 == "H" or (k2 == "C" and k == 0)}
            self._hole({**place, **step} if k == 0 else step, 0 if across else 2, code)

    def _hole(self, place: Mapping[str, float], k: int, code: int) -> None:
        """One hole along the axis ``k``, from the level where the tool is back to it."""
        s, kept = self.state, self._cycle
        target = self._place({letter: v for letter, v in place.items() if letter in "XZUW"})
        target[k] = s.nose[k]
        c = self._angle(place) if self._is_axis else 0.0
        self._go_there(target, c, RAPID)
        if kept.get("F", 0.0) > 0:
            s.feed = kept["F"] * s.scale
        if self._is_axis:
            self._ask_for_driven()
        for what, value in hole_actions(self._kept_hole(target[k], k, code)):
            if what == "dwell":
                self._dwell({"P": 1000 * value})
            else:
                self._go_there([*target[:k], value, *target[k + 1 :]], c, RAPID if what == "rapid" else FEED)

    def _kept_hole(self, back: float, k: int, code: int) -> Hole:
        """The hole that the kept words make from a level."""
        s, kept = self.state, self._cycle
        start, (deep, by) = back + kept.get("R", 0.0) * s.scale, ("Z", "W") if k else ("X", "U")
        if deep in kept:
            bottom = self._place({letter: v for letter, v in kept.items() if letter in (deep, by)})[k]
        else:
            bottom = start + kept[by] * s.scale / (1 if k else 2)
        if bottom > start:
            text = f"The bottom of this hole, {deep}, lies above its start plane. Correct {deep} or R."
            self.find("syntax", "stop", text)
        peck = kept.get("Q", 0.0)
        if peck and start - bottom > MOST_PECKS * peck:
            text = f"Q makes more than {MOST_PECKS} pecks of this hole; the check goes down in one. Give a larger Q."
            self.find("too-many", "stop", text)
            peck = 0.0
        return Hole(code, start, bottom, back, peck, kept.get("P", 0.0) / 1000)

    def _go_there(self, target: list[float], c: float, kind: int) -> None:
        if self._is_axis:
            self._turn_to(target, c, kind)
        else:
            self._straight(target, kind)

    def tap_driven(self, words: Mapping[str, float], *, across: bool) -> None:
        """Down in step with the driven spindle, by R from where it is and to Z or X; turned round, and out the same way. C and the other axis first."""
        s = self.state
        if not self._is_axis:
            word = self.codes.word("axis_on")
            self._once("axis-mode", f"A driven tool taps while the main spindle is no axis. Write {word} before.")
            return
        self.use("XZUWCHRFPQ")
        deep = "X" if across else "Z"
        target = self._place({k: v for k, v in words.items() if k in "XZUW"})
        if deep not in words:
            self.find("missing-word", "stop", f"The tapping cycle has no depth. Add {deep}.")
            return
        k = 0 if across else 2
        level = list(target)
        level[k] = s.nose[k]
        self._turn_to(level, self._angle(words), RAPID)
        level[k] += words.get("R", 0.0) * s.scale
        self._turn_to(list(level), self._c, RAPID)
        if "F" in words and words["F"] > 0:
            s.feed = words["F"] * s.scale
        self._ask_for_driven()
        turning = self._driven
        self._turn_to(target, self._c, THREAD)
        self._driven = -turning
        self._turn_to(level, self._c, THREAD)
        self._driven = turning
