"""Holes by cycle on a lathe: G83 and G85 into the face, G87 and G89 into the side, by a driven tool or on the axis; modal until G80.

A line goes to its place and its C at rapid, by R to the start plane (from where the tool is), down to Z or X in pecks of Q, waits P milliseconds, and comes out; with K holes, each by H
farther round.
"""

from __future__ import annotations

from collections.abc import Mapping

from bastler.core.gcode.axismoves import AxisMoves
from bastler.core.gcode.motion import FEED, RAPID, THREAD

HOLES: dict[str, tuple[int, bool, bool]] = {
    "drill_face": (83, False, False),
    "bore_face": (85, False, True),
    "drill_side": (87, True, False),
    "bore_side": (89, True, True),
}
"""Code, whether into the side, whether it is fed out."""
GAP_MM = 0.5
"""So far over the last peck's end the next begins."""
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
        _, across, fed_out = HOLES[what]
        deep, by = ("X", "U") if across else ("Z", "W")
        if across and not self._is_axis:
            word = self.codes.word("axis_on")
            text = f"A hole is made from the side while the main spindle is no axis. Write {word} before."
            self._once("axis-mode", text)
            return
        self._cycle = {**self._cycle, **{k: v for k, v in words.items() if k in KEPT}}
        self.use(f"{'ZW' if across else 'XU'}{deep if deep in self._cycle else by}RQPFK{'CH' if self._is_axis else ''}")
        self.counted.update("QPK")
        if deep not in self._cycle and by not in self._cycle:
            self.find("missing-word", "stop", f"The cycle has no depth. Add {deep}.")
            return
        place = {k: v for k, v in words.items() if k in "XZUW" and k not in (deep, by)}
        for k in range(max(int(words.get("K", 1)), 0)):
            step = {k2: v for k2, v in words.items() if k2 == "H" or (k2 == "C" and k == 0)}
            self._hole({**place, **step} if k == 0 else step, across=across, fed_out=fed_out)

    def _hole(self, place: Mapping[str, float], *, across: bool, fed_out: bool) -> None:
        """One hole, from the level where the tool is back to it."""
        s, kept, k = self.state, self._cycle, 0 if across else 2
        target = self._place({letter: v for letter, v in place.items() if letter in "XZUW"})
        target[k] = s.nose[k]
        c = self._angle(place) if self._is_axis else 0.0
        self._go_there(target, c, RAPID)
        start = list(target)
        start[k] += kept.get("R", 0.0) * s.scale
        deep, by = ("X", "U") if across else ("Z", "W")
        if deep in kept:
            bottom = self._place({letter: v for letter, v in kept.items() if letter in (deep, by)})[k]
        else:
            bottom = start[k] + kept[by] * s.scale / (2 if across else 1)
        if "F" in kept and kept["F"] > 0:
            s.feed = kept["F"] * s.scale
        if self._is_axis:
            self._ask_for_driven()
        self._go_there(list(start), c, RAPID)
        peck = abs(self._small(kept, "Q")) or abs(bottom - start[k])
        way, at = (1.0 if bottom > start[k] else -1.0), start[k]
        while abs(bottom - at) > 1e-9:
            at = bottom if abs(bottom - at) <= peck else at + way * peck
            self._go_there([*start[:k], at, *start[k + 1 :]], c, FEED)
            if abs(bottom - at) > 1e-9:
                self._go_there(list(start), c, RAPID)
                self._go_there([*start[:k], at - way * min(GAP_MM, peck / 2), *start[k + 1 :]], c, RAPID)
        if kept.get("P", 0.0) > 0:
            self._dwell({"P": kept["P"]})
        self._go_there(list(start), c, FEED if fed_out else RAPID)
        self._go_there(target, c, RAPID)

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
        level[k] += words.get("R", 0.0) * s.scale / (2 if across else 1)
        self._turn_to(list(level), self._c, RAPID)
        if "F" in words and words["F"] > 0:
            s.feed = words["F"] * s.scale
        self._ask_for_driven()
        turning = self._driven
        self._turn_to(target, self._c, THREAD)
        self._driven = -turning
        self._turn_to(level, self._c, THREAD)
        self._driven = turning
